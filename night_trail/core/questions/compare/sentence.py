"""The sentence of a comparison: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real, whole
from night_trail.core.language.conditions import take_column
from night_trail.core.language.numbers import listed, number
from night_trail.core.measure import Measure
from night_trail.core.question import decode
from night_trail.core.questions.compare.answer import (
    aims,
    by_difference,
    can_cut,
    check,
    compare_question,
    fitted,
)
from night_trail.core.questions.compare.question import Baseline, Compare
from night_trail.core.questions.shared.basis import is_banded
from night_trail.core.questions.shared.measure_slots import (
    NAMED,
    change_aggregate,
    leading_measure,
    measure_from,
    measure_parts,
    measure_words,
    short_measure,
    with_column,
)
from night_trail.core.questions.shared.measures import first_shape
from night_trail.core.questions.shared.rules import changed_rule, read_rule, rule_words
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

MOST_MORE, MOST_KEPT = 5, 200
SMALLEST = ("smallest", "least different")
KEPT = re.compile(
    r"(?P<one>only )?the (?P<end>largest|smallest|most different|least different)"
    r"(?P<both> and the (?:smallest|least different))?(?: (?P<keep>\d{1,3}))? kept",
    re.IGNORECASE,
)
BY = "by:"
SHAPE_WORDS = {
    "dots": "dots with intervals",
    "bars": "bars",
    "stacked": "stacked bars",
    "shares": "bars of shares",
    "grid": "a heat grid",
    "table": "a table",
    "ring": "a ring",
    "strip": "one bar",
    "figure": "one figure",
    "stair": "a stair",
    "slope": "slopes",
}
SHOW_WORDS = {
    "absolute": "as it is",
    "relative": "relative to it",
    "share": "as a share of the whole difference",
}
AXIS_WORDS = {"zero": "with bars from 0", "cut": "with bars cut off below"}
ORDER_WORDS = {"value": "sorted by value", "own": "in its own order"}


def said(question: Compare, table: Table, answer: Any = None) -> Sentence:  # noqa: C901  (a slot a line, in the order it is said)
    """Return the sentence of a comparison."""
    baseline = question.baseline
    several = len(question.more) > 0
    parts = [Part("How do " if several else "How does "), *measure_parts(question.measure, table)]
    addable: list[Part] = []
    if several:
        others = [measure_words(m, table) for m in question.more]
        parts += [Part(" and "), Part(listed(others), "more")]
    parts += [Part(" "), Part("compare", "way"), Part(" "), Part(f"across {question.across}", "across")]
    if question.also:
        parts += [Part(" "), Part(f"and {question.also}", "also")]
    if baseline is not None:
        parts += [Part(" "), Part(f"against {baseline_words(baseline)}", "baseline")]
        parts += [Part(", the difference "), Part(SHOW_WORDS[baseline.show], "show")]
    if not (question.also or several or baseline):
        addable += [
            Part("a second category", "also"),
            Part("another measure", "more"),
            Part("a baseline", "baseline"),
        ]
    parts += [Part(", drawn as "), Part(SHAPE_WORDS[question.shape], "shape")]
    if question.shape == "table" and not baseline:
        if question.rule is not None:
            parts += [Part(" marking what is "), Part(rule_words(question.rule), "rule")]
        else:
            addable.append(Part("mark figures", "rule"))
    if question.axis == "cut":
        parts += [Part(" "), Part(AXIS_WORDS["cut"], "axis")]
    elif can_cut(question):
        addable.append(Part("where bars begin", "axis"))
    if question.shape != "figure":
        parts += [Part(", "), Part(order_words(question, table), "order")]
    if question.keep is not None or question.end != "most":
        parts += [Part(", "), Part(keep_words(question.keep, question.end, by_difference(question)), "keep")]
    elif question.shape not in ("figure", "stair"):
        addable.append(Part("how many are kept", "keep"))
    if question.least > 1:
        parts += [Part(", "), Part(least_words(question.least, table), "least")]
    elif not is_banded(table.column(question.across)):
        addable.append(Part(f"at least how many {table.row_noun[1]} each", "least"))
    return Sentence((*parts, Part("?")), tuple(addable))


def baseline_words(baseline: Baseline) -> str:
    """Return what the groups are held against."""
    if baseline.target is not None:
        return f"a target of {number(baseline.target, 12)}"
    return baseline.column or baseline.called or baseline.group or "other rows"


def keep_words(keep: int | None, end: str = "most", differ: bool = False) -> str:
    """Return how many groups are shown before the rest are gathered, and from which end of the ranking.

    >>> keep_words(5), keep_words(1), keep_words(3, "both")
    ('the largest 5 kept', 'only the largest kept', 'the largest and the smallest 3 kept')
    """
    largest, smallest = ("most different", "least different") if differ else ("largest", "smallest")
    if keep is None:
        return {"most": "all that fit", "least": f"the {smallest} kept", "both": "both ends kept"}[end]
    if end == "both":
        return f"the {largest} and the {smallest} {keep} kept"
    side = largest if end == "most" else smallest
    return f"the {side} {keep} kept" if keep > 1 else f"only the {side} kept"


def least_words(least: int, table: Table) -> str:
    """Return how many rows a group needs to be ranked."""
    return f"with at least {table.rows_in_words(least)} each"


def order_words(question: Compare, table: Table) -> str:
    """Return what sorts the groups."""
    if question.order == "value" and question.more:
        return f"sorted by {measure_words(question.measures[question.by], table)}"
    return ORDER_WORDS[question.order]


def short_name(question: Compare) -> str:
    """Return a comparison's name on the trail and beside."""
    groups = f"{question.across} and {question.also}" if question.also else question.across
    against = f" against {baseline_words(question.baseline)}" if question.baseline else ""
    more = f" and {len(question.more)} more" if question.more else ""
    return f"{short_measure(question.measure)}{more} across {groups}{against}"


