"""The kind: an effect with others held fixed."""

from __future__ import annotations

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.held import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.held.answer import HeldAnswer
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.table import Column, Table


def gist(question: Held, table: Table) -> Gist:
    """Return what it is about: the target, and what it is held against."""
    groups = () if table.column(question.by).kind.measured else (question.by,)
    others = () if groups else (question.by,)
    return Gist(question.of, groups=groups, alone=False, others=others)


def from_gist(gist: Gist, table: Table) -> Held:
    """Return whether the first still goes with the second column it is about."""
    of = gist.measure.column if gist.measure is not None and gist.measure.column else gist.column
    named = [n for n in (*gist.others, *gist.groups) if n != of]
    for by in named:
        asked = Held(of, by)
        try:
            answer.check(asked, table)
        except BadQuestion:
            continue
        return asked
    if not named:
        raise BadQuestion("It takes two columns to hold others fixed", "way", "Compare or relate two first.")
    asked = Held(of, named[0])
    answer.check(asked, table)
    return asked


def broken_down(question: Held, by: Column, table: Table) -> Held:
    """Return how it goes with the values of another column."""
    asked = Held(question.of, by.name)
    answer.check(asked, table)
    return asked


KIND = QuestionKind(
    tag="held",
    way="with others held fixed",
    question=Held,
    check=answer.check,
    answer=answer.held,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={HeldAnswer: words.held_words},
    figures={HeldAnswer: figures.held_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
