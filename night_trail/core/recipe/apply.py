"""A recipe taken on a table: each step a small function from draft to draft."""

from __future__ import annotations

import calendar
import itertools
from collections.abc import Callable, Iterable
from typing import Any

import msgspec
import numpy as np
import polars as pl

from night_trail.core.conditions import check as check_condition
from night_trail.core.conditions import mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import number
from night_trail.core.questions.decomposition.answer import apart, check
from night_trail.core.questions.shared.periods import periods_of
from night_trail.core.reading.kinds import typed
from night_trail.core.reading.numbers import currency_of, hidden_number
from night_trail.core.reading.settings import ColumnSetting
from night_trail.core.reading.typed import Typed
from night_trail.core.reading.words import category, words
from night_trail.core.recipe import joining, stacking
from night_trail.core.recipe import steps as s
from night_trail.core.recipe.draft import Draft
from night_trail.core.recipe.several import MOST_YES_NO, parted
from night_trail.core.recipe.sql import compile_sql
from night_trail.core.recipe.sql_words import DATE, DATETIME, NUMBER, YES_NO
from night_trail.core.recipe.units import SIZES, brought_to
from night_trail.core.rows import Rows
from night_trail.core.table import CLOCK, YEAR, Column, Kind, Table, as_text, largest

Others = Callable[[str], Table]
WEEKDAYS = list(calendar.day_name)
MONTHS = list(calendar.month_name)[1:]


def no_others(reference: str) -> Table:
    """Refuse to look another table up, where there is none."""
    raise BadQuestion(
        f"The table “{reference}” is not at hand", "", "Leave this step out, or bring the table."
    )


def apply(steps: Iterable[s.Step], base: Table, others: Others = no_others, lenient: bool = False) -> Draft:
    """Return a draft of the table after the steps.

    Parameters
    ----------
    steps
        What is done, in order.
    base
        The table as it was read; it is not changed.
    others
        Gives a table by its reference, for joins and stacks.
    lenient
        Whether a step that cannot be taken is skipped and complained of, as
        when a recipe meets a fresh delivery, instead of refused.

    Raises
    ------
    BadQuestion
        Naming what the step needs that is not there.
    """
    draft = Draft.of(base)
    for step in steps:
        before = draft.copy()
        try:
            take(draft, step, others)
        except BadQuestion as error:
            if not lenient:
                raise
            # a step may have been taken halfway
            draft = before
            draft.complaints.append(f"Not done: {step.words()}. {error}")
    return draft


def take(draft: Draft, step: s.Step, others: Others = no_others) -> None:
    """Take one step on a draft, which is changed."""
    try:
        _take(draft, step, others)
    except pl.exceptions.PolarsError as error:
        raise BadQuestion(
            f"This cannot be done: {str(error).splitlines()[0][:160]}", "", "Check the step."
        ) from None


def _take(draft: Draft, step: s.Step, others: Others) -> None:
    if isinstance(step, s.Join):
        joining.join(draft, step, others(step.table))
        draft.recount()
    elif isinstance(step, s.Stack):
        stacking.stack(draft, step, [others(table) for table in step.tables])
    elif isinstance(step, s.Lost):
        raise BadQuestion("A step cannot be read any more", "", "Take it back.")
    else:
        _TAKE[type(step)](draft, step)


def _read_as(draft: Draft, step: s.ReadAs) -> None:
    place = draft.at(step.column)
    cells = draft.cells(place)
    if place.column.kind == step.kind and (not step.unit or step.unit == place.column.unit):
        return
    if step.kind.numeric and place.column.kind.numeric:
        whole = step.kind == Kind.WHOLE
        numbers = cells.cast(pl.Float64)
        made = numbers.set(numbers != numbers.floor(), None).cast(pl.Int64) if whole else numbers
        draft.put(
            step.column,
            Typed(step.kind, made, "", unit=step.unit or place.column.unit),
            "chosen by hand",
            clean=as_text(cells),
        )
        return
    texts = as_text(cells)
    if place.column.kind.numeric:
        texts = texts.str.replace(r"\.0$", "")
    column, made = typed(step.column, texts, ColumnSetting(kind=step.kind))
    place.column = msgspec.structs.replace(column, unit=step.unit or column.unit)
    place.origin = made


