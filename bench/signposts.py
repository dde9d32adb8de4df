"""Turns over a million rows, alone and while the same process looks for signposts of other steps."""

from __future__ import annotations

import statistics
import threading
import time

from bench.turns import Row, ms

ROUNDS, TURNS = 3, 12
THINKS = 0.5
"""Seconds between turns: a quick hand."""

MEASURES = ("late_min", "boardings", "rain_mm")
GROUPS = ("depot", "district", "line")


def turns_beside_signposts(table_pk: int) -> Row:
    """Measure the same kinds of turn in turns: with nothing beside, and with signposts being found."""
    from django.db import connections
    from django.test import Client
    from django.urls import reverse

    from night_trail.core.measure import Measure
    from night_trail.core.question import to_json
    from night_trail.core.questions.compare.question import Compare
    from night_trail.core.turns import See
    from night_trail.tables.models import Table
    from night_trail.trails.models import Step
    from night_trail.trails.services import start_trail, take_turn

    table = Table.objects.get(pk=table_pk)
    start = start_trail(table.owner, table)

    def client() -> Client:
        made = Client()
        made.force_login(table.owner, backend="django.contrib.auth.backends.ModelBackend")
        return made

    def asked(at: int) -> See:
        # each level of a quantile is a question that nobody asked before
        level = round(0.05 + at / 10_000, 4)
        measure = Measure("quantile", MEASURES[at % len(MEASURES)], level=level)
        return See(Compare(measure, GROUPS[at % len(GROUPS)]))

    analyst, address = client(), reverse("trails:turn", args=[start.trail_id, start.pk])

    def turn(at: int) -> float:
        time.sleep(THINKS)
        began = time.perf_counter()
        answer = analyst.post(address, {"change": to_json(asked(at))}, headers={"HX-Request": "true"})
        assert answer.status_code == 200, answer.content[:300]
        return time.perf_counter() - began

    found = 0

    def look(stop: threading.Event, steps: list[Step]) -> None:
        nonlocal found
        other = client()
        while not stop.is_set() and steps:
            step = steps.pop()
            answer = other.get(reverse("trails:signposts", args=[step.trail_id, step.pk]))
            assert answer.status_code == 200, answer.content[:300]
            found += 1
        connections.close_all()

    for at in range(TURNS):
        turn(at)
    alone: list[float] = []
    beside: list[float] = []
    for number in range(1, ROUNDS + 1):
        first = 1_000 * number
        alone += [turn(first + at) for at in range(TURNS)]
        stop = threading.Event()
        steps = [take_turn(start, asked(first + 100 + at)) for at in range(60)]
        looking = threading.Thread(target=look, args=(stop, steps))
        looking.start()
        beside += [turn(first + 200 + at) for at in range(TURNS)]
        stop.set()
        looking.join()
    said = f"{ms(statistics.median(beside))}, without {ms(statistics.median(alone))}; {found} found meanwhile"
    return ("a turn while signposts of other steps are looked for", said, "as without", "")
