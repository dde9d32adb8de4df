"""Turns over a million rows, alone and while a worker looks for signposts of other steps."""

from __future__ import annotations

import itertools
import os
import statistics
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from bench.turns import Row, ms

ROUNDS, TURNS, WAITING = 3, 12, 6
THINKS = 0.5
"""Seconds between turns: a quick hand."""

MEASURES = ("late_min", "boardings", "rain_mm")
GROUPS = ("depot", "district", "line")


@contextmanager
def a_worker() -> Iterator[None]:
    """Have what is asked of the worker done by a process of its own, as in the running application."""
    from django.test import override_settings

    from bench import with_worker

    process = subprocess.Popen(
        [sys.executable, "manage.py", "work"],
        cwd=Path(__file__).resolve().parents[1],
        env=os.environ | {"DJANGO_SETTINGS_MODULE": "bench.with_worker"},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        with override_settings(TASKS=with_worker.TASKS):
            yield
    finally:
        process.terminate()
        process.wait()


def turns_beside_signposts(table_pk: int) -> Row:
    """Measure the same kinds of turn in turns: with nothing beside, and with signposts being found."""
    with a_worker():
        return _turns_beside(table_pk)


def _turns_beside(table_pk: int) -> Row:
    from django.test import Client
    from django.urls import reverse

    from night_trail.core.measure import Measure
    from night_trail.core.question import to_json
    from night_trail.core.questions.compare.question import Compare
    from night_trail.core.turns import See
    from night_trail.jobs.models import Job
    from night_trail.tables.models import Table
    from night_trail.trails.models import Step
    from night_trail.trails.services import start_trail, take_turn

    table = Table.objects.get(pk=table_pk)
    # of two trails, as a page shows every step of its own
    start, other = (start_trail(table.owner, table) for _ in range(2))

    def asked(at: int) -> See:
        # each level of a quantile is a question that nobody asked before
        level = round(0.05 + at / 10_000, 4)
        measure = Measure("quantile", MEASURES[at % len(MEASURES)], level=level)
        return See(Compare(measure, GROUPS[at % len(GROUPS)]))

    analyst = Client()
    analyst.force_login(table.owner, backend="django.contrib.auth.backends.ModelBackend")
    address = reverse("trails:turn", args=[start.trail_id, start.pk])

    def turn(at: int) -> float:
        time.sleep(THINKS)
        began = time.perf_counter()
        answer = analyst.post(address, {"change": to_json(asked(at))}, headers={"HX-Request": "true"})
        assert answer.status_code == 200, answer.content[:300]
        return time.perf_counter() - began

    def ask_for_signposts(step: Step) -> None:
        answer = analyst.get(reverse("trails:signposts", args=[step.trail_id, step.pk]))
        assert answer.status_code == 200, answer.content[:300]

    def done() -> int:
        return Job.objects.filter(kind__startswith="proposed:", done__gte=1).count()

    def waiting() -> int:
        return Job.objects.filter(kind__startswith="proposed:", done=0).count()

    for at in range(TURNS):
        turn(at)
    alone: list[float] = []
    beside: list[float] = []
    found = 0
    for number in range(1, ROUNDS + 1):
        first = 1_000 * number
        alone += [turn(first + at) for at in range(TURNS)]
        more = (take_turn(other, asked(first + 100 + at)) for at in itertools.count())
        before = done()
        for at in range(TURNS):
            # however quick the worker is, it does not run out of work
            while waiting() < WAITING:
                ask_for_signposts(next(more))
            beside.append(turn(first + 200 + at))
        found += done() - before
        while waiting():
            time.sleep(0.2)
    said = f"{ms(statistics.median(beside))}, without {ms(statistics.median(alone))}; {found} found meanwhile"
    return ("a turn while signposts of other steps are looked for", said, "as without", "")
