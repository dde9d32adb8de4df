"""The kind: what stands out."""

from __future__ import annotations

from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.stands import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.questions.stands.question import Stands
from night_trail.core.table import Column, Kind, Table


def gist(question: Stands, table: Table) -> Gist:
    """Return what it is about: the column, of the whole table its first that is no name."""
    able = [c for c in table.columns if c.kind not in (Kind.TEXT, Kind.IDENTIFIER)] or list(table.columns)
    groups = (question.within,) if question.within else ()
    return Gist(question.of or able[0].name, groups=groups, named=question.of is not None)


def from_gist(gist: Gist, table: Table) -> Stands:
    """Return what stands out in the column it is about."""
    if not gist.named:
        return Stands()
    column = table.column(gist.measure.column if gist.measure and gist.measure.column else gist.column)
    return Stands(None if column.kind == Kind.TEXT else column.name)


def broken_down(question: Stands, by: Column, table: Table) -> Stands:
    """Return what stands out within each group."""
    asked = Stands(question.of if question.of != by.name else None, by.name)
    answer.check(asked, table)
    return asked


KIND = QuestionKind(
    tag="stands",
    way="what stands out",
    question=Stands,
    check=answer.check,
    answer=answer.stands_out,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={StandsAnswer: words.stands_words},
    figures={StandsAnswer: figures.stands_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
    group_slots=("within",),
    ungrouped=("within", ""),
)
