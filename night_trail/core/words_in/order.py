"""What a ranking, a contrast or a dependence speaks of, put in its place."""

from __future__ import annotations

from night_trail.core.conditions import OneOf
from night_trail.core.measure import Measure
from night_trail.core.questions.shared.grouping import can_group
from night_trail.core.questions.shared.phrase import Phrase
from night_trail.core.table import Column
from night_trail.core.words_in.asked import Asked
from night_trail.core.words_in.tags import Tag

MANY_VALUES = 50
"""A category of more values is counted by its values, not set beside another."""


def in_order(asked: Asked) -> None:
    """Put what a ranking is of in its place: which line is the latest, top 5 lines by lateness."""
    if asked.do and asked.says_more:
        # back to depot: what goes back asks for nothing else
        asked.left.append(asked.do)
        asked.penalty += 0.5
        asked.do = ""
    slots = {(phrase.slot, phrase.value) for wish in asked.wishes for _, phrase in effects(wish)}
    kept = any(slot in ("keep", "least") for slot, _ in slots) or ("order", "value") in slots
    asked.ranked = bool(asked.end or asked.keep or kept or asked.busy)
    _count(asked)
    _rank(asked)
    _against_groups(asked)
    moves = asked.affects or any(slot == "against" for slot, _ in slots)
    apart = [c for c in asked.columns if can_group(c) and not c.kind.numeric]
    more = len(asked.columns) > 1 or bool(asked.measures)
    if len(apart) == 1 and not asked.groups and not moves and more:
        # how do depots differ in lateness, lateness depots
        asked.groups = apart
        asked.columns = [c for c in asked.columns if c is not apart[0]]
    if asked.end == "worst" or asked.best:
        asked.good()
    if asked.affects and len(asked.columns) == 2:
        asked.columns.reverse()


def _named(asked: Asked) -> tuple[list[Column], list[Column]]:
    """Return the numbers that are spoken of, and the columns named that are none."""
    numbers = [c for c in (*asked.columns, *asked.groups) if c.kind.numeric and not c.code]
    return numbers, [c for c in asked.columns if not c.kind.numeric or c.code or c.yearly]


def _count(asked: Asked) -> None:
    """Count where nothing is measured: top 5 lines, ratings per month, customers by country."""
    numbers, names = _named(asked)
    if numbers or asked.measures:
        return
    asked.rows = asked.rows or asked.busy
    timed = asked.grain is not None or asked.time is not None
    if (asked.ranked or timed) and names and not asked.groups:
        asked.rows, asked.groups, asked.columns = True, names[:2], names[2:]
    elif asked.groups and len(names) == 1 and (names[0].code or names[0].distinct > MANY_VALUES):
        asked.measures, asked.columns = [Measure("distinct", names[0].name)], []
        asked.taken.append(f"the number of different {names[0].name} is counted")


def _values_by(asked: Asked) -> None:
    """Take values by a number as its figure for each: N1, N2 and N3 by boardings."""
    values = [c.column for c in asked.only if isinstance(c, OneOf) and len(c.values) > 1]
    if values and all(c.kind.numeric and not can_group(c) for c in asked.groups):
        asked.columns, asked.groups = asked.groups, [asked.table.column(values[0])]


def _rank(asked: Asked) -> None:
    """Set what is ranked as the groups and what it is ranked by as the measure."""
    numbers, names = _named(asked)
    bare = asked.ranked and not asked.columns and not asked.measures
    if bare and asked.groups and all(c.kind.numeric and not can_group(c) for c in asked.groups):
        # top 10 by lateness, of the groups there are
        asked.columns, asked.groups, asked.same = asked.groups, [], True
        return
    if not asked.columns and not asked.measures and asked.groups and not (asked.rows or names):
        _values_by(asked)
        return
    if asked.kept_of is not None:
        names = [asked.kept_of]
        numbers = [c for c in numbers if c is not asked.kept_of]
        by = [c for c in asked.groups if c in numbers and not can_group(c)]
        asked.groups = [c for c in asked.groups if c not in by]
        asked.columns = [*asked.columns, *by]
        if asked.groups and numbers:
            # the top 3 lines in each district
            asked.groups = [asked.kept_of, *asked.groups]
            asked.columns = [c for c in asked.columns if c is not asked.kept_of]
            return
    measured = bool(numbers) or any(m.column for m in asked.measures)
    if (asked.ranked or asked.which) and names and measured and not asked.groups_are_named(numbers):
        asked.groups = names[:1] + [c for c in asked.groups if c not in numbers]
        asked.columns = [c for c in (*numbers, *names[1:]) if c not in asked.groups]


def _against_groups(asked: Asked) -> None:
    """Take a category that a number is said to depend on as what groups it."""
    if not any(c.kind.numeric for c in asked.columns):
        return
    for wish in list(asked.wishes):
        named = [c for c in wish.value[1] if isinstance(c, Column)] if wish.role == "wish" else []
        slots = {phrase.slot for _, phrase in effects(wish)}
        if (
            named
            and slots <= {"against", "baseline", "plan"}
            and can_group(named[0])
            and not named[0].kind.numeric
        ):
            asked.wishes.remove(wish)
            asked.groups.append(named[0])


def effects(wish: Tag) -> tuple[tuple[str, Phrase], ...]:
    """Return what a phrase puts into slots, each with the kind it is of."""
    its: tuple[tuple[str, Phrase], ...] = wish.value[0] if wish.role == "wish" else ()
    return its
