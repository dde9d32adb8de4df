"""Plain code, run as an analyst would, prints what the picture's own table says; where it cannot, it says so."""

from __future__ import annotations

import datetime as dt
import math
from typing import Any

import numpy as np
import polars as pl
import pytest

from night_trail.core.conditions import Between, OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Baseline, Compare
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.registry import answer, figures_of
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.stages.question import Stages
from night_trail.core.recomputed import IMPORTS, code_of
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from tests.core.tables import table_of

MEAN, SUM = Measure("mean", "late"), Measure("sum", "fares")


@pytest.fixture(scope="module")
def trips() -> Table:
    rng = np.random.default_rng(3)
    n = 3_000
    days = [dt.date(2023, 1, 1) + dt.timedelta(days=int(d)) for d in rng.integers(0, 300, n)]
    late = rng.gamma(2.0, 3.0, n)
    late[rng.random(n) < 0.05] = np.nan
    return table_of(
        late=pl.Series(late).fill_nan(None),
        fares=rng.integers(1, 90, n),
        rain=rng.gamma(0.5, 4.0, n),
        seats=rng.choice([30, 44, 60], n),
        line=[None if i % 41 == 0 else f"N{k}" for i, k in enumerate(rng.integers(1, 31, n))],
        depot=rng.choice(["Foundry", "Mill", 'Qu"ay'], n, p=[0.6, 0.3, 0.1]).tolist(),
        wet=rng.random(n) < 0.3,
        day=days,
        latitude=(rng.integers(0, 5, n) / 100 + 51).round(2),
        longitude=(rng.integers(0, 5, n) / 50 - 3).round(2),
    )


def run(question: Question, table: Table, *only: Any) -> tuple[pl.DataFrame, list[str], list[Any]]:
    """Return what the code leaves, and the names and rows of the picture's own table."""
    found = answer(question, Rows(table, only))
    code = code_of(question, found, only, None, table)
    assert not code.untold, code.untold
    names: dict[str, Any] = {"table": pl.DataFrame({c.name: table.series(c.name) for c in table.columns})}
    exec("\n".join([IMPORTS, *code.lines]), names)
    theirs = figures_of(found)
    return names["found"], list(theirs.names), [list(row) for row in theirs.rows]


def alike(mine: dict[Any, tuple[Any, ...]], theirs: dict[Any, tuple[Any, ...]]) -> None:
    assert mine.keys() == theirs.keys()
    assert len(theirs) > 1
    for key, figures in theirs.items():
        for one, other in zip(mine[key], figures, strict=True):
            assert (one is None and other is None) or math.isclose(one, other, rel_tol=1e-9), (
                key,
                one,
                other,
            )


COMPARED = [
    Compare(MEAN, "rain"),
    Compare(SUM, "line", keep=4),
    Compare(MEAN, "seats"),
    Compare(SUM, "day"),
    Compare(Measure("median", "late"), "line", keep=3),
]


@pytest.mark.parametrize("question", COMPARED, ids=lambda q: q.across + str(q.keep or ""))
def test_bands_and_gathered_groups_are_those_of_the_picture(question: Compare, trips: Table) -> None:
    found, _, rows = run(question, trips, OneOf("depot", ("Foundry", 'Qu"ay')))
    alike({r[0]: r[1:3] for r in found.drop_nulls().iter_rows()}, {r[0]: tuple(r[1:3]) for r in rows})


@pytest.mark.parametrize(
    "question", [Compare(SUM, "depot", "bars", also="rain"), Compare(MEAN, "wet", "bars", also="depot")]
)
def test_pairs_of_groups(question: Compare, trips: Table) -> None:
    found, _, rows = run(question, trips)
    alike(
        {r[:2]: r[2:4] for r in found.drop_nulls().iter_rows()}, {tuple(r[:2]): tuple(r[2:4]) for r in rows}
    )


def test_several_measures_side_by_side(trips: Table) -> None:
    question = Compare(MEAN, "depot", "bars", more=(SUM, Measure("ratio", "fares", "rain")))
    found, _, rows = run(question, trips)
    alike({r[0]: r[2:] for r in found.iter_rows()}, {r[0]: tuple(r[2:5]) for r in rows})


@pytest.mark.parametrize("split", ["depot", "wet", "line", "rain"])
def test_a_series_of_several_lines(split: str, trips: Table) -> None:
    found, _, rows = run(OverTime(SUM, "day", grain="month", split=split), trips)
    mine = {(r[0], str(r[1])): r[2:] for r in found.drop_nulls().iter_rows()}
    alike(mine, {(r[0], str(r[1])[:10]): (r[4], r[3]) for r in rows if r[4]})


def test_hours_are_not_gathered_into_days() -> None:
    rng = np.random.default_rng(4)
    start = dt.datetime(2024, 3, 1)
    moments = [start + dt.timedelta(minutes=int(m)) for m in rng.integers(0, 3_000, 500)]
    found, _, rows = run(OverTime(Measure("count"), "at", grain="hour"), table_of(at=moments))
    mine = {r[0]: r[1:] for r in found.iter_rows()}
    alike(mine, {dt.datetime.fromisoformat(r[0]): (r[3], r[2]) for r in rows if r[3]})


