"""A question as an English sentence with slots, and typed words as a question."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

import msgspec
from msgspec.structs import replace

from night_trail.core.answers.histogram import HistogramAnswer
from night_trail.core.answers.spread import SHAPE_WORDS, check, first_question, fitted, natural_order
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Bins, Question, Scene, Spread
from night_trail.core.stats.bins import CALENDAR_SECONDS
from night_trail.core.table import Column, Table
from night_trail.core.words.conditions import from_words, in_words, take_column
from night_trail.core.words.numbers import number, unit_suffix

HEIGHT_WORDS = {"count": "by count", "share": "by share", "density": "by density"}
ORDER_WORDS = {
    ("bars", "frequent"): "most frequent first",
    ("boxes", "frequent"): "highest middle first",
    ("bars", "own"): "in its own order",
    ("boxes", "own"): "in its own order",
}


@dataclass(frozen=True)
class Part:
    """A piece of a sentence; with a slot name it can be changed."""

    text: str
    slot: str = ""


@dataclass(frozen=True)
class Sentence:
    """A question's sentence and the slots that can still be added to it."""

    parts: tuple[Part, ...]
    addable: tuple[Part, ...] = ()

    def __str__(self) -> str:
        return "".join(part.text for part in self.parts)


def sentence(question: Question, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a question.

    With its answer at hand, bins that were chosen from the data are named too.
    """
    if question.shape == "bars":
        return _of_bars(question)
    parts = [Part("How is "), Part(question.column, "column"), Part(" spread ")]
    everything = f"over all {table.row_noun[1]}"
    parts.append(Part(f"across {question.across}" if question.across else everything, "across"))
    parts += [Part(", drawn as "), Part(_shape_words(question), "shape")]
    addable: list[Part] = []
    if question.shape == "histogram":
        bins = bins_words(question.bins, table.column(question.column), answer)
        if bins:
            parts += [Part(" with "), Part(bins, "bins")]
        else:
            addable.append(Part("bins", "bins"))
        height = Part(HEIGHT_WORDS[question.height], "height")
        if question.height != "count":
            parts += [Part(" "), height]
        else:
            addable.append(Part("by share", "height"))
    elif question.across:
        parts += [Part(", "), Part(ORDER_WORDS["boxes", question.order], "order")]
    if question.ends == "open":
        parts += [Part(" "), Part("with open ends", "ends")]
    elif answer is not None and any(_gathered(answer)):
        addable.append(Part("open ends", "ends"))
    parts.append(Part("?"))
    return Sentence(tuple(parts), tuple(addable))


def _gathered(answer: Any) -> tuple[int, int]:
    """Return how many rows an answer gathers beyond the ends of its axis."""
    if isinstance(answer, HistogramAnswer):
        return answer.below, answer.above
    return answer.gathered(-1), answer.gathered(1)


def _of_bars(question: Spread) -> Sentence:
    parts = [Part("How often does each "), Part(question.column, "column"), Part(" occur, drawn as ")]
    parts += [Part("bars", "shape"), Part(", "), Part(ORDER_WORDS["bars", question.order], "order")]
    height = Part(HEIGHT_WORDS[question.height], "height")
    addable = [Part("by share", "height")]
    if question.height != "count":
        parts += [Part(" "), height]
        addable = []
    return Sentence((*parts, Part("?")), tuple(addable))


def _shape_words(question: Spread) -> str:
    if question.shape == "boxes" and question.across is None:
        return "a box plot"
    return SHAPE_WORDS[question.shape]


def bins_words(bins: Bins, column: Column, answer: Any = None) -> str:
    """Return the bins as words, or nothing where they are neither set nor known."""
    if bins.calendar:
        return f"bins of a {bins.calendar}"
    origin = f" from {number(bins.start, 6)}" if bins.start is not None else ""
    if bins.count:
        return f"{bins.count} {'bin' if bins.count == 1 else 'bins'}{origin}"
    if bins.width:
        return f"bins of {number(bins.width, 6)}{unit_suffix(column.unit)}{origin}"
    if isinstance(answer, HistogramAnswer) and answer.basis.used:
        if answer.calendar:
            return f"bins of a {answer.calendar}"
        return f"bins of {number(answer.width or 1.0, 6)}{unit_suffix(column.unit)}{origin}"
    return f"bins{origin}" if origin else ""


def scene_in_words(scene: Scene, table: Table, answer: Any = None) -> str:
    """Return the whole scene as exported figures spell it: the sentence, the filter, the lantern."""
    if scene.main is None:
        return f"What is in {table.name}?"
    text = str(sentence(scene.main, table, answer))
    extras = []
    if scene.only:
        extras.append("only where " + " and ".join(in_words(c, table) for c in scene.only))
    if scene.lit is not None:
        extras.append("lit: " + in_words(scene.lit, table))
    return f"{text[:-1]}, {'; '.join(extras)}?" if extras else text


def read(text: str, table: Table) -> tuple[Question, tuple[Any, ...]]:
    """Return the question and the filter a person typed, as a sentence or in short.

    ``late_min``, ``late_min by district``, ``late_min as box plots``, ``How is
    late_min spread across district, drawn as a histogram with bins of 2 min?``,
    each with ``only where …`` behind it.

    Raises
    ------
    BadQuestion
        Saying which part was not understood and how it could be written.
    """
    body, _, conditions = _split_only(text)
    body = (
        re.sub(r"\s+", " ", body.replace("\u00a0", " ").replace("\u2009", " "))
        .strip()
        .rstrip("?")
        .strip(" ,")
    )
    body = re.sub(r"^(how is|how often does each|how often does) ", "", body, flags=re.IGNORECASE)
    column, rest = take_column(body, table)
    if column is None:
        raise BadQuestion(
            f"No column is named at the start of “{text.strip()}”",
            table.name,
            "Write it like: late_min by district.",
        )
    question = first_question(column)
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    question = fitted(question, table) if question.shape == "bars" else question
    check(question, table)
    parts = [p for p in re.split(r" and (?=only )| and ", conditions) if p] if conditions else []
    return question, tuple(from_words(p, table) for p in _rejoined(parts, table))


def _split_only(text: str) -> tuple[str, str, str]:
    head, mark, tail = text.partition("only where ")
    if not mark:
        head, mark, tail = text.partition("only ")
    return head, mark, tail.strip().rstrip("?").partition("; lit:")[0].strip()


def _rejoined(parts: list[str], table: Table) -> list[str]:
    """Put "between 2 and 5" together again: a part that names no column belongs to the one before."""
    joined: list[str] = []
    for part in parts:
        if joined and take_column(part.strip(), table)[0] is None:
            joined[-1] += f" and {part}"
        else:
            joined.append(part)
    return joined


_SHAPES = {"a histogram": "histogram", "histogram": "histogram", "histograms": "histogram"}
_SHAPES |= {"a box plot": "boxes", "box plots": "boxes", "box plot": "boxes", "boxes": "boxes"}
_SHAPES |= {"bars": "bars", "columns": "histogram"}


def _clause(question: Spread, rest: str, table: Table) -> tuple[Spread, str]:
    """Read one clause from the front of ``rest``."""
    fixed = _fixed_clause(question, rest)
    if fixed is not None:
        return fixed
    if found := re.match(r"(?:across|by|for each) ", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is None:
            word = rest[found.end() :].split(",", maxsplit=1)[0]
            table.column(word)  # says which columns are close
            raise BadQuestion(f"“{word}” is not a column", table.name)
        return replace(question, across=column.name, order=natural_order(column)), behind
    if found := re.match(r"(?:drawn )?as ", rest, re.IGNORECASE):
        behind = rest[found.end() :]
        for words in sorted(_SHAPES, key=len, reverse=True):
            if behind.lower().startswith(words):
                return replace(question, shape=_SHAPES[words]), behind[len(words) :]
        raise BadQuestion(f"“{behind}” is not a shape", "", "Choose a histogram, box plots or bars.")
    if found := re.match(r"(?:with |in )?bins of ", rest, re.IGNORECASE):
        return _bins_clause(question, rest[found.end() :], table)
    if found := re.match(r"(?:with |in )?(\d+) bins?(?: from ([-−\d.,e]+))?", rest, re.IGNORECASE):
        start = _plain(found[2]) if found[2] else None
        return replace(question, bins=Bins(count=int(found[1]), start=start)), rest[found.end() :]
    if found := re.match(r"(?:with |in )?bins from ([-−\d.,e]+)", rest, re.IGNORECASE):
        return replace(question, bins=Bins(start=_plain(found[1]))), rest[found.end() :]
    raise BadQuestion(
        f"“{rest}” was not understood after {question.column}",
        "",
        "Try: by district, as box plots, in bins of 2.",
    )


def _fixed_clause(question: Spread, rest: str) -> tuple[Spread, str] | None:
    """Read a clause whose words are always the same."""
    fixed: list[tuple[str, dict[str, Any]]] = [
        (r"spread( over all \w[\w ]*?(?=,|$))?", {}),
        (r"occur", {}),
        (r"(by )?count", {"height": "count"}),
        (r"(by )?share", {"height": "share"}),
        (r"(by )?density", {"height": "density"}),
        (r"with open ends|open ends", {"ends": "open"}),
        (r"most frequent first|highest middle first", {"order": "frequent"}),
        (r"in its own order", {"order": "own"}),
    ]
    for pattern, change in fixed:
        if found := re.match(rf"(?:{pattern})(?![\w])", rest, re.IGNORECASE):
            return replace(question, **change), rest[found.end() :]
    return None


def _bins_clause(question: Spread, rest: str, table: Table) -> tuple[Spread, str]:
    if found := re.match(rf"(?:a )?({'|'.join(CALENDAR_SECONDS)})s?\b", rest, re.IGNORECASE):
        column = table.column(question.column)
        if column.kind.temporal:
            return replace(question, bins=msgspec.convert({"calendar": found[1].lower()}, Bins)), rest[
                found.end() :
            ]
    unit = table.column(question.column).unit
    with_unit = rf"(?: ?{re.escape(unit)})?" if unit else ""
    pattern = rf"([-−\d.,]+(?:e[-−]?\d+)?){with_unit}(?: from ([-−\d.,]+(?:e[-−]?\d+)?))?"
    found = re.match(pattern, rest)
    if found is None:
        raise BadQuestion(f"“{rest}” is not a bin width", "", "Write it like: bins of 2.")
    start = _plain(found[2]) if found[2] else None
    return replace(question, bins=Bins(width=_plain(found[1]), start=start)), rest[found.end() :]


def _plain(text: str) -> float:
    try:
        return float(text.rstrip(".,").replace(",", "").replace("−", "-"))
    except ValueError:
        raise BadQuestion(f"“{text}” is not a number", "bins", "Write it as 2.5.") from None
