"""The kind: where a figure lies."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace as changed

import numpy as np
from msgspec.structs import replace

from night_trail.core.places.columns import named_places
from night_trail.core.questions.kind import Playing, QuestionKind
from night_trail.core.questions.place import answer, figures, offers, phrases, reading, sentence, words
from night_trail.core.questions.place.answer import PlaceAnswer, class_edges
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.place.spots import spots_of
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.rows import Rows
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
    shape = "arcs" if question.shape == "arcs" else "dots"
    return replace(question, shape=shape, coloured=by.name, shade=None, rule=None)


def fixed(question: Place, rows: Rows) -> Place:
    """Return the same with its part of the Earth held: what all rows lie in."""
    if question.window is not None:
        return question
    west, east, south, north = spots_of(question, rows).window
    return replace(question, window=(round(west, 5), round(east, 5), round(south, 5), round(north, 5)))


def held(one: PlaceAnswer, every: Sequence[PlaceAnswer]) -> PlaceAnswer:
    """Return the answer of one period with classes of all."""
    if one.shading is None or not one.edges:
        return one
    shades = [answer.shading for answer in every if answer.shading is not None]
    return changed(one, edges=class_edges(np.concatenate(shades), one.question.classes))


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
    read=reading.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={PlaceAnswer: words.place_words_of},
    figures={PlaceAnswer: figures.place_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
    playing=Playing(fixed, held),
)
