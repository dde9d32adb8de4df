"""The code an analyst would write to get a picture's figures again, with polars and nothing of ours.

Where a figure comes of a model, or of a condition drawn by hand, there is none: that is said.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
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
    axis_bound,
    recent_range,
)
from night_trail.core.measure import Measure
from night_trail.core.moments import when
from night_trail.core.question import Question
from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.make_up.answer import MakeUpAnswer
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.spread.bars import BarsAnswer
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.table import Kind, Table

EVERY = {"hour": "1h", "day": "1d", "week": "1w", "month": "1mo", "quarter": "1q", "year": "1y"}
PARTS = {"week": "dt.weekday()", "year": "dt.month()", "day": "dt.hour()"}
IMPORTS = "from datetime import date, datetime\n\nimport polars as pl"


class Untold(Exception):
    """There is no plain code for this; the reason in words."""


@dataclass(frozen=True)
class Code:
    """Lines of code that leave a frame in ``found``, or why there are none."""

    lines: tuple[str, ...]
    untold: str = ""


def code_of(
    question: Question, answer: Any, only: Sequence[Condition], lit: Condition | None, table: Table
) -> Code:
    """Return the code that gives a picture's figures again from a frame called ``table``."""
    try:
        lines = [_filtered(only, table)]
        if lit is not None:
            lines.append(f"lit = {expression(lit, table)}")
        lines += _figures(question, answer, lit is not None, table)
    except Untold as why:
        return Code((), str(why))
    return Code(tuple(lines))


def _filtered(only: Sequence[Condition], table: Table) -> str:
    if not only:
        return "rows = table"
    return f"rows = table.filter({', '.join(expression(one, table) for one in only)})"


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
        case _:
            raise Untold("the rows were chosen by hand or by what other rows hold")


def _labels(name: str, table: Table) -> str:
    kind = table.column(name).kind
    if kind == Kind.YES_NO:
        return column(name)
    if kind.measured:
        raise Untold(f"“{name}” is chosen by single values of a number")
    return f"{column(name)}.cast(pl.String)"


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
    moment = when(at)
    if kind == Kind.DATE:
        return f"date({moment.year}, {moment.month}, {moment.day})"
    parts = [
        moment.year,
        moment.month,
        moment.day,
        moment.hour,
        moment.minute,
        moment.second,
        moment.microsecond,
    ]
    while len(parts) > 3 and not parts[-1]:
        parts.pop()
    return f"datetime({', '.join(str(part) for part in parts)})"


def _figure(measure: Measure, table: Table) -> tuple[list[str], str]:
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
        return [name, measure.per], f"{column(name)}.sum() / {column(measure.per)}.sum()"
    return [name], made[measure.aggregate]


def _figures(question: Question, answer: Any, lit: bool, table: Table) -> list[str]:
    match answer:
        case MakeUpAnswer():
            return _made_up(answer, table)
        case CompareAnswer():
            return _compared(answer, table)
        case OverTimeAnswer():
            return _over_time(answer, table)
        case CycleAnswer():
            return _cycle(answer, table)
        case HistogramAnswer():
            return _histogram(answer, lit, table)
        case BoxesAnswer():
            return _boxes(answer, table)
        case BarsAnswer():
            return _bars(answer, lit, table)
        case RelateAnswer():
            return _related(answer, table)
        case _:
            raise Untold(
                "its figures come of a model or of many comparisons; they are in the picture’s own table"
            )


def _present(names: Sequence[str]) -> str:
    return f".drop_nulls({list(names)!r})" if names else ""


def _compared(answer: CompareAnswer, table: Table) -> list[str]:
    asked = answer.question
    across = table.column(asked.across)
    if asked.also or asked.more or asked.baseline or across.kind.measured or asked.shape == "strip":
        raise Untold("groups are bands, pairs or held against others")
    needed, figure = _figure(asked.measure, table)
    label = f"{column(asked.across)}.cast(pl.String).alias('group')"
    return [
        "found = (",
        f"    rows{_present([asked.across, *needed])}",
        f"    .group_by({label})",
        f"    .agg(pl.len().alias('rows'), {figure}.alias('figure'))",
        "    .sort('figure', descending=True)",
        ")",
    ]


def _made_up(answer: MakeUpAnswer, table: Table) -> list[str]:
    asked = answer.question
    deepest = max((part.depth for part in answer.parts), default=1)
    names = asked.levels[: len(asked.path) + deepest]
    if any(table.column(name).kind.measured for name in names):
        raise Untold("levels are bands")
    needed, figure = _figure(asked.measure, table)
    inside = "".join(
        f".filter({expression(OneOf(name, (value,)), table)})"
        for name, value in zip(asked.levels, asked.path, strict=False)
    )
    drawn = list(names[len(asked.path) :])
    return [
        f"parts = rows{inside}{_present(needed)}",
        f"levels = {drawn!r}",
        "found = pl.concat(",
        "    [",
        "        parts.with_columns(pl.col(levels).cast(pl.String))",
        "        .group_by(levels[:depth])",
        f"        .agg(pl.len().alias('rows'), {figure}.alias('figure'))",
        "        .sort('figure', descending=True)",
        "        for depth in range(1, len(levels) + 1)",
        "    ],",
        "    how='diagonal',",
        ")",
    ]


