"""Values that stand out: far from all others, typed for want of one, slips by ten, odd for their group."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from itertools import zip_longest

import numpy as np

from night_trail.core.abreast import abreast
from night_trail.core.conditions import AllOf, AnyOf, Condition, OneOf, between
from night_trail.core.language.numbers import value
from night_trail.core.moments import DAY, seconds_of
from night_trail.core.questions.stands.found import (
    LEVEL,
    MOST_CELLS,
    PART,
    Finding,
    Looked,
    Sort,
    bars_of,
    cells_of,
    far_off,
    thinned,
)
from night_trail.core.stats.groups import eta_squared, moments
from night_trail.core.stats.outlying import Apart
from night_trail.core.stats.relation import ranks
from night_trail.core.table import Bools, Column, Floats, Ints

TOLD = 0.1
"""Groups that explain less of a column's differences say nothing of what is usual in them."""

LEAST_GROUP, MOST_TELLING = 12, 16
MOST_TYPED = 0.3
LEAST_DIFFERENT = 20
"""A column of fewer values has scores and places, which no slip makes ten times as large."""

NARROW = 0.2
"""Where values of one group spread over more than this part of a power of ten, a slip by ten is none."""

_STAND_INS = {0.0, *(s * float("9" * k) for k in range(1, 10) for s in (1, -1)), -1.0}
_STAND_IN_DATES = {
    seconds_of(np.datetime64(day).astype(object))
    for day in ("1900-01-01", "1899-12-30", "1970-01-01", "1901-01-01", "2099-12-31", "9999-12-31")
}


def find(look: Looked) -> Iterator[Finding]:
    """Yield what stands out in single columns, and in a column within groups."""
    measured = [c for c in look.measured if look.asked(c)]
    level = LEVEL / (4 * max(len(measured), 1))
    for one, other in zip_longest(measured[::2], measured[1::2]):
        first = _cells(look, one)
        # what is taken along to the other thread asks for no columns
        second = None if other is None else _cells(look, other)
        judged = abreast(look.n, partial(_judged, first, level), partial(_judged, second, level))
        for cells, found in zip((first, second), judged, strict=True):
            if cells is not None and found is not None:
                yield from _told(look, cells, found)


@dataclass(frozen=True)
class _Cells:
    """A column's known cells, and what they are held against; all of shape (known,).

    ``at`` are their rows, ``codes`` those of ``by``, −1 where missing; ``sets`` say which rows
    belong together.
    """

    column: Column
    at: Ints
    known: Floats
    sets: Ints | None
    by: Column | None
    codes: Ints | None


@dataclass(frozen=True)
class _Judged:
    """Which known cells are typed for want of a value, far from all others, odd among their own."""

    typed: Bools
    chance: float
    far: Bools
    sides: dict[str, Apart]
    grouped: _Grouped | None


def _cells(look: Looked, column: Column) -> _Cells | None:
    """Return the known cells of a column; None where they are too few."""
    values = look.values(column)
    has = np.isfinite(values)
    whole = bool(has.all())
    at, known = (look.at, values) if whole else (look.at[has], values[has])
    if len(known) < 3 * LEAST_GROUP:
        return None
    by = look.within if look.within is not None else _telling(look, column)
    if by is not None and by.name == column.name:
        by = None
    codes = None if by is None else look.table.coded(by.name).codes[at].astype(np.int64)
    return _Cells(column, at, known, look.sets_of(has), by, codes)


def _judged(cells: _Cells | None, level: float) -> _Judged | None:
    if cells is None:
        return None
    column, known, sets = cells.column, cells.known, cells.sets
    typed, chance = _typed(column, known, level, sets)
    far = np.zeros(len(known), dtype=np.bool_)
    sides: dict[str, Apart] = {}
    if column.kind.temporal or column.distinct >= LEAST_DIFFERENT:
        far, sides = _far(column, known, typed, level, sets)
    return _Judged(typed, chance, far, sides, _against_groups(cells, level))


def _told(look: Looked, cells: _Cells, judged: _Judged) -> Iterator[Finding]:
    column, known, grouped = cells.column, cells.known, judged.grouped
    if judged.typed.any():
        yield _one(look, column, known, judged.typed, "typed", judged.chance)
    rest = judged.far
    if grouped is not None:
        slips = grouped.slips & ~judged.typed
        rest = judged.far & ~slips
        if slips.any():
            yield _in_groups(look, cells, slips, grouped, "slip")
    if rest.any() and look.within is None:
        yield _one(look, column, known, rest, "far", min(s.chance for s in judged.sides.values()))
    if grouped is not None and grouped.by is not None:
        odd = grouped.odd & ~judged.typed & ~slips & (~judged.far | (look.within is not None))
        if odd.any():
            yield _in_groups(look, cells, odd, grouped, "odd")


