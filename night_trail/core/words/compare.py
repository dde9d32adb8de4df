"""What is said beside a comparison."""

from __future__ import annotations

import math
from collections.abc import Callable

from night_trail.core.answers.compare import CompareAnswer, Group
from night_trail.core.answers.measures import is_share
from night_trail.core.question import Compare
from night_trail.core.table import Table
from night_trail.core.words.numbers import counted, listed, number, percent, value
from night_trail.core.words.value import Fact, Span, Words, spans

FEW_ROWS = 10
MANY_GROUPS = 20
SURE = 0.05


def figure_words(answer: CompareAnswer) -> Callable[[float], str]:
    """Return how a figure of this comparison is written: with its unit, as a share, as a count."""
    measure, column = answer.question.measure, answer.column
    if is_share(measure, column):
        return lambda at: percent(at, 3)
    if column is None or measure.aggregate in ("count", "distinct", "ratio"):
        return number
    return lambda at: value(at, column.kind, column.unit)


def compare_words(answer: CompareAnswer, table: Table) -> Words:
    """Return the words of a comparison."""
    said = figure_words(answer)
    named = [g for g in answer.groups if not g.others]
    if not named:
        return Words(spans("Nothing to compare: no row has both a group and a value."))
    facts = [Fact("overall", "all together", answer.overall, said(answer.overall))]
    facts += [Fact(f"group:{g.label}", g.label, g.value, said(g.value)) for g in named]
    if answer.effect is not None:
        facts.append(Fact("eta", "η²", answer.effect, number(answer.effect, 2)))
    headline = _headline(answer, named, said, table)
    headline += _difference(answer)
    if (at := answer.gap_after()) is not None:
        above, below = answer.groups[at], answer.groups[at + 1]
        headline += spans(
            " A wide gap lies between {above} and {below}.", above=above.label, below=below.label
        )
    if answer.basis.lit is not None:
        headline += _lit(answer, said)
    return Words(headline, tuple(facts), tuple(_cautions(answer, named, table)))


def _headline(
    answer: CompareAnswer, named: list[Group], said: Callable[[float], str], table: Table
) -> tuple[Span, ...]:
    top, bottom = max(named, key=lambda g: g.value), min(named, key=lambda g: g.value)
    if len(named) == 1:
        return spans("There is one group, {only}: {value}.", only=top.label, value=said(top.value))
    if top.value == bottom.value:
        return spans("All {n} groups are alike: {value}.", n=str(len(named)), value=said(top.value))
    aggregate = answer.question.measure.aggregate
    if aggregate in ("sum", "count") and all(g.value >= 0 for g in answer.groups):
        text = "{top} has the most: {value}, {share} of all {overall}"
        share = percent(top.value / answer.overall) if answer.overall else "—"
        headline = spans(
            text, top=top.label, value=said(top.value), share=share, overall=Span(said(answer.overall))
        )
        headline += spans("; {bottom} the least: {least}.", bottom=bottom.label, least=said(bottom.value))
        if aggregate == "sum":
            headline += _why_it_leads(answer, top, named, table)
        return headline
    return spans(
        "It is highest for {top} at {high} and lowest for {bottom} at {low}; all together {overall}.",
        top=top.label,
        high=said(top.value),
        bottom=bottom.label,
        low=said(bottom.value),
        overall=said(answer.overall),
    )


def _why_it_leads(answer: CompareAnswer, top: Group, named: list[Group], table: Table) -> tuple[Span, ...]:
    """Say whether a sum leads by its rows or by each of them: sum = count × mean."""
    usual_n = sum(g.n for g in named) / len(named)
    usual_mean = sum(g.value for g in named) / sum(g.n for g in named)
    if top.value <= 0 or usual_mean <= 0:
        return ()
    rows, each = top.n / usual_n, top.value / top.n / usual_mean
    total = math.log(rows * each)
    if total <= 0.02:
        return ()
    by_rows = math.log(rows) / total
    noun = table.row_noun
    more, larger = number(rows, 2), number(each, 2)
    if by_rows > 0.7:
        return spans(
            " It leads by its number of {noun}, {more} times the usual; each is {larger} times.",
            noun=Span(noun[1]),
            more=more,
            larger=larger,
        )
    if by_rows < 0.3:
        return spans(
            " It leads by what each {noun} brings, {larger} times the usual, not by their number.",
            noun=Span(noun[0]),
            larger=larger,
        )
    return spans(
        " It leads by both: {more} times the usual number of {noun}, each {larger} times the usual.",
        noun=Span(noun[1]),
        more=more,
        larger=larger,
    )


