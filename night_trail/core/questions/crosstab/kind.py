"""The kind: which value of one category goes with which of another."""

from __future__ import annotations

from night_trail.core.questions.crosstab import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import best_group, can_compare
from night_trail.core.questions.spread.question import Spread
from night_trail.core.table import Column, Table


def gist(question: Crosstab, table: Table) -> Gist:
    """Return what it is about; neither category groups the other."""
    return Gist(question.column)


def from_gist(gist: Gist, table: Table) -> Crosstab:
    """Return two categories to begin with: what groups the present picture before its column."""
    if gist.others and not table.column(gist.others[0]).kind.measured:
        return Crosstab(gist.column, gist.others[0])
    if len(gist.groups) == 2:
        return Crosstab(gist.groups[0], gist.groups[1])
    column = table.column(gist.column)
    across = gist.groups[0] if gist.groups else None
    if across is not None and can_compare(table.column(across)):
        if can_compare(column) and not column.kind.measured:
            return Crosstab(column.name, across)
        return sentence.first_crosstab(table, across)
    return sentence.first_crosstab(table, best_group(table, column) if column.kind.measured else column.name)


def broken_down(question: Crosstab, by: Column, table: Table) -> Spread:
    """Return how the other category is spread."""
    return Spread(by.name, shape="bars")


KIND = QuestionKind(
    tag="goes",
    way="which goes with which",
    question=Crosstab,
    check=answer.check,
    answer=answer.goes,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={CrosstabAnswer: words.crosstab_words},
    figures={CrosstabAnswer: figures.crosstab_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
