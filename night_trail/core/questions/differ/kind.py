"""The kind: how some rows differ from others."""

from __future__ import annotations

from night_trail.core.conditions import OneOf
from night_trail.core.questions.differ import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.differ.answer import DifferAnswer
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import best_group, makes_groups
from night_trail.core.questions.shared.largest import largest
from night_trail.core.table import Column, Table


def gist(question: Differ, table: Table) -> Gist:
    """Return what it is about: the rows, by the column that says which they are."""
    return Gist(question.column, alone=False, rows=question.ones)


def from_gist(gist: Gist, table: Table) -> Differ:
    """Return the rows spoken of against the rest; else the largest group of what groups the picture."""
    if gist.rows is not None:
        return Differ(gist.rows, gist.against)
    names = [*gist.groups, gist.column]
    able = next((n for n in names if makes_groups(table.column(n)) and table.column(n).distinct > 1), None)
    name = able or best_group(table, table.column(gist.column))
    return Differ(OneOf(name, (largest(table, name)[0],)))


def broken_down(question: Differ, by: Column, table: Table) -> Differ:
    """Return how the largest of those groups differs."""
    return Differ(OneOf(by.name, (largest(table, by.name)[0],)))


KIND = QuestionKind(
    tag="differ",
    way="how rows differ from others",
    question=Differ,
    check=answer.check,
    answer=answer.differ,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={DifferAnswer: words.differ_words},
    figures={DifferAnswer: figures.differ_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
    takes_rows=True,
)
