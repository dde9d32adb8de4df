"""What is said beside how far each gets."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.language.numbers import listed, number, percent
from night_trail.core.language.spans import Fact, Span, Words, spans
from night_trail.core.questions.shared.chance_words import may_be_chance
from night_trail.core.questions.stages.answer import FEW, StagesAnswer
from night_trail.core.table import Table

UNITS = ((86_400.0, "day"), (3_600.0, "hour"), (60.0, "minute"), (1.0, "second"))
MOST_NAMED = 3
STEADY = 0.8
"""An order that fewer pairs than this came in is none."""


def long_words(seconds: float) -> str:
    """Return how long something took.

    >>> long_words(0.0), long_words(5_400.0), long_words(86_400.0)
    ('no time', '1.5 hours', '1 day')
    """
    if seconds <= 0:
        return "no time"
    size, name = next(((s, n) for s, n in UNITS if seconds >= s), UNITS[-1])
    text = number(seconds / size, 3)
    return f"{text} {name}{'' if text == '1' else 's'}"


def stages_words(answer: StagesAnswer, table: Table) -> Words:
    """Return the words of how far each gets."""
    unit = answer.question.unit
    if not answer.units or not answer.stages:
        return Words(spans("No row that is kept says who is at which stage."))
    first, last = answer.stages[0], answer.stages[-1]
    facts = [Fact("units", f"different {unit}", float(answer.units), f"{answer.units:,}")]
    for stage in answer.stages:
        share = stage.reached / answer.units
        facts.append(Fact(f"reached:{stage.label}", f"reach {stage.label}", share, percent(share, 3)))
        if stage.seconds is not None:
            long = long_words(stage.seconds[1])
            facts.append(Fact(f"long:{stage.label}", f"median time to {stage.label}", stage.seconds[1], long))
    if len(answer.stages) == 1:
        headline = spans(
            "All {n} ({unit}) are at {only}.", n=f"{answer.units:,}", unit=Span(unit), only=first.label
        )
    else:
        headline = spans(
            "Of {n} ({unit}) {k} {get} as far as {last}, {share}.",
            n=f"{answer.units:,}", unit=Span(unit), k=f"{last.reached:,}", last=last.label,
            get=Span("gets" if last.reached == 1 else "get"),
            share=percent(last.reached / answer.units, 3),
        ) + _lost(answer) + _long(answer) + _apart(answer)  # fmt: skip
    if answer.lit_units is not None:
        headline += spans(
            " Of the {n} with lit rows {k} do.",
            n=f"{answer.lit_units:,}", k=f"{last.lit or 0:,}",
        )  # fmt: skip
    return Words(headline, tuple(facts), tuple(_cautions(answer, table)))


def _lost(answer: StagesAnswer) -> tuple[Span, ...]:
    """Say between which stages most are lost."""
    lost = [answer.lost(at) for at in range(len(answer.stages) - 1)]
    most = max(lost)
    if not most:
        return spans(" None is lost on the way.")
    at = lost.index(most)
    same = lost.count(most) - 1
    here = answer.stages[at]
    if same:
        # of several that lose as many none loses most
        text = " {k} stages lose as many, {n} each; {here} is one of them."
        return spans(text, k=f"{same + 1:,}", n=f"{most:,}", here=here.label)
    return spans(
        " More stop at {here} than anywhere else: {n}, {share} of those that came so far.",
        here=here.label, n=f"{most:,}", share=percent(most / here.reached, 3),
    )  # fmt: skip


def _long(answer: StagesAnswer) -> tuple[Span, ...]:
    """Say which step takes longest, by its median."""
    known = [(s.seconds[1], at) for at, s in enumerate(answer.stages) if s.seconds is not None]
    if len(known) < 2 or max(known)[0] == min(known)[0]:
        return ()
    seconds, at = max(known)
    if sum(s == seconds for s, _ in known) > 1:
        return ()
    return spans(
        " From {one} to {other} takes longest: {long} (median).",
        one=answer.stages[at - 1].label, other=answer.stages[at].label, long=long_words(seconds),
    )  # fmt: skip


def _apart(answer: StagesAnswer) -> tuple[Span, ...]:
    """Say of which group most get to the last stage, and of which fewest."""
    able = [g for g in answer.groups if g.units >= FEW and not g.others]
    shares = [(g.reached[-1] / g.units, g.label) for g in able]
    if len(shares) < 2 or max(shares)[0] == min(shares)[0]:
        return ()
    (high, most), (low, fewest) = max(shares), min(shares)
    return spans(
        " Of {most} {high} get there, of {fewest} {low}.",
        most=most, high=percent(high, 3), fewest=fewest, low=percent(low, 3),
    ) + may_be_chance(answer.tested)  # fmt: skip


def _cautions(answer: StagesAnswer, table: Table) -> Iterator[str]:
    question = answer.question
    if answer.basis.missing:
        n = answer.basis.missing
        both = listed([question.unit, question.stage], "or")
        have, out = ("has", "is left out") if n == 1 else ("have", "are left out")
        yield f"{table.rows_in_words(n)} {have} no {both} and {out}."
    if n := answer.basis.groupless:
        have, out = ("has", "is left out") if n == 1 else ("have", "are left out")
        yield f"{table.rows_in_words(n)} {have} no {question.time} and {out}."
    if answer.skipped:
        n = answer.skipped
        lack = "lacks" if n == 1 else "lack"
        yield f"{n:,} of {answer.units:,} {lack} a row of a stage gone beyond: it counts as passed."
    back = [(s.label, s.back) for s in answer.stages if s.back]
    if back:
        shown = [f"{label} ({n:,})" for label, n in sorted(back, key=lambda one: -one[1])[:MOST_NAMED]]
        yield f"Some came to a stage before the one it follows here, and are in no time: {listed(shown)}."
    if answer.steady is not None and answer.steady < STEADY:
        share = percent(answer.steady, 2)
        yield f"The stages come in no steady order: of two that one has, {share} came as they stand here."
    if answer.fresh:
        stopped = answer.units - answer.stages[-1].reached
        yield (
            f"{answer.fresh:,} of the {stopped:,} that stopped came to their last stage so late that they "
            "may still go on: a quarter of the others took longer."
        )
    if answer.order == "many":
        yield "The stages stand by how many have them, since no time says what comes first."
