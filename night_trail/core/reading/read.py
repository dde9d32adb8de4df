"""A source of cells becomes typed columns."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import msgspec
import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading.delimited import SAMPLE_RECORDS
from night_trail.core.reading.kinds import typed
from night_trail.core.reading.settings import MOST_COLUMNS, ReadingSettings, Understood
from night_trail.core.reading.sources import Source, open_file
from night_trail.core.reading.summing import related
from night_trail.core.table import Column, FrameSource, Kind, Table, noun_from

FEWER = 60
"""How many records of a sample may be titles and blanks: with that many rows fewer a file is whole."""


@dataclass(frozen=True)
class TypedColumn:
    """A column as read: its place among the wanted, what is known of it, its cells, its name in the file."""

    position: int
    column: Column
    cells: pl.Series
    source_name: str = ""


class Shown(msgspec.Struct, frozen=True):
    """Which columns of a wide file a preview shows: the first ``most`` whose names hold ``sought``."""

    most: int
    sought: str = ""

    def of(self, names: Sequence[str]) -> list[int]:
        """Return their positions."""
        return [i for i, name in enumerate(names) if self.sought.lower() in name.lower()][: self.most]


def wanted_columns(source: Source, settings: ReadingSettings) -> list[int]:
    """Return the positions of the columns that are to be read, all unless some were left out by hand."""
    found = [i for i, name in enumerate(source.names) if settings.column(name).wanted]
    if not found:
        raise Unreadable("No column is wanted", "", "Keep at least one.")
    if len(found) > MOST_COLUMNS:
        raise Unreadable(
            f"The file has {len(found):,} columns, more than the {MOST_COLUMNS:,} that are read",
            "",
            "Leave some out.",
        )
    return found


def read(
    source: Source, settings: ReadingSettings | None = None, shown: Shown | None = None
) -> Iterator[TypedColumn]:
    """Yield the wanted columns of a source in their kinds, in order, one at a time.

    Columns without a name and without cells are left out, and counted. Where
    not all are ``shown``, only the first wanted one and those shown are read.
    """
    settings = settings or ReadingSettings()
    named = getattr(getattr(source, "layout", None), "named", None)
    wanted = wanted_columns(source, settings)
    source.understood.leave_out(len(source.names) - len(wanted), "columns, as chosen by hand")
    if shown is not None:
        wanted = sorted({*wanted[:1], *({*wanted} & {*shown.of(source.names)})})
    position = empty = 0
    for batch in source.batches(wanted):
        while batch:
            # popped, so that the text cells are freed as soon as they are typed
            i, cells = batch.pop(0)
            name = source.names[i]
            unit = source.units[i] if i < len(source.units) else ""
            column, series = typed(name, cells, settings.column(name), replace(source.hints, unit=unit))
            if named is not None and not named[i] and column.missing == len(series) and len(wanted) > 1:
                empty += 1
                continue
            yield TypedColumn(position, column, series, name)
            position += 1
    source.understood.leave_out(empty, "columns without a name and without cells")


def row_noun(columns: Sequence[Column], height: int) -> tuple[str, str]:
    """Return what one row is, from the identifier that is different in every row."""
    for column in columns:
        if column.kind == Kind.IDENTIFIER and column.distinct == height and column.missing == 0:
            return noun_from(column.name)
    return ("row", "rows")


@dataclass(frozen=True)
class Loaded:
    """A file read whole, and what was understood of it."""

    table: Table
    understood: Understood


def load_part(path: Path, name: str = "", settings: ReadingSettings | None = None, part: str = "") -> Loaded:
    """Return a whole table of a file in memory.

    For scripts and tests; pages read column by column into the database.
    """
    name = name or path.name
    settings = settings or ReadingSettings()
    source = open_file(path, name, settings, part)
    found = list(read(source, settings))
    height = len(found[0].cells) if found else 0
    columns = [f.column for f in found]
    with path.open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()[:20]
    table = Table(
        key=f"file:{digest}:{part}",
        name=table_name(name, part),
        columns=related(columns, lambda i: found[i].cells, height),
        height=height,
        source=FrameSource([f.cells for f in found]),
        row_noun=row_noun(columns, height),
    )
    return Loaded(table, source.understood)


def load(path: Path, name: str = "") -> tuple[Table, list[str]]:
    """Return the first table of a file in memory, and notes on how it was read."""
    loaded = load_part(path, name)
    return loaded.table, loaded.understood.notes()


def table_name(file_name: str, part: str = "") -> str:
    """Return a name for a table from where it came.

    >>> table_name("night_buses.csv.gz"), table_name("book.xlsx", "Trips")
    ('night_buses', 'book · Trips')
    """
    stem = Path(file_name).name
    for ending in (".gz", ".zip"):
        stem = stem.removesuffix(ending)
    stem = Path(stem).stem or stem
    inner = Path(part).stem if "." in part else part
    return f"{stem} · {inner}" if inner and inner != stem else stem


@dataclass(frozen=True)
class Preview:
    """The first rows of a file as they would be read; ``records`` are those above them, as they stand.

    ``whole`` says that these are all of its rows.
    """

    names: list[str]
    columns: dict[str, Column]
    cells: dict[str, pl.Series]
    height: int
    records: list[list[str]]
    understood: Understood
    whole: bool


def preview(
    path: Path, name: str, settings: ReadingSettings, part: str = "", shown: Shown | None = None
) -> Preview:
    """Return how a file would be read, from its first rows only; quick for a file of any size."""
    source = open_file(path, name, settings, part, sampled=True)
    found = list(read(source, settings, shown))
    layout = getattr(source, "layout", None)
    height = len(found[0].cells) if found else 0
    above = 0 if layout is None else layout.first if layout.header is None else layout.header
    return Preview(
        names=list(source.names),
        columns={f.source_name: f.column for f in found},
        cells={f.source_name: f.cells for f in found},
        height=height,
        whole=not getattr(source, "partial", height > SAMPLE_RECORDS - FEWER),
        records=source.records[:above][-12:],
        understood=source.understood,
    )
