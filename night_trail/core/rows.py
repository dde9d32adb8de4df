"""The rows a scene looks at: those the filter keeps, and which of them are lit."""

from __future__ import annotations

import itertools
import threading
import weakref
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

import numpy as np
import numpy.typing as npt
from cachetools import LRUCache

from night_trail.core.conditions import Condition, mask
from night_trail.core.many import tallied
from night_trail.core.table import Bools, Floats, Ints, Table

Codes = npt.NDArray[np.int32]
T = TypeVar("T")
Cell = TypeVar("Cell", bound=np.generic)


@dataclass(frozen=True)
class Measured:
    """The kept, present cells of a measured column, ascending; where grouped, within each group.

    ``lit`` says which of them are lit and ``codes`` which group each belongs
    to, None where nothing is lit or nothing is grouped. ``n`` is how many rows each stands for, None
    where each is a row.
    """

    values: Floats
    lit: Bools | None
    codes: Codes | None
    n: Ints | None = None

    def at(self, which: Bools | Ints) -> Measured:
        """Return some of the cells; ``which`` says it of each, or names their places, shape (cells,)."""

        def of(part: npt.NDArray[Cell] | None) -> npt.NDArray[Cell] | None:
            return None if part is None else part[which]

        return Measured(self.values[which], of(self.lit), of(self.codes), of(self.n))

    @property
    def rows(self) -> int:
        """How many rows they are."""
        return len(self.values) if self.n is None else int(self.n.sum())

    @property
    def rows_lit(self) -> int | None:
        """How many of the rows are lit; None where nothing is."""
        if self.lit is None:
            return None
        return int(np.count_nonzero(self.lit)) if self.n is None else int(self.n[self.lit].sum())


def _bytes_of(value: Any) -> int:
    if hasattr(value, "nbytes"):
        return 1 + int(value.nbytes)
    parts = value if isinstance(value, tuple) else vars(value).values()
    return 1 + sum(int(getattr(part, "nbytes", 0)) for part in parts)


class _Room:
    """The room that everything made from filters and lanterns has together, in bytes.

    What was used longest ago goes first, whosever it is; what belonged to rows
    that are gone goes with the next that comes.
    """

    def __init__(self, most: int) -> None:
        self.lock = threading.Lock()
        self.kept: LRUCache[tuple[int, Hashable], Any] = LRUCache(most, getsizeof=_bytes_of)
        self.gone: list[int] = []
        self.names = itertools.count()

    def put(self, key: tuple[int, Hashable], value: Any) -> None:
        with self.lock:
            while self.gone:
                name = self.gone.pop()
                for old in [k for k in self.kept if k[0] == name]:
                    del self.kept[old]
            if _bytes_of(value) <= self.kept.maxsize:
                self.kept[key] = value


_room = [_Room(1_000_000_000)]


def bound_memory(most: int) -> None:
    """Set how many bytes everything made from filters may hold together, of rows made from now on."""
    _room[0] = _Room(most)


class _Memory:
    """What was made from one filter, or under one lantern; several threads may ask at once."""

    def __init__(self) -> None:
        self._room = _room[0]
        self._name = next(self._room.names)
        # a list takes it without a lock, whenever the collector comes by
        weakref.finalize(self, self._room.gone.append, self._name)

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        with self._room.lock:
            found: T | None = self._room.kept.get((self._name, key))
        if found is None:
            # made outside the lock: two may make it, and neither waits for other rows
            found = make()
            self._room.put((self._name, key), found)
        return found


class once(Generic[T]):
    """A property made once for each object, without the one lock that ``cached_property`` has for all."""

    def __init__(self, make: Callable[[Any], T]) -> None:
        self._make, self.__doc__, self._name = make, make.__doc__, make.__name__

    def __get__(self, owner: Any, kind: type | None = None) -> T:
        # found in the object itself from then on
        found = owner.__dict__[self._name] = self._make(owner)
        return found


