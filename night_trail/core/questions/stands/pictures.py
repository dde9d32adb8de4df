"""The picture in which the rows of a finding can be seen among the others."""

from __future__ import annotations

from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.spread.answer import first_question
from night_trail.core.questions.stands.found import Finding
from night_trail.core.table import Table


def picture_of(finding: Finding, table: Table) -> Question | None:
    """Return the question whose picture shows where a finding's rows stand; None where rows alone do."""
    columns = [table.column(name) for name in finding.columns if name in table]
    when = time_column(table)
    if finding.sort in ("peak", "shift", "gap", "stuck") and when is not None:
        one = columns[0] if columns and columns[0].kind.numeric and columns[0] != when else None
        return OverTime(Measure("count") if one is None else first_measure(one), when.name)
    if not columns or finding.sort in ("block", "again"):
        return None
    if len(columns) == 1 or finding.sort in ("far", "typed", "rare"):
        return first_question(columns[0])
    first, second = columns[:2]
    if first.kind.measured and second.kind.measured and not second.code:
        return Relate(first.name, second.name)
    if not first.kind.measured or first.code:
        return Crosstab(first.name, second.name)
    return first_question(first)
