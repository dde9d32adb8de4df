"""What is said beside a relation."""

from __future__ import annotations

from night_trail.core.language.numbers import counted, number, unit_suffix, value
from night_trail.core.language.spans import Caution, Fact, Span, Words, spans
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.relate.layers import Panel
from night_trail.core.questions.shared.measures import SURE
from night_trail.core.questions.shared.middles import BEYOND, BY_CHANCE
from night_trail.core.stats.relation import alike
from night_trail.core.table import Column, Table

WEAK, CLEAR, STRONG = 0.1, 0.3, 0.7
READABLE = 0.1
FEW = 30


def relate_words(answer: RelateAnswer, table: Table) -> Words:
    """Return the words of a relation."""
    if answer.basis.used == 0:
        names = f"{answer.column.name} and {answer.against.name}"
        return Words((Span(f"Nothing to show: no row that is kept has both {names}."),))
    found = answer.correlation
    if found is None:
        rows = table.rows_in_words(answer.basis.used)
        return Words((Span(f"The {rows} vary too little to say how the two move."),))
    facts = [
        Fact("rows", "rows used", found.n, table.rows_in_words(found.n)),
        Fact("pearson", "correlation (Pearson)", found.pearson, number(found.pearson, 3)),
        Fact("spearman", "rank correlation (Spearman)", found.spearman, number(found.spearman, 3)),
        Fact("xi", "dependence (Chatterjee's ξ)", found.xi, number(found.xi, 3)),
    ]
    if answer.line is not None:
        facts.append(Fact("slope", "slope", answer.line.slope, number(answer.line.slope)))
    headline = _headline(answer)
    if len(answer.panels) > 1:
        headline += _panels(answer)
    if answer.basis.lit is not None:
        headline += spans(" {lit} of the rows are lit.", lit=Span(f"{answer.basis.lit:,}", "lit"))
    return Words(headline, tuple(facts), tuple(_cautions(answer, table)))


def _headline(answer: RelateAnswer) -> tuple[Span, ...]:
    found = answer.correlation
    assert found is not None  # noqa: S101  (asked only where there is one)
    y, x = answer.column.name, answer.against.name
    r, interval = number(found.pearson, 2), f"{number(found.low, 2)} to {number(found.high, 2)}"
    figures: dict[str, str | Span] = {"r": r, "interval": Span(interval), "y": Span(y), "x": Span(x)}
    if found.low <= 0 <= found.high or abs(found.pearson) < WEAK:
        if found.xi > CLEAR:
            text = "{y} depends on {x}, but not by rising or falling with it (ξ {xi}; correlation {r})."
            return spans(text, xi=number(found.xi, 2), r=r, y=Span(y), x=Span(x))
        return spans("{y} hardly moves with {x}: correlation {r} ({interval}).", **figures)
    size = abs(found.pearson)
    how = "strongly" if size > STRONG else "clearly" if size > CLEAR else "weakly"
    way = "rises" if found.pearson > 0 else "falls"
    text = f"{{y}} {way} {how} with {{x}}: correlation {{r}} ({{interval}})."
    headline = spans(text, **figures)
    if answer.x.log and answer.y.log and answer.line is not None:
        headline += _power(answer.line.slope, y, x)
    elif answer.x.log or answer.y.log:
        pass  # a slope between a value and a logarithm has no plain words
    elif (
        answer.line is not None
        and len(answer.panels) == 1
        and not answer.against.kind.temporal
        and not answer.column.kind.temporal
    ):
        headline += _slope(answer)
    if found.xi > 2 * size and found.xi > CLEAR:
        headline += spans(
            " It does so in no straight line (ξ {xi}): look at a curve.", xi=number(found.xi, 2)
        )
    return headline


def _power(slope: float, y: str, x: str) -> tuple[Span, ...]:
    """Say what a slope between two logarithms means: a doubling of the one goes with so much of the other."""
    return spans(
        " Where {x} is twice as large, {y} is {times} times as large.",
        x=Span(x),
        y=Span(y),
        times=number(2.0**slope, 3),
    )


def _panels(answer: RelateAnswer) -> tuple[Span, ...]:
    """Name the panels where the relation is strongest and weakest."""
    known = [p for p in answer.panels if p.correlation is not None]
    if len(known) < 2:
        return ()

    def strength(panel: Panel) -> float:
        return 0.0 if panel.correlation is None else panel.correlation.pearson

    top, bottom = max(known, key=strength), min(known, key=strength)
    chance = alike([p.correlation for p in known if p.correlation is not None])
    return (
        *spans(
            " It is highest for {top} at {high} and lowest for {bottom} at {low}.",
            top=top.label,
            high=number(strength(top), 2),
            bottom=bottom.label,
            low=number(strength(bottom), 2),
        ),
        Span(BEYOND if chance is not None and chance < SURE else BY_CHANCE),
    )


