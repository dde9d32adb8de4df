"""The kind: how one column is spread."""

from __future__ import annotations

from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.spread import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.spread.angles import AnglesAnswer
from night_trail.core.questions.spread.bars import BarsAnswer
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.curves import CurvesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.spread.strip import StripAnswer
from night_trail.core.table import Column, Table


def gist(question: Spread, table: Table) -> Gist:
    """Return what it is about."""
    return Gist(question.column, groups=(question.across,) if question.across else ())


def from_gist(gist: Gist, table: Table) -> Spread:
    """Return how the column of a gist is spread."""
    return answer.first_question(table.column(gist.column))


def broken_down(question: Spread, by: Column, table: Table) -> Spread:
    """Return the column across groups; of a category, how that other one is spread."""
    if table.column(question.column).kind.measured:
        return Spread(question.column, by.name, "histogram" if question.shape == "histogram" else "boxes")
    return Spread(by.name, shape="bars")


KIND = QuestionKind(
    tag="spread",
    way="how it is spread",
    question=Spread,
    check=answer.check,
    answer=answer.answer,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("across",),
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words=dict.fromkeys(
        (BarsAnswer, BoxesAnswer, HistogramAnswer, CurvesAnswer, StripAnswer, AnglesAnswer),
        words.spread_words,
    ),
    figures={
        HistogramAnswer: figures.histogram_figures,
        BoxesAnswer: figures.boxes_figures,
        BarsAnswer: figures.bars_figures,
        CurvesAnswer: figures.curves_figures,
        StripAnswer: figures.strip_figures,
        AnglesAnswer: figures.angles_figures,
    },
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
