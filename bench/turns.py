"""Turns over a warm million rows, against the plain scripts on a frame that is already loaded."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import pandas as pd

    from night_trail.core.turns import Change

Row = tuple[str, str, str, str]
Case = tuple[str, "list[Change]", "Callable[[pd.DataFrame], None] | None"]

LEVELS = (("district", "depot", "line"), ("depot", "festival", "line"))
GROUPS = ("district", "depot", "festival", "line")
EARTH = ("measure_6", "measure_5")
"""Two measures around 50 that are taken for degrees."""

PLACED = (("sum", "boardings"), ("mean", "late_min"), ("sum", "measure_7"), ("mean", "rain_mm"))
ASKED_FOR = ("departed_at", "rain_mm", "boardings", "measure_5", "measure_6", "measure_7")
USED = [
    "late_min",
    "rain_mm",
    "district",
    "depot",
    "line",
    "boardings",
    "departed_at",
    "measure_5",
    "measure_6",
]
LANTERN = "lantern change, three pictures beside"
ROWS = "rows: first page of a million, sorted"


def timed(work: Callable[[], object]) -> float:
    """Seconds one run takes."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def ms(seconds: float) -> str:
    return f"{1000 * seconds:,.0f} ms"


def cases() -> list[Case]:
    """Return kinds of turn, each with turns to scenes that no other leads to, and the script beside it."""
    from bench import scripts
    from night_trail.core.measure import Measure
    from night_trail.core.questions.compare.question import Compare
    from night_trail.core.questions.cycle.question import Cycle
    from night_trail.core.questions.flow.question import Flow
    from night_trail.core.questions.make_up.question import MakeUp
    from night_trail.core.questions.over_time.question import OverTime
    from night_trail.core.questions.place.question import Place
    from night_trail.core.questions.relate.question import Relate
    from night_trail.core.questions.spread.question import Bins, Spread
    from night_trail.core.turns import OnlyWords, See, Slot

    widths = [0.5, 2.0, 0.25, 2.5, 5.0, 0.8, 1.25, 1.5, 3.0, 4.0]
    return [
        ("histogram, wet nights lit", [Slot("bins", Bins(w)) for w in widths], scripts.histogram),
        (
            "box plots across groups, wet nights lit",
            [See(Spread("late_min", g, "boxes", order=o)) for o in ("frequent", "own") for g in GROUPS],
            scripts.boxes,
        ),
        (
            "bars of 40 lines",
            [See(Spread("line", shape="bars", height=h)) for h in ("count", "share")],
            scripts.bars,
        ),
        (
            "average of a measure across groups",
            [See(Compare(Measure("mean", m), g)) for m in ("late_min", "boardings") for g in GROUPS],
            scripts.means,
        ),
        (
            "median of a measure across groups",
            [See(Compare(Measure("median", "late_min"), g)) for g in GROUPS],
            None,
        ),
        (
            "what makes it up, three levels",
            [See(MakeUp(Measure("sum", m), lv)) for m in ("boardings", "measure_6") for lv in LEVELS],
            scripts.made_up,
        ),
        (
            "where it flows, three stations",
            [See(Flow(Measure("sum", m), lv)) for m in ("boardings", "measure_6") for lv in LEVELS],
            scripts.flows,
        ),
        (
            "where it lies, as dots",
            [See(Place(Measure(a, m), EARTH)) for a, m in PLACED],
            scripts.dots,
        ),
        (
            "where it lies, as hexagons",
            [See(Place(Measure(a, m), EARTH, "hexagons")) for a, m in PLACED],
            scripts.hexagons,
        ),
        (
            "a million points with a line",
            [See(Relate("late_min", x)) for x in ("rain_mm", "boardings", "measure_6", "measure_7")],
            scripts.points,
        ),
        (
            "an average across two categories",
            [See(Compare(Measure("mean", "late_min"), g, "bars", also="festival")) for g in GROUPS[:2]],
            None,
        ),
        (
            "three measures across groups, as a table",
            [
                See(
                    Compare(
                        Measure("mean", "late_min"),
                        g,
                        "table",
                        more=(Measure("count"), Measure("sum", "boardings")),
                    )
                )
                for g in GROUPS
            ],
            None,
        ),
        (
            "a point for each line",
            [See(Relate("late_min", x, each="line")) for x in ("rain_mm", "boardings")],
            None,
        ),
        (
            "a running share across groups",
            [See(Spread("late_min", g, "running")) for g in GROUPS],
            None,
        ),
        (
            "a sum month by month for each of 40 lines",
            [
                See(OverTime(Measure("sum", m), "departed_at", "month", split="line", shape=shape))
                for m in ("boardings", "measure_5")
                for shape in ("line", "panels")
            ],
            scripts.months,
        ),
        (
            "an average through the week and the day",
            [See(Cycle(Measure("mean", "late_min"), "departed_at", part)) for part in ("week", "day")],
            None,
        ),
        (
            "histogram of the rows a filter keeps",
            [OnlyWords(f"district is {d}") for d in ("Quayside", "Foundry", "Hillfoot")],
            None,
        ),
        (
            "histogram of a column never asked for before",
            [See(Spread(f"measure_{i}")) for i in range(5)],
            None,
        ),
    ]


