"""Files of forms that an installed package reads."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Protocol

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.outside import brought
from night_trail.core.reading.delimited import SAMPLE_RECORDS
from night_trail.core.reading.kinds import Hints
from night_trail.core.reading.settings import MOST_ROWS, ReadingSettings, Understood


class Reader(Protocol):
    """What a package brings to read a form of files: how they begin, what they are called, their cells."""

    magic: bytes
    called: str

    def read(self, path: Path) -> pl.DataFrame:
        """Return all cells of a file."""
        ...


def reader_of(head: bytes) -> Reader | None:
    """Return the reader of a file that begins so; None where no package brings one."""
    able: tuple[Reader, ...] = brought("night_trail.readers")
    return next((one for one in able if one.magic and head.startswith(one.magic)), None)


class ForeignSource:
    """A file as the reader of a package gives it."""

    def __init__(
        self, path: Path, name: str, settings: ReadingSettings, reader: Reader, sampled: bool = False
    ) -> None:
        try:
            frame = reader.read(path)
            self._frame = frame.head(SAMPLE_RECORDS) if sampled else frame
            height = frame.height
        except Exception as error:
            reason = (str(error).splitlines() or [type(error).__name__])[0][:120].rstrip(".")
            raise Unreadable(
                f"The {reader.called} cannot be read ({reason})", name, "Save the table as CSV."
            ) from None
        if height > MOST_ROWS:
            raise Unreadable(f"The file has {height:,} rows, more than the {MOST_ROWS:,} that are read", name)
        self.names = list(frame.columns)
        self.units: list[str] = []
        self.hints = Hints(decimal=".", missing=settings.missing)
        self.records: list[list[str]] = []
        self.understood = Understood(format=reader.called)

    def batches(self, wanted: Sequence[int]) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield the wanted columns as the reader types them, one at a time."""
        for i in wanted:
            yield [(i, self._frame.to_series(i).rename("cells"))]
