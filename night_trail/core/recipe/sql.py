"""Calculated columns: SQL expressions, checked node by node and turned into column operations.

Only the nodes and functions written down here are known, so an expression can
reach the named columns of its own table and nothing else: no files, no other
tables, no sub-queries. Its length and the number of its parts are bounded.
Missing cells follow SQL: what is computed from one is missing; ``COALESCE``,
``IS NULL`` and aggregates excepted. Division gives fractions, and what has no
value (division by 0, the logarithm of a negative) is missing.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import cast

import polars as pl
import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError

from night_trail.core.recipe.sql_functions import Functions
from night_trail.core.recipe.sql_words import (
    FUNCTIONS,
    SPAN,
    BadExpression,
    Value,
)
from night_trail.core.table import Table

MOST_CHARACTERS = 2_000
MOST_NODES = 400


@dataclass(frozen=True)
class Compiled:
    """An expression that can be computed from named columns of a table."""

    value: Value
    columns: tuple[str, ...]

    def compute(self, table: Table, rows: pl.Series | None = None) -> pl.Series:
        """Return its cells for all rows, or for some by their positions."""
        return self.over({name: table.series(name) for name in self.columns}, table.height, rows)

    def over(self, series: dict[str, pl.Series], height: int, rows: pl.Series | None = None) -> pl.Series:
        """Return its cells from given columns."""
        cells = []
        for i, name in enumerate(self.columns):
            column = series[name] if rows is None else series[name].gather(rows)
            if isinstance(column.dtype, pl.Enum):
                column = column.cast(pl.String)
            cells.append(column.alias(f"c{i}"))
        n = height if rows is None else len(rows)
        frame = pl.DataFrame([*cells, pl.Series("rows", [0], dtype=pl.Int8).new_from_index(0, n)])
        try:
            found = frame.select(self.value.expr.alias("cells")).to_series()
        except pl.exceptions.PolarsError as error:
            raise BadExpression(f"It cannot be computed: {str(error).splitlines()[0][:160]}") from None
        if len(found) == 1 and n != 1:
            found = found.new_from_index(0, n) if n else found.clear()
        if found.dtype.is_float():
            found = found.set(found.is_nan() | found.is_infinite(), None)
        return found.cast(pl.String) if found.dtype == pl.Null else found


def compile_sql(sql: str, table: Table) -> Compiled:
    """Return an SQL expression checked and ready to compute.

    Raises
    ------
    BadExpression
        Saying what is wrong and where in the expression.
    """
    if not sql.strip():
        raise BadExpression("There is no expression yet", "Write one, such as late_min / 60.")
    if len(sql) > MOST_CHARACTERS:
        raise BadExpression(
            f"The expression is longer than {MOST_CHARACTERS:,} characters", "Split it into several columns."
        )
    try:
        tree = cast(exp.Expression, sqlglot.parse_one(sql))
    except SqlglotError as error:
        raise _syntax(error, sql) from None
    except RecursionError:
        raise BadExpression("The expression is nested too deeply", "Split it into several columns.") from None
    if tree is None or isinstance(tree, exp.Block):
        raise BadExpression("Only one expression can be computed", "Leave out the semicolon.")
    if sum(1 for _ in tree.walk()) > MOST_NODES:
        raise BadExpression(
            f"The expression has more than {MOST_NODES} parts", "Split it into several columns."
        )
    compiler = Functions(table)
    try:
        value = compiler.value(tree)
    except BadExpression as error:
        error.end = _closed(sql, error.start, error.end)
        raise
    except RecursionError:
        raise BadExpression("The expression is nested too deeply", "Split it into several columns.") from None
    if value.type == SPAN:
        raise BadExpression("The result is a span of time", "Subtract dates to get a number of days.")
    return Compiled(value, tuple(compiler.columns))


def _closed(sql: str, start: int | None, end: int | None) -> int | None:
    """Return the end of a marked place with the brackets that were opened in it."""
    if start is None or end is None:
        return end
    open_ = sql.count("(", start, end) - sql.count(")", start, end)
    while open_ > 0 and end < len(sql):
        open_ -= {")": 1, "(": -1}.get(sql[end], 0)
        end += 1
    return end


def _syntax(error: SqlglotError, sql: str) -> BadExpression:
    details = getattr(error, "errors", None) or [{}]
    word = details[0].get("highlight") or ""
    start = len(details[0].get("start_context") or "") if word else len(sql)
    what = f"“{word}” is not expected here" if word else "The expression breaks off"
    if "'expression' missing" in str(details[0].get("description", "")):
        what = f"Something is missing after “{word}”"
    elif "Expecting )" in str(details[0].get("description", "")):
        what = "A closing bracket is missing"
    return BadExpression(what, "Look at the marked place.", start, start + max(1, len(word)))


def completions(table: Table) -> list[str]:
    """Return what may be typed in an expression: column names as SQL writes them, and functions."""
    return [quoted(c.name) for c in table.columns] + [f"{name}(" for name in FUNCTIONS]


def quoted(name: str) -> str:
    """Return a column's name as an expression writes it.

    >>> quoted("late_min"), quoted("rain mm")
    ('late_min', '"rain mm"')
    """
    plain = re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]*", name) and name.upper() not in _RESERVED
    return name if plain else '"' + name.replace('"', '""') + '"'


_RESERVED = set(
    (
        "SELECT FROM WHERE AND OR NOT IN IS NULL CASE WHEN THEN ELSE END LIKE BETWEEN "
        "CAST AS DATE INTERVAL TRUE FALSE OVER PARTITION BY ORDER GROUP LEFT RIGHT IF "
        "DAY MONTH YEAR HOUR MINUTE SECOND WEEK TIMESTAMP TIME VALUES ALL ANY SOME "
        "EXISTS UNION JOIN ON USING WITH HAVING LIMIT DISTINCT SET FOR TO TABLE INDEX "
        "KEY DEFAULT ROW ROWS"
    ).split()
)