def _difference(answer: CompareAnswer) -> tuple[Span, ...]:
    if answer.p is None:
        return ()
    p = "p under 0.001" if answer.p < 0.001 else f"p {number(answer.p, 2)}"
    effect = f"; η² {number(answer.effect, 2)}" if answer.effect is not None else ""
    if answer.p >= SURE:
        return spans(f" The differences may be chance ({answer.test}, {p}{effect}).")
    apart = [g.label for g in answer.groups if g.apart and not g.others]
    found = spans(f" The groups differ ({answer.test}, {p}{effect})")
    if apart and len(apart) < len([g for g in answer.groups if not g.others]):
        few = listed(apart[:4]) if len(apart) <= 4 else f"{len(apart)} of them"
        verb = "stands" if len(apart) == 1 else "stand"
        return (*found, Span(f"; {few} {verb} apart from the rest."))
    return (*found, Span("."))


def _lit(answer: CompareAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    with_lit = [g for g in answer.groups if g.lit_value is not None and not g.others]
    if not with_lit:
        return (Span(" None of the lit rows is among them."),)
    lit = Span(f"{answer.basis.lit or 0:,}", "lit")
    top = max(with_lit, key=lambda g: g.lit_value or 0.0)
    return spans(
        " Of the {lit} lit, it is highest for {top}: {value}.",
        lit=lit,
        top=top.label,
        value=Span(said(top.lit_value or 0.0), "lit"),
    )


def _cautions(answer: CompareAnswer, named: list[Group], table: Table) -> list[str]:
    question, column = answer.question, answer.column
    measure = question.measure
    found: list[str] = []
    if measure.aggregate == "sum" and column is not None and not column.additive:
        found.append(f"The sum of {column.name} means little, since it does not add up: take its average.")
    if column is not None and column.unit == "%" and measure.aggregate == "mean":
        found.append(
            f"This is an average of per cents, each counting the same however much it stands for: "
            f"a ratio of two sums weighs them. ({column.name})"
        )
    few = [g.label for g in named if g.n < FEW_ROWS]
    if few:
        names = listed(few[:3]) if len(few) <= 3 else f"{len(few)} groups"
        rows = table.row_noun[1]
        found.append(f"{names} {'has' if len(few) == 1 else 'have'} fewer than {FEW_ROWS} {rows}.")
    if overlap := _overlapping(named):
        found.append(overlap)
    for carried in answer.carried[:2]:
        label = next(g.label for g in answer.groups if g.position == carried.position)
        rows = counted(carried.rows, "row")
        verb = "makes" if carried.rows == 1 else "make"
        found.append(f"{rows} {verb} up {percent(carried.share)} of the sum of {label}.")
    if len(named) > MANY_GROUPS and answer.p is not None:
        found.append(f"Among {len(named)} groups some stand out by chance.")
    if question.shape == "bars" and measure.aggregate in ("mean", "median", "quantile"):
        found.append("The bars begin at 0; dots show the differences and their intervals.")
    found += _left_out(answer, table)
    others = next((g for g in answer.groups if g.others), None)
    if others is not None:
        found.append(f"{counted(others.others, 'smaller group')} are gathered in the last.")
    return found


def _overlapping(named: list[Group]) -> str | None:
    order = sorted(named, key=lambda g: -g.value)
    if len(order) < 2:
        return None
    first, second = order[:2]
    if first.low is None or second.high is None or second.high < first.low:
        return None
    return f"The intervals of {first.label} and {second.label} overlap: which is higher is not sure."


def _left_out(answer: CompareAnswer, table: Table) -> list[str]:
    found = []
    measure: Compare = answer.question
    for count, which in ((answer.basis.missing, answer.column), (answer.basis.groupless, None)):
        if count:
            name = which.name if which is not None else measure.across
            have, are = ("has", "is") if count == 1 else ("have", "are")
            found.append(f"{table.rows_in_words(count)} {have} no {name} and {are} left out.")
    return found
