"""What a picture offers to be annotated with: its highest named, its ends bracketed, what is lit marked."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from night_trail.core.annotations import Annotation, Bracket, Line, Note, Range
from night_trail.core.conditions import Between, Condition, axis_bound
from night_trail.core.language.spans import Words
from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.registry import Answer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.table import Table


@dataclass(frozen=True)
class Offered:
    """An annotation that fits a picture, and what a button calls it."""

    words: str
    made: Annotation


def offered(answer: Answer, words: Words, lit: Condition | None, table: Table) -> list[Offered]:
    """Return annotations that fit a picture; none where it has nothing of the kind."""
    found = list(_offered(answer, words))
    if (
        isinstance(answer, OverTimeAnswer | HistogramAnswer)
        and (marked := _lit(answer, lit, table)) is not None
    ):
        found.append(Offered("mark what is lit", marked))
    return found


def _offered(answer: Answer, words: Words) -> Iterator[Offered]:
    texts = {fact.label: fact.text for fact in words.facts}
    if isinstance(answer, CompareAnswer):
        yield from _of_groups(answer, texts)
    elif isinstance(answer, OverTimeAnswer) and answer.question.view == "plain":
        yield from _of_periods(answer, texts)


def _called(name: str, texts: dict[str, str]) -> str:
    return f"{name}: {texts[name]}"[:280] if name in texts else name[:280]


def _of_groups(answer: CompareAnswer, texts: dict[str, str]) -> Iterator[Offered]:
    named = [g for g in answer.groups if not g.others and math.isfinite(g.value)]
    if answer.question.shape not in ("bars", "dots") or len(named) < 2:
        return
    top, last = max(named, key=lambda g: g.value), min(named, key=lambda g: g.value)
    if top.value > last.value:
        yield Offered(
            "label the highest", Note("highest", top.value, (top.label, 0.1), _called(top.label, texts))
        )
        ends = (top.label, last.label) if {top.label, last.label} <= texts.keys() else None
        bracket = Bracket("ends", top.value, (top.label, 0.5), top.value, (last.label, 0.5), ends)
        yield Offered("bracket highest and lowest", bracket)
    if math.isfinite(answer.overall) and answer.question.shape == "dots":
        yield Offered("line at all together", Line("together", answer.overall, "x", "all together"))


def _of_periods(answer: OverTimeAnswer, texts: dict[str, str]) -> Iterator[Offered]:
    values, middles = answer.together.values, answer.calendar.middles()
    has = np.flatnonzero(~np.isnan(values) & answer.whole)
    if len(has) < 2:
        return

    def place(at: int) -> tuple[float, float]:
        return float(middles[at]), float(values[at])

    highest, first, last = int(has[np.argmax(values[has])]), int(has[0]), int(has[-1])
    yield Offered("label the highest", Note("highest", *place(highest), _called(answer.name(highest), texts)))
    names = (answer.name(first), answer.name(last))
    ends = names if set(names) <= texts.keys() else None
    yield Offered("bracket first and last", Bracket("ends", *place(first), *place(last), ends))


def _lit(answer: OverTimeAnswer | HistogramAnswer, lit: Condition | None, table: Table) -> Range | None:
    """Return the stretch of the axis that is lit, where it is one."""
    if not isinstance(lit, Between) or lit.low is None or lit.high is None:
        return None
    name = answer.question.time if isinstance(answer, OverTimeAnswer) else answer.question.column
    if lit.column != name:
        return None
    kind = table.column(name).kind
    low, high = (axis_bound(end, kind, name) for end in (lit.low, lit.high))
    return Range("lit", low, high) if low < high else None
