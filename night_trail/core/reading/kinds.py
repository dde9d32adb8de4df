"""What a column of cells holds: kind, unit, and the cells that do not fit."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, replace
from functools import lru_cache

import polars as pl

from night_trail.core.reading import names, words
from night_trail.core.reading.clock import as_clock
from night_trail.core.reading.dates import Dates, as_dates, from_numbers
from night_trail.core.reading.numbers import Numbers, as_float, as_numbers, currency_of, unit_of
from night_trail.core.reading.settings import ColumnSetting
from night_trail.core.reading.summing import decided, summing
from night_trail.core.reading.typed import Typed
from night_trail.core.reading.words import share
from night_trail.core.table import CLOCK, YEAR, Column, Kind, largest

MISSING = (
    *(
        "",
        "na",
        "n/a",
        "null",
        "none",
        "nan",
        "nil",
        "-",
        "--",
        "—",
        "?",
        "missing",
        "\\n",
        ".",
        "<na>",
        "nat",
    ),
    *("#n/a", "#div/0!", "#ref!", "#value!", "#name?", "#num!", "#null!", "(null)", "(blank)", "n.a."),
)
"""Cells that stand for nothing, whatever their case."""

ENOUGH = 0.98
"""Share of the cells that must fit a kind; the others become missing, counted and shown."""

LOOKED_AT, FEW = 5_000, 500
"""Of so many cells first is seen whether they are numbers, or at most so many different texts."""

EXAMPLES = 5
FAILED_KEPT = 100


@dataclass(frozen=True)
class Hints:
    """What other columns of the same file show, for use in doubt; and texts that stand for nothing."""

    decimal: str = ""
    date_order: str = ""
    missing: tuple[str, ...] = ()
    unit: str = ""


def typed(
    name: str, cells: pl.Series, setting: ColumnSetting | None = None, hints: Hints | None = None
) -> tuple[Column, pl.Series]:
    """Return a column of cells in the kind that fits it best, or in the kind that was chosen.

    Parameters
    ----------
    name
        The column's name; it hints at units, identifiers and what can be summed.
    cells
        Text cells, or cells a format has typed already; may hold nulls.
    setting
        What was decided by hand.
    hints
        What the rest of the file shows.

    Returns
    -------
    tuple
        What is known of the column, and its cells: Int64, Float64, Boolean,
        Date, Datetime, Enum (categories) or String.
    """
    setting, hints = setting or ColumnSetting(), hints or Hints()
    name = setting.name or name
    read: pl.Series | None = None
    if cells.dtype == pl.String:
        read = None if hints.missing else _all_numbers(cells)
        clean = cells if read is not None else without_missing(cells, hints.missing)
    else:
        clean = _native(cells)
    if clean.dtype == pl.String:
        found = _from_text(name, clean, setting, hints, read)
    else:
        found = _from_values(name, clean, setting)
    if found.kind.numeric and (numbers := _numbers_in(hints.missing)):
        # 9999 also stands for nothing where it is written 9,999 or kept as a number
        nothing = found.cells.cast(pl.Float64).is_in(numbers).fill_null(False)
        found = replace(found, cells=found.cells.set(nothing, None))
        clean = clean.set(nothing, None)
    return described(name, found, clean, hints.unit)


def _numbers_in(texts: tuple[str, ...]) -> list[float]:
    return pl.Series(texts, dtype=pl.String).cast(pl.Float64, strict=False).drop_nulls().to_list()


def described(name: str, found: Typed, clean: pl.Series, unit: str = "") -> tuple[Column, pl.Series]:
    """Return what is known of typed cells, beside the cells."""
    if names.years(name, found.kind, found.cells):
        unit = YEAR
    elif found.kind.numeric:
        unit = found.unit or unit_of(unit) or (unit if len(unit) <= 12 else "") or names.unit(name)
    else:
        unit = ""
    failed: tuple[tuple[int, str], ...] = ()
    examples: list[str] = []
    count = 0
    lost = found.cells.is_null() & clean.is_not_null()
    if count := int(lost.sum()):
        rows = lost.arg_true()
        texts = clean.gather(rows).cast(pl.String)
        examples = texts.unique(maintain_order=True).head(EXAMPLES).to_list()
        failed = tuple(
            (int(r), t[:60]) for r, t in zip(rows.head(FAILED_KEPT), texts.head(FAILED_KEPT), strict=True)
        )
    column = Column(
        name=name,
        kind=found.kind,
        unit=unit,
        reason=found.reason,
        missing=found.cells.null_count(),
        failed=count,
        failed_examples=tuple(text[:60] for text in examples),
        failed_cells=failed,
        distinct=_distinct(found.cells) if found.distinct is None else found.distinct,
        pattern=found.pattern,
    )
    return decided(column, summing(name, found.kind, found.cells, unit)), found.cells


def _all_numbers(cells: pl.Series) -> pl.Series | None:
    """Return texts as numbers where every one is read as it stands, and so needs no trimming."""
    if cells.head(LOOKED_AT).cast(pl.Float64, strict=False).null_count() > cells.head(LOOKED_AT).null_count():
        return None
    numbers = as_float(cells)
    return numbers if numbers.null_count() == cells.null_count() else None


def without_missing(cells: pl.Series, more: tuple[str, ...] = ()) -> pl.Series:
    """Return texts trimmed, and null where they stand for nothing."""
    if len(cells) > LOOKED_AT and cells.head(LOOKED_AT).n_unique() <= FEW:
        values = cells.unique()
        # a handful of values that are as they should be: no cell has to be looked at
        if len(values) <= FEW and without_missing(values, more).equals(values):
            return cells
    clean = cells.str.strip_chars(_BLANK)
    nothing = clean.is_in(_nothing(more)).fill_null(False)
    if "NA" not in more and _na_is_a_code(clean, nothing):
        nothing &= clean != "NA"
    return clean.set(nothing, None)


def _na_is_a_code(clean: pl.Series, nothing: pl.Series) -> bool:
    """Whether NA stands among codes of two capitals, as those of countries and continents do."""
    if not bool((clean == "NA").any()):
        return False
    others = clean.filter(~nothing).drop_nulls().head(2_000).unique()
    return len(others) >= 3 and bool(others.str.contains(r"^[A-Z]{2}$").all())


_BLANK = "".join(c for c in map(chr, range(0x3001)) if c.isspace()) + "\ufeff"


@lru_cache(64)
def _nothing(more: tuple[str, ...]) -> pl.Series:
    # spelled out in their usual cases: lower-casing a million cells would cost more
    spelled = {v for m in MISSING for v in (m, m.upper(), m.capitalize(), m.title())}
    return pl.Series(sorted(spelled | {m.strip() for m in more})).implode()


def _distinct(cells: pl.Series) -> int:
    """Return how many different values there are; beyond some thousand numbers an estimate is enough."""
    if isinstance(cells.dtype, pl.Enum):
        return len(cells.dtype.categories)
    present = cells.drop_nulls()
    if present.dtype != pl.String and len(present) > 100_000:
        about = int(present.to_frame("c").select(pl.col("c").approx_n_unique()).item())
        if about > 5_000:
            return about
    return present.n_unique()


def _from_text(
    name: str, clean: pl.Series, setting: ColumnSetting, hints: Hints, read: pl.Series | None
) -> Typed:
    present = clean.drop_nulls()
    if not len(present):
        return Typed(setting.kind or Kind.TEXT, _empty(clean, setting.kind), "every cell is missing")
    if setting.kind is not None:
        return _chosen(name, clean, present, setting, hints)
    return (
        words.yes_no(clean, present)
        or _number(name, clean, present, setting, hints, read)
        or _clock(name, clean, present)
        or _dates(clean, present, ENOUGH, setting, hints)
        or words.words(name, clean, present)
    )


def _empty(clean: pl.Series, kind: Kind | None) -> pl.Series:
    if kind is None or kind in (Kind.TEXT, Kind.IDENTIFIER):
        return clean
    if kind.numeric:
        return clean.cast(pl.Float64, strict=False)
    if kind.temporal:
        return clean.str.to_date("%Y", strict=False).cast(pl.Date if kind == Kind.DATE else pl.Datetime("us"))
    return pl.Series(
        clean.name, [None] * len(clean), dtype=pl.Boolean if kind == Kind.YES_NO else pl.Enum([])
    )


def _number(
    name: str,
    clean: pl.Series,
    present: pl.Series,
    setting: ColumnSetting,
    hints: Hints,
    read: pl.Series | None,
) -> Typed | None:
    # a quick look first: most text columns are told from numbers by a handful of cells
    first = as_numbers(present.head(300), setting.decimal, hints.decimal)
    if first is None or first.cells.null_count() > 0.5 * min(300, len(present)) or not known_beside(first):
        return None
    if read is not None and "," not in (setting.decimal, hints.decimal):
        numbers: Numbers | None = Numbers(read, clean)
    else:
        numbers = as_numbers(clean, setting.decimal, hints.decimal)
    if numbers is None:
        return None
    valid = numbers.cells.drop_nulls()
    if len(valid) < ENOUGH * len(present):
        return None
    currency = currency_of(numbers.before) or currency_of(numbers.after)
    unit = unit_of(numbers.after)
    if not known_beside(numbers):
        return None
    of = f"{share(len(valid), len(present))} of the cells"
    note = f"; {numbers.note}" if numbers.note else ""
    if currency:
        return Typed(Kind.MONEY, numbers.cells, f"{of} are numbers with {currency}{note}", unit=currency)
    if unit == "%":
        return Typed(Kind.SHARE, numbers.cells, f"{of} are numbers with %{note}", unit="%")
    if unit:
        return Typed(Kind.NUMBER, numbers.cells, f"{of} are numbers with {unit}{note}", unit=unit)
    return _plain_number(name, clean, present, numbers, of, note)


def known_beside(numbers: Numbers) -> bool:
    """Whether what stands beside the numbers is a currency or a unit, or nothing."""
    before, after = numbers.before, numbers.after
    return (not before or bool(currency_of(before))) and (
        not after or bool(unit_of(after) or currency_of(after))
    )


def _plain_number(
    name: str, clean: pl.Series, present: pl.Series, numbers: Numbers, of: str, note: str
) -> Typed | None:
    valid = numbers.cells.drop_nulls()
    fractions = not bool((valid == valid.floor()).all())
    if fractions:
        return names.number(name, numbers.cells, f"{of} are numbers{note}")
    # what is written as a whole number is read as one; only the others are looked at closely
    integers = numbers.plain.cast(pl.Int64, strict=False)
    written = numbers.plain.filter(integers.is_null() & numbers.cells.is_not_null())
    if bool(written.str.contains(r"[.][0-9]*[1-9]|[eE]").any()):
        return names.number(name, numbers.cells, f"{of} are numbers{note}")
    if any(_any(present, sign, r"^[+-]?0\d") for sign in ("0", "-0", "+0")):
        return None  # leading zeros: a code, not a quantity
    compact = _compact_dates(name, clean, present)
    if compact is not None:
        return compact
    if len(written):
        if largest(valid) >= 2**53:
            return None  # beyond 64 bits: kept as written
        integers = numbers.cells.cast(pl.Int64)
    if (
        names.identifies(name)
        and not bool(present.str.contains(".", literal=True).any())
        and not numbers.cells.null_count() > clean.null_count()
    ):
        return Typed(Kind.IDENTIFIER, clean, "whole numbers under an identifier's name")
    return names.whole(name, integers, f"{of} are whole numbers{note}")


def _any(texts: pl.Series, begins: str, pattern: str) -> bool:
    """Whether any text that begins so holds a pattern; beginnings are found much sooner."""
    return bool(texts.filter(texts.str.starts_with(begins)).str.contains(pattern).any())


def _compact_dates(name: str, clean: pl.Series, present: pl.Series) -> Typed | None:
    """Return whole numbers of eight digits that are all dates: 20240315."""
    monthly = _compact_months(name, clean, present)
    if monthly is not None:
        return monthly
    pattern = r"^(19|20)\d{2}(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])$"
    if not present.head(100).str.contains(pattern).all() or not present.str.contains(pattern).all():
        return None
    cells = clean.str.to_date("%Y%m%d", strict=False)
    named = bool(re.search(r"date|day|datum|when", name, re.IGNORECASE))
    if cells.null_count() > clean.null_count() or not (named or present.n_unique() >= 5):
        return None
    return Typed(Kind.DATE, cells, "all of the cells look like yearmonthday")


def _compact_months(name: str, clean: pl.Series, present: pl.Series) -> Typed | None:
    """Return whole numbers of six digits that are all months: 202403, each as its first day."""
    pattern = r"^(19|20)\d{2}(0[1-9]|1[0-2])$"
    if not present.head(100).str.contains(pattern).all() or not present.str.contains(pattern).all():
        return None
    months = present.unique().cast(pl.Int64)
    months = (months // 100) * 12 + months % 100
    span = int(months.max()) - int(months.min()) + 1  # type: ignore[arg-type]
    named = bool(re.search(r"date|month|mon$|period|yyyymm|ym$|when|time", name, re.IGNORECASE))
    # without a name that says so, nearly every month must be there: codes leave gaps
    if not named and not (len(months) >= 6 and len(months) >= 0.8 * span):
        return None
    cells = (clean + "01").str.to_date("%Y%m%d", strict=False)
    return Typed(Kind.DATE, cells, "all of the cells look like yearmonth, each as its first day")


def _clock(name: str, clean: pl.Series, present: pl.Series) -> Typed | None:
    found = as_clock(name, clean, present, ENOUGH)
    if found is None:
        return None
    of = share(len(found.cells) - found.cells.null_count(), len(present))
    kind, unit = (Kind.TIME, CLOCK) if found.of_day else (Kind.DURATION, found.unit)
    return Typed(kind, found.cells, f"{of} of the cells look like {found.words}", unit=unit)


def _dates(
    clean: pl.Series, present: pl.Series, enough: float, setting: ColumnSetting, hints: Hints
) -> Typed | None:
    found = as_dates(clean, present, enough, setting.date_order, hints.date_order)
    if found is None:
        return None
    return _dated(
        found, f"{share(len(clean) - found.cells.null_count(), len(present))} of the cells look like"
    )


def _dated(found: Dates, look: str) -> Typed:
    kind = Kind.DATETIME if found.cells.dtype == pl.Datetime else Kind.DATE
    doubt = f" ({found.doubt})" if found.doubt else ""
    return Typed(kind, found.cells, f"{look} {found.words}{doubt}")


def _chosen(name: str, clean: pl.Series, present: pl.Series, setting: ColumnSetting, hints: Hints) -> Typed:
    """Return texts in the kind that was chosen by hand; what does not fit becomes missing."""
    kind = setting.kind
    assert kind is not None  # noqa: S101  (the caller looked)
    found: Typed | None = None
    if kind.numeric:
        found = _chosen_number(name, clean, kind, setting, hints)
    elif kind.temporal:
        found = _dates(clean, present, 1e-9, setting, hints)
        if found is None and (numbers := as_numbers(clean)) is not None:
            dates = from_numbers("date", numbers.cells)
            found = _dated(dates, "") if dates else None
        if found is not None:
            target = pl.Date if kind == Kind.DATE else pl.Datetime("us")
            found = Typed(kind, found.cells.cast(target), "")
    elif kind == Kind.YES_NO:
        found = words.yes_no(clean, present, whole=False)
    elif kind.grouping:
        found = words.category(clean, present, kind)
    else:
        found = Typed(kind, clean, "")
    if found is None:
        found = Typed(kind, _empty(clean.clear(1).extend_constant(None, len(clean)).slice(1), kind), "")
    read = len(found.cells) - found.cells.null_count()
    reason = f"chosen by hand; {share(read, len(present))} of the cells fit"
    return Typed(kind, found.cells, reason, pattern=found.pattern, unit=found.unit)


def _chosen_number(
    name: str, clean: pl.Series, kind: Kind, setting: ColumnSetting, hints: Hints
) -> Typed | None:
    if kind in (Kind.TIME, Kind.DURATION):
        found = as_clock("duration" if kind == Kind.DURATION else name, clean, clean.drop_nulls(), 1e-9)
        if found is not None:
            return Typed(kind, found.cells, "", unit=CLOCK if kind == Kind.TIME else found.unit)
    numbers = as_numbers(clean, setting.decimal, hints.decimal)
    if numbers is None:  # different texts stand beside the numbers: only plain ones are read
        return Typed(kind, as_float(clean), "")
    cells = numbers.cells
    if kind == Kind.WHOLE:
        cells = cells.set(cells != cells.floor(), None).cast(pl.Int64)
    return Typed(kind, cells, "", unit=unit_of(numbers.after) or currency_of(numbers.before or numbers.after))


def _native(cells: pl.Series) -> pl.Series:
    """Return cells that a format has typed already in one of the few types we keep."""
    kind = cells.dtype
    if kind in (pl.Categorical, pl.Null) or isinstance(kind, (pl.Enum, pl.Categorical)):
        return without_missing(cells.cast(pl.String))
    if kind.is_integer():
        wide = kind in (pl.UInt64, pl.Int128, pl.UInt128)
        fits = not wide or largest(cells.cast(pl.Float64)) < 2**63
        return cells.cast(pl.Int64) if fits else cells.cast(pl.String)
    if kind.is_float() or kind.is_decimal():
        numbers = cells.cast(pl.Float64)
        return numbers.set(numbers.is_nan() | numbers.is_infinite(), None)
    if isinstance(kind, pl.Datetime):
        utc = cells.dt.convert_time_zone("UTC").dt.replace_time_zone(None) if kind.time_zone else cells
        return utc.cast(pl.Datetime("us"))
    if isinstance(kind, pl.Duration) or kind in (pl.Boolean, pl.Date, pl.Time):
        return cells
    if kind == pl.Binary:
        return pl.Series(cells.name, [_decoded(v) for v in cells.to_list()], dtype=pl.String)
    if kind.is_nested():
        return pl.Series(cells.name, [_told(v) for v in cells.to_list()], dtype=pl.String)
    return cells.cast(pl.String, strict=False)


MOST_TOLD = 1_000


def _decoded(value: bytes | None) -> str | None:
    try:
        return value.decode()[:MOST_TOLD] if value is not None else None
    except UnicodeDecodeError:
        return None


def _told(value: object) -> str | None:
    """Return a list as its values in one cell, and anything deeper as JSON."""
    if value is None:
        return None
    if isinstance(value, list) and not any(isinstance(v, list | dict) for v in value):
        return "; ".join(str(v) for v in value if v is not None)[:MOST_TOLD] or None
    return json.dumps(value, ensure_ascii=False, default=str)[:MOST_TOLD]


def _from_values(name: str, cells: pl.Series, setting: ColumnSetting) -> Typed:
    """Return cells that came typed; a kind chosen by hand is read from their text."""
    if setting.kind is not None and cells.dtype not in (pl.Duration, pl.Time):
        texts = (
            cells.replace_strict({True: "yes", False: "no"}, return_dtype=pl.String)
            if cells.dtype == pl.Boolean
            else cells.cast(pl.String)
        )
        present = texts.drop_nulls()
        return (
            _chosen(name, texts, present, setting, Hints(decimal="."))
            if len(present)
            else Typed(setting.kind, _empty(texts, setting.kind), "every cell is missing")
        )
    if cells.null_count() == len(cells):
        return Typed(Kind.TEXT, cells.cast(pl.String), "every cell is missing")
    reason = "the file says so"
    if cells.dtype == pl.Boolean:
        return Typed(Kind.YES_NO, cells, reason)
    if cells.dtype == pl.Date:
        return Typed(Kind.DATE, cells, reason)
    if cells.dtype == pl.Time:
        return Typed(Kind.TIME, cells.cast(pl.Int64) / 3.6e12, reason, unit=CLOCK)
    if isinstance(cells.dtype, pl.Duration):
        return Typed(Kind.DURATION, cells.dt.total_microseconds() / 60e6, reason, unit="min")
    if isinstance(cells.dtype, pl.Datetime):
        whole = cells.drop_nulls()
        at_midnight = bool((whole.dt.truncate("1d") == whole).all())
        return (
            Typed(Kind.DATE, cells.cast(pl.Date), reason)
            if at_midnight
            else Typed(Kind.DATETIME, cells, reason)
        )
    if cells.dtype == pl.Int64:
        if names.identifies(name):
            return Typed(Kind.IDENTIFIER, cells.cast(pl.String), "whole numbers under an identifier's name")
        return names.whole(name, cells, reason)
    return names.number(name, cells, reason)
