"""Figures of a picture that stand in a text and follow the data.

In the text, which is Markdown, a bound figure is a link to where it comes from:
``[12.9 min](figure:3f9a01bc)``. The words in brackets are how it read when
its writer last agreed to it; the picture's own facts say how it reads now.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from night_trail.core.language.numbers import MINUS, percent
from night_trail.core.language.spans import Fact, Words, first_sentence, plain
from night_trail.core.rows import Rows

Length = Literal["brief", "full", "points"]
MOST_POINTS = 6
COUNTS = ("rows", "lit")
"""Facts that count rows, whatever the picture."""

_BOND = re.compile(r"\[((?:[^\[\]\\]|\\.)*)\]\(figure:([0-9a-f]{8})\)")
_NUMBER = re.compile(rf"(?<![\w.,:/])[{MINUS}+-]?(?:\d{{1,3}}(?:,\d{{3}})+|\d+)(?:\.\d+)?(?![\d,.]*\d)")
_SPACES = "  \u00a0\u2009\u202f"


@dataclass(frozen=True)
class Known:
    """A figure that a picture has: what it is, and how it reads."""

    id: str
    label: str
    text: str
    value: float

    @property
    def bond(self) -> str:
        """The figure as it stands in a text."""
        return f"[{escaped(self.text)}](figure:{self.id})"


@dataclass(frozen=True)
class Typed:
    """A figure in a text that was typed by hand, and the one of the picture that it agrees with."""

    start: int
    end: int
    text: str
    known: Known


def figure_id(key: str) -> str:
    """Return the short name under which a text knows a fact: the same for the same fact of any delivery."""
    return hashlib.sha256(key.encode()).hexdigest()[:8]


def known(words: Words, rows: Rows, of_lit: Words | None = None) -> tuple[Known, ...]:
    """Return the figures of a picture: its facts, those of what is lit, and how many rows there are.

    ``of_lit`` are the words of the same question asked of the lit rows alone.
    """
    facts = list(words.facts)
    in_words = rows.table.rows_in_words
    if of_lit is not None and rows.lit_condition is not None:
        facts += [Fact(f"lit/{f.key}", f"{f.label}, lit", f.value, f.text) for f in of_lit.facts]
    # what speaks of the picture comes before how many rows there are
    facts.sort(key=lambda f: f.key.rpartition("/")[2] in COUNTS)
    if rows.lit_condition is not None and rows.n:
        share = rows.n_lit / rows.n
        facts.append(Fact("lit rows", "lit rows", rows.n_lit, in_words(rows.n_lit)))
        facts.append(Fact("lit share", "share of rows lit", share, percent(share, 3)))
    if not any(f.key == "rows" for f in facts):
        facts.append(Fact("rows kept", "rows looked at", rows.n, in_words(rows.n)))
    found: dict[str, Known] = {}
    for fact in facts:
        found.setdefault(figure_id(fact.key), Known(figure_id(fact.key), fact.label, fact.text, fact.value))
    return tuple(found.values())


def bonds(text: str) -> Iterator[tuple[str, str]]:
    """Yield the id of each bound figure of a text with how it read when it was agreed to."""
    for found in _BOND.finditer(text):
        yield found[2], _unescaped(found[1])


def followed(text: str, figures: Iterable[Known]) -> str:
    """Return a text whose bound figures read as they do now; those that are gone stay as they were."""
    now = {figure.id: figure for figure in figures}
    return _BOND.sub(lambda found: now[found[2]].bond if found[2] in now else found[0], text)


def unbound(text: str) -> str:
    """Return a text with its bound figures as plain words."""
    return _BOND.sub(lambda found: found[1], text)


def typed(text: str, figures: Sequence[Known]) -> Iterator[Typed]:
    """Yield the figures typed by hand that agree with one of the picture, as far as they are written.

    >>> middle = Known("0" * 8, "middle", "12.9\u00a0min", 12.93)
    >>> [(t.text, t.known.label) for t in typed("It is 13 min late, in 2013 too.", [middle])]
    [('13 min', 'middle')]
    """
    taken = [found.span() for found in re.finditer(r"\[[^\]]*\]\([^)]*\)|`[^`]*`|https?://\S+", text)]
    for found in _NUMBER.finditer(text):
        if any(start <= found.start() < end for start, end in taken):
            continue
        best = min(
            (match for figure in figures if (match := _agrees(found, text, figure)) is not None),
            key=lambda match: match[0],
            default=None,
        )
        if best is not None:
            yield Typed(found.start(), best[1], text[found.start() : best[1]], best[2])


def _agrees(found: re.Match[str], text: str, figure: Known) -> tuple[float, int, Known] | None:
    """Return how far a typed number is from a figure, where what was typed ends, and the figure."""
    shown = _NUMBER.match(figure.text)
    if shown is None:
        return None
    unit = figure.text[shown.end() :].strip(_SPACES)
    behind = text[found.end() :]
    spaces = len(behind) - len(behind.lstrip(_SPACES))
    has_unit = bool(unit) and re.match(rf"{re.escape(unit)}(?!\w)", behind[spaces:]) is not None
    end = found.end() + spaces + len(unit) if has_unit else found.end()
    if (unit == "%") != behind[spaces:].startswith("%"):
        return None
    number, own = _value(found[0]), _value(shown[0])
    decimals = len(found[0].partition(".")[2])
    digits = len(re.sub(r"\D", "", found[0]).lstrip("0"))
    yearly = decimals == 0 and "," not in found[0] and 1900 <= abs(number) <= 2100
    told_apart = digits >= 2 or has_unit
    if found[0] == shown[0] and (told_apart and not (yearly and not has_unit)):
        return 0.0, end, figure
    exact = (
        figure.value * 100 if unit == "%" and abs(own - 100 * figure.value) < abs(own - figure.value) else own
    )
    if unit != "%" and abs(figure.value - own) <= abs(own) * 0.01:
        exact = figure.value
    if not told_apart or (yearly and not has_unit) or round(exact, decimals) != number:
        return None
    return abs(exact - number) + 1e-9, end, figure


def _value(text: str) -> float:
    return float(text.replace(",", "").replace(MINUS, "-"))


def bind(text: str, start: int, end: int, figure: Known) -> str:
    """Return a text in which the figure typed at a place is bound."""
    return text[:start] + figure.bond + text[end:]


def proposed(words: Words, figures: Sequence[Known], length: Length) -> str:
    """Return words for a text: the main fact, all that is said, or the figures; each figure bound."""
    if length == "points":
        return "\n".join(f"- {escaped(f.label)}: {f.bond}" for f in figures[:MOST_POINTS])
    by_text: dict[str, Known] = {}
    for figure in figures:
        by_text.setdefault(figure.text, figure)
    whole = plain(words.headline)
    most = len(first_sentence(whole)) if length == "brief" else len(whole)
    made, at = "", 0
    for span in words.headline:
        piece = span.text[: max(most - at, 0)]
        bound = by_text.get(span.text) if piece == span.text and any(c.isdigit() for c in piece) else None
        made += bound.bond if bound else escaped(piece)
        at += len(span.text)
    return made.strip()


def escaped(text: str) -> str:
    """Return words as Markdown that reads as them.

    >>> escaped("late_min *and* [x]")
    'late_min \\\\*and\\\\* \\\\[x\\\\]'
    """
    return re.sub(r"([\\`*\[\]<])|(?<!\w)_|_(?!\w)", lambda found: "\\" + found[0], text)


def _unescaped(text: str) -> str:
    return re.sub(r"\\(.)", r"\1", text)
