"""What every stretch of typed words may be, and the likeliest ways through all of them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import parts_from_words
from night_trail.core.language.numbers import listed
from night_trail.core.table import Column, Kind, Table
from night_trail.core.words_in import times
from night_trail.core.words_in.alike import SURE, misspelled
from night_trail.core.words_in.fillers import FILLER, NOUNS, ROWS
from night_trail.core.words_in.index import Hit, Index
from night_trail.core.words_in.phrases import COMPARED, NUMBERS, TIMES, Pattern, patterns, spoken
from night_trail.core.words_in.tokens import Token, stem, words_of

WAYS_KEPT = 6
MOST_NAME = 6
"""Words of a name or value that are looked at together."""
UNREAD = -0.9
LONGER = 0.15
"""What each further word of a phrase adds: the longer of two readings is the likelier."""


@dataclass(frozen=True)
class Tag:
    """What the tokens from ``start`` until ``end`` are taken as.

    ``taken`` says so in words where it is more than what was typed; ``guess``
    that it may be wrong.
    """

    role: str
    value: Any
    start: int
    end: int
    score: float
    taken: str = ""
    guess: bool = False


@dataclass(frozen=True)
class Amount:
    """A range of numbers: which side, its ends, the unit or the comparing word that was said."""

    side: str
    ends: tuple[float, ...]
    hint: str = ""


@dataclass(frozen=True)
class Way:
    """One way through what was typed, with its score."""

    tags: tuple[Tag, ...]
    score: float


Fit = tuple[int, tuple[Tag, ...], float]
"""Where a pattern has come to, its arguments, its score."""
Open = dict[int, tuple[list[float], frozenset[int], int]]
"""Columns that words may name so far: how likely each word, which of the name, whether in another order."""


_BEFORE_NAMES = {"the", "its", "different", "of", "number"}


class Tagger:
    """Everything that stretches of some tokens may be, in a table."""

    def __init__(self, tokens: Sequence[Token], table: Table, index: Index) -> None:
        self.tokens, self.table, self.index = tokens, table, index
        self.n = len(tokens)
        self.slips: dict[int, str] = {}
        self.nouns = ROWS | {stem(word) for word in words_of(table.row_noun[0])}
        self.columns: list[dict[int, list[Tag]]] = [self._columns(i) for i in range(self.n)]
        self.values: list[dict[int, list[Tag]]] = self._values()
        self._mend()

    def ways(self) -> list[Way]:
        """Return the likeliest ways through all tokens, the best first."""
        at: list[list[Way]] = [[] for _ in range(self.n + 1)]
        at[0] = [Way((), 0.0)]
        for i in range(self.n):
            if not at[i]:
                continue
            at[i] = _best(at[i])
            for tag in self._starting(i):
                at[tag.end] += [Way((*way.tags, tag), way.score + tag.score) for way in at[i]]
        return _best(at[self.n])

    def _mend(self) -> None:
        """Read mistyped words of phrases as those: averge as average; a name or a value comes before."""
        mended = list(self.tokens)
        known = frozenset(spoken())
        for i, token in enumerate(self.tokens):
            low = token.low
            taken = (
                self.columns[i] or self.values[i] or token.stem in self.nouns or low in FILLER or low in known
            )
            if taken or len(low) < 6 or not low.isalpha() or token.quoted:
                continue
            if near := misspelled(low, spoken(), 1):
                mended[i] = replace(token, low=near[0][0])
                self.slips[i] = f"{token.text} is read as {near[0][0]}"
        self.tokens = mended

    def _starting(self, i: int) -> Iterator[Tag]:
        token = self.tokens[i]
        for tags in self.columns[i].values():
            yield from tags
        for tags in self.values[i].values():
            yield from tags
        yield from self._phrases(i)
        yield from self._times(i)
        yield from self._amounts(i)
        yield from self._synonyms(i)
        yield from self._initials(i)
        if token.quoted:
            yield Tag("quoted", token.text, i, i + 1, 0.2)
        number = self._number(i)
        if number is not None:
            yield Tag("number", number[0], i, number[1], 0.4)
        elif token.stem in self.nouns:
            yield Tag("rows", None, i, i + 1, 0.9)
        elif token.stem in NOUNS:
            yield Tag("noun", None, i, i + 1, 0.3)
        if token.low in FILLER or not token.low[0].isalnum():
            yield Tag("filler", None, i, i + 1, 0.2 if token.low.isalnum() else 0.02)
        else:
            yield Tag("unread", token.text, i, i + 1, UNREAD)

    def _number(self, i: int) -> tuple[float, int] | None:
        """Return the number that begins at a token, and where it ends."""
        if i >= self.n:
            return None
        token = self.tokens[i]
        value = token.number if token.number is not None else NUMBERS.get(token.low)
        if value is None:
            return None
        if i + 1 < self.n and (times_ := TIMES.get(self.tokens[i + 1].low)) is not None:
            return value * times_, i + 2
        return float(value), i + 1

    # ---- columns ----

    def _columns(self, i: int) -> dict[int, list[Tag]]:
        """Return the columns that stretches from a token on may name, by where they end."""
        found: dict[int, list[Tag]] = {}
        open_: Open | None = None
        for j in range(i, min(self.n, i + MOST_NAME)):
            token = self.tokens[j]
            if token.low in ("of", "the", "per", "(", ")", ",") and j > i and open_:
                # the length of the petals; and a name may have the word itself
                open_ = {**open_, **self._grown(token, open_)}
                if any(len(used) > 1 for _, used, _ in open_.values()):
                    found[j + 1] = [t for t in self._named(i, j + 1, open_) if t.score > 0.9 * (j + 1 - i)]
                continue
            if not token.low[0].isalnum() or token.quoted:
                break
            grown = self._grown(token, open_)
            if not grown:
                break
            open_ = grown
            found[j + 1] = self._named(i, j + 1, grown)
        return {end: tags for end, tags in found.items() if tags}

    def _grown(self, token: Token, open_: Open | None) -> Open:
        """Return the columns that have another word for one more token, with what they had before."""
        meant = self.index.meant(token.low)
        grown: Open = {}
        for c, its in meant.items() if open_ is None else ((c, meant[c]) for c in open_ if c in meant):
            qualities, used, turned = open_[c] if open_ is not None else ([], frozenset(), -1)
            q, at = max(((q, at) for q, at in its if at not in used), default=(0.0, -1))
            if at >= 0:
                grown[c] = ([*qualities, q], used | {at}, turned if at > max(used, default=-1) else 1)
        return grown

    def _named(self, i: int, end: int, grown: Open) -> list[Tag]:
        scored = []
        for c, (qualities, used, turned) in grown.items():
            named = self.index.names[c]
            covered = sum(named.weights[at] for at in used) / named.total
            quality = sum(qualities) / len(qualities)
            whole = len(used) == len(named.words)
            if not whole and all(t.low in FILLER and len(t.low) < 5 for t in self.tokens[i:end]):
                continue  # to is no to_zone
            of_rows = all(t.stem in self.nouns for t in self.tokens[i:end])
            if (named.column.kind == Kind.IDENTIFIER or of_rows) and not whole:
                continue  # trips are rows, not their numbers; orders are no order date
            likely = quality * (0.55 + 0.45 * covered) - (0.02 if turned > 0 else 0.0)
            exact = whole and quality == 1.0 and turned < 0
            scored.append((likely, exact, whole and quality >= SURE, named, qualities))
        if not scored:
            return []
        scored.sort(key=lambda s: (-s[0], -s[1]))
        best = scored[0][0]
        tags = []
        for likely, exact, whole, named, qualities in scored[:4]:
            if likely < 0.34 or likely < best - 0.3:
                break
            rivals = sum(other >= likely - 0.02 for other, *_ in scored) - 1
            unsure = not whole or rivals > 0
            words = len(qualities)
            gaps = (end - i - words) * 0.1
            score = words * likely + 2 * LONGER * (words - 1) + gaps + (0.3 if exact else 0.0)
            typed = " ".join(t.text for t in self.tokens[i:end])
            tag_taken = "" if exact else f"{typed} is {'taken as ' if unsure else ''}{named.column.name}"
            tags.append(
                Tag(
                    "column", named.column, i, end, score, tag_taken, unsure and (rivals > 0 or likely < 0.75)
                )
            )
        return tags

    def _initials(self, i: int) -> Iterator[Tag]:
        """Yield the column that words are the initials of: consumer prices of cpi."""
        for end in range(i + 2, min(self.n, i + 4) + 1):
            its = [t.low for t in self.tokens[i:end]]
            if not all(word.isalpha() and len(word) > 3 for word in its):
                return
            initials = "".join(word[0] for word in its)
            for named in self.index.names:
                name = named.words[-1]
                begins = len(named.words) == 1 and name[:-1] == initials
                if begins or (name == initials and len(initials) > 2):
                    typed = " ".join(t.text for t in self.tokens[i:end])
                    taken = f"{typed} is taken as {named.column.name}"
                    yield Tag("column", named.column, i, end, 0.75 * (end - i), taken, True)

    # ---- values ----

    def _values(self) -> list[dict[int, list[Tag]]]:
        phrases: dict[tuple[int, int], str] = {}
        for i, token in enumerate(self.tokens):
            if token.quoted:
                phrases[i, i + 1] = token.low
                continue
            for j in range(i + 1, min(self.n, i + MOST_NAME) + 1):
                if not self.tokens[j - 1].low[0].isalnum() or self.tokens[j - 1].quoted:
                    break
                phrases[i, j] = " ".join(t.low for t in self.tokens[i:j])
        hits = self.index.hits(list(dict.fromkeys(phrases.values())))
        found: list[dict[int, list[Tag]]] = [{} for _ in range(self.n)]
        for (i, j), phrase in phrases.items():
            plain = phrase in FILLER or (phrase.isdigit() and len(phrase) < 3)
            if phrase in hits and not plain:
                found[i][j] = [self._value(hit, i, j) for hit in _likeliest(hits[phrase])]
        return found

    def _value(self, hit: Hit, i: int, j: int) -> Tag:
        words = j - i
        score = words * hit.likeness * (1.02 if hit.sure else 0.9) + LONGER * (words - 1)
        typed = " ".join(t.text for t in self.tokens[i:j])
        values = listed(list(hit.values), "or")
        taken = f"{typed} is {'' if hit.sure else 'taken as '}{values} of {hit.column.name}"
        return Tag("value", (hit.column, hit.values), i, j, score, taken, not hit.sure)

    # ---- phrases ----

    def _phrases(self, i: int) -> Iterator[Tag]:
        token = self.tokens[i]
        firsts = {token.stem, token.low} | ({"#"} if self._number(i) is not None else set())
        firsts |= {"@"} if self.columns[i] else set()
        for first in firsts:
            for pattern in patterns().get(first, ()):
                for end, args, score in self._fits(pattern, i):
                    yield self._phrase(pattern, i, end, args, score)

    def _phrase(self, pattern: Pattern, i: int, end: int, args: tuple[Tag, ...], score: float) -> Tag:
        slips = [self.slips[at] for at in range(i, end) if at in self.slips]
        taken = "; ".join([*(arg.taken for arg in args if arg.taken), *slips])
        guess = any(arg.guess for arg in args)
        values = tuple(arg.value[1][0] if arg.role == "value" else arg.value for arg in args)
        score += LONGER * (len(pattern.symbols) - 1)
        if pattern.role == "wish":
            return Tag("wish", (pattern.effects, values), i, end, score, taken, guess)
        if pattern.role in ("group", "also", "divide", "rate", "sorts"):
            return Tag(pattern.role, values[0], i, end, score, taken, guess)
        if pattern.role == "amount":
            end, hint = self._unit(end)
            if pattern.value == "between" and not hint and self._years(values):
                score -= 1.2  # 1970 to 1980
            return Tag("amount", Amount(pattern.value, values, hint), i, end, score + (0.9 if hint else 0.0))
        if pattern.role == "quantile":
            return Tag("figure", ("quantile", values[0]), i, end, score, taken)
        if pattern.role == "ends":
            return Tag("ends", (pattern.value, values[0]), i, end, score, taken)
        return Tag(pattern.role, pattern.value, i, end, score, taken)

    def _fits(self, pattern: Pattern, i: int) -> Iterator[Fit]:
        """Yield where a pattern that begins at a token may end, with its arguments and score."""
        open_: list[Fit] = [(i, (), 0.0)]
        for symbol in pattern.symbols:
            open_ = [grown for fit in open_ if fit[0] < self.n for grown in self._fitted(symbol, fit, i)]
            if not open_:
                return
        yield from open_

    def _fitted(self, symbol: str, fit: Fit, i: int) -> list[Fit]:
        """Return how a beginning of a pattern goes on with one more symbol; ``i`` is where it began."""
        at, args, score = fit
        token = self.tokens[at]
        if symbol == "#":
            number = self._number(at)
            if number is None:
                return []
            return [(number[1], (*args, Tag("number", number[0], at, number[1], 1.0)), score + 1.0)]
        if symbol in ("@", "^"):
            skip = 0
            while skip < 3 and at + skip + 1 < self.n and self.tokens[at + skip].low in _BEFORE_NAMES:
                skip += 1
            where = (self.columns if symbol == "@" else self.values)[at + skip]
            most = 3 if len(where) < 4 else 2
            return [
                (end, (*args, tag), score + tag.score + 0.1 * skip)
                for end, tags in where.items()
                for tag in tags[:most]
            ]
        if token.stem in self.nouns if symbol == "&" else symbol in (token.stem, token.low):
            return [(at + 1, args, score + 1.0)]
        if token.low in ("the", "a", "an") and at > i and at + 1 < self.n:
            behind = self.tokens[at + 1]
            if symbol in (behind.stem, behind.low):
                return [(at + 2, args, score + 1.1)]
        return []

    def _unit(self, at: int) -> tuple[int, str]:
        """Return where the unit behind a number ends, and the unit; also what stands for it: 5 min late."""
        if at < self.n and (low := self.tokens[at].low) in self._units():
            return at + 1, low
        return at, ""

    def _units(self) -> set[str]:
        found = {"%", "percent"}
        for named in self.index.names:
            for unit in words_of(named.column.unit_words):
                found |= {unit, *_UNIT_WORDS.get(unit, ())}
        return found

    # ---- times, amounts, the analysts' own words ----

    def _times(self, i: int) -> Iterator[Tag]:
        if self.index.days is None:
            return
        first, last = self.index.days
        for named in times.named_at(self.tokens, i, last, first):
            bare = isinstance(named.when, times.Stretch) and named.length == 1
            score = named.length * 0.95 + LONGER * (named.length - 1)
            typed = " ".join(t.text for t in self.tokens[i : i + named.length])
            taken = f"{typed} is {named.guess}" if named.guess else ""
            if named.relative:
                end, day = ("first", first) if "first" in typed.lower() else ("last", last)
                taken = f"{typed} is counted from {_day(day)}, the {end} day of the table"
            if bare and not self._in_range(named.when):
                score -= 0.5  # a number like a year that the table does not have
            yield Tag("time", named.when, i, i + named.length, score, taken, bool(named.guess))

    def _years(self, ends: tuple[Any, ...]) -> bool:
        """Whether numbers are years of the table."""
        if self.index.days is None:
            return False
        first, last = self.index.days
        return all(end == int(end) and first.year <= end <= last.year + 1 for end in ends)

    def _in_range(self, when: Any) -> bool:
        assert self.index.days is not None  # noqa: S101  (asked where there are)
        first, last = self.index.days
        return (when.low is None or when.low <= last) and (when.high is None or when.high > first)

    def _amounts(self, i: int) -> Iterator[Tag]:
        """Yield what names a column and a side at once: older than 30."""
        side = COMPARED.get(self.tokens[i].low)
        if side is None or i + 2 >= self.n or self.tokens[i + 1].low != "than":
            return
        if (number := self._number(i + 2)) is not None:
            end, unit = self._unit(number[1])
            hint = self.tokens[i].low
            score = 3.0 + 2 * LONGER
            yield Tag("amount", Amount(side, (number[0],), hint), i, end, score + (0.9 if unit else 0.0))

    def _end_of(self, phrase: str, i: int) -> int:
        """Return where a phrase ends that begins at a token; 0 where it does not."""
        words = [stem(w) for w in words_of(phrase)]
        its = [t.stem for t in self.tokens[i : i + len(words)]]
        return i + len(words) if words and its == words else 0

    def _synonyms(self, i: int) -> Iterator[Tag]:
        """Yield what the analysts gave a name themselves: measures, columns, rows."""
        for name, measure in self.table.measures.items():
            if end := self._end_of(name, i):
                yield Tag("known", measure, i, end, 1.4 * (end - i) + LONGER)
        for phrase, means in self.table.called.means.items():
            end = self._end_of(phrase, i)
            if not end:
                continue
            score = 1.4 * (end - i) + LONGER
            if means in self.table:
                column = self.table.column(means)
                yield Tag("column", column, i, end, score, f"{phrase} is {means}, as you said")
                continue
            rows = condition_of(means, self.table)
            if rows is not None:
                yield Tag("rows are", rows, i, end, score, f"{phrase} is {means}, as you said")


def condition_of(words: str, table: Table) -> Condition | None:
    """Return the condition that exact words state, None where they state none any more."""
    try:
        parts = parts_from_words(words, table)
    except BadQuestion:
        return None
    return parts[0] if len(parts) == 1 else None


_UNIT_WORDS = {
    "min": ("minute", "minutes", "mins"), "s": ("second", "seconds", "sec"), "h": ("hour", "hours", "hrs"),
    "d": ("day", "days"), "cm": ("centimetre", "centimetres", "centimeters"),
    "mm": ("millimetre", "millimetres", "millimeters"),
    "m": ("metre", "metres", "meters"), "km": ("kilometre", "kilometres", "kilometers"),
    "c": ("degrees", "degree", "celsius"), "kg": ("kilo", "kilos", "kilograms"), "g": ("gram", "grams"),
}  # fmt: skip


def is_unit(word: str, column: Column) -> bool:
    """Whether a word is a column's unit, in short or in full."""
    units = words_of(column.unit_words)
    return any(word == unit or word in _UNIT_WORDS.get(unit, ()) for unit in units)


def _likeliest(hits: list[Hit]) -> list[Hit]:
    """Return the hits worth following: whole names before parts, one a column."""
    if any(hit.sure for hit in hits):
        hits = [hit for hit in hits if hit.sure]
    by_column: dict[str, Hit] = {}
    for hit in hits:
        by_column.setdefault(hit.column.name, hit)
    return sorted(by_column.values(), key=lambda h: -h.likeness)[:3]


def _best(ways: list[Way]) -> list[Way]:
    """Return the best ways, no two that take the same for the same."""
    ways.sort(key=lambda way: -way.score)
    return ways[:WAYS_KEPT]


def _day(day: dt.date) -> str:
    return f"{day.day} {day:%B} {day.year}"
