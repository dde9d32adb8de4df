"""What typed words are looked up in: the names, units and values of a table."""

from __future__ import annotations

import datetime as dt
import threading
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import polars as pl
from cachetools import LRUCache
from rapidfuzz import fuzz, process

from night_trail.core.moments import DAY, HOUR, when
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.table import Column, Floats, Kind, Table, as_text
from night_trail.core.words_in.alike import SAME_VALUE, SURE, likeness, misspelled
from night_trail.core.words_in.fillers import FILLER
from night_trail.core.words_in.phrases import binding, reserved
from night_trail.core.words_in.tokens import stem, words_of

MOST_CODED = 200_000
"""A column with more different values is looked through without being put in order first."""
MOST_IN_PARTS = 20_000
"""Values of a column with no more are found by a word of theirs too."""
MOST_VALUES = 2_500_000
LONGEST_VALUE = 90
"""Values of more letters are texts, not names that one would type."""
MOST_BYTES = 400_000_000


@dataclass(frozen=True)
class Named:
    """A column with the words of its name, and how much each of them tells it apart."""

    column: Column
    words: tuple[str, ...]
    weights: tuple[float, ...]

    @property
    def total(self) -> float:
        """The weight of the whole name."""
        return sum(self.weights) or 1.0


@dataclass(frozen=True)
class Hit:
    """Values that words may mean, several where they are spelled alike; ``sure`` where it is their name."""

    column: Column
    values: tuple[str, ...]
    sure: bool
    likeness: float


class Values:
    """The values of a column, by what they are called."""

    def __init__(self, column: Column, labels: pl.Series) -> None:
        self.column, self.labels = column, labels
        plain = labels.str.to_lowercase().str.normalize("NFKD").str.replace_all(r"\p{M}+", "")
        plain = plain.str.replace_all(r"[^\p{L}\p{N}]+", " ").str.strip_chars()
        self.plain = plain
        hashes = plain.hash(7).to_numpy()
        self._order = np.argsort(hashes, kind="stable").astype(np.int32)
        self._hashes: npt.NDArray[np.uint64] = hashes[self._order]
        self.few = len(labels) <= MOST_IN_PARTS
        self._stems: dict[str, list[int]] = {}
        self._parts: dict[str, list[int]] = {}
        self._list: list[str] = []
        self._ascending: tuple[pl.Series, npt.NDArray[np.uint32]] | None = None
        if self.few:
            self._list = plain.to_list()
            for at, text in enumerate(self._list):
                words = text.split(" ")
                self._stems.setdefault(" ".join(map(stem, words)), []).append(at)
                if len(words) > 1:
                    for word in {stem(w) for w in words}:
                        self._parts.setdefault(word, []).append(at)

    @property
    def nbytes(self) -> int:
        """Bytes it holds, roughly."""
        lists = 200 * len(self.labels) if self.few else 0
        return int(self.labels.estimated_size() + self.plain.estimated_size()) + self._hashes.nbytes + lists

    def called(self, hashed: int) -> list[int]:
        """Return the positions of values whose name has this hash."""
        low = int(np.searchsorted(self._hashes, np.uint64(hashed), side="left"))
        high = int(np.searchsorted(self._hashes, np.uint64(hashed), side="right"))
        return [int(at) for at in self._order[low : min(high, low + 8)]]

    def hits(self, phrase: str, hashed: int) -> list[Hit]:
        """Return the values that a phrase names, in any form; at most a few."""
        found = [at for at in self.called(hashed) if self.plain[at] == phrase]
        if found:
            return [self._hits(found, 1.0)]
        if not self.few:
            return []
        stemmed = " ".join(map(stem, phrase.split(" ")))
        if at_stems := self._stems.get(stemmed):
            return [self._hits(at_stems[:8], 0.95)]
        for same in SAME_VALUE.get(stemmed, ()):
            if at_stems := self._stems.get(same):
                return [self._hit(at, False, 0.85) for at in at_stems[:1]]
        if len(phrase) >= 2 and not phrase.isdigit() and (inside := self._parts.get(stemmed)):
            return [self._hit(at, False, 0.8 if len(inside) == 1 else 0.55) for at in inside[:4]]
        return self._of_it(stemmed)

    def _of_it(self, stemmed: str) -> list[Hit]:
        """Return the value that a word is made of: Japan of ``Japanese``."""
        if len(stemmed) < 5 or " " in stemmed:
            return []
        for ending in ("ese", "ish", "ean", "ian", "an", "n", "ic", "er", "ed", "ing"):
            root = stemmed.removesuffix(ending)
            if root == stemmed or len(root) < 4:
                continue
            for whole in (root, root + "e", root + "a", root + "y"):
                if found := self._stems.get(whole):
                    return [self._hit(found[0], False, 0.75)]
        return []

    def near(self, phrase: str, most: int = 3) -> list[Hit]:
        """Return values that are spelled nearly like a phrase, the nearest first."""
        if len(phrase) < 4 or phrase.isdigit():
            return []
        if self.few:
            names: Sequence[str] = self._list
            places = list(range(len(self._list)))
        else:
            alike = self.plain.str.starts_with(phrase[:2])
            alike &= (self.plain.str.len_chars().cast(pl.Int64) - len(phrase)).abs() <= 2
            places = np.flatnonzero(alike.to_numpy())[:30_000].tolist()
            names = self.plain.gather(places).to_list()
        found = process.extract(phrase, names, scorer=fuzz.ratio, limit=most, score_cutoff=76)
        return [self._hit(places[at], False, score / 135) for _, score, at in found]

    def beginning(self, start: str, most: int = 6) -> list[int]:
        """Return the positions of values that begin with these letters, or have a word that does."""
        if self.few:
            first = [at for at, text in enumerate(self._list) if text.startswith(start)]
            inner = f" {start}"
            return [*first, *(at for at, text in enumerate(self._list) if inner in text)][:most]
        if self._ascending is None:
            order = self.plain.arg_sort()
            self._ascending = self.plain.gather(order), np.asarray(order.to_numpy(), dtype=np.uint32)
        texts, order_ = self._ascending
        low = int(texts.search_sorted(start, side="left"))
        found = texts.slice(low, most).to_list()
        return [int(order_[low + i]) for i, text in enumerate(found) if text.startswith(start)]

    def _hit(self, at: int, sure: bool, likeness_: float) -> Hit:
        return Hit(self.column, (self.labels[at],), sure, likeness_)

    def _hits(self, places: list[int], likeness_: float) -> Hit:
        return Hit(self.column, tuple(self.labels[at] for at in places), True, likeness_)


