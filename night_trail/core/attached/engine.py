"""An engine that holds an attached table: asked for cells by expressions that several engines run."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import polars as pl

from night_trail.core.attached.fields import Field
from night_trail.core.attached.roll import MOST_CELLS, Roll, check_seen
from night_trail.core.conditions import (
    Above,
    AllOf,
    AnyOf,
    Between,
    Condition,
    Contains,
    Missing,
    Not,
    OneOf,
    axis_bound,
    columns_of,
)
from night_trail.core.errors import Beyond
from night_trail.core.moments import DAY, HOUR, when
from night_trail.core.table import Table, on_axis

Expr = Any
"""An expression of the library that speaks to the engines."""


class Attached:
    """The rows of an attached table, as an expression an engine runs.

    ``part`` is the part of them at hand: it says what the columns are. ``fields`` are the columns
    that hold where the rows are what they hold in the part.
    """

    def __init__(self, rows: Expr, part: Table, fields: Mapping[str, Field]) -> None:
        self._part, self._fields = part, fields
        self._rows = rows

    def cells(self, roll: Roll, fetch: Callable[[Expr], pl.DataFrame]) -> pl.DataFrame:
        """Return the rows rolled up to cells; ``fetch`` runs an expression and brings what it gives.

        Raises
        ------
        Beyond
            Where a column was read otherwise than it is there, or where there would be too many cells.
        """
        check_seen(roll, self._fields, self._part)
        found = fetch(self.expression(roll).limit(MOST_CELLS + 1))
        if not _all_numbers(found):
            # something is no number, or infinite: that is missing, and is looked for in every row
            found = fetch(self.expression(roll, careful=True).limit(MOST_CELLS + 1))
        if len(found) > MOST_CELLS:
            raise Beyond(
                f"More than {MOST_CELLS:,} groups and hours would have to be brought", self._part.name
            )
        return self._settled(roll, found)

    def expression(self, roll: Roll, careful: bool = False) -> Expr:
        """Return the expression of the cells, before they are settled.

        What is only measured is taken to be numbers unless it is told ``careful``.
        """
        import ibis  # noqa: PLC0415  (slow import)

        asked = (*roll.truths, *roll.where)
        told_by = (
            *roll.keys,
            *roll.times,
            *(n for n, _ in roll.bins),
            *(n for c in asked for n in columns_of(c)),
        )
        # plain names from here on, whatever the columns are called
        names = {name: f"c{at}" for at, name in enumerate(dict.fromkeys((*told_by, *roll.measured)))}
        rows = (
            self._rows.select(
                **{plain: self._value(name, careful or name in told_by) for name, plain in names.items()}
            )
            if names
            else self._rows
        )
        if roll.where:
            kept = _Told(rows, names, self._part, self._fields)
            rows = rows.filter([kept(c) for c in roll.where])
        told = _Told(rows, names, self._part, self._fields)
        keys: dict[str, Expr] = {}
        sums: dict[str, Expr] = {"n": rows.count()}
        for at, name in enumerate(roll.keys):
            keys[f"k{at}"] = rows[names[name]]
        for at, name in enumerate(roll.times):
            moment = rows[names[name]].cast("timestamp(6)")
            keys[f"g{at}"] = _stretch(moment, roll.step)
            sums[f"t{at}"], sums[f"u{at}"] = moment.min(), moment.max()
        for at, truth in enumerate(roll.truths):
            keys[f"w{at}"] = told(truth)
        for at, (name, edges) in enumerate(roll.bins):
            temporal = self._part.column(name).kind.temporal
            ends = [_timestamp(edge) if temporal else edge for edge in edges]
            cell = rows[names[name]].cast("timestamp(6)") if temporal else rows[names[name]]
            sums[f"x{at}"], sums[f"y{at}"] = cell.min(), cell.max()
            keys[f"b{at}"] = ibis.ifelse(cell.isnull(), -1, _place(cell, ends, 0, len(ends)))
        around = {name: self._around(name) for name in roll.measured}
        for at, name in enumerate(roll.measured):
            value = rows[names[name]] - around[name]
            if len(roll.measured) > 1:
                keys[f"h{at}"] = rows[names[name]].isnull()
            else:
                # one is told apart by its count: a key more would cost each row
                sums["c"] = rows[names[name]].count()
            sums[f"m{at}"], sums[f"q{at}"] = value.sum(), (value * value).sum()
        for at, (one, other) in enumerate(roll.products):
            both = (rows[names[one]] - around[one]) * (rows[names[other]] - around[other])
            sums[f"p{at}"] = both.sum()
        if not keys:
            keys["all"] = ibis.literal(1)
        return rows.group_by(**keys).aggregate(**sums)

    def _around(self, name: str) -> float:
        """Return where a column's values lie: sums are told from there, so that no digits are lost."""
        values = self._part.axis(name).values
        known = values[values == values]  # noqa: PLR0124  (NaN is no value)
        return float(known.mean()) if len(known) else 0.0

    def _value(self, name: str, careful: bool) -> Expr:
        import ibis  # noqa: PLC0415  (slow import)

        field = self._fields[name]
        cell = self._rows[field.source]
        match field.how:
            case "number":
                number = cell.cast("float64")
                return _finite(number) if careful and cell.type().is_floating() else number
            case "yes":
                if cell.type().is_boolean():
                    # not every engine takes a yes for a number
                    cell = ibis.cases((cell, 1), (~cell, 0), else_=None)
                return cell.cast("float64")
            case "text":
                return cell.cast("string").strip()
            case "day":
                return cell.cast("date")
            case "time":
                return cell.cast("timestamp(6)")

    def _settled(self, roll: Roll, found: pl.DataFrame) -> pl.DataFrame:
        """Return cells as a rolled table takes them: means, squares around them, moments, texts."""
        if "c" in found:
            found = _parted(found)
        n = found["n"].cast(pl.Float64)
        made = {"n": found["n"].cast(pl.Int64)}
        for at, name in enumerate(roll.keys):
            made[f"k{at}"] = self._key(name, found[f"k{at}"])
        for at in range(len(roll.times)):
            # one moment stands for all of its stretch; the last of all stays what it is
            first, last = (found[f"{end}{at}"].cast(pl.Datetime("us")) for end in "tu")
            newest = last.max()
            made[f"t{at}"] = (
                first if newest is None else last.zip_with((last == newest).fill_null(False), first)
            )
        offs: dict[str, pl.Series] = {}
        for at, name in enumerate(roll.measured):
            sums, squares = found[f"m{at}"].cast(pl.Float64), found[f"q{at}"].cast(pl.Float64)
            offs[name] = sums / n
            made[f"m{at}"] = (offs[name] + self._around(name)).set(found[f"h{at}"].cast(pl.Boolean), None)
            made[f"q{at}"] = (squares - n * offs[name] * offs[name]).clip(lower_bound=0.0)
        for at, (one, other) in enumerate(roll.products):
            made[f"p{at}"] = found[f"p{at}"].cast(pl.Float64) - n * offs[one] * offs[other]
        for at in range(len(roll.bins)):
            made[f"b{at}"] = found[f"b{at}"].cast(pl.Int64)
            for end in "xy":
                made[f"{end}{at}"] = pl.Series(on_axis(found[f"{end}{at}"]))
        for at in range(len(roll.truths)):
            made[f"w{at}"] = found[f"w{at}"].cast(pl.Boolean)
        return pl.DataFrame(made)

    def _key(self, name: str, cells: pl.Series) -> pl.Series:
        field = self._fields[name]
        if field.how == "yes":
            return cells.cast(pl.Float64) != 0
        if field.how == "text":
            return cells.set(cells.is_in(list(field.nothing)).fill_null(False), None)
        return cells