def read(body: str, table: Table) -> Compare | None:
    """Return the comparison that words without their filter ask for; None where they ask for none.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as a comparison.
    """
    body = re.sub(r"^how (?:does|do) ", "", body, flags=re.IGNORECASE)
    found = leading_measure(body, table)
    if found is None:
        return None
    measure, rest = found
    more: list[Measure] = []
    # further measures: "the average of late_min and the sum of boardings by line"
    while another := re.match(r"(?:,|and)\s+", rest.strip(), re.IGNORECASE):
        next_one = leading_measure(rest.strip()[another.end() :], table)
        if next_one is None:
            break
        more.append(next_one[0])
        rest = next_one[1]
    rest = re.sub(r"^compare ", "", rest.strip(" ,"), flags=re.IGNORECASE)
    start = re.match(r"(?:across|by|for each) ", rest, re.IGNORECASE)
    if start is None:
        raise BadQuestion(
            f"“{body}” names no groups", "across", "Say across what: by, and a column with groups."
        )
    across, rest = take_column(rest[start.end() :], table)
    if across is None:
        raise BadQuestion(f"“{rest}” is not a column", table.name, "Name the column whose groups compare.")
    question = replace(compare_question(measure, across), more=tuple(more[:5]))
    shaped = re.search(r"\bas (?:a |an |one )?\w+", rest) is not None
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    question = fitted(question) if not shaped else question
    check(question, table)
    return question


