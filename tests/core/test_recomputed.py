"""Plain code, run as an analyst would, prints what the picture's own table says; where it cannot, it says so."""

from __future__ import annotations

import datetime as dt
import math
from typing import Any

import numpy as np
import polars as pl
import pytest
from msgspec.structs import replace

from night_trail.core.conditions import Between, OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Baseline, Compare
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.flow.question import Flow
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.questions.over_time.question import Against, OverTime
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.registry import answer, figures_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.questions.stages.question import Stages
from night_trail.core.questions.stands.question import Stands
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
        back=[day - dt.timedelta(days=int(d)) for day, d in zip(days, rng.integers(0, 400, n), strict=True)],
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


HELD_AGAINST = [
    Compare(SUM, "depot", "bars", baseline=Baseline(group="Mill")),
    Compare(MEAN, "depot", "bars", baseline=Baseline(column="rain", show="relative")),
    Compare(SUM, "line", "bars", keep=5, baseline=Baseline(where=OneOf("depot", ("Foundry",)))),
    Compare(MEAN, "seats", "dots", baseline=Baseline(where=Between("day", "2023-04-01", "2023-07-01"))),
]


@pytest.mark.parametrize("question", HELD_AGAINST, ids=lambda q: q.across + q.measure.aggregate)
def test_groups_held_against_others(question: Compare, trips: Table) -> None:
    found, _, rows = run(question, trips, OneOf("depot", ("Mill", 'Qu"ay')), Between("rain", 0.01, None))
    mine = {
        r["group"]: (r["rows"], r["figure"], r["baseline"], r["difference"]) for r in named(found, "group")
    }
    alike(mine, {r[0]: (r[1], r[2], r[5], r[6]) for r in rows})


def named(found: pl.DataFrame, *needed: str) -> list[dict[str, Any]]:
    return list(found.drop_nulls(list(needed)).iter_rows(named=True))


BY_MONTH = OverTime(SUM, "day", grain="month")
VIEWED = [
    replace(BY_MONTH, view="rolling", window=4),
    replace(BY_MONTH, view="running", split="depot"),
    replace(BY_MONTH, view="to date", grain="week"),
    replace(BY_MONTH, view="index", split="wet"),
    replace(BY_MONTH, view="per day"),
    replace(BY_MONTH, view="rolling", grain="day", split="line"),
    replace(BY_MONTH, more=(MEAN, Measure("count"))),
    replace(BY_MONTH, against=Against("before", show="relative")),
    replace(BY_MONTH, against=Against("before"), split="depot", grain="week"),
    replace(BY_MONTH, against=Against("column", "rain")),
    replace(BY_MONTH, against=Against("group", "depot", "Mill"), view="running"),
    replace(BY_MONTH, measure=MEAN, against=Against("year"), grain="day", time="back"),
]


@pytest.mark.parametrize("question", VIEWED, ids=lambda q: f"{q.view} {q.grain} {q.split or q.against}")
def test_series_as_they_are_viewed_and_what_they_are_held_against(question: OverTime, trips: Table) -> None:
    found, names, rows = run(question, trips)
    by = 1 if question.split else 0
    figures = names.index("to below") + 1
    width = len(question.measures) + (2 if question.against else 0)
    columns = [
        "figure",
        *(f"figure {k}" for k in range(2, 1 + len(question.measures))),
        *(["held against", "difference"] if question.against else []),
    ]
    mine = {
        (r["group"] if by else "", str(r["from"])): tuple(r[name] for name in columns)
        for r in found.iter_rows(named=True)
    }
    theirs = {(r[0] if by else "", str(r[by])[:10]): tuple(r[figures : figures + width]) for r in rows}
    alike({key: mine[key] for key in theirs}, theirs)
    assert sum(x is not None for figures in theirs.values() for x in figures) > 5


