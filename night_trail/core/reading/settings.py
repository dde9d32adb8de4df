"""What may be decided by hand about how a file is read, and what was understood of it."""

from __future__ import annotations

from typing import Literal

import msgspec

from night_trail.core.structs import looked_through
from night_trail.core.table import Kind

DateOrder = Literal["", "day", "month", "year"]
Mark = Literal["", ".", ","]
Header = Literal["auto", "none"] | int

MOST_COLUMNS = 2_000
MOST_ROWS = 50_000_000


class ColumnSetting(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What was decided by hand about one column; what is empty is guessed."""

    wanted: bool = True
    name: str = ""
    kind: Kind | None = None
    date_order: DateOrder = ""
    decimal: Mark = ""


class ReadingSettings(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What was decided by hand about one file or sheet; what is empty is guessed.

    ``header`` is the row of the names counted from 1, or ``none``; ``footer``
    the number of rows left out at the end; ``missing`` further texts that stand
    for nothing; ``columns`` decisions by the column's name in the file.
    """

    encoding: str = ""
    delimiter: str = ""
    header: Header = "auto"
    units_row: bool | None = None
    footer: int | None = None
    decimal: Mark = ""
    date_order: DateOrder = ""
    missing: tuple[str, ...] = ()
    columns: dict[str, ColumnSetting] = {}

    def column(self, name: str) -> ColumnSetting:
        """Return what was decided about a column, with the file's own decisions where it has none."""
        own = self.columns.get(name, ColumnSetting())
        return msgspec.structs.replace(
            own, decimal=own.decimal or self.decimal, date_order=own.date_order or self.date_order
        )

    def with_column(self, name: str, setting: ColumnSetting) -> ReadingSettings:
        """Return settings with a decision about a column; one that decides nothing is dropped."""
        columns = {k: v for k, v in self.columns.items() if k != name}
        if setting != ColumnSetting():
            columns[name] = setting
        return msgspec.structs.replace(self, columns=columns)


class LeftOut(msgspec.Struct, frozen=True):
    """Rows or columns of the file that are not in the table, and why."""

    count: int
    why: str


class Understood(msgspec.Struct, kw_only=True):
    """What was understood of a file, in the words a page shows; empty where it does not apply."""

    format: str
    part: str = ""
    encoding: str = ""
    delimiter: str = ""
    quote: str = '"'
    header_row: int | None = None
    units_row: int | None = None
    decimal: str = ""
    reasons: dict[str, str] = {}
    left_out: list[LeftOut] = []

    def notes(self) -> list[str]:
        """Return sentences on how the file was read."""
        lines = [f"{text[0].upper()}{text[1:]}." for text in self.reasons.values() if text]
        return lines + [f"{left.count:,} left out: {left.why}." for left in self.left_out]

    def leave_out(self, count: int, why: str) -> None:
        """Remember that something was left out, once for each reason."""
        left = LeftOut(count, why)
        if count and left not in self.left_out:
            self.left_out = [*self.left_out, left]


looked_through(ReadingSettings, Understood)