def _over_time(answer: OverTimeAnswer, table: Table) -> list[str]:
    asked = answer.question
    grain = answer.calendar.grain
    plain = asked.view == "plain" and not (
        asked.split or asked.more or asked.until or asked.zone or asked.bands
    )
    if not plain or asked.year_start != 1 or grain not in EVERY or not table.column(asked.time).kind.temporal:
        raise Untold("the series is split, shifted or rolled")
    needed, figure = _figure(asked.measure, table)
    return [
        "found = (",
        f"    rows{_present([asked.time, *needed])}",
        f"    .group_by({column(asked.time)}.dt.truncate({EVERY[grain]!r}).cast(pl.Date).alias('from'))",
        f"    .agg(pl.len().alias('rows'), {figure}.alias('figure'))",
        "    .sort('from')",
        ")",
    ]


def _cycle(answer: CycleAnswer, table: Table) -> list[str]:
    asked = answer.question
    if asked.split or asked.years or asked.zone or asked.part not in PARTS or asked.year_start != 1:
        raise Untold("the round is split or begins elsewhere")
    needed, figure = _figure(asked.measure, table)
    return [
        "found = (",
        f"    rows{_present([asked.time, *needed])}",
        f"    .group_by({column(asked.time)}.{PARTS[asked.part]}.alias('place'))",
        f"    .agg(pl.len().alias('rows'), {figure}.alias('figure'))",
        "    .sort('place')",
        ")",
    ]


def _histogram(answer: HistogramAnswer, lit: bool, table: Table) -> list[str]:
    asked = answer.question
    kind = table.column(asked.column).kind
    if asked.across or asked.scale == "log" or kind.temporal:
        raise Untold("its bins are of dates, on a log scale, or of several panels")
    name = column(asked.column)
    counted = "pl.len().alias('count')" + (", lit.sum().alias('lit')" if lit else "")
    return [
        f"values = rows.drop_nulls({[asked.column]!r})",
        "found = values.select(",
        f"    {name}.quantile(0.25, interpolation='linear').alias('lower quartile'),",
        f"    {name}.median().alias('middle'),",
        f"    {name}.quantile(0.75, interpolation='linear').alias('upper quartile'),",
        f"    {name}.mean().alias('average'),",
        f"    {counted},",
        ")",
    ]


def _boxes(answer: BoxesAnswer, table: Table) -> list[str]:
    asked = answer.question
    if not asked.across or table.column(asked.column).kind.temporal:
        raise Untold("it has no groups of numbers")
    if table.column(asked.across).kind.measured:
        raise Untold("its groups are numbers")
    name, across = column(asked.column), column(asked.across)
    counted = ", lit.sum().alias('lit')" if answer.basis.lit is not None else ""
    return [
        "found = (",
        f"    rows.drop_nulls({[asked.column, asked.across]!r})",
        f"    .group_by({across}.cast(pl.String).alias('group'))",
        "    .agg(",
        "        pl.len().alias('count'),",
        f"        {name}.quantile(0.25, interpolation='linear').alias('q1'),",
        f"        {name}.median().alias('median'),",
        f"        {name}.quantile(0.75, interpolation='linear').alias('q3'){counted},",
        "    )",
        "    .sort('median', descending=True)",
        ")",
    ]


def _bars(answer: BarsAnswer, lit: bool, table: Table) -> list[str]:
    asked = answer.question
    if asked.across or table.column(asked.column).kind.measured:
        raise Untold("its bars are of several panels, or of numbers")
    counted = ", lit.sum().alias('lit')" if lit else ""
    return [
        "found = (",
        f"    rows.drop_nulls({[asked.column]!r})",
        f"    .group_by({column(asked.column)}.cast(pl.String).alias('group'))",
        f"    .agg(pl.len().alias('count'){counted})",
        "    .sort('count', descending=True)",
        ")",
    ]


def _related(answer: RelateAnswer, table: Table) -> list[str]:
    asked = answer.question
    x, y = asked.against, asked.column
    if (
        table.column(x).kind.temporal
        or table.column(y).kind.temporal
        or asked.window
        or asked.scale != "plain"
    ):
        raise Untold("an axis is of dates, on a log scale, or zoomed")
    return [
        f"pairs = rows.drop_nulls({[x, y]!r})",
        "found = pairs.select(",
        "    pl.len().alias('rows'),",
        f"    pl.corr({x!r}, {y!r}).alias('correlation'),",
        f"    pl.corr({x!r}, {y!r}, method='spearman').alias('rank correlation'),",
        f"    (pl.cov({x!r}, {y!r}) / {column(x)}.var()).alias('slope'),",
        ")",
    ]
