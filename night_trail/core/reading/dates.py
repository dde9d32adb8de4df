"""Dates and date-times in text: the format is decided from the whole column."""

from __future__ import annotations

import re
from dataclasses import dataclass

import polars as pl

_DAYS = {
    "%Y-%m-%d": (r"\d{4}-\d{1,2}-\d{1,2}", "year-month-day"),
    "%Y/%m/%d": (r"\d{4}/\d{1,2}/\d{1,2}", "year/month/day"),
    "%d.%m.%Y": (r"\d{1,2}\.\d{1,2}\.\d{4}", "day.month.year"),
    "%d/%m/%Y": (r"\d{1,2}/\d{1,2}/\d{4}", "day/month/year"),
    "%m/%d/%Y": (r"\d{1,2}/\d{1,2}/\d{4}", "month/day/year"),
    "%d-%m-%Y": (r"\d{1,2}-\d{1,2}-\d{4}", "day-month-year"),
    "%d %b %Y": (r"\d{1,2} [A-Za-z]{3} \d{4}", "day, short month, year"),
    "%d %B %Y": (r"\d{1,2} [A-Za-z]+ \d{4}", "day, month, year"),
}
_TIMES = {
    "": ("", ""),
    "%H:%M": (r"\d{1,2}:\d{2}", " hour:minute"),
    "%H:%M:%S": (r"\d{1,2}:\d{2}:\d{2}", " hour:minute:second"),
    "%H:%M:%S%.f": (r"\d{1,2}:\d{2}:\d{2}\.\d+", " hour:minute:second with fractions"),
}
_ZONE = r"(Z|[+-]\d{2}:?\d{2})"
_LIKELY = re.compile(
    r"^(\d{4}[-/]\d{1,2}[-/]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.]\d{4}|\d{1,2} [A-Za-z]{3,9} \d{4})"
)


@dataclass(frozen=True)
class Dates:
    """Cells as dates or date-times, and the format in words."""

    cells: pl.Series
    words: str


def as_dates(clean: pl.Series, present: pl.Series, enough: float) -> Dates | None:
    """Return the cells as dates, or None where too few of them are.

    Where day and month cannot be told apart by any cell, the day is taken
    first and the words say so.
    """
    sample = present.head(200)
    likely = [text for text in sample if _LIKELY.match(text)]
    if len(likely) < enough * 0.9 * len(sample):
        return None
    best: Dates | None = None
    tied = ""
    for format_, zoned, words in _formats(likely[len(likely) // 2]):
        cells = _parsed(clean, format_, zoned)
        got = len(cells) - cells.null_count()
        if got < enough * len(present):
            continue
        best_got = 0 if best is None else len(best.cells) - best.cells.null_count()
        if got > best_got:
            best, tied = Dates(cells, words + (", told in UTC" if zoned else "")), ""
        elif got == best_got:
            tied = words
    if best is None:
        return None
    cells = best.cells
    if bool((cells.drop_nulls().dt.truncate("1d") == cells.drop_nulls()).all()):
        cells = cells.cast(pl.Date)
    return Dates(cells, best.words + (f" (they would also read as {tied})" if tied else ""))


def _formats(example: str) -> list[tuple[str, bool, str]]:
    """Return the formats an example fits: (format, with a zone, in words)."""
    found = []
    for day, (day_pattern, day_words) in _DAYS.items():
        for time, (time_pattern, time_words) in _TIMES.items():
            for gap in ("T", " ") if time else ("",):
                for zoned in (False, True) if time else (False,):
                    pattern = f"{day_pattern}{gap}{time_pattern}{_ZONE if zoned else ''}"
                    if re.fullmatch(pattern, example):
                        found.append(
                            (f"{day}{gap}{time}{'%z' if zoned else ''}", zoned, day_words + time_words)
                        )
    return found


def _parsed(clean: pl.Series, format_: str, zoned: bool) -> pl.Series:
    if zoned:
        texts = clean.str.replace("Z$", "+0000")
        return texts.str.to_datetime(format_, strict=False, time_unit="us").dt.replace_time_zone(None)
    if "%H" not in format_:
        return clean.str.to_date(format_, strict=False).cast(pl.Datetime("us"))
    return clean.str.to_datetime(format_, strict=False, time_unit="us")
