"""What is said beside a cycle."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from night_trail.core.language.numbers import listed, number
from night_trail.core.language.spans import Fact, Span, Words, spans
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.over_time.words import gathered_line
from night_trail.core.questions.shared.chance_words import may_be_chance
from night_trail.core.questions.shared.lit_words import where_lit
from night_trail.core.questions.shared.measure_words import figure_of, set_zero
from night_trail.core.questions.shared.measures import ADDS_UP, SURE
from night_trail.core.table import Table

UNEVEN = 0.1
"""A difference in how often parts of a cycle came that is worth a word, as a share of the most."""


def cycle_words(answer: CycleAnswer, table: Table) -> Words:
    """Return the words of a measure through a cycle."""
    said = figure_of(answer.question.measure, answer.column)
    if answer.question.by_weekday:
        return _grid_words(answer, said, table)
    values = answer.together.values
    has = np.flatnonzero(~np.isnan(values))
    if not len(has):
        return Words(spans("Nothing to show: no row has both a time and a value."))
    top, low = int(has[np.argmax(values[has])]), int(has[np.argmin(values[has])])
    headline = spans(
        "It is highest {at} {top} at {high} and lowest {at} {low} at {least}",
        at=Span(_PREPOSITION[answer.question.part]),
        top=Span(answer.parts[top]),
        high=said(float(values[top])),
        low=Span(answer.parts[low]),
        least=said(float(values[low])),
    )
    headline += _times(answer, float(values[top]), float(values[low]))
    if answer.chance is not None and answer.chance >= SURE:
        may_be = "chance"
        if answer.risen:
            rise, one = "rise" if answer.risen > 0 else "fall", _ROUNDS[answer.part][:-1]
            may_be = f"no more than its {rise} from {one} to {one}"
        headline += spans(
            " The differences may be {may_be} (F over {n} whole {rounds}, p {p}).",
            may_be=Span(may_be),
            n=Span(f"{answer.whole:,}"),
            rounds=Span(_ROUNDS[answer.part]),
            p=Span(number(answer.chance, 2)),
        )
    headline += may_be_chance(answer.tested)
    others = [r for r in answer.rounds if not r.others and r.label]
    if len(others) > 1:
        # a year that has only begun has no peak yet
        full = [r for r in others if np.count_nonzero(~np.isnan(r.values)) > len(has) / 2]
        tops = [int(np.nanargmax(r.values)) for r in full]
        if len(set(tops)) == 1:
            all_of = "all {n}" if len(others) == len(answer.rounds) else "the {n} drawn by name"
            headline += spans(f" That peak is the same for {all_of}.", n=str(len(full)))
        elif tops:
            common = max(set(tops), key=tops.count)
            headline += spans(
                " {n} of {of} peak {at} {part}.",
                n=str(tops.count(common)),
                of=str(len(tops)),
                at=Span(_PREPOSITION[answer.question.part]),
                part=Span(answer.parts[common]),
            )
    headline += _lit(answer)
    facts = [
        Fact(f"part:{answer.parts[i]}", answer.parts[i], float(values[i]), said(float(values[i])))
        for i in has
    ]
    return Words(headline, tuple(facts), tuple(_cycle_cautions(answer, table)))


_PARTS = {"day": "hours", "week": "weekdays", "year": "months", "quarters": "quarters"}
_ROUNDS = {"day": "days", "week": "weeks", "year": "years", "quarters": "years"}
_PREPOSITION = {"day": "at", "week": "on", "year": "in", "quarters": "in"}


def _times(answer: CycleAnswer, high: float, low: float) -> tuple[Span, ...]:
    if not set_zero(answer.column) and low > 0 and high / low >= 1.5:
        return spans(": {n} times as much.", n=number(high / low, 2))
    return (Span("."),)


def _grid_words(answer: CycleAnswer, said: Callable[[float], str], table: Table) -> Words:
    cells = [
        (float(r.values[i]), r.label, answer.parts[i])
        for r in answer.rounds
        for i in range(len(answer.parts))
        if not math.isnan(r.values[i])
    ]
    if not cells:
        return Words(spans("Nothing to show: no row has both a time and a value."))
    top, low = max(cells), min(cells)
    headline = spans(
        "It is highest on {day} {at} {hour} at {high} and lowest on {other} {at} {time} at {least}",
        day=Span(f"{top[1]}s" if answer.part == "year" else top[1]),
        at=Span(_PREPOSITION[answer.part]),
        hour=Span(top[2]),
        high=said(top[0]),
        other=Span(f"{low[1]}s" if answer.part == "year" else low[1]),
        time=Span(low[2]),
        least=said(low[0]),
    )
    facts = [Fact(f"part:{d} {h}", f"{d}, {h}", v, said(v)) for v, d, h in cells]
    headline += _times(answer, top[0], low[0]) + _lit(answer)
    return Words(headline, tuple(facts), tuple(_cycle_cautions(answer, table)))


def _lit(answer: CycleAnswer) -> tuple[Span, ...]:
    """Say of which group the lit rows are where they are of one, else in which part of the cycle they lie."""
    if answer.basis.lit is None:
        return ()
    groups = [(r.label, int(np.sum(r.lit_n))) for r in answer.rounds if r.label and r.lit_n is not None]
    if [n for _, n in groups if n] == [answer.basis.lit]:
        return where_lit(answer.basis.lit, groups, "groups")
    n = np.sum([r.lit_n for r in answer.rounds if r.lit_n is not None], axis=0)
    parts = list(zip(answer.parts, n.tolist(), strict=True))
    return where_lit(answer.basis.lit, parts, _PARTS[answer.part], _PREPOSITION[answer.part])


def _uneven(answer: CycleAnswer) -> list[str]:
    """Say where some parts came more often than others, and figures add up."""
    times = answer.times
    if times is None or answer.question.measure.aggregate not in ADDS_UP or not len(times):
        return []
    most, least = int(times.max()), int(times.min())
    if most - least <= UNEVEN * most:
        return []
    often = [answer.parts[i] for i in np.flatnonzero(times == most)]
    shown = listed([*often[:3], f"{len(often) - 3} more"] if len(often) > 3 else often)
    came = "comes" if len(often) == 1 else "come"
    rest = f"{least}" if set(times.tolist()) == {most, least} else f"{least} to {most - 1}"
    return [
        f"{shown} {came} {most} times between the first row and the last, the others {rest}: "
        "sums differ by that."
    ]


def _cycle_cautions(answer: CycleAnswer, table: Table) -> list[str]:
    found = gathered_line([*answer.rounds, answer.undrawn], answer.undrawn is not None, table)
    found += _uneven(answer)
    if answer.begun:
        names = listed([line.label for line in answer.begun])
        has, are = ("has", "is") if len(answer.begun) == 1 else ("have", "are")
        found.append(f"{names} {has} figures of one part only and {are} not drawn.")
    few = [answer.parts[i] for i, n in enumerate(answer.together.n) if 0 < n < 10]
    if few:
        found.append(
            f"{listed(few[:3])} {'rests' if len(few) == 1 else 'rest'} on fewer than 10 {table.row_noun[1]}."
        )
    empty = [answer.parts[i] for i, n in enumerate(answer.together.n) if n == 0]
    if empty and len(empty) < len(answer.parts):
        shown = listed([*empty[:3], f"{len(empty) - 3} more"] if len(empty) > 3 else empty)
        found.append(f"No row lies in {shown}.")
    if answer.ungrouped:
        rows = table.rows_in_words(answer.ungrouped)
        if answer.question.years:
            found.append(f"Only the latest {len(answer.rounds)} years are drawn; {rows} are older.")
        else:
            have = "has" if answer.ungrouped == 1 else "have"
            found.append(f"{rows} {have} no {answer.question.split}, and no line.")
    if answer.basis.missing:
        what = answer.column.name if answer.column is not None else "value"
        found.append(f"{table.rows_in_words(answer.basis.missing)} have no {what} and are left out.")
    return found
