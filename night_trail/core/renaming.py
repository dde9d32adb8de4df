"""Columns that a fresh delivery calls otherwise: matched, and put into what was asked before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

import msgspec
from rapidfuzz import fuzz

from night_trail.core.question import Scene
from night_trail.core.table import Column, Table

S = TypeVar("S", bound=msgspec.Struct)

NAMES = {
    "column", "columns", "across", "also", "against", "per", "time", "split", "coloured", "each", "sized",
    "panels", "of", "by", "fixed", "product", "without", "back", "together", "opened", "other", "x", "y",
    "bands", "until", "plan", "known", "chips", "groups", "levels", "stations", "unit", "above", "at",
    "country", "within", "onward", "history", "stage",
}  # fmt: skip
"""Fields of questions, conditions and claims that hold names of columns."""

NOT_NAMES = {("correlations", "by"), ("recent", "unit")}
"""Fields of these names that hold something else, by the tag of their struct."""

ALIKE = 60.0


def renamed(value: S, names: Mapping[str, str]) -> S:
    """Return a scene, a question, a condition or a claim with other names for its columns."""
    if not names:
        return value
    plain = msgspec.to_builtins(value)
    made: S = msgspec.convert(_with(plain, names), type(value))
    return made


def renamed_json(value: Any, names: Mapping[str, str]) -> Any:
    """Return what a JSON field holds of such a value, with other names for its columns."""
    return _with(value, names) if names else value


def _with(value: Any, names: Mapping[str, str]) -> Any:
    if isinstance(value, list | tuple):
        return [_with(one, names) for one in value]
    if not isinstance(value, dict):
        return value
    tag = value.get("type", "")
    found = {}
    for field, inner in value.items():
        if field in NAMES and (tag, field) not in NOT_NAMES:
            found[field] = _named(inner, names)
        else:
            found[field] = _with(inner, names)
    return found


def _named(inner: Any, names: Mapping[str, str]) -> Any:
    if isinstance(inner, str):
        return names.get(inner, inner)
    if isinstance(inner, list | tuple) and all(isinstance(one, str) for one in inner):
        return [names.get(one, one) for one in inner]
    return _with(inner, names)


def matches(gone: Sequence[Column], fresh: Sequence[Column]) -> dict[str, str]:
    """Return for columns that are gone the fresh one each may have become, each fresh one once.

    They are of one kind, and their names are alike or they are the only ones of that kind.
    """
    pairs = []
    for old in gone:
        able = [new for new in fresh if new.kind == old.kind]
        for new in able:
            alike = fuzz.token_sort_ratio(_plain(old.name), _plain(new.name))
            alone = len(able) == 1 and sum(c.kind == old.kind for c in gone) == 1
            if alike >= ALIKE or alone:
                pairs.append((-alike, old.name, new.name))
    found: dict[str, str] = {}
    for _, old_name, new_name in sorted(pairs):
        if old_name not in found and new_name not in found.values():
            found[old_name] = new_name
    return found


def _plain(name: str) -> str:
    return " ".join("".join(c if c.isalnum() else " " for c in name.casefold()).split())


def columns_asked(scene: Scene) -> set[str]:
    """Return the columns a scene speaks of."""
    return _speaks_of(msgspec.to_builtins(scene))


def _speaks_of(value: Any) -> set[str]:
    if isinstance(value, list | tuple):
        return set().union(*(_speaks_of(one) for one in value)) if value else set()
    if not isinstance(value, dict):
        return set()
    tag, found = value.get("type", ""), set()
    for field, inner in value.items():
        if field in NAMES and (tag, field) not in NOT_NAMES:
            if isinstance(inner, str):
                found.add(inner)
                continue
            if isinstance(inner, list | tuple) and all(isinstance(one, str) for one in inner):
                found |= set(inner)
                continue
        found |= _speaks_of(inner)
    return found


def missing_from(table: Table, names: set[str]) -> list[str]:
    """Return those of the names that are no column of a table, in order."""
    return sorted(name for name in names if name not in table)
