"""The kind: what drives a column."""

from __future__ import annotations

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.drivers import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.drivers.answer import DriversAnswer
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.drivers.target import check_target
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.behind import Behind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.stats.drivers import Fold
from night_trail.core.table import Column, Table


def gist(question: Drivers, table: Table) -> Gist:
    """Return what it is about: the column that is driven."""
    return Gist(question.of)


def from_gist(gist: Gist, table: Table) -> Drivers:
    """Return what drives a gist's column; else the first that can be driven."""
    measured = gist.measure.column if gist.measure is not None else None
    for name in (measured, gist.column):
        if name is None:
            continue
        try:
            check_target(Drivers(name), table)
        except BadQuestion:
            continue
        return Drivers(name)
    first = next(offers.drivable(table), None)
    if first is None:
        raise BadQuestion("No column can be driven", table.name, "Read one as a number or a category.")
    return Drivers(first.name)


def broken_down(question: Drivers, by: Column, table: Table) -> Drivers:
    """Return the same: what drives it within a group."""
    return question


KIND = QuestionKind(
    tag="drives",
    way="what drives it",
    question=Drivers,
    check=answer.check,
    answer=answer.drives,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={DriversAnswer: words.drivers_words},
    figures={DriversAnswer: figures.drivers_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
    modelled=True,
    behind=Behind(
        algorithm=2,
        piece=Fold,
        applies=lambda question: True,
        bare=answer.bare,
        check=answer.check_rows,
        count=answer.count,
        pieces=answer.pieces,
        whole=answer.drives,
        meanwhile=answer.meanwhile,
    ),
)
