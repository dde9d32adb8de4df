"""Times of day and durations in text."""

from __future__ import annotations

import re
from dataclasses import dataclass

import polars as pl

from night_trail.core.table import largest

_CLOCK = r"^(?<h>\d{1,3}):(?<m>\d{2})(?::(?<s>\d{2}(?:\.\d+)?))?(?: ?(?<half>[AaPp]\.?[Mm]\.?))?$"
_WORDS = (
    r"^(?:(?<d>\d+(?:\.\d+)?) ?(?:d|days?))?,? ?(?:(?<h>\d+(?:\.\d+)?) ?(?:h|hrs?|hours?))?,? ?"
    r"(?:(?<m>\d+(?:\.\d+)?) ?(?:m|min|mins|minutes?))?,? ?(?:(?<s>\d+(?:\.\d+)?) ?(?:s|sec|secs|seconds?))?$"
)
_ISO = (
    r"^P(?:(?<d>\d+(?:\.\d+)?)D)?"
    r"(?:T(?:(?<h>\d+(?:\.\d+)?)H)?(?:(?<m>\d+(?:\.\d+)?)M)?(?:(?<s>\d+(?:\.\d+)?)S)?)?$"
)
_LASTING = re.compile(r"dur|elapsed|lasted|length|took|taken|spent|interval|lap|pace|wait", re.IGNORECASE)
SECONDS = {"d": 86_400.0, "h": 3_600.0, "m": 60.0, "s": 1.0}


@dataclass(frozen=True)
class Clock:
    """Cells as hours of the day, or as a duration in ``unit``."""

    cells: pl.Series
    of_day: bool
    unit: str
    words: str


def as_clock(name: str, clean: pl.Series, present: pl.Series, enough: float) -> Clock | None:
    """Return times of day or durations, or None where too few cells are either."""
    first = present.head(100)
    for pattern in (_CLOCK, _ISO, _WORDS):
        if first.str.contains(pattern).sum() >= enough * 0.9 * len(first):
            break
    else:
        return None
    parts = clean.str.extract_groups(pattern).struct.unnest()
    if pattern == _CLOCK:
        return _clock(name, parts, len(present), enough)
    seconds = pl.select(
        pl.when(pl.any_horizontal(parts[key].is_not_null() for key in SECONDS)).then(
            pl.sum_horizontal(
                parts[key].cast(pl.Float64).fill_null(0) * size for key, size in SECONDS.items()
            )
        )
    ).to_series()
    # one unit alone is a number with its unit, which is better kept as such
    used = [key for key in SECONDS if parts[key].null_count() < len(parts)]
    if len(seconds) - seconds.null_count() < enough * len(present) or (pattern == _WORDS and len(used) < 2):
        return None
    return _duration(seconds, "a duration in words" if pattern == _WORDS else "an ISO duration")


def _clock(name: str, parts: pl.DataFrame, n: int, enough: float) -> Clock | None:
    hours, minutes = parts["h"].cast(pl.Float64), parts["m"].cast(pl.Float64)
    seconds = parts["s"].cast(pl.Float64).fill_null(0.0)
    if len(parts) - parts["h"].null_count() < enough * n or not bool((minutes.drop_nulls() < 60).all()):
        return None
    halves = parts["half"].str.to_lowercase().str.slice(0, 1)
    if halves.null_count() < len(halves):
        hours = pl.select(
            pl.when(halves == "p").then(hours % 12 + 12).when(halves == "a").then(hours % 12).otherwise(hours)
        ).to_series()
    if _LASTING.search(name) or largest(hours) >= 24:
        if parts["s"].null_count() == len(parts) and re.search(r"lap|pace", name, re.IGNORECASE):
            return _duration(hours * 60 + minutes, "minutes:seconds")
        return _duration(hours * 3_600 + minutes * 60 + seconds, "hours:minutes")
    return Clock(hours + minutes / 60 + seconds / 3_600, True, "", "a time of day")


def _duration(seconds: pl.Series, words: str) -> Clock:
    longest = largest(seconds)
    unit, size = ("s", 1.0) if longest < 600 else ("min", 60.0) if longest < 172_800 else ("h", 3_600.0)
    return Clock(seconds / size, False, unit, words)
