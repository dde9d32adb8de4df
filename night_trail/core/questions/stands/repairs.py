"""What can be done about a finding in the recipe of its table."""

from __future__ import annotations

import numpy as np

from night_trail.core.conditions import AllOf, AnyOf, Between, Condition, OneOf, mask
from night_trail.core.language.numbers import listed, number
from night_trail.core.questions.stands.found import Finding
from night_trail.core.recipe import steps as s
from night_trail.core.recipe.clusters import clusters
from night_trail.core.recipe.offers import Remedy
from night_trail.core.recipe.sql import quoted
from night_trail.core.table import Table

MOST_VALUES, MOST_PARTS = 20, 40


def repair_of(finding: Finding, table: Table) -> Remedy | None:
    """Return the step that mends a finding; None where none is sure to."""
    if finding.sort == "again":
        return Remedy("leave the repeats out", s.LeaveRepeats())
    if finding.sort == "typed":
        return _missing(finding, table)
    if finding.sort == "rare":
        return _spelling(finding, table)
    return _shifted(finding, table) if finding.sort == "slip" else None


def _missing(finding: Finding, table: Table) -> Remedy | None:
    name = finding.columns[0]
    if table.column(name).kind.temporal:
        return None
    values = np.unique(table.axis(name).values[mask(finding.condition, table)])
    if len(values) > MOST_VALUES:
        return None
    said = listed([number(float(v)) for v in values[:4]])
    return Remedy(f"count {said} as missing", s.ToMissing(name, tuple(map(float, values))))


def _spelling(finding: Finding, table: Table) -> Remedy | None:
    name = finding.columns[0]
    coded = table.coded(name)
    counts = np.bincount(coded.codes[coded.codes >= 0], minlength=len(coded.labels))
    rare = set(finding.condition.values) if isinstance(finding.condition, OneOf) else set()
    found = clusters({label: int(n) for label, n in zip(coded.labels, counts, strict=True) if n})
    mapping = {text: c.kept for c in found if c.kept not in rare for text in c.mapping() if text in rare}
    if not mapping:
        return None
    old, new = next(iter(mapping.items()))
    return Remedy(f"spell {old} as {new}", s.Unify(name, mapping))


def _shifted(finding: Finding, table: Table) -> Remedy | None:
    """Return a new column in which the slips are put back by their power of ten."""
    name = finding.columns[0]
    condition = finding.condition
    parts = condition.parts if isinstance(condition, AnyOf) else (condition,)
    values = table.axis(name).values
    slipped = mask(condition, table)
    cases = []
    for part in parts[:MOST_PARTS]:
        sql = _sql(part)
        if sql is None or len(parts) > MOST_PARTS:
            return None
        group = (
            next((p for p in part.parts if isinstance(p, OneOf)), None) if isinstance(part, AllOf) else None
        )
        others = ~slipped & np.isfinite(values) & (values > 0)
        if group is not None:
            others &= mask(group, table)
        here = values[mask(part, table)]
        tens = np.unique(np.rint(np.log10(here / np.median(values[others]))))
        if len(tens) != 1 or tens[0] == 0:
            return None
        power = 10 ** int(abs(tens[0]))
        cases.append(f"WHEN {sql} THEN {quoted(name)} {'/' if tens[0] > 0 else '*'} {power}")
    sql = f"CASE {' '.join(cases)} ELSE {quoted(name)} END"
    return Remedy(f"a column with these put right: {name} mended", s.Calculate(f"{name} mended", sql))


def _sql(condition: Condition) -> str | None:
    """Return a condition of a slip as SQL; None for one that is named otherwise."""
    match condition:
        case AllOf(parts):
            found = [_sql(part) for part in parts]
            return None if None in found else " AND ".join(str(one) for one in found)
        case OneOf(column, (value,)):
            return f"{quoted(column)} = '{value.replace(chr(39), chr(39) * 2)}'"
        case Between(column, low, high):
            ends = [(">=", low), ("<=", high)]
            return " AND ".join(f"{quoted(column)} {sign} {end!r}" for sign, end in ends if end is not None)
        case _:
            return None
