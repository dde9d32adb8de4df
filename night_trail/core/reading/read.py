"""A source of text cells becomes typed columns."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading.kinds import typed
from night_trail.core.reading.sources import Source, open_file
from night_trail.core.table import Column, FrameSource, Kind, Table, noun_from

MOST_COLUMNS = 2_000


@dataclass(frozen=True)
class TypedColumn:
    """One column as read: its position, what is known of it, its cells."""

    position: int
    column: Column
    cells: pl.Series


def read(source: Source) -> Iterator[TypedColumn]:
    """Yield the columns of a source in their kinds, in order, one at a time."""
    if len(source.names) > MOST_COLUMNS:
        raise Unreadable(
            f"The file has {len(source.names):,} columns, more than the {MOST_COLUMNS:,} that are read",
            "",
            "Leave some out.",
        )
    for batch in source.batches():
        while batch:
            # popped, so that the text cells are freed as soon as they are typed
            position, cells = batch.pop(0)
            column, series = typed(source.names[position], cells)
            yield TypedColumn(position, column, series)


def row_noun(columns: list[Column], height: int) -> tuple[str, str]:
    """Return what one row is, from the identifier that is different in every row."""
    for column in columns:
        if column.kind == Kind.IDENTIFIER and column.distinct == height and column.missing == 0:
            return noun_from(column.name)
    return ("row", "rows")


def load(path: Path, name: str = "") -> tuple[Table, list[str]]:
    """Return a whole file as a table in memory, and notes on how it was read.

    For scripts and tests; pages read column by column into the database.
    """
    source = open_file(path, name or path.name)
    found = list(read(source))
    height = len(found[0].cells) if found else 0
    columns = [f.column for f in found]
    with path.open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()[:20]
    table = Table(
        key=f"file:{digest}",
        name=Path(name or path.name).stem,
        columns=columns,
        height=height,
        source=FrameSource([f.cells for f in found]),
        row_noun=row_noun(columns, height),
    )
    return table, source.notes
