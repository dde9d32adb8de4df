"""What is said beside a change."""

from __future__ import annotations

import math
from collections.abc import Callable

from night_trail.core.language.numbers import MINUS, counted, listed, number, percent
from night_trail.core.language.spans import Fact, Span, Words, shortened, spans
from night_trail.core.questions.changed.answer import LEVEL, ChangedAnswer, Segment, tried
from night_trail.core.questions.changed.sentence import is_period, side_words
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.measure_words import figure_of, gap_of
from night_trail.core.stats.calendar import period_name
from night_trail.core.table import Table

SPOKEN = 3
FAR = 2.0
"""Times its own usual step from which on a part's step is called so."""


def figure_said(answer: ChangedAnswer) -> Callable[[float], str]:
    """Return how a figure of either side is written."""
    return figure_of(answer.question.measure, answer.column)


def signed(answer: ChangedAnswer) -> Callable[[float], str]:
    """Return how a part of the change is written, with its sign."""
    said = gap_of(answer.question.measure, answer.column)

    def written(at: float) -> str:
        shown = said(round(abs(at), 12 - len(str(int(abs(at))))) if math.isfinite(at) else at)
        # what rounds to nothing has no sign
        some = any(digit in "123456789" for digit in shown)
        return f"{'+' if at > 0 and some else MINUS if at < 0 and some else ''}{shown}"

    return written


def changed_words(answer: ChangedAnswer, table: Table) -> Words:
    """Return the words of a change: how much, the parts that are unexpected, what did not tell."""
    question = answer.question
    measure = measure_words(question.measure, table)
    name = measure[:1].upper() + measure[1:]
    sides = [shortened(side_words(c, table)) for c in (question.before, question.after)]
    empty = [side for side, n in zip(sides, answer.n, strict=True) if not n]
    if empty:
        text = f"There are no {table.row_noun[1]} with {{what}} in {{side}}, so nothing can be compared."
        what = question.measure.column or "a figure"
        return Words(spans(text, what=Span(what), side=listed(empty)), (), _cautions(answer, table))
    said, change = figure_said(answer), gap_of(question.measure, answer.column)
    written = signed(answer)
    facts = [
        Fact("before", sides[0], answer.before, said(answer.before)),
        Fact("after", sides[1], answer.after, said(answer.after)),
        Fact("change", "the change", answer.change, written(answer.change)),
    ]
    for one in answer.segments:
        facts.append(Fact(f"part:{one.key}", f"the part of {one.label}", one.change, written(one.change)))
    if answer.change == 0:
        headline = spans(f"{name} is {{at}} on both sides.", at=said(answer.after))
    else:
        relative, more = _relative(answer), answer.change > 0
        # groups do not follow one another
        text = f"{name} is {'higher' if more else 'lower'} by {{by}}{relative}: {{b}}, against {{a}}."
        if is_period(question.before, table) and is_period(question.after, table):
            text = f"{name} {'rose' if more else 'fell'} by {{by}}{relative}, from {{a}} to {{b}}."
        headline = spans(text, by=change(abs(answer.change)), a=said(answer.before), b=said(answer.after))
    headline += _parts(answer) + _split(answer, table) + _untold(answer, table)
    return Words(headline, tuple(facts), _cautions(answer, table))


def _relative(answer: ChangedAnswer) -> str:
    if not answer.adds_up or answer.before <= 0 or answer.after < 0:
        return ""
    sign = "+" if answer.change > 0 else MINUS
    return f" ({sign}{percent(abs(answer.change) / answer.before, 3)})"


def _parts(answer: ChangedAnswer) -> tuple[Span, ...]:
    """Return what the parts say: those that are unexpected, furthest first; else that all moved alike."""
    found = sorted((s for s in answer.segments if s.unexpected), key=lambda s: -abs(s.off))
    if not found:
        if not answer.segments or not answer.chosen:
            return ()
        text = " By {by} no part moved otherwise than the rest, beyond chance."
        return spans(text, by=Span(listed(answer.chosen)))
    first, *others = found
    written = signed(answer)
    size = gap_of(answer.question.measure, answer.column)(abs(first.change))
    made = spans(" {label} {verb} {by}", label=first.label, verb=Span(_verb(first)), by=size)
    made += (Span(_against(answer, first)),)
    if others:
        more = [f"{shortened(s.label)} ({written(s.change)})" for s in others[: SPOKEN - 1]]
        rest = len(others) - len(more)
        more += [f"{rest} more"] if rest else []
        made += spans(" Off course too: {more}.", more=Span(listed(more)))
    return made


