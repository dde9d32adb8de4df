"""The code an analyst would write to get a picture's figures again, with polars and nothing of ours.

Where a figure comes of a model, or of a condition drawn by hand, there is none: that is said.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from night_trail.core.conditions import Condition
from night_trail.core.measure import Measure
from night_trail.core.plain_code import Untold, by_groups, each_group, expression, figure, grouped, present
from night_trail.core.question import Question
from night_trail.core.questions.changed.answer import ChangedAnswer
from night_trail.core.questions.compare.answer import CompareAnswer, base_parts, plan_of
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.decomposition.answer import DecompositionAnswer
from night_trail.core.questions.differ.answer import DifferAnswer
from night_trail.core.questions.drivers.answer import DriversAnswer
from night_trail.core.questions.flow.answer import FlowAnswer
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.held.answer import HeldAnswer
from night_trail.core.questions.kin.answer import KinAnswer
from night_trail.core.questions.make_up.answer import MakeUpAnswer
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.place.answer import PlaceAnswer
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.spread.angles import AnglesAnswer
from night_trail.core.questions.spread.bars import BarsAnswer
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.curves import CurvesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.spread.strip import StripAnswer
from night_trail.core.questions.stages.answer import StagesAnswer
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.recomputed_between import changed, correlated, crossed, flowed
from night_trail.core.recomputed_models import ahead, driven, taken_apart
from night_trail.core.recomputed_sides import differing, standing_out
from night_trail.core.recomputed_spread import bars, boxes, related, spread
from night_trail.core.recomputed_time import cycle, over_time
from night_trail.core.recomputed_units import belonging, fixed, gone_through, lying
from night_trail.core.table import Table

IMPORTS = "from datetime import date, datetime\n\nimport numpy as np\nimport polars as pl"


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
        if type(answer) not in _CODE and not isinstance(answer, CompareAnswer):
            raise Untold("its kind came from outside; its figures are in the picture’s own table")
        if isinstance(answer, CompareAnswer):
            lines += _compared(answer, table, only)
        else:
            lines += _CODE[type(answer)](answer, lit is not None, table)
    except Untold as why:
        return Code((), str(why))
    return Code(tuple(lines))


def _filtered(only: Sequence[Condition], table: Table) -> str:
    if not only:
        return "rows = table"
    return f"rows = table.filter({', '.join(expression(one, table) for one in only)})"


def _compared(answer: CompareAnswer, table: Table, only: Sequence[Condition]) -> list[str]:
    asked = answer.question
    lines = _by_group([answer.grouping], asked.measure, table)
    baseline = asked.baseline
    if baseline is None:
        return lines
    if baseline.target is not None:
        lines.append(f"found = found.with_columns(pl.lit({baseline.target!r}).alias('baseline'))")
    elif baseline.group is not None:
        of_it = f"pl.col('figure').filter(pl.col('group') == {baseline.group!r}).first()"
        lines.append(f"found = found.with_columns({of_it}.alias('baseline'))")
    else:
        lines += _held_against(answer, table, only)
    return [*lines, *_differences(answer)]


def _held_against(answer: CompareAnswer, table: Table, only: Sequence[Condition]) -> list[str]:
    """Return the code for what each group is held against: a plan of the same rows, or other rows."""
    asked = answer.question
    measure, baseline, rows = asked.measure, asked.baseline, "rows"
    assert baseline is not None  # noqa: S101  (asked of a baseline)
    if baseline.column is not None:
        measure = plan_of(measure, baseline.column)
    elif baseline.where is not None:
        parts = base_parts(baseline.where, only)
        rows = f"table.filter({', '.join(expression(one, table) for one in parts)})"
    needed, said = figure(measure, table)
    adds = measure.aggregate in ADDS_UP
    filled = ".with_columns(pl.col('rows', 'figure', 'baseline').fill_null(0))" if adds else ""
    return [
        f"base = {rows}{present([asked.across, *needed])}"
        f".group_by(({grouped(answer.grouping, table)}).alias('group')).agg({said}.alias('baseline'))",
        f"found = found.join(base, on='group', how={'full' if adds else 'left'!r}, coalesce=True){filled}",
    ]


def _differences(answer: CompareAnswer) -> list[str]:
    baseline = answer.question.baseline
    if baseline is None or baseline.target is not None:
        return []
    off = "pl.col('figure') - pl.col('baseline')"
    if baseline.show == "relative":
        off = f"pl.when(pl.col('baseline') != 0).then(({off}) / pl.col('baseline').cast(pl.Float64).abs())"
    elif baseline.show != "absolute":
        raise Untold("differences are shares of the whole one")
    return [f"found = found.with_columns(({off}).alias('difference'))"]


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
    levels = answer.groupings[: len(asked.path) + deepest]
    if asked.of is not None:
        raise Untold("it is made up of the rows of a group that was gone into")
    needed, said = figure(asked.measure, table)
    named = list(zip(asked.names, levels, strict=False))
    inside = "".join(
        f".filter({expression(condition, table)})"
        for (_, level), value in zip(named, asked.path, strict=False)
        for at, group in enumerate(level.groups)
        if group.label == value and (condition := level.condition(at)) is not None
    )
    drawn = named[len(asked.path) :]
    texts = ", ".join(f"({each_group(one, table)}).alias({name!r})" for name, one in drawn)
    return [
        f"parts = rows{inside}{present(needed)}",
        f"levels = {[name for name, _ in drawn]!r}",
        "found = pl.concat(",
        "    [",
        f"        parts.with_columns({texts})",
        "        .group_by(levels[:depth])",
        f"        .agg(pl.len().alias('rows'), {said}.alias('figure'))",
        "        .sort('figure', descending=True)",
        "        for depth in range(1, len(levels) + 1)",
        "    ],",
        "    how='diagonal',",
        ")",
    ]


_Written = Callable[[Any, bool, Table], list[str]]
_CODE: dict[type, _Written] = {
    MakeUpAnswer: lambda answer, lit, table: _made_up(answer, table),
    CrossAnswer: lambda answer, lit, table: _by_group(
        [answer.grouping, answer.also], answer.question.measure, table
    ),
    SeveralAnswer: lambda answer, lit, table: _several(answer, table),
    OverTimeAnswer: lambda answer, lit, table: over_time(answer, table),
    CycleAnswer: lambda answer, lit, table: cycle(answer, table),
    DecompositionAnswer: lambda answer, lit, table: taken_apart(answer, table),
    ForecastAnswer: lambda answer, lit, table: ahead(answer, table),
    DriversAnswer: lambda answer, lit, table: driven(answer, table),
    DifferAnswer: lambda answer, lit, table: differing(answer, table),
    StandsAnswer: lambda answer, lit, table: standing_out(answer, table),
    HistogramAnswer: spread,
    AnglesAnswer: spread,
    CurvesAnswer: spread,
    StripAnswer: spread,
    BoxesAnswer: lambda answer, lit, table: boxes(answer, table),
    BarsAnswer: bars,
    RelateAnswer: lambda answer, lit, table: related(answer, table),
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
