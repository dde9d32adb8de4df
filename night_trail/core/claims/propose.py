"""The claim that a picture suggests: what its first sentence says, as something that can be checked."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from scipy import special

from night_trail.core.claims.check import check
from night_trail.core.claims.claim import (
    Ahead,
    Claim,
    Differs,
    Drives,
    Leads,
    Level,
    Moves,
    Repeats,
    Season,
    StandsOut,
)
from night_trail.core.claims.verdict import Verdict
from night_trail.core.claims.words import instead, rounded_outwards, rounded_to
from night_trail.core.conditions import AllOf, Between, Condition, Not, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.differ.answer import DifferAnswer
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.drivers.answer import DriversAnswer
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.periods import whole_years
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.questions.stands.question import Stands
from night_trail.core.questions.stands.words import spoken_of
from night_trail.core.rows import Rows
from night_trail.core.table import Kind, Table

MOST = 4
BY_CHANCE = 0.01
"""A pair of values that was picked out of all is proposed where its chance is smaller."""


def claims_of(question: Question, rows: Rows, answer: Any = None) -> list[tuple[Claim, Verdict]]:
    """Return claims that fit a picture, those that hold first; ``answer`` is its own where it is at hand.

    Of one that does not hold as it stands the nearest that does is taken.
    """
    found: dict[Claim, Verdict] = {}
    for claim in _candidates(question, rows, answer):
        try:
            verdict = check(claim, rows)
            other = instead(claim, verdict) if verdict.state == "fails" else None
            if other is not None:
                claim, verdict = other, check(other, rows)  # noqa: PLW2901
        except BadQuestion:
            continue
        if verdict.state != "fails":
            found.setdefault(claim, verdict)
    order = {"holds": 0, "open": 0, "weak": 1}
    return sorted(found.items(), key=lambda item: order[item[1].state])[:MOST]


def _candidates(question: Question, rows: Rows, answer: Any) -> Iterator[Claim]:  # noqa: C901  (one case a kind)
    table = rows.table
    match question:
        case Relate(column, against):
            yield from _moving(table, against, column)
        case Correlations():
            if isinstance(answer, CorrelationAnswer):
                yield from _strongest(answer)
        case Decomposition(measure, time) | Cycle(measure, time):
            yield from _repeating(question, measure, time)
        case Forecast(measure, time):
            yield from _ahead(measure, time, answer)
            yield Repeats(measure, time, "year")
        case OverTime(measure, time):
            yield from _first_and_last(measure, time, rows)
            yield Repeats(measure, time, "year")
        case Changed(measure, before, after):
            yield Differs(measure, after, before)
        case Drivers(of) if question.value is None:
            found = answer.drivers if isinstance(answer, DriversAnswer) else ()
            for driver in [d for d in found if d.found][:2]:
                yield Drives(of, driver.columns[0])
        case Differ(ones, others):
            yield from _differing(ones, others, answer)
        case Stands(of, within):
            findings = answer.findings if isinstance(answer, StandsAnswer) else ()
            for finding in findings[:MOST]:
                yield StandsOut(finding.sort, spoken_of(finding), of, within)
        case Crosstab():
            yield from _pairs(answer)
        case Held(of, by):
            yield from _one_by_other(table, of, by)
    yield from _of_groups(question, rows)


def _of_groups(question: Question, rows: Rows) -> Iterator[Claim]:
    """Yield what can be said of what is lit, and of the groups."""
    table = rows.table
    gist = kind_of(question).gist(question, table)
    measure = gist.measure or _middle_of(table, gist.column)
    if rows.lit_condition is not None and measure is not None and not isinstance(question, Differ):
        yield from _lit(rows.lit_condition, measure, gist.groups, rows)
    if (
        measure is not None
        and gist.groups
        and not isinstance(question, OverTime | Forecast | Changed | Drivers)
    ):
        across = gist.groups[0]
        if (leader := _leader(measure, across, rows)) is not None:
            yield Leads(measure, across, leader)
            # the one that was picked out of many leads by chance alone: it differs where it surely leads
            if check(Leads(measure, across, leader), rows).state == "holds":
                yield Differs(measure, OneOf(across, (leader,)))
        if (
            isinstance(question, Compare)
            and (last := _leader(measure, across, rows, lowest=True)) is not None
        ):
            yield Leads(measure, across, last, lowest=True)
    elif isinstance(question, Spread) and measure is not None and rows.lit_condition is None:
        yield Level(measure, _bound(measure, rows))


def _moving(table: Table, x: str, y: str) -> Iterator[Claim]:
    if table.column(x).kind.measured and table.column(y).kind.measured:
        yield Moves(x, y)


def _strongest(answer: CorrelationAnswer) -> Iterator[Claim]:
    strengths = np.triu(np.nan_to_num(np.abs(answer.r)), k=1)
    for at in np.argsort(-strengths, axis=None)[:2]:
        i, j = np.unravel_index(at, strengths.shape)
        if strengths[i, j] > 0:
            yield Moves(answer.columns[i].name, answer.columns[j].name)


def _pairs(answer: Any) -> Iterator[Claim]:
    """Yield which two values go together oftenest, and which least, where even the best of all pairs may."""
    if not isinstance(answer, CrosstabAnswer):
        return
    order = np.argsort(answer.residuals, axis=None)
    for at, rarer in ((order[-1], False), (order[0], True)):
        i, j = (int(k) for k in np.unravel_index(at, answer.residuals.shape))
        one, other = answer.rows.condition(i), answer.columns.condition(j)
        # it was picked out of all pairs, so its chance is that of the best of them (Bonferroni)
        chance = 2 * special.ndtr(-abs(float(answer.residuals[i, j]))) * answer.residuals.size
        if one is not None and other is not None and chance < BY_CHANCE:
            yield Differs(Measure("share", where=one), other, lower=rarer)


def _one_by_other(table: Table, of: str, by: str) -> Iterator[Claim]:
    if table.column(by).kind.measured and table.column(of).kind.measured:
        yield Moves(by, of)


def _repeating(question: Decomposition | Cycle, measure: Measure, time: str) -> Iterator[Claim]:
    part = getattr(question, "part", None)
    grain = getattr(question, "grain", None)
    every: Season = (
        "week" if part == "week" or grain == "day" else "day" if part == "day" or grain == "hour" else "year"
    )
    yield Repeats(measure, time, every)
    if every != "year":
        yield Repeats(measure, time, "year")


def _ahead(measure: Measure, time: str, answer: Any) -> Iterator[Claim]:
    """Yield that the year being forecast comes to within its band, and that its first period does."""
    if not isinstance(answer, ForecastAnswer):
        return
    if answer.rest_of_year is not None:
        year, _, _, low, high = answer.rest_of_year
        yield Ahead(measure, _year(time, year), rounded_to(low, 4, up=False), rounded_to(high, 4, up=True))


def _first_and_last(measure: Measure, time: str, rows: Rows) -> Iterator[Claim]:
    """Yield how the last whole year stands to the one before it, and to the first."""
    column = rows.table.column(time)
    if not column.kind.temporal:
        return
    years = whole_years(rows, time)
    if years is None or years[0] == years[1]:
        return
    begin, end = years
    for before in dict.fromkeys((end - 1, begin)):
        yield Differs(measure, _year(time, end), _year(time, before))


def _year(time: str, year: int) -> Condition:
    return Between(time, f"{year}-01-01", f"{year + 1}-01-01")


def _differing(ones: Condition, others: Condition | None, answer: Any) -> Iterator[Claim]:
    contrasts = answer.contrasts if isinstance(answer, DifferAnswer) else ()
    for column in [c.column for c in contrasts if c.found][:3]:
        if column.kind.numeric:
            yield Differs(Measure("mean", column.name), ones, others)
        elif column.kind == Kind.YES_NO:
            yield Differs(Measure("share", where=OneOf(column.name, ("yes",))), ones, others)


def _lit(lit: Condition, measure: Measure, groups: tuple[str, ...], rows: Rows) -> Iterator[Claim]:
    """Yield that what is lit differs from the rest; across groups, which of them differs most where lit."""
    yield Differs(measure, lit)
    if groups and lit is not None and makes_groups(rows.table.column(groups[0])):
        leader = _leader(measure, groups[0], rows.relit(None), of=lit)
        if leader is not None and groups[0] not in repr(lit):
            mine = OneOf(groups[0], (leader,))
            yield Differs(measure, AllOf((lit, mine)), AllOf((lit, Not(mine))))


def _middle_of(table: Table, name: str) -> Measure | None:
    column = table.column(name)
    if column.kind == Kind.YES_NO:
        return Measure("mean", name)
    return Measure("median", name) if column.kind.numeric and not column.code else None


def _leader(
    measure: Measure, across: str, rows: Rows, lowest: bool = False, of: Condition | None = None
) -> str | None:
    """Return the group that has the highest (lowest) figure; None where it groups nothing."""
    column = rows.table.column(across)
    if not (column.kind.grouping or makes_groups(column)):
        return None
    labels = rows.table.coded(across).labels
    if not len(labels):
        return None
    of_these = rows if of is None else Rows(rows.table, (*rows.only, of))
    verdict = check(Leads(measure, across, str(labels[0]), lowest), of_these)
    sign = -1 if lowest else 1
    if not np.isfinite(verdict.figure):
        return verdict.other or next(
            (_first(of_these, measure, across, label, lowest) for label in labels[1:2]), None
        )
    ahead = verdict.other and sign * verdict.than > sign * verdict.figure
    return verdict.other if ahead else str(labels[0])


def _first(rows: Rows, measure: Measure, across: str, label: str, lowest: bool) -> str | None:
    verdict = check(Leads(measure, across, label, lowest), rows)
    return verdict.other or (label if np.isfinite(verdict.figure) else None)


def _bound(measure: Measure, rows: Rows) -> float:
    verdict = check(Level(measure, 0.0), rows)
    at = verdict.low if np.isfinite(verdict.low) else verdict.figure
    return rounded_outwards(at, up=False) if np.isfinite(at) else 0.0
