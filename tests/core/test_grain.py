"""The grain of dates, on calendars made by pandas."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pandas as pd
import polars as pl
import pytest

from night_trail.core.stats.grain import STEPS, grain
from night_trail.core.survey import absent_words, survey
from tests.core.tables import table_of

FREQUENCIES = {
    "year": ["YS", "YE", "YS-APR"],
    "quarter": ["QS", "QE"],
    "month": ["MS", "ME"],
    "week": ["W-MON", "W-SAT"],
    "day": ["D"],
    "hour": ["h"],
}


@pytest.mark.parametrize("step", STEPS)
def test_the_step_and_the_absent_periods_are_found(step: str) -> None:
    rng = np.random.default_rng(3)
    for frequency in FREQUENCIES[step]:
        whole = pd.date_range("1998-03-05", periods=90, freq=frequency)
        kept = np.ones(90, dtype=bool)
        kept[[20, 40, 41, 42]] = False
        cells = pl.Series(whole[kept].to_pydatetime().tolist()).cast(pl.Datetime("us"))
        cells = cells if step == "hour" else cells.cast(pl.Date)
        found = grain(
            pl.Series(cells.to_list() * 2).sample(fraction=1, shuffle=True, seed=int(rng.integers(99)))
        )
        assert (found.step, found.regular, found.periods) == (step, True, 90), frequency
        assert (found.absent, found.longest, found.worth_saying()) == (4, 3, True)
        first = found.since if step == "hour" else dt.datetime.combine(found.since, dt.time())
        assert first <= whole[40] and whole[39] < pd.Timestamp(first), (
            "the gap begins behind the last with rows"
        )


def test_moments_that_fall_anywhere_are_counted_in_days() -> None:
    rng = np.random.default_rng(4)
    at = [
        dt.datetime(2024, 1, 1) + dt.timedelta(minutes=int(m)) for m in rng.integers(0, 60 * 24 * 60, 3_000)
    ]
    found = grain(pl.Series([t for t in at if not dt.date(2024, 2, 3) <= t.date() <= dt.date(2024, 2, 4)]))
    assert (found.step, found.regular, found.absent) == ("day", False, 2)
    assert absent_words(found) == "2 days absent in a row from 3 February 2024."


@pytest.mark.parametrize("days", [[0], [0, 1], [0, 400, 9_000], [0, 3, 5, 17, 18, 40, 77, 200]])
def test_few_or_scattered_dates_say_nothing_of_gaps(days: list[int]) -> None:
    cells = pl.Series([dt.date(2001, 2, 3) + dt.timedelta(days=d) for d in days])
    assert not grain(cells).worth_saying()


def test_the_survey_says_how_often() -> None:
    months = [dt.date(y, m, 1) for y in range(2015, 2020) for m in range(1, 13) if (y, m) != (2017, 8)]
    remarks = survey(table_of(month=months, n=list(range(59))), dt.date(2024, 1, 1)).profiles[0].remarks
    assert [r.text for r in remarks] == [
        "1 January 2015 to 1 December 2019, one a month.",
        "1 month absent: 1 August 2017.",
    ]
