"""The code an analyst would write to get a picture's figures again, with polars and nothing of ours.

Where a figure comes of a model, or of a condition drawn by hand, there is none: that is said.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from night_trail.core.conditions import Condition, OneOf
from night_trail.core.measure import Measure
from night_trail.core.plain_code import Untold, by_groups, column, expression, figure, grouped, present, text
from night_trail.core.question import Question
from night_trail.core.questions.changed.answer import ChangedAnswer
from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.flow.answer import FlowAnswer
from night_trail.core.questions.held.answer import HeldAnswer
from night_trail.core.questions.kin.answer import KinAnswer
from night_trail.core.questions.make_up.answer import MakeUpAnswer
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.place.answer import PlaceAnswer
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.questions.spread.bars import BarsAnswer
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.stages.answer import StagesAnswer
from night_trail.core.recomputed_between import changed, correlated, crossed, flowed
from night_trail.core.recomputed_units import belonging, fixed, gone_through, lying
from night_trail.core.table import Table

EVERY = {"hour": "1h", "day": "1d", "week": "1w", "month": "1mo", "quarter": "1q", "year": "1y"}
PARTS = {"week": "dt.weekday()", "year": "dt.month()", "day": "dt.hour()"}
IMPORTS = "from datetime import date, datetime\n\nimport polars as pl"


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
        if type(answer) not in _CODE:
            raise Untold(
                "its figures come of a model or of many comparisons; they are in the picture’s own table"
            )
        lines += _CODE[type(answer)](answer, lit is not None, table)
    except Untold as why:
        return Code((), str(why))
    return Code(tuple(lines))


def _filtered(only: Sequence[Condition], table: Table) -> str:
    if not only:
        return "rows = table"
    return f"rows = table.filter({', '.join(expression(one, table) for one in only)})"


def _compared(answer: CompareAnswer, table: Table) -> list[str]:
    asked = answer.question
    if asked.baseline or asked.shape == "strip":
        raise Untold("groups are held against others, or drawn row by row")
    return _by_group([answer.grouping], asked.measure, table)


def _by_group(groupings: Sequence[Grouping], measure: Measure, table: Table) -> list[str]:
    """Return the code for a measure of each group, or of each pair of groups."""
    needed, said = figure(measure, table)
    names = [one.column.name for one in groupings if one.column is not None]
    keys = [
        f"({grouped(one, table)}).alias({name!r})"
        for one, name in zip(groupings, ("group", "group there"), strict=False)
    ]
    figures = f"pl.len().alias('rows'), {said}.alias('figure')"
    return by_groups([*names, *needed], keys, figures, "'figure', descending=True")


def _several(answer: SeveralAnswer, table: Table) -> list[str]:
    asked, lines = answer.question, []
    for at, measure in enumerate(asked.measures):
        needed, said = figure(measure, table)
        counted = "" if at else "pl.len().alias('rows'), "
        lines += [
            f"one = rows{present([asked.across, *needed])}"
            f".group_by(({grouped(answer.grouping, table)}).alias('group'))"
            f".agg({counted}{said}.alias('figure {at + 1}'))",
            "found = found.join(one, on='group', how='left')" if at else "found = one",
        ]
    return lines


def _made_up(answer: MakeUpAnswer, table: Table) -> list[str]:
    asked = answer.question
    deepest = max((part.depth for part in answer.parts), default=1)
    names = asked.levels[: len(asked.path) + deepest]
    if any(table.column(name).kind.measured for name in names):
        raise Untold("levels are bands")
    needed, said = figure(asked.measure, table)
    inside = "".join(
        f".filter({expression(OneOf(name, (value,)), table)})"
        for name, value in zip(asked.levels, asked.path, strict=False)
    )
    drawn = list(names[len(asked.path) :])
    return [
        f"parts = rows{inside}{present(needed)}",
        f"levels = {drawn!r}",
        "found = pl.concat(",
        "    [",
        f"        parts.with_columns({', '.join(text(name, table) for name in drawn)})",
        "        .group_by(levels[:depth])",
        f"        .agg(pl.len().alias('rows'), {said}.alias('figure'))",
        "        .sort('figure', descending=True)",
        "        for depth in range(1, len(levels) + 1)",
        "    ],",
        "    how='diagonal',",
        ")",
    ]


def _over_time(answer: OverTimeAnswer, table: Table) -> list[str]:
    asked = answer.question
    grain = answer.calendar.grain
    plain = asked.view == "plain" and not (asked.more or asked.until or asked.zone or asked.bands)
    if not plain or asked.year_start != 1 or grain not in EVERY or not table.column(asked.time).kind.temporal:
        raise Untold("the series is shifted, rolled, or of several measures")
    day = "" if grain == "hour" else ".cast(pl.Date)"
    at = f"{column(asked.time)}.dt.truncate({EVERY[grain]!r}){day}.alias('from')"
    return _through(answer, asked.time, at, "from", table)


def _cycle(answer: CycleAnswer, table: Table) -> list[str]:
    asked = answer.question
    if asked.by_weekday or asked.years or asked.zone or asked.part not in PARTS or asked.year_start != 1:
        raise Untold("the round is one of years or weekdays, or begins elsewhere")
    return _through(
        answer, asked.time, f"{column(asked.time)}.{PARTS[asked.part]}.alias('place')", "place", table
    )


def _through(answer: OverTimeAnswer | CycleAnswer, time: str, at: str, name: str, table: Table) -> list[str]:
    """Return the code for a measure by what is made ``at`` a time and called ``name``, and by group."""
    needed, said = figure(answer.question.measure, table)
    split = answer.grouping.column
    if split is None:
        keys, names, order = [at], [time, *needed], [name]
    else:
        keys = [f"({grouped(answer.grouping, table)}).alias('group')", at]
        names, order = [time, split.name, *needed], [name, "group"]
    return by_groups(names, keys, f"pl.len().alias('rows'), {said}.alias('figure')", repr(order))


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
    name = column(asked.column)
    counted = ", lit.sum().alias('lit')" if answer.basis.lit is not None else ""
    return [
        "found = (",
        f"    rows.drop_nulls({[asked.column, asked.across]!r})",
        f"    .group_by(({grouped(answer.grouping, table)}).alias('group'))",
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
    key = f"{text(asked.column, table)}.alias('group')"
    return by_groups([asked.column], [key], f"pl.len().alias('count'){counted}", "'count', descending=True")


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


_Written = Callable[[Any, bool, Table], list[str]]
_CODE: dict[type, _Written] = {
    MakeUpAnswer: lambda answer, lit, table: _made_up(answer, table),
    CompareAnswer: lambda answer, lit, table: _compared(answer, table),
    CrossAnswer: lambda answer, lit, table: _by_group(
        [answer.grouping, answer.also], answer.question.measure, table
    ),
    SeveralAnswer: lambda answer, lit, table: _several(answer, table),
    OverTimeAnswer: lambda answer, lit, table: _over_time(answer, table),
    CycleAnswer: lambda answer, lit, table: _cycle(answer, table),
    HistogramAnswer: _histogram,
    BoxesAnswer: lambda answer, lit, table: _boxes(answer, table),
    BarsAnswer: _bars,
    RelateAnswer: lambda answer, lit, table: _related(answer, table),
    ChangedAnswer: lambda answer, lit, table: changed(answer, table),
    FlowAnswer: lambda answer, lit, table: flowed(answer, table),
    CrosstabAnswer: lambda answer, lit, table: crossed(answer, table),
    CorrelationAnswer: lambda answer, lit, table: correlated(answer),
    KinAnswer: lambda answer, lit, table: belonging(answer, table),
    StagesAnswer: lambda answer, lit, table: gone_through(answer, table),
    PlaceAnswer: lambda answer, lit, table: lying(answer, table),
    HeldAnswer: lambda answer, lit, table: fixed(answer, table),
}
"""The code of each answer; ``lit`` says whether there is a mask of that name."""