def _read_number(draft: Draft, step: s.ReadNumber) -> None:
    place = draft.at(step.column)
    texts = as_text(draft.cells(place))
    found = texts.str.extract(hidden_number(step.before, step.after), 1).str.replace_all(
        ",", "", literal=True
    )
    numbers = found.cast(pl.Float64, strict=False)
    present = numbers.drop_nulls()
    if not len(present):
        raise BadQuestion(
            f"No cell of “{step.column}” is like “{step.before}n{step.after}”", "", "Choose another remedy."
        )
    whole = bool((present == present.floor()).all())
    kind = Kind.WHOLE if whole and step.kind == Kind.NUMBER else step.kind
    cells = numbers.cast(pl.Int64) if kind == Kind.WHOLE else numbers
    said: dict[str, Any] = {"top": step.top}
    if step.top:
        said["additive"] = False
    draft.put(
        step.column,
        Typed(kind, cells, "", unit=step.unit),
        f"the number in “{step.before}n{step.after}”",
        clean=texts,
        **said,
    )


def _read_units(draft: Draft, step: s.ReadUnits) -> None:
    place = draft.at(step.column)
    together = (sizes for sizes in SIZES.values() if {step.unit, step.plain or step.unit} <= sizes.keys())
    if (step.unit or step.plain) and not any(together):
        raise BadQuestion(f"“{step.unit}” is no unit that others are brought to", "", "Take cm, kg or min.")
    texts = as_text(draft.cells(place))
    made = brought_to(texts, step.unit, step.plain)
    if not len(made.drop_nulls()):
        raise BadQuestion(
            f"No cell of “{step.column}” is an amount in {step.unit}", "", "Choose another unit."
        )
    found = Typed(Kind.NUMBER, made, "", unit=step.unit)
    draft.put(step.column, found, f"amounts brought to {step.unit}", clean=texts)


def _describe(draft: Draft, step: s.Describe) -> None:
    place = draft.at(step.column)
    if step.name and step.name != step.column:
        name = " ".join(step.name.split())[:200]
        if any(p.column.name == name for p in draft.places):
            raise BadQuestion(f"There is a column “{name}” already", "", "Choose another name.")
        place.column = msgspec.structs.replace(place.column, name=name)
    if (step.unit or step.additive or step.top) and not place.column.kind.numeric:
        raise BadQuestion(f"“{step.column}” is {place.column.kind}", "", "Read it as a number first.")
    for key in ("unit", "additive", "top"):
        if getattr(step, key) is not None:
            place.column = msgspec.structs.replace(place.column, **{key: getattr(step, key)})
    if step.additive is not None:
        place.column = msgspec.structs.replace(place.column, summing="chosen by hand", sure=True, stock=False)


def _words_again(draft: Draft, name: str, texts: pl.Series, kind: Kind | None = None) -> None:
    """Put changed texts in a column's place, as what they are now."""
    place = draft.at(name)
    present = texts.drop_nulls()
    if not len(present):
        found = Typed(Kind.TEXT, texts, "every cell is missing")
    elif place.column.kind.grouping and place.column.kind != Kind.YES_NO:
        keep = None if place.column.kind == Kind.ORDERED else place.column.kind
        found = category(texts, present, kind or keep)
    else:
        found = words(name, texts, present)
    draft.put(name, found, found.reason)


def _unify(draft: Draft, step: s.Unify) -> None:
    place = draft.at(step.column)
    if place.column.kind.measured or place.column.kind == Kind.YES_NO:
        raise BadQuestion(f"“{step.column}” is {place.column.kind}", "", "Spellings are unified in text.")
    texts = as_text(draft.cells(place))
    _words_again(draft, step.column, texts.replace(step.mapping))


def _to_missing(draft: Draft, step: s.ToMissing) -> None:
    place = draft.at(step.column)
    cells = draft.cells(place)
    if place.column.kind.numeric:
        try:
            values = [float(v) for v in step.values]
        except ValueError:
            raise BadQuestion(f"“{step.column}” holds numbers", "", "Give numbers.") from None
        made = cells.set(cells.cast(pl.Float64).is_in(values).fill_null(False), None)
        draft.put(
            step.column,
            Typed(place.column.kind, made, "", unit=place.column.unit),
            place.column.reason,
            additive=place.column.additive,
            top=place.column.top,
            unit=place.column.unit,
        )
        return
    texts = as_text(cells)
    gone = texts.is_in([str(v) for v in step.values]).fill_null(False)
    if place.column.kind.temporal or place.column.kind == Kind.YES_NO:
        draft.put(step.column, Typed(place.column.kind, cells.set(gone, None), ""), place.column.reason)
    else:
        _words_again(draft, step.column, texts.set(gone, None))


