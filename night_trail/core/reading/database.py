"""A SQLite file: one of its tables."""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Iterator, Sequence
from pathlib import Path
from urllib.parse import quote

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading.delimited import SAMPLE_RECORDS
from night_trail.core.reading.kinds import Hints
from night_trail.core.reading.settings import ReadingSettings, Understood

_CELLS_AT_ONCE = 6_000_000


@contextlib.contextmanager
def _opened(path: Path, name: str) -> Iterator[sqlite3.Connection]:
    try:
        connection = sqlite3.connect(f"file:{quote(str(path.resolve()))}?mode=ro&immutable=1", uri=True)
        connection.text_factory = lambda raw: raw.decode("utf-8", errors="replace")
        connection.execute("PRAGMA trusted_schema=OFF")
        connection.execute("PRAGMA cell_size_check=ON")
        try:
            yield connection
        finally:
            connection.close()
    except sqlite3.Error as error:
        raise Unreadable(
            f"The database cannot be read ({str(error)[:120]})",
            name,
            "Export its table as CSV and choose that.",
        ) from None


def tables(path: Path, name: str) -> list[str]:
    """Return the names of its own tables; views and virtual ones can run code and are left alone."""
    with _opened(path, name) as connection:
        rows = connection.execute(
            "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\'"
            " AND sql NOT LIKE 'CREATE VIRTUAL%' ORDER BY rowid"
        ).fetchall()
    if not rows:
        raise Unreadable("The database holds no tables", name, "Choose one with a table in it.")
    return [row[0] for row in rows]


class DatabaseSource:
    """A table of a SQLite file."""

    def __init__(
        self, path: Path, name: str, settings: ReadingSettings, part: str = "", sampled: bool = False
    ) -> None:
        self._path, self._name = path, name
        known = tables(path, name)
        part = part or known[0]
        if part not in known:
            raise Unreadable(
                f"There is no table “{part[:60]}” any more", name, f"It has: {', '.join(known[:10])[:200]}."
            )
        self._table = '"' + part.replace('"', '""') + '"'
        self._limit = f" LIMIT {SAMPLE_RECORDS}" if sampled else ""
        with _opened(path, name) as connection:
            info = connection.execute(f"PRAGMA table_info({self._table})").fetchall()
            self._height = connection.execute(f"SELECT count(*) FROM {self._table}").fetchone()[0]  # noqa: S608  (a name the file itself gave, quoted)
        self.names = [row[1] for row in info]
        self.units: list[str] = []
        self.records: list[list[str]] = []
        self.hints = Hints(decimal=".", missing=settings.missing)
        self.understood = Understood(format="SQLite database", part=part)
        self.understood.reasons["table"] = f"read from its table “{part}”"

    def batches(self, wanted: Sequence[int]) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield the wanted columns, a few at a time; cells of several types become text."""
        step = max(1, _CELLS_AT_ONCE // max(self._height, 1))
        for at in range(0, len(wanted), step):
            group = list(wanted[at : at + step])
            chosen = ", ".join('"' + self.names[i].replace('"', '""') + '"' for i in group)
            with _opened(self._path, self._name) as connection:
                rows = connection.execute(f"SELECT {chosen} FROM {self._table}{self._limit}").fetchall()  # noqa: S608  (names the file itself gave, quoted)
            cells = list(zip(*rows, strict=True)) if rows else [()] * len(group)
            yield [(i, _series(list(c))) for i, c in zip(group, cells, strict=True)]


def _series(cells: list[object]) -> pl.Series:
    kinds = {type(c) for c in cells if c is not None}
    if kinds == {int}:
        return pl.Series(cells, dtype=pl.Int64)
    if kinds and kinds <= {int, float}:
        return pl.Series(cells, dtype=pl.Float64, strict=False)
    texts = [
        c if c is None or isinstance(c, str) else "(bytes)" if isinstance(c, bytes) else str(c) for c in cells
    ]
    return pl.Series(texts, dtype=pl.String)
