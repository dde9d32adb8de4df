"""What is said beside density curves, running shares and strips of points."""

from __future__ import annotations

from night_trail.core.language.numbers import bare, percent, value
from night_trail.core.language.spans import Caution, Fact, Span, Words, spans
from night_trail.core.questions.shared.middles import gathered_caution, middles_in_words
from night_trail.core.questions.spread.curves import CurvesAnswer
from night_trail.core.questions.spread.strip import StripAnswer
from night_trail.core.table import Table

FEW = 30


def scale_cautions(not_positive: int, table: Table) -> list[str]:
    """Say how many rows a log scale has no place for."""
    if not not_positive:
        return []
    have, are = ("has", "is") if not_positive == 1 else ("have", "are")
    rows = table.rows_in_words(not_positive)
    text = f"{rows} {have} no value above 0, so no place on a log scale, and {are} left out."
    return [Caution(text, "a plain scale", turn="slot", slot="scale", value="plain")]


def curve_words(answer: CurvesAnswer, left_out: list[str], table: Table) -> Words:
    """Return the words of density curves or running shares."""
    kind, unit, overall = answer.column.kind, answer.column.unit, answer.overall
    if overall is None:
        return Words(
            (Span("Nothing to show: no value is above 0."),),
            (),
            tuple(scale_cautions(answer.not_positive, table)),
        )

    def said(at: float) -> str:
        return value(at, kind, unit)

    facts = [
        Fact("rows", "rows used", overall.n, table.rows_in_words(overall.n)),
        Fact("median", "middle", overall.median, said(overall.median)),
        Fact("q1", "lower quartile", overall.q1, said(overall.q1)),
        Fact("q3", "upper quartile", overall.q3, said(overall.q3)),
    ]
    low = bare(overall.q1, unit) if kind.numeric else said(overall.q1)
    if answer.question.shape == "running":
        headline = spans(
            "Of the {n} a quarter lie at or below {q1}, half up to {median}, three quarters up to {q3}.",
            n=table.rows_in_words(overall.n),
            q1=said(overall.q1),
            median=said(overall.median),
            q3=said(overall.q3),
        )
    else:
        headline = spans(
            "Half of the {n} lie between {q1} and {q3}, the middle at {median}.",
            n=table.rows_in_words(overall.n),
            q1=low,
            q3=said(overall.q3),
            median=said(overall.median),
        )
    groups = answer.grouping
    middles = [(c.middle, c.label) for c in answer.curves if c.label and not groups.groups[c.position].others]
    if found := middles_in_words(middles, groups, said, "", kind.temporal, answer.apart):
        headline += (Span(" "), *found)
    if answer.basis.lit is not None:
        share = percent(answer.basis.lit / overall.n) if overall.n else "—"
        headline += spans(
            " {lit} of them are lit ({share}).",
            lit=Span(f"{answer.basis.lit:,}", "lit"),
            share=Span(share, "lit"),
        )
    cautions = [*left_out, *scale_cautions(answer.not_positive, table)]
    if answer.bandwidth is not None and kind.numeric:
        facts.append(Fact("bandwidth", "bandwidth", answer.bandwidth, said(answer.bandwidth)))
    if answer.beyond:
        cautions.append(f"{table.rows_in_words(answer.beyond)} lie beyond the ends of the axis.")
    cautions += gathered_caution(groups, None, table)
    if overall.n < FEW:
        cautions.append(f"Only {table.rows_in_words(overall.n)}: the shape may be chance.")
    return Words(headline, tuple(facts), tuple(cautions))


def strip_words(answer: StripAnswer, left_out: list[str], table: Table) -> Words:
    """Return the words of a strip of points."""
    kind, unit = answer.column.kind, answer.column.unit
    known = [
        (middle, group.label)
        for middle, group in zip(answer.middles, answer.grouping.groups, strict=True)
        if middle is not None and not group.others
    ]
    if not known:
        return Words(
            (Span("Nothing to show: no value is above 0."),),
            (),
            tuple(scale_cautions(answer.not_positive, table)),
        )
    facts = [Fact("rows", "rows used", answer.basis.used, table.rows_in_words(answer.basis.used))]
    if len(known) == 1:
        headline = spans(
            "The middle of the {n} lies at {middle}.",
            n=table.rows_in_words(answer.basis.used),
            middle=value(known[0][0], kind, unit),
        )
    else:
        headline = middles_in_words(
            known, answer.grouping, lambda at: value(at, kind, unit), "", kind.temporal, answer.apart
        )
    if answer.basis.lit is not None:
        headline += spans(" {lit} are lit.", lit=Span(f"{answer.basis.lit:,}", "lit"))
    cautions = [*left_out, *scale_cautions(answer.not_positive, table)]
    if len(answer.values) < answer.basis.used:
        rows = table.rows_in_words(answer.basis.used)
        text = f"{len(answer.values):,} of {rows} are drawn, a fixed random part."
        cautions.append(Caution(text, "box plots", turn="slot", slot="shape", value="boxes"))
    cautions += gathered_caution(answer.grouping, None, table)
    beyond = answer.axis.below + answer.axis.above
    if beyond:
        cautions.append(f"{table.rows_in_words(beyond)} beyond the ends of the axis stand at them.")
    return Words(headline, tuple(facts), tuple(cautions))