def _fill_down(draft: Draft, step: s.FillDown) -> None:
    place = draft.at(step.column)
    filled = draft.cells(place).fill_null(strategy="forward")
    if place.column.kind.measured or place.column.kind == Kind.YES_NO:
        column = place.column
        draft.put(step.column, Typed(column.kind, filled, "", unit=column.unit), column.reason)
    else:
        _words_again(draft, step.column, as_text(filled))


def _split(draft: Draft, step: s.Split) -> None:
    place = draft.at(step.column)
    kind = place.column.kind
    if not kind.temporal:
        raise BadQuestion(f"“{step.column}” is {kind}", "", "Only dates have such parts.")
    cells = draft.cells(place)
    for part in step.parts:
        if part in ("hour", "time of day") and kind == Kind.DATE:
            raise BadQuestion(f"“{step.column}” has no time of day", "", f"Leave out the {part}.")
        joiner = "_" if "_" in step.column or " " not in step.column else " "
        name = draft.free(f"{step.column}{joiner}{part.replace(' ', joiner)}")
        draft.add(
            name,
            _part(cells, part),
            f"the {part} of {step.column}",
            **({"additive": False} if part in ("year", "day", "hour") else {}),
        )


def _part(cells: pl.Series, part: s.Part) -> Typed:
    if part == "year":
        return Typed(Kind.WHOLE, cells.dt.year().cast(pl.Int64), "", unit=YEAR)
    if part == "day":
        return Typed(Kind.WHOLE, cells.dt.day().cast(pl.Int64), "")
    if part == "hour":
        return Typed(Kind.WHOLE, cells.dt.hour().cast(pl.Int64), "")
    if part == "time of day":
        hours = cells.dt.hour().cast(pl.Float64) + cells.dt.minute() / 60 + cells.dt.second() / 3_600
        return Typed(Kind.TIME, hours, "", unit=CLOCK)
    if part in ("month", "week", "date"):
        step = {"month": "1mo", "week": "1w", "date": "1d"}[part]
        return Typed(Kind.DATE, cells.dt.truncate(step).cast(pl.Date), "")
    names = {"weekday": WEEKDAYS, "month of year": MONTHS, "quarter": ["Q1", "Q2", "Q3", "Q4"]}[part]
    codes = {"weekday": cells.dt.weekday, "month of year": cells.dt.month, "quarter": cells.dt.quarter}[
        part
    ]()
    return Typed(Kind.ORDERED, _labelled(codes.cast(pl.Int64) - 1, names), "")


def _labelled(codes: pl.Series, labels: list[str]) -> pl.Series:
    """Return positions as the labels at them, in the labels' order."""
    return pl.Series(labels, dtype=pl.String).gather(codes).cast(pl.Enum(labels))


def _combine(draft: Draft, step: s.Combine) -> None:
    date, time = draft.at(step.date), draft.at(step.time)
    if date.column.kind != Kind.DATE or time.column.kind != Kind.TIME:
        raise BadQuestion(
            f"“{step.date}” is {date.column.kind} and “{step.time}” is {time.column.kind}",
            "",
            "A date and a time of day are needed.",
        )
    micros = (draft.cells(time) * 3.6e9).round().cast(pl.Int64)
    at = draft.cells(date).cast(pl.Datetime("us")) + micros.cast(pl.Duration("us"))
    draft.add(step.name, Typed(Kind.DATETIME, at, ""), f"{step.date} and {step.time} together")


def _as_share(draft: Draft, step: s.AsShare) -> None:
    place = draft.at(step.column)
    if not place.column.kind.numeric:
        raise BadQuestion(f"“{step.column}” is {place.column.kind}", "", "Read it as a number first.")
    draft.put(
        step.column, Typed(Kind.SHARE, draft.cells(place) / 100, ""), "per cent divided by 100", unit=""
    )


def _leave(draft: Draft, step: s.Leave) -> None:
    for name in step.columns:
        draft.places.remove(draft.at(name))
    if not draft.places:
        raise BadQuestion("No column would be left", "", "Keep at least one.")


def _leave_repeats(draft: Draft, step: s.LeaveRepeats) -> None:
    frame = pl.DataFrame([draft.cells(p).alias(f"c{i}") for i, p in enumerate(draft.places)])
    draft.take_rows(
        frame.select(pl.struct(pl.all()).is_first_distinct()).to_series().arg_true().cast(pl.UInt32)
    )
    draft.recount()