def _all_numbers(found: pl.DataFrame) -> bool:
    sums = [name for name in found.columns if name[0] in "mqp"]
    return all(bool(found[name].cast(pl.Float64).is_finite().fill_null(True).all()) for name in sums)


def _parted(found: pl.DataFrame) -> pl.DataFrame:
    """Return cells parted into those with a value of the one column measured, and those without."""
    have, lack = pl.col("c").cast(pl.Int64), (pl.col("n") - pl.col("c")).cast(pl.Int64)
    present = found.filter(have > 0).with_columns(n=have, h0=pl.lit(False))
    missing = found.filter(lack > 0).with_columns(n=lack, h0=pl.lit(True))
    return pl.concat([present, missing])


def _stretch(moment: Expr, step: float) -> Expr:
    """Return what moments of one stretch of so many seconds have in common."""
    if step == DAY:
        return moment.date()
    return moment.truncate("h") if step == HOUR else (moment.epoch_seconds() / step).floor().cast("int64")


def _place(cell: Expr, ends: list[Any], low: int, high: int) -> Expr:
    """Return how many of the edges from ``low`` to ``high`` lie at or below a value, by halves."""
    import ibis  # noqa: PLC0415  (slow import)

    if low == high:
        return ibis.literal(low, "int64")
    middle = (low + high) // 2
    return ibis.ifelse(
        cell < ends[middle], _place(cell, ends, low, middle), _place(cell, ends, middle + 1, high)
    )


