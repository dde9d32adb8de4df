"""What is said beside a series taken apart."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from night_trail.core.language.numbers import counted, listed, percent, value
from night_trail.core.language.spans import Caution, Fact, Span, Words, spans
from night_trail.core.questions.decomposition.answer import DecompositionAnswer, Different, Spike
from night_trail.core.questions.over_time.words import in_period, relative, signed, unfinished_words
from night_trail.core.questions.shared.lit_words import where_lit
from night_trail.core.questions.shared.measure_words import figure_of
from night_trail.core.stats.calendar import Calendar
from night_trail.core.table import Table


def decomposition_words(answer: DecompositionAnswer, table: Table) -> Words:
    """Return the words of a series taken apart."""
    parts, said = answer.parts, figure_of(answer.question.measure, answer.column)
    cautions: list[str] = unfinished_words(answer.calendar, answer.whole)
    if parts is None:
        n = int(np.count_nonzero(~np.isnan(answer.values) & answer.whole))
        return Words(
            spans(
                "{n} cannot be taken apart: too few, or all the same.",
                n=counted(n, "whole " + answer.calendar.grain),
            ),
            (),
            tuple(cautions),
        )
    headline: tuple[Span, ...] = ()
    if parts.periods:
        first, *rest = zip(parts.periods, parts.strengths, strict=True)
        text = f"the season of {season_name(first[0], answer.calendar)} explains {percent(first[1])} of what "
        text += "the trend leaves"
        text += "".join(f", that of {season_name(p, answer.calendar)} {percent(s)}" for p, s in rest)
        headline += spans("{what}.", what=Span(text[0].upper() + text[1:]))
    else:
        headline += spans("No season shows: it is trend and remainder alone.")
    start, last = float(parts.trend[0]), float(parts.trend[-1])
    verb = "rises" if last > start else "falls"
    if parts.moves and start != last:
        headline += spans(
            " The trend {verb} from {first} to {last}{share}.",
            verb=Span(verb),
            first=said(start),
            last=said(last),
            share=Span(relative(last - start, start, answer.column, parts.trend)),
        )
    else:
        headline += spans(
            " There is no trend to speak of: from {first} to {last} is no further than chance takes it.",
            first=said(start),
            last=said(last),
        )
    headline += _changes(answer, said)
    headline += _spike_words(answer, said)
    if answer.lit_n is not None:
        periods = [(answer.name(int(i)), int(answer.lit_n[i])) for i in np.flatnonzero(answer.lit_n)]
        headline += where_lit(answer.basis.lit or 0, periods, f"{answer.calendar.grain}s")
    facts = [
        Fact("trend strength", "strength of the trend", parts.trend_strength, percent(parts.trend_strength)),
        *(
            Fact(f"season:{p}", f"strength of the season of {season_name(p, answer.calendar)}", s, percent(s))
            for p, s in zip(parts.periods, parts.strengths, strict=True)
        ),
    ]
    cautions.append(_way_words(answer))
    filled = int(np.count_nonzero(parts.filled))
    if filled:
        cautions.append(
            f"{counted(filled, answer.calendar.grain)} without rows {'is' if filled == 1 else 'are'} "
            "filled by trend and season."
        )
    if answer.basis.missing:
        what = answer.column.name if answer.column is not None else "value"
        cautions.append(f"{table.rows_in_words(answer.basis.missing)} have no {what} and are left out.")
    return Words(headline, tuple(facts), tuple(cautions))


def season_name(period: int, calendar: Calendar) -> str:
    """Return what a season is called: the week, the year, or so many periods."""
    known = {
        ("day", 7): "the week",
        ("day", 365): "the year",
        ("hour", 24): "the day",
        ("hour", 168): "the week",
    }
    grain = calendar.grain
    if (grain, period) in known:
        return known[grain, period]
    if {"month": 12, "quarter": 4, "week": 52}.get(grain) == period:
        return "the year"
    return f"{period} {grain}s"


def _changes(answer: DecompositionAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    parts = answer.parts
    assert parts is not None  # noqa: S101  (asked only of parts)
    levels = sorted((c for c in parts.changes if c.level), key=lambda c: -abs(c.step))[:2]
    slopes = sorted(
        (c for c in parts.changes if not c.level), key=lambda c: -abs(c.slope_after - c.slope_before)
    )[:1]
    found: tuple[Span, ...] = ()
    for change in sorted(levels, key=lambda c: c.at):
        verb = "rises" if change.step > 0 else "falls"
        found += spans(
            " The level {verb} by {by} {when}.",
            verb=Span(verb),
            by=said(abs(change.step)),
            when=Span(in_period(answer.calendar, change.at + answer.start)),
        )
    if not levels:
        for change in slopes:
            found += spans(
                " The slope turns from {before} to {after} a {grain} {when}.",
                before=signed(said(change.slope_before), change.slope_before),
                after=signed(said(change.slope_after), change.slope_after),
                grain=Span(answer.calendar.grain),
                when=Span(in_period(answer.calendar, change.at + answer.start)),
            )
    return found


def _spike_words(answer: DecompositionAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    if not answer.spikes or answer.parts is None:
        return ()
    count = int(np.count_nonzero(answer.parts.spikes))
    first = answer.spikes[0]
    found = spans(
        " {count} {stand} out, most of all {when}: {by}",
        count=counted(count, answer.calendar.grain),
        stand=Span("stands" if count == 1 else "stand"),
        when=Span(answer.name(first.at)),
        by=signed(said(first.by), first.by),
    )
    return found + spike_reason(first) + (Span("."),)


def spike_reason(spike: Spike) -> tuple[Span, ...]:
    """Return what else was different on the rows of a spike."""
    if not spike.different:
        return ()
    return (Span("; on its rows " + listed([_different_words(d) for d in spike.different])),)


def _different_words(one: Different) -> str:
    column = one.column
    if one.value:
        return f"{column.name} is {one.value} for {percent(one.there)} (usually {percent(one.usual)})"
    there, usual = (value(v, column.kind, column.unit) for v in (one.there, one.usual))
    return f"{column.name} is {there} on average (usually {usual})"


def _way_words(answer: DecompositionAnswer) -> str:
    parts = answer.parts
    assert parts is not None  # noqa: S101  (asked only of parts)
    if not parts.chosen_way:
        return f"The parts are {parts.way}, as asked."
    if parts.way == "multiplied":
        text = "The parts are multiplied: swings grow with the level, and on the log scale the rest is even."
        return Caution(text, "add them up", turn="slot", slot="how", value="added")
    can = float(parts.values.min()) > 0
    text = "The parts are added up: what is left does not grow with the level."
    return Caution(text, "multiply them", turn="slot", slot="how", value="multiplied") if can else text
