"""What is said beside a flow."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from night_trail.core.language.numbers import counted, number, percent
from night_trail.core.language.spans import Fact, Span, Words, spans
from night_trail.core.questions.correlation.words import CHANCE
from night_trail.core.questions.flow.answer import FlowAnswer
from night_trail.core.questions.shared.lit_words import where_lit
from night_trail.core.questions.shared.measure_words import decimals_of, evened
from night_trail.core.table import Table

MOST_FACTS = 60
MOST_THIN = 0.2


def figure_said(answer: FlowAnswer) -> Callable[[float], str]:
    """Return how a figure of this flow is written."""
    decimals = decimals_of([float(v) for one in answer.between for v in one.figures.flat], [])
    return evened(answer.question.measure, answer.column, decimals)


def flow_words(answer: FlowAnswer, table: Table) -> Words:
    """Return the words of a flow."""
    if not answer.basis.used or answer.total <= 0:
        return Words(spans("No row that is kept has anything that flows."))
    said = figure_said(answer)
    facts = [Fact("total", "all together", answer.total, said(answer.total))]
    facts += _facts(answer, said)
    headline = _largest(answer, said)
    staying = answer.staying
    if staying is not None:
        share = staying / answer.total
        facts.append(Fact("staying", "share that stays", share, percent(share, 3)))
        same = f"{answer.stations[0].column.name} and {answer.stations[1].column.name}"
        if staying:
            headline += spans(" {share} has the same {both}.", share=percent(share, 3), both=Span(same))
        else:
            headline += spans(" Nothing has the same {both}.", both=Span(same))
    headline += _chance(answer)
    if answer.basis.lit is not None:
        first = answer.stations[0]
        # of what is gathered nothing leads
        named = len(first.labels) if first.ends is None else first.ends
        lit = () if first.lit is None else first.lit[:named]
        places = [(label, int(n)) for label, n in zip(first.labels, lit, strict=False)]
        headline += where_lit(answer.basis.lit, places, "groups", at="from")
    return Words(headline, tuple(facts), tuple(_cautions(answer, table)))


def _facts(answer: FlowAnswer, said: Callable[[float], str]) -> list[Fact]:
    found = []
    for at, between in enumerate(answer.between):
        first, second = answer.stations[at], answer.stations[at + 1]
        order = np.argsort(-between.figures, axis=None, kind="stable")[: MOST_FACTS // len(answer.between)]
        for i, j in zip(*np.unravel_index(order, between.figures.shape), strict=True):
            if between.n[i, j]:
                name = f"{first.labels[i]} to {second.labels[j]}"
                value = float(between.figures[i, j])
                found.append(Fact(f"flow:{at}:{name}", name, value, said(value)))
    return found


def _largest(answer: FlowAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say which flow between the first two stations is the largest, of groups that are named."""
    first, second, between = answer.stations[0], answer.stations[1], answer.between[0]
    known = np.ones(between.figures.shape, dtype=bool)
    for axis, station in ((0, first), (1, second)):
        if station.ends is not None:
            unnamed = slice(station.ends, None)
            known[(unnamed, slice(None)) if axis == 0 else (slice(None), unnamed)] = False
    sizes = np.where(known, between.figures, -np.inf)
    if not np.isfinite(sizes).any():
        return spans("{total} flows in all.", total=said(answer.total))
    i, j = (int(x) for x in np.unravel_index(int(np.argmax(sizes)), sizes.shape))
    value = float(sizes[i, j])
    same = int((sizes == value).sum()) - 1
    if same:
        return spans(
            "{n} flows are the largest, {value} each, {share} of {total}; {a} to {b} is one of them.",
            n=f"{same + 1:,}", value=said(value), share=percent(value / answer.total, 3),
            total=said(answer.total), a=first.labels[i], b=second.labels[j],
        )  # fmt: skip
    leaves = float(first.figures[i])
    headline = spans(
        "The largest flow is from {a} to {b}: {value}, {share} of {total}",
        a=first.labels[i], b=second.labels[j], value=said(value),
        share=percent(value / answer.total, 3), total=said(answer.total),
    )  # fmt: skip
    if leaves > value:
        return headline + spans(
            " and {share} of what leaves {a}.", share=percent(value / leaves, 3), a=first.labels[i]
        )
    return headline + spans("; all of {a} goes there.", a=first.labels[i])


def _chance(answer: FlowAnswer) -> tuple[Span, ...]:
    """Say whether where from tells where to; of many stations, between the first two."""
    between = answer.between[0]
    # of pairs with hardly any rows chi-square says little (Cochran 1954)
    if between.p is None or between.thin > MOST_THIN:
        return ()
    if between.p >= CHANCE:
        return spans(" Where it comes from tells no more of where it goes than chance gives.")
    if between.v is None:
        return ()
    return spans(
        " Where it comes from tells where it goes beyond chance (Cramér’s V {v}, by rows).",
        v=number(between.v, 2),
    )


def _cautions(answer: FlowAnswer, table: Table) -> Iterator[str]:
    if answer.basis.missing:
        rows = table.rows_in_words(answer.basis.missing)
        name = answer.column.name if answer.column is not None else "value"
        yield f"{rows} {'has' if answer.basis.missing == 1 else 'have'} no {name} and are left out."
    for station in answer.stations:
        if station.lacks:
            n = int(station.n[-1])
            have = "has" if n == 1 else "have"
            own = "it passes" if n == 1 else "they pass"
            yield f"{table.rows_in_words(n)} {have} no {station.column.name}: {own} as a group of their own."
        others = sum(group.others for group in station.grouping.groups)
        if others:
            are = "is" if others == 1 else "are"
            yield f"{counted(others, 'smaller group')} of {station.column.name} {are} gathered."
    if answer.column is not None and answer.times > 1:
        name = answer.column.name
        yield f"{name} is a stock, taken at {answer.times:,} times: its sum counts it at each of them."