def _typed(column: Column, known: Floats, level: float, sets: Ints | None) -> tuple[Bools, float]:
    """Return which values stand for none, and how likely their place is by chance.

    They are an end of the column far from all others: a number that is often
    typed so, or any that stands there again and again. However many they are,
    they count as one value.
    """
    found = np.zeros(len(known), dtype=np.bool_)
    stand_ins = _STAND_IN_DATES if column.kind.temporal else _STAND_INS
    chance = 1.0
    for sign in (1.0, -1.0):
        end = float(known.max() if sign > 0 else known.min())
        there = known == end
        many = int(np.count_nonzero(there))
        again = 2 <= many <= 0.01 * len(known) and column.distinct >= LEAST_DIFFERENT
        if many > MOST_TYPED * len(known) or not (end in stand_ins or again):
            continue
        others = known[~there]
        if len(others) < 3 * LEAST_GROUP:
            continue
        rest, theirs = _spread_out(column, others, None if sets is None else sets[~there])
        theirs = None if theirs is None else np.append(theirs, theirs.max() + 1)
        one = far_off(np.append(rest, end) * sign, level, theirs)[1].get("high")
        if one is not None and one.n == 1:
            found |= there
            chance = min(chance, one.chance)
    return found, chance


def _spread_out(column: Column, values: Floats, sets: Ints | None) -> tuple[Floats, Ints | None]:
    """Return values as they lie, and their sets; of moments the days, each once, as theirs come together."""
    if column.kind.temporal:
        return np.unique(np.floor(values / DAY)) * DAY, None
    return values, sets


def _far(
    column: Column, known: Floats, typed: Bools, level: float, sets: Ints | None
) -> tuple[Bools, dict[str, Apart]]:
    """Return which of the values that are not typed lie apart, and the ends of them."""
    others = slice(None) if not typed.any() else ~typed
    shown, theirs = _spread_out(column, known[others], None if sets is None else sets[others])
    sides = far_off(shown, level, theirs)[1]
    far = np.zeros(len(known), dtype=np.bool_)
    if "high" in sides:
        far |= known >= sides["high"].first
    if "low" in sides:
        whole_day = DAY if column.kind.temporal else 0.0
        low = -sides["low"].first
        far |= (known <= low) | (known < low + whole_day)
    return far & ~typed, sides


@dataclass(frozen=True)
class _Grouped:
    """A column held against the groups of another, or against itself; rows as among its known values.

    ``codes`` are None without groups; ``middles`` are the medians of groups.
    """

    by: Column | None
    codes: Ints | None
    middles: Floats
    slips: Bools
    odd: Bools
    places: Floats
    chance: float


def _against_groups(cells: _Cells, level: float) -> _Grouped | None:
    """Return what is odd among its own; None where there are no groups and nothing slipped."""
    column, known, sets, by, codes = cells.column, cells.known, cells.sets, cells.by, cells.codes
    positive = known > 0
    sized = not column.kind.temporal and column.distinct >= LEAST_DIFFERENT
    sized = sized and int(np.count_nonzero(positive)) > 0.8 * len(known)
    slips = np.zeros(len(known), dtype=np.bool_)
    chances = [1.0]
    if sized:
        logs = np.log10(np.where(positive, known, np.nan))
        z, middles, spread = _places(logs, codes)
        if 0 < spread <= NARROW:
            beyond, chance = _beyond(z, level, sets)
            at = np.flatnonzero(beyond)
            off = logs[at] - middles[at]
            tens = np.rint(off)
            slipped = (np.abs(tens) >= 1) & (np.abs(off - tens) <= max(3 * spread, 0.02))
            # values all the way up to ten times are a tail, and no slips
            between_ = (np.abs(off) > 5 * spread) & (np.abs(off) < 1 - 3 * spread)
            if np.count_nonzero(between_) <= np.count_nonzero(slipped):
                slips[at[slipped]] = True
            chances.append(chance)
    if by is None or codes is None:
        if not slips.any():
            return None
        z, middles = np.zeros(len(known)), np.full(len(known), float(np.median(known)))
        return _Grouped(None, None, middles, slips, np.zeros_like(slips), z, min(chances))
    z, middles, spread = _places(known, codes)
    odd, chance = _beyond(z, level, sets) if spread > 0 else (np.zeros(len(known), dtype=np.bool_), 1.0)
    if (
        odd.any()
        and positive.all()
        and sized
        and _uneven(known, codes, logs=True) < _uneven(known, codes, logs=False)
    ):
        # on the scale on which groups spread alike
        z = _places(np.log10(known), codes)[0]
        odd, chance = _beyond(z, level, sets)
    return _Grouped(by, codes, middles, slips, odd, z, min(chance, *chances))


