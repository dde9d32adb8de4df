"""What is said beside a make-up."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from night_trail.core.language.numbers import counted, listed, percent
from night_trail.core.language.spans import Fact, Span, Words, spans
from night_trail.core.questions.compare.sentence import baseline_words
from night_trail.core.questions.make_up.answer import DEEPEST, OF_AREA, MakeUpAnswer
from night_trail.core.questions.make_up.parts import Part
from night_trail.core.questions.make_up.question import THEN
from night_trail.core.questions.make_up.sentence import against_words
from night_trail.core.questions.shared.chance_words import may_be_chance
from night_trail.core.questions.shared.lit_words import where_lit
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.measure_words import beside_all, decimals_of, evened
from night_trail.core.table import Table

MOST_FACTS = 60
MOST_GONE = 3
HALF = 0.5


def figure_said(answer: MakeUpAnswer) -> Callable[[float], str]:
    """Return how a figure of this make-up is written."""
    figures = beside_all(answer.question.measure, [p.figure for p in answer.parts], answer.total)
    decimals = decimals_of(figures, [])
    return evened(answer.question.measure, answer.column, decimals)


def shade_said(answer: MakeUpAnswer, table: Table) -> Callable[[float], str]:
    """Return how the figure that shades is written."""
    shade = answer.question.shade
    assert shade is not None  # noqa: S101  (asked only of shaded ones)
    column = None if shade.column is None else table.column(shade.column)
    shades = [p.shade for p in answer.parts if p.shade is not None]
    return evened(shade, column, decimals_of(shades, []))


def part_name(part: Part) -> str:
    """Return what a part is called, its parents before it."""
    return THEN.join((*part.names, part.label) if part.others else (*part.names[:-1], part.label))


def make_up_words(answer: MakeUpAnswer, table: Table) -> Words:
    """Return the words of a make-up."""
    said = figure_said(answer)
    if not answer.parts or not math.isfinite(answer.total):
        return Words(spans("No row that is kept has a value to be made up."))
    facts = [Fact("total", "all together", answer.total, said(answer.total))]
    known = [part for part in answer.parts if math.isfinite(part.figure)]
    facts += [Fact(f"part:{p.key}", part_name(p), p.figure, said(p.figure)) for p in known[:MOST_FACTS]]
    top = [p for p in answer.parts if p.parent < 0]
    first = next((p for p in top if not p.others), None)
    if first is not None and first.of_all is not None:
        facts.append(Fact("share", f"share of {first.label}", first.of_all, percent(first.of_all, 3)))
    headline = _headline(answer, said) + may_be_chance(answer.tested) + _changed(answer, said)
    if answer.basis.lit is not None:
        headline += where_lit(answer.basis.lit, [(p.label, p.lit or 0) for p in top if not p.others], "parts")
    return Words(headline, tuple(facts), tuple(_cautions(answer, table)))


def _headline(answer: MakeUpAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    ends = [(label, value) for label, value in answer.ends if math.isfinite(value)]
    path = answer.question.path
    if not ends:
        level = answer.question.names[len(path)]
        return spans(
            "No row has a {level}: all together {total}.", level=Span(level), total=said(answer.total)
        )
    start = spans("Within {path}: ", path=THEN.join(path)) if path else ()
    it, every = ("it", "all") if path else ("It", "All")
    label, value = ends[0]
    if len(ends) == 1 and value == answer.total:
        return start + spans("{it} is all {only}, {value}.", it=Span(it), only=label, value=said(value))
    same = sum(v == value for _, v in ends) - 1
    if answer.adds_up and not answer.below and answer.total > 0:
        return start + _shares(answer, ends, same, said)
    low, least = min(ends, key=lambda one: one[1])
    if value == least and len(ends) > 1:
        return start + spans(
            "{all} {n} parts are alike: {value}.", all=Span(every), n=f"{len(ends):,}", value=said(value)
        )
    text = (
        "{top}{others} {has} the most, {high}, and {low} the least, {least}; all together {total}."
        if answer.adds_up
        else "{it} is highest for {top}{others}, {high}, and lowest for {low}, {least}; all together {total}."
    )
    return start + spans(
        text,
        it=Span(it),
        top=label,
        others=Span(_and_others(same)),
        has=Span("have" if same else "has"),
        high=said(value),
        low=low,
        least=said(least),
        total=said(answer.total),
    )


def _changed(answer: MakeUpAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say how the whole differs from what it is held against, and which part does most to either side."""
    against, base = answer.question.against, answer.total_base
    if against is None or base is None or not math.isfinite(base):
        return ()
    if answer.question.even:
        headline = spans(" Held against {what}:", what=Span(against_words(answer.question)))
        far = _farthest(answer, said)
        return headline + far if far else spans(" It is made up as {what}.", what=Span(_bare(answer)))
    by = answer.total - base
    part = f" ({percent(abs(by) / abs(base), 3)})" if base else ""
    headline = spans(
        " Against {what} ({base}) it is {by}{part} {side}.",
        what=Span(against_words(answer.question)), base=said(base), by=said(abs(by)), part=Span(part),
        side=Span("more" if by > 0 else "less"),
    ) if by else spans(" It is as much as {what}.", what=Span(against_words(answer.question)))  # fmt: skip
    return headline + _farthest(answer, said)


def _bare(answer: MakeUpAnswer) -> str:
    against = answer.question.against
    return baseline_words(against) if against is not None else ""


