"""Attached tables: what an engine tells of all rows makes the answers that the rows themselves make."""

from __future__ import annotations

import datetime as dt
import math
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ibis
import msgspec
import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.attached import roll
from night_trail.core.attached.answering import is_scaled, part_answer, roll_for, whole_answer
from night_trail.core.attached.engine import Attached
from night_trail.core.attached.fields import fields_of
from night_trail.core.attached.roll import Roll, roll_of
from night_trail.core.attached.rolled import RolledTable
from night_trail.core.attached.within import Errors, errors_of
from night_trail.core.conditions import (
    Above,
    AllOf,
    AnyOf,
    Between,
    Condition,
    Contains,
    Loop,
    Missing,
    Not,
    OneOf,
    Recurs,
    mask,
)
from night_trail.core.errors import Beyond
from night_trail.core.language.spans import plain
from night_trail.core.many import Stands
from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import answer, figures_of, words_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.cells import Cells
from night_trail.core.questions.shared.measures import figures_by_group, overall
from night_trail.core.questions.spread.question import Spread
from night_trail.core.reading import load
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Table
from tests.golden import PICTURES, table_of

FROM_THE_PART = {
    *("density", "running", "strip", "cloud", "each", "panels", "together", "stages"),
    *("kin", "place", "place hexagons", "drives", "opened", "rules", "changed", "held", "coefficients"),
    *("what is left", "stands", "differ", "calendar"),
}
"""Pictures that need the rows themselves: they are told from the part, and say so."""

OWN_WORDS = {
    "week": "whether its days differ by chance is asked of the rows",
    "year before": "what the change is made of needs columns that were not asked for",
}


class Kept:
    """A table attached as a Parquet file through the engine in the process, with a part of its rows."""

    def __init__(self, folder: Path, frame: pl.DataFrame, share: float = 0.5) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        everything, some = folder / "whole.parquet", folder / "part.parquet"
        frame.write_parquet(everything)
        frame.sample(fraction=share, seed=1).write_parquet(some)
        self.whole, self.part = load(everything)[0], load(some)[0]
        self.part.part_of = self.whole.height
        self.fields = fields_of(self.part.columns, self.part.series_at, pl.read_parquet(some).get_columns())
        self._connection = ibis.duckdb.connect()
        rows = self._connection.read_parquet(str(everything))
        self.attached = Attached(rows, self.part, self.fields)

    def fetch(self, expression: Any) -> pl.DataFrame:
        found = pl.from_arrow(self._connection.to_pyarrow(expression))
        assert isinstance(found, pl.DataFrame)
        return found

    def told(self, question: Question, only: tuple[Condition, ...] = (), lit: Condition | None = None) -> Any:
        rows = Rows(self.part, only, lit)
        roll = roll_for(question, rows)
        return whole_answer(question, rows, roll, self.attached.cells(roll, self.fetch))


def native(table: Table) -> pl.DataFrame:
    """A table's cells as a Parquet file would type them."""
    cells = {c.name: table.series(c.name) for c in table.columns}
    return pl.DataFrame({k: v.cast(pl.String) if v.dtype == pl.Enum else v for k, v in cells.items()})


@pytest.fixture(scope="module")
def buses(tmp_path_factory: pytest.TempPathFactory) -> Kept:
    return Kept(tmp_path_factory.mktemp("attached"), native(table_of("buses")))


def alike(one: object, other: object) -> bool:
    if isinstance(one, float) and isinstance(other, (int, float)):
        return (math.isnan(one) and math.isnan(other)) or math.isclose(one, other, rel_tol=1e-9, abs_tol=1e-9)
    return one == other


@pytest.mark.parametrize("name", [n for n, (table, *_) in PICTURES.items() if table == "buses"])
def test_every_picture_of_attached_rows_is_that_of_the_rows(buses: Kept, name: str) -> None:
    _, typed, lit = PICTURES[name]
    question, only = read(typed, buses.whole)
    if name in FROM_THE_PART:
        with pytest.raises(Beyond):
            buses.told(question, only, lit)
    else:
        must_be_alike(buses, name)


