"""Columns, constants, operators and conditions of an SQL expression as column operations."""

from __future__ import annotations

import datetime as dt
import difflib
import re
from typing import cast

import polars as pl
from sqlglot import exp

from night_trail.core.recipe.sql_words import (
    AGGREGATES,
    ARITHMETIC,
    COMPARED,
    DATE,
    DATETIME,
    FUNCTIONS,
    IS,
    NOTHING,
    NUMBER,
    NUMERIC,
    SPAN,
    TEXT,
    WORDS,
    YES_NO,
    BadExpression,
    Value,
    place_of,
    text_of,
)
from night_trail.core.table import Kind, Table


class Nodes:
    """Turns the nodes of an expression into operations on the columns of a table."""

    def __init__(self, table: Table) -> None:
        self._table = table
        self.columns: list[str] = []
        self._growth = 1.0

    # ---- types ----

    def _need(self, node: exp.Expression, *types: str) -> Value:
        value = self.value(node)
        if value.type in types:
            return value
        if value.type == NOTHING:
            return Value(value.expr, types[0])
        name = node.name if isinstance(node, exp.Column) else f"“{text_of(node)}”"
        hint = ""
        if types[0] == NUMBER and value.type == TEXT:
            hint = f"Write CAST({text_of(node)} AS DOUBLE) if its cells are numbers."
        raise BadExpression(
            f"{name} is {IS[value.type]}; {' or '.join(types)} is needed here", hint, *place_of(node)
        )

    def _number(self, node: exp.Expression) -> pl.Expr:
        return self._need(node, NUMBER).expr

    def _words(self, node: exp.Expression) -> pl.Expr:
        return self._need(node, TEXT).expr

    def _condition(self, node: exp.Expression) -> pl.Expr:
        return self._need(node, YES_NO).expr

    def _constant(self, node: exp.Expression | None, what: str) -> str:
        if isinstance(node, exp.Literal):
            return str(node.this)
        raise BadExpression(f"{what} must be written out", "", *(place_of(node) if node else (None, None)))

    def _whole(self, node: exp.Expression | None, what: str) -> int:
        negative = isinstance(node, exp.Neg)
        text = self._constant(node.this if negative and node else node, what)
        if not re.fullmatch(r"\d{1,6}", text):
            raise BadExpression(f"{what} must be a whole number", "", None, None)
        return -int(text) if negative else int(text)

    # ---- nodes ----

    def value(self, node: exp.Expression) -> Value:  # noqa: C901  (one case a node)
        """Return what computes a node, and its type; refuse what is not known."""
        kind = type(node)
        if isinstance(node, exp.Paren):
            return self.value(node.this)
        if isinstance(node, exp.Column):
            return self._column(node)
        if isinstance(node, exp.Literal):
            if node.is_string:
                return Value(pl.lit(str(node.this), dtype=pl.String), TEXT)
            try:
                number = float(node.this)
            except ValueError:  # an exponent that was begun and not written
                raise BadExpression(f"“{node.this}” is not a number", "Write it as 1500 or 1.5e3.") from None
            return Value(
                pl.lit(
                    int(number)
                    if number.is_integer() and abs(number) < 2**53 and "." not in node.this
                    else number
                ),
                NUMBER,
            )
        if isinstance(node, exp.Null):
            return Value(pl.lit(None), NOTHING)
        if isinstance(node, exp.Boolean):
            return Value(pl.lit(bool(node.this)), YES_NO)
        if kind in NUMERIC:
            return Value(NUMERIC[kind](self._number(node.this)), NUMBER)
        if kind in WORDS:
            return Value(WORDS[kind](self._words(node.this)), TEXT)
        if kind in COMPARED:
            left, right = self._alike(node.this, node.expression)
            return Value(COMPARED[kind](left.expr, right.expr), YES_NO)
        if kind in ARITHMETIC:
            return self._arithmetic(node)
        if isinstance(node, exp.Window):
            return self._window(node)
        if kind in AGGREGATES:
            name = text_of(node)
            raise BadExpression(
                f"“{name}” needs to know over which rows",
                f"Write {name} OVER () for all of them, or OVER (PARTITION BY …).",
                *place_of(node),
            )
        handler = getattr(self, f"_on_{kind.__name__.lower()}", None)
        if handler is None:
            raise self._unknown(node)
        found: Value = handler(node)
        return found

    def _unknown(self, node: exp.Expression) -> BadExpression:
        if isinstance(node, exp.Anonymous):
            name = str(node.this).upper()
            near = difflib.get_close_matches(name, FUNCTIONS, n=2, cutoff=0.6)
            hint = (
                f"Did you mean {' or '.join(near)}?"
                if near
                else f"Known are {', '.join(FUNCTIONS[:12])} and others."
            )
            return BadExpression(f"There is no function {name}", hint, *place_of(node))
        if isinstance(node, (exp.Query, exp.Subquery, exp.Command, exp.DDL, exp.DML)):
            return BadExpression(
                "A calculated column is one expression; tables cannot be asked in it",
                "Leave out SELECT.",
                *place_of(node),
            )
        return BadExpression(
            f"“{text_of(node)}” cannot be used in a calculated column",
            "Use columns, numbers and the functions of the list.",
            *place_of(node),
        )

    def _column(self, node: exp.Column) -> Value:
        if node.table:
            raise BadExpression(
                f"“{text_of(node)}” names a table",
                "Columns of this table are written without it.",
                *place_of(node),
            )
        name = node.name
        if name not in self._table:
            same = [c.name for c in self._table.columns if c.name.lower() == name.lower()]
            if len(same) != 1:
                names = [c.name for c in self._table.columns]
                near = difflib.get_close_matches(name, names, n=2, cutoff=0.5)
                hint = f"Did you mean {' or '.join(near)}?" if near else "Choose one of the table's columns."
                raise BadExpression(f"There is no column “{name}”", hint, *place_of(node))
            name = same[0]
        column = self._table.column(name)
        if name not in self.columns:
            self.columns.append(name)
        expr = pl.col(f"c{self.columns.index(name)}")
        if column.kind.numeric:
            return Value(expr, NUMBER)
        types = {Kind.DATE: DATE, Kind.DATETIME: DATETIME, Kind.YES_NO: YES_NO}
        return Value(expr, types.get(column.kind, TEXT))

    def _alike(self, a: exp.Expression, b: exp.Expression) -> tuple[Value, Value]:
        """Return two values of one type; a text written out beside a date is read as a date."""
        left, right = self.value(a), self.value(b)
        if left.type in (DATE, DATETIME) and isinstance(b, exp.Literal) and b.is_string:
            right = self._date_literal(b)
        elif right.type in (DATE, DATETIME) and isinstance(a, exp.Literal) and a.is_string:
            left = self._date_literal(a)
        dates = {DATE, DATETIME}
        if (
            left.type != right.type
            and NOTHING not in (left.type, right.type)
            and not {left.type, right.type} <= dates
        ):
            name = a.name if isinstance(a, exp.Column) else f"“{text_of(a)}”"
            raise BadExpression(
                f"{name} is {IS[left.type]} and is compared with {right.type}",
                "Compare like with like.",
                *place_of(cast(exp.Expression, a.parent or a)),
            )
        return left, right

    def _date_literal(self, node: exp.Literal) -> Value:
        text = str(node.this).strip()
        try:
            if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
                return Value(pl.lit(dt.date.fromisoformat(text)), DATE)
            return Value(pl.lit(dt.datetime.fromisoformat(text).replace(tzinfo=None)), DATETIME)
        except ValueError:
            raise BadExpression(f"“{text[:40]}” is no date", "Write it as 2024-12-31.") from None

    def _arithmetic(self, node: exp.Expression) -> Value:
        a, b = node.this, node.expression
        left, right = self.value(a), self.value(b)
        dates = (DATE, DATETIME)
        if isinstance(node, (exp.Add, exp.Sub)) and left.type in dates and right.type == SPAN:
            step = right.expr if isinstance(node, exp.Add) else -right.expr
            return Value(
                left.expr.cast(pl.Datetime("us")) + step if left.type == DATETIME else left.expr + step,
                left.type,
            )
        if isinstance(node, exp.Sub) and left.type in dates and right.type in dates:
            days = (
                left.expr.cast(pl.Datetime("us")) - right.expr.cast(pl.Datetime("us"))
            ).dt.total_microseconds()
            return Value(days / 86_400e6, NUMBER)
        if left.type in dates and right.type == NUMBER and isinstance(node, (exp.Add, exp.Sub)):
            raise BadExpression(
                f"{text_of(a)} is a date", f"Write {text_of(a)} + INTERVAL '1' DAY.", *place_of(node)
            )
        return Value(ARITHMETIC[type(node)](self._number(a), self._number(b)), NUMBER)

    def _window(self, node: exp.Window) -> Value:
        inner = node.this
        if type(inner) not in AGGREGATES or node.args.get("order") or node.args.get("spec"):
            raise BadExpression(
                "Only AVG, SUM, MIN, MAX, MEDIAN, STDDEV and COUNT can be taken OVER (PARTITION BY …)",
                "",
                *place_of(node),
            )
        groups = [self.value(g).expr for g in node.args.get("partition_by") or []]
        if isinstance(inner, exp.Count):
            counted = pl.col("rows") if isinstance(inner.this, exp.Star) else self.value(inner.this).expr
            result, type_ = counted.count(), NUMBER
        elif isinstance(inner, (exp.Min, exp.Max)):
            value = self.value(inner.this)
            result, type_ = AGGREGATES[type(inner)](value.expr), value.type
        else:
            result, type_ = AGGREGATES[type(inner)](self._number(inner.this)), NUMBER
        return Value(result.over(groups) if groups else result, type_)

    def _same_type(self, nodes: list[exp.Expression]) -> tuple[list[pl.Expr], str]:
        values = [self.value(n) for n in nodes]
        first = next((v.type for v in values if v.type != NOTHING), NOTHING)
        for node, value in zip(nodes, values, strict=True):
            if value.type not in (first, NOTHING):
                raise BadExpression(
                    f"“{text_of(node)}” is {IS[value.type]}; {first} is needed here as before it",
                    "",
                    *place_of(node),
                )
        return [v.expr for v in values], first

    # ---- conditions ----

    def _on_and(self, node: exp.And) -> Value:
        return Value(self._condition(node.this) & self._condition(node.expression), YES_NO)

    def _on_or(self, node: exp.Or) -> Value:
        return Value(self._condition(node.this) | self._condition(node.expression), YES_NO)

    def _on_not(self, node: exp.Not) -> Value:
        return Value(~self._condition(node.this), YES_NO)

    def _on_is(self, node: exp.Is) -> Value:
        value = self.value(node.this).expr
        if isinstance(node.expression, exp.Null):
            return Value(value.is_null(), YES_NO)
        return Value(value.eq_missing(self._condition(node.expression)), YES_NO)

    def _on_in(self, node: exp.In) -> Value:
        if node.args.get("query") or not node.expressions:
            raise self._unknown(cast(exp.Expression, node.args.get("query") or node))
        pairs = [self._alike(node.this, option) for option in node.expressions]
        return Value(pl.any_horizontal(*(left.expr == right.expr for left, right in pairs)), YES_NO)

    def _on_between(self, node: exp.Between) -> Value:
        value, low = self._alike(node.this, node.args["low"])
        _, high = self._alike(node.this, node.args["high"])
        return Value((value.expr >= low.expr) & (value.expr <= high.expr), YES_NO)

    def _on_like(self, node: exp.Like, fold: bool = False) -> Value:
        pattern = self._constant(node.expression, "The pattern")
        regex = "".join(".*" if c == "%" else "." if c == "_" else re.escape(c) for c in pattern)
        return Value(self._words(node.this).str.contains(f"(?s{'i' if fold else ''})^{regex}$"), YES_NO)

    def _on_ilike(self, node: exp.ILike) -> Value:
        return self._on_like(node, fold=True)  # type: ignore[arg-type]

    def _on_case(self, node: exp.Case) -> Value:
        ifs: list[exp.If] = node.args["ifs"]
        results = [i.args["true"] for i in ifs] + ([node.args["default"]] if node.args.get("default") else [])
        exprs, type_ = self._same_type(results)
        chain: pl.Expr = exprs[len(ifs)] if len(exprs) > len(ifs) else pl.lit(None)
        for branch, result in reversed(list(zip(ifs, exprs, strict=False))):
            if node.this is not None:
                left, right = self._alike(node.this, branch.this)
                condition = left.expr == right.expr
            else:
                condition = self._condition(branch.this)
            chain = pl.when(condition).then(result).otherwise(chain)
        return Value(chain, type_)

    def _on_if(self, node: exp.If) -> Value:
        other = node.args.get("false") or exp.Null()
        (yes, no), type_ = self._same_type([node.args["true"], other])
        return Value(pl.when(self._condition(node.this)).then(yes).otherwise(no), type_)

    def _on_coalesce(self, node: exp.Coalesce) -> Value:
        exprs, type_ = self._same_type([node.this, *node.expressions])
        return Value(pl.coalesce(*exprs), type_)

    def _on_nullif(self, node: exp.Nullif) -> Value:
        left, right = self._alike(node.this, node.expression)
        return Value(pl.when(~left.expr.eq_missing(right.expr)).then(left.expr), left.type)

    def _on_greatest(self, node: exp.Greatest) -> Value:
        exprs, type_ = self._same_type([node.this, *node.expressions])
        return Value(pl.max_horizontal(*exprs), type_)

    def _on_least(self, node: exp.Least) -> Value:
        exprs, type_ = self._same_type([node.this, *node.expressions])
        return Value(pl.min_horizontal(*exprs), type_)
