"""What is driven, as a number for each row: a number itself, or whether a category has a value."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Floats, Kind, Table

FAR = 6.0
"""Values so many times the middle half beyond it count as that far, where they are few."""
FEW_FAR = 0.01


@dataclass(frozen=True)
class Target:
    """The values of all rows, NaN where missing; the value that is driven of a category.

    ``far`` values beyond ``ends`` count as lying there.
    """

    column: Column
    values: Floats
    value: str | None
    far: int = 0
    ends: tuple[float, float] = (-np.inf, np.inf)

    @property
    def is_share(self) -> bool:
        """Whether what is driven is how often something is so."""
        return self.value is not None


def check_target(question: Drivers, table: Table) -> None:
    """Refuse a column nothing can drive: one of dates, of texts, of names."""
    column = table.column(question.of)
    if column.dated or column.kind in (Kind.TEXT, Kind.IDENTIFIER) or column.code:
        kind = "a code" if column.code else "a time" if column.dated else str(column.kind)
        raise BadQuestion(
            f"“{column.name}” is {kind}, which nothing drives", "of", "Choose a number or a category."
        )
    if column.distinct < 2:
        raise BadQuestion(f"“{column.name}” has one value only", "of", "Choose a column that varies.")
    if not column.kind.numeric and column.distinct > 200:
        raise BadQuestion(f"“{column.name}” has {column.distinct:,} values", "of", "Choose one of fewer.")


def target_of(question: Drivers, rows: Rows) -> Target:
    """Return what is driven."""
    table = rows.table
    column = table.column(question.of)
    if column.kind.numeric:
        values = table.axis(column.name).values
        kept = values[np.isfinite(values)] if rows.kept is None else values[rows.kept & np.isfinite(values)]
        if len(kept) < 4:
            return Target(column, values, None)
        q1, q3 = np.quantile(kept, (0.25, 0.75))
        low, high = q1 - FAR * (q3 - q1), q3 + FAR * (q3 - q1)
        far = int(np.count_nonzero((kept < low) | (kept > high)))
        if q3 > q1 and 0 < far <= FEW_FAR * len(kept):
            return Target(column, np.clip(values, low, high), None, far, (float(low), float(high)))
        return Target(column, values, None)
    coded = table.coded(column.name)
    codes = coded.codes if rows.kept is None else coded.codes[rows.kept]
    value = question.value
    if value is None:
        counts = np.bincount(codes[codes >= 0], minlength=len(coded.labels))
        value = "yes" if column.kind == Kind.YES_NO else coded.labels[int(np.argmax(counts))]
    if value not in coded.labels:
        raise BadQuestion(f"“{value}” is no value of {column.name}", "value", "Choose one of them.")
    found = (coded.codes == coded.labels.index(value)).astype(np.float64)
    return Target(column, np.where(coded.codes < 0, np.nan, found), value)
