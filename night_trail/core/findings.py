"""What a survey says of the table as a whole: keys, repeats, gaps, relations, what is suspicious."""

from __future__ import annotations

import datetime as dt
import itertools
import math
from collections.abc import Callable

import msgspec
import numpy as np
import numpy.typing as npt
import polars as pl

from night_trail.core.language.numbers import counted, listed, number, percent, value
from night_trail.core.moments import seconds_of
from night_trail.core.recipe import steps as s
from night_trail.core.recipe.offers import Remedy, table_offers
from night_trail.core.stats.relation import correlations
from night_trail.core.table import Bools, Column, Ints, Kind, is_row_number, on_axis

SAMPLE = 20_000
"""Rows that relations between columns are looked for in; more would not change what is said."""

ROWS_KEPT = 200
_MOST_RELATED = 40
_MOST_CORRELATED = 150
_MOST_SAID = 6
_PLACEHOLDERS = (dt.date(1900, 1, 1), dt.date(1899, 12, 30), dt.date(1970, 1, 1), dt.date(9999, 12, 31))

LONGEST_NAME = 60
"""Characters of a text that may name its row."""

MOST_PLACES = 31
"""Different whole numbers that may still be places, as days of a month are, and no measure."""

_NAMES_NOTHING = {
    *(Kind.NUMBER, Kind.MONEY, Kind.SHARE, Kind.DURATION, Kind.LATITUDE, Kind.LONGITUDE, Kind.TEXT)
}

Fetch = Callable[[int], pl.Series]


class Finding(msgspec.Struct, frozen=True, omit_defaults=True):
    """One line of words about a table, with the first rows it speaks of and a remedy where there is one."""

    text: str
    columns: tuple[str, ...] = ()
    rows: tuple[int, ...] = ()
    odd: bool = True
    offer: Remedy | None = None


class MissingTogether(msgspec.Struct, frozen=True):
    """Which columns are missing in the same rows: patterns over ``columns`` with their counts."""

    columns: tuple[str, ...]
    patterns: tuple[tuple[tuple[bool, ...], int], ...]
    complete: int


