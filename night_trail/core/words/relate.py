"""What is said beside a relation."""

from __future__ import annotations

from night_trail.core.answers.relate import RelateAnswer
from night_trail.core.table import Column, Table
from night_trail.core.words.numbers import number, unit_suffix, value
from night_trail.core.words.value import Fact, Span, Words, spans

WEAK, CLEAR, STRONG = 0.1, 0.3, 0.7
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
    if answer.line is not None and not answer.against.kind.temporal and not answer.column.kind.temporal:
        headline += _slope(answer)
    if found.xi > 2 * size and found.xi > CLEAR:
        headline += spans(
            " It does so in no straight line (ξ {xi}): look at a curve.", xi=number(found.xi, 2)
        )
    return headline


def _slope(answer: RelateAnswer) -> tuple[Span, ...]:
    line = answer.line
    assert line is not None  # noqa: S101  (asked only where there is one)
    one = _unit_of(answer.against)
    more = "more" if line.slope > 0 else "less"
    change = number(abs(line.slope), 3) + unit_suffix(answer.column.unit)
    before = f" For each {one} of {answer.against.name}, "
    return (Span(before), Span(change, "figure"), Span(f" {more}."))


def _unit_of(column: Column) -> str:
    return f"further {column.unit}" if column.unit else "further one"


def _cautions(answer: RelateAnswer, table: Table) -> list[str]:
    found: list[str] = []
    if answer.turning is not None:
        turn = answer.turning
        how = "turns around" if turn.within * turn.overall < 0 else "loses more than half"
        found.append(f"Within each {turn.column} the relation {how}: look at it group by group.")
    for axis, column in ((answer.x, answer.against), (answer.y, answer.column)):
        for count, side, end in ((axis.below, "below", axis.ends[0]), (axis.above, "beyond", axis.ends[1])):
            if count:
                rows = table.rows_in_words(count)
                verb = "stands" if count == 1 else "stand"
                found.append(f"{rows} {side} {value(end, column.kind, column.unit)} {verb} at the edge.")
    if answer.basis.used < FEW:
        found.append(f"Only {table.rows_in_words(answer.basis.used)}: the relation may be chance.")
    if answer.cells:
        drawn = len(answer.points.x)
        found.append(
            f"Too many rows to draw each: shades count them, and {drawn:,} that lie apart are points."
        )
        if answer.question.coloured:
            found.append("Shades have no colour: keep fewer rows to see the groups apart.")
    others = next((g for g in answer.grouping.groups if g.others), None)
    if others is not None:
        found.append(f"{others.others:,} smaller groups share one colour.")
    if answer.basis.missing:
        have, are = ("has", "is") if answer.basis.missing == 1 else ("have", "are")
        names = f"{answer.column.name} or no {answer.against.name}"
        found.append(f"{table.rows_in_words(answer.basis.missing)} {have} no {names} and {are} left out.")
    return found
