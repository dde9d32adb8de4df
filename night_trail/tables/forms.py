"""What the forms of a column's page mean as steps of a recipe."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, get_args

from django.http import QueryDict

from night_trail.core.errors import BadQuestion, NightTrailError
from night_trail.core.hand import real, whole
from night_trail.core.recipe import Step
from night_trail.core.recipe import steps as s
from night_trail.core.recipe.offers import spelling_clusters
from night_trail.core.table import Kind
from night_trail.core.table import Table as CoreTable

VALUES_SHOWN = 60
PARTS: tuple[str, ...] = get_args(s.Part)


def step_from(action: str, posted: QueryDict, table: CoreTable, column: str) -> Step:
    """Return the step that a posted form asks for.

    Raises
    ------
    NightTrailError
        Where the form does not say enough.
    """
    make = _FORMS.get(action)
    if make is None:
        raise NightTrailError("This cannot be done to a column", "", "Use one of the forms of its page.")
    return make(posted, table, column)


def _numbers(text: str, what: str) -> tuple[float, ...]:
    found = [t for t in re.split(r"[;\s]+|,(?=\s|\D)|,(?!\d{3}\b)", text.strip()) if t]
    try:
        return tuple(real(t) for t in found)
    except BadQuestion:
        raise NightTrailError(
            f"{what} “{text[:60]}” cannot be read", "", "Write numbers as 10, 20, 50."
        ) from None


def _read_as(posted: QueryDict, table: CoreTable, column: str) -> Step:
    kind = posted.get("kind", "")
    if kind not in set(Kind):
        raise NightTrailError("No kind was chosen", "", "Choose one of the list.")
    return s.ReadAs(column, Kind(kind), posted.get("unit", "").strip()[:12])


def _describe(posted: QueryDict, table: CoreTable, column: str) -> Step:
    known = table.column(column)
    name = " ".join(posted.get("name", "").split())[:200]
    unit = posted.get("unit", known.unit).strip()[:12]
    additive = posted.get("additive", "yes" if known.additive else "no") == "yes"
    top = posted.get("top", str(known.top or "")).strip()
    if top and whole(top, 100) is None:
        raise NightTrailError(f"The top “{top[:20]}” is no whole number up to 100", "", "Write it as 5.")
    step = s.Describe(
        column,
        name="" if name == column else name,
        unit=unit if unit != known.unit else None,
        additive=additive if additive != known.additive else None,
        top=marks if (marks := whole(top, 100) or 0) != known.top else None,
    )
    if step == s.Describe(column):
        raise NightTrailError(
            f"Nothing of {column} was changed", "", "Change its name, unit or how it is summed."
        )
    return step


def _unify(posted: QueryDict, table: CoreTable, column: str) -> Step:
    found = spelling_clusters(table.series(column))
    mapping: dict[str, str] = {}
    for at, cluster in enumerate(found):
        if str(at) in posted.getlist("merge"):
            kept = posted.get(f"kept-{at}", cluster.kept).strip() or cluster.kept
            mapping |= {text: kept for text, _ in cluster.spellings if text != kept}
    if not mapping:
        raise NightTrailError("No spellings were chosen", "", "Choose at least one group of them.")
    return s.Unify(column, mapping)


def _to_missing(posted: QueryDict, table: CoreTable, column: str) -> Step:
    text = posted.get("values", "")
    if table.column(column).kind.numeric:
        values: tuple[Any, ...] = _numbers(text, "The values")
    else:
        values = tuple(v.strip() for v in text.split(",") if v.strip())
    if not values:
        raise NightTrailError("No value is given", "", "Write what stands for missing.")
    return s.ToMissing(column, values)


def _split(posted: QueryDict, table: CoreTable, column: str) -> Step:
    parts = tuple(p for p in posted.getlist("part") if p in PARTS)
    if not parts:
        raise NightTrailError("No part was chosen", "", "Choose at least one.")
    return s.Split(column, parts)  # type: ignore[arg-type]


def _cut(posted: QueryDict, table: CoreTable, column: str) -> Step:
    labels = tuple(v.strip() for v in posted.get("labels", "").split(",") if v.strip())
    name = posted.get("name", "").strip() or f"{column} band"
    return s.Cut(column, name, _numbers(posted.get("edges", ""), "The edges"), labels)


def _gather(posted: QueryDict, table: CoreTable, column: str) -> Step:
    groups: dict[str, tuple[str, ...]] = {}
    values, names = posted.getlist("value"), posted.getlist("group")
    for value, group in zip(values, names, strict=False):
        if group.strip():
            groups[group.strip()] = (*groups.get(group.strip(), ()), value)
    name = posted.get("name", "").strip() or f"{column} group"
    return s.Gather(column, name, groups, posted.get("rest", "").strip())


def _order(posted: QueryDict, table: CoreTable, column: str) -> Step:
    labels = tuple(v.strip() for v in posted.get("labels", "").splitlines() if v.strip())
    return s.Order(column, labels)


_FORMS: dict[str, Callable[[QueryDict, CoreTable, str], Step]] = {
    "read-as": _read_as,
    "describe": _describe,
    "unify": _unify,
    "to-missing": _to_missing,
    "split": _split,
    "as-share": lambda posted, table, column: s.AsShare(column),
    "leave": lambda posted, table, column: s.Leave((column,)),
    "cut": _cut,
    "gather": _gather,
    "order": _order,
}
