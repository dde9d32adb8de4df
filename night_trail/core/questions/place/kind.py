"""The kind: where a figure lies."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.places.columns import named_places
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.place import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.place.answer import PlaceAnswer
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.table import Column, Kind, Table


def gist(question: Place, table: Table) -> Gist:
    """Return what it is about."""
    groups = (question.across,) if question.across else ()
    return Gist(question.column, question.measure, groups)


def from_gist(gist: Gist, table: Table) -> Place:
    """Return where a gist's measure lies, or that of its column; of what is no number its rows."""
    column = table.column(gist.column)
    counted = not gist.named or not column.kind.numeric or column.kind in (Kind.LATITUDE, Kind.LONGITUDE)
    measure = gist.measure or first_measure(None if counted else column)
    groups = [*gist.groups, *([column.name] if gist.named and not column.kind.measured else [])]
    places = {c.name for c in named_places(table)}
    named = next((name for name in groups if name in places and name != measure.column), None)
    return sentence.start(table, measure, named)


def broken_down(question: Place, by: Column, table: Table) -> Place:
    """Return the same as dots, coloured by groups."""
    if not makes_groups(by):
        return question
    return replace(question, shape="dots", coloured=by.name, shade=None)


KIND = QuestionKind(
    tag="place",
    way="where it lies",
    question=Place,
    check=answer.check,
    answer=answer.place,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("coloured",),
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={PlaceAnswer: words.place_words_of},
    figures={PlaceAnswer: figures.place_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
