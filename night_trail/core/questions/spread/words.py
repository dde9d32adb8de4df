"""What is said beside histograms, box plots and bars."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from night_trail.core.language.numbers import bare, counted, listed, number, percent, stretch, value
from night_trail.core.language.spans import Caution, Fact, Span, Words, spans
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.questions.shared.middles import gathered_caution, middles_in_words
from night_trail.core.questions.spread.angles import AnglesAnswer
from night_trail.core.questions.spread.answer import SpreadAnswer
from night_trail.core.questions.spread.bars import BarsAnswer
from night_trail.core.questions.spread.boxes import Box, BoxesAnswer
from night_trail.core.questions.spread.curve_words import curve_words, scale_cautions, strip_words
from night_trail.core.questions.spread.curves import CurvesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.spread.strip import StripAnswer
from night_trail.core.table import YEAR, Table

FEW = 30
FEW_BINS, LEAST_A_BIN = 5, 5
"""Groups smaller than this get a caution: their shape may be chance."""


def spread_words(answer: SpreadAnswer, table: Table) -> Words:
    """Return the words of a spread in any shape."""
    if answer.basis.used == 0:
        return _nothing(answer.basis, answer.column.name, table)
    match answer:
        case HistogramAnswer():
            return _histogram(answer, table)
        case BoxesAnswer():
            return _boxes(answer, table)
        case BarsAnswer():
            return _bars(answer, table)
        case CurvesAnswer():
            return curve_words(
                answer, _left_out(answer.basis, answer.column.name, answer.question.across, table), table
            )
        case StripAnswer():
            return strip_words(
                answer, _left_out(answer.basis, answer.column.name, answer.question.across, table), table
            )
        case AnglesAnswer():
            return _angles(answer, table)


def _angles(answer: AnglesAnswer, table: Table) -> Words:
    """Say whether the shape holds whichever width is chosen."""
    middle = answer.parts[len(answer.parts) // 2]
    first = _histogram(middle, table)
    found = middle.peaks
    if found:
        if len(set(found)) == 1:
            more = " The shape is the same at all three widths."
        else:
            said = listed([f"{counted(n, 'peak')}" for n in found])
            more = f" From narrow to wide bins it shows {said}: the shape depends on the width."
        return Words((*first.headline, Span(more)), first.facts, first.cautions)
    return first


def _nothing(basis: Basis, name: str, table: Table) -> Words:
    if basis.rows == 0 and basis.table_rows:
        text = f"No {table.row_noun[1]} are left: the filter keeps none. Lift a condition to go on."
    elif basis.rows == 0:
        text = f"The table has no {table.row_noun[1]}."
    else:
        kept = table.rows_in_words(basis.rows)
        where = f"the one {table.row_noun[0]}" if basis.rows == 1 else f"all of the {kept}"
        text = f"Nothing to show: {name} is missing in {where}."
    return Words((Span(text),))


def _histogram(answer: HistogramAnswer, table: Table) -> Words:
    column, overall = answer.column, answer.overall
    assert overall is not None  # noqa: S101  (there are used rows)
    kind, unit = column.kind, column.unit

    def said(at: float) -> str:
        return value(at, kind, unit)

    facts = [
        Fact("rows", "rows used", overall.n, table.rows_in_words(overall.n)),
        Fact("median", "middle", overall.median, said(overall.median)),
        Fact("q1", "lower quartile", overall.q1, said(overall.q1)),
        Fact("q3", "upper quartile", overall.q3, said(overall.q3)),
        Fact("low", "lowest", overall.low, said(overall.low)),
        Fact("high", "highest", overall.high, said(overall.high)),
    ]
    if overall.low == overall.high:
        headline = _one_value(said(overall.low), overall.n, table)
    elif kind.temporal:
        k = len(answer.edges) - 1
        totals = np.sum([g.counts for g in answer.groups], axis=0)[1:-1]
        top = int(np.argmax(totals))
        headline = spans(
            "{n} from {low} to {high}. The fullest bar is {bin} with {count}.",
            n=table.rows_in_words(overall.n),
            low=said(overall.low),
            high=said(overall.high),
            bin=stretch(answer.edges[top], answer.edges[min(top + 1, k)], kind),
            count=table.rows_in_words(int(totals[top])),
        )
    else:
        facts.append(Fact("mean", "average", overall.mean, said(overall.mean)))
        headline = spans(
            "Half of the {n} lie between {q1} and {q3}, the middle at {median}.",
            n=table.rows_in_words(overall.n),
            q1=bare(overall.q1, unit),
            q3=said(overall.q3),
            median=said(overall.median),
        )
        if len(answer.humps) > 1:
            places = listed([f"{h:.0f}" if unit == YEAR else number(h, 2) for h in answer.humps])
            word = {2: "two", 3: "three"}.get(len(answer.humps), str(len(answer.humps)))
            headline += spans(f" The spread has {word} humps, near {{places}}.", places=places)
            facts.append(Fact("humps", "humps", len(answer.humps), f"near {places}"))
        headline += _form(answer, said)
    if answer.grouping.column is not None:
        headline += _panels(answer, said)
    rest = sum(g.used for g, named in zip(answer.groups, answer.grouping.groups, strict=True) if named.others)
    lit_spans, lit_facts = _lit_sentence(answer, table)
    cautions = _left_out(answer.basis, column.name, answer.question.across, table)
    cautions += _histogram_cautions(answer, table)
    cautions += gathered_caution(answer.grouping, rest, table)
    return Words(headline + lit_spans, (*facts, *lit_facts), tuple(cautions))


def _form(answer: HistogramAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say what is striking about the form beside humps: limits, tails, ends."""
    found, overall = answer.form, answer.overall
    assert overall is not None  # noqa: S101  (there are used rows)
    text: tuple[Span, ...] = ()
    for limit in found.limits:
        end = "highest" if limit.high else "lowest"
        which, may = ("", "") if limit.at == 0 else (f", the {end} of all,", ": that may be a limit")
        # a sentence does not begin with a figure behind another's point
        text += spans(
            f" Exactly at {{at}}{which} lie {{share}}{may}.", at=said(limit.at), share=percent(limit.share)
        )
    if len(answer.humps) > 1:
        return text
    if found.even:
        return text + spans(" They lie evenly from end to end.")
    if found.tail:
        reach, furthest = ("up", overall.high) if found.tail > 0 else ("down", overall.low)
        text += spans(f" A long tail reaches {reach} to {{furthest}}.", furthest=said(furthest))
    if found.far is not None:
        text += spans(
            " Far out on both sides lie {far}; of a bell it would be 0.7 %.", far=percent(found.far)
        )
    for high in found.stops:
        verb, last = ("end", overall.high) if high else ("begin", overall.low)
        text += spans(f" They {verb} abruptly at {{last}}.", last=said(last))
    return text


