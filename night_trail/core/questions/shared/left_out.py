"""Columns that a question leaves out: named in its sentence, taken out and put back one by one."""

from __future__ import annotations

import re

from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.language.numbers import listed
from night_trail.core.questions.shared.sentence import Part
from night_trail.core.table import Table


def left_out_part(without: tuple[str, ...]) -> tuple[tuple[Part, ...], tuple[Part, ...]]:
    """Return what a sentence says of the columns left out, and what can be added where there are none."""
    if not without:
        return (), (Part("leaving out…", "without"),)
    return (Part(", leaving out "), Part(listed(without), "without")), ()


def toggled(without: tuple[str, ...], name: str) -> tuple[str, ...]:
    """Return the columns left out with one more, or without it where it was among them."""
    return tuple(n for n in without if n != name) if name in without else (*without, name)


def read_left_out(text: str, table: Table) -> tuple[str, ...]:
    """Return the columns a text lists.

    Raises
    ------
    BadQuestion
        Where a part of it is no column.
    """
    found: list[str] = []
    rest = text.strip()
    while rest:
        column, rest = take_column(rest, table)
        if column is None:
            raise BadQuestion(f"“{rest}” is no column to leave out", table.name, "Write: leaving out crew.")
        found.append(column.name)
        rest = re.sub(r"^(?:,|and\b)\s*(?:and\b\s*)?", "", rest, flags=re.IGNORECASE).strip()
    return tuple(dict.fromkeys(found))