def _clause(question: Compare, rest: str, table: Table) -> tuple[Compare, str]:  # noqa: C901  (one case a clause, in the order they are tried)
    if found := re.match(r"and ", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is not None:
            return replace(question, also=column.name), behind
    if found := re.match(r"against ", rest, re.IGNORECASE):
        return _baseline_clause(question, rest[found.end() :], table)
    if question.baseline is not None:
        for words, show in {v: k for k, v in SHOW_WORDS.items()}.items():
            if found := re.match(rf"(?:the difference )?{words}", rest, re.IGNORECASE):
                kept = replace(question.baseline, show=cast(Any, show))
                return replace(question, baseline=kept), rest[found.end() :]
    for shape, words in sorted(SHAPE_WORDS.items(), key=lambda s: -len(s[1])):
        if found := re.match(rf"(?:drawn )?as {words}", rest, re.IGNORECASE):
            return replace(question, shape=cast(Any, shape)), rest[found.end() :]
    if marking := read_rule(rest):
        return replace(question, rule=marking[0]), marking[1]
    if found := KEPT.match(rest):
        end = "both" if found["both"] else "least" if found["end"].lower() in SMALLEST else "most"
        keep = 1 if found["one"] else _kept(found["keep"]) if found["keep"] else None
        if keep is None and end == "both":
            raise BadQuestion(f"“{rest}” does not say how many", "keep", "Write: the largest 5 kept.")
        return replace(question, keep=keep, end=cast(Any, end)), rest[found.end() :]
    if found := re.match(r"both ends kept", rest, re.IGNORECASE):
        return replace(question, end="both"), rest[found.end() :]
    if found := re.match(r"(?:with )?at least (\d[\d,]{0,12}) \S+(?: \S+)? each", rest, re.IGNORECASE):
        return replace(question, least=_rows_each(found[1])), rest[found.end() :]
    for axis, words in AXIS_WORDS.items():
        if rest.lower().startswith(words):
            return replace(question, axis=cast(Any, axis)), rest[len(words) :]
    for by, measure in enumerate(question.measures if question.more else ()):
        words = f"sorted by {measure_words(measure, table)}"
        if rest.lower().startswith(words.lower()):
            return replace(question, order="value", by=by), rest[len(words) :]
    for words, order in {v: k for k, v in ORDER_WORDS.items()}.items():
        if rest.lower().startswith(words):
            return replace(question, order=cast(Any, order)), rest[len(words) :]
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: as bars, sorted by value.")


def _baseline_clause(question: Compare, text: str, table: Table) -> tuple[Compare, str]:
    """Read ``planned_boardings``, ``Quayside``, a group of the category, or ``a target of 5,000``."""
    if found := re.match(r"a target of ([-−\d.,e+]+)", text, re.IGNORECASE):
        at = real(found[1].rstrip(".,"), "baseline")
        return replace(question, baseline=Baseline(target=at), shape="figure"), text[found.end() :]
    column, behind = take_column(text, table)
    if column is not None:
        return replace(question, baseline=Baseline(column=column.name)), behind
    for label in sorted(table.coded(question.across).labels, key=len, reverse=True):
        if text.lower().startswith(label.lower()):
            return replace(question, baseline=Baseline(group=label)), text[len(label) :]
    raise BadQuestion(
        f"“{text}” is neither a column nor a group of {question.across}",
        "against",
        "For an earlier period keep only some dates first, then choose it from the list.",
    )


def changed(
    question: Compare, slot: str, value: Any, table: Table, lit: Condition | None
) -> tuple[Compare, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    measure = question.measure
    if slot == "aggregate":
        return _aggregate(question, value, table, lit)
    if slot == "column":
        column = table.column(value or "")
        found = with_column(measure, column)
        keeps, measure = found == replace(measure, column=column.name), found
        across = question.across
        if across == column.name:
            raise BadQuestion("A column cannot be compared across itself", "column", "Choose another column.")
        asked = replace(question, measure=measure, baseline=None if aims(question) else question.baseline)
        asked = fitted(asked) if keeps else _plainly(asked, measure)
        return asked, measure_words(measure, table)
    if slot in ("also", "more", "baseline", "show", "keep", "least", "rule"):
        return _extended(question, slot, value, table)
    if slot == "order" and isinstance(value, str) and value.startswith(BY):
        by = whole(value.removeprefix(BY), len(question.more))
        if by is None:
            raise BadQuestion("There is no such measure", "order", "Choose one of the list.")
        asked = replace(question, order="value", by=by)
        return asked, order_words(asked, table)
    if slot == "per":
        asked = replace(question, measure=replace(measure, per=table.column(value or "").name))
        return asked, measure_words(asked.measure, table)
    if slot == "across":
        across_column = table.column(value or "")
        order = compare_question(measure, across_column).order
        also = question.also if question.also != across_column.name else None
        baseline = question.baseline if question.baseline is None or question.baseline.group is None else None
        asked = replace(question, across=across_column.name, order=order, also=also, baseline=baseline)
        return fitted(asked), f"across {value}"
    labels = {
        "shape": {key: f"as {words}" for key, words in SHAPE_WORDS.items()},
        "order": ORDER_WORDS,
        "axis": AXIS_WORDS,
    }
    if slot not in labels:
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    label = chosen(slot, value, labels[slot])
    return fitted(replace(question, **{slot: value})), label


def _plainly(question: Compare, measure: Measure) -> Compare:
    """Return the question with another measure, in the shape that is honest for it."""
    baseline = question.baseline
    if baseline is not None and (
        baseline.column == measure.column or measure.aggregate in ("count", "share")
    ):
        baseline = None if baseline.column is not None else baseline
    if aims(question):
        baseline = None  # another measure has another target
    return fitted(replace(question, measure=measure, shape=first_shape(measure), baseline=baseline))


def _extended(question: Compare, slot: str, value: Any, table: Table) -> tuple[Compare, str]:  # noqa: C901  (one case a slot)
    """Return the question with a second category, further measures, a baseline, or how it is shown."""
    if slot == "also":
        name = table.column(value).name if value else None
        asked = replace(question, also=name)
        # a grid shows more pairs than colours tell apart
        many = name is not None and table.column(name).distinct > 7
        asked = replace(asked, shape="grid") if many else asked
        return fitted(asked), f"and {value}" if value else "one category"
    if slot == "more":
        if not value:
            return fitted(replace(question, more=())), "one measure"
        measure = measure_from(value, table)
        more = tuple(m for m in question.more if m != measure)
        if len(more) == len(question.more):
            more = (*more, measure)
        if len(more) > MOST_MORE or measure == question.measure:
            raise BadQuestion(f"{MOST_MORE + 1} measures fit side by side", "more", "Take one away first.")
        return fitted(replace(question, more=more)), f"{'and' if measure in more else 'without'} {value}"
    if slot == "baseline":
        baseline = decode(value, Baseline, "baseline") if value else None
        shape = question.shape if baseline is None or baseline.target is not None else "bars"
        asked = fitted(replace(question, baseline=baseline, shape=shape))
        return asked, f"against {baseline_words(baseline)}" if baseline else "no baseline"
    if slot == "show" and question.baseline is not None:
        label = chosen(slot, value, SHOW_WORDS)
        return replace(question, baseline=replace(question.baseline, show=value)), f"difference {label}"
    if slot == "keep":
        end, _, text = value.rpartition(":") if isinstance(value, str) else ("", "", "")
        keep = _kept(text) if text else None
        if end not in ("", "least", "both"):
            raise BadQuestion(f"There is no end “{end[:40]}” of a ranking", "keep", "Choose one of the list.")
        asked = replace(question, keep=keep, end=cast(Any, end or "most"))
        if not keep and not end:
            return asked, "all that fit are kept"
        return asked, keep_words(keep, asked.end, by_difference(asked))
    if slot == "least":
        asked = replace(question, least=_rows_each(value) if value else 1)
        return asked, least_words(asked.least, table) if asked.least > 1 else "groups of any size"
    if slot == "rule":
        rule, label = changed_rule(value)
        return replace(question, rule=rule), label
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _kept(text: str) -> int:
    """Return how many groups are kept, typed or chosen."""
    if not (kept := whole(text, MOST_KEPT)):
        raise BadQuestion(f"Between 1 and {MOST_KEPT} groups can be kept", "keep", "Write a whole number.")
    return kept


def _rows_each(value: Any) -> int:
    """Return how many rows a group needs, typed or chosen."""
    if not (least := whole(value, 1_000_000_000)):
        raise BadQuestion(
            f"“{str(value)[:40]}” is no number of rows", "least", "Write a whole number above 0."
        )
    return least


def _aggregate(question: Compare, value: Any, table: Table, lit: Condition | None) -> tuple[Compare, str]:
    if isinstance(value, str) and (known := table.measures.get(value.removeprefix(NAMED))):
        return _plainly(question, known), value.removeprefix(NAMED)
    measure, label = change_aggregate(question.measure, value, table, question.across, lit)
    return _plainly(question, measure), label
