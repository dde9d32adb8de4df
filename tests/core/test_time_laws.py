"""Laws of time: periods part the rows, parts of cycles do too, marks name their rows, sums stay whole."""

from __future__ import annotations

import datetime as dt

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from statsmodels.datasets import co2, elnino, macrodata, sunspots

from night_trail.core.conditions import AnyOf, Between, Missing, Not, OneOf, mask
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.moments import GRAINS
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.answer import OverTimeAnswer, fitted, shapes_for
from night_trail.core.questions.over_time.events import moved_by_events
from night_trail.core.questions.over_time.question import Against, Event, OverTime
from night_trail.core.questions.registry import answer, figures_of, words_of
from night_trail.core.questions.shared.periods import grain_for, periods_of, time_column
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import calendar_of
from night_trail.core.stats.shifts import level_shift, shared_shift
from night_trail.core.table import Table
from tests.core.tables import table_of
from tests.core.test_compare import typed

COUNT = Measure("count")
moments = st.datetimes(dt.datetime(2015, 1, 1), dt.datetime(2016, 6, 1))
zones = st.sampled_from([None, "Europe/Berlin", "Pacific/Auckland", "America/Sao_Paulo"])


def table_at(whens: list[dt.datetime | None]) -> Table:
    n = len(whens)
    return table_of(
        at=pl.Series(whens, dtype=pl.Datetime("us")),
        g=[("a", "b", "c")[i % 3] for i in range(n)],
        x=[float(i) for i in range(n)],
    )


@settings(max_examples=30)
@given(st.lists(moments | st.none(), min_size=1, max_size=25), st.sampled_from(GRAINS[1:]), zones)
def test_the_conditions_of_all_periods_part_the_rows(
    whens: list[dt.datetime | None], grain: str, zone: str | None
) -> None:
    table = table_at(whens)
    found = answer(OverTime(COUNT, "at", grain, zone=zone), Rows(table))
    assert isinstance(found, OverTimeAnswer)
    held = np.zeros(table.height, dtype=int)
    for i in range(found.calendar.n):
        held += mask(found.condition(found.together, i), table)
    has = ~mask(Missing("at"), table)
    assert (held == has).all()
    assert int(np.nansum(found.together.values)) == int(has.sum())


@settings(max_examples=30)
@given(
    st.lists(moments | st.none(), min_size=1, max_size=25),
    st.sampled_from(["day", "week", "year", "quarters"]),
    zones,
    st.integers(1, 12),
)
def test_the_conditions_of_all_parts_of_a_cycle_part_the_rows(
    whens: list[dt.datetime | None], part: str, zone: str | None, start: int
) -> None:
    table = table_at(whens)
    found = answer(Cycle(COUNT, "at", part, zone=zone, year_start=start), Rows(table))
    assert isinstance(found, CycleAnswer)
    held = np.zeros(table.height, dtype=int)
    for one in found.rounds:
        for i in range(len(found.parts)):
            lit = mask(found.condition(one, i), table)
            assert int(lit.sum()) == int(one.n[i])
            held += lit
    assert (held == ~mask(Missing("at"), table)).all()


@settings(max_examples=20)
@given(st.lists(moments, min_size=2, max_size=40), st.sampled_from(["month", "quarter"]))
def test_a_filter_and_its_negation_add_up_to_the_whole(whens: list[dt.datetime], grain: str) -> None:
    table = typed(table_at(whens), x={"additive": True})
    question = OverTime(Measure("sum", "x"), "at", grain)
    one = OneOf("g", ("a",))
    totals = [
        float(np.nansum(answer(question, Rows(table, only)).together.values))
        for only in ((), (one,), (Not(one),))
    ]
    assert totals[0] == pytest.approx(totals[1] + totals[2])


def test_the_lit_of_several_lights_are_those_of_either() -> None:
    table = table_at([dt.datetime(2015, 1, 1) + dt.timedelta(days=i) for i in range(200)])
    question = OverTime(COUNT, "at", "month", "g")
    first, second = OneOf("g", ("a",)), Between("x", 150.0)
    found = answer(question, Rows(table, lit=AnyOf((first, second))))
    assert found.basis.lit == int(mask(AnyOf((first, second)), table).sum())
    assert sum(int(np.sum(one.lit_n)) for one in found.lines) == found.basis.lit


