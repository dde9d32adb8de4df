"""Spelling variants of one category, gathered so that a person can agree to merge them."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass

from rapidfuzz import process
from rapidfuzz.distance import OSA

MOST_VALUES = 3_000
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

    Case, spaces, accents, punctuation and the order of words make no
    difference (``surely``); beyond those, rare spellings that differ by a
    letter or so from a frequent one are gathered too, to be looked at.
    Numbers in a text must agree: “line 4” is not “line 5”.
    """
    if len(counts) > MOST_VALUES:
        return []
    by_key: dict[str, list[str]] = {}
    for text in counts:
        by_key.setdefault(fingerprint(text), []).append(text)
    found = [_cluster(texts, counts, True) for key, texts in by_key.items() if len(texts) > 1 and key]
    keys = [key for key, texts in by_key.items() if len(key) >= LETTERS[0][0]]
    totals = {key: sum(counts[t] for t in by_key[key]) for key in keys}
    joined: dict[str, str] = {}
    for key in sorted(keys, key=lambda k: totals[k]):
        slips = max(n for least, n in LETTERS if len(key) >= least)
        for other, _, _ in process.extract(key, keys, scorer=OSA.distance, score_cutoff=slips, limit=5):
            if (
                other != key
                and other not in joined
                and totals[other] >= 3 * totals[key]
                and re.findall(r"\d+", key) == re.findall(r"\d+", other)
            ):
                joined[key] = other
                break
    common = {key: max(texts, key=lambda t: (counts[t], t)) for key, texts in by_key.items()}
    groups: dict[str, list[str]] = {}
    for key, other in joined.items():
        groups.setdefault(common[other], []).extend(by_key[key])
    near = [_cluster([kept, *texts], counts, False) for kept, texts in groups.items()]
    return sorted(found + near, key=lambda c: (not c.surely, -sum(n for _, n in c.spellings)))


def fingerprint(text: str) -> str:
    """Return what a text has in common with its other spellings.

    >>> fingerprint("Old  Mills "), fingerprint("mills, OLD"), fingerprint("Café")
    ('mills old', 'mills old', 'cafe')
    """
    plain = unicodedata.normalize("NFKD", text.casefold())
    letters = "".join(c if c.isalnum() else " " for c in plain if not unicodedata.combining(c))
    return " ".join(sorted(set(letters.split())))


def _cluster(texts: list[str], counts: dict[str, int], surely: bool) -> Cluster:
    ordered = sorted(texts, key=lambda t: (-counts[t], t))
    return Cluster(ordered[0], tuple((t, counts[t]) for t in ordered), surely)
