"""How likely a typed word means a word of a column's name."""

from __future__ import annotations

from rapidfuzz import fuzz, process
from rapidfuzz.distance import DamerauLevenshtein

from night_trail.core.words_in.tokens import stem

SURE = 0.95
"""From here on a word is the name's own, in another form; below, it is taken for it, which is said."""

_MEANS: dict[str, tuple[str, ...]] = {
    "age": ("old", "young", "older", "younger", "elder"),
    "length": ("long", "longer", "short", "shorter"),
    "duration": ("long", "longer", "short", "shorter", "last"),
    "width": ("wide", "wider", "broad", "narrow", "broader"),
    "height": ("tall", "taller", "high", "higher"),
    "depth": ("deep", "deeper", "shallow"),
    "weight": ("heavy", "heavier", "light"),
    "mass": ("heavy", "heavier"),
    "price": ("expensive", "cheap", "cheaper", "cost", "costly", "dear"),
    "cost": ("expensive", "cheap", "price", "costly"),
    "fare": ("expensive", "cheap", "price", "ticket"),
    "income": ("rich", "poor", "earning", "earn", "salary", "wage"),
    "salary": ("income", "wage", "pay", "earning", "earn"),
    "revenue": ("turnover", "sale", "income"),
    "sale": ("turnover", "revenue", "sold"),
    "late": ("delay", "delayed", "punctual", "unpunctual"),
    "delay": ("late", "delayed", "lateness"),
    "lux": ("bright", "brighter", "light", "brightness"),
    "temp": ("warm", "warmer", "cold", "colder", "hot", "hotter", "temperature"),
    "temperature": ("warm", "warmer", "cold", "colder", "hot", "hotter", "temp"),
    "rain": ("wet", "wetter", "rainy", "dry", "precipitation", "rained", "rainfall"),
    "precipitation": ("rain", "wet", "rainy", "dry", "rainfall"),
    "speed": ("fast", "faster", "slow", "slower"),
    "distance": ("far", "farther", "near"),
    "size": ("big", "bigger", "large", "small"),
    "area": ("big", "bigger", "large"),
    "child": ("kid",),
    "kid": ("child",),
    "sex": ("gender",),
    "gender": ("sex",),
    "educ": ("school", "schooling"),
    "quantity": ("amount", "volume"),
    "qty": ("quantity", "amount"),
    "amt": ("amount",),
    "rating": ("score", "star"),
    "score": ("rating",),
    "customer": ("client", "buyer"),
    "client": ("customer",),
    "vehicle": ("bus", "car"),
    "passenger": ("rider", "boarding"),
    "boarding": ("passenger", "rider", "ridership"),
}
"""A word of a name, and other words that people say for what it holds."""

_SAYS: dict[str, frozenset[str]] = {}
for _word, _others in _MEANS.items():
    for _other in _others:
        _SAYS[_other] = _SAYS.get(_other, frozenset()) | {_word}

ADJECTIVES = frozenset(
    "old young long short wide narrow broad tall high low deep shallow heavy light expensive cheap rich poor late "
    "delayed punctual early bright dark warm cold hot cool wet rainy dry fast slow far near big large small busy full "
    "empty good bad".split()
)
"""Words that name rows by a column without saying from where on: the late ones."""

SAME_VALUE: dict[str, tuple[str, ...]] = {
    "woman": ("female", "f", "woman", "w"), "girl": ("female", "f", "girl"), "lady": ("female", "f"),
    "man": ("male", "m", "man"), "boy": ("male", "m", "boy"), "female": ("f", "woman"), "male": ("m", "man"),
}  # fmt: skip
"""What a value may be called."""


def likeness(typed: str, word: str) -> float:  # noqa: C901  (one case a form, the surest first)
    """Return how likely a typed word means a word of a name, between 0 and 1; both in small letters.

    Abbreviated, in another form, part of a word written in one, or meaning it.
    Words that are only spelled alike are told by ``misspelled``.

    >>> [round(likeness(*pair), 2) for pair in (("depots", "depot"), ("temperature", "temp"), ("gdp", "realgdp"))]
    [0.98, 0.8, 0.7]
    """
    if typed == word:
        return 1.0
    mine, its = stem(typed), stem(word)
    if mine == its:
        return 0.98
    if its in _SAYS.get(mine, ()) or word in _SAYS.get(mine, ()) or word in _SAYS.get(typed, ()):
        return 0.8
    if len(word) >= 3 and (mine.startswith(word) or typed.startswith(word)):
        return 0.82
    if len(typed) >= 3 and word.startswith(mine) and (len(mine) >= 4 or mine == typed):
        return 0.8
    if typed.endswith("ing") and word in (typed[:-3], typed[:-3] + "e"):
        return 0.85
    shared = _shared(mine, its)
    if shared >= 5 and shared >= 0.6 * max(len(mine), len(its)):
        return 0.72
    if len(mine) >= 3 and word.endswith(mine):
        return 0.7
    if (
        3 <= len(word) <= 5
        and len(word) < len(mine) <= 2.6 * len(word)
        and (_abbreviates(word, mine) or _abbreviates(word, typed))
    ):
        return 0.62
    if len(mine) >= 5 and mine in word:
        return 0.6
    return 0.0


def _shared(a: str, b: str) -> int:
    """Return how many letters two words begin with alike."""
    for at, (x, y) in enumerate(zip(a, b, strict=False)):
        if x != y:
            return at
    return min(len(a), len(b))


def _abbreviates(short: str, long: str) -> bool:
    """Whether a word has the letters of an abbreviation in its order, the first of them first."""
    if short[0] != long[0] or not short.isalpha():
        return False
    at = 0
    for letter in short:
        at = long.find(letter, at) + 1
        if at == 0:
            return False
    return True


def misspelled(typed: str, words: list[str], most: int = 4) -> list[tuple[str, float]]:
    """Return the words that a typed one may be a slip of, the nearest first, with a likeness below 0.8.

    A slip is a letter missing, added, changed or swapped: one in four letters or
    five, two in eight or more.
    """
    if len(typed) < 4 or typed.isdigit():
        return []
    near = process.extract(typed, words, scorer=fuzz.ratio, limit=12, score_cutoff=68)
    found = []
    for word, _, _ in near:
        slips = DamerauLevenshtein.distance(typed, word)
        alike = typed[0] == word[0] or (slips == 1 and len(typed) > 5)
        if word != typed and alike and slips <= (1 if len(typed) < 7 else 2) and len(word) >= 4:
            found.append((word, 0.78 - 0.06 * slips))
    return sorted(found, key=lambda pair: -pair[1])[:most]
