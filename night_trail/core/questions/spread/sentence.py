"""The sentence of a spread: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import msgspec
from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real, whole
from night_trail.core.language.conditions import take_column
from night_trail.core.language.numbers import number, unit_suffix
from night_trail.core.questions.shared.grouping import makes_groups, natural_order
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.questions.spread.answer import SHAPE_WORDS, check, first_question, fitted
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.histogram import RULE_WORDS, HistogramAnswer
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.stats.bins import CALENDAR_SECONDS
from night_trail.core.table import Column, Table

SIDE_WORDS = {
    "panels": "in panels on one scale",
    "own": "in panels, each on its own scale",
    "overlaid": "over each other",
    "mirrored": "back to back",
}
HEIGHT_WORDS = {"count": "by count", "share": "by share", "density": "by density"}
_RULES = "|".join(RULE_WORDS.values())
ORDER_WORDS = {
    ("bars", "frequent"): "most frequent first",
    ("boxes", "frequent"): "highest middle first",
    ("bars", "own"): "in its own order",
    ("boxes", "own"): "in its own order",
}


def said(question: Spread, table: Table, answer: Any = None) -> Sentence:  # noqa: C901  (a slot a line, in the order it is said)
    """Return the sentence of a spread; with its answer at hand, bins chosen from the data are named too."""
    if question.shape == "bars":
        return _of_bars(question)
    parts = [Part("How is "), Part(question.column, "column"), Part(" "), Part("spread", "way"), Part(" ")]
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
    elif question.across and question.shape in ("boxes", "letters"):
        parts += [Part(", "), Part(ORDER_WORDS["boxes", question.order], "order")]
    if question.shape == "histogram" and question.across:
        if question.side != "panels":
            parts += [Part(", "), Part(SIDE_WORDS[question.side], "side")]
        else:
            addable.append(Part("how the groups stand", "side"))
    if question.scale == "log":
        parts += [Part(" "), Part("on a log scale", "scale")]
    elif question.shape != "density" and not table.column(question.column).kind.temporal:
        addable.append(Part("log scale", "scale"))
    if question.angles:
        parts += [Part(", "), Part("at three bin widths", "angles")]
    elif question.shape == "histogram" and not question.across and question.scale != "log":
        addable.append(Part("three bin widths", "angles"))
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
    return (answer.gathered(-1), answer.gathered(1)) if isinstance(answer, BoxesAnswer) else (0, 0)


def _of_bars(question: Spread) -> Sentence:
    parts = [
        Part("How often does each "),
        Part(question.column, "column"),
        Part(" "),
        Part("occur", "way"),
        Part(", drawn as "),
    ]
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
    if bins.rule:
        return _ruled_words(bins.rule, column, answer)
    if bins.count:
        return f"{bins.count} {'bin' if bins.count == 1 else 'bins'}{origin}"
    if bins.width:
        return f"bins of {number(bins.width, 6)}{unit_suffix(column.unit)}{origin}"
    if isinstance(answer, HistogramAnswer) and answer.basis.used:
        if answer.calendar:
            return f"bins of a {answer.calendar}"
        if answer.question.scale == "log":
            return f"{len(answer.edges) - 1} bins"
        return f"bins of {number(answer.width or 1.0, 6)}{unit_suffix(column.unit)}{origin}"
    return f"bins{origin}" if origin else ""


def _ruled_words(rule: str, column: Column, answer: Any) -> str:
    """Return bins after a rule, with their width where the answer is at hand."""
    after = f"after {RULE_WORDS[rule]}"
    if isinstance(answer, HistogramAnswer) and answer.width is not None and answer.basis.used:
        return f"bins of {number(answer.width, 3)}{unit_suffix(column.unit)} {after}"
    return f"bins {after}"


def short_name(question: Spread) -> str:
    """Return a picture's name on the trail and beside."""
    if question.across:
        return f"{question.column} across {question.across}"
    return (
        f"How is {question.column} spread?"
        if question.shape != "bars"
        else f"How often each {question.column}?"
    )


def example(columns: Sequence[Column]) -> str:
    """Return words that a table with these columns understands: a number by a category, where it has both."""
    number = next((c.name for c in columns if c.kind.numeric), None)
    group = next((c.name for c in columns if makes_groups(c) and c.name != number), None)
    return " by ".join(name for name in (number, group) if name) or (columns[0].name if columns else "rows")


def read(body: str, table: Table) -> Spread:
    """Return the spread that words without their filter ask for.

    Raises
    ------
    BadQuestion
        Saying which part was not understood and how it could be written.
    """
    body = re.sub(r"^(how is|how often does each|how often does) ", "", body, flags=re.IGNORECASE)
    column, rest = take_column(body, table)
    if column is None:
        raise BadQuestion(
            f"No column is named at the start of “{body.strip()}”",
            table.name,
            f"Write it like: {example(table.columns)}.",
        )
    question = first_question(column)
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    across = question.across
    question = fitted(question, table) if question.shape == "bars" else question
    if across is not None and question.across is None:
        raise BadQuestion(
            f"How often each {question.column} occurs is said of all {table.row_noun[1]}",
            "across",
            f"Try: number of {table.row_noun[1]} by {across} and {question.column}.",
        )
    check(question, table)
    return question


