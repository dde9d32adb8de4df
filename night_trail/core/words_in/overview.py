"""Typed words that ask for an overview, of the whole table or of one column."""

from __future__ import annotations

import re

from night_trail.core.table import Kind, Table
from night_trail.core.words_in.readings import readings

_ASKS = re.compile(
    r"(?:show |give |draft |make )?(?:me )?(?:an? |the )?(?:"
    r"overview(?: (?:of|for|about|on) (?P<of>.+))?|(?P<glance>.+) at a glance|"
    r"how (?:do things|does it|do we) stand|how things stand)[?.!]?",
    re.IGNORECASE,
)


def overview_asked(text: str, table: Table) -> str | None:
    """Return the column that an overview is asked of, "" for the whole table, None where none is asked."""
    found = _ASKS.fullmatch(" ".join(text.split()))
    if found is None:
        return None
    of = found["of"] or found["glance"] or ""
    if not of or of.casefold() in ("it", "all", "everything", "the table", table.name.casefold()):
        return ""
    for reading in readings(of, table)[:1]:
        main = reading.scene.main
        name = getattr(main, "column", None) or getattr(getattr(main, "measure", None), "column", None)
        if isinstance(name, str) and name and not reading.left:
            column = table.column(name)
            if column.kind.numeric or column.kind == Kind.YES_NO:
                return name
    return None
