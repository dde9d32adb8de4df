"""Dates and date-times in text: the format is decided from the whole column."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

import polars as pl

_MONTH = r"[A-Za-z]{3}"
_LONG = r"[A-Za-z]{3,9}"
# format, pattern, in words, which part comes first
_DAYS = [
    ("%Y-%m-%d", r"\d{4}-\d{1,2}-\d{1,2}", "year-month-day", "year"),
    ("%Y/%m/%d", r"\d{4}/\d{1,2}/\d{1,2}", "year/month/day", "year"),
    ("%Y.%m.%d", r"\d{4}\.\d{1,2}\.\d{1,2}", "year.month.day", "year"),
    ("%d.%m.%Y", r"\d{1,2}\.\d{1,2}\.\d{4}", "day.month.year", "day"),
    ("%d/%m/%Y", r"\d{1,2}/\d{1,2}/\d{4}", "day/month/year", "day"),
    ("%m/%d/%Y", r"\d{1,2}/\d{1,2}/\d{4}", "month/day/year", "month"),
    ("%d-%m-%Y", r"\d{1,2}-\d{1,2}-\d{4}", "day-month-year", "day"),
    ("%m-%d-%Y", r"\d{1,2}-\d{1,2}-\d{4}", "month-day-year", "month"),
    ("%d.%m.%y", r"\d{1,2}\.\d{1,2}\.\d{2}", "day.month.year of two digits", "day"),
    ("%d/%m/%y", r"\d{1,2}/\d{1,2}/\d{2}", "day/month/year of two digits", "day"),
    ("%m/%d/%y", r"\d{1,2}/\d{1,2}/\d{2}", "month/day/year of two digits", "month"),
    ("%d %b %Y", rf"\d{{1,2}} {_MONTH} \d{{4}}", "day, short month, year", ""),
    ("%d-%b-%Y", rf"\d{{1,2}}-{_MONTH}-\d{{4}}", "day, short month, year", ""),
    ("%d-%b-%y", rf"\d{{1,2}}-{_MONTH}-\d{{2}}", "day, short month, year of two digits", ""),
    ("%d%b%Y", rf"\d{{1,2}}{_MONTH}\d{{4}}", "day, short month, year", ""),
    ("%d %B %Y", rf"\d{{1,2}} {_LONG} \d{{4}}", "day, month, year", ""),
    ("%b %d, %Y", rf"{_MONTH} \d{{1,2}}, \d{{4}}", "short month, day, year", ""),
    ("%B %d, %Y", rf"{_LONG} \d{{1,2}}, \d{{4}}", "month, day, year", ""),
    ("%b %d %Y", rf"{_MONTH} \d{{1,2}} \d{{4}}", "short month, day, year", ""),
    ("%b-%d-%Y", rf"{_MONTH}-\d{{1,2}}-\d{{4}}", "short month, day, year", ""),
    ("%Y-%b-%d", rf"\d{{4}}-{_MONTH}-\d{{1,2}}", "year, short month, day", ""),
    ("%Y%m%d", r"(?:19|20)\d{2}(?:0[1-9]|1[0-2])(?:0[1-9]|[12]\d|3[01])", "yearmonthday", "year"),
]
_TIMES = [
    ("", "", ""),
    ("%H:%M", r"\d{1,2}:\d{2}", " hour:minute"),
    ("%H:%M:%S", r"\d{1,2}:\d{2}:\d{2}", " hour:minute:second"),
    ("%H:%M:%S%.f", r"\d{1,2}:\d{2}:\d{2}\.\d+", " hour:minute:second with fractions"),
    ("%I:%M %p", r"\d{1,2}:\d{2} [AaPp][Mm]", " hour:minute am or pm"),
    ("%I:%M:%S %p", r"\d{1,2}:\d{2}:\d{2} [AaPp][Mm]", " hour:minute:second am or pm"),
]
_ZONE = r"(?:Z|[+-]\d{2}:?\d{2})"
# months are read as their first day: what to rewrite them to, and in which format
_MONTHS = [
    (r"^(\d{4})[-/](\d{1,2})$", "${1}-${2}-01", "%Y-%m-%d", "year-month"),
    (r"^(\d{1,2})/(\d{4})$", "${2}-${1}-01", "%Y-%m-%d", "month/year"),
    (rf"^({_LONG})[- ](\d{{4}})$", "01 ${1} ${2}", "%d %B %Y", "month and year"),
    (r"^([A-Za-z]{3})[-' ]+(\d{2})$", "01-${1}-${2}", "%d-%b-%y", "month and year of two digits"),
    (r"^(\d{4})[- ]([A-Za-z]{3})$", "01 ${2} ${1}", "%d %b %Y", "year and month"),
]
_QUARTERS = [r"^(?<y>\d{4})[- /]?Q(?<q>[1-4])$", r"^Q(?<q>[1-4])[- /']?(?<y>\d{4})$"]
_WEEK = r"^(?<y>\d{4})-?W(?<w>\d{1,2})(?:-?(?<d>[1-7]))?$"
_WEEKDAY = r"^(?:[Mm]on|[Tt]ue|[Ww]ed|[Tt]hu|[Ff]ri|[Ss]at|[Ss]un)[a-z]*,? +"
_TIDIED = [
    (_WEEKDAY, ""),
    (r"^(\D*\d{1,2})(?:st|nd|rd|th)\b", "$1"),
    (r" ?(?:UTC|GMT)$", "Z"),
    (r"(\d)([AaPp][Mm])$", "$1 $2"),
    (r"\b([A-Za-z]{3})\. ", "$1 "),
    (r"\bSept\b", "Sep"),
    (r"(\d{4}), ", "$1 "),
]
_MONTH_WORD = (
    r"(?:jan(?:uary)?|feb(?:ruary)?|mar(?:ch)?|apr(?:il)?|may|june?|july?|aug(?:ust)?|sept?(?:ember)?"
    r"|oct(?:ober)?|nov(?:ember)?|dec(?:ember)?)"
)
_WHOLE_DATE = re.compile(r"^\d{4}-\d{1,2}-\d{1,2}")
_LIKELY = re.compile(
    rf"^(?:{_WEEKDAY[1:]})?(?:\d{{4}}[-/.]\d{{1,2}}(?:[-/.]\d{{1,2}})?|\d{{1,2}}[-/.]\d{{1,2}}[-/.](?:\d{{4}}|\d{{2}})"
    rf"|\d{{1,2}}/\d{{4}}|\d{{1,2}}(?:st|nd|rd|th)?[- ]?{_MONTH_WORD}[-., ]*(?:\d{{4}}|\d{{2}})"
    rf"|{_MONTH_WORD}[-.' ]+\d{{1,2}}(?:st|nd|rd|th)?(?:(?:,? |-)\d{{4}})?|\d{{4}}-{_MONTH_WORD}-\d{{1,2}}"
    rf"|{_MONTH_WORD}[- ]\d{{4}}|\d{{4}}[- ]{_MONTH_WORD}"
    rf"|\d{{4}}[- /]?Q[1-4]|Q[1-4][- /']?\d{{4}}|\d{{4}}-?W\d{{1,2}}(?:-?[1-7])?|\d{{8}})(?:$|[T ,])",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Dates:
    """Cells as dates or date-times, and the format in words."""

    cells: pl.Series
    words: str
    doubt: str = ""


def looks_like_date(text: str) -> bool:
    """Whether a text could be a date at all."""
    return bool(_LIKELY.match(text))


def as_dates(  # noqa: C901  (one case a way of writing)
    clean: pl.Series, present: pl.Series, enough: float, order: str = "", hint: str = ""
) -> Dates | None:
    """Return the cells as dates, or None where too few of them are.

    Parameters
    ----------
    clean
        Trimmed texts, nulls where missing.
    present
        The same without nulls.
    enough
        The share that must be dates.
    order
        Which of day, month and year comes first, where that was decided by hand.
    hint
        Which comes first in other columns of the file; used in doubt.

    Notes
    -----
    Where day and month cannot be told apart by any cell, the day is taken
    first and the words say so. Cells of a second format are read too where
    the first reads at least half.
    """
    sample = present.head(200)
    likely = [text for text in sample if _LIKELY.match(text)]
    if len(likely) < enough * 0.9 * len(sample):
        return None
    different = list(dict.fromkeys(likely))
    if not _WHOLE_DATE.match(different[0]):
        whole_periods = _periods(clean, len(present), enough)
        if whole_periods is not None:
            return whole_periods
    tidied = [(p, plain) for p, plain in _TIDIED if any(re.search(p, text) for text in different)]
    texts = _unified(clean, tidied)
    examples = _unified(pl.Series(different, dtype=pl.String), tidied)
    tried: list[tuple[int, pl.Series, str]] = []
    for format_, zoned, words in _formats(examples, order):
        cells = _parsed(texts, format_, zoned)
        read = len(cells) - cells.null_count()
        if read:
            tried.append((read, cells, words + (", told in UTC" if zoned else "")))
    if not tried:
        return None
    tried.sort(key=lambda t: (-t[0], bool(hint) and not t[2].startswith(hint)))
    read, cells, words = tried[0]
    either = 0
    rivals = [w for n, _, w in tried[1:] if n == read and w.startswith(("day", "month")) and w != words]
    if read < enough * len(present):
        mixed = _mixed(tried, len(present))
        if mixed is None or len(mixed[0]) - mixed[0].null_count() < enough * len(present):
            return None
        (cells, words, either), rivals = mixed, []
    doubt = f"they would also read as {rivals[0]}" if rivals and not order and not hint else ""
    if either:
        doubt = f"{either:,} of them would read as another day the other way round"
    whole = cells.drop_nulls()
    if bool((whole.dt.truncate("1d") == whole).all()):
        cells = cells.cast(pl.Date)
    return Dates(cells, words, doubt)


def _mixed(tried: list[tuple[int, pl.Series, str]], n: int) -> tuple[pl.Series, str, int] | None:
    """Return cells in two formats, where the first reads at least half and the second what it leaves.

    With them how many cells both read, each as another day.
    """
    read, first, words = tried[0]
    if read < n / 2:
        return None
    best: tuple[int, pl.Series, str, int] | None = None
    for _, cells, other in tried[1:]:
        both = pl.select(pl.coalesce(first, cells)).to_series()
        got = len(both) - both.null_count()
        if got > read and (best is None or got > best[0]):
            either = int((first != cells).fill_null(False).sum())
            best = (got, both, f"{words}, some like {other}", either)
    return None if best is None else best[1:]


_EITHER = re.compile(r"^(\d{1,2})[-/](\d{1,2})[-/](?:\d{4}|\d{2})(?:$|[T ,])")


def order_shown(texts: Iterable[str]) -> str:
    """Return "day" or "month" where some text can only be read so, "" where none or both can.

    >>> order_shown(["03/04/2024", "13/04/2024"]), order_shown(["03/04/2024"])
    ('day', '')
    """
    day = month = False
    for text in texts:
        if found := _EITHER.match(text.strip()):
            day |= int(found[1]) > 12 >= int(found[2])
            month |= int(found[2]) > 12 >= int(found[1])
    return "" if day == month else "day" if day else "month"


def _unified(texts: pl.Series, tidied: list[tuple[str, str]]) -> pl.Series:
    """Return texts without weekday, ordinal endings and spelled-out zones, which say nothing more.

    ``tidied`` are the replacements that some cells ask for: a pass over all costs.
    """
    for pattern, plain in tidied:
        texts = texts.str.replace(pattern, plain)
    return texts


def _formats(examples: pl.Series, order: str) -> list[tuple[str, bool, str]]:
    """Return the formats that examples fit: (format, with a zone, in words), day first before month first."""
    found = []
    texts = _different(examples)

    def fit(pattern: str) -> bool:
        # a few texts are matched faster here than a call into polars takes
        return any(re.match(pattern, text) for text in texts)

    for day, day_pattern, day_words, first in _DAYS:
        if order and first and first != order:
            continue
        if not fit(day_pattern):
            continue
        for time, time_pattern, time_words in _TIMES:
            for gap in ("T", " ") if time else ("",):
                for zoned in (False, True) if time else (False,):
                    if fit(f"{day_pattern}{gap}{time_pattern}{' ?' + _ZONE if zoned else ''}$"):
                        format_ = f"{day}{gap}{time}{'%z' if zoned else ''}"
                        found.append((format_, zoned, day_words + time_words))
    return found


def _different(examples: pl.Series) -> list[str]:
    """Return some examples of each shape: of those that differ in their digits and letters alone a dozen."""
    shapes: dict[str, list[str]] = {}
    for text in examples:
        shape = re.sub(r"[A-Za-z]", "a", re.sub(r"\d", "0", text))
        shapes.setdefault(shape, []).append(text)
    return [text for texts in shapes.values() for text in texts[:12]]


def _parsed(texts: pl.Series, format_: str, zoned: bool) -> pl.Series:
    if zoned:
        offsets = texts.str.replace("Z$", "+0000").str.replace(r" ([+-]\d{2}:?\d{2})$", "$1")
        return offsets.str.to_datetime(format_, strict=False, time_unit="us").dt.replace_time_zone(None)
    if "%H" in format_ or "%I" in format_:
        return texts.str.to_datetime(format_, strict=False, time_unit="us")
    # the parser takes two digits for a year of four, the year 24
    if "%Y" in format_ and not texts.str.contains(r"\d{4}").all():
        texts = texts.set(~texts.str.contains(r"\d{4}").fill_null(False), None)
    return texts.str.to_date(format_, strict=False).cast(pl.Datetime("us"))


def _periods(clean: pl.Series, n: int, enough: float) -> Dates | None:
    """Return months, quarters or ISO weeks as their first days."""
    first = clean.drop_nulls().head(200)
    for pattern, rewritten, format_, words in _MONTHS:
        if first.str.contains(pattern).sum() < 0.9 * enough * len(first):
            continue
        matches = clean.str.contains(pattern).fill_null(False)
        if matches.sum() >= enough * n:
            dates = clean.set(~matches, None).str.replace(pattern, rewritten)
            cells = dates.str.to_date(format_, strict=False)
            if cells.null_count() < len(cells):
                return Dates(cells, f"{words}, each as its first day")
    for pattern in _QUARTERS:
        if first.str.contains(pattern).sum() < 0.9 * enough * len(first):
            continue
        parts = clean.str.extract_groups(pattern).struct.unnest()
        if len(parts) - parts["q"].null_count() >= enough * n:
            month = (parts["q"].cast(pl.Int32) * 3 - 2).alias("m")
            firsts = parts.with_columns(month).select(pl.date(pl.col("y").cast(pl.Int32), pl.col("m"), 1))
            return Dates(firsts.to_series(), "quarters, each as its first day")
    if first.str.contains(_WEEK).sum() < 0.9 * enough * len(first):
        return None
    parts = clean.str.extract_groups(_WEEK).struct.unnest()
    if len(parts) - parts["w"].null_count() >= enough * n:
        texts = parts.select(
            pl.format("{}-W{}-{}", "y", pl.col("w").str.zfill(2), pl.col("d").fill_null("1"))
        ).to_series()
        return Dates(texts.str.to_date("%G-W%V-%u", strict=False), "ISO weeks, each as its Monday")
    return None


def from_numbers(name: str, values: pl.Series) -> Dates | None:
    """Return whole numbers as dates where the column's name says they are: epochs, serials."""
    if not re.search(r"date|datum|time|epoch|(^|[_ ])(ts|at|on|when|created|updated)$", name, re.IGNORECASE):
        return None
    present = values.drop_nulls()
    if not len(present):
        return None
    low, high = float(present.min()), float(present.max())  # type: ignore[arg-type]
    whole = bool((present == present.floor()).all())
    if whole and low >= 3e8 and high < 4.2e9:
        return Dates(pl.from_epoch(values.cast(pl.Int64), "s").cast(pl.Datetime("us")), "seconds since 1970")
    if whole and low >= 3e11 and high < 4.2e12:
        return Dates(
            pl.from_epoch(values.cast(pl.Int64), "ms").cast(pl.Datetime("us")), "milliseconds since 1970"
        )
    if low >= 20_000 and high < 70_000 and not re.search(r"time$|_min|_s$", name, re.IGNORECASE):
        micros = ((values - 25_569.0) * 86_400e6).round()
        cells = micros.cast(pl.Int64).cast(pl.Datetime("us"))
        return Dates(cells.cast(pl.Date) if whole else cells, "spreadsheet serials, days since 1899-12-30")
    return None
