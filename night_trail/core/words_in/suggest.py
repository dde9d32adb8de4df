"""Six things that could be asked of a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.table import Column, Kind, Table, plural
from night_trail.core.words_in.readings import readings

MOST = 6


def suggestions(table: Table, most: int = MOST) -> list[str]:
    """Return words that ask something of this table and are understood, of different kinds."""
    found: list[str] = []
    for words in _candidates(table):
        if len(found) == most:
            break
        try:
            read = readings(words, table)
        except BadQuestion:
            continue
        if words not in found and read and read[0].whole:
            found.append(words)
    return found


def _candidates(table: Table) -> Iterator[str]:
    when = time_column(table)
    measured = [c for c in table.columns if c.kind.numeric and not c.code and not c.yearly and c.distinct > 2]
    numbers = sorted(measured, key=lambda c: (not c.additive, c.kind in (Kind.LATITUDE, Kind.LONGITUDE)))
    groups = [c for c in table.columns if makes_groups(c) and not c.kind.numeric and c.distinct > 1]
    groups.sort(key=lambda c: (c.kind == Kind.YES_NO, not 3 <= c.distinct <= 20, c.distinct))
    first = numbers[0] if numbers else None
    other = next((c for c in numbers if not c.additive), first)
    if first is not None and when is not None:
        yield f"{first.name} over time"
    if other is not None and groups:
        yield f"average {other.name} by {groups[0].name}"
    if len(numbers) > 1:
        y = numbers[1] if other is None or other is first else other
        yield f"{y.name} vs {next(c for c in numbers if c is not y).name}"
    if first is not None and groups:
        many = max(groups, key=lambda c: c.distinct)
        if many.distinct > 5:
            yield f"top 5 {plural(many.name) if many.name.isalpha() else many.name} by {first.name}"
    flag = next((c for c in table.columns if c.kind == Kind.YES_NO), None)
    if flag is not None and other is not None:
        yield f"{other.name} by {flag.name} as box plots"
    if first is not None and when is not None and first_measure(first).aggregate == "sum":
        yield f"where is {first.name} going"
    if groups:
        yield f"number of {table.row_noun[1]} by {groups[0].name}"
    yield from _plain(numbers, groups)


def _plain(numbers: list[Column], groups: list[Column]) -> Iterator[str]:
    if len(numbers) > 2:
        yield "correlations"
    for column in numbers:
        yield f"distribution of {column.name}"
    for column in groups:
        yield column.name