def _telling(look: Looked, column: Column) -> Column | None:
    """Return the groups that explain most of a column's differences; None where none explain much."""
    some = look.some
    cells = look.table.axis(column.name).values[some]
    known = np.isfinite(cells)
    if np.count_nonzero(known) < 3 * LEAST_GROUP:
        return None
    y = ranks(cells[known])
    best: tuple[float, Column] | None = None
    for group in look.groups[:MOST_TELLING]:
        if group.name == column.name:
            continue
        codes = look.table.coded(group.name).codes[some][known].astype(np.int64)
        there = codes >= 0
        explained = (
            eta_squared(moments(y[there], codes[there], int(codes.max()) + 1)) if there.any() else None
        )
        # many small groups explain much of anything
        worth = (explained or 0.0) - group.distinct / max(int(there.sum()), 1)
        if worth >= TOLD and (best is None or worth > best[0]):
            best = worth, group
    return None if best is None else best[1]


def _places(values: Floats, codes: Ints | None) -> tuple[Floats, Floats, float]:
    """Return how many spreads each value is off the middle of its group, those middles, and the usual spread.

    NaN where a group is too small to have a middle. A spread is 1.4826 times
    the median distance from the median (the normal standard deviation).
    """
    if codes is None:
        some = thinned(values[np.isfinite(values)])
        middle = float(np.median(some))
        off = values - middle
        spread = 1.4826 * float(np.median(np.abs(some - middle)))
        return off / (spread or 1.0), np.full(len(values), middle), spread
    middles = np.append(_medians(values, codes), np.nan)[codes]
    off = values - middles
    known = np.isfinite(off)
    if not known.any():
        return off, middles, 0.0
    usual = 1.4826 * float(np.median(np.abs(thinned(off[known]))))
    spreads = np.append(1.4826 * _medians(np.abs(off), codes), np.nan)[codes]
    return off / np.maximum(spreads, 0.25 * usual if usual > 0 else np.inf), middles, usual


def _medians(values: Floats, codes: Ints) -> Floats:
    """Return the median of each group, NaN of a group of few; of many rows by a fixed random part."""
    width = int(codes.max(initial=-1)) + 1
    if len(values) > PART:
        some = np.random.default_rng(len(values)).integers(0, len(values), PART)
        values, codes = values[some], codes[some]
    used = (codes >= 0) & np.isfinite(values)
    values, codes = values[used], codes[used]
    order = np.lexsort((values, codes))
    counts = np.bincount(codes, minlength=width)
    starts = np.cumsum(counts) - counts
    ordered = values[order]
    found = np.full(width, np.nan)
    enough = counts >= LEAST_GROUP
    low, high = starts + (counts - 1) // 2, starts + counts // 2
    found[enough] = (ordered[low[enough]] + ordered[high[enough]]) / 2
    return found


def _uneven(values: Floats, codes: Ints | None, logs: bool) -> float:
    """Return how differently groups spread, on the scale of values or of their logarithms."""
    assert codes is not None  # noqa: S101  (asked of groups only)
    shown = np.log10(values) if logs else values
    off = np.abs(shown - np.append(_medians(shown, codes), np.nan)[codes])
    spreads = _medians(off, codes)
    spreads = spreads[np.isfinite(spreads) & (spreads > 0)]
    return float(np.std(np.log(spreads))) if len(spreads) > 1 else 0.0


def _beyond(z: Floats, level: float, sets: Ints | None) -> tuple[Bools, float]:
    """Return which places lie apart from all others, and the smaller chance of both ends."""
    known = np.isfinite(z)
    far = np.zeros(len(z), dtype=np.bool_)
    if np.count_nonzero(known) < 3 * LEAST_GROUP:
        return far, 1.0
    found, sides = far_off(z[known], level, None if sets is None else sets[known])
    far[known] = found
    return far, min((s.chance for s in sides.values()), default=1.0)


