"""Numbers in text: decimal marks, thousands, signs, currencies, units; decided from the whole column."""

from __future__ import annotations

import re
from dataclasses import dataclass

import polars as pl

CURRENCIES = {
    **{sign: sign for sign in "$€£¥₹₩₽₺₴₦฿₫₪₡₱"},
    **{
        code: code
        for code in (
            "EUR USD GBP CHF JPY CNY INR AUD CAD NZD SEK NOK DKK PLN CZK HUF RON TRY BRL MXN ZAR KRW SGD HKD"
        ).split()
    },
    **{"US$": "$", "A$": "A$", "C$": "C$", "Fr.": "CHF", "zł": "PLN", "Kč": "CZK", "R$": "R$"},
}
UNITS = {
    **{u: u for u in ("mm cm m km kg g mg t l ml s ms h min °C °F K lux kWh MWh kW W V A Hz hPa Pa").split()},
    **{u: u for u in ("dB ppm mi ft in lb oz mph km/h m/s m² km² m³ ha ° bpm Mbit/s MB GB kB").split()},
    **{"mins": "min", "minutes": "min", "sec": "s", "secs": "s", "seconds": "s", "hours": "h", "hrs": "h"},
    **{"%": "%", "pct": "%", "percent": "%", "degC": "°C", "degF": "°F", "meters": "m", "metres": "m"},
    **{"kph": "km/h", "kmh": "km/h", "litres": "l", "days": "d", "day": "d", "miles": "mi"},
}
"""Units read from text beside a number, as they are written after one."""

_SPACES = "[\u00a0\u2007\u2009\u202f']"
_POINT = r"^\(-?\d+(?:\.\d+)?, ?-?\d+(?:\.\d+)?\)$"
_PARTS = (
    r"^(?<sign>-?)\s*(?<before>[^\d+\-.,\s][^\d+\-.,]*?)?\s*"
    r"(?<number>[+-]?[.,]?\d[\d., ]*(?:[eE][+-]?\d+)?)\s*(?<after>[^\d\s][^\d]*)?$"
)
_GROUPED = {
    # thousands: two or three digits between the marks, three at the end
    ".": r"^[+-]?\d{1,3}([, ]\d{2,3})*[, ]\d{3}(\.\d*)?$",
    ",": r"^[+-]?\d{1,3}([. ]\d{3})+(,\d*)?$",
}


@dataclass(frozen=True)
class Numbers:
    """Cells as numbers, what stood beside them, and what had to be decided."""

    cells: pl.Series
    plain: pl.Series
    before: str = ""
    after: str = ""
    note: str = ""


def as_float(cells: pl.Series) -> pl.Series:
    """Return texts as floats; infinities and what is no number become missing."""
    numbers = cells.cast(pl.Float64, strict=False)
    return numbers.set(numbers.is_infinite() | numbers.is_nan(), None)


def as_numbers(clean: pl.Series, decimal: str = "", hint: str = "") -> Numbers | None:
    """Return a column of texts as numbers, or None where hardly any is one.

    Parameters
    ----------
    clean
        Trimmed texts, nulls where missing.
    decimal
        The decimal mark where it was decided by hand.
    hint
        The decimal mark that other columns of the file show; used in doubt.
    """
    if decimal != ",":
        numbers = as_float(clean)
        if hint != "," and numbers.null_count() == clean.null_count():
            return Numbers(numbers, clean)
    texts = _unified(clean)
    parts = texts.str.extract_groups(_PARTS).struct.unnest()
    if parts["number"].null_count() == len(clean):
        return None
    before, keep_before = _beside(parts["before"], parts["number"])
    after, keep_after = _beside(parts["after"], parts["number"])
    parts = parts.with_columns(number=pl.when(keep_before & keep_after).then(pl.col("number")))
    if parts["number"].null_count() == len(clean):
        return None
    bare = parts["number"].str.strip_chars()
    mark, note = (decimal, "") if decimal else decimal_mark(bare, hint)
    plain = _without_thousands(bare, mark)
    signed = pl.select(pl.when(parts["sign"] == "-").then("-" + plain).otherwise(plain)).to_series()
    return Numbers(as_float(signed), signed, before, after, note)


def _unified(clean: pl.Series) -> pl.Series:
    """Return texts with plain minus signs and spaces, brackets and trailing signs as signs before."""
    plain = clean.str.replace_all("[−–]", "-").str.replace_all(_SPACES, " ")
    first = plain.drop_nulls().head(300)
    # two numbers in brackets are a point, where not all could be thousands
    if not (first.str.contains(_POINT).all() and not first.str.contains(r"^\(\d{1,3},\d{3}\)$").all()):
        plain = plain.str.replace(r"^\((.*\d.*)\)$", "-$1")
    return plain.str.replace(r"^(.*\d)-$", "-$1")


RARE = 0.02