def _calculate(draft: Draft, step: s.Calculate) -> None:
    compiled = compile_sql(step.sql, draft.table())
    cells = compiled.compute(draft.table())
    draft.add(
        step.name, calculated(step.name, cells, compiled.value.type), f"calculated as {step.sql}", unit=""
    )


def calculated(name: str, cells: pl.Series, type_: str) -> Typed:
    """Return computed cells in the kind their type and values say."""
    present = cells.drop_nulls()
    if not len(present):
        return Typed(Kind.TEXT, cells.cast(pl.String), "every cell is missing")
    if type_ == NUMBER:
        exact = largest(present) < 2**53
        whole = not present.dtype.is_float() or (exact and bool((present == present.floor()).all()))
        return (
            Typed(Kind.WHOLE, cells.cast(pl.Int64), "")
            if whole
            else Typed(Kind.NUMBER, cells.cast(pl.Float64), "")
        )
    if type_ == YES_NO:
        return Typed(Kind.YES_NO, cells, "")
    if type_ == DATE:
        return Typed(Kind.DATE, cells.cast(pl.Date), "")
    if type_ == DATETIME:
        return Typed(Kind.DATETIME, cells.cast(pl.Datetime("us")), "")
    return words(name, cells, present)


def _cut(draft: Draft, step: s.Cut) -> None:
    place = draft.at(step.column)
    if not place.column.kind.numeric:
        raise BadQuestion(f"“{step.column}” is {place.column.kind}", "", "Only numbers are cut at edges.")
    edges = sorted(set(step.edges))
    if not edges or len(edges) > 100:
        raise BadQuestion("Between 1 and 100 edges are needed", "", "Write them as 10, 20, 50.")
    labels = list(step.labels) or bands(edges)
    if len(labels) != len(edges) + 1 or len(set(labels)) != len(labels):
        raise BadQuestion(
            f"{len(edges)} edges make {len(edges) + 1} bands, and {len(labels)} names were given",
            "",
            "Give each band its own name.",
        )
    cells = draft.cells(place).cast(pl.Float64)
    codes = (
        pl.Series(edges, dtype=pl.Float64).search_sorted(cells.fill_null(0.0), side="right").cast(pl.Int32)
    )
    codes = codes.set(cells.is_null(), None)
    draft.add(
        step.name,
        Typed(Kind.ORDERED, _labelled(codes, labels), ""),
        f"{step.column} cut into {len(labels)} bands",
    )


def _group(draft: Draft, step: s.Group) -> None:
    table = draft.table()
    check_condition(step.rows, table)
    cells = pl.Series("cells", mask(step.rows, table))
    draft.add(step.name, Typed(Kind.YES_NO, cells, ""), "a group named by hand")


def _part_of(draft: Draft, step: s.PartOf) -> None:
    table = draft.table()
    check(step.question, table)
    rows = Rows(table, step.only)
    found = apart(step.question, rows)
    if found.parts is None:
        raise BadQuestion("This series cannot be taken apart", "", "Choose another measure or step of time.")
    values = {
        "trend": found.parts.trend,
        "season": found.parts.season,
        "rest": found.parts.rest,
        "adjusted": found.parts.adjusted,
    }[step.part]
    codes = (
        periods_of(rows, step.question.time, found.calendar.grain, 1, step.question.zone).codes - found.start
    )
    inside = (codes >= 0) & (codes < len(values))
    cells = pl.Series("cells", np.where(inside, values[np.clip(codes, 0, len(values) - 1)], np.nan))
    unit = found.column.unit if found.column is not None else ""
    draft.add(step.name, Typed(Kind.NUMBER, cells.fill_nan(None), unit), f"the {step.part} of a series")


def bands(edges: list[float]) -> list[str]:
    """Return names for the bands between edges.

    >>> bands([10.0, 20.0])
    ['under 10', '10 to under 20', '20 and above']
    """
    between = [f"{number(a, 6)} to under {number(b, 6)}" for a, b in itertools.pairwise(edges)]
    return [f"under {number(edges[0], 6)}", *between, f"{number(edges[-1], 6)} and above"]


def _gather(draft: Draft, step: s.Gather) -> None:
    place = draft.at(step.column)
    mapping = {value: group for group, values in step.groups.items() for value in values}
    if not mapping:
        raise BadQuestion("No values are gathered", "", "Name a group and its values.")
    texts = as_text(draft.cells(place))
    if step.rest:
        made = texts.replace_strict(mapping, default=step.rest, return_dtype=pl.String)
        made = made.set(texts.is_null(), None)
        labels = list(dict.fromkeys([*step.groups, step.rest]))
        found = Typed(Kind.CATEGORY, made.cast(pl.Enum(labels)), "")
    else:
        made = texts.replace(mapping)
        found = category(made, made.drop_nulls(), Kind.CATEGORY)
    draft.add(step.name, found, f"values of {step.column} gathered")


