"""What is said beside a tree of who belongs to whom."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

from night_trail.core.language.numbers import counted, listed, percent
from night_trail.core.language.spans import Fact, Span, Words, spans
from night_trail.core.questions.kin.answer import KinAnswer, Unit
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.measure_words import beside_all, decimals_of, evened
from night_trail.core.questions.shared.rules import rule_words
from night_trail.core.table import Table

MOST_NAMES, MOST_FACTS = 5, 60


def figure_said(answer: KinAnswer) -> Callable[[float], str]:
    """Return how a figure of this tree is written."""
    decimals = decimals_of(
        beside_all(answer.question.measure, [u.below for u in answer.shown], answer.total), []
    )
    return evened(answer.question.measure, answer.column, decimals)


def kin_words(answer: KinAnswer, table: Table) -> Words:
    """Return the words of who belongs to whom."""
    if not answer.units:
        return Words(spans("Nobody is named in these rows."))
    said = figure_said(answer)
    facts = [Fact("total", "all together", answer.total, said(answer.total))]
    for unit in answer.shown[:MOST_FACTS]:
        if math.isfinite(unit.below):
            name = f"{unit.label} with all below"
            facts.append(Fact(f"unit:{unit.key}", name, unit.below, said(unit.below)))
    facts.append(Fact("units", "units", float(answer.units), f"{answer.units:,}"))
    headline = spans(
        "{n} under {roots}, {levels}.",
        n=counted(answer.units - answer.roots, "unit"),
        roots=counted(answer.roots, "root"),
        levels=counted(answer.levels, "level"),
    )
    headline += _largest(answer, said) + _marked(answer, said)
    return Words(headline, tuple(facts), tuple(_cautions(answer, table)))


def _marked(answer: KinAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say how many units a rule marks, of all from the top down."""
    rule, every = answer.question.rule, answer.below.below
    if rule is None:
        return ()
    n = sum(answer.marked(value) for value in every.tolist())
    what = f", {said(answer.total)}" if rule.at is None else ""
    text = " With all below, {n} of {units} {are} {rule}{what}."
    return spans(
        text, n=f"{n:,}", units=counted(len(every), "unit"), are=Span("is" if n == 1 else "are"),
        rule=Span(rule_words(rule)), what=Span(what),
    )  # fmt: skip


def _largest(answer: KinAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say which branch directly below the top holds the most."""
    ranked = [(name, value) for name, value in answer.branches if math.isfinite(value)]
    if len(ranked) < 2:
        return ()
    name, value = ranked[0]
    same = sum(other == value for _, other in ranked) - 1
    top = answer.question.top
    start = spans(" Below {top}: ", top=top) if top else (Span(" "),)
    if same == len(ranked) - 1:
        every = "all" if top else "All"
        text = f"{every} {{n}} branches are alike: {{value}}."
        return start + spans(text, n=f"{len(ranked):,}", value=said(value))
    others = Span(f" and {counted(same, 'other')}" if same else "")
    has = Span("have" if same else "has")
    if not answer.adds_up:
        low, least = ranked[-1]
        text = "{name}{others} {has} the highest with all below, {value}, and {low} the lowest, {least}."
        return start + spans(
            text, name=name, others=others, has=has, value=said(value), low=low, least=said(least)
        )
    whole = sum(v for _, v in ranked)
    shares = whole > 0 and ranked[-1][1] >= 0
    share = Span(f", {percent(value / whole, 3)} of what these have together" if shares else "")
    text = "{name}{others} {has} the most with all below: {value}{share}."
    return start + spans(text, name=name, others=others, has=has, value=said(value), share=share)


def _named(names: Sequence[str]) -> str:
    shown = list(names[:MOST_NAMES])
    if len(names) > MOST_NAMES:
        shown.append(f"{len(names) - MOST_NAMES:,} more")
    return listed(shown)


def _cautions(answer: KinAnswer, table: Table) -> Iterator[str]:
    unit, above = answer.question.unit, answer.question.above
    if answer.circle:
        found = f"{counted(len(answer.circle), 'circle')} {_one(answer.circle, 'is', 'are')}"
        yield f"{found} cut open, at {_named(answer.circle)}: who is above is below too."
    if answer.unknown:
        found = f"{_named(answer.unknown)} {_one(answer.unknown, 'is', 'are')}"
        yield f"{found} named in {above} and not in {unit}: kept, with no rows of their own."
    if answer.several:
        found = f"{_named(answer.several)} {_one(answer.several, 'has', 'have')}"
        yield f"{found} more than one {above}: each stands under the one most rows name."
    if answer.roots > 1 and answer.question.top is None:
        yield f"There are {answer.roots:,} roots: units with nobody above them."
    for n, lacking in (
        (answer.basis.groupless, unit),
        (answer.basis.missing, answer.question.measure.column),
    ):
        if n and lacking:
            yield f"{table.rows_in_words(n)} {'has' if n == 1 else 'have'} no {lacking}."
    if others := sum(u.others for u in answer.shown):
        are = "is" if others == 1 else "are"
        yield f"{counted(others, 'unit')} {are} gathered: begin further down to see them."


def _one(names: Sequence[str], one: str, many: str) -> str:
    return one if len(names) == 1 else many


def unit_card(answer: KinAnswer, unit: Unit, table: Table, said: Callable[[float], str]) -> list[str]:
    """Return what a unit says when it is pointed at."""
    measured = measure_words(answer.question.measure, table).removeprefix("the ")
    card = [unit.label]
    if math.isfinite(unit.below):
        card.append(f"{measured}, with all below: {said(unit.below)}")
    if unit.others:
        card.append(f"{unit.under:,} below them")
    elif unit.under:
        if math.isfinite(unit.own):
            card.append(f"alone: {said(unit.own)}")
        card.append(f"{unit.children:,} directly below, {unit.under:,} in all")
    if unit.odd:
        card.append(unit.odd)
    return [*card, table.rows_in_words(unit.n_below)]
