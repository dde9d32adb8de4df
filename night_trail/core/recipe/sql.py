"""Calculated columns: SQL expressions, checked node by node and turned into column operations.

Only the nodes and functions written down here are known, so an expression can
reach the named columns of its own table and nothing else: no files, no other
tables, no sub-queries. Its length and the number of its parts are bounded.
Missing cells follow SQL: what is computed from one is missing; ``COALESCE``,
``IS NULL`` and aggregates excepted. Division gives fractions, and what has no
value (division by 0, the logarithm of a negative) is missing.
"""

from __future__ import annotations

import datetime as dt
import difflib
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import cast

import polars as pl
import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError

from night_trail.core.errors import BadQuestion
from night_trail.core.table import Kind, Table

MOST_CHARACTERS = 2_000
MOST_NODES = 400

NUMBER, TEXT, YES_NO, DATE, DATETIME, SPAN, NOTHING = (
    "a number",
    "text",
    "yes/no",
    "a date",
    "a date and time",
    "a span of time",
    "nothing",
)
_IS = {
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
    compiler = _Compiler(table)
    try:
        value = compiler.value(tree)
    except RecursionError:
        raise BadExpression("The expression is nested too deeply", "Split it into several columns.") from None
    if value.type == SPAN:
        raise BadExpression("The result is a span of time", "Subtract dates to get a number of days.")
    return Compiled(value, tuple(compiler.columns))


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


def _place(node: exp.Expression) -> tuple[int | None, int | None]:
    spots = [n.meta for n in node.walk() if "start" in n.meta]
    if not spots:
        return None, None
    return min(s["start"] for s in spots), max(s["end"] for s in spots) + 1


def _text_of(node: exp.Expression) -> str:
    return node.sql()[:60]


def _finite(expr: pl.Expr) -> pl.Expr:
    return pl.when(expr.is_finite()).then(expr)


_TRUNC = {
    "YEAR": "1y",
    "QUARTER": "1q",
    "MONTH": "1mo",
    "WEEK": "1w",
    "DAY": "1d",
    "HOUR": "1h",
    "MINUTE": "1m",
}
_PARTS: dict[str, Callable[[pl.Expr], pl.Expr]] = {
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
_SECONDS = {"WEEK": 604_800, "DAY": 86_400, "HOUR": 3_600, "MINUTE": 60, "SECOND": 1}
_NEEDS_TIME = {"HOUR", "MINUTE", "SECOND"}
_CASTS = {
    **dict.fromkeys(("INT", "BIGINT", "SMALLINT", "TINYINT"), NUMBER),
    **dict.fromkeys(("DOUBLE", "FLOAT", "DECIMAL"), NUMBER),
    **dict.fromkeys(("TEXT", "VARCHAR", "CHAR", "NVARCHAR"), TEXT),
    "BOOLEAN": YES_NO,
    "DATE": DATE,
    **dict.fromkeys(("TIMESTAMP", "DATETIME", "TIMESTAMPNTZ"), DATETIME),
}
_AGGREGATES: dict[type[exp.Expression], Callable[[pl.Expr], pl.Expr]] = {
    exp.Avg: lambda e: e.mean(),
    exp.Sum: lambda e: e.sum(),
    exp.Min: lambda e: e.min(),
    exp.Max: lambda e: e.max(),
    exp.Median: lambda e: e.median(),
    exp.Stddev: lambda e: e.std(),
    exp.Count: lambda e: e.count(),
}
_NUMERIC: dict[type[exp.Expression], Callable[[pl.Expr], pl.Expr]] = {
    exp.Abs: lambda e: e.abs(),
    exp.Floor: lambda e: e.floor(),
    exp.Ceil: lambda e: e.ceil(),
    exp.Sign: lambda e: e.sign(),
    exp.Sqrt: lambda e: _finite(e.cast(pl.Float64).sqrt()),
    exp.Ln: lambda e: _finite(e.cast(pl.Float64).log()),
    exp.Exp: lambda e: _finite(e.cast(pl.Float64).exp()),
    exp.Neg: lambda e: -e,
}
_WORDS: dict[type[exp.Expression], Callable[[pl.Expr], pl.Expr]] = {
    exp.Lower: lambda e: e.str.to_lowercase(),
    exp.Upper: lambda e: e.str.to_uppercase(),
    exp.Initcap: lambda e: e.str.to_titlecase(),
}
_COMPARED: dict[type[exp.Expression], Callable[[pl.Expr, pl.Expr], pl.Expr]] = {
    exp.EQ: lambda a, b: a == b,
    exp.NEQ: lambda a, b: a != b,
    exp.GT: lambda a, b: a > b,
    exp.GTE: lambda a, b: a >= b,
    exp.LT: lambda a, b: a < b,
    exp.LTE: lambda a, b: a <= b,
}
_ARITHMETIC: dict[type[exp.Expression], Callable[[pl.Expr, pl.Expr], pl.Expr]] = {
    exp.Add: lambda a, b: a + b,
    exp.Sub: lambda a, b: a - b,
    exp.Mul: lambda a, b: a * b,
    exp.Div: lambda a, b: _finite(a.cast(pl.Float64) / b.cast(pl.Float64)),
    exp.Mod: lambda a, b: pl.when(b != 0).then(a - b * (a / b).cast(pl.Float64).floor()),
    exp.Pow: lambda a, b: _finite(a.cast(pl.Float64).pow(b.cast(pl.Float64))),
}
FUNCTIONS = (
    "ABS ROUND FLOOR CEIL SQRT LN LOG EXP POWER SIGN GREATEST LEAST COALESCE NULLIF "
    "LOWER UPPER INITCAP TRIM LENGTH SUBSTRING LEFT RIGHT REPLACE CONCAT SPLIT_PART "
    "REGEXP_EXTRACT CONTAINS STARTS_WITH POSITION EXTRACT DATE_TRUNC YEAR QUARTER "
    "MONTH WEEK DAY HOUR MINUTE SECOND CAST CASE IF AVG SUM MIN MAX MEDIAN STDDEV "
    "COUNT"
).split()
"""Every function a calculated column may use; aggregates with OVER (…)."""


class _Compiler:
    def __init__(self, table: Table) -> None:
        self._table = table
        self.columns: list[str] = []

    # ---- types ----

    def _need(self, node: exp.Expression, *types: str) -> Value:
        value = self.value(node)
        if value.type in types:
            return value
        if value.type == NOTHING:
            return Value(value.expr, types[0])
        name = node.name if isinstance(node, exp.Column) else f"“{_text_of(node)}”"
        hint = ""
        if types[0] == NUMBER and value.type == TEXT:
            hint = f"Write CAST({_text_of(node)} AS DOUBLE) if its cells are numbers."
        raise BadExpression(
            f"{name} is {_IS[value.type]}; {' or '.join(types)} is needed here", hint, *_place(node)
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
        raise BadExpression(f"{what} must be written out", "", *(_place(node) if node else (None, None)))

    def _whole(self, node: exp.Expression | None, what: str) -> int:
        negative = isinstance(node, exp.Neg)
        text = self._constant(node.this if negative and node else node, what)
        if not re.fullmatch(r"\d{1,6}", text):
            raise BadExpression(f"{what} must be a whole number", "", None, None)
        return -int(text) if negative else int(text)

    # ---- nodes ----

    def value(self, node: exp.Expression) -> Value:
        kind = type(node)
        if isinstance(node, exp.Paren):
            return self.value(node.this)
        if isinstance(node, exp.Column):
            return self._column(node)
        if isinstance(node, exp.Literal):
            if node.is_string:
                return Value(pl.lit(str(node.this), dtype=pl.String), TEXT)
            number = float(node.this)
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
        if kind in _NUMERIC:
            return Value(_NUMERIC[kind](self._number(node.this)), NUMBER)
        if kind in _WORDS:
            return Value(_WORDS[kind](self._words(node.this)), TEXT)
        if kind in _COMPARED:
            left, right = self._alike(node.this, node.expression)
            return Value(_COMPARED[kind](left.expr, right.expr), YES_NO)
        if kind in _ARITHMETIC:
            return self._arithmetic(node)
        if isinstance(node, exp.Window):
            return self._window(node)
        if kind in _AGGREGATES:
            name = _text_of(node)
            raise BadExpression(
                f"“{name}” needs to know over which rows",
                f"Write {name} OVER () for all of them, or OVER (PARTITION BY …).",
                *_place(node),
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
            return BadExpression(f"There is no function {name}", hint, *_place(node))
        if isinstance(node, (exp.Query, exp.Subquery, exp.Command, exp.DDL, exp.DML)):
            return BadExpression(
                "A calculated column is one expression; tables cannot be asked in it",
                "Leave out SELECT.",
                *_place(node),
            )
        return BadExpression(
            f"“{_text_of(node)}” cannot be used in a calculated column",
            "Use columns, numbers and the functions of the list.",
            *_place(node),
        )

    def _column(self, node: exp.Column) -> Value:
        if node.table:
            raise BadExpression(
                f"“{_text_of(node)}” names a table",
                "Columns of this table are written without it.",
                *_place(node),
            )
        name = node.name
        if name not in self._table:
            same = [c.name for c in self._table.columns if c.name.lower() == name.lower()]
            if len(same) != 1:
                names = [c.name for c in self._table.columns]
                near = difflib.get_close_matches(name, names, n=2, cutoff=0.5)
                hint = f"Did you mean {' or '.join(near)}?" if near else "Choose one of the table's columns."
                raise BadExpression(f"There is no column “{name}”", hint, *_place(node))
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
            name = a.name if isinstance(a, exp.Column) else f"“{_text_of(a)}”"
            raise BadExpression(
                f"{name} is {_IS[left.type]} and is compared with {right.type}",
                "Compare like with like.",
                *_place(cast(exp.Expression, a.parent or a)),
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
                f"{_text_of(a)} is a date", f"Write {_text_of(a)} + INTERVAL '1' DAY.", *_place(node)
            )
        return Value(_ARITHMETIC[type(node)](self._number(a), self._number(b)), NUMBER)

    def _window(self, node: exp.Window) -> Value:
        inner = node.this
        if type(inner) not in _AGGREGATES or node.args.get("order") or node.args.get("spec"):
            raise BadExpression(
                "Only AVG, SUM, MIN, MAX, MEDIAN, STDDEV and COUNT can be taken OVER (PARTITION BY …)",
                "",
                *_place(node),
            )
        groups = [self.value(g).expr for g in node.args.get("partition_by") or []]
        if isinstance(inner, exp.Count):
            counted = pl.col("rows") if isinstance(inner.this, exp.Star) else self.value(inner.this).expr
            result, type_ = counted.count(), NUMBER
        elif isinstance(inner, (exp.Min, exp.Max)):
            value = self.value(inner.this)
            result, type_ = _AGGREGATES[type(inner)](value.expr), value.type
        else:
            result, type_ = _AGGREGATES[type(inner)](self._number(inner.this)), NUMBER
        return Value(result.over(groups) if groups else result, type_)

    def _same_type(self, nodes: list[exp.Expression]) -> tuple[list[pl.Expr], str]:
        values = [self.value(n) for n in nodes]
        first = next((v.type for v in values if v.type != NOTHING), NOTHING)
        for node, value in zip(nodes, values, strict=True):
            if value.type not in (first, NOTHING):
                raise BadExpression(
                    f"“{_text_of(node)}” is {_IS[value.type]}; {first} is needed here as before it",
                    "",
                    *_place(node),
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

    # ---- numbers ----

    def _on_round(self, node: exp.Round) -> Value:
        digits = (
            self._whole(node.args["decimals"], "The number of decimals") if node.args.get("decimals") else 0
        )
        scale = 10.0**digits
        value = self._number(node.this).cast(pl.Float64)
        # halves away from zero, as SQL rounds them
        rounded = (value.abs() * scale + 0.5).floor() / scale * value.sign()
        return Value(rounded, NUMBER)

    def _on_log(self, node: exp.Log) -> Value:
        if node.expression is None:
            return Value(_finite(self._number(node.this).cast(pl.Float64).log10()), NUMBER)
        base, value = self._number(node.this).cast(pl.Float64), self._number(node.expression).cast(pl.Float64)
        return Value(_finite(value.log() / base.log()), NUMBER)

    # ---- text ----

    def _on_trim(self, node: exp.Trim) -> Value:
        if node.expression is not None:
            return Value(
                self._words(node.this).str.strip_chars(self._constant(node.expression, "What is trimmed")),
                TEXT,
            )
        return Value(self._words(node.this).str.strip_chars(), TEXT)

    def _on_length(self, node: exp.Length) -> Value:
        return Value(self._words(node.this).str.len_chars().cast(pl.Int64), NUMBER)

    def _on_substring(self, node: exp.Substring) -> Value:
        start = self._whole(node.args.get("start"), "Where it starts")
        length = node.args.get("length")
        most = self._whole(length, "The length") if length is not None else None
        return Value(self._words(node.this).str.slice(start - 1 if start > 0 else start, most), TEXT)

    def _on_left(self, node: exp.Left) -> Value:
        return Value(self._words(node.this).str.head(self._whole(node.expression, "The length")), TEXT)

    def _on_right(self, node: exp.Right) -> Value:
        return Value(self._words(node.this).str.tail(self._whole(node.expression, "The length")), TEXT)

    def _on_replace(self, node: exp.Replace) -> Value:
        old = self._constant(node.expression, "What is replaced")
        new = self._constant(node.args.get("replacement"), "The replacement")
        return Value(self._words(node.this).str.replace_all(old, new, literal=True), TEXT)

    def _on_dpipe(self, node: exp.DPipe) -> Value:
        return Value(self._as_words(node.this) + self._as_words(node.expression), TEXT)

    def _on_concat(self, node: exp.Concat) -> Value:
        return Value(pl.concat_str([self._as_words(n) for n in node.expressions]), TEXT)

    def _as_words(self, node: exp.Expression) -> pl.Expr:
        value = self.value(node)
        if value.type == YES_NO:
            return pl.when(value.expr).then(pl.lit("yes")).when(~value.expr).then(pl.lit("no"))
        return value.expr.cast(pl.String)

    def _on_splitpart(self, node: exp.SplitPart) -> Value:
        at = self._whole(node.args.get("part_index"), "The number of the part")
        pieces = self._words(node.this).str.split(
            self._constant(node.args.get("delimiter"), "What separates the parts")
        )
        piece = pieces.list.get(at - 1 if at > 0 else at, null_on_oob=True)
        return Value(piece, TEXT)

    def _on_regexpextract(self, node: exp.RegexpExtract) -> Value:
        pattern = self._constant(node.expression, "The pattern")
        place = node.args.get("position") or node.args.get("group")
        group = self._whole(place, "The group") if place is not None else int("(" in pattern)
        try:
            pl.Series([""]).str.extract(pattern, group)
        except pl.exceptions.PolarsError as error:
            said = str(error).splitlines()[-1][:100]
            raise BadExpression(f"The pattern cannot be read: {said}", "Check its brackets.") from None
        return Value(self._words(node.this).str.extract(pattern, group), TEXT)

    def _on_contains(self, node: exp.Contains) -> Value:
        return Value(self._words(node.this).str.contains(self._words(node.expression), literal=True), YES_NO)

    def _on_startswith(self, node: exp.StartsWith) -> Value:
        return Value(self._words(node.this).str.starts_with(self._words(node.expression)), YES_NO)

    def _on_strposition(self, node: exp.StrPosition) -> Value:
        sought = self._constant(node.args.get("substr"), "What is sought")
        before = self._words(node.this).str.split(sought).list.get(0, null_on_oob=True)
        found = self._words(node.this).str.contains(sought, literal=True)
        return Value(
            pl.when(found)
            .then(before.str.len_chars().cast(pl.Int64) + 1)
            .otherwise(0 * found.cast(pl.Int64)),
            NUMBER,
        )

    # ---- dates ----

    def _on_cast(self, node: exp.Cast) -> Value:
        name = node.to.this.name
        target = _CASTS.get(name)
        if target is None:
            raise BadExpression(
                f"There is no type {name}",
                "Cast to DOUBLE, INT, TEXT, DATE, TIMESTAMP or BOOLEAN.",
                *_place(node),
            )
        if isinstance(node.this, exp.Literal) and node.this.is_string and target in (DATE, DATETIME):
            return self._date_literal(node.this)
        value = self.value(node.this)
        if target == TEXT:
            return Value(self._as_words(node.this), TEXT)
        if target == NUMBER:
            if value.type in (DATE, DATETIME):
                raise BadExpression(
                    f"{_text_of(node.this)} is a date",
                    "Use EXTRACT(YEAR FROM …) or subtract dates.",
                    *_place(node),
                )
            number = value.expr.cast(pl.Float64, strict=False)
            whole = name in ("INT", "BIGINT", "SMALLINT", "TINYINT")
            return Value(
                (number.abs().floor() * number.sign()).cast(pl.Int64, strict=False) if whole else number,
                NUMBER,
            )
        if target == YES_NO:
            return Value(value.expr != 0 if value.type == NUMBER else self._condition(node.this), YES_NO)
        if value.type == TEXT:
            parsed = (
                value.expr.str.to_datetime("%Y-%m-%d %H:%M:%S", strict=False, time_unit="us")
                if target == DATETIME
                else value.expr.str.slice(0, 10).str.to_date("%Y-%m-%d", strict=False)
            )
            return Value(parsed, target)
        self._need(node.this, DATE, DATETIME)
        return Value(value.expr.cast(pl.Date if target == DATE else pl.Datetime("us")), target)

    _on_trycast = _on_cast

    def _on_extract(self, node: exp.Extract) -> Value:
        return self._part(node, node.name.upper(), node.expression)

    def _part(self, node: exp.Expression, part: str, of: exp.Expression) -> Value:
        if part not in _PARTS:
            raise BadExpression(
                f"A date has no {part.lower()}", f"Parts are {', '.join(_PARTS)}.", *_place(node)
            )
        value = self._need(of, *((DATETIME,) if part in _NEEDS_TIME else (DATE, DATETIME)))
        return Value(_PARTS[part](value.expr).cast(pl.Int64), NUMBER)

    def _on_year(self, node: exp.Year) -> Value:
        return self._part(node, "YEAR", node.this)

    def _on_quarter(self, node: exp.Quarter) -> Value:
        return self._part(node, "QUARTER", node.this)

    def _on_month(self, node: exp.Month) -> Value:
        return self._part(node, "MONTH", node.this)

    def _on_week(self, node: exp.Week) -> Value:
        return self._part(node, "WEEK", node.this)

    def _on_day(self, node: exp.Day) -> Value:
        return self._part(node, "DAY", node.this)

    def _on_dayofweek(self, node: exp.DayOfWeek) -> Value:
        return self._part(node, "DAYOFWEEK", node.this)

    def _on_hour(self, node: exp.Hour) -> Value:
        return self._part(node, "HOUR", node.this)

    def _on_minute(self, node: exp.Minute) -> Value:
        return self._part(node, "MINUTE", node.this)

    def _on_second(self, node: exp.Second) -> Value:
        return self._part(node, "SECOND", node.this)

    def _on_datetrunc(self, node: exp.DateTrunc) -> Value:
        unit = node.args["unit"].name.upper()
        value = self._need(node.this, DATE, DATETIME)
        if unit not in _TRUNC or (unit in _NEEDS_TIME and value.type == DATE):
            raise BadExpression(
                f"Dates cannot be cut to a {unit.lower()}", f"Units are {', '.join(_TRUNC)}.", *_place(node)
            )
        cut = value.expr.dt.truncate(_TRUNC[unit])
        return Value(cut, value.type) if unit in _NEEDS_TIME else Value(cut.cast(pl.Date), DATE)

    _on_timestamptrunc = _on_datetrunc

    def _on_interval(self, node: exp.Interval) -> Value:
        count = self._constant(node.this, "The length of an interval")
        unit = (node.args["unit"].name if node.args.get("unit") else "DAY").upper().rstrip("S")
        if not re.fullmatch(r"-?\d{1,6}", count) or unit not in _SECONDS:
            raise BadExpression(
                "This interval is not known",
                "Write INTERVAL '1' DAY; units go from WEEK to SECOND.",
                *_place(node),
            )
        return Value(pl.lit(dt.timedelta(seconds=int(count) * _SECONDS[unit])), SPAN)


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
