"""The picture in which a driver can be seen beside what it drives."""

from __future__ import annotations

from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.drivers.answer import Driver, DriversAnswer
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.answer import first_question
from night_trail.core.table import Table


def picture_of(answer: DriversAnswer, one: Driver, table: Table) -> Question:
    """Return points of two numbers, else a comparison; of a share the spread of the driver itself."""
    feature = one.effect.feature if one.effect is not None else None
    column = table.column(one.columns[0]) if feature is None else feature.column
    target = answer.column
    if answer.is_share:
        return first_question(column)
    if column.kind.measured and not column.code:
        return Relate(target.name, column.name)
    return Compare(Measure("mean", target.name), column.name, shape="dots")