def must_be_alike(buses: Kept, name: str) -> None:
    """A picture that is counted over all rows has the figures and the headline of the rows themselves."""
    _, typed, lit = PICTURES[name]
    question, only = read(typed, buses.whole)
    want, got = answer(question, Rows(buses.whole, only, lit)), buses.told(question, only, lit)
    assert want.basis == got.basis
    wanted, given_ = figures_of(want), figures_of(got)
    assert wanted.names == given_.names and len(wanted.rows) == len(given_.rows)
    off = [pair for pair in zip(wanted.rows, given_.rows, strict=True) if not all(map(alike, *pair))]
    assert off == []
    said = plain(words_of(got, buses.part, only).headline)
    if name in OWN_WORDS:
        assert said.split(".")[0][:30] == plain(words_of(want, buses.whole, only).headline)[:30]
    else:
        assert said == plain(words_of(want, buses.whole, only).headline)


UNTIDY = pl.DataFrame(
    {
        "x": [1.0, math.nan, None, -0.0, 0.0, 2.5, 2.5, math.inf, 1e9, 1e9 + 1] * 30,
        "k": [0, 1, 2, 3, 4, 5, None, 7, 8, 9] * 30,
        "word": ["a", "A", " a ", "NA", "", "n/a", "it's", "<b>", None, "a\"b"] * 30,
        "yes": [True, False, None, True, True, False, False, True, None, True] * 30,
        "day": [dt.date(2024, 1, 1) + dt.timedelta(days=i % 50) if i % 9 else None for i in range(300)],
        "at": [
            dt.datetime(2024, 3, 30, 22, 15) + dt.timedelta(minutes=37 * i) if i % 11 else None
            for i in range(300)
        ],
        "col; DROP TABLE rows --": [float(i % 7) for i in range(300)],
    }
)  # fmt: skip


@pytest.fixture(scope="module")
def untidy(tmp_path_factory: pytest.TempPathFactory) -> Kept:
    return Kept(tmp_path_factory.mktemp("untidy"), UNTIDY, 0.9)


BOUNDS: dict[str, list[Any]] = {
    "x": [-1.0, 0.0, 1.0, 2.5, 1e9],
    "k": [0.0, 2.5, 7.0],
    "day": ["2024-01-05", "2024-02-01"],
    "at": ["2024-03-31T02:00:00", "2024-04-01T10:20:30"],
}


@st.composite
def ranges(draw: st.DrawFn) -> Between:
    column = draw(st.sampled_from(sorted(BOUNDS)))
    low, high = sorted([draw(st.integers(-1, len(BOUNDS[column]) - 1)) for _ in range(2)])
    ends = BOUNDS[column]
    open_, closed = draw(st.booleans()), draw(st.booleans())
    return Between(column, ends[low] if low >= 0 else None, ends[max(high, 0)], open_, closed)


leaf = st.one_of(
    ranges(),
    st.builds(lambda v: OneOf("word", tuple(v)), st.lists(st.sampled_from(["a", "A", "NA", "it's", "<b>", "nil"]), min_size=1)),
    st.builds(lambda v: OneOf("yes", tuple(v)), st.lists(st.sampled_from(["yes", "no", "?"]), min_size=1)),
    st.builds(lambda v: OneOf("k", tuple(v)), st.lists(st.sampled_from(["1", "5", "x"]), min_size=1)),
    st.builds(Contains, st.just("word"), st.sampled_from(["a", "'", "<", "%", "_"])),
    st.builds(Missing, st.sampled_from(["x", "k", "word", "yes", "day", "at"])),
    st.builds(Above, st.just("x"), st.just("k")),
    st.builds(Recurs, st.just("at"), st.just("week"), st.just((5, 6))),
)  # fmt: skip
conditions = st.recursive(
    leaf,
    lambda inner: st.one_of(
        st.builds(Not, inner),
        st.builds(lambda p: AllOf(tuple(p)), st.lists(inner, min_size=1, max_size=3)),
        st.builds(lambda p: AnyOf(tuple(p)), st.lists(inner, min_size=1, max_size=3)),
    ),
    max_leaves=4,
)


@settings(max_examples=40)
@given(only=conditions, lit=conditions)
def test_an_engine_tells_conditions_as_the_table_does(untidy: Kept, only: Condition, lit: Condition) -> None:
    asked = Crosstab("word", "yes")
    want, got = answer(asked, Rows(untidy.whole, (only,), lit)), untidy.told(asked, (only,), lit)
    assert got.basis == want.basis
    assert got.counts.tolist() == want.counts.tolist() and got.lit.tolist() == want.lit.tolist()