def _slope(answer: RelateAnswer) -> tuple[Span, ...]:
    line = answer.line
    assert line is not None  # noqa: S101  (asked only where there is one)
    more = "more" if line.slope > 0 else "less"
    step, low, high = 1, float(answer.x.edges[0]), float(answer.x.edges[-1])
    # a step in which the change can be read, and that is taken inside what is drawn
    while 0 < abs(line.slope) * step < READABLE and 10 * step <= high - low:
        step *= 10
    change = number(abs(line.slope) * step, 3) + unit_suffix(answer.column.unit)
    before = f" For each {_steps_of(answer.against, step)} of {answer.against.name}, "
    return (Span(before), Span(change, "figure"), Span(f" {more}."))


def _steps_of(column: Column, step: int) -> str:
    many = f"{step:,}" if step > 1 else "" if column.unit else "one"
    return " ".join(filter(None, ("further", many, column.unit)))


def _scales(answer: RelateAnswer, table: Table) -> list[str]:
    """Say what the scales and the part zoomed into leave out, and what was moved."""
    found: list[str] = []
    if answer.not_positive:
        what = table.rows_in_words(answer.not_positive)
        if answer.question.each:
            what = counted(answer.not_positive, "group")
        verb, have = ("is", "has") if answer.not_positive == 1 else ("are", "have")
        text = f"{what} {have} no value above 0, so no place on a log scale, and {verb} left out."
        found.append(Caution(text, "plain scales", turn="slot", slot="scale", value="plain"))
    if answer.outside:
        what = table.rows_in_words(answer.outside)
        if answer.question.each:
            what = counted(answer.outside, "group")
        verb = "lies" if answer.outside == 1 else "lie"
        text = f"{what} {verb} outside the part zoomed into; the words speak of that part."
        found.append(Caution(text, "zoom out", turn="zoom"))
    if any(answer.jitter):
        found.append("Points that would cover each other are moved a little apart.")
    if answer.question.sized and any(p.points.size is not None and p.cells for p in answer.panels):
        found.append("Shades have no size: keep fewer rows to see the sizes.")
    return found


def _cautions(answer: RelateAnswer, table: Table) -> list[str]:  # noqa: C901  (one case a caution, in the order they are said)
    found: list[str] = []
    if answer.turning is not None:
        turn = answer.turning
        how = "turns around" if turn.within * turn.overall < 0 else "loses more than half"
        text = f"Within each {turn.column} the relation {how}."
        found.append(
            Caution(text, "look at it group by group", turn="slot", slot="panels", value=turn.column)
        )
    for axis, column in ((answer.x, answer.against), (answer.y, answer.column)):
        for count, side, end in ((axis.below, "below", axis.ends[0]), (axis.above, "beyond", axis.ends[1])):
            if count:
                rows = table.rows_in_words(count)
                verb = "stands" if count == 1 else "stand"
                found.append(f"{rows} {side} {value(end, column.kind, column.unit)} {verb} at the edge.")
    n = sum(len(p.points.x) for p in answer.panels) if answer.question.each else answer.basis.used
    if n < FEW:
        what = f"{n} groups" if answer.question.each else table.rows_in_words(n)
        found.append(f"Only {what}: the relation may be chance.")
    if answer.question.each:
        text = "Groups of rows may move together where single rows do not."
        found.append(Caution(text, "a point a row", turn="slot", slot="each", value=None))
    found += _scales(answer, table)
    if any(panel.cells for panel in answer.panels):
        drawn = sum(len(panel.points.x) for panel in answer.panels)
        found.append(
            f"Too many rows to draw each: shades count them, and {drawn:,} that lie apart are points."
        )
        if answer.question.coloured:
            found.append("Shades have no colour: keep fewer rows to see the groups apart.")
    others = next((g for g in answer.grouping.groups if g.others), None)
    if others is not None:
        found.append(f"{others.others:,} other groups share one colour.")
    if answer.basis.missing:
        have, are = ("has", "is") if answer.basis.missing == 1 else ("have", "are")
        names = f"{answer.column.name} or no {answer.against.name}"
        found.append(f"{table.rows_in_words(answer.basis.missing)} {have} no {names} and {are} left out.")
    return found