def _one(look: Looked, column: Column, known: Floats, rows: Bools, sort: Sort, chance: float) -> Finding:
    """Return rows that stand out by a column alone, with the stretches they lie in."""
    there, others = known[rows], known[~rows]
    parts: list[Condition] = []
    low, high = float(others.min()), float(others.max())
    under, over = there[there < low], there[there > high]
    if len(under):
        parts.append(between(column, None, float(under.max()), closed=True))
    if len(over):
        parts.append(between(column, float(over.min()), None))
    within = there[(there >= low) & (there <= high)]
    parts += [between(column, float(v), float(v), closed=True) for v in np.unique(within)[:MOST_CELLS]]
    condition = parts[0] if len(parts) == 1 else AnyOf(tuple(parts))
    said = _saying(column)
    q1, q3 = np.quantile(others, (0.25, 0.75))
    usual = f"half lie between {said(float(q1))} and {said(float(q3))}, all from {span(others, said)}"
    if sort == "far" and not column.kind.temporal and column.distinct >= LEAST_DIFFERENT:
        least, most = np.quantile(others, (0.01, 0.99))
        if float(there.min()) > high > 0 and np.all((there / 10 >= least) & (there / 10 <= most)):
            usual = f"a tenth of {'it' if len(there) == 1 else 'each'} would be usual; {usual}"
    return Finding(
        sort,
        (column.name,),
        condition,
        look.count(condition),
        span(there, said),
        usual,
        chance,
        bars_of(known, rows, said),
    )


def _in_groups(look: Looked, cells: _Cells, rows: Bools, grouped: _Grouped, sort: Sort) -> Finding:
    column, known = cells.column, cells.known
    said = _saying(column)
    there = known[rows]
    middles = grouped.middles[rows]
    names = (column.name,) if grouped.by is None else (column.name, grouped.by.name)
    first = int(np.argmax(np.abs(grouped.places[rows]))) if grouped.by is not None else 0
    usual = f"half lie above {said(float(middles[first]))}"
    if grouped.by is not None and grouped.codes is not None:
        label = look.table.coded(grouped.by.name).labels[int(grouped.codes[rows][first])]
        usual = f"where {grouped.by.name} is {label}, {usual}"
    here = span(there, said)
    if sort == "slip":
        factors = np.unique(np.rint(np.log10(there / middles)))
        here = f"{_factor(factors)} what is usual: {here}"
    elif len(there) > 1:
        here = f"{here}; the furthest off is {said(float(there[first]))}"
    positive = float(known.min()) > 0 and sort == "slip"
    shown, odd = known, rows
    if sort == "odd" and grouped.codes is not None:
        # in the picture the group of the one furthest off alone
        mine = grouped.codes == int(grouped.codes[rows][first])
        shown, odd = known[mine], rows[mine]
    condition = _named(look, cells, rows, grouped)
    return Finding(
        sort,
        names,
        condition,
        look.count(condition),
        here,
        usual,
        grouped.chance,
        bars_of(shown, odd, said, by_size=positive),
    )


def _named(look: Looked, cells: _Cells, rows: Bools, grouped: _Grouped) -> Condition:
    """Return the condition of rows that stand out in their groups: a stretch of each, or their cells.

    ``rows`` has shape (known,).
    """
    column, known = cells.column, cells.known
    columns = [column] if grouped.by is None else [grouped.by, column]
    at = cells.at[rows][np.argsort(-np.abs(grouped.places[rows]), kind="stable")]
    if grouped.by is None or grouped.codes is None:
        others = known[~rows]
        over, under = known[rows] > others.max(), known[rows] < others.min()
        if over.all():
            return between(column, float(known[rows].min()), None)
        if under.all():
            return between(column, None, float(known[rows].max()), closed=True)
        return cells_of(at, columns, look.table)
    labels = look.table.coded(grouped.by.name).labels
    parts: list[Condition] = []
    for code in np.unique(grouped.codes[rows])[:200]:
        mine = grouped.codes == code
        there = known[mine & rows]
        low, high = float(there.min()), float(there.max())
        inside = (known >= low) & (known <= high) & mine
        if np.count_nonzero(inside) != len(there):
            return cells_of(at, columns, look.table)
        parts.append(
            AllOf((OneOf(grouped.by.name, (labels[int(code)],)), between(column, low, high, closed=True)))
        )
    return parts[0] if len(parts) == 1 else AnyOf(tuple(parts))


def _factor(tens: Floats) -> str:
    """Return powers of ten in words.

    >>> _factor(np.array([1.0])), _factor(np.array([-1.0, 2.0]))
    ('10 times', '1/10 and 100 times')
    """
    said = [f"1/{10 ** int(-t):,}" if t < 0 else f"{10 ** int(t):,}" for t in tens]
    return f"{' and '.join(said)}{' of' if tens[-1] < 0 else ' times'}"


def _saying(column: Column) -> Callable[[float], str]:
    return lambda at: value(at, column.kind, column.unit)


def span(values: Floats, said: Callable[[float], str]) -> str:
    """Return values as one, or from the least to the most; without NaN, at least one."""
    low, high = float(values.min()), float(values.max())
    return said(low) if low == high else f"{said(low)} to {said(high)}"