def _order(draft: Draft, step: s.Order) -> None:
    place = draft.at(step.column)
    if place.column.kind.measured:
        raise BadQuestion(f"“{step.column}” has an order already", "", "Categories can be ordered.")
    texts = as_text(draft.cells(place))
    present = set(texts.drop_nulls().unique())
    labels = list(dict.fromkeys(step.labels))
    labels += sorted(present - set(labels))
    if len(labels) > 1_000:
        raise BadQuestion(f"“{step.column}” has {len(labels):,} values", "", "Gather them first.")
    draft.put(step.column, Typed(Kind.ORDERED, texts.cast(pl.Enum(labels)), ""), "ordered by hand")


MOST_ROWS = 50_000_000
"""More rows than this are not made of one table's cells."""


def _one_each(draft: Draft, step: s.OneEach) -> None:
    place = draft.at(step.column)
    texts = _parted_texts(place.column, draft.cells(place), step.mark)
    lists = parted(texts, step.mark)
    counts = lists.list.len().fill_null(0).clip(1, None)
    if int(counts.sum()) > MOST_ROWS:
        raise BadQuestion(f"That would be {int(counts.sum()):,} rows", "", "Make yes/no columns instead.")
    # an empty list gives one missing cell, as a missing cell does
    values = lists.list.explode()
    rows = pl.Series(np.repeat(np.arange(draft.height, dtype=np.uint32), counts.to_numpy()))
    first = rows.is_first_distinct()
    draft.take_rows(rows)
    draft.recount()
    once = draft.free(step.once)
    found = category(values, values.drop_nulls(), Kind.CATEGORY)
    draft.put(step.column, found, f"a row for each value between “{step.mark}”", once=once)
    for other in draft.places:
        if other.column.additive or other.column.stock:
            said = f"it stands once for each value of {step.column}"
            other.column = msgspec.structs.replace(
                other.column, additive=False, stock=False, sure=True, summing=said
            )
    draft.add(once, Typed(Kind.YES_NO, first, ""), f"yes for one row of those that {step.column} made of one")


def _yes_no_each(draft: Draft, step: s.YesNoEach) -> None:
    place = draft.at(step.column)
    if not 0 < len(step.values) <= MOST_YES_NO:
        raise BadQuestion(f"Between 1 and {MOST_YES_NO} values are needed", "", "Choose fewer.")
    lists = parted(_parted_texts(place.column, draft.cells(place), step.mark), step.mark)
    for value in step.values:
        draft.put(
            draft.free(f"{step.column}: {value}"),
            Typed(Kind.YES_NO, lists.list.contains(value), ""),
            f"whether {step.column} holds “{value}”",
        )


def _parted_texts(column: Column, cells: pl.Series, mark: str) -> pl.Series:
    if column.kind.measured or column.kind == Kind.YES_NO:
        raise BadQuestion(f"“{column.name}” is {column.kind}", "", "Only texts hold several values.")
    if not mark:
        raise BadQuestion("Nothing is named that stands between the values", "", "Write it as | or ;")
    return as_text(cells)


_TAKE: dict[type, Callable[[Draft, Any], None]] = {
    s.ReadAs: _read_as,
    s.ReadNumber: _read_number,
    s.ReadUnits: _read_units,
    s.Describe: _describe,
    s.Unify: _unify,
    s.ToMissing: _to_missing,
    s.FillDown: _fill_down,
    s.Split: _split,
    s.Combine: _combine,
    s.AsShare: _as_share,
    s.Leave: _leave,
    s.LeaveRepeats: _leave_repeats,
    s.Calculate: _calculate,
    s.Cut: _cut,
    s.Gather: _gather,
    s.Group: _group,
    s.PartOf: _part_of,
    s.Order: _order,
    s.OneEach: _one_each,
    s.YesNoEach: _yes_no_each,
}


def currency(text: str) -> str:
    """Return the currency a text beside a number means, or capitals that look like one.

    >>> currency("K "), currency("€"), currency("of 5")
    ('K', '€', '')
    """
    stripped = text.strip()
    return currency_of(stripped) or (
        stripped if stripped.isupper() and len(stripped) <= 3 and stripped.isalpha() else ""
    )
