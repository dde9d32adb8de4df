"""Files that say themselves what their columns are: Parquet and Arrow."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.language.numbers import listed
from night_trail.core.reading.delimited import SAMPLE_RECORDS
from night_trail.core.reading.kinds import Hints
from night_trail.core.reading.settings import MOST_ROWS, ReadingSettings, Understood


class ColumnarSource:
    """A Parquet or Arrow file."""

    def __init__(
        self, path: Path, name: str, settings: ReadingSettings, format_: str, sampled: bool = False
    ) -> None:
        self._path, self._name, self._format = path, name, format_
        self._most = SAMPLE_RECORDS if sampled else None
        try:
            schema = pl.read_parquet_schema(path) if format_ == "Parquet" else pl.read_ipc_schema(path)
            lazy = pl.scan_parquet(path) if format_ == "Parquet" else pl.scan_ipc(path)
            rows = int(lazy.select(pl.len()).collect().item())
        except Exception as error:
            raise self._broken(error) from None
        if rows > MOST_ROWS:
            raise Unreadable(
                f"The file has {rows:,} rows, more than the {MOST_ROWS:,} that are read",
                name,
                "Write a part of them, or a sample.",
            )
        self.names = list(schema)
        self.units: list[str] = []
        self.hints = Hints(decimal=".", missing=settings.missing)
        self.records: list[list[str]] = []
        self.understood = Understood(format=format_, reasons=_reasons(schema))

    def _broken(self, error: Exception) -> Unreadable:
        reason = (str(error).splitlines() or [type(error).__name__])[0][:120].rstrip(".")
        return Unreadable(
            f"The {self._format} file cannot be read ({reason})",
            self._name,
            "Write it again, or save the table as CSV.",
        )

    def batches(self, wanted: Sequence[int]) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield the wanted columns as the file types them, one at a time."""
        for i in wanted:
            try:
                if self._format == "Parquet":
                    frame = pl.read_parquet(self._path, columns=[i], n_rows=self._most)
                else:
                    frame = pl.read_ipc(self._path, columns=[i], n_rows=self._most)
            except Exception as error:
                raise self._broken(error) from None
            yield [(i, frame.to_series().rename("cells"))]


def _reasons(schema: Mapping[str, pl.DataType]) -> dict[str, str]:
    """Return what is said of columns that no table has as they are."""
    nested = [name for name, kind in schema.items() if kind.is_nested()]
    raw = [name for name, kind in schema.items() if kind == pl.Binary]
    said = {}
    if nested:
        said["nested"] = f"lists and records are read as text: {listed(nested[:8])}"
    if raw:
        said["raw"] = f"bytes are missing where they are no text: {listed(raw[:8])}"
    return said
