"""The kind: how many numbers move together."""

from __future__ import annotations

from night_trail.core.questions.correlation import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.table import Column, Table


def gist(question: Correlations, table: Table) -> Gist:
    """Return what it is about: of many the first."""
    return Gist(answer.columns_for(question, table)[0].name, alone=False)


def from_gist(gist: Gist, table: Table) -> Correlations:
    """Return all numbers together."""
    return Correlations()


def broken_down(question: Correlations, by: Column, table: Table) -> Correlations:
    """Return the same: numbers move together within any group."""
    return question


KIND = QuestionKind(
    tag="together",
    way="how all numbers move together",
    question=Correlations,
    check=answer.check,
    answer=answer.together,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={CorrelationAnswer: words.correlation_words},
    figures={CorrelationAnswer: figures.correlation_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