def test_columns_read_otherwise_than_they_came_are_not_asked_of_an_engine(tmp_path: Path) -> None:
    frame = pl.DataFrame(
        {
            "price": ["€1.20", "€3.40", "€2.20"] * 40,
            "when": ["03/04/2024", "05/04/2024", "16/04/2024"] * 40,
            "month": [202401, 202402, 202403] * 40,
            "code": ["a", "b", "c"] * 40,
            "odd": [1.5, math.nan, 2.0] * 40,
        }
    )
    kept = Kept(tmp_path, frame)
    assert set(kept.fields) == {"month", "code", "odd"}
    with pytest.raises(Beyond, match=r"price.*read otherwise"):
        kept.told(Compare(Measure("sum", "price"), "code"))
    assert kept.told(Compare(Measure("mean", "odd"), "code")).basis.used == 80


def test_moments_keep_their_digits_far_from_zero(tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    values = 1e9 + rng.normal(0, 0.5, 4_000)
    frame = pl.DataFrame({"g": [f"g{i % 4}" for i in range(4_000)], "v": values, "by": values / 3 + 1})
    kept = Kept(tmp_path, frame)
    for measure in (Measure("mean", "v"), Measure("ratio", "v", per="by")):
        want = answer(Compare(measure, "g"), Rows(kept.whole))
        got = kept.told(Compare(measure, "g"))
        for one, other in zip(want.groups, got.groups, strict=True):
            # by hand: the mean and its interval from the rows of the group
            assert one.value == pytest.approx(other.value, rel=1e-12)
            assert other.high - other.low == pytest.approx(one.high - one.low, rel=1e-6)


@pytest.mark.parametrize(
    ("asked", "why"),
    [
        (Compare(Measure("mean", "rain_mm"), "late_min"), "bands"),
        (Relate("rain_mm", "late_min"), "rows themselves"),
        (OverTime(Measure("count"), "departed_at", until="arrived_at"), "under way"),
        (Spread("late_min", scale="log"), "rows themselves"),
    ],
)
def test_what_does_not_follow_from_cells_is_refused_in_words(buses: Kept, asked: Any, why: str) -> None:
    if isinstance(asked, OverTime):
        asked = msgspec.structs.replace(asked, until="departed_at")
    with pytest.raises(Beyond, match=why):
        roll_for(asked, Rows(buses.part))


def test_values_beyond_number_are_not_ranked(tmp_path: Path) -> None:
    values = np.random.default_rng(4).random(120_000)
    kept = Kept(tmp_path, pl.DataFrame({"g": [f"g{i % 3}" for i in range(120_000)], "v": values}))
    with pytest.raises(Beyond, match="too many different values"):
        kept.told(Compare(Measure("median", "v"), "g"))
    bars = kept.told(Spread("v"))
    found = np.histogram(values, bars.edges)[0]
    assert bars.groups[0].counts[1:-1].tolist() == found.tolist() and bars.overall.high == values.max()


@settings(max_examples=25)
@given(
    st.lists(st.tuples(st.integers(0, 3), st.integers(-3, 6)), min_size=8, max_size=200),
    st.sampled_from([0.5, 0.9, 0.01]),
)
def test_quantiles_and_ranks_of_values_that_stand_for_many(
    pairs: list[tuple[int, int]], level: float
) -> None:
    """Rolled up to values with counts, the figures are those of the rows written out."""
    pairs = sorted(pairs, key=lambda p: p[1])
    codes = np.array([g for g, _ in pairs], dtype=np.int64)
    values = np.array([v for _, v in pairs], dtype=np.float64)
    cells, rows_in = np.unique(np.stack([values, codes.astype(np.float64)]), axis=1, return_counts=True)
    measure = Measure("quantile", "v", level=level)
    want = figures_by_group(measure, Cells(values, codes), 4, False)
    many = Cells(cells[0], cells[1].astype(np.int64), stands=Stands(rows_in.astype(np.int64)))
    got = figures_by_group(measure, many, 4, False)
    assert got.n.tolist() == want.n.tolist() and got.intervals == want.intervals
    assert np.allclose(got.values, want.values, equal_nan=True) and got.tested.apart == want.tested.apart
    assert got.tested.p == pytest.approx(want.tested.p, nan_ok=True)
    assert overall(measure, many) == pytest.approx(overall(measure, Cells(values, codes)))


def test_a_loop_is_no_condition_an_engine_tells(buses: Kept) -> None:
    loop = Loop("late_min", "rain_mm", ((0, 0), (5, 0), (5, 5)), (0.0, 9.0, 0.0, 9.0))
    with pytest.raises(Beyond, match="more than its columns"):
        roll_of(Compare(Measure("count"), "line"), (), loop, buses.part)


def test_cells_say_what_they_were_asked_and_nothing_else(buses: Kept) -> None:
    roll = roll_of(Compare(Measure("mean", "late_min"), "line"), (), None, buses.part)
    table = RolledTable(buses.part, roll, buses.attached.cells(roll, buses.fetch))
    unasked: list[Callable[[], Any]] = [
        lambda: table.column("depot"),
        lambda: table.series("late_min"),
        lambda: table.ordered("late_min"),
        lambda: table.coded("late_min"),
        lambda: mask(Between("late_min", 2.0, None), table),
        lambda: mask(OneOf("depot", ("Tallow Lane",)), table),
    ]
    for ask in unasked:
        with pytest.raises(Beyond):
            ask()
    assert table.n == buses.whole.height and len(table.coded("line").labels) > 10


def test_a_line_that_was_not_asked_to_the_minute_is_not_lit_to_the_minute(buses: Kept) -> None:
    """Days answer what is asked of whole days, hours of hours; a bound within one is told by the engine."""
    asked = OverTime(Measure("count"), "departed_at", grain="day")
    hourly = msgspec.structs.replace(asked, grain="hour")
    days = Between("departed_at", "2024-03-01", "2024-03-02")
    whole = Between("departed_at", "2024-03-01T02:00:00", "2024-03-02T03:00:00")
    within = Between("departed_at", "2024-03-01T02:17:00", None)
    assert roll_of(asked, (), days, buses.part).truths == roll_of(hourly, (), whole, buses.part).truths == ()
    assert roll_of(asked, (), whole, buses.part).truths == (whole,)
    assert roll_of(hourly, (), within, buses.part).truths == (within,)
    want, got = answer(asked, Rows(buses.whole, (), within)), buses.told(asked, (), within)
    assert got.basis == want.basis


def test_the_same_cells_serve_every_shape_and_every_lit_mark(buses: Kept) -> None:
    base = Compare(Measure("sum", "boardings"), "district")
    roll = roll_of(base, (), None, buses.part)
    for other in ({"shape": "ring"}, {"order": "own"}, {"keep": 2}, {"end": "least", "keep": 1}):
        assert roll_of(msgspec.structs.replace(base, **other), (), None, buses.part) == roll
    assert roll_of(base, (), OneOf("district", ("Quayside",)), buses.part) == roll
    assert roll_of(base, (), Between("rain_mm", 2.0, None), buses.part) != roll


def test_sums_of_a_part_are_estimates_and_averages_are_not_made_larger(buses: Kept) -> None:
    rows, every = Rows(buses.part), buses.whole.height
    total = part_answer(Compare(Measure("sum", "boardings"), "depot"), rows, every)
    truth = answer(Compare(Measure("sum", "boardings"), "depot"), Rows(buses.whole))
    assert total.overall == pytest.approx(truth.overall, rel=0.05)
    assert total.basis.rows == every
    bars = part_answer(Spread("late_min"), rows, every)
    assert bars.groups[0].counts.sum() == pytest.approx(every, rel=0.02)
    assert not is_scaled(Compare(Measure("mean", "late_min"), "depot"))
    # many rows never make an interval narrower than those at hand do
    assert not is_scaled(Compare(Measure("count"), "depot", more=(Measure("mean", "late_min"),)))


def test_all_rows_choose_their_steps_where_they_reach_far_beyond_the_part(tmp_path: Path) -> None:
    at = [dt.datetime(2024, 1, 1) + dt.timedelta(hours=i) for i in range(1_000)]
    frame = pl.DataFrame({"g": ["a", "b"] * 500, "at": at})
    kept = Kept(tmp_path, frame)
    far = frame.vstack(pl.DataFrame({"g": ["a"], "at": [dt.datetime(1066, 10, 14)]}))
    far.write_parquet(tmp_path / "far.parquet")
    connection = ibis.duckdb.connect()
    rows = Rows(kept.part)
    question = read("number of rows over time", kept.part)[0]
    roll = roll_for(question, rows)
    source = Attached(connection.read_parquet(str(tmp_path / "far.parquet")), kept.part, kept.fields)
    cells = source.cells(roll, lambda e: pl.DataFrame(pl.from_arrow(connection.to_pyarrow(e))))
    found = whole_answer(question, rows, roll, cells)
    assert answer(question, rows).calendar.grain == "day"
    assert found.calendar.grain == "year" and found.together.n.sum() == 1_001 and found.question == question


def test_too_many_cells_are_refused(buses: Kept, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("night_trail.core.attached.engine.MOST_CELLS", 5)
    roll = roll_of(Compare(Measure("count"), "line"), (), None, buses.part)
    with pytest.raises(Beyond, match="More than 5"):
        buses.attached.cells(roll, buses.fetch)


def test_no_rows_and_one_row(tmp_path: Path) -> None:
    frame = pl.DataFrame({"g": ["a", "b", "a", "c"], "v": [1.5, 2.5, 0.5, None]})
    kept = Kept(tmp_path, frame, 1.0)
    nothing = kept.told(Compare(Measure("mean", "v"), "g"), (Between("v", 9.0, None),))
    assert nothing.groups == () and nothing.basis.rows == 0
    one = kept.told(Compare(Measure("mean", "v"), "g"), (Between("v", 2.0, None),))
    assert [(g.label, g.value, g.low) for g in one.groups] == [("b", 2.5, None)]
    assert kept.attached.cells(Roll(), kept.fetch)["n"].to_list() == [4]


@pytest.mark.parametrize("shape", ["boxes", "letters"])
@pytest.mark.parametrize("across", [None, "depot", "line"])
@pytest.mark.parametrize("scale", ["plain", "log"])
def test_boxes_of_all_rows_are_those_of_the_rows_with_every_point_beyond(
    buses: Kept, shape: Any, across: str | None, scale: Any
) -> None:
    lit = Between("rain_mm", 2.0, None)
    for column in ("late_min", "boardings"):
        question = Spread(column, across=across, shape=shape, scale=scale)
        for only in ((), (OneOf("festival", ("yes",)),)):
            want, got = answer(question, Rows(buses.whole, only, lit)), buses.told(question, only, lit)
            assert want.basis == got.basis and want.not_positive == got.not_positive
            assert want.boxes == got.boxes and want.apart == got.apart
            assert (want.low, want.high, want.lowest, want.highest) == (
                got.low,
                got.high,
                got.lowest,
                got.highest,
            )


def test_whole_numbers_that_run_together_as_floats_are_told_from_the_part(tmp_path: Path) -> None:
    kept = Kept(
        tmp_path, pl.DataFrame({"huge": [2**63 - 1 - i % 50 for i in range(300)], "k": [1, 2, 3] * 100})
    )
    for shape in ("histogram", "boxes"):
        with pytest.raises(Beyond, match="read otherwise"):
            kept.told(Spread("huge", shape=shape), (), None)  # type: ignore[arg-type]
    assert kept.told(Spread("k", shape="boxes"), (), None).boxes[0].figures.n == 300


def test_boxes_of_the_part_are_not_taken_for_more_rows_than_they_are() -> None:
    assert not is_scaled(Spread("late_min", shape="boxes")) and is_scaled(Spread("late_min"))


def test_values_too_many_to_be_kept_apart_are_boxes_of_the_part(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    rng = np.random.default_rng(4)
    kept = Kept(tmp_path, pl.DataFrame({"x": rng.normal(size=3_000), "k": rng.integers(0, 3, 3_000)}))
    monkeypatch.setattr(roll, "MOST_APART", 1_000)
    with pytest.raises(Beyond, match="too many different values"):
        kept.told(Spread("x", shape="boxes"), (), None)


def test_the_error_stated_of_a_part_holds_in_95_of_100_parts() -> None:
    rng = np.random.default_rng(5)
    for every in (rng.gamma(1.5, 4, 60_000), rng.normal(0, 1, 60_000), np.round(rng.gamma(3, 2, 60_000), 1)):
        held = Counter[str]()
        for _ in range(300):
            part = every[rng.random(len(every)) < 0.2]
            found = errors_of(part, len(part) / len(every))
            assert found is not None
            held["mean"] += abs(part.mean() - every.mean()) <= found.mean
            held["median"] += abs(np.median(part) - np.median(every)) <= found.median + 1e-9
        assert 274 <= held["mean"] <= 296 and held["median"] >= 274, held
    assert errors_of(np.ones(500), 0.1) is None and errors_of(np.arange(50.0), 0.1) is None
    # where all rows were drawn there is no error
    assert errors_of(np.arange(500.0), 1.0) == Errors(0.0, 0.0)