class Gathered:
    """What is kept of each column as it passes, to speak of the table when all have passed."""

    def __init__(self, height: int, today: dt.date) -> None:
        self.height, self.today = height, today
        self.columns: list[Column] = []
        self._sample_rows = pl.Series(np.unique(np.linspace(0, max(height - 1, 0), SAMPLE).astype(np.uint32)))
        self._samples: list[pl.Series] = []
        self._coded: dict[int, Ints] = {}
        self._hashes: list[int] = []
        self._row_hash = np.zeros(height, dtype=np.uint64)
        self._absent: dict[int, Bools] = {}
        self._suspicious: list[Finding] = []
        self._row_numbers: set[int] = set()

    def add(self, column: Column, cells: pl.Series) -> None:
        """Keep what will be needed of a column."""
        position = len(self.columns)
        self.columns.append(column)
        if not self.height:
            return
        plain = cells.to_physical() if isinstance(cells.dtype, pl.Enum) else cells
        self._samples.append(plain.gather(self._sample_rows) if self.height > SAMPLE else plain)
        hashed = _hashed(cells)
        with np.errstate(over="ignore"):
            self._row_hash = self._row_hash * np.uint64(1_000_003) + hashed
            self._hashes.append(
                int(hashed.sum(dtype=np.uint64)) ^ int(hashed[: self.height // 2].sum(dtype=np.uint64))
            )
        if column.kind == Kind.WHOLE and is_row_number(column, on_axis(cells), self.height):
            self._row_numbers.add(position)
        if column.missing > 0:
            self._absent[position] = np.asarray(cells.is_null().to_numpy(), dtype=np.bool_)
        self._suspicious += _suspicious(column, cells, self.today)

    def finish(self, fetch: Fetch) -> tuple[list[Finding], MissingTogether | None]:
        """Return what is to be said of the table; ``fetch`` gives all cells of a column."""
        if self.height < 2 or not self.columns:
            return [], None
        found = self._keys(fetch)
        found += self._copies()
        found += self._suspicious
        together, pattern = self._missing()
        found += together
        found += self._related()
        found += [_one_moment(offer) for offer in table_offers(self.columns)]
        return found, pattern

    def _keys(self, fetch: Fetch) -> list[Finding]:
        repeats = self._repeats()
        unique = [c.name for i, c in enumerate(self.columns) if self._is_key(i, fetch)]
        if unique:
            text = f"{listed(unique[:4])} {'names' if len(unique) == 1 else 'each name'} every row once."
            return [Finding(text, tuple(unique[:4]), odd=False)]
        if repeats:
            return repeats
        if together := self._shared_key(fetch):
            text = f"No column names the rows, but {listed(together)} together do."
            return [Finding(text, together, odd=False)]
        return [Finding("No column names the rows, nor do two or three together.", odd=False)]

    def _is_key(self, i: int, fetch: Fetch) -> bool:
        column = self.columns[i]
        if column.missing or column.distinct < 0.97 * self.height:
            return False
        if column.kind == Kind.TEXT:
            # a short text may be a name, a long one is a remark
            cells = fetch(i)
            short = int(cells.str.len_chars().max() or 0) <= LONGEST_NAME  # type: ignore[arg-type]
            return short and cells.n_unique() == self.height
        if column.kind in _NAMES_NOTHING:
            return False
        if _measures(column) and not is_row_number(column, on_axis(fetch(i)), self.height):
            return False
        return (
            column.distinct == self.height if column.distinct <= 5_000 else fetch(i).n_unique() == self.height
        )

    def _shared_key(self, fetch: Fetch) -> tuple[str, ...]:
        likely = [
            i
            for i, c in enumerate(self.columns)
            if not c.missing and c.distinct > 1 and c.kind not in _NAMES_NOTHING and not _measures(c)
        ]
        likely = sorted(likely, key=lambda i: -self.columns[i].distinct)[:12]
        tried = 0
        for chosen in (*itertools.combinations(likely, 2), *itertools.combinations(likely[:8], 3)):
            if math.prod(self.columns[i].distinct for i in chosen) < self.height:
                continue
            if _repeats(self._combined(chosen, 500)) or _repeats(self._combined(chosen)):
                continue
            if self.height <= SAMPLE:
                return tuple(self.columns[i].name for i in chosen)
            tried += 1
            whole = pl.DataFrame([fetch(i).alias(str(i)) for i in chosen])
            if whole.n_unique() == self.height:
                return tuple(self.columns[i].name for i in chosen)
            if tried >= 5:
                break
        return ()

    def _codes(self, i: int) -> Ints:
        """Return a column's sample as numbers, the same for the same cells, −1 where missing."""
        if i not in self._coded:
            ranks = self._samples[i].rank("dense").cast(pl.Int64) - 1
            self._coded[i] = ranks.fill_null(-1).to_numpy()
        return self._coded[i]

    def _combined(self, columns: tuple[int, ...], head: int | None = None) -> Ints:
        """Return columns of the sample together as one number a row; at most 20,000³ fits 64 bits."""
        found = self._codes(columns[0])[:head] + 1
        for i in columns[1:]:
            found = found * (SAMPLE + 1) + self._codes(i)[:head] + 1
        return found

    def _repeats(self) -> list[Finding]:
        hashes = pl.Series(self._row_hash)
        n_repeats = self.height - hashes.n_unique()
        if not n_repeats:
            return []
        repeated = hashes.is_duplicated()
        order = repeated.arg_true()
        # rows that are alike stand together
        order = order.gather(hashes.gather(order).arg_sort())
        verb = "repeats" if n_repeats == 1 else "repeat"
        text = f"{counted(n_repeats, 'row')} {verb} an earlier one in every column."
        return [
            Finding(
                text,
                rows=tuple(order.head(ROWS_KEPT).to_list()),
                offer=Remedy("Leave the repeats out", s.LeaveRepeats()),
            )
        ]

    def _copies(self) -> list[Finding]:
        by_hash: dict[tuple[int, int], list[str]] = {}
        for column, hashed in zip(self.columns, self._hashes, strict=True):
            if column.missing < self.height and column.distinct > 1:
                by_hash.setdefault((hashed, column.missing), []).append(column.name)
        found = []
        for names in by_hash.values():
            if len(names) > 1:
                text = f"{listed(names[:5])} hold the same cells."
                found.append(
                    Finding(
                        text, tuple(names), offer=Remedy(f"Keep only {names[0]}", s.Leave(tuple(names[1:])))
                    )
                )
        return found[:_MOST_SAID]

    def _missing(self) -> tuple[list[Finding], MissingTogether | None]:
        absent = {i: mask for i, mask in self._absent.items() if self.columns[i].missing < self.height}
        if len(absent) < 2:
            return [], None
        chosen = sorted(absent, key=lambda i: -self.columns[i].missing)[:16]
        code = np.zeros(self.height, dtype=np.uint32)
        for bit, i in enumerate(chosen):
            code |= absent[i].astype(np.uint32) << np.uint32(bit)
        codes, counts = np.unique(code, return_counts=True)
        order = np.argsort(-counts, kind="stable")
        patterns = [
            (tuple(bool(codes[k] >> bit & 1) for bit in range(len(chosen))), int(counts[k]))
            for k in order
            if codes[k]
        ]
        names = tuple(self.columns[i].name for i in chosen)
        complete = int(counts[codes == 0].sum())
        said = []
        for a, b in itertools.combinations(chosen, 2):
            both = int((absent[a] & absent[b]).sum())
            least = min(self.columns[a].missing, self.columns[b].missing)
            expected = self.columns[a].missing * self.columns[b].missing / self.height
            if both >= 5 and both >= 0.9 * least and both > 3 * expected:
                rows = np.flatnonzero(absent[a] & absent[b])[:ROWS_KEPT]
                pair = (self.columns[a].name, self.columns[b].name)
                said.append(
                    Finding(
                        f"{pair[0]} and {pair[1]} are missing together in {counted(both, 'row')}.",
                        pair,
                        tuple(map(int, rows)),
                    )
                )
        return said[:_MOST_SAID], MissingTogether(names, tuple(patterns[:8]), complete)

    def _related(self) -> list[Finding]:
        return self._correlated() + self._determined()

    def _correlated(self) -> list[Finding]:
        numeric = [
            i
            for i, c in enumerate(self.columns)
            if c.kind.numeric
            and c.distinct > 2
            and c.missing < self.height * 0.9
            # that a code, a year or the number of the row goes along is no finding
            and not (c.code or c.yearly or i in self._row_numbers)
        ][:_MOST_CORRELATED]
        if len(numeric) < 2 or self.height < 10:
            return []
        together, rows = correlations(np.column_stack([on_axis(self._samples[i]) for i in numeric]))
        together = np.where(rows < 10, np.nan, together)
        names = [self.columns[i].name for i in numeric]
        found = [
            (abs(r), r, names[a], names[b])
            for a, b in itertools.combinations(range(len(numeric)), 2)
            if abs(r := float(together[a, b])) > 0.9
        ]
        found.sort(reverse=True)
        copies = {b for size, _, _, b in found if size > 0.9999}
        # what is said of a column holds for its copies
        found = [p for p in found if p[0] > 0.9999 or not {p[2], p[3]} & copies]
        families = _families([(a, b) for size, _, a, b in found if size <= 0.9999])
        said = [
            Finding(
                f"{len(family)} columns move together: {', '.join(family[:4])}"
                + (f" and {len(family) - 4} more" if len(family) > 4 else "")
                + " (each with another, correlation above 0.9 in size).",
                tuple(family),
                odd=False,
            )
            for family in families
        ]
        large = {name for family in families for name in family}
        pairs = [p for p in found if p[0] > 0.9999 or not {p[2], p[3]} <= large]
        for size, r, a_name, b_name in pairs[:_MOST_SAID]:
            how = "is all but a copy of" if size > 0.9999 else "moves with" if r > 0 else "moves against"
            said.append(
                Finding(
                    f"{a_name} {how} {b_name} (correlation {number(r, 3)}).",
                    (a_name, b_name),
                    odd=size > 0.9999,
                )
            )
        return said

    def _determined(self) -> list[Finding]:
        groups = [i for i, c in enumerate(self.columns) if c.kind.grouping and 2 <= c.distinct <= 1_000][
            :_MOST_RELATED
        ]
        found = []
        for a, b in itertools.permutations(groups, 2):
            fine, coarse = self.columns[a], self.columns[b]
            if (
                fine.distinct < coarse.distinct
                or (fine.distinct == coarse.distinct and a > b)
                or fine.distinct < 4
            ):
                continue
            both = (self._codes(a) >= 0) & (self._codes(b) >= 0)
            # one value beside two others early on rules most pairs out
            few = both.nonzero()[0][:500]
            if len(np.unique(self._combined((a, b))[few])) > len(np.unique(self._codes(a)[few])):
                continue
            pairs = np.unique(self._combined((a, b))[both])
            values = len(np.unique(self._codes(a)[both]))
            if both.sum() >= 5 * values and len(pairs) == values and values > 3:
                one = fine.distinct == coarse.distinct
                text = (
                    f"{fine.name} and {coarse.name} name the same groups."
                    if one
                    else f"Each {fine.name} belongs to one {coarse.name}."
                )
                found.append(Finding(text, (fine.name, coarse.name), odd=one))
        return found[:_MOST_SAID]


def _hashed(cells: pl.Series) -> npt.NDArray[np.uint64]:
    """Return a number for each cell, the same for the same cell: categories by their words."""
    if isinstance(cells.dtype, pl.Enum):
        words = cells.dtype.categories.hash(seed=7)
        return np.asarray(words.gather(cells.to_physical()).fill_null(0).to_numpy(), dtype=np.uint64)
    return np.asarray(cells.hash(seed=7).to_numpy(), dtype=np.uint64)


def _families(pairs: list[tuple[str, str]]) -> list[list[str]]:
    """Return groups of more than three names that pairs hold together, the largest first."""
    found: list[set[str]] = []
    for pair in pairs:
        touched = [family for family in found if family & set(pair)]
        found = [family for family in found if family not in touched] + [set(pair).union(*touched)]
    names = list(dict.fromkeys(name for pair in pairs for name in pair))
    large = sorted((f for f in found if len(f) > 3), key=len, reverse=True)
    return [[name for name in names if name in family] for family in large]


def _measures(column: Column) -> bool:
    """Whether a column of whole numbers measures something, and names nothing by being different."""
    return column.kind == Kind.WHOLE and not (column.code or column.yearly) and column.distinct > MOST_PLACES


def _repeats(codes: Ints) -> bool:
    return len(np.unique(codes)) < len(codes)


def _one_moment(offer: Remedy) -> Finding:
    step = offer.step
    assert isinstance(step, s.Combine)  # noqa: S101  (the only offer for a table as a whole)
    return Finding(
        f"{step.date} and {step.time} are likely one moment.", (step.date, step.time), (), False, offer
    )


def _suspicious(column: Column, cells: pl.Series, today: dt.date) -> list[Finding]:  # noqa: C901  (one case a kind of value)
    """Return values of one column that can hardly be right."""
    found: list[tuple[pl.Series, str]] = []
    # the texts are formatted below, and a name may have braces
    name = column.name.replace("{", "{{").replace("}", "}}")
    if column.kind.numeric and column.missing < len(cells):
        if (column.additive and column.kind == Kind.WHOLE) or column.kind == Kind.DURATION:
            negative = cells < 0
            share = (negative.sum() or 0) / len(cells)
            if 0 < share < 0.2:
                found.append((negative, "{n} below 0 in " + name + ", which counts things."))
        if column.kind == Kind.SHARE:
            most = 100 if column.unit == "%" else 1
            beyond = (cells < 0) | (cells > most)
            found.append((beyond, "{n} of " + name + f" {{lie}} outside 0 to {most}."))
        if column.kind in (Kind.LATITUDE, Kind.LONGITUDE):
            most = 90 if column.kind == Kind.LATITUDE else 180
            found.append((cells == 0, "{n} of " + name + " {are} exactly 0: a place that was not known?"))
            most = 360 if "from 0 to 360" in column.reason else most
            found.append((cells.abs() > most, "{n} of " + name + f" {{lie}} outside −{most} to {most}."))
    if column.kind.temporal and column.missing < len(cells):
        days = cells.cast(pl.Date)
        past = (days <= today).sum() or 0
        if past > 0.5 * len(cells):
            found.append((days > today, "{n} of " + name + " {lie} in the future."))
        for placeholder in _PLACEHOLDERS:
            same = days == placeholder
            times = same.sum() or 0
            if (
                times
                and (times > 1 or days.min() == placeholder)
                and days.n_unique() > 3
                and _stands_apart(days, placeholder)
            ):
                said_day = value(seconds_of(placeholder), Kind.DATE)
                words = "{n} of " + name + f" {{are}} {said_day}: a date that was not known?"
                found.append((same, words))
    if column.kind in (Kind.TEXT, Kind.IDENTIFIER):
        present = len(cells) - column.missing
        repeated = present - column.distinct
        if present > 20 and 0 < repeated <= 0.02 * present:
            twice = cells.is_duplicated() & cells.is_not_null()
            found.append(
                (
                    twice,
                    "{n} share {their} "
                    + name
                    + f", which is different in {percent(column.distinct / present)} of the rows.",
                )
            )
    said = []
    for mask, text in found:
        rows = mask.fill_null(False).arg_true()
        if len(rows):
            one = len(rows) == 1
            words = text.format(
                n=counted(len(rows), "cell" if text.startswith("{n} of ") else "row"),
                lie="lies" if one else "lie",
                are="is" if one else "are",
                their="its" if one else "their",
            )
            said.append(Finding(words, (column.name,), tuple(rows.head(ROWS_KEPT).to_list())))
    return said


def _stands_apart(days: pl.Series, placeholder: dt.date) -> bool:
    others = days.filter(days != placeholder)
    low, high = others.min(), others.max()
    if not isinstance(low, dt.date) or not isinstance(high, dt.date):
        return False
    return placeholder < low - dt.timedelta(days=365) or placeholder > high + dt.timedelta(days=365)