def _beside(texts: pl.Series, numbers: pl.Series) -> tuple[str, pl.Series]:
    """Return the text that stands beside the numbers, "" for none, and which cells agree with it.

    A text beside few of the numbers makes those few unreadable, not the column.
    """
    trimmed = texts.str.strip_chars().fill_null("")
    found = trimmed.filter(trimmed != "")
    n = len(numbers) - numbers.null_count()
    if len(found) < RARE * n or not len(found):
        return "", trimmed == ""
    common = str(found.value_counts(sort=True).row(0)[0])
    return common, (trimmed == common) | (trimmed == "")


def decimal_mark(numbers: pl.Series, hint: str = "") -> tuple[str, str]:
    """Return the decimal mark of a column of bare numbers, and what to say where it is in doubt."""
    commas, points = numbers.str.contains(",", literal=True), numbers.str.contains(".", literal=True)
    if not commas.any():
        if points.any():
            return _one_mark(numbers.filter(points), ".", hint)
        return hint or ".", ""
    if not points.any():
        return _one_mark(numbers.filter(commas), ",", hint)
    both = numbers.filter(commas & points)
    if len(both):
        comma_last = both.str.contains(r",[^.]*$")
        return ("," if comma_last.sum() > len(both) / 2 else "."), ""
    # some cells have commas, others points: the one that more often cannot be thousands is the decimal mark
    by_comma = int((~numbers.filter(commas).str.contains(_GROUPED["."])).sum())
    by_point = int((~numbers.filter(points).str.contains(_GROUPED[","])).sum())
    return ("," if by_comma > by_point else "."), ""


def _one_mark(numbers: pl.Series, mark: str, hint: str) -> tuple[str, str]:
    other = "," if mark == "." else "."
    once = rf"^[+-]?[^{mark}]*[{mark}][^{mark}]*$"
    grouped = rf"^[+-]?[1-9]\d{{0,2}}[{mark}]\d{{3}}$"
    # twice in one number it parts thousands; before other than three digits, decimals: most cells decide
    single = numbers.str.contains(once)
    twice, decimals = int((~single).sum()), int((single & ~numbers.str.contains(grouped)).sum())
    if twice or decimals:
        return (other if twice > decimals else mark), ""
    # every one could be thousands or three decimals
    if hint:
        return hint, ""
    example = numbers[0]
    if mark == ",":
        return ".", f"“{example}” is taken with thousands, not decimals"
    return ".", f"“{example}” is taken with decimals, not thousands" if len(numbers) > 2 else ""


def _without_thousands(bare: pl.Series, mark: str) -> pl.Series:
    grouped = bare.str.contains(_GROUPED[mark]).fill_null(False)
    other = "[, ]" if mark == "." else "[. ]"
    opened = pl.select(pl.when(grouped).then(bare.str.replace_all(other, "")).otherwise(bare)).to_series()
    if mark == ",":
        # a point that is no thousands mark makes the cell unreadable, not a decimal
        opened = opened.set(opened.str.contains(".", literal=True).fill_null(False), None)
        opened = opened.str.replace(",", ".", literal=True)
    return opened


def unit_of(text: str) -> str:
    """Return the unit a text beside a number means, "" where it is none we know.

    >>> unit_of("km"), unit_of("Minutes"), unit_of("pts")
    ('km', 'min', '')
    """
    text = text.strip().strip("()[]")
    return UNITS.get(text) or UNITS.get(text.lower(), "")


def currency_of(text: str) -> str:
    """Return the currency a text beside a number means, "" where it is none we know.

    >>> currency_of("€"), currency_of("Eur"), currency_of("K")
    ('€', 'EUR', '')
    """
    text = text.strip()
    return CURRENCIES.get(text) or CURRENCIES.get(text.upper(), "")


HIDDEN = re.compile(r"^(\D*?)([-+]?\d[\d,]*(?:\.\d+)?)(.*)$", re.DOTALL)


def hidden_pattern(values: pl.Series) -> str:
    """Return the pattern of cells that hide a number in constant text: ``n of 5``, ``K n``; "" for none."""
    if len(values) < 2:
        return ""
    match = HIDDEN.match(values[0])
    if match is None or not (match[1].strip() or match[3].strip()):
        return ""
    before, after = match[1], match[3]
    if values.str.contains(rf"^{escaped(before)}0\d").any():
        return ""  # leading zeros: a code
    if before.strip() and not re.search(r"[\s.:=]$", before) and not currency_of(before):
        return ""  # glued to letters: a code such as B12
    return f"{before}n{after}" if bool(values.str.contains(hidden_number(before, after)).all()) else ""


def hidden_number(before: str, after: str) -> str:
    """Return the expression whose first group is the number between two constant texts."""
    return rf"^{escaped(before)}([-+]?\d[\d,]*(?:\.\d+)?){escaped(after)}$"


def escaped(text: str) -> str:
    """Return a text as a pattern that matches just it; the engine of polars knows the same escapes."""
    return re.sub(r"([\\.+*?()|\[\]{}^$#&~-])", r"\\\1", text)
