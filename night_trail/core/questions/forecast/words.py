"""What is said beside a forecast."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from night_trail.core.language.numbers import counted, listed, number, percent
from night_trail.core.language.spans import Fact, Span, Words, spans
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.over_time.words import in_period
from night_trail.core.questions.shared.behind import Pending
from night_trail.core.questions.shared.measure_words import figure_of
from night_trail.core.stats.forecast import LEVELS
from night_trail.core.table import Table


def forecast_words(answer: ForecastAnswer, table: Table) -> Words:  # noqa: C901  (one case a sentence)
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
        cautions.insert(0, _how_far(answer.pending))
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


def unfinished_words_of(answer: ForecastAnswer) -> list[str]:
    """Return a caution for periods left out of the forecast."""
    cut = [i for i in range(len(answer.whole)) if not answer.whole[i]]
    if not cut:
        return []
    names = listed([answer.name(i) for i in cut])
    return [
        f"{names[0].upper()}{names[1:]} {'is' if len(cut) == 1 else 'are'} not covered from end to end "
        "and left out."
    ]


def _method_words(answer: ForecastAnswer) -> tuple[Span, ...]:
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


def _plan_words(answer: ForecastAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
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


def _how_far(pending: Pending) -> str:
    far = f"{pending.done} of {pending.of} are done"
    if pending.refused:
        return f"The groups are not forecast: {pending.refused}"
    if pending.stopped:
        return f"Forecasting the groups was stopped, {far}; this is the forecast of all."
    return f"The groups are being forecast, {far}; this page follows by itself."