def _verb(one: Segment) -> str:
    if not one.n[0]:
        return "came with"
    if not one.n[1]:
        return "went with"
    return "added" if one.change > 0 else "took"


def _against(answer: ChangedAnswer, one: Segment) -> str:
    """Return how a part stands to the whole, and to its own past."""
    text = ""
    if answer.change and one.change * answer.change > 0:
        share = one.change / answer.change
        text = f", {percent(share)} of it" if share <= 1 else ", more than all of it"
    elif one.change * answer.change < 0:
        text = ", against the rest"
    if answer.adds_up:
        expected = one.change - one.off
        if abs(expected) > 0.02 * abs(one.change):
            text += f", where its size would give {signed(answer)(expected)}"
    if one.usual is not None and abs(one.usual) >= FAR:
        text += f"; that is {number(abs(one.usual), 2)} times its usual step"
    return text + "."


def _split(answer: ChangedAnswer, table: Table) -> tuple[Span, ...]:
    """Return how much is more rows, another amount a row, and another mix; nothing where it is all one."""
    written = signed(answer)
    one, plural = table.row_noun
    if answer.adds_up:
        if answer.question.measure.column is None or not answer.change:
            return ()
        mix = answer.weight - answer.volume
        more = answer.n[1] - answer.n[0]
        rows = f"{abs(more):,} {'more' if more > 0 else 'fewer'} {one if abs(more) == 1 else plural}"
        if not more:
            return ()
        text = " {rows} make {volume}; another amount for each {one} makes {rate}"
        made = spans(
            text, rows=Span(rows), volume=written(answer.volume), one=Span(one), rate=written(answer.rate)
        )
        if answer.chosen and abs(mix) > 0.02 * abs(answer.change):
            made += spans(", and another mix {mix}", mix=written(mix))
        return (*made, Span("."))
    little = abs(answer.weight) < 0.01 * abs(answer.change)
    if not answer.chosen or len(answer.segments) < 2 or not answer.change or little:
        return ()
    by = listed(answer.chosen)
    text = " Within {by} it changed by {rate}; that there are more of some and fewer of others makes {mix}."
    return spans(text, by=Span(by), rate=written(answer.rate), mix=written(answer.weight))


def _untold(answer: ChangedAnswer, table: Table) -> tuple[Span, ...]:
    """Return the columns whose parts all moved alike."""
    looked = tried(answer.told, table)
    none = [t.by[0] for t in answer.told if len(t.by) == 1 and t.chance * looked >= LEVEL]
    if not none or len(none) == sum(len(t.by) == 1 for t in answer.told):
        return ()
    shown = none if len(none) <= 5 else [*none[:4], f"{len(none) - 4} more"]
    tell = "tells" if len(none) == 1 else "tell"
    return spans(f" {{names}} {tell} nothing apart.", names=Span(listed(shown)))


def _cautions(answer: ChangedAnswer, table: Table) -> tuple[str, ...]:
    made: list[str] = []
    steps, said = answer.steps, figure_said(answer)
    if steps is not None:
        for at, cut in zip((steps.before, steps.after), steps.unfinished, strict=True):
            if cut:
                made.append(f"{period_name(steps.periods.calendar, at)} is not covered from end to end.")
    days = answer.days
    if days is not None and answer.adds_up and days[0] != days[1] and min(days):
        a, b = (said(at / n) for at, n in zip((answer.before, answer.after), days, strict=True))
        made.append(
            f"{counted(days[0], 'day')} with {table.row_noun[1]} before and {days[1]:,} after: "
            f"for each day {a} before and {b} after."
        )
    if answer.both:
        made.append(f"{table.rows_in_words(answer.both)} would be on both sides, and are on neither.")
    if answer.basis.missing:
        lack = "lacks" if answer.basis.missing == 1 else "lack"
        made.append(f"{table.rows_in_words(answer.basis.missing)} {lack} {answer.question.measure.column}.")
    if answer.told:
        columns = {n for t in answer.told for n in t.by}
        ways = counted(tried(answer.told, table), "way")
        made.append(f"Looked at: {ways} of cutting it, by {counted(len(columns), 'column')}.")
    return tuple(made)
