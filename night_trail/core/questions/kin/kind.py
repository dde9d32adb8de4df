"""The kind: who belongs to whom."""

from __future__ import annotations

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.kin import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.kin.answer import SUMMABLE, KinAnswer
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.spread.question import Spread
from night_trail.core.table import Column, Table

MOST_LABELS, MOST_TRIED = 200_000, 14
KNOWN = 0.8
"""So large a share of the names above are names of units, where a column tells who is above."""


def gist(question: Kin, table: Table) -> Gist:
    """Return what it is about."""
    return Gist(question.column, question.measure, (question.unit, question.above))


def from_gist(gist: Gist, table: Table) -> Kin:
    """Return a tree from the two columns that were named, or the first of which one names the other's."""
    named = [
        n for n in dict.fromkeys((*gist.groups, *gist.others, gist.column)) if offers.names(table.column(n))
    ]
    pair = next(((a, b) for a in named for b in named if a != b and _above(table, a, b)), None)
    found = pair or _pair(table)
    measure = gist.measure
    if measure is None or measure.aggregate not in SUMMABLE:
        column = table.column(gist.column)
        measured = gist.named and column.kind.numeric and not column.code and gist.column not in found
        measure = first_measure(column) if measured else Measure("count")
    return Kin(found[0], found[1], measure)


def _pair(table: Table) -> tuple[str, str]:
    able = [c for c in table.columns if (offers.names(c) and not c.kind.numeric) or c.code]
    able = [c for c in able if c.distinct <= MOST_LABELS][:MOST_TRIED]
    for unit in sorted(able, key=lambda c: -c.distinct):
        for above in able:
            if above.name != unit.name and _above(table, unit.name, above.name):
                return unit.name, above.name
    raise BadQuestion(
        "No column names who is above those of another",
        table.name,
        "A tree needs a unit and who it belongs to.",
    )


def _above(table: Table, unit: str, above: str) -> bool:
    """Whether the values of one column are names of another's, of which there are more."""
    own, over = table.column(unit), table.column(above)
    if not 1 < over.distinct < own.distinct or own.distinct > MOST_LABELS:
        return False
    names, wanted = set(table.coded(unit).labels), table.coded(above).labels
    return sum(label in names for label in wanted) >= KNOWN * len(wanted)


def broken_down(question: Kin, by: Column, table: Table) -> Spread:
    """Return how the other category is spread: a tree has one way down."""
    return Spread(by.name, shape="bars" if not by.kind.measured else "histogram")


KIND = QuestionKind(
    tag="kin",
    way="who belongs to whom",
    question=Kin,
    check=answer.check,
    answer=answer.kin,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={KinAnswer: words.kin_words},
    figures={KinAnswer: figures.kin_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