def test_rounds_of_several_lines(trips: Table) -> None:
    found, _, rows = run(Cycle(MEAN, "day", part="week", split="depot"), trips)
    places = list(dict.fromkeys(r[1] for r in rows))
    alike(
        {r[:2]: r[2:] for r in found.iter_rows()},
        {(r[0], places.index(r[1]) + 1): (r[3], r[2]) for r in rows},
    )


@pytest.mark.parametrize("across", ["seats", "line"])
def test_box_plots_of_bands_and_gathered_groups(across: str, trips: Table) -> None:
    found, _, rows = run(Spread("late", across, "boxes"), trips, Between("rain", 0.0, 9.0))
    alike(
        {r[0]: r[1:5] for r in found.drop_nulls().iter_rows()},
        {r[0]: (r[1], r[3], r[4], r[5]) for r in rows},
    )


def test_pairs_of_bands_against_chance(trips: Table) -> None:
    found, _, rows = run(Crosstab("depot", "rain"), trips)
    alike(
        {r[:2]: r[2:] for r in found.drop_nulls().iter_rows()},
        {tuple(r[:2]): tuple(r[2:4]) for r in rows if r[2]},
    )


@pytest.mark.parametrize(
    "measure",
    [Measure("sum", "cost"), Measure("count"), Measure("mean", "cost"), Measure("ratio", "cost", "people")],
    ids=lambda m: m.aggregate,
)
def test_who_belongs_to_whom(measure: Measure) -> None:
    rng = np.random.default_rng(5)
    units = [f"u{i}" for i in range(40)]
    above = [None if i < 2 else f"u{int(rng.integers(0, i))}" for i in range(40)]
    above[7] = "nobody"
    at = [*range(40), *rng.integers(0, 40, 30).tolist()]
    table = table_of(
        unit=[units[i] for i in at],
        above=[above[i] for i in at],
        cost=rng.integers(1, 99, 70),
        people=rng.integers(1, 9, 70),
        kind=rng.choice(["crew", "yard"], 70).tolist(),
    )
    question = Kin("unit", "above", measure)
    for only in ((), (OneOf("kind", ("crew",)),)):
        found, _, rows = run(question, table, *only)
        mine = {r[0]: tuple(x if x is not None else math.nan for x in r[1:]) for r in found.iter_rows()}
        theirs = {r[0]: tuple(r[2:5]) for r in rows}
        assert mine.keys() == theirs.keys()
        for name, figures in theirs.items():
            assert mine[name] == pytest.approx(figures, rel=1e-9, nan_ok=True), name
    circle = table_of(unit=["a", "b"], above=["b", "a"], cost=[1, 2])
    asked = Kin("unit", "above", Measure("sum", "cost"))
    assert "circle" in code_of(asked, answer(asked, Rows(circle)), (), None, circle).untold


def test_how_far_each_gets() -> None:
    rng = np.random.default_rng(6)
    start = dt.datetime(2024, 1, 1)
    rows = [
        (f"b{bag}", stage, start + dt.timedelta(hours=float(hours)))
        for bag in range(200)
        for stage, hours in zip(
            ("found", "labelled", "sent", "fetched")[: int(rng.integers(1, 5))],
            np.cumsum(rng.gamma(2, 9, 4)) - rng.integers(0, 3),
            strict=False,
        )
    ]
    bags, stages, moments = map(list, zip(*rows, strict=True))
    table = table_of(bag=bags, stage=stages, at=moments)
    found, _, theirs = run(Stages("bag", "stage", "at"), table)
    assert found["stage"].to_list() == [r[0] for r in theirs] == ["found", "labelled", "sent", "fetched"]
    assert found["reached"].to_list() == [r[1] for r in theirs]
    assert found["long"].to_list()[1:] == pytest.approx([r[6] for r in theirs][1:])
    found, _, theirs = run(Stages("bag", "stage", None), table)
    assert found["reached"].to_list() == [r[1] for r in theirs]


def test_where_it_lies(trips: Table) -> None:
    found, _, rows = run(Place(SUM, ("longitude", "latitude")), trips)
    alike({(r[1], r[0]): r[2:] for r in found.iter_rows()}, {tuple(r[1:3]): tuple(r[3:5]) for r in rows})
    many = Place(SUM, ("longitude", "latitude"), "hexagons")
    assert "gathered" in code_of(many, answer(many, Rows(trips)), (), None, trips).untold


def test_with_others_held_fixed(trips: Table) -> None:
    question = Held("late", "rain", ("depot", "wet", "fares"), shape="coefficients")
    found, _, rows = run(question, trips)
    alike({r[0]: r[1:] for r in found.iter_rows()}, {r[0]: (r[1],) for r in rows})
    for turned in (
        Held("wet", "rain", ("depot",)),
        Held("late", "rain", ("line",)),
        Held("late", "rain", ("day",)),
    ):
        assert code_of(turned, answer(turned, Rows(trips)), (), None, trips).untold or turned.fixed == (
            "line",
        )


def test_what_has_no_plain_code_says_why(trips: Table) -> None:
    against = Compare(SUM, "depot", "bars", baseline=Baseline(group="Mill"))
    rolled = OverTime(SUM, "day", grain="month", view="rolling")
    for question in (against, rolled):
        code = code_of(question, answer(question, Rows(trips)), (), None, trips)
        assert not code.lines and len(code.untold.split()) > 3
