"""Rows that were made of one, where that counts it several times."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from night_trail.core.conditions import Condition, OneOf
from night_trail.core.language.spans import Caution
from night_trail.core.table import Column, Table


def repeats(question: msgspec.Struct, table: Table, only: Sequence[Condition] | None) -> tuple[Caution, ...]:
    """Return the cautions of a question on rows that meet these conditions, where they are known."""
    return tuple(
        found
        for column in table.columns
        if column.once and (found := _repeats(column, question, table, only))
    )


def _repeats(
    column: Column, question: msgspec.Struct, table: Table, only: Sequence[Condition] | None
) -> Caution | None:
    if column.name in _texts(msgspec.to_builtins(question)):
        return Caution(f"What has several values of {column.name} counts in each of them.")
    once = OneOf(column.once, ("yes",))
    if column.once not in table or only is None or once in only:
        return None
    return Caution(
        f"Rows stand once for each value of {column.name}: what has several counts several times.",
        "count each once",
        turn="only",
        rows=once,
    )


def _texts(value: object) -> set[str]:
    """Return every text within plain values."""
    if isinstance(value, str):
        return {value}
    inner = value.values() if isinstance(value, dict) else value if isinstance(value, list | tuple) else ()
    return {text for one in inner for text in _texts(one)}
