"""How columns are found where the rows are: which of them an engine sees as the table does."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

import msgspec
import polars as pl

from night_trail.core.reading.kinds import MISSING
from night_trail.core.table import Column, Kind, largest

How = Literal["number", "yes", "text", "time", "day"]

MOST_NOTHING = 200
EXACT = 2.0**53
"""Whole numbers up to here are told apart as floats."""


class Field(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A column where the rows are: its name there, what it is there, and texts that stand for nothing."""

    source: str
    how: How
    nothing: tuple[str, ...] = ()


def fields_of(
    columns: Sequence[Column], cells: Callable[[int], pl.Series], came: Sequence[pl.Series]
) -> dict[str, Field]:
    """Return the columns that hold, cell for cell, what they hold where the rows are.

    A column that was read otherwise than it came, as dates from texts, is none of them: an engine
    would see other values. ``came`` are the cells as they came, by position.
    """
    found = {}
    for at, column in enumerate(columns):
        how = _how(column, came[at].dtype)
        if how is None:
            continue
        field = _field(came[at], cells(at), how)
        if field is not None:
            found[column.name] = field
    return found


def _how(column: Column, came: pl.DataType) -> How | None:
    if column.kind == Kind.YES_NO:
        return "yes" if came == pl.Boolean or came.is_integer() else None
    if column.kind.numeric:
        return "number" if came.is_numeric() else None
    if column.kind == Kind.DATE:
        return "day" if came == pl.Date or isinstance(came, pl.Datetime) else None
    if column.kind == Kind.DATETIME:
        return "time" if isinstance(came, pl.Datetime) and came.time_zone is None else None
    return "text" if came == pl.String or isinstance(came, pl.Categorical | pl.Enum) else None


def _field(came: pl.Series, kept: pl.Series, how: How) -> Field | None:
    """Return where a column is found, None where its cells were read as something else."""
    name = came.name
    match how:
        case "text":
            plain = came.cast(pl.String).str.strip_chars(" ")
            texts = kept.cast(pl.String)
            gone = plain.filter(texts.is_null() & plain.is_not_null()).unique()
            if len(gone) > MOST_NOTHING or not _same(plain.set(texts.is_null(), None), texts):
                return None
            # "NA" may be a value here: then it is not among what stands for nothing
            present = set(texts.drop_nulls().unique().to_list())
            usual = {v for m in MISSING for v in (m, m.upper(), m.capitalize(), m.title())} - present
            return Field(name, how, tuple(sorted(usual | set(gone.to_list()))))
        case "yes":
            return Field(name, how) if _same(_as_number(came) != 0, kept.cast(pl.Boolean)) else None
        case "number":
            if kept.dtype == pl.Int64 and largest(kept.cast(pl.Float64)) >= EXACT:
                return None  # engines tell numbers as floats: such ones would run together
            return Field(name, how) if _same(_as_number(came), kept.cast(pl.Float64)) else None
        case "day":
            return Field(name, how) if _same(came.cast(pl.Date), kept) else None
        case "time":
            return Field(name, how) if _same(came.cast(pl.Datetime("us")), kept) else None


def _as_number(came: pl.Series) -> pl.Series:
    numbers = came.cast(pl.Float64)
    return numbers.set(~numbers.is_finite().fill_null(True), None)


def _same(one: pl.Series, other: pl.Series) -> bool:
    return bool(one.alias("c").eq_missing(other.alias("c")).all())
