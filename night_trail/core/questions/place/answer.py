"""A measure's figure on each spot: from its own rows, lit or not."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.moments import GRAINS, MEAN_SECONDS, GrainName
from night_trail.core.places.columns import can_name_places
from night_trail.core.questions.compare.answer import times_of
from night_trail.core.questions.place.lying import Spots
from night_trail.core.questions.place.question import Classes, Place, PlaceShape
from night_trail.core.questions.place.spots import lies_by, spots_of
from night_trail.core.questions.shared.basis import ALL_ROWS, Basis, Grouping, grouping, hues
from night_trail.core.questions.shared.cells import held_in, lit_in
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measures import (
    ADDS_UP,
    NOT_TESTED,
    Tested,
    check_measure,
    is_share,
    overall,
    plain_figures,
    tested,
)
from night_trail.core.questions.shared.periods import check_time, periods_of
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import period_name
from night_trail.core.table import Column, Floats, Ints, Kind, Table

MOST_COLOURS = 7
MOST_CLASSES = 5
MOST_HISTORIES, MOST_PERIODS = 60, 60
"""So many spots have a small line each, over so many periods."""

LEAST_ROWS = 10
"""Of figures that do not add up, spots of fewer rows are not called highest or lowest if others have more."""


@dataclass(frozen=True)
class Histories:
    """The figure of each spot in each period, NaN where it has none; shape (spots, periods).

    ``first`` and ``last`` are what the outer periods are called; those cut off by the data are left out.
    """

    grain: GrainName
    values: Floats
    first: str
    last: str


@dataclass(frozen=True)
class PlaceAnswer:
    """The figure of each spot, all of shape (spots,); ``order`` is the largest figure first.

    ``edges`` cut what shades into classes, lowest first: a class begins at its edge. ``sized`` is
    whether dots are as large as their figure. ``groups`` is the colour group most rows of a spot
    are of, −1 for none. ``shape`` is how it is drawn: dots where towns were to be areas.
    """

    question: Place
    column: Column | None
    basis: Basis
    shape: PlaceShape
    spots: Spots
    figures: Floats
    n: Ints
    total: float
    order: Ints
    edges: tuple[float, ...]
    sized: bool
    shades: Floats | None = None
    lit: Ints | None = None
    lit_figures: Floats | None = None
    grouping: Grouping = ALL_ROWS
    hues: tuple[int, ...] = ()
    groups: Ints | None = None
    times: int = 0
    histories: Histories | None = None
    tested: Tested = NOT_TESTED

    @property
    def adds_up(self) -> bool:
        """Whether figures of spots add up to the whole."""
        return self.question.measure.aggregate in ADDS_UP

    @property
    def shading(self) -> Floats | None:
        """What shades spots: the second measure, or the first where it gives no size; None for neither."""
        if self.shades is not None:
            return self.shades
        return None if self.sized or self.question.rule is not None else self.figures

    def marked(self, i: int) -> bool:
        """Whether the rule marks the figure of a spot; of none there is nothing to mark."""
        rule = self.question.rule
        return rule is not None and self.n[i] > 0 and rule.marks(float(self.figures[i]), self.total)

    def class_of(self, value: float) -> int:
        """Return the class of a figure, from 1."""
        return class_of(value, self.edges)


def class_of(value: float, edges: tuple[float, ...]) -> int:
    """Return the class a value is in, from 1; ``edges`` are where the second and later ones begin.

    >>> [class_of(v, (2.0, 5.0)) for v in (1.0, 2.0, 4.9, 5.0)]
    [1, 2, 2, 3]
    """
    return 1 + int(np.searchsorted(np.asarray(edges), value, side="right"))


def class_edges(values: Floats, classes: Classes) -> tuple[float, ...]:
    """Return where classes begin, without the first: at most five, of as many values or as wide.

    Shape (n,), NaN left out. Quantiles are of type 7 (Hyndman & Fan 1996); equal values are never
    parted, so that there may be fewer classes.

    >>> class_edges(np.array([0.0, 1, 2, 3, 4, 5, 6, 7, 8, 10]), "as wide")
    (2.0, 4.0, 6.0, 8.0)
    """
    known = values[np.isfinite(values)]
    different = np.unique(known)
    if len(different) < 2:
        return ()
    most = min(MOST_CLASSES, len(different))
    if classes == "as wide":
        made = np.linspace(different[0], different[-1], most + 1)[1:-1]
    else:
        made = np.quantile(known, np.arange(1, most) / most)
    made = np.unique(made)
    # a class begins at a value that is there, and none is empty at the foot
    return tuple(float(edge) for edge in made if edge > different[0])


def check(question: Place, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    check_measure(question.measure, table)
    if question.shade is not None:
        check_measure(question.shade, table)
    if question.areas is not None:
        table.own_areas(question.areas)
        if question.shape == "hexagons":
            raise BadQuestion("Areas are drawn as areas, or as a dot each", "shape", "Draw areas or dots.")
    _check_columns(question, table)
    _check_drawn(question, table)
    if question.country is not None and not can_name_places(table.column(question.country)):
        raise BadQuestion(f"“{question.country}” names no countries", "country", "Choose another column.")
    if question.coloured is not None:
        if not makes_groups(table.column(question.coloured)):
            many = f"“{question.coloured}” has too many values to colour by"
            raise BadQuestion(many, "coloured", "Choose a category.")
        if question.shape not in ("dots", "arcs") or question.shade is not None:
            raise BadQuestion(
                "What is shaded by a figure is not coloured as well", "coloured", "Leave one of them out."
            )
    if question.window is not None:
        west, east, south, north = question.window
        if not (west < east and south < north):
            raise BadQuestion("There is nothing to zoom into", "window", "Zoom out again.")


def _check_columns(question: Place, table: Table) -> None:
    columns = [table.column(name) for name in question.at]
    if len(columns) == 1:
        if not can_name_places(columns[0]):
            what = f"“{columns[0].name}” is {columns[0].kind} and names no places"
            raise BadQuestion(what, "at", "Choose another column.")
        if question.shape == "hexagons":
            raise BadQuestion("Names lie each on one spot", "shape", "Draw dots or areas.")
        return
    for column in columns:
        if not column.kind.numeric:
            what = f"“{column.name}” is {column.kind} and no longitude or latitude"
            raise BadQuestion(what, "at", "Choose another column.")
    if question.at[0] == question.at[1]:
        raise BadQuestion("Longitude and latitude are one column", "at", "Choose another column.")


def _check_drawn(question: Place, table: Table) -> None:  # noqa: C901  (one case a combination)
    if question.drawn_on is not None:
        table.plan(question.drawn_on)
        if len(question.at) != 1 or question.areas is not None or question.onward is not None:
            raise BadQuestion("On a plan stand the groups of one column", "at", "Choose one column.")
    if question.shape == "arcs" and question.onward is None:
        raise BadQuestion("Arcs lead somewhere", "shape", "Say by which columns rows go on.")
    if question.onward is not None:
        if len(question.at) != 2:
            raise BadQuestion("Ways begin at a longitude and a latitude", "at", "Choose coordinates.")
        for name in question.onward:
            if not table.column(name).kind.numeric:
                what = f"“{name}” is {table.column(name).kind} and no longitude or latitude"
                raise BadQuestion(what, "onward", "Choose another column.")
        if question.onward[0] == question.onward[1] or set(question.onward) == set(question.at):
            raise BadQuestion("Ways lead from one place to another", "onward", "Choose other columns.")
        if question.areas is not None:
            raise BadQuestion("Ways are not drawn as areas", "areas", "Leave the areas out.")
    if question.shape not in shapes_for(question):
        raise BadQuestion(f"This is not drawn as {question.shape}", "shape", "Choose another shape.")
    if question.coloured is not None and question.rule is not None:
        raise BadQuestion("What is marked by its figure is not coloured as well", "rule", "Leave one out.")
    if question.rule is not None and question.shade is not None:
        raise BadQuestion("What is marked by its figure is not shaded as well", "rule", "Leave one out.")
    if question.history is not None:
        if question.shape != "dots":
            raise BadQuestion("Small lines stand at dots", "history", "Draw dots, or leave the lines out.")
        check_time(question.measure, question.history, None, table)


def shapes_for(question: Place) -> tuple[PlaceShape, ...]:
    """Return the shapes a place can be drawn in."""
    if question.drawn_on is not None:
        return ("dots",)
    if question.onward is not None:
        return ("arcs",)
    if question.areas is not None:
        return ("areas", "dots")
    return ("dots", "hexagons", "areas") if len(question.at) == 2 else ("areas", "dots")


def place(question: Place, rows: Rows) -> PlaceAnswer:
    """Return the figure of a measure wherever rows lie."""
    measure, spots = question.measure, spots_of(question, rows)
    k = len(spots.longitudes)
    # towns have places, and no areas that ship
    shape: PlaceShape = "dots" if spots.level == "towns" else question.shape
    found = _figures(question, measure, rows, spots)
    figures, n = found.values, found.n
    shades = None if question.shade is None else _figures(question, question.shade, rows, spots).values
    lit = lit_figures = None
    if rows.lit is not None:
        shining = lit_in(measure, rows)
        assert shining is not None  # noqa: S101  (the lantern is lit)
        lit_up = plain_figures(measure, shining.grouped(spots.codes), k)
        lit, lit_figures = lit_up.n, lit_up.values
    column = None if measure.column is None else rows.table.column(measure.column)
    coloured = grouping(rows, question.coloured, MOST_COLOURS + 1) if question.coloured else ALL_ROWS
    sized = shape in ("dots", "arcs") and measure.aggregate in ADDS_UP and not bool((figures < 0).any())
    shading = shades if shades is not None else None if sized else figures
    ranked = np.where(np.isfinite(figures), figures, -np.inf)
    return PlaceAnswer(
        question=question,
        column=column,
        basis=Basis(
            rows=rows.n,
            used=found.used,
            missing=rows.n - len(held_in(measure, rows).values),
            lit=None if lit is None else int(lit.sum()),
            table_rows=rows.table.n,
        ),
        shape=shape,
        spots=spots,
        figures=figures,
        n=n,
        total=found.total,
        order=np.argsort(-ranked, kind="stable"),
        edges=(
            ()
            if shading is None or question.coloured or question.rule
            else class_edges(shading, question.classes)
        ),
        sized=sized,
        shades=shades,
        lit=lit,
        lit_figures=lit_figures,
        grouping=coloured,
        hues=hues(rows, coloured),
        groups=_most(coloured, rows, spots, k),
        times=times_of(measure, rows),
        histories=_histories(question, rows, spots, k),
        tested=found.tested,
    )


@dataclass(frozen=True)
class _Figured:
    """The figure of each spot, NaN where there is none, and from how many rows.

    ``total`` is that of all ``used`` rows, ``tested`` says whether the spots differ beyond chance.
    """

    values: Floats
    n: Ints
    total: float
    used: int
    tested: Tested


def _figures(question: Place, measure: Measure, rows: Rows, spots: Spots) -> _Figured:
    k = len(spots.longitudes)

    def made() -> _Figured:
        cells = held_in(measure, rows).grouped(spots.codes)
        found = plain_figures(measure, cells, k)
        column = None if measure.column is None else rows.table.column(measure.column)
        return _Figured(
            np.where(found.n > 0, found.values, np.nan),
            found.n,
            overall(measure, cells),
            len(cells.values),
            # of one row each, nothing is known of what chance gives
            tested(measure, cells, k, is_share(measure, column)),
        )

    return rows.remember(("figures of spots", measure, *lies_by(question)), made)


def _histories(question: Place, rows: Rows, spots: Spots, k: int) -> Histories | None:
    """Return the figures of all spots over time, in the finest periods that are not too many."""
    time, measure = question.history, question.measure
    if time is None or not 0 < k <= MOST_HISTORIES:
        return None
    grain = _grain_of_histories(rows, time)
    periods = periods_of(rows, time, grain)
    first, end = periods.covered
    if end - first < 2:
        return None
    n = periods.calendar.n
    both = np.where((spots.codes >= 0) & (periods.codes >= 0), spots.codes.astype(np.int64) * n, -1)
    both = np.where(both >= 0, both + periods.codes, -1).astype(np.int32)
    found = plain_figures(measure, held_in(measure, rows).grouped(both), k * n)
    values = np.where(found.n > 0, found.values, 0.0 if measure.aggregate in ADDS_UP else np.nan)
    names = [period_name(periods.calendar, i) for i in (first, end - 1)]
    return Histories(grain, values.reshape(k, n)[:, first:end], names[0], names[1])


def _grain_of_histories(rows: Rows, time: str) -> GrainName:
    """Return the finest periods of which there are not too many to be seen in a small line."""
    column = rows.table.column(time)
    moments = rows.table.moments(time).values
    known = moments[~np.isnan(moments) if rows.kept is None else rows.kept & ~np.isnan(moments)]
    if column.yearly or not len(known):
        return "year"
    span = float(np.ptp(known))
    able = GRAINS if column.kind == Kind.DATETIME else GRAINS[1:]
    return next((grain for grain in able if span <= MOST_PERIODS * MEAN_SECONDS[grain]), "year")


def _most(found: Grouping, rows: Rows, spots: Spots, k: int) -> Ints | None:
    """Return the group that most rows of each spot are of, −1 where none has one; shape (spots,)."""
    if found.codes is None:
        return None
    wide = len(found.groups)
    used = (spots.codes >= 0) & (found.codes >= 0)
    counts = np.bincount(spots.codes[used] * wide + found.codes[used], minlength=k * wide).reshape(-1, wide)
    return np.where(counts.sum(axis=1) > 0, counts.argmax(axis=1), -1)
