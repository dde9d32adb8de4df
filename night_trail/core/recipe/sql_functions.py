"""Functions of an SQL expression as column operations."""

from __future__ import annotations

import datetime as dt
import re

import polars as pl
from sqlglot import exp

from night_trail.core.recipe.sql_nodes import Nodes
from night_trail.core.recipe.sql_words import (
    CASTS,
    DATE,
    DATETIME,
    NEEDS_TIME,
    NUMBER,
    PARTS,
    SECONDS,
    SPAN,
    TEXT,
    TRUNC,
    YES_NO,
    BadExpression,
    Value,
    finite,
    place_of,
    text_of,
)

MOST_GROWTH = 1_000
"""How many times longer the replacements of one expression may make a text."""


class Functions(Nodes):
    """The nodes that are calls of a function."""

    # ---- numbers ----

    def _on_round(self, node: exp.Round) -> Value:
        digits = (
            self._whole(node.args["decimals"], "The number of decimals") if node.args.get("decimals") else 0
        )
        value = self._number(node.this).cast(pl.Float64)
        # halves away from zero, as SQL rounds them
        if digits >= 0:
            return Value(value.round(min(digits, 15), mode="half_away_from_zero"), NUMBER)
        scale = 10.0 ** min(-digits, 300)
        return Value((value.abs() / scale + 0.5).floor() * scale * value.sign(), NUMBER)

    def _on_log(self, node: exp.Log) -> Value:
        if node.expression is None:
            return Value(finite(self._number(node.this).cast(pl.Float64).log10()), NUMBER)
        base, value = self._number(node.this).cast(pl.Float64), self._number(node.expression).cast(pl.Float64)
        return Value(finite(value.log() / base.log()), NUMBER)

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
        if not old:
            return self._need(node.this, TEXT)
        self._growth *= max(1.0, len(new) / len(old))
        if self._growth > MOST_GROWTH:
            raise BadExpression(
                f"Texts could grow more than {MOST_GROWTH:,} times",
                "Replace by shorter texts.",
                *place_of(node),
            )
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
        target = CASTS.get(name)
        if target is None:
            raise BadExpression(
                f"There is no type {name}",
                "Cast to DOUBLE, INT, TEXT, DATE, TIMESTAMP or BOOLEAN.",
                *place_of(node),
            )
        if isinstance(node.this, exp.Literal) and node.this.is_string and target in (DATE, DATETIME):
            return self._date_literal(node.this)
        value = self.value(node.this)
        if target == TEXT:
            return Value(self._as_words(node.this), TEXT)
        if target == NUMBER:
            if value.type in (DATE, DATETIME):
                raise BadExpression(
                    f"{text_of(node.this)} is a date",
                    "Use EXTRACT(YEAR FROM …) or subtract dates.",
                    *place_of(node),
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
        if part not in PARTS:
            raise BadExpression(
                f"A date has no {part.lower()}", f"Parts are {', '.join(PARTS)}.", *place_of(node)
            )
        value = self._need(of, *((DATETIME,) if part in NEEDS_TIME else (DATE, DATETIME)))
        return Value(PARTS[part](value.expr).cast(pl.Int64), NUMBER)

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
        if unit not in TRUNC or (unit in NEEDS_TIME and value.type == DATE):
            raise BadExpression(
                f"Dates cannot be cut to a {unit.lower()}", f"Units are {', '.join(TRUNC)}.", *place_of(node)
            )
        cut = value.expr.dt.truncate(TRUNC[unit])
        return Value(cut, value.type) if unit in NEEDS_TIME else Value(cut.cast(pl.Date), DATE)

    _on_timestamptrunc = _on_datetrunc

    def _on_interval(self, node: exp.Interval) -> Value:
        count = self._constant(node.this, "The length of an interval")
        unit = (node.args["unit"].name if node.args.get("unit") else "DAY").upper().rstrip("S")
        if not re.fullmatch(r"-?\d{1,6}", count) or unit not in SECONDS:
            raise BadExpression(
                "This interval is not known",
                "Write INTERVAL '1' DAY; units go from WEEK to SECOND.",
                *place_of(node),
            )
        return Value(pl.lit(dt.timedelta(seconds=int(count) * SECONDS[unit])), SPAN)
