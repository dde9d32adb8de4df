"""What comes of a model is figured anew by files that lie beside the code, and has nothing else of ours in it."""

from __future__ import annotations

import datetime as dt
import importlib
import math
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
import pytest

from night_trail.core.conditions import Between
from night_trail.core.measure import Measure
from night_trail.core.methods_along import files_for, packages_for
from night_trail.core.question import Question
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.question import Event
from night_trail.core.questions.registry import answer, figures_of
from night_trail.core.recomputed import IMPORTS, code_of
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from tests.core.tables import table_of

Run = Callable[..., tuple[list[dict[str, Any]], list[dict[str, Any]]]]
SUM = Measure("sum", "riders")


@pytest.fixture
def run(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Run:
    """Return what runs a question's code beside its files: what it leaves, and the picture's own table."""

    def made(
        question: Question, table: Table, *only: Any
    ) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
        found = answer(question, Rows(table, only))
        code = code_of(question, found, only, None, table)
        assert not code.untold, code.untold
        files = files_for(code.lines)
        assert files and not any("night_trail" in source for source in files.values())
        for path, source in files.items():
            (tmp_path / path).parent.mkdir(exist_ok=True)
            (tmp_path / path).write_text(source)
        monkeypatch.syspath_prepend(str(tmp_path))
        for name in [name for name in sys.modules if name.split(".")[0] == "methods"]:
            del sys.modules[name]
        importlib.invalidate_caches()
        names: dict[str, Any] = {"table": pl.DataFrame({c.name: table.series(c.name) for c in table.columns})}
        exec("\n".join([IMPORTS, *code.lines]), names)
        theirs = figures_of(found)
        return list(names["found"].iter_rows(named=True)), [
            dict(zip(theirs.names, row, strict=False)) for row in theirs.rows
        ]

    return made


@pytest.fixture(scope="module")
def nights() -> Table:
    rng = np.random.default_rng(11)
    days = [dt.date(2021, 1, 1) + dt.timedelta(days=d) for d in range(900)]
    at = np.arange(900)
    usual = 300 + 0.2 * at + 60 * np.sin(2 * np.pi * at / 365.25) + np.where(at % 7 >= 5, 80, 0)
    usual[600:] += 120
    kept = [i for i in range(900) if not 400 <= i < 412]
    rows = [
        (days[i], depot, share * usual[i]) for i in kept for depot, share in (("Mill", 0.7), ("Quay", 0.3))
    ]
    return table_of(
        night=[r[0] for r in rows],
        depot=[r[1] for r in rows],
        riders=np.round([r[2] + rng.normal(0, 12) for r in rows], 1),
    )


def alike(mine: Any, theirs: Any) -> None:
    if theirs is None or (isinstance(theirs, float) and math.isnan(theirs)):
        assert mine is None or math.isnan(mine)
    else:
        # sums that are rounded elsewhere end a search of smoothing a little elsewhere
        assert mine == pytest.approx(theirs, rel=1e-5, abs=1e-6)


@pytest.mark.parametrize(
    "question",
    [
        Decomposition(SUM, "night", grain="day"),
        Decomposition(SUM, "night", grain="week"),
        Decomposition(Measure("mean", "riders"), "night", grain="month", way="multiplied"),
    ],
    ids=lambda q: q.grain,
)
def test_a_series_is_taken_apart_as_the_picture_has_it(
    question: Decomposition, run: Run, nights: Table
) -> None:
    found, rows = run(question, nights, Between("riders", 20.0, None))
    assert len(found) == len(rows) > 20
    for mine, theirs in zip(found, rows, strict=True):
        assert str(mine["from"]) == str(theirs["night from"])[:10]
        assert ("yes" if mine["stands out"] else "no") == theirs["stands out"]
        for name in mine.keys() - {"from", "stands out"}:
            alike(mine[name], theirs[name])
    assert any(name.startswith("season of") for name in found[0]) or question.grain == "week"


FAIR = (Event("fair", "2021-05-03", "2021-05-09"), Event("fair", "2023-08-01", "2023-08-04"))


@pytest.mark.parametrize(("split", "events"), [(None, ()), ("depot", FAIR)])
def test_a_forecast_is_made_as_the_picture_has_it(
    split: str | None, events: tuple[Event, ...], run: Run, nights: Table
) -> None:
    asked = Forecast(SUM, "night", grain="month", horizon=6, split=split, events=events)
    found, rows = run(asked, nights)
    ahead = [row for row in rows if row["forecast"] is not None]
    assert len(found) == len(ahead) == (18 if split else 6)
    for mine, theirs in zip(found, ahead, strict=True):
        assert (mine.get("group", ""), str(mine["from"])) == (theirs["group"], str(theirs["night from"])[:10])
        for name in mine.keys() - {"from", "group"}:
            alike(mine[name], theirs[name])


def trips(n: int) -> Table:
    rng = np.random.default_rng(12)
    rain, line = rng.gamma(0.5, 4.0, n), rng.integers(0, 70, n)
    begun = [dt.datetime(2024, 1, 1, 18) + dt.timedelta(minutes=int(m)) for m in rng.integers(0, 90_000, n)]
    wet = rain > 2
    night = np.array([(at - dt.timedelta(hours=12)).toordinal() for at in begun])
    of_night = rng.normal(0, 0.7, night.max() + 1)
    late = 3 + 1.5 * wet + 0.05 * line + of_night[night] + rng.normal(0, 1, n)
    late[:3] = 900.0
    return table_of(
        late=[None if i % 50 == 9 else float(v) for i, v in enumerate(late)],
        rain=[None if i % 30 == 4 else float(v) for i, v in enumerate(rain)],
        sky=rain * 3 + rng.normal(0, 0.01, n),
        line=[f"N{k:02}" for k in line],
        depot=[f"D{k // 20}" for k in line],
        begun=begun,
        full=(3 * wet + rng.normal(0, 1, n)) > 2,
    )


@pytest.mark.parametrize(
    ("question", "n"),
    [(Drivers("full", without=("late",)), 1_500), (Drivers("late"), 17_000)],
    ids=["yes/no", "number, of a part of the rows"],
)
def test_what_drives_a_column_is_found_as_the_picture_has_it(question: Drivers, n: int, run: Run) -> None:
    found, rows = run(question, trips(n))
    mine = {frozenset(row["column"].split(", ")): row for row in found}
    theirs = {frozenset(row["column"].split(", ")): row for row in rows}
    assert mine.keys() == theirs.keys() and len(theirs) > 2
    assert any(row["beyond chance"] == "yes" for row in theirs.values())
    for name, row in theirs.items():
        alike(mine[name]["worse without it"], row["worse without it"])
        alike(mine[name]["give or take"], row["give or take"])


def test_what_it_needs_is_said_with_versions() -> None:
    code = ["from methods.drivers import fold"]
    needed = packages_for([*code, *files_for(code).values()])
    assert {one.split("==")[0] for one in needed} >= {"polars", "numpy", "scikit-learn", "msgspec"}
    assert not files_for(["found = rows"])
