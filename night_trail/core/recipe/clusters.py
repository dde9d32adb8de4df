"""Spelling variants of one category, gathered so that a person can agree to merge them."""

from __future__ import annotations

import re
import unicodedata
from bisect import bisect_right
from dataclasses import dataclass

from rapidfuzz import process
from rapidfuzz.distance import OSA

MOST_VALUES = 3_000
LONGEST, SHORT = 60, 2
"""Longer texts are no spellings of a value; in shorter ones case may tell two values apart."""

LETTERS = ((5, 1), (10, 2))
"""Spellings of so many letters may differ by so many slips: a letter changed, more, less or swapped."""


@dataclass(frozen=True)
class Cluster:
    """Spellings of one thing with their counts; ``kept`` is the most frequent."""

    kept: str
    spellings: tuple[tuple[str, int], ...]
    surely: bool

    def mapping(self) -> dict[str, str]:
        """Return what each other spelling becomes."""
        return {text: self.kept for text, _ in self.spellings if text != self.kept}


def clusters(counts: dict[str, int]) -> list[Cluster]:
    """Return groups of spellings that likely mean one thing.

    Case, spaces, accents and stops make no difference (``surely``); beyond
    those, the same words in another order, and rare spellings that differ by a
    letter or so from a frequent one, are gathered too, to be looked at. Digits,
    signs and what stands between digits must agree: “line 4” is not “line 5”,
    “5.6” not “6.5”, and a grade of A− no A+. Numbers and long texts are no
    spellings at all.
    """
    if len(counts) > MOST_VALUES:
        return []
    counts = {text: n for text, n in counts.items() if len(text) <= LONGEST and re.search(r"[^\W\d_]", text)}
    by_key: dict[str, list[str]] = {}
    for text in counts:
        by_key.setdefault(exact(text), []).append(text)
    found = [
        _cluster(texts, counts, all(len(t) > SHORT for t in texts))
        for key, texts in by_key.items()
        if len(texts) > 1 and key
    ]
    keys = [key for key in by_key if len(key) >= LETTERS[0][0]]
    totals = {key: sum(counts[t] for t in by_key[key]) for key in keys}
    joined: dict[str, str] = {}
    digits = {key: _digits(key) for key in keys}
    ordered: dict[tuple[object, ...], list[str]] = {}
    for key in keys:
        ordered.setdefault((*sorted(key.split()), *digits[key]), []).append(key)
    for same in ordered.values():
        most = max(same, key=lambda k: totals[k])
        joined |= {key: most for key in same if key != most}
    _join_slips(keys, totals, digits, joined)
    common = {key: max(texts, key=lambda t: (counts[t], t)) for key, texts in by_key.items()}
    groups: dict[str, list[str]] = {}
    for key, other in joined.items():
        groups.setdefault(common[other], []).extend(by_key[key])
    near = [_cluster([kept, *texts], counts, False) for kept, texts in groups.items()]
    return sorted(found + near, key=lambda c: (not c.surely, -sum(n for _, n in c.spellings)))


def _join_slips(
    keys: list[str], totals: dict[str, int], digits: dict[str, tuple[str, ...]], joined: dict[str, str]
) -> None:
    """Join rare keys to a much more frequent one that differs by a letter or so and has the same digits."""
    targets = set(joined.values())
    # the more frequent first: only those are what a rare one may stand for
    by_digits: dict[tuple[str, ...], list[str]] = {}
    for key in sorted(keys, key=lambda k: -totals[k]):
        by_digits.setdefault(digits[key], []).append(key)
    for key in sorted(keys, key=lambda k: totals[k]):
        same = by_digits[digits[key]]
        if key in joined or key in targets or 3 * totals[key] > totals[same[0]]:
            continue
        slips = max(n for least, n in LETTERS if len(key) >= least)
        frequent = same[: bisect_right(same, -3 * totals[key], key=lambda k: -totals[k])]
        for other, _, _ in process.extract(key, frequent, scorer=OSA.distance, score_cutoff=slips, limit=5):
            if other not in joined:
                joined[key] = other
                targets.add(other)
                break


def exact(text: str) -> str:
    """Return a text without case, accents and stops; digits, signs and the order of words stay.

    >>> exact("Old  Mills "), exact("old mills."), exact("Café")
    ('old mills', 'old mills', 'cafe')
    >>> exact("5.6 mm"), exact("C++"), exact("A-")
    ('5.6 mm', 'c++', 'a-')
    """
    letters = text.casefold().replace("−", "-")
    if not letters.isascii():
        letters = "".join(c for c in unicodedata.normalize("NFKD", letters) if not unicodedata.combining(c))
    letters = letters.strip()
    # a stop between digits belongs to the number, a sign at the end to what it is of
    letters = re.sub(r"(?<!\d)[.,;:'’\"()_/-](?=\S)|[.,;:'’\"()_/](?!\d)|(?<=\D)-(?=\s)", " ", letters)
    return " ".join(letters.split())


def _digits(text: str) -> tuple[str, ...]:
    return tuple(re.findall(r"\d+|[-+<>%#&*=]", text))


def _cluster(texts: list[str], counts: dict[str, int], surely: bool) -> Cluster:
    ordered = sorted(texts, key=lambda t: (-counts[t], t))
    return Cluster(ordered[0], tuple((t, counts[t]) for t in ordered), surely)
