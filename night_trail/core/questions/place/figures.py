"""The numbers behind a place, as a table: a row for each spot, and for each name that means none."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.place.answer import PlaceAnswer
from night_trail.core.questions.shared.figures import Figure, Made
from night_trail.core.questions.shared.measure_slots import short_measure


def place_figures(answer: PlaceAnswer) -> Made:
    """Return the figure of each spot with where it lies, the largest first."""
    spots, shade = answer.spots, answer.question.shade

    def rows() -> Iterator[list[Figure]]:
        for i in answer.order.tolist():
            found: list[Figure] = [spots.labels[i], float(spots.latitudes[i]), float(spots.longitudes[i])]
            if spots.onward is not None:
                found += [float(spots.onward[1][i]), float(spots.onward[0][i])]
            n, figure = int(answer.n[i]), float(answer.figures[i])
            found += [n, figure if n else None]
            if answer.adds_up:
                found.append(figure / answer.total if n and answer.total else None)
            if shade is not None:
                assert answer.shades is not None  # noqa: S101  (they come together)
                found.append(float(answer.shades[i]))
            if answer.question.rule is not None:
                found.append("marked" if answer.marked(i) else None)
            yield [*found, None if answer.lit is None else int(answer.lit[i])]
        for name, n in spots.left.unknown:
            yield [name, *[None] * (where - 1), n, *[None] * (len(names) - where - 1), None]

    names = ["place", "latitude", "longitude"]
    if spots.level == "plan":
        names = [answer.question.at[0], "up", "across"]
    if spots.onward is not None:
        names = ["way", "from latitude", "from longitude", "to latitude", "to longitude"]
    where = len(names)
    names += ["rows", short_measure(answer.question.measure)]
    names += ["share of all"] if answer.adds_up else []
    names += [short_measure(shade)] if shade is not None else []
    names += ["marked"] if answer.question.rule is not None else []
    return names, rows()