@pytest.mark.parametrize("shape", ["histogram", "density", "strip"])
@pytest.mark.parametrize("column", ["late", "day"])
@pytest.mark.parametrize("across", [None, "depot"])
def test_how_a_column_is_spread(across: str | None, column: str, shape: Any, trips: Table) -> None:
    found, _, _ = run(Spread(column, across, shape), trips)
    by = ["group"] if across else []
    values = trips.axis(column).values
    groups = np.array(trips.series("depot").to_list() if across else ["all"] * len(values))
    assert len(found) == (3 if across else 1)
    for row in found.iter_rows(named=True):
        own = values[(groups == (row["group"] if by else "all")) & ~np.isnan(values)]
        wanted = [*np.quantile(own, (0.25, 0.5, 0.75)), own.mean(), len(own)]
        names = ("lower quartile", "middle", "upper quartile", "average", "count")
        got = [
            row[n] if not isinstance(row[n], dt.datetime) else row[n].replace(tzinfo=dt.UTC).timestamp()
            for n in names
        ]
        assert got == pytest.approx(wanted)


@pytest.mark.parametrize(
    "question",
    [
        Spread("late"),
        Spread("seats"),
        Spread("day"),
        Spread("late", "depot"),
        Spread("rain", bins=Bins(width=2.0)),
    ],
    ids=lambda q: f"{q.column} {q.across}",
)
def test_bins_are_counted_as_they_are_drawn(question: Spread, trips: Table) -> None:
    found = answer(question, Rows(trips, ()))
    code = code_of(question, found, (), None, trips)
    names: dict[str, Any] = {"table": pl.DataFrame({c.name: trips.series(c.name) for c in trips.columns})}
    exec("\n".join([IMPORTS, *code.lines]), names)
    by = 1 if question.across else 0
    mine = sorted((*row[:by], row[-1]) for row in names["bins"].iter_rows())
    theirs = sorted((*row[:by], row[by + 2]) for row in figures_of(found).rows if row[by + 2])
    assert mine == theirs and sum(row[-1] for row in mine) > 2_500


@pytest.mark.parametrize("across", [None, "depot"])
def test_a_box_of_dates_or_of_all(across: str | None, trips: Table) -> None:
    found, _, rows = run(Spread("day", across, "boxes"), trips)
    theirs = {r[0]: [r[1], *(str(x)[:10] for x in r[3:6])] for r in rows}
    for row in found.iter_rows(named=True):
        mine = [row["count"], *(str(row[name])[:10] for name in ("q1", "median", "q3"))]
        assert mine == theirs[row.get("group", "all")]


def test_pairs_of_numbers_in_panels_and_against_dates(trips: Table) -> None:
    for question in (Relate("late", "rain", panels="depot"), Relate("late", "day")):
        found, _, _ = run(question, trips)
        for row in found.iter_rows(named=True):
            x, y = (trips.axis(name).values for name in (question.against, question.column))
            some = ~np.isnan(x) & ~np.isnan(y)
            if "group" in row:
                some &= np.array(trips.series("depot").to_list()) == row["group"]
            assert row["rows"] == some.sum()
            assert row["correlation"] == pytest.approx(np.corrcoef(x[some], y[some])[0, 1])
            assert row["slope"] == pytest.approx(np.polyfit(x[some], y[some], 1)[0])


@pytest.mark.parametrize(
    "question",
    [
        MakeUp(SUM, ("depot", "rain")),
        MakeUp(SUM, ("day", "day", "depot"), grains=("quarter", "month", None)),
        MakeUp(SUM, ("seats", "line"), path=("44",)),
        MakeUp(MEAN, ("wet", "seats"), "bars"),
    ],
    ids=lambda q: "-".join(q.levels),
)
def test_what_makes_it_up_by_bands_and_by_the_parts_of_dates(question: MakeUp, trips: Table) -> None:
    found, names, rows = run(question, trips)
    k = names.index("rows")
    levels = [name for name in found.columns if name not in ("rows", "figure")]
    mine = {r[:-2]: r[-2:] for r in found.select(*levels, "rows", "figure").iter_rows()}
    theirs = {
        tuple(label or None for label in r[:k]): (r[k], r[k + 1])
        for r in rows
        if not any("others" in str(label) or "without" in str(label) for label in r[:k])
    }
    assert len(theirs) > 3
    for labels, figures in theirs.items():
        alike({0: mine[labels], 1: (1,)}, {0: figures, 1: (1,)})