def _farthest(answer: MakeUpAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say which part is up most, and which is down most."""
    headline: tuple[Span, ...] = ()
    top = [(p, p.change) for p in answer.parts if p.parent < 0 and not p.others and p.change is not None]
    for sign, text in ((1, " {name} is up most, by {by}."), (-1, " {name} is down most, by {by}.")):
        far = [(p, c) for p, c in top if c is not None and sign * c > 0]
        most = max((sign * c for _, c in far), default=0.0)
        first = [p.label for p, c in far if sign * c == most]
        # of two that changed alike none did most
        if len(first) == 1 and len(top) > 1:
            headline += spans(text, name=first[0], by=said(most))
    return headline


def _and_others(same: int) -> str:
    return f" and {counted(same, 'other')}" if same else ""


def _shares(
    answer: MakeUpAnswer, ends: list[tuple[str, float]], same: int, said: Callable[[float], str]
) -> tuple[Span, ...]:
    """Say how much the largest part is, how many make up half, and which is the largest further down."""
    label, value = ends[0]
    headline = spans(
        "{top}{others} {makes} up {share}{each} of {total}",
        top=label,
        others=Span(_and_others(same)),
        makes=Span("make" if same else "makes"),
        share=percent(value / answer.total, 3),
        each=Span(" each" if same else ""),
        total=said(answer.total),
    )
    needed, run = 0, 0.0
    while needed < len(ends) and run < HALF * answer.total:
        run += ends[needed][1]
        needed += 1
    depth = len(answer.question.path)
    if 1 < needed < len(ends):
        headline += spans(
            "; the largest {k} of {n} ({level}) make up {share}.",
            k=f"{needed:,}",
            n=f"{len(ends):,}",
            level=Span(answer.question.names[depth]),
            share=percent(run / answer.total, 3),
        )
    else:
        headline += (Span("."),)
    if answer.largest is not None:
        names, figure = answer.largest
        headline += spans(
            " The largest {level} is {name}: {value}, {share} of it.",
            level=Span(answer.question.names[depth + len(names) - 1]),
            name=THEN.join(names),
            value=said(figure),
            share=percent(figure / answer.total, 3),
        )
    return headline


def _cautions(answer: MakeUpAnswer, table: Table) -> Iterator[str]:
    question, column = answer.question, answer.column
    if answer.shape != question.shape and question.shape in OF_AREA:
        lie = "lies" if answer.below == 1 else "lie"
        yield f"{counted(answer.below, 'part')} {lie} below 0: drawn as bars, since no area is."
    if answer.basis.missing:
        rows = table.rows_in_words(answer.basis.missing)
        have = "has" if answer.basis.missing == 1 else "have"
        yield f"{rows} {have} no {column.name if column is not None else 'value'} and are left out."
    for name, n in answer.without:
        own = "has no {}: it is a part of its own" if n == 1 else "have no {}: they are a part of their own"
        yield f"{table.rows_in_words(n)} {own.format(name)}."
    for name, several, of in answer.unnested:
        above = question.names[question.names.index(name) - 1]
        stand = "stands" if several == 1 else "stand"
        yield f"{several:,} of {of:,} ({name}) {stand} under more than one {above}, as a part of each."
    if not answer.adds_up:
        shown = measure_words(question.measure, table).removeprefix("the ")
        yield f"The {shown} does not add up: each part is figured from its own rows, and there are no shares."
    if gathered := sum(p.others for p in answer.parts):
        yield f"{counted(gathered, 'small part')} {'is' if gathered == 1 else 'are'} gathered with others."
    if answer.gone:
        shown = listed([f"{name} ({figure_said(answer)(v)})" for name, v in answer.gone[:MOST_GONE]])
        more = f" and {len(answer.gone) - MOST_GONE:,} more" if len(answer.gone) > MOST_GONE else ""
        there = f"in {_bare(answer)}" if question.even else "there before"
        yield f"Only {there}, and no part here: {shown}{more}."
    if column is not None and answer.times > 1:
        yield f"{column.name} is a stock, taken at {answer.times:,} times: its sum counts it at each of them."
    below = question.names[len(question.path) + DEEPEST :]
    if below:
        lie = "lies" if len(below) == 1 else "lie"
        yield f"{listed(list(below))} {lie} further below: go into a part to see it."


def part_card(answer: MakeUpAnswer, part: Part, table: Table, said: Callable[[float], str]) -> list[str]:
    """Return what a part says when it is pointed at."""
    card = [part_name(part), said(part.figure) if math.isfinite(part.figure) else "—"]
    if part.of_all is not None:
        within = part.depth > 1 and part.of_parent is not None
        inside = f"{percent(part.of_parent or 0.0, 3)} of its parent, " if within else ""
        card.append(f"{inside}{percent(part.of_all, 3)} of all")
    if part.base is not None and part.change is not None and answer.question.against is not None:
        card.append(f"{against_words(answer.question)}: {said(part.base)}")
        share = f" ({percent(abs(part.change) / abs(part.base), 3)})" if part.base else ""
        card.append(f"{said(abs(part.change))}{share} {'more' if part.change >= 0 else 'less'}")
    if part.shade is not None and answer.question.shade is not None:
        shown = measure_words(answer.question.shade, table).removeprefix("the ")
        card.append(f"{shown}: {shade_said(answer, table)(part.shade)}")
    return [*card, table.rows_in_words(part.n)]