@pytest.mark.parametrize(
    "shape", ["line", "area", "columns", "stacked", "shares", "panels", "horizon", "days", "ranks"]
)
def test_what_does_not_fit_is_fitted_and_never_refused(shape: str) -> None:
    table = typed(
        table_at([dt.datetime(2015, 1, 1) + dt.timedelta(days=i) for i in range(400)]), x={"additive": True}
    )
    for measure in (COUNT, Measure("sum", "x"), Measure("mean", "x"), Measure("median", "x")):
        for split in (None, "g"):
            for view in ("plain", "running", "to date", "rolling", "index", "per day", "evened"):
                asked = fitted(OverTime(measure, "at", "month", split, shape, view, against=Against("year")))
                assert asked.shape in shapes_for(asked)
                found = answer(asked, Rows(table))
                assert plain(words_of(found, table).headline) and figures_of(found).names


def shipped() -> list[tuple[str, Table]]:
    """Series of statsmodels as tables with a date."""
    carbon = co2.load_pandas().data["co2"]
    sun = sunspots.load_pandas().data
    macro = macrodata.load_pandas().data
    sea = elnino.load_pandas().data.set_index("YEAR").to_numpy().ravel()
    return [
        ("weekly", table_of(at=pl.Series([d.date() for d in carbon.index]), x=pl.Series(carbon.to_numpy()).fill_nan(None))),
        ("yearly", table_of(at=pl.Series([dt.date(int(y), 1, 1) for y in sun["YEAR"]]), x=sun["SUNACTIVITY"].to_numpy())),
        (
            "quarterly",
            table_of(at=pl.Series([dt.date(int(y), 3 * int(q) - 2, 1) for y, q in zip(macro["year"], macro["quarter"], strict=True)]),
                     x=macro["realgdp"].to_numpy()),
        ),
        ("monthly", table_of(at=pl.Series([dt.date(1950 + i // 12, i % 12 + 1, 1) for i in range(len(sea))]), x=sea)),
    ]  # fmt: skip


@pytest.mark.parametrize(("name", "table"), shipped(), ids=lambda v: v if isinstance(v, str) else "")
def test_tables_of_a_general_library_are_rolled_up_taken_apart_and_forecast(name: str, table: Table) -> None:
    mean = Measure("mean", "x")
    rows = Rows(table)
    grain = grain_for(OverTime(mean, "at"), rows)
    finest = {"weekly": "week", "yearly": "year", "quarterly": "quarter", "monthly": "month"}[name]
    assert GRAINS.index(grain) >= GRAINS.index(finest)
    # a model keeps its season: fifty years of months stay months, unless the column is coarser
    modelled = grain_for(Forecast(mean, "at"), rows)
    assert modelled == ("month" if name == "weekly" else finest)
    periods = periods_of(rows, "at", finest)
    assert periods.partial == (False, False) and int(periods.n.max()) == 1
    for question in (
        OverTime(mean, "at", finest),
        Decomposition(mean, "at", finest),
        Forecast(mean, "at", finest),
    ):
        found = answer(question, rows)
        assert plain(words_of(found, table).headline)
        if isinstance(question, Forecast):
            assert found.forecast is not None and np.isfinite(found.forecast.mean).all()
            assert (found.forecast.low <= found.forecast.mean).all() and (
                found.forecast.mean <= found.forecast.high
            ).all()
        if isinstance(question, Decomposition) and name in ("weekly", "monthly"):
            assert found.parts.periods == ({"weekly": 52, "monthly": 12}[name],)


def test_the_column_of_time_is_the_fullest() -> None:
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i) for i in range(5)]
    table = table_of(half=pl.Series([days[0], None, None, days[3], None]), x=[1.0] * 5, full=pl.Series(days))
    assert time_column(table).name == "full"
    assert time_column(table_of(x=[1.0])) is None


def test_a_feast_that_moved_twice_is_held_against_its_last_time_only() -> None:
    calendar = calendar_of("day", 18_000, 18_000 + 3 * 364)
    events = tuple(Event("fair", str(dt.date(1970, 1, 1) + dt.timedelta(days=18_000 + d)),
                         str(dt.date(1970, 1, 1) + dt.timedelta(days=18_000 + d + 1))) for d in (30, 400, 740))  # fmt: skip
    question = OverTime(COUNT, "at", "day", events=events)
    at = moved_by_events(np.arange(calendar.n) - 364, question, calendar)
    assert at[400:402].tolist() == [30, 31] and at[740:742].tolist() == [400, 401] and at[500] == 136
    months = calendar_of("month", 600, 640)
    assert (moved_by_events(np.arange(40) - 12, question, months) == np.arange(40) - 12).all()


def test_a_shared_shift_needs_all_lines_the_same_time_and_more_than_noise() -> None:
    rng = np.random.default_rng(2)
    lines = rng.normal(10, 1, (4, 40))
    assert shared_shift(lines) is None
    lines[:, 25:] += 20
    assert shared_shift(lines) == 25
    apart = lines.copy()
    apart[0] = rng.normal(10, 1, 40) + np.where(np.arange(40) >= 12, 20, 0)
    assert shared_shift(apart) is None
    assert shared_shift(lines[:2]) is None and shared_shift(lines[:, :8]) is None
    gaps = lines.copy()
    gaps[:, 38] = np.nan
    assert shared_shift(gaps) == 25


def test_rows_without_a_group_or_beyond_the_years_drawn_are_counted_and_said() -> None:
    days = [dt.date(1950 + i // 12, i % 12 + 1, 1) for i in range(12 * 50)]
    table = table_of(at=pl.Series(days), g=[None, "a", "b"] * 200, x=[1.0] * 599 + [None])
    found = answer(OverTime(Measure("mean", "x"), "at", "year", "g"), Rows(table))
    assert (found.ungrouped, found.basis.missing, found.basis.used) == (200, 1, 399)
    assert any("200 rows have no g, and no line" in c for c in words_of(found, table).cautions)
    years = answer(Cycle(Measure("mean", "x"), "at", "year", years=True), Rows(table))
    assert (years.ungrouped, years.basis.missing) == (120, 1)
    assert any("latest 40 years are drawn; 120 rows are older" in c for c in words_of(years, table).cautions)


def test_what_grows_or_wanders_together_was_not_defined_anew() -> None:
    rng = np.random.default_rng(2)
    at = np.arange(60.0)
    found = 0
    for _ in range(100):
        walk = 3 * np.cumsum(rng.normal(size=60)) + rng.normal(size=(4, 60))
        grows = np.outer([1.0, 2.0, 4.0], np.exp(0.03 * at + np.cumsum(rng.normal(0, 0.01, 60))))
        rises = np.outer([1.0, 2.0, 3.0], at) + rng.normal(0, 0.3, (3, 60))
        found += sum(shared_shift(lines) is not None for lines in (walk, grows, rises))
    assert found <= 6
    stepped = 0.3 * at + rng.normal(size=(4, 60)) + np.where(at >= 30, 12.0, 0.0)
    assert shared_shift(stepped) == 30


def test_a_season_is_no_change_of_level() -> None:
    rng = np.random.default_rng(5)
    round_ = np.where(np.arange(60) % 12 < 6, 140.0, 60.0)
    lines = np.outer([1, 2, 3, 4], round_ + rng.normal(0, 0.5, 60))
    assert shared_shift(lines[:, :15]) is not None and shared_shift(lines[:, :15], 12) is None
    assert shared_shift(lines) is None
    mild = 100 + 4 * np.sin(2 * np.pi * np.arange(60) / 12) + rng.normal(0, 0.5, (4, 60))
    stepped = mild + np.where(np.arange(60) >= 31, 60, 0)
    assert shared_shift(stepped, 12) == 31 == level_shift(stepped[0], 12)
    quarters = 50 + np.tile([5.0, 0, -5, 0], 9) + np.where(np.arange(36) >= 20, 60, 0)
    assert shared_shift(quarters + rng.normal(0, 0.1, (3, 36)), 4) == pytest.approx(20, abs=1)


def test_one_line_that_steps_is_looked_at_by_its_groups_and_measures_together() -> None:
    rng = np.random.default_rng(6)
    months = [dt.date(2021 + m // 12, m % 12 + 1, d) for m in range(36) for d in range(1, 28) for _ in "abc"]
    after = np.array([m >= dt.date(2023, 2, 1) for m in months])
    names = np.array(["a", "b", "c"] * (36 * 27))
    noise = rng.normal(1, 0.05, len(months))

    def shifted(where: np.ndarray, **fields: object) -> tuple[object, list[str]]:
        x = (1 + 5 * where) * noise
        table = typed(
            table_of(day=pl.Series(months), g=names.tolist(), x=x, y=2 * x, z=x + 1),
            **{name: {"additive": True} for name in "xyz"},
        )
        found = answer(OverTime(Measure("sum", "x"), "day", "month", **fields), Rows(table))
        return found, words_of(found, table).cautions

    found, said = shifted(after)
    caution = next(c for c in said if "All 3 groups of g change level in February 2023" in c)
    assert (caution.way, found.shifted.at) == ("for each g", 25)
    # one group alone is no new definition
    assert shifted(after & (names == "a"))[0].shifted is None
    found, said = shifted(after, more=(Measure("sum", "y"), Measure("sum", "z")))
    assert any("All 3 measures change level" in c for c in said)