class Index:
    """The index of a table; made once for its version."""

    def __init__(self, table: Table) -> None:
        self.names = _named(table.columns)
        self.by_word: dict[str, list[tuple[int, int]]] = {}
        for i, named in enumerate(self.names):
            for j, word in enumerate(named.words):
                self.by_word.setdefault(word, []).append((i, j))
        self.words = list(self.by_word)
        self._nouns = [f"{word}ness" for word in self.words if word.isalpha()]
        self.values = _values_of(table)
        self.days = _days_of(table)
        self.nbytes = 3_000 * len(self.names) + sum(v.nbytes for v in self.values)
        self._known: LRUCache[str, dict[int, list[tuple[float, int]]]] = LRUCache(2_000)
        self._lock = threading.Lock()

    def meant(self, typed: str) -> dict[int, list[tuple[float, int]]]:
        """Return the columns a typed word may belong to the name of: how likely, and which word of it."""
        with self._lock:
            if (known := self._known.get(typed)) is not None:
                return known
        found: dict[int, list[tuple[float, int]]] = {}
        # fare is not meant by “are”, and min not by “median”
        bound = typed in FILLER or typed in binding()
        least = SURE if bound else 0.8 if stem(typed) in reserved() else 0.01
        alike = [(word, q) for word in self.words if (q := likeness(typed, word)) >= least]
        if least < SURE and not any(q >= 0.6 for _, q in alike):
            alike += misspelled(typed, self.words)
            if typed.endswith("ness"):
                alike += [(word.removesuffix("ness"), q) for word, q in misspelled(typed, self._nouns)]
        for word, q in alike:
            for i, j in self.by_word[word]:
                found.setdefault(i, []).append((q, j))
        with self._lock:
            self._known[typed] = found
        return found

    def hits(self, phrases: Sequence[str]) -> dict[str, list[Hit]]:
        """Return the values that phrases name."""
        if not phrases or not self.values:
            return {}
        hashes = pl.Series(phrases).hash(7).to_list()
        found = {
            phrase: [hit for values in self.values for hit in values.hits(phrase, hashed)]
            for phrase, hashed in zip(phrases, hashes, strict=True)
        }
        return {phrase: hits for phrase, hits in found.items() if hits}


