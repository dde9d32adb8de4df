"""Columns, conditions and measures as an analyst would write them, with polars and nothing of ours."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from night_trail.core.conditions import (
    AllOf,
    AnyOf,
    Between,
    Condition,
    Contains,
    Missing,
    Not,
    OneOf,
    Recent,
    Recurs,
    axis_bound,
    recent_range,
)
from night_trail.core.measure import Measure
from night_trail.core.moments import when
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.table import Column, Kind, Table

PARTS = {"week": "dt.weekday()", "year": "dt.month()", "day": "dt.hour()", "quarters": "dt.quarter()"}
"""The parts of a round of time, in code."""


class Untold(Exception):
    """There is no plain code for this; the reason in words."""


def column(name: str) -> str:
    """Return a column in code, whatever it is called.

    >>> column('a "b"')
    'pl.col(\\'a "b"\\')'
    """
    # a name that looks like a pattern would be taken for one
    if (name.startswith("^") and name.endswith("$")) or name == "*":
        return f"pl.nth(table.columns.index({name!r}))"
    return f"pl.col({name!r})"


def expression(condition: Condition, table: Table) -> str:
    """Return a condition as an expression of polars; what is missing meets none but that it is missing.

    Raises
    ------
    Untold
        Where it was drawn by hand, or looks at several rows.
    """
    match condition:
        case Not(part):
            return f"~({expression(part, table)})"
        case AllOf(parts):
            return "(" + " & ".join(expression(one, table) for one in parts) + ")"
        case AnyOf(parts):
            return "(" + " | ".join(expression(one, table) for one in parts) + ")"
        case Between():
            return f"({_between(condition, table)}).fill_null(False)"
        case Recent():
            return expression(recent_range(condition, table), table)
        case OneOf(name, values):
            return f"{_labels(name, table)}.is_in({list(_values(name, values, table))!r}).fill_null(False)"
        case Contains(name, text):
            labels = f"{column(name)}.cast(pl.String).str.to_lowercase()"
            return f"{labels}.str.contains({text.lower()!r}, literal=True).fill_null(False)"
        case Missing(name):
            return f"{column(name)}.is_null()"
        case Recurs(name, part, at, None):
            # counted from 0, as months and weekdays in code are from 1
            from_one = 0 if part == "day" else 1
            places = [place + from_one for place in at]
            return f"{column(name)}.{PARTS[part]}.is_in({places!r}).fill_null(False)"
        case _:
            raise Untold("the rows were chosen by hand or by what other rows hold")


def _labels(name: str, table: Table) -> str:
    return column(name) if table.column(name).kind == Kind.YES_NO else text(name, table)


def _values(name: str, values: Sequence[str], table: Table) -> Sequence[Any]:
    return [v == "yes" for v in values] if table.column(name).kind == Kind.YES_NO else list(values)


def _between(condition: Between, table: Table) -> str:
    kind = table.column(condition.column).kind
    name = column(condition.column)
    ends = []
    for bound, sign in (
        (condition.low, ">" if condition.low_open else ">="),
        (condition.high, "<=" if condition.high_closed else "<"),
    ):
        if bound is not None:
            ends.append(f"({name} {sign} {_bound(axis_bound(bound, kind, condition.column), kind)})")
    return " & ".join(ends)


def _bound(at: float, kind: Kind) -> str:
    if not kind.temporal:
        return repr(int(at)) if at == int(at) and abs(at) < 1e15 else repr(at)
    return moment(at, kind)


def moment(at: float, kind: Kind) -> str:
    """Return a moment, in seconds since 1970-01-01, in code: a date, or a date with its time.

    >>> moment(86_400.0, Kind.DATE)
    'date(1970, 1, 2)'
    """
    then = when(at)
    if kind == Kind.DATE:
        return f"date({then.year}, {then.month}, {then.day})"
    parts = [then.year, then.month, then.day, then.hour, then.minute, then.second, then.microsecond]
    while len(parts) > 3 and not parts[-1]:
        parts.pop()
    return f"datetime({', '.join(str(part) for part in parts)})"


def figure(measure: Measure, table: Table) -> tuple[list[str], str]:
    """Return the columns that must be there, and the expression of a measure."""
    name = measure.column
    if measure.aggregate == "count":
        return [], "pl.len()"
    if measure.aggregate == "share" and measure.where is not None:
        return [], f"{expression(measure.where, table)}.mean()"
    if name is None:
        raise Untold("the measure has no column")
    own = table.column(name)
    if own.kind.temporal or (not own.kind.measured and measure.aggregate not in ("distinct", "mean")):
        raise Untold(f"“{name}” is no number")
    made = {
        "mean": f"{column(name)}.mean()",
        "median": f"{column(name)}.median()",
        "sum": f"{column(name)}.sum()",
        "distinct": f"{column(name)}.n_unique()",
        "quantile": f"{column(name)}.quantile({measure.level!r}, interpolation='linear')",
    }
    if measure.aggregate == "ratio" and measure.per is not None:
        return [name, measure.per], f"({column(name)}.sum() / {column(measure.per)}.sum())"
    return [name], made[measure.aggregate]


def on_axis(one: Column) -> str:
    """Return a measured column in code as numbers: dates as seconds since 1970-01-01."""
    if one.kind == Kind.DATE:
        return f"({column(one.name)}.cast(pl.Int32).cast(pl.Float64) * 86_400)"
    if one.kind == Kind.DATETIME:
        return f"({column(one.name)}.dt.epoch('us') / 1e6)"
    return column(one.name)


def text(name: str, table: Table) -> str:
    """Return a column as the texts its groups are called in code."""
    if table.column(name).kind == Kind.YES_NO:
        return f"{column(name)}.replace_strict({{True: 'yes', False: 'no'}}, return_dtype=pl.String)"
    return f"{column(name)}.cast(pl.String)"


def grouped(found: Grouping, table: Table) -> str:
    """Return the groups of a picture as texts in code: bands by their ends, and what is gathered as one."""
    assert found.column is not None  # noqa: S101  (asked of groups)
    if any(group.band is not None for group in found.groups):
        named = [
            f"when({expression(condition, table)}).then(pl.lit({group.label!r}))"
            for at, group in enumerate(found.groups)
            if (condition := found.condition(at)) is not None
        ]
        return f"pl.{'.'.join(named)}"
    own = text(found.column.name, table)
    others = next((group.label for group in found.groups if group.others), None)
    if others is None:
        return own
    apart = [group.label for group in found.groups if not group.others]
    return f"pl.when({own}.is_in({apart!r})).then({own}).when({own}.is_not_null()).then(pl.lit({others!r}))"


def each_group(found: Grouping, table: Table) -> str:
    """Return groups as texts in code: bands by their ends, of other columns every value by itself."""
    assert found.column is not None  # noqa: S101  (asked of groups)
    banded = any(group.band is not None for group in found.groups)
    return grouped(found, table) if banded else text(found.column.name, table)


def by_groups(needed: Sequence[str], keys: Sequence[str], figures: str, order: str) -> list[str]:
    """Return the code that leaves figures by some keys in ``found``, of rows that have what is needed."""
    return [
        "found = (",
        f"    rows{present(needed)}",
        f"    .group_by({', '.join(keys)})",
        f"    .agg({figures})",
        f"    .sort({order})",
        ")",
    ]


def present(names: Sequence[str]) -> str:
    """Return the code that leaves out rows without these."""
    return f".drop_nulls({list(names)!r})" if names else ""