def _finite(number: Expr) -> Expr:
    import ibis  # noqa: PLC0415  (slow import)

    # not every engine knows what is no number; what is infinite leaves none either
    return ibis.ifelse(number - number == 0, number, ibis.null("float64"))


class _Told:
    """Conditions as expressions over rows; a missing cell meets none but ``Missing``."""

    def __init__(
        self, rows: Expr, names: Mapping[str, str], part: Table, fields: Mapping[str, Field]
    ) -> None:
        self._rows, self._names, self._part, self._fields = rows, names, part, fields

    def __call__(self, condition: Condition) -> Expr:
        match condition:
            case Not(part):
                return ~self(part)
            case AllOf(parts):
                return _all([self(p) for p in parts])
            case AnyOf(parts):
                return ~_all([~self(p) for p in parts])
        return self._leaf(condition).fill_null(False)

    def _leaf(self, leaf: Any) -> Expr:
        match leaf:
            case Missing(column):
                return self._missing(column)
            case OneOf(column, values):
                return self._one_of(column, values)
            case Contains(column, text):
                return ~self._missing(column) & self._text(column).lower().contains(text.lower())
            case Between(column):
                return self._between(leaf)
            case Above(column, other):
                return self._cell(column) > self._cell(other)
        raise Beyond("An engine cannot tell this condition of a row", self._part.name)

    def _cell(self, column: str) -> Expr:
        return self._rows[self._names[column]]

    def _text(self, column: str) -> Expr:
        if self._fields[column].how != "text":
            raise Beyond(f"“{column}” is no text there", self._part.name)
        return self._cell(column)

    def _missing(self, column: str) -> Expr:
        missing = self._cell(column).isnull()
        field = self._fields[column]
        return missing | self._cell(column).isin(field.nothing) if field.how == "text" else missing

    def _one_of(self, column: str, values: tuple[str, ...]) -> Expr:
        how = self._fields[column].how
        if how == "text":
            # what stands for nothing is no value; a long list of it would be looked through for every row
            able = [value for value in values if value not in self._fields[column].nothing]
            return self._cell(column).isin(able) if able else _never(self._cell(column))
        if how == "yes":
            return self._cell(column).isin([{"yes": 1.0, "no": 0.0}.get(v, 2.0) for v in values])
        if how == "number":
            numbers = [float(v) for v in values if _is_number(v)]
            return self._cell(column).isin(numbers) if numbers else _never(self._cell(column))
        raise Beyond(f"Single values of “{column}” are not told there", self._part.name)

    def _between(self, leaf: Between) -> Expr:
        kind = self._part.column(leaf.column).kind
        cell = self._cell(leaf.column)
        if kind.temporal:
            cell = cell.cast("timestamp(6)")

        def end(bound: float | str) -> Expr:
            at = axis_bound(bound, kind, leaf.column)
            return _timestamp(at) if kind.temporal else at

        parts = [~self._cell(leaf.column).isnull()]
        if leaf.low is not None:
            parts.append(cell > end(leaf.low) if leaf.low_open else cell >= end(leaf.low))
        if leaf.high is not None:
            parts.append(cell <= end(leaf.high) if leaf.high_closed else cell < end(leaf.high))
        return _all(parts)


def _never(cell: Expr) -> Expr:
    return cell.isnull() & cell.notnull()


def _timestamp(seconds: float) -> Expr:
    import ibis  # noqa: PLC0415  (slow import)

    return ibis.timestamp(when(seconds).isoformat())


def _all(parts: list[Expr]) -> Expr:
    found = parts[0]
    for part in parts[1:]:
        found = found & part
    return found


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True
