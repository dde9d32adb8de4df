"""What is said of a series taken apart, and of where it is going."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from night_trail.core.answers.ahead import AheadAnswer
from night_trail.core.answers.apart import ApartAnswer, Different, Spike
from night_trail.core.stats.calendar import Calendar
from night_trail.core.stats.forecast import LEVELS
from night_trail.core.table import Table
from night_trail.core.words.measures import figure_of
from night_trail.core.words.numbers import counted, listed, number, percent, value
from night_trail.core.words.time import in_period, relative, signed, unfinished_words
from night_trail.core.words.value import Caution, Fact, Span, Words, spans


def apart_words(answer: ApartAnswer, table: Table) -> Words:
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
            share=Span(relative(last - start, start)),
        )
    else:
        headline += spans(
            " There is no trend to speak of: from {first} to {last} is no further than chance takes it.",
            first=said(start),
            last=said(last),
        )
    headline += _changes(answer, said)
    headline += _spike_words(answer, said)
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


def _changes(answer: ApartAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
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


def _spike_words(answer: ApartAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
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


def _way_words(answer: ApartAnswer) -> str:
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


def ahead_words(answer: AheadAnswer, table: Table) -> Words:
    """Return the words of a forecast."""
    said, found = figure_of(answer.question.measure, answer.column), answer.forecast
    cautions: list[str] = unfinished_words_of(answer)
    if found is None:
        return Words(spans("No forecast: {why}.", why=Span(answer.why_not)), (), tuple(cautions))
    at80 = LEVELS.index(80)
    last = len(found.mean) - 1
    year = answer.rest_of_year
    facts: list[Fact] = []
    if year is not None:
        name, so_far, total, low, high = year
        headline = spans(
            "About {total} in {year}, between {low} and {high} in four cases of five",
            total=said(total),
            year=Span(str(name)),
            low=said(low),
            high=said(high),
        )
        if so_far:
            headline += spans(" ({so} have already happened)", so=said(so_far))
        headline += (Span("."),)
        facts += [
            Fact("year", f"total of {name}", total, said(total)),
            Fact("year low", "low", low, said(low)),
            Fact("year high", "high", high, said(high)),
        ]
    else:
        headline = spans(
            "About {mean} {when}, between {low} and {high} in four cases of five.",
            mean=said(float(found.mean[last])),
            when=Span(in_period(answer.calendar, answer.end + last)),
            low=said(float(found.low[at80, last])),
            high=said(float(found.high[at80, last])),
        )
    headline += _method_words(answer)
    if answer.plan is not None:
        headline += _plan_words(answer, said)
    facts += [
        Fact(f"ahead:{answer.name(answer.end + i)}", answer.name(answer.end + i), float(v), said(float(v)))
        for i, v in enumerate(found.mean)
    ]
    for one in answer.groups:
        if one.total is not None and year is not None:
            for what, at in zip(("total", "low", "high"), one.total, strict=True):
                facts.append(
                    Fact(f"year {what}:{one.label}", f"{what} of {year[0]}, {one.label}", at, said(at))
                )
    facts += [
        Fact(f"error:{c.name}", f"error of {c.name}", c.mase, number(c.mase, 3)) for c in found.candidates
    ]
    if answer.pending is not None:
        done, of = answer.pending
        cautions.insert(
            0, f"The groups are being forecast, {done} of {of} are done; this page follows by itself."
        )
    if answer.assumed is not None:
        cautions.append(
            f"From {answer.name(answer.assumed)} on nothing is known of {answer.question.known}; "
            "the forecast takes it for no. Its coming days can be named."
        )
    if not found.better:
        cautions.insert(
            0, f"Nothing tried was better than {found.naive}: the past does not support more than that."
        )
    past = answer.end - answer.start
    if past < 3 * len(found.mean):
        cautions.append(
            f"{counted(len(found.mean), answer.calendar.grain)} ahead from {past:,} behind: "
            "far, for so short a past."
        )
    if answer.gaps:
        count = sum(b - a for a, b in answer.gaps)
        cautions.append(
            f"{counted(count, answer.calendar.grain)} without rows {'was' if count == 1 else 'were'} "
            "filled by trend and season."
        )
    return Words(headline, tuple(facts), tuple(cautions))


def unfinished_words_of(answer: AheadAnswer) -> list[str]:
    """Return a caution for periods left out of the forecast."""
    cut = [i for i in range(len(answer.whole)) if not answer.whole[i]]
    if not cut:
        return []
    names = listed([answer.name(i) for i in cut])
    return [
        f"{names[0].upper()}{names[1:]} {'is' if len(cut) == 1 else 'are'} not covered from end to end "
        "and left out."
    ]


def _method_words(answer: AheadAnswer) -> tuple[Span, ...]:
    found = answer.forecast
    assert found is not None  # noqa: S101  (asked only of a forecast)
    text = spans(
        " {n} were taken together, weighted by their errors from {origins}",
        # all together is no method of its own
        n=counted(len(found.candidates) - 1, "method"),
        origins=counted(found.origins, "earlier point"),
    )
    if not math.isnan(found.off):
        text += spans(
            "; over the last {h} it missed by {off}",
            h=counted(len(found.last), answer.calendar.grain),
            off=percent(found.off),
        )
    if found.better and found.naive_mase:
        text += spans(
            ", and over all by {share} of what {naive} would have",
            share=percent(found.mase / found.naive_mase),
            naive=Span(found.naive),
        )
    return (*text, Span("."))


def _plan_words(answer: AheadAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    plan, found = answer.plan, answer.forecast
    assert plan is not None and found is not None  # noqa: S101  (asked only with both)
    name = Span(answer.question.plan or "the plan")
    text: tuple[Span, ...] = ()
    both = np.flatnonzero(~np.isnan(plan[: answer.end]) & ~np.isnan(answer.values[: answer.end]))
    if len(both):
        off = float(np.sum(answer.values[both]) - np.sum(plan[both]))
        text += spans(
            " So far it lies {by} {side} {plan} in all.",
            by=said(abs(off)),
            side=Span("above" if off > 0 else "below"),
            plan=name,
        )
    planned = np.flatnonzero(~np.isnan(plan[answer.end :]))
    if len(planned):
        off = float(np.sum(found.mean[planned]) - np.sum(plan[answer.end + planned]))
        text += spans(
            " Over {n} to come it is expected {by} {side} {plan}.",
            n=counted(len(planned), "planned " + answer.calendar.grain),
            by=said(abs(off)),
            side=Span("above" if off > 0 else "below"),
            plan=name,
        )
    return text or spans(" No period has a plan.")
