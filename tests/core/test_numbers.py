"""Numbers, dates and stretches as they are written, and bins where calendars and decimals are awkward."""

from __future__ import annotations

import datetime as dt
import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from night_trail.core.conditions import iso, moment
from night_trail.core.language import numbers
from night_trail.core.stats import bins as binning
from night_trail.core.table import Kind


@pytest.mark.parametrize(
    ("value", "written"),
    [
        (0.0, "0"),
        (-0.0, "0"),
        (1234567.0, "1,234,567"),
        (1234.5678, "1,235"),
        (12.3456, "12.35"),
        (0.1 + 0.2, "0.3"),
        (-1.5, "−1.5"),
        (2.5e-7, "2.5e−7"),
        (1.5e13, "15,000,000,000,000"),
        (1.5e16, "1.5e16"),
        (math.nan, "—"),
        (-math.inf, "−∞"),
    ],
)
def test_numbers(value: float, written: str) -> None:
    assert numbers.number(value) == written


@given(st.floats(-1e11, 1e11))
def test_a_written_number_is_close_to_the_number(value: float) -> None:
    back = float(numbers.number(value).replace(",", "").replace("−", "-"))
    assert back == pytest.approx(value, rel=6e-4, abs=1e-300)


@pytest.mark.parametrize(
    ("share", "written"),
    [
        (0, "0 %"),
        (0.5, "50 %"),
        (0.0351, "3.5 %"),
        (0.0004, "under 0.1 %"),
        (0.9999, "over 99.9 %"),
        (1, "100 %"),
    ],
)
def test_shares_are_never_rounded_to_nothing_or_everything(share: float, written: str) -> None:
    assert numbers.percent(share) == written.replace(" %", "\u2009%")


def stretch(low: str, high: str) -> str:
    return numbers.stretch(moment(low), moment(high), Kind.DATETIME)


@pytest.mark.parametrize(
    ("low", "high", "words"),
    [
        ("2024-01-01", "2025-01-01", "2024"),
        ("2021-01-01", "2025-01-01", "2021–2024"),
        ("2024-03-01", "2024-04-01", "March 2024"),
        ("2024-04-01", "2024-07-01", "quarter 2 of 2024"),
        ("2024-02-29", "2024-03-01", "29 February 2024"),
        ("2024-03-04", "2024-03-11", "week from 4 March 2024"),
        ("2024-03-04T10:00:00", "2024-03-04T11:00:00", "4 March 2024 10:00 to 4 March 2024 11:00"),
    ],
)
def test_calendar_stretches_have_their_own_names(low: str, high: str, words: str) -> None:
    assert stretch(low, high) == words


def test_lists_and_counts() -> None:
    assert numbers.listed([]) == "" and numbers.counted(1, "day") == "1 day"
    assert numbers.counted(2_000, "entry", "entries") == "2,000 entries"
    assert numbers.stretch(0.5, 1.0, Kind.NUMBER, "min") == "0.5 to 1\u00a0min"


@given(st.datetimes(dt.datetime(1900, 1, 1), dt.datetime(2100, 1, 1)).map(lambda d: d.replace(microsecond=0)))
def test_moments_survive_the_way_to_the_axis_and_back(when: dt.datetime) -> None:
    assert iso(moment(when.isoformat()), Kind.DATETIME) == when.isoformat()


@pytest.mark.parametrize("unit", ["day", "week", "month", "quarter", "year"])
def test_calendar_edges_cover_leap_years_and_begin_where_units_begin(unit: str) -> None:
    low, high = moment("2023-11-17T13:00:00"), moment("2024-03-01T01:00:00")
    edges = binning.calendar_edges(low, high, unit)
    assert edges[0] <= low < edges[1] and edges[-2] <= high < edges[-1]
    starts = [dt.datetime(1970, 1, 1) + dt.timedelta(seconds=e) for e in edges]
    assert all((s.hour, s.minute) == (0, 0) for s in starts)
    checks = {
        "day": lambda s: True,
        "week": lambda s: s.weekday() == 0,
        "month": lambda s: s.day == 1,
        "quarter": lambda s: s.day == 1 and s.month in (1, 4, 7, 10),
        "year": lambda s: (s.day, s.month) == (1, 1),
    }
    assert all(checks[unit](s) for s in starts)
    lengths = {(b - a).days for a, b in pairwise(starts)}
    assert (
        lengths
        <= {"day": {1}, "week": {7}, "month": {29, 30, 31}, "quarter": {90, 91, 92}, "year": {365, 366}}[unit]
    )


@pytest.mark.parametrize(
    ("days", "time_of_day", "unit"),
    [(0.05, True, "minute"), (2, True, "hour"), (90, False, "day"), (800, False, "week"), (3_000, True, "month"),
     (9_000, False, "quarter"), (30_000, False, "year")],
)  # fmt: skip
def test_the_finest_calendar_unit_that_fits_is_chosen(days: float, time_of_day: bool, unit: str) -> None:
    assert binning.calendar_unit(0.0, days * 86_400, time_of_day) == unit


@given(st.floats(1e-9, 1e9), st.booleans())
def test_round_widths_are_near_and_neighbours_lie_on_either_side(width: float, whole: bool) -> None:
    found = binning.round_width(width, whole)
    mantissa = found / 10 ** math.floor(math.log10(found) + 1e-12)
    assert min(abs(mantissa - m) for m in (1, 2, 2.5, 5, 10)) < 1e-9
    if not whole:
        assert 0.5 <= found / width <= 2
    else:
        assert found == int(found) >= 1
    wider, narrower = binning.next_width(found, whole, True), binning.next_width(found, whole, False)
    assert narrower <= found < wider


@given(
    st.floats(-1e5, 1e5, allow_subnormal=False).filter(lambda at: at == 0 or abs(at) > 1e-300),
    st.floats(0.001, 1e4),
    st.sampled_from([0.1, 0.25, 1.0, 50.0]),
)
def test_even_edges_cover_the_values(low: float, span: float, width: float) -> None:
    if span / width > 3_000:
        return
    edges = binning.even_edges(low, low + span, width)
    assert edges[0] <= low and edges[-1] > low + span * (1 - 1e-12)
    assert np.allclose(np.diff(edges), width)


def test_a_window_keeps_tails_that_are_large_or_near() -> None:
    middle = np.sort(np.random.default_rng(0).normal(0, 1, 1_000))
    near = binning.window(np.append(middle, 4.0), -2.7, 2.7)
    assert not near.gathers_high
    many = np.sort(np.append(middle, np.full(40, 90.0)))
    assert not binning.window(many, -2.7, 2.7).gathers_high
    few = binning.window(np.concatenate([[-80.0], middle, [90.0]]), -2.7, 2.7)
    assert few.gathers_high and few.gathers_low and few.high == pytest.approx(8.1)