class Rows:
    """A table seen through the conditions of a scene.

    What depends on the filter alone is remembered, and shared with the rows
    that ``relit`` returns: moving the lantern does not filter, sort or group
    anew.
    """

    def __init__(self, table: Table, only: tuple[Condition, ...] = (), lit: Condition | None = None) -> None:
        self.table, self.only, self.lit_condition = table, only, lit
        self._memory = _Memory()
        self._under_this_lantern = _Memory()

    def relit(self, lit: Condition | None) -> Rows:
        """Return the same rows under another lantern."""
        rows = Rows(self.table, self.only, lit)
        rows._memory = self._memory
        return rows

    def remember(self, key: Hashable, make: Callable[[], T]) -> T:
        """Return what was made under this key, made now where it was not.

        It must depend on the table and the filter only, not on the lantern.
        """
        return self._memory.get(key, make)

    def remember_lit(self, key: Hashable, make: Callable[[], T]) -> T:
        """Return what was made under this key for this lantern, made now where it was not."""
        return self._under_this_lantern.get(key, make)

    @property
    def kept(self) -> Bools | None:
        """Which rows of the table are kept; None where all are."""
        if not self.only:
            return None
        return self.remember("kept", self._filtered)

    @property
    def keeps(self) -> Bools:
        """Which rows of the table are kept, whether or not a filter says so."""
        return np.ones(self.table.height, dtype=np.bool_) if self.kept is None else self.kept

    def _filtered(self) -> Bools:
        return np.logical_and.reduce([mask(c, self.table) for c in self.only])  # type: ignore[no-any-return]

    @once
    def lit(self) -> Bools | None:
        """Which rows of the table are kept and lit; None where the lantern is out."""
        if self.lit_condition is None:
            return None
        lit = mask(self.lit_condition, self.table)
        return lit if self.kept is None else lit & self.kept

    @once
    def lit_at(self) -> Ints:
        """Where in the table the lit rows are; none where the lantern is out."""
        return np.empty(0, dtype=np.int64) if self.lit is None else np.flatnonzero(self.lit)

    @once
    def n(self) -> int:
        """How many rows are kept."""
        return self.table.n if self.kept is None else self.count(self.kept)

    @once
    def n_lit(self) -> int:
        """How many of the kept rows are lit."""
        return len(self.lit_at) if self.lit is None else self.count(self.lit)

    def count(self, where: Bools) -> int:
        """Return how many rows there are where something holds; ``where`` has shape (rows of the table,)."""
        stands = self.table.stands()
        return int(np.count_nonzero(where)) if stands is None else int(stands.n[where].sum())

    def tally(self, codes: Codes | Ints, width: int, where: Bools | None = None) -> Ints:
        """Return how many rows each code has, among those where something holds.

        ``codes`` and ``where`` have shape (rows of the table,), −1 for no code, which is not counted.
        """
        stands = self.table.stands()
        if where is not None:
            codes = codes[where]
            stands = None if stands is None else stands.at(np.flatnonzero(where))
        # code −1 is counted in a first place that is left out
        return tallied(codes + 1, width + 1, stands)[1:]

    def measured(self, name: str, group: tuple[str, Codes] | None = None) -> Measured:
        """Return the kept cells of a measured column in order.

        ``group`` is a name and a code for every row of the table, −1 for none;
        rows without one are left out, and within a group the values ascend:
        first all of the first group, then all of the second.
        """
        key = (name, group and group[0])

        def lit_up() -> Measured:
            values, order, codes = self.remember(("measured", key), lambda: self._in_order(name, group))
            stands = self.table.stands()
            n = None if stands is None else np.rint(stands.n[order]).astype(np.int64)
            return Measured(values, None if self.lit is None else self.lit[order], codes, n)

        return self.remember_lit(key, lit_up)

    def _in_order(
        self, name: str, group: tuple[str, Codes] | None
    ) -> tuple[Floats, npt.NDArray[np.uint32], Codes | None]:
        ordered = self.table.ordered(name)
        values, order = ordered.values, ordered.order
        if self.kept is not None:
            keep = self.kept[order]
            values, order = values[keep], order[keep]
        if group is None:
            return values, order, None
        codes = group[1][order]
        # sorting by group alone keeps the values of each ascending; what has no group comes first
        by_group = np.argsort(codes.astype(np.int16), kind="stable")
        by_group = by_group[int(np.count_nonzero(codes < 0)) :]
        return values[by_group], order[by_group], codes[by_group]

    def present(self, name: str) -> int:
        """Return how many kept rows have the column."""
        return self.measured(name).rows