def _panels(answer: HistogramAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    """Say which group's middle is highest and which lowest."""
    middles = [
        (group.middle, label.label)
        for group, label in zip(answer.groups, answer.grouping.groups, strict=True)
        if group.middle is not None and not label.others
    ]
    found = middles_in_words(middles, answer.grouping, said, "", answer.column.kind.temporal, answer.apart)
    return (Span(" "), *found) if found else ()


def _one_value(said: str, count: int, table: Table) -> tuple[Span, ...]:
    if count == 1:
        return spans("There is one {noun}, with {v}.", noun=Span(table.row_noun[0]), v=said)
    return spans("All {n} have one value: {v}.", n=table.rows_in_words(count), v=said)


def _lit_sentence(answer: HistogramAnswer, table: Table) -> tuple[tuple[Span, ...], tuple[Fact, ...]]:
    basis = answer.basis
    if basis.lit is None:
        return (), ()
    lit_words = Span(f"{basis.lit:,}", "lit")
    share = basis.lit / basis.used
    facts: tuple[Fact, ...] = (
        Fact("lit", "lit", basis.lit, f"{basis.lit:,} lit"),
        Fact("lit_share", "lit share", share, percent(share)),
    )
    inner, outer = answer.lit_middle, answer.rest_middle
    if inner is None or outer is None:
        return spans(" {lit} of them are lit.", lit=lit_words), facts
    lit_middle = value(inner, answer.column.kind, answer.column.unit)
    rest_middle = value(outer, answer.column.kind, answer.column.unit)
    facts = (*facts, Fact("lit_median", "middle of the lit", inner, lit_middle))
    return (
        spans(
            " The middle of the {lit} lit is {m}, against {r} for the rest.",
            lit=lit_words,
            m=Span(lit_middle, "lit"),
            r=rest_middle,
        ),
        facts,
    )


def _histogram_cautions(answer: HistogramAnswer, table: Table) -> list[str]:
    overall = answer.overall
    assert overall is not None  # noqa: S101  (there are used rows)
    ends = (float(answer.edges[0]), float(answer.edges[-1]))
    cautions = _tails(answer, (answer.below, answer.above), ends, (overall.low, overall.high), table)
    if not answer.even and answer.question.height != "density":
        plural = f"{answer.calendar}s" if answer.calendar else "bins"
        cautions.append(
            f"The bins are uneven ({plural} differ in length); “by density” makes their heights comparable."
        )
    cautions += _bin_cautions(answer, overall.n, table) or _angle_caution(answer)
    cautions += scale_cautions(answer.not_positive, table)
    if answer.question.side == "own":
        text = "Each panel has its own scale: heights do not compare from panel to panel."
        cautions.append(Caution(text, "one scale", turn="slot", slot="side", value="panels"))
    if answer.question.side in ("overlaid", "mirrored") and answer.question.height == "count":
        text = "Groups of different size are drawn by count."
        cautions.append(Caution(text, "by share", turn="slot", slot="height", value="share"))
    if overall.n < FEW:
        cautions.append(f"Only {table.rows_in_words(overall.n)}: the shape may be chance.")
    small = [g.label for g, h in zip(answer.grouping.groups, answer.groups, strict=True) if h.used < FEW]
    if answer.grouping.column is not None and small and overall.n >= FEW:
        cautions.append(f"Few {table.row_noun[1]} (under {FEW}) in {listed(small[:4])}.")
    return cautions


def _bin_cautions(answer: HistogramAnswer, n: int, table: Table) -> list[str]:
    """Say where bins are so few that they hide a shape, or so many that they show chance."""
    bins, asked = len(answer.edges) - 1, answer.question.bins
    chosen = any(x is not None for x in (asked.width, asked.count, asked.rule))
    if not chosen or answer.question.across:
        return []
    if bins < FEW_BINS and n >= 10 * FEW_BINS:
        text = f"Only {counted(bins, 'bin')}: a hump or gap may hide in it."
        return [Caution(text, "bins that fit", turn="slot", slot="bins", value={})]
    if n / max(bins, 1) < LEAST_A_BIN:
        text = f"{bins:,} bins for {table.rows_in_words(n)}: much of the shape is chance."
        return [Caution(text, "bins that fit", turn="slot", slot="bins", value={})]
    return []


def _angle_caution(answer: HistogramAnswer) -> list[str]:
    """Say where narrower or wider bins would show another number of peaks."""
    if len(set(answer.peaks)) < 2:
        return []
    narrow, here, wide = answer.peaks
    other, which = (narrow, "narrower") if narrow != here else (wide, "wider")
    text = f"The shape depends on the width: {which} bins show {counted(other, 'peak')}, these {here}."
    return [Caution(text, "three bin widths", turn="slot", slot="angles", value="yes")]


def _tails(
    answer: HistogramAnswer | BoxesAnswer,
    counts: tuple[int, int],
    ends: tuple[float, float],
    extremes: tuple[float, float],
    table: Table,
) -> list[str]:
    """Say how many rows are gathered beyond each end of the axis, and how far they reach."""
    column = answer.column
    place = "bar" if isinstance(answer, HistogramAnswer) else "mark"
    cautions = []
    for count, word, end, extreme, which in (
        (counts[1], "beyond", ends[1], extremes[1], "last"),
        (counts[0], "below", ends[0], extremes[0], "first"),
    ):
        if count:
            where = value(end, column.kind, column.unit)
            reach = value(extreme, column.kind, column.unit)
            far = "the furthest at" if count > 1 else "at"
            are = "is" if count == 1 else "are"
            rows = table.rows_in_words(count)
            cautions.append(f"{rows} {word} {where} ({far} {reach}) {are} gathered in the {which} {place}.")
    return cautions


def _boxes(answer: BoxesAnswer, table: Table) -> Words:
    column = answer.column

    def said(at: float) -> str:
        return value(at, column.kind, column.unit)

    facts = [Fact("rows", "rows used", answer.basis.used, table.rows_in_words(answer.basis.used))]
    for box in answer.boxes:
        label = f"middle {box.label}".strip()
        facts.append(Fact(f"median:{box.label}", label, box.figures.median, said(box.figures.median)))
    if len(answer.boxes) == 1:
        headline = _one_box(answer.boxes[0], answer, table)
    else:
        named = [b for b in answer.boxes if not answer.grouping.groups[b.position].others]
        middles = [(b.figures.median, b.label) for b in named]
        temporal = column.kind.temporal
        headline = middles_in_words(middles, answer.grouping, said, column.name, temporal, answer.apart)
    if answer.basis.lit is not None:
        headline += _lit_boxes(answer, said)
        facts.append(Fact("lit", "lit", answer.basis.lit, f"{answer.basis.lit:,} lit"))
    cautions = _left_out(answer.basis, column.name, answer.question.across, table)
    cautions += scale_cautions(answer.not_positive, table)
    gathered = (answer.gathered(-1), answer.gathered(1))
    cautions += _tails(answer, gathered, (answer.low, answer.high), (answer.lowest, answer.highest), table)
    if column.kind.numeric and (answer.low > 0 or answer.high < 0) and answer.high > answer.low:
        near = answer.low if answer.low > 0 else answer.high
        cautions.append(
            f"The axis of {column.name} does not start at zero: the nearest value is {said(near)}."
        )
    rest = sum(b.figures.n for b in answer.boxes if answer.grouping.groups[b.position].others)
    cautions += gathered_caution(answer.grouping, rest, table)
    small = [f"{b.label or 'the box'} ({b.figures.n:,})" for b in answer.boxes if b.figures.n < FEW]
    if small:
        cautions.append(f"Few {table.row_noun[1]} (under {FEW}) in {listed(small[:4])}.")
    return Words(headline, tuple(facts), tuple(cautions))


def _one_box(box: Box, answer: BoxesAnswer, table: Table) -> tuple[Span, ...]:
    kind, unit = answer.column.kind, answer.column.unit
    figures = box.figures
    if figures.n == 1:
        return _one_value(value(figures.median, kind, unit), 1, table)
    outlying = sum(point.count for point in box.outlying)
    headline = spans(
        "The middle is {median}; half of the {n} lie between {q1} and {q3}.",
        median=value(figures.median, kind, unit),
        n=table.rows_in_words(figures.n),
        q1=value(figures.q1, kind, "" if kind.numeric else unit),
        q3=value(figures.q3, kind, unit),
    )
    if outlying:
        share = percent(outlying / figures.n)
        headline += spans(" {out} ({share}) lie beyond the whiskers.", out=f"{outlying:,}", share=share)
    return headline


def _lit_boxes(answer: BoxesAnswer, said: Callable[[float], str]) -> tuple[Span, ...]:
    lit = Span(f"{answer.basis.lit:,}", "lit")
    with_lit = [b for b in answer.boxes if b.lit is not None]
    if not with_lit:
        return (Span(" None of the lit rows is among them."),)
    if len(answer.boxes) == 1 and (inner := with_lit[0].lit) is not None:
        if answer.basis.lit == 1:
            return spans(" The {lit} lit is at {m}.", lit=lit, m=Span(said(inner.median), "lit"))
        return spans(" The middle of the {lit} lit is {m}.", lit=lit, m=Span(said(inner.median), "lit"))
    ordered = sorted(with_lit, key=lambda b: -(b.lit.median if b.lit else 0.0))
    top, bottom = ordered[0], ordered[-1]
    assert top.lit is not None and bottom.lit is not None  # noqa: S101  (only boxes with lit rows)
    if top is bottom:
        return spans(
            " The {lit} lit is in {label}, at {m}."
            if answer.basis.lit == 1
            else " All {lit} lit are in {label}, their middle at {m}.",
            lit=lit,
            label=top.label,
            m=Span(said(top.lit.median), "lit"),
        )
    return spans(
        " Of the {lit} lit, it is highest for {top} at {high} and lowest for {bottom} at {low}.",
        lit=lit,
        top=top.label,
        high=Span(said(top.lit.median), "lit"),
        bottom=bottom.label,
        low=Span(said(bottom.lit.median), "lit"),
    )


def _bars(answer: BarsAnswer, table: Table) -> Words:
    named = [b for b in answer.bars if not b.group.others]
    top = max(named, key=lambda b: b.count)
    facts = [Fact("rows", "rows used", answer.basis.used, table.rows_in_words(answer.basis.used))]
    facts += [Fact(f"share:{b.group.key}", b.group.label, b.share, percent(b.share)) for b in named]
    of = table.rows_in_words(answer.basis.used)
    if len(answer.bars) == 1:
        headline = _one_value(top.group.label, answer.basis.used, table)
    elif top.count == 1:
        headline = spans("Every one of the {n} is different.", n=of)
    else:
        headline = spans(
            "{label} is the most frequent: {count} of {of} ({share}).",
            label=top.group.label,
            count=f"{top.count:,}",
            of=of,
            share=percent(top.share),
        )
        last = min(named, key=lambda b: b.count)
        if last is not top and not any(b.group.others for b in answer.bars):
            headline += spans(
                " The rarest is {label} with {count} ({share}).",
                label=last.group.label,
                count=f"{last.count:,}",
                share=percent(last.share),
            )
    if answer.basis.lit is not None:
        facts.append(Fact("lit", "lit", answer.basis.lit, f"{answer.basis.lit:,} lit"))
        headline += _lit_bars(answer)
    cautions = _left_out(answer.basis, answer.column.name, None, table)
    others = next((b for b in answer.bars if b.group.others), None)
    if others is not None:
        what = counted(others.group.others, "rarer value", "rarer values")
        cautions.append(f"{what} with {table.rows_in_words(others.count)} are gathered in the last bar.")
    if answer.basis.used < FEW:
        cautions.append(f"Only {table.rows_in_words(answer.basis.used)}: the shares may be chance.")
    return Words(headline, tuple(facts), tuple(cautions))


def _lit_bars(answer: BarsAnswer) -> tuple[Span, ...]:
    lit = answer.basis.lit or 0
    if not lit:
        return (Span(" None of the lit rows is among them."),)
    drawn = [b for b in answer.bars if not b.group.others]
    most = max(drawn, key=lambda b: (b.lit or 0) / max(b.count, 1))
    are = "is" if lit == 1 else "are"
    if len(answer.bars) == 1:
        return spans(f" {{lit}} {are} lit.", lit=Span(f"{lit:,}", "lit"))
    return spans(
        f" {{lit}} {are} lit; {{among}}{{label}} has the largest part lit: {{share}}.",
        lit=Span(f"{lit:,}", "lit"),
        among=Span("of the bars drawn, " if len(drawn) < len(answer.bars) else ""),
        label=most.group.label,
        share=Span(percent((most.lit or 0) / max(most.count, 1)), "lit"),
    )


def _left_out(basis: Basis, name: str, across: str | None, table: Table) -> list[str]:
    cautions = []
    for count, which in ((basis.missing, name), (basis.groupless, across)):
        if count:
            have, are = ("has", "is") if count == 1 else ("have", "are")
            cautions.append(f"{table.rows_in_words(count)} {have} no {which} and {are} left out.")
    return cautions
