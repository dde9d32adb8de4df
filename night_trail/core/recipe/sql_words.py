"""What calculated columns know of SQL: types, operators, functions; how errors point into an expression."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import polars as pl
from sqlglot import exp

from night_trail.core.errors import BadQuestion

NUMBER, TEXT, YES_NO, DATE, DATETIME, SPAN, NOTHING = (
    "a number",
    "text",
    "yes/no",
    "a date",
    "a date and time",
    "a span of time",
    "nothing",
)
IS = {
    NUMBER: "number",
    TEXT: "text",
    YES_NO: "yes/no",
    DATE: "date",
    DATETIME: "date and time",
    SPAN: "span of time",
    NOTHING: "missing",
}


class BadExpression(BadQuestion):
    """An expression that cannot be computed; ``start`` and ``end`` point into it."""

    def __init__(self, what: str, way_on: str = "", start: int | None = None, end: int | None = None) -> None:
        super().__init__(what, "", way_on)
        self.start, self.end = start, end


@dataclass(frozen=True)
class Value:
    """A part of an expression: what computes it, and of which type it is."""

    expr: pl.Expr
    type: str


def place_of(node: exp.Expression) -> tuple[int | None, int | None]:
    """Return where the names within a node begin and end in the expression, as far as known."""
    spots = [n.meta for n in node.walk() if "start" in n.meta]
    if not spots:
        return None, None
    return min(s["start"] for s in spots), max(s["end"] for s in spots) + 1


def text_of(node: exp.Expression) -> str:
    """Return a node as it may be shown in a sentence."""
    return node.sql()[:60]


def finite(expr: pl.Expr) -> pl.Expr:
    """Return numbers, those that have no value as missing."""
    return pl.when(expr.is_finite()).then(expr)


TRUNC = {
    "YEAR": "1y",
    "QUARTER": "1q",
    "MONTH": "1mo",
    "WEEK": "1w",
    "DAY": "1d",
    "HOUR": "1h",
    "MINUTE": "1m",
}
PARTS: dict[str, Callable[[pl.Expr], pl.Expr]] = {
    "YEAR": lambda e: e.dt.year(),
    "QUARTER": lambda e: e.dt.quarter(),
    "MONTH": lambda e: e.dt.month(),
    "WEEK": lambda e: e.dt.week(),
    "DAY": lambda e: e.dt.day(),
    "DOY": lambda e: e.dt.ordinal_day(),
    "DAYOFYEAR": lambda e: e.dt.ordinal_day(),
    "ISODOW": lambda e: e.dt.weekday(),
    "DOW": lambda e: e.dt.weekday() % 7,
    "DAYOFWEEK": lambda e: e.dt.weekday() % 7,
    "HOUR": lambda e: e.dt.hour(),
    "MINUTE": lambda e: e.dt.minute(),
    "SECOND": lambda e: e.dt.second(),
}
SECONDS = {"WEEK": 604_800, "DAY": 86_400, "HOUR": 3_600, "MINUTE": 60, "SECOND": 1}
NEEDS_TIME = {"HOUR", "MINUTE", "SECOND"}
CASTS = {
    **dict.fromkeys(("INT", "BIGINT", "SMALLINT", "TINYINT"), NUMBER),
    **dict.fromkeys(("DOUBLE", "FLOAT", "DECIMAL"), NUMBER),
    **dict.fromkeys(("TEXT", "VARCHAR", "CHAR", "NVARCHAR"), TEXT),
    "BOOLEAN": YES_NO,
    "DATE": DATE,
    **dict.fromkeys(("TIMESTAMP", "DATETIME", "TIMESTAMPNTZ"), DATETIME),
}
AGGREGATES: dict[type[exp.Expression], Callable[[pl.Expr], pl.Expr]] = {
    exp.Avg: lambda e: e.mean(),
    exp.Sum: lambda e: e.sum(),
    exp.Min: lambda e: e.min(),
    exp.Max: lambda e: e.max(),
    exp.Median: lambda e: e.median(),
    exp.Stddev: lambda e: e.std(),
    exp.Count: lambda e: e.count(),
}
NUMERIC: dict[type[exp.Expression], Callable[[pl.Expr], pl.Expr]] = {
    exp.Abs: lambda e: e.abs(),
    exp.Floor: lambda e: e.floor(),
    exp.Ceil: lambda e: e.ceil(),
    exp.Sign: lambda e: e.sign(),
    exp.Sqrt: lambda e: finite(e.cast(pl.Float64).sqrt()),
    exp.Ln: lambda e: finite(e.cast(pl.Float64).log()),
    exp.Exp: lambda e: finite(e.cast(pl.Float64).exp()),
    exp.Neg: lambda e: -e,
}
WORDS: dict[type[exp.Expression], Callable[[pl.Expr], pl.Expr]] = {
    exp.Lower: lambda e: e.str.to_lowercase(),
    exp.Upper: lambda e: e.str.to_uppercase(),
    exp.Initcap: lambda e: e.str.to_titlecase(),
}
COMPARED: dict[type[exp.Expression], Callable[[pl.Expr, pl.Expr], pl.Expr]] = {
    exp.EQ: lambda a, b: a == b,
    exp.NEQ: lambda a, b: a != b,
    exp.GT: lambda a, b: a > b,
    exp.GTE: lambda a, b: a >= b,
    exp.LT: lambda a, b: a < b,
    exp.LTE: lambda a, b: a <= b,
}
ARITHMETIC: dict[type[exp.Expression], Callable[[pl.Expr, pl.Expr], pl.Expr]] = {
    exp.Add: lambda a, b: a + b,
    exp.Sub: lambda a, b: a - b,
    exp.Mul: lambda a, b: a * b,
    exp.Div: lambda a, b: finite(a.cast(pl.Float64) / b.cast(pl.Float64)),
    exp.Mod: lambda a, b: pl.when(b != 0).then(a - b * (a / b).cast(pl.Float64).floor()),
    exp.Pow: lambda a, b: finite(a.cast(pl.Float64).pow(b.cast(pl.Float64))),
}
FUNCTIONS = (
    "ABS ROUND FLOOR CEIL SQRT LN LOG EXP POWER SIGN GREATEST LEAST COALESCE NULLIF "
    "LOWER UPPER INITCAP TRIM LENGTH SUBSTRING LEFT RIGHT REPLACE CONCAT SPLIT_PART "
    "REGEXP_EXTRACT CONTAINS STARTS_WITH POSITION EXTRACT DATE_TRUNC YEAR QUARTER "
    "MONTH WEEK DAY HOUR MINUTE SECOND CAST CASE IF AVG SUM MIN MAX MEDIAN STDDEV "
    "COUNT"
).split()
"""Every function a calculated column may use; aggregates with OVER (…)."""