_SHAPES = {"a histogram": "histogram", "histogram": "histogram", "histograms": "histogram"}
_SHAPES |= {"a box plot": "boxes", "box plots": "boxes", "box plot": "boxes", "boxes": "boxes"}
_SHAPES |= {"bars": "bars", "columns": "histogram"}
_SHAPES |= {"a density curve": "density", "density": "density", "a running share": "running"}
_SHAPES |= {"a strip of points": "strip", "points": "strip", "letter values": "letters"}


def _clause(question: Spread, rest: str, table: Table) -> tuple[Spread, str]:  # noqa: C901  (one case a clause, in the order they are tried)
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
    if found := re.match(rf"(?:with |in )?bins (?:of [^,]+? )?after ({_RULES})\b", rest, re.IGNORECASE):
        rule = next(rule for rule, words in RULE_WORDS.items() if words.lower() == found[1].lower())
        return replace(question, bins=msgspec.convert({"rule": rule}, Bins)), rest[found.end() :]
    if found := re.match(r"(?:with |in )?bins of ", rest, re.IGNORECASE):
        return _bins_clause(question, rest[found.end() :], table)
    if found := re.match(r"(?:with |in )?(\d+) bins?(?: from ([-−\d.,e]+))?", rest, re.IGNORECASE):
        start = _plain(found[2]) if found[2] else None
        # what is no number of bins is refused as one that cannot be drawn
        return replace(question, bins=Bins(count=whole(found[1], 9_999) or 0, start=start)), rest[
            found.end() :
        ]
    if found := re.match(r"(?:with |in )?bins from ([-−\d.,e]+)", rest, re.IGNORECASE):
        return replace(question, bins=Bins(start=_plain(found[1]))), rest[found.end() :]
    another = take_column(rest.removeprefix("and "), table)[0] if rest.startswith("and ") else None
    if another is not None and question.across is not None:
        figure = f"average of {question.column}" if table.column(question.column).kind.numeric else "count"
        raise BadQuestion(
            f"A spread is across one column, and {another.name} would be a second",
            "",
            f"Try: {figure} by {question.across} and {another.name}.",
        )
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
        (r"on a log scale", {"scale": "log", "bins": Bins()}),
        (r"(at )?three bin widths", {"angles": True}),
        *((re.escape(words), {"side": side}) for side, words in SIDE_WORDS.items()),
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
    return real(text.rstrip(".,"), "bins")


def changed(
    question: Spread, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Spread, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot == "bins":
        bins = value if isinstance(value, Bins) else Bins()
        asked = _asked(question, bins=bins)
        return asked, bins_words(bins, table.column(question.column)) or "bins that fit"
    if slot == "angles":
        asked = fitted(_asked(question, angles=value == "yes"), table)
        return asked, "at three bin widths" if asked.angles else "at one bin width"
    if isinstance(value, Bins):
        raise BadQuestion("Bins belong into the slot of the bins", slot)
    if slot == "column":
        asked = _asked(question, column=value or "")
        if not asked.across and asked.column != question.column:
            asked = replace(asked, order=natural_order(table.column(asked.column)))
        asked = fitted(asked, table)
        return asked, short_name(asked)
    if slot == "across":
        asked = _asked(question, across=value or None)
        if asked.across and asked.across != question.across:
            asked = replace(asked, order=natural_order(table.column(asked.across)))
        return asked, f"across {value}" if value else f"over all {table.row_noun[1]}"
    labels = {
        "shape": {key: f"as {words}" for key, words in SHAPE_WORDS.items()},
        "height": HEIGHT_WORDS,
        "scale": {"log": "on a log scale", "plain": "on a plain scale"},
        "side": SIDE_WORDS,
        "ends": {"open": "open ends", "gathered": "tails gathered"},
        "order": {
            key: words
            for (shape, key), words in ORDER_WORDS.items()
            if shape == ("boxes" if question.shape == "letters" else question.shape)
        },
    }
    if slot not in labels:
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    label = chosen(slot, value, labels[slot])
    return fitted(_asked(question, **{slot: value}), table), label


def _asked(question: Spread, **changes: Any) -> Spread:
    # decoded again, so that a value that is no choice is refused with its field
    try:
        return msgspec.convert(msgspec.to_builtins(replace(question, **changes)), Spread)
    except msgspec.ValidationError as error:
        raise BadQuestion(f"This does not fit the picture: {error}") from None
