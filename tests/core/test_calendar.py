"""Calendars against hand-made cases and pandas: ISO weeks, leap years, own years, daylight saving, gaps."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from night_trail.core.conditions import Recurs, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import from_words, in_words
from night_trail.core.moments import GRAINS, PART_NAMES, is_zone, numbered, part_of, starts
from night_trail.core.questions.cycle.answer import labels_of
from night_trail.core.questions.shared.periods import periods_of, runs
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import calendar_of, period_name, proposed, spans_in_words
from night_trail.core.table import Table
from tests.core.tables import table_of

EPOCH = dt.datetime(1970, 1, 1)
PANDAS = {"hour": "h", "day": "D", "week": "W-SUN", "month": "M", "quarter": "Q-DEC", "year": "Y-DEC"}


def seconds(*when: dt.datetime) -> np.ndarray:
    return np.array([(w - EPOCH).total_seconds() for w in when])


moments = st.datetimes(dt.datetime(1950, 1, 1), dt.datetime(2080, 1, 1))


@given(st.lists(moments, min_size=1, max_size=20), st.sampled_from(GRAINS))
def test_every_moment_lies_in_the_period_pandas_puts_it_in(whens: list[dt.datetime], grain: str) -> None:
    at = seconds(*whens)
    found = starts(numbered(at, grain), grain)
    expected = pd.DatetimeIndex(whens).to_period(PANDAS[grain]).start_time
    assert [EPOCH + dt.timedelta(seconds=s) for s in found] == [e.to_pydatetime() for e in expected]
    # and the next period begins behind it
    assert (starts(numbered(at, grain) + 1, grain) > at).all()


@pytest.mark.parametrize(
    ("day", "name"),
    [
        (dt.datetime(2021, 1, 3), "week 53 of 2020"),
        (dt.datetime(2021, 1, 4), "week 1 of 2021"),
        (dt.datetime(2024, 12, 30), "week 1 of 2025"),
        (dt.datetime(2026, 12, 31), "week 53 of 2026"),
    ],
)
def test_weeks_at_the_ends_of_years_are_those_of_iso_8601(day: dt.datetime, name: str) -> None:
    number = int(numbered(seconds(day), "week")[0])
    assert period_name(calendar_of("week", number, number + 1), 0) == name


def test_leap_days_and_month_lengths() -> None:
    first = int(numbered(seconds(dt.datetime(2023, 2, 1)), "month")[0])
    assert calendar_of("month", first, first + 14).days().tolist()[:1] == [28.0]
    assert calendar_of("month", first, first + 14).days().tolist()[12] == 29.0
    century = int(numbered(seconds(dt.datetime(1900, 2, 1)), "month")[0])
    assert calendar_of("month", century, century + 1).days().tolist() == [28.0]


def test_years_of_ones_own_begin_where_they_are_said_to() -> None:
    at = seconds(dt.datetime(2024, 3, 31), dt.datetime(2024, 4, 1))
    years = numbered(at, "year", 4)
    assert years[1] == years[0] + 1
    calendar = calendar_of("year", int(years[0]), int(years[1]) + 1, 4)
    assert [period_name(calendar, i) for i in range(2)] == ["2023/24", "2024/25"]
    assert calendar.year_of().tolist() == [2023, 2024]
    quarters = calendar_of(
        "quarter", int(numbered(at, "quarter", 2)[0]), int(numbered(at, "quarter", 2)[0]) + 1, 2
    )
    assert period_name(quarters, 0) == "quarter from February 2024"


def test_weeks_belong_to_the_year_of_their_thursday() -> None:
    # against Python's own ISO calendar, over forty years of Mondays
    mondays = [dt.datetime(1999, 1, 4) + dt.timedelta(weeks=i) for i in range(2_080)]
    numbers = numbered(seconds(*mondays), "week")
    weeks = calendar_of("week", int(numbers[0]), int(numbers[-1]) + 1)
    assert weeks.year_of().tolist() == [monday.isocalendar().year for monday in mondays]
    # the week of 30 December 2024 is the first of 2025, in its name and in its year
    at = mondays.index(dt.datetime(2024, 12, 30))
    assert period_name(weeks, at).startswith("week 1 of 2025") and weeks.year_of()[at] == 2025


def test_a_day_may_have_23_hours_and_none_of_its_hours_is_missing() -> None:
    # hour by hour in UTC over the night the clocks go forward, and the one they go back
    whens = [dt.datetime(2024, 3, 30, 23) + dt.timedelta(hours=i) for i in range(48)]
    table = table_of(at=pl.Series(whens).cast(pl.Datetime("us")))
    rows = Rows(table)
    days = periods_of(rows, "at", "day", 1, "Europe/Berlin")
    assert [int(n) for n in days.n] == [23, 24, 1]  # 31 March, 1 April, and one hour of 2 April
    hours = periods_of(rows, "at", "hour", 1, "Europe/Berlin")
    assert hours.gaps == () and (hours.n == 1).all()
    assert [period_name(hours.calendar, i)[-5:] for i in range(4)] == ["00:00", "01:00", "03:00", "04:00"]
    autumn = [dt.datetime(2024, 10, 26, 22) + dt.timedelta(hours=i) for i in range(25)]
    table = table_of(at=pl.Series(autumn).cast(pl.Datetime("us")))
    assert periods_of(Rows(table), "at", "day", 1, "Europe/Berlin").n.tolist() == [25]
    # without a zone the column's own clock is followed
    assert periods_of(Rows(table), "at", "day").n.tolist() == [2, 23]


def test_the_rows_of_a_day_by_another_clock_are_named_in_the_columns_own_time() -> None:
    whens = [dt.datetime(2024, 3, 30, 23) + dt.timedelta(hours=i) for i in range(48)]
    table = table_of(at=pl.Series(whens).cast(pl.Datetime("us")))
    days = periods_of(Rows(table), "at", "day", 1, "Europe/Berlin")
    for i in range(3):
        low, high = days.calendar.clock[i], days.calendar.clock[i + 1]
        at = seconds(*whens)
        assert np.count_nonzero((at >= low) & (at < high)) == days.n[i]


@pytest.mark.parametrize(
    ("name", "known"), [("Europe/Lisbon", True), ("UTC", True), ("Nowhere/Town", False), ("", False)]
)
def test_zones_are_known_or_refused(name: str, known: bool) -> None:
    assert is_zone(name) == known


def daily(first: dt.date, n: int, without: tuple[int, ...] = ()) -> Table:
    days = [first + dt.timedelta(days=i) for i in range(n) if i not in without]
    return table_of(day=pl.Series(days))


def test_periods_without_rows_are_gaps_and_are_named() -> None:
    table = daily(dt.date(2024, 1, 1), 40, tuple(range(10, 17)))
    found = periods_of(Rows(table), "day", "week")
    assert found.gaps == () and found.n.tolist()[1:3] == [3, 4]
    days = periods_of(Rows(table), "day", "day")
    assert days.gaps == ((10, 17),)
    assert spans_in_words(days.calendar, days.gaps) == ["11 January 2024 to 17 January 2024"]


@pytest.mark.parametrize(
    ("first", "n", "grain", "partial"),
    [
        (dt.date(2024, 1, 1), 366, "month", (False, False)),
        (dt.date(2024, 1, 1), 365, "month", (False, True)),
        (dt.date(2024, 1, 2), 365, "month", (True, False)),
        (dt.date(2024, 1, 1), 366, "year", (False, False)),
        (dt.date(2024, 1, 1), 31, "day", (False, False)),
    ],
)
def test_a_period_the_data_do_not_cover_is_unfinished(
    first: dt.date, n: int, grain: str, partial: tuple[bool, bool]
) -> None:
    assert periods_of(Rows(daily(first, n)), "day", grain).partial == partial


def test_what_rests_at_weekends_or_comes_monthly_is_not_called_unfinished() -> None:
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i) for i in range(91)]
    table = table_of(day=pl.Series([d for d in days if d.weekday() < 5]))
    # the quarter ends on a Sunday, after the last working day
    assert periods_of(Rows(table), "day", "quarter").partial == (False, False)
    months = table_of(day=pl.Series([dt.date(2023 + m // 12, m % 12 + 1, 1) for m in range(21)]))
    assert periods_of(Rows(months), "day", "month").partial == (False, False)
    assert periods_of(Rows(months), "day", "year").partial == (False, True)


@pytest.mark.parametrize(
    ("span_days", "regular", "timed", "grain"),
    [(2, None, True, "hour"), (100, None, False, "day"), (700, None, True, "week"), (1461, None, True, "month"),
     (9000, "quarter", False, "quarter"), (40_000, "year", False, "year")],
)  # fmt: skip
def test_the_grain_proposed_leaves_few_periods_and_is_no_finer_than_the_column(
    span_days: int, regular: str | None, timed: bool, grain: str
) -> None:
    assert proposed(span_days * 86_400.0, regular, timed) == grain


@given(st.lists(moments, min_size=1, max_size=30))
def test_parts_of_cycles_against_the_standard_library(whens: list[dt.datetime]) -> None:
    at = seconds(*whens)
    assert part_of(at, "day", None).tolist() == [w.hour for w in whens]
    assert part_of(at, "week", None).tolist() == [w.weekday() for w in whens]
    assert part_of(at, "year", None).tolist() == [w.month - 1 for w in whens]
    assert part_of(at, "quarters", None).tolist() == [(w.month - 1) // 3 for w in whens]
    assert part_of(np.array([np.nan]), "week", None).tolist() == [-1]


def test_parts_follow_a_zone_and_a_year_of_ones_own() -> None:
    at = seconds(dt.datetime(2024, 6, 30, 23, 30))
    assert part_of(at, "day", "Europe/Berlin").tolist() == [1]
    assert part_of(at, "year", "Europe/Berlin").tolist() == [6]
    assert labels_of("year", 4)[part_of(at, "year", None, 4)[0]] == "June"


@pytest.mark.parametrize(
    ("condition", "words"),
    [
        (Recurs("at", "week", (5, 6)), "at on a Saturday or Sunday"),
        (Recurs("at", "year", (2,)), "at in any March"),
        (Recurs("at", "quarters", (1,)), "at in any quarter 2"),
        (Recurs("at", "day", (23,), "Europe/Berlin"), "at in the hour from 23:00 in Europe/Berlin"),
    ],
)
def test_parts_of_cycles_are_conditions_that_read_back(condition: Recurs, words: str) -> None:
    whens = [dt.datetime(2024, 1, 1) + dt.timedelta(hours=7 * i) for i in range(600)]
    table = table_of(at=pl.Series([*whens, None]).cast(pl.Datetime("us")))
    assert in_words(condition, table) == words and from_words(words, table) == condition
    lit = mask(condition, table)
    part = part_of(seconds(*whens), condition.part, condition.zone)
    assert lit[:-1].tolist() == [int(p) in condition.at for p in part] and not lit[-1]


def test_parts_that_are_not_there_are_refused() -> None:
    with pytest.raises(BadQuestion, match="no such part"):
        Recurs("at", "week", (7,))
    with pytest.raises(BadQuestion, match="days, no hours"):
        mask(Recurs("day", "day", (3,)), daily(dt.date(2024, 1, 1), 3))
    with pytest.raises(BadQuestion, match="too many to draw"):
        periods_of(Rows(table_of(at=pl.Series([EPOCH, dt.datetime(2020, 1, 1)]))), "at", "hour")


def test_names_and_runs() -> None:
    assert runs(np.array([], dtype=bool)) == [] and runs(np.array([True])) == [(0, 1)]
    assert [len(PART_NAMES[p]) for p in ("day", "week", "year", "quarters")] == [24, 7, 12, 4]
