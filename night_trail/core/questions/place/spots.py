"""Which spot each row lies on: its own place, a hexagon, an area, the place its name means, on a plan."""

from __future__ import annotations

from night_trail.core.questions.place.coordinates import by_coordinates
from night_trail.core.questions.place.in_areas import in_areas
from night_trail.core.questions.place.lying import Spots
from night_trail.core.questions.place.named import by_names
from night_trail.core.questions.place.on_plan import on_plan
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.place.ways import ways
from night_trail.core.rows import Rows


def lies_by(question: Place) -> tuple[object, ...]:
    """Return what decides on which spot a row lies, whatever is measured."""
    where = (question.at, question.country, question.shape, question.window, question.areas)
    return (*where, question.onward, question.drawn_on, question.meant)


def spots_of(question: Place, rows: Rows) -> Spots:
    """Return where the kept rows lie, whatever is measured of them."""
    return rows.remember(("spots", *lies_by(question)), lambda: _spots(question, rows))


def _spots(question: Place, rows: Rows) -> Spots:
    if question.drawn_on is not None:
        return on_plan(question, rows)
    if question.onward is not None:
        return ways(question, rows)
    if question.areas is not None or (question.shape == "areas" and len(question.at) == 2):
        return in_areas(question, rows)
    return by_coordinates(question, rows) if len(question.at) == 2 else by_names(question, rows)
