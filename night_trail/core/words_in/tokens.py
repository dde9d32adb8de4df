"""Typed text as tokens: words, numbers, signs."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import cache

_IRREGULAR = {
    "women": "woman", "men": "man", "people": "person", "children": "child", "feet": "foot", "kids": "kid",
    "mice": "mouse", "geese": "goose", "teeth": "tooth", "lives": "life", "wives": "wife", "data": "data",
}  # fmt: skip
_TOKEN = re.compile(
    r"""(?P<quoted>[“"](?P<inner>[^”"]{1,200})[”"])
    |(?P<date>\d{4}-\d{2}-\d{2})
    |(?P<number>(?<![\w.])[-−]?(?:\d{1,3}(?:,\d{3})+|\d+)(?:\.\d+)?(?!\d|(?:st|nd|rd|th)\b))
    |(?P<word>[^\W_]+(?:['’][^\W\d_]+)?)
    |(?P<sign>>=|<=|[≥≤<>=%&,()?°+/])""",
    re.VERBOSE,
)
_SIGNED = re.compile(r"(?:[<>=≥≤(]|above|over|under|below|least|most|than|to|and|is) *$", re.IGNORECASE)
"""What stands before a number with a sign; behind anything else a hyphen joins words or years."""
MOST_TOKENS = 60


@dataclass(frozen=True)
class Token:
    """A piece of what was typed.

    ``text`` is as typed, ``low`` in small letters (of a number its digits),
    ``number`` its value where it is one, ``start`` and ``end`` its place.
    ``quoted`` was set in quotes: nothing but a value.
    """

    text: str
    low: str
    start: int
    end: int
    number: float | None = None
    quoted: bool = False

    @property
    def stem(self) -> str:
        """The word without its ending."""
        return stem(self.low)


def tokens_of(text: str) -> list[Token]:
    """Return what was typed as tokens, at most ``MOST_TOKENS``.

    >>> [t.low for t in tokens_of("Sepal.Length >= 5cm, N1’s late_min")]
    ['sepal', 'length', '>=', '5', 'cm', ',', 'n1', 'late', 'min']
    """
    found: list[Token] = []
    for match in _TOKEN.finditer(text):
        start, end = match.span()
        if match["quoted"]:
            found.append(Token(match["inner"], " ".join(words_of(match["inner"])), start, end, quoted=True))
        elif match["number"]:
            plain = match["number"].replace(",", "").replace("−", "-")
            if plain.startswith("-") and start and not _SIGNED.search(text[:start]):
                plain, start = plain[1:], start + 1
            # a code is what it is: 00042 is not 42
            low = match["number"] if re.fullmatch(r"0\d+", plain) else plain
            found.append(Token(text[start:end], low, start, end, float(plain)))
        elif match["word"]:
            found += _words(match["word"], start)
        else:
            found.append(Token(match[0], match[0], start, end))
        if len(found) >= MOST_TOKENS:
            break
    return found[:MOST_TOKENS]


def _words(word: str, start: int) -> list[Token]:
    """Return a word without a possessive; a number that a unit is written to as two."""
    whole = re.sub(r"['’]s?$|['’]s$", "", word)
    if ordinal := re.fullmatch(r"(\d+)(?:st|nd|rd|th)", whole.lower()):
        return [Token(whole, ordinal[1], start, start + len(whole), float(ordinal[1]))]
    if (joined := re.fullmatch(r"(\d+)([^\W\d_]{1,4})", whole)) and joined[2].lower() in _UNITS:
        middle = start + len(joined[1])
        number = Token(joined[1], joined[1], start, middle, float(joined[1]))
        return [number, Token(joined[2], joined[2].lower(), middle, start + len(whole))]
    return [Token(whole, folded(whole), start, start + len(whole))]


_UNITS = {"cm", "mm", "km", "m", "min", "h", "s", "kg", "g", "lb", "mi", "ft", "l", "ml", "d", "k", "c"}


def folded(text: str) -> str:
    """Return a text in small letters without accents.

    >>> folded("Zürich"), folded("São Tomé")
    ('zurich', 'sao tome')
    """
    if text.isascii():
        return text.lower()
    apart = unicodedata.normalize("NFKD", text.lower())
    return "".join(letter for letter in apart if not unicodedata.combining(letter))


def words_of(name: str) -> list[str]:
    """Return the words of a column's name or of a value, in small letters.

    >>> words_of("sepal length (cm)"), words_of("fareTotal_2"), words_of("N10 Slag Lane")
    (['sepal', 'length', 'cm'], ['fare', 'total', '2'], ['n10', 'slag', 'lane'])
    """
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    return re.findall(r"[^\W_]+", folded(apart))


@cache
def stem(word: str) -> str:
    """Return a word in the singular, without the endings that make a noun of an adjective or a superlative.

    >>> [stem(w) for w in ("minibuses", "entries", "lateness", "women", "bus", "latest", "boardings")]
    ['minibus', 'entry', 'late', 'woman', 'bus', 'late', 'boarding']
    """
    if word in _IRREGULAR:
        return _IRREGULAR[word]
    if word.endswith("ness") and len(word) > 6:
        return word[:-5] + "y" if word.endswith("iness") else word[:-4]
    if word.endswith("est") and len(word) > 5 and word not in _NO_SUPERLATIVE:
        return _positive(word[:-3])
    if word.endswith("ies") and len(word) > 4:
        return word[:-3] + "y"
    if word.endswith(("sses", "shes", "ches", "xes", "zes", "uses")) and len(word) > 5:
        return word[:-2]
    if word.endswith("s") and len(word) > 3 and not word.endswith(("ss", "us", "is")):
        return word[:-1]
    return word


_NO_SUPERLATIVE = {"interest", "forest", "harvest", "request", "invest", "honest", "modest", "contest"}


def _positive(root: str) -> str:
    """Return the adjective of a superlative without its ending: ``lat`` is of late, ``bigg`` of big."""
    if root.endswith("i"):
        return root[:-1] + "y"
    if len(root) > 3 and root[-1] == root[-2] and root[-1] not in "ls":
        return root[:-1]
    return root + "e" if root in {"lat", "wid", "larg", "saf", "clos", "rar", "nic", "pal", "bar"} else root