_indexes: LRUCache[tuple[object, ...], Index] = LRUCache(MOST_BYTES, getsizeof=lambda index: index.nbytes)
_lock = threading.Lock()


def index_of(table: Table) -> Index:
    """Return the index of a table, made where it is not at hand."""
    key = (table.key, table.height, tuple((c.name, c.kind, c.unit) for c in table.columns))
    with _lock:
        found = _indexes.get(key)
    if found is None:
        # made outside the lock: a keystroke for another table does not wait
        found = Index(table)
        if found.nbytes <= MOST_BYTES:
            with _lock:
                _indexes[key] = found
    return found


def forget() -> None:
    """Let all indexes go."""
    with _lock:
        _indexes.clear()


_LITTLE = {
    "id",
    "no",
    "nr",
    "of",
    "the",
    "in",
    "per",
    "and",
    "a",
    "is",
    "it",
    "total",
    "number",
    "name",
    "code",
}
"""Words that tell little of a name."""


def _named(columns: Sequence[Column]) -> list[Named]:
    """Return the columns with the words of their names; those that names share tell less."""
    plain = _apart([words_of(c.name) or [c.name.lower()] for c in columns])
    units = [set(words_of(c.unit_words)) for c in columns]
    often = Counter(stem(word) for words in plain for word in set(words))
    found = []
    for column, words, unit in zip(columns, plain, units, strict=True):
        weights = [
            (0.15 if word in unit and len(words) > 1 else 0.3 if word in _LITTLE and len(words) > 1 else 1.0)
            / (0.5 + 0.5 * often[stem(word)])
            for word in words
        ]
        found.append(Named(column, tuple(words), tuple(weights)))
    return found


def _apart(names: list[list[str]]) -> list[list[str]]:
    """Return names whose words were written in one as several, where many begin alike: realgdp, realcons.

    >>> _apart([["realgdp"], ["realcons"], ["realinv"], ["cpi"]])
    [['real', 'gdp'], ['real', 'cons'], ['real', 'inv'], ['cpi']]
    """
    for length in range(8, 2, -1):
        heads = Counter(
            words[0][:length] for words in names if len(words) == 1 and len(words[0]) >= length + 3
        )
        shared = {head for head, n in heads.items() if n >= 3}
        names = [
            [words[0][:length], words[0][length:]]
            if len(words) == 1 and words[0][:length] in shared and len(words[0]) >= length + 3
            else words
            for words in names
        ]
    return names


def _values_of(table: Table) -> list[Values]:
    found: list[Values] = []
    room = MOST_VALUES
    for column in sorted(table.columns, key=lambda c: c.distinct):
        named = not (column.kind.measured or column.kind == Kind.YES_NO)
        if not named or not 0 < column.distinct <= room:
            continue
        if column.distinct <= MOST_CODED:
            labels = pl.Series(table.coded(column.name).labels, dtype=pl.String)
        else:
            labels = as_text(table.series(column.name).drop_nulls().unique())
        labels = labels.filter(labels.str.len_chars() <= LONGEST_VALUE)
        if len(labels):
            room -= len(labels)
            found.append(Values(column, labels))
    return found


MORNING = 6


def _goes_on_after_noon(moments: Floats) -> bool:
    """Whether a tenth of the moments lie after noon: a last day that ends before morning is not over."""
    hours = moments[~np.isnan(moments)] % DAY / HOUR
    return bool(np.count_nonzero(hours >= 12) >= 0.1 * len(hours))


def _days_of(table: Table) -> tuple[dt.date, dt.date] | None:
    """Return the first and the last day of the table's time, None where it has none.

    A last night that runs past midnight belongs to the day it began on.
    """
    column = time_column(table)
    if column is None:
        return None
    moments = table.moments(column.name).values
    if not len(moments) or bool(np.isnan(moments).all()):
        return None
    try:
        first, newest = (when(float(end(moments))) for end in (np.nanmin, np.nanmax))
        night = column.kind == Kind.DATETIME and newest.hour < MORNING and _goes_on_after_noon(moments)
        return first.date(), (newest - dt.timedelta(hours=MORNING if night else 0)).date()
    except OverflowError:
        return None
