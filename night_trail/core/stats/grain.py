"""The grain of a column of dates: how far apart its periods lie, and which of them have no rows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import polars as pl

Step = Literal["hour", "day", "week", "month", "quarter", "year"]
STEPS: tuple[Step, ...] = ("year", "quarter", "month", "week", "day", "hour")
_EVERY = {"hour": "1h", "day": "1d", "week": "1w", "month": "1mo", "quarter": "1q", "year": "1y"}
_LEAST_PERIODS = {"hour": 48, "day": 30, "week": 8, "month": 6, "quarter": 5, "year": 4}
"""Under so many periods nothing is said of absent ones."""


@dataclass(frozen=True)
class Grain:
    """The step, whether dates stand once in each at the same place of it, and the periods without rows.

    ``absent`` counts periods without rows between the first and the last;
    ``longest`` is the longest run of them and ``since`` its first period.
    """

    step: Step
    regular: bool
    periods: int
    absent: int
    longest: int
    since: object

    def worth_saying(self) -> bool:
        """Whether absent periods are odd: where nearly all periods have rows."""
        most = 0.1 if self.step in ("day", "hour") else 0.25
        return 0 < self.absent <= most * self.periods and self.periods >= _LEAST_PERIODS[self.step]


def grain(present: pl.Series) -> Grain:
    """Return the grain of dates or moments: the coarsest step at whose one place all of them stand.

    Without such a step, days (as of moments that fall anywhere) are counted.

    Parameters
    ----------
    present
        Dates or date-times without nulls, at least one, in any order.
    """
    different = present.unique().sort()
    for step in STEPS:
        if len(different) > 2 and _regular(different, step):
            return _counted(different, step, regular=True)
    return _counted(different, "day", regular=False)


def _regular(different: pl.Series, step: Step) -> bool:
    """Whether each period of a step holds at most one value, all at the same place in it."""
    if step == "hour":
        return different.dtype == pl.Datetime and bool((different == different.dt.truncate("1h")).all())
    days = different.cast(pl.Date)
    if different.dtype == pl.Datetime and not bool((different == days.cast(different.dtype)).all()):
        return False
    if step == "day":
        return True
    if days.dt.truncate(_EVERY[step]).n_unique() < len(days):
        return False
    if step == "week":
        return days.dt.weekday().n_unique() == 1
    last = bool((days == days.dt.month_end()).all())
    same_day = last or days.dt.day().n_unique() == 1
    return same_day and (step != "year" or days.dt.month().n_unique() == 1)


def _counted(different: pl.Series, step: Step, regular: bool) -> Grain:
    moments = different.cast(pl.Datetime("us")) if step == "hour" else different.cast(pl.Date)
    starts = moments.dt.truncate(_EVERY[step]).unique().sort()
    if step in ("month", "quarter", "year"):
        months = (starts.dt.year().cast(pl.Int64) * 12 + starts.dt.month()).to_numpy()
        places = months // {"month": 1, "quarter": 3, "year": 12}[step]
    else:
        unit = {"hour": 3_600_000_000, "day": 1, "week": 7}[step]
        places = starts.to_physical().cast(pl.Int64).to_numpy() // unit
    gaps = np.diff(places) - 1
    at = int(gaps.argmax()) if len(gaps) else 0
    longest = int(gaps[at]) if len(gaps) else 0
    since = starts.dt.offset_by(_EVERY[step])[at] if longest else None
    periods = int(places[-1] - places[0]) + 1
    return Grain(step, regular, periods, periods - len(places), longest, since)
