"""Which remedies suit a column or a table, each with the step that would be taken."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec
import numpy as np
import polars as pl

from night_trail.core.language.numbers import counted, listed, number
from night_trail.core.reading.kinds import known_beside, typed
from night_trail.core.reading.numbers import UNITS, as_numbers, hidden_number, unit_of
from night_trail.core.reading.settings import ColumnSetting
from night_trail.core.recipe import steps as s
from night_trail.core.recipe.apply import currency
from night_trail.core.recipe.clusters import MOST_VALUES, Cluster, clusters
from night_trail.core.recipe.several import MOST_YES_NO, several
from night_trail.core.recipe.units import LONGEST, mixed
from night_trail.core.table import Coded, Column, Counted, Kind, as_text, counted_texts, largest, on_axis

MOST_ODD = 0.4
"""The share of cells that may not fit where text is offered to be read as a number or a date."""

_SENTINELS = (-1, -9, -99, -999, -9999, -99999, 99, 999, 9999, 99999, 999999, 9_999_999)
_OUT_OF = re.compile(r"^ ?(?:of|/|out of|von|sur) ?(\d{1,3})(?: .*)?$", re.IGNORECASE)


class Remedy(msgspec.Struct, frozen=True, omit_defaults=True):
    """A remedy in words, and the step that takes it; ``look`` asks to be shown before it is taken."""

    text: str
    step: s.Step
    look: bool = False


def column_offers(column: Column, cells: pl.Series) -> tuple[Remedy, ...]:
    """Return the remedies that suit one column, the surest first."""
    found = []
    hidden = None
    if column.pattern:
        hidden = _hidden_number(column, cells)
    elif column.kind in (Kind.CATEGORY, Kind.TEXT):
        hidden = _mostly(column, cells)
    if hidden:
        found.append(hidden)
    texts = counted_texts(cells) if column.kind in (Kind.CATEGORY, Kind.PLACE, Kind.TEXT) else None
    if texts and column.kind != Kind.PLACE and (units := _units(column, texts)):
        found.insert(0, units)
    if column.kind.numeric and (sentinel := _sentinel(column, cells)):
        found.append(sentinel)
    if texts and 1 < column.distinct <= MOST_VALUES:
        found += _spellings(column, cells)
    if texts and not column.once:
        found += _several(column, cells, texts)
    if (blanks := _blocks(column, cells)) is not None:
        found.append(blanks)
    if column.missing < len(cells) and column.distinct == 1 and len(cells) > 1:
        found.append(Remedy("Leave it out", s.Leave((column.name,))))
    return tuple(found)


def _mostly(column: Column, cells: pl.Series) -> Remedy | None:
    """Return the offer to read text as numbers or dates, where most of it is and some cells are not."""
    present = cells.drop_nulls()
    # numbers and dates have digits: most words are told from them by this alone
    if as_text(present.head(50)).str.contains(r"\d").sum() < (1 - MOST_ODD) * min(50, len(present)) / 2:
        return None
    texts = as_text(present)
    for kind in (Kind.NUMBER, Kind.DATE):
        for part in (texts.head(300), texts):
            # beside the numbers only a unit or currency may stand: N7 is no number
            numbers = as_numbers(part) if kind == Kind.NUMBER else None
            if not len(part) or (kind == Kind.NUMBER and not (numbers and known_beside(numbers))):
                break
            found, made = typed(column.name, part, ColumnSetting(kind=kind))
            if found.failed > MOST_ODD * len(part) or (not found.failed and len(part) == len(texts)):
                # where all of them are numbers they were left as they are: codes
                break
        else:
            whole = kind == Kind.NUMBER and bool((made == made.floor()).all())
            step = s.ReadAs(column.name, Kind.WHOLE if whole else kind)
            return Remedy(f"Read as {step.kind} ({found.failed_words})", step)
    return None


def _hidden_number(column: Column, cells: pl.Series) -> Remedy | None:
    before, _, after = column.pattern.partition("n")
    # a text before the number may hold an n of its own: the number is where the cells have it
    match = re.match(r"^(\D*?)[-+]?\d[\d,]*(?:\.\d+)?(.*)$", str(cells.drop_nulls()[0]), re.DOTALL)
    if match:
        before, after = match[1], match[2]
    texts = cells.unique() if isinstance(cells.dtype, pl.Enum) else cells.head(20_000)
    numbers = (
        texts.cast(pl.String)
        .str.extract(hidden_number(before, after), 1)
        .str.replace_all(",", "")
        .cast(pl.Float64, strict=False)
    ).drop_nulls()
    if not len(numbers):
        return None
    out_of = _OUT_OF.match(after)
    if out_of and not before.strip():
        top = int(out_of[1])
        if largest(numbers) <= top:
            return Remedy(
                f"Read as a number from 1 to {top}", s.ReadNumber(column.name, before, after, top=top)
            )
    money = currency(before) or ("" if after.strip() in UNITS else currency(after))
    if money and not (before.strip() and after.strip()):
        return Remedy(f"Read as money, {money}", s.ReadNumber(column.name, before, after, Kind.MONEY, money))
    unit = unit_of(after) or (after.strip()[:12] if not before.strip() else "")
    said = f", {unit}" if unit else ""
    return Remedy(f"Read as a number{said}", s.ReadNumber(column.name, before, after, unit=unit))


def _sentinel(column: Column, cells: pl.Series) -> Remedy | None:
    """Return the offer to count a number such as 9999 as missing, where it recurs far from the rest."""
    ends = (cells.max(), cells.min())
    if len(cells) - column.missing < 10 or not any(end in _SENTINELS for end in ends):
        return None
    axis = np.asarray(on_axis(cells))
    axis = axis[~np.isnan(axis)]
    for end, sign in ((float(axis.max()), 1), (float(axis.min()), -1)):
        if end not in _SENTINELS:
            continue
        rest = axis[axis != end]
        times = len(axis) - len(rest)
        if not len(rest) or times < 2 or times > len(axis) / 2:
            continue
        low, high = float(rest.min()), float(rest.max())
        gap = (end - high) if sign > 0 else (low - end)
        lonely_minus = end == -1 and low >= 0 and times >= 2
        if gap > (high - low) or (lonely_minus and column.kind == Kind.WHOLE and high > 20):
            text = f"Count {number(end)} as missing ({counted(times, 'cell')})"
            return Remedy(text, s.ToMissing(column.name, (end,)))
    return None


def _blocks(column: Column, cells: pl.Series) -> Remedy | None:
    """Return the offer to fill blanks from above, where each value stands once over a block of them."""
    present = len(cells) - column.missing
    if column.kind.numeric or column.kind == Kind.YES_NO or not 3 <= present <= len(cells) / 2:
        return None
    has = cells.is_not_null()
    followed = int((has & ~has.shift(-1, fill_value=False)).sum())
    texts = as_text(cells.drop_nulls())
    if not has[0] or followed < 0.9 * present or texts.n_unique() < 0.9 * present:
        return None
    if int(texts.str.len_chars().max() or 0) > LONGEST:  # type: ignore[arg-type]
        return None
    return Remedy(f"Fill its {counted(column.missing, 'blank')} from above", s.FillDown(column.name))


def _units(column: Column, texts: Counted) -> Remedy | None:
    """Return the offer to bring amounts in several units to one, saying what is taken as what."""
    held = mixed(texts)
    if held is None:
        return None
    if not held.unit:
        return Remedy("Read as a number (5,8 as 5.8)", s.ReadUnits(column.name, ""))
    said = ["6'2 as feet and inches"] if held.feet else []
    others = [unit for unit in held.found if unit != held.unit and not (held.feet and unit == "in")]
    said += [f"{listed(others)} brought to it"] if others else []
    said += [f"numbers alone as {held.plain}"] if held.plain else []
    text = f"Read as a number in {held.unit} ({', '.join(said)})"
    return Remedy(text, s.ReadUnits(column.name, held.unit, held.plain))


def _several(column: Column, cells: pl.Series, texts: Counted) -> list[Remedy]:
    """Return the two ways to take apart cells that hold several values."""
    held = several(texts, cells.null_count())
    if held is None:
        return []
    few = held.values[:MOST_YES_NO]
    which = f"each of its {len(few)} values" if few == held.values else f"its {len(few)} most frequent values"
    return [
        Remedy(
            f"A row for each of its values ({len(cells):,} rows become {held.rows:,})",
            s.OneEach(column.name, held.mark, f"first of its {column.name}"),
        ),
        Remedy(f"A yes/no column for {which}", s.YesNoEach(column.name, held.mark, few)),
    ]


def _spellings(column: Column, cells: pl.Series) -> list[Remedy]:
    found = spelling_clusters(cells)
    mapping = {old: new for cluster in found for old, new in cluster.mapping().items()}
    if not mapping:
        return []
    return [Remedy(f"Unify {counted(len(mapping), 'spelling')}", s.Unify(column.name, mapping), look=True)]


def spelling_clusters(cells: pl.Series) -> list[Cluster]:
    """Return the groups of spellings in a column."""
    coded = Coded.of(cells)
    counts = np.bincount(coded.codes + 1, minlength=len(coded.labels) + 1)[1:]
    return clusters({label: int(n) for label, n in zip(coded.labels, counts, strict=True) if n})


def table_offers(columns: Sequence[Column]) -> list[Remedy]:
    """Return remedies that take more than one column: a date and a time of day that are one moment."""
    dates = [c for c in columns if c.kind == Kind.DATE]
    times = [c for c in columns if c.kind == Kind.TIME]
    if len(dates) != 1 or len(times) != 1:
        return []
    date, time = dates[0].name, times[0].name
    name = f"{date}_{time}" if " " not in date + time else f"{date} {time}"
    return [Remedy(f"Put them together as {name[:60]}", s.Combine(date, time, name[:200]))]