class Turns:
    """Measures in rounds, between which other work is measured: a machine has better and worse minutes.

    Nothing is answered twice within a round, and between rounds all is forgotten.
    """

    def __init__(self, table_pk: int, csv: Path) -> None:
        import pandas as pd
        from django.test import Client

        from night_trail.tables.models import Table

        self.table = Table.objects.get(pk=table_pk)
        self.client = Client()
        self.client.force_login(self.table.owner, backend="django.contrib.auth.backends.ModelBackend")
        self.frame = pd.read_csv(csv, usecols=USED, parse_dates=["departed_at"])
        self.times: dict[str, list[list[float]]] = {}
        self.plain: dict[str, list[float]] = {}

    def post(self, step: Any, change: Any) -> None:
        """Take a turn as the desk does."""
        from django.urls import reverse

        from night_trail.core.question import to_json

        address = reverse("trails:turn", args=[step.trail_id, step.pk])
        response = self.client.post(address, {"change": to_json(change)}, headers={"HX-Request": "true"})
        assert response.status_code == 200, response.content[:300]

    def round(self) -> None:
        """Take every turn once."""
        from night_trail.core.questions.spread.question import Bins, Spread
        from night_trail.core.turns import Beside, OnlyWords, See
        from night_trail.site.settling import settle
        from night_trail.tables import cache
        from night_trail.trails import pictures
        from night_trail.trails.rowlist import View, row_page
        from night_trail.trails.services import start_trail, take_turn

        pictures.forget()
        cache.forget()
        start = take_turn(start_trail(self.table.owner, self.table), See(Spread("late_min", bins=Bins(1.0))))
        lit = take_turn(start, OnlyWords("rain_mm above 2", light=True))
        # imports and the columns in question are warm; the last case shows what a cold column costs
        for question in (
            Spread("line", shape="bars"),
            *(Spread("late_min", g) for g in GROUPS),
            *(Spread(name) for name in ASKED_FOR),
        ):
            self.post(start, See(question))
        settle()  # as the server does once it has loaded everything
        for name, changes, script in cases():
            self._add(name, [timed(lambda c=change: self.post(lit, c)) for change in changes])
            if script is not None:
                self.plain.setdefault(name, []).append(timed(lambda s=script: s(self.frame)))
        beside = start
        for question in (
            Spread("late_min", "depot", "boxes"),
            Spread("boardings"),
            Spread("district", shape="bars"),
        ):
            beside = take_turn(beside, Beside(question))
        self.post(beside, OnlyWords("rain_mm above 8", light=True))
        lanterns = [OnlyWords(f"rain_mm above {k}", light=True) for k in range(1, 8)]
        self._add(LANTERN, [timed(lambda w=words: self.post(beside, w)) for words in lanterns])
        desk = pictures.Desk(self.table.latest, start.scene_value())
        row_page(desk, View())  # the columns' cells, which a survey leaves at hand
        self._add(ROWS, [timed(lambda: row_page(desk, View(sorts=(("late_min", True),))))])

    def _add(self, name: str, times: list[float]) -> None:
        self.times.setdefault(name, []).append(times)

    def rows(self) -> list[Row]:
        """Return what all rounds measured."""
        found: list[Row] = []
        for name, rounds in self.times.items():
            times = [one for of_round in rounds for one in of_round]
            median, worst = statistics.median(times), max(times)
            said = f"{ms(median)}, worst {ms(worst)}"
            if name in (LANTERN, ROWS):
                found.append((name, said, "250 ms" if name == LANTERN else "", ""))
                continue
            beside_it = ""
            if plain := self.plain.get(name):
                # held against the turns of its own round, which ran beside it
                ratios = [p / statistics.median(t) for p, t in zip(plain, rounds, strict=True)]
                beside_it = f"{ms(statistics.median(plain))}; {statistics.median(ratios):.1f} × as long"
            promise = "" if "never asked" in name else "100 ms, never over 300 ms"
            found.append((f"turn → HTML: {name}", said, promise, beside_it))
        return found