def test_what_flows_between_bands(trips: Table) -> None:
    found, _, rows = run(Flow(SUM, ("depot", "rain", "seats")), trips)
    mine = {r[:4]: r[4:] for r in found.drop_nulls().iter_rows()}
    theirs = {tuple(r[:4]): tuple(r[4:6]) for r in rows if not any("without" in str(x) for x in r[:4])}
    alike({key: mine[key] for key in theirs}, theirs)


def test_what_is_under_way() -> None:
    rng = np.random.default_rng(8)
    begun = [dt.date(2024, 1, 1) + dt.timedelta(days=int(d)) for d in rng.integers(0, 200, 300)]
    ended = [
        None if i % 9 == 0 else day + dt.timedelta(days=int(rng.integers(0, 60)) - 2)
        for i, day in enumerate(begun)
    ]
    found, _, rows = run(
        OverTime(Measure("count"), "begun", grain="month", until="ended"), table_of(begun=begun, ended=ended)
    )
    alike({str(r[0]): r[1:] for r in found.iter_rows()}, {str(r[0])[:10]: (r[2],) for r in rows})


@pytest.mark.parametrize("zone", [None, "Asia/Tokyo"])
@pytest.mark.parametrize("shape", ["line", "grid"])
def test_rounds_of_years_and_of_weekdays_on_the_clock_of_a_zone(shape: str, zone: str | None) -> None:
    rng = np.random.default_rng(4)
    start = dt.datetime(2022, 3, 1)
    moments = [start + dt.timedelta(minutes=int(m)) for m in rng.integers(0, 900_000, 4_000)]
    table = table_of(at=moments, late=rng.gamma(2.0, 3.0, 4_000))
    question = Cycle(MEAN, "at", part="day", shape=shape, years=shape == "line", zone=zone)  # type: ignore[arg-type]
    found, _, rows = run(question, table)
    groups, places = (list(dict.fromkeys(r[k] for r in rows)) for k in (0, 1))
    mine = {(r["group"], r["place"]): (r["rows"], r["figure"]) for r in found.iter_rows(named=True)}
    first = min(r[0] for r in mine)
    alike(mine, {(groups.index(r[0]) + first, places.index(r[1])): (r[3], r[2]) for r in rows})


def test_how_rows_differ(trips: Table) -> None:
    found, _, rows = run(
        Differ(Between("day", "2023-08-01", None), Between("day", None, "2023-03-01")), trips
    )
    theirs = {(r[0], r[5]): tuple(r[6:8]) for r in rows if r[4] == "yes" and "others" not in r[5]}
    alike({r[:2]: r[2:] for r in found.iter_rows()}, theirs)


def test_what_stands_out_is_counted_by_what_names_it(trips: Table) -> None:
    late = trips.series("late").to_list()
    late[5:9] = [4_000.0, 5_000.0, 6_000.0, 7_000.0]
    table = table_of(late=late, depot=trips.series("depot").to_list())
    found, _, rows = run(Stands(), table)
    theirs = {r[0]: r[2] for r in rows}
    assert len(found) > 0
    for what, _, n in found.iter_rows():
        assert theirs[what] == n


def test_what_has_no_plain_code_says_why(trips: Table) -> None:
    evened = OverTime(SUM, "day", grain="month", view="evened")
    shares = Compare(SUM, "depot", "bars", baseline=Baseline(group="Mill", show="share"))
    for question in (evened, shares):
        code = code_of(question, answer(question, Rows(trips)), (), None, trips)
        assert not code.lines and len(code.untold.split()) > 3
