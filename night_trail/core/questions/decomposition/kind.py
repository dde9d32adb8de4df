"""The kind: trend, seasons and what remains of a series."""

from __future__ import annotations

from night_trail.core.questions.decomposition import answer, figures, offers, phrases, read, sentence, words
from night_trail.core.questions.decomposition.answer import DecompositionAnswer
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.over_time.answer import for_each
from night_trail.core.questions.shared.gist import Gist, gist_in_time
from night_trail.core.questions.shared.time_offers import neighbours
from night_trail.core.table import Table


def from_gist(gist: Gist, table: Table) -> Decomposition:
    """Return a gist's measure taken apart."""
    return Decomposition(gist.measured(table), gist.when(table).name, gist.grain, zone=gist.zone)


KIND = QuestionKind(
    tag="apart",
    way="what trend and seasons it has",
    question=Decomposition,
    check=answer.check,
    answer=answer.apart,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    read=read.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={DecompositionAnswer: words.decomposition_words},
    figures={DecompositionAnswer: figures.decomposition_figures},
    gist=gist_in_time,
    from_gist=from_gist,
    broken_down=for_each,
    neighbours=neighbours,
    modelled=True,
)
