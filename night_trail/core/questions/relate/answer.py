"""How one measured column moves with another: one point a row, or one for each group of rows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from night_trail.core.abreast import abreast
from night_trail.core.conditions import Condition, OneOf, between, joined_all
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.relate.cloud import Cloud, cloud_of, figures_of, sums, zoomed
from night_trail.core.questions.relate.fitted import FitSummary, fit, strength
from night_trail.core.questions.relate.fitted import summary as summary_of
from night_trail.core.questions.relate.layers import MOST_POINTS, Cell, Panel, Points, layers
from night_trail.core.questions.relate.placing import Placed, placing
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.relate.turning import Turning
from night_trail.core.questions.shared.axes import BinnedAxis
from night_trail.core.questions.shared.basis import ALL_ROWS, Basis, Grouping, grouping, hues
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.rows import Rows
from night_trail.core.stats import relation
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table

T = TypeVar("T")

MOST_COLOURS = 7
MOST_PANELS = 6
MOST_NAMED = 250
REPEATED = 0.3


@dataclass(frozen=True)
class Margins:
    """How many rows lie in each cell of both axes, and how many of them are lit."""

    x: Ints
    y: Ints
    x_lit: Ints | None
    y_lit: Ints | None


@dataclass(frozen=True)
class RelateAnswer:
    """Panels of points and cells on shared axes, how strong the relation is, and a fit.

    ``not_positive`` counts rows a log scale leaves out, ``outside`` those out
    of the part zoomed into. ``jitter`` is how far points that repeat are moved
    apart along x and y, in the columns' units. ``largest`` is the figure of the largest point where one
    sizes them: it is that of all panels. ``summed`` says of both columns
    whether a group's figure is their sum or their average.
    """

    question: Relate
    column: Column
    against: Column
    basis: Basis
    grouping: Grouping
    hues: tuple[int, ...]
    panelled: Grouping
    panels: tuple[Panel, ...]
    x: BinnedAxis
    y: BinnedAxis
    correlation: relation.Correlation | None = None
    turning: Turning | None = None
    margins: Margins | None = None
    not_positive: int = 0
    outside: int = 0
    jitter: tuple[float, float] = (0.0, 0.0)
    summed: tuple[bool, bool] = (False, False)
    largest: float = 0.0

    @property
    def points(self) -> Points:
        """The points of the only, or the first, panel."""
        return self.panels[0].points

    @property
    def cells(self) -> tuple[Cell, ...]:
        """The cells of the only, or the first, panel."""
        return self.panels[0].cells

    @property
    def line(self) -> relation.FittedLine | None:
        """The line of the only, or the first, panel."""
        return self.panels[0].line

    @property
    def curve(self) -> tuple[Floats, Floats] | None:
        """The curve of the only, or the first, panel."""
        return self.panels[0].curve

    def panel_condition(self, panel: Panel) -> Condition | None:
        """Return the condition that all rows of a panel meet; None where it holds all rows."""
        return self.panelled.condition(panel.position) if panel.position >= 0 else None

    def in_panel(self, panel: Panel, *parts: Condition) -> Condition:
        """Return the condition that rows of a panel meet beside all of ``parts``."""
        return joined_all(*parts, self.panel_condition(panel))

    def point_condition(self, i: int, panel: Panel | None = None) -> Condition:
        """Return the condition that names the rows at one point."""
        panel = panel or self.panels[0]
        points = panel.points
        if self.question.each is not None:
            return OneOf(self.question.each, (points.names[i],))
        x, y = float(points.x[i]), float(points.y[i])
        return self.in_panel(panel, between(self.against, x, x, True), between(self.column, y, y, True))

    def cell_condition(self, cell: Cell, panel: Panel | None = None) -> Condition:
        """Return the condition that names the rows of a cell; those at the ends of an axis are open."""
        return self.in_panel(
            panel or self.panels[0],
            self.x_range(cell.x_low, cell.x_high),
            self.y_range(cell.y_low, cell.y_high),
        )

    def x_range(self, low: float, high: float) -> Condition:
        """Return the range of cells along the horizontal axis, open at its ends."""
        return self.x.inside(self.against, low, high)

    def y_range(self, low: float, high: float) -> Condition:
        """Return the range of cells along the upright axis, open at its ends."""
        return self.y.inside(self.column, low, high)


def check(question: Relate, table: Table) -> None:  # noqa: C901  (one case a rule)
    """Refuse columns that have no axis, and groups that are too many."""
    for name, field in ((question.column, "column"), (question.against, "against")):
        column = table.column(name)
        if not column.kind.measured:
            raise BadQuestion(f"“{name}” is {column.kind} and has no axis", field, "Choose a number or date.")
    if question.column == question.against:
        raise BadQuestion("A column moves with itself", "against", "Choose another column.")
    for name_, field, verb in (
        (question.coloured, "coloured", "colour by"),
        (question.panels, "panels", "set side by side"),
    ):
        if name_ is not None and not makes_groups(found := table.column(name_)):
            many = f"“{found.name}” has {found.distinct:,} values"
            raise BadQuestion(f"{many}, too many to {verb}", field, "Choose a category.")
    if question.sized is not None and not table.column(question.sized).kind.numeric:
        raise BadQuestion(f"“{question.sized}” is no number", "sized", "Choose a number.")
    if question.each is not None:
        each = table.column(question.each)
        if question.each in (question.column, question.against) or each.distinct > MOST_POINTS:
            raise BadQuestion(
                f"“{each.name}” makes {each.distinct:,} groups, too many for one point each",
                "each",
                "Choose a category.",
            )
    temporal = any(table.column(n).kind.temporal for n in (question.column, question.against))
    if question.scale != "plain" and temporal:
        raise BadQuestion("Dates have no such scale", "scale", "Choose a number on both axes.")
    if question.window is not None:
        x_low, x_high, y_low, y_high = question.window
        if not (x_low < x_high and y_low < y_high):
            raise BadQuestion("There is nothing to zoom into", "window", "Zoom out again.")
        if (question.log_x and x_low <= 0) or (question.log_y and y_low <= 0):
            raise BadQuestion("A log scale begins above 0", "window", "Zoom out again.")


def relate(question: Relate, rows: Rows) -> RelateAnswer:
    """Return where the rows, or groups of them, lie between two columns."""
    table = rows.table
    column, against = table.column(question.column), table.column(question.against)
    base = ("cloud", question.column, question.against, question.each, question.log_x, question.log_y)
    whole = rows.remember(base, lambda: cloud_of(question, rows))
    cloud = zoomed(whole, question) if question.window is not None else whole
    drawn = (*base, question.window, question.scale, question.panels is not None)
    summary, place = rows.remember(
        ("placed", drawn),
        lambda: abreast(
            len(cloud.x), lambda: summary_of(question, rows, cloud), placing(question, rows, cloud)
        ),
    )
    coloured = grouping(rows, question.coloured, MOST_COLOURS + 1) if question.coloured else ALL_ROWS
    panelled = grouping(rows, question.panels, MOST_PANELS + 1) if question.panels else ALL_ROWS
    ways = _Ways(question, rows, coloured, panelled)
    lit, n_lit = ways.lit(cloud)
    sizes = ways.sizes(cloud)
    largest = float(sizes.max()) if sizes is not None and len(sizes) else 0.0
    drawing = _Drawing(ways, cloud, place.cell, lit, n_lit, (place.x, place.y), drawn, summary, largest)
    panels = drawing.panels()
    return RelateAnswer(
        question=question,
        column=column,
        against=against,
        basis=Basis(
            rows=rows.n,
            used=int(cloud.n.sum()) if cloud.n is not None else len(cloud.x),
            missing=cloud.left,
            lit=None
            if lit is None
            else int(n_lit.sum())
            if n_lit is not None
            else int(np.count_nonzero(lit)),
            table_rows=table.n,
        ),
        grouping=coloured,
        hues=hues(rows, coloured),
        panelled=panelled,
        panels=tuple(panels),
        x=place.x,
        y=place.y,
        correlation=summary.correlation,
        turning=summary.turning,
        margins=_margins(place, lit) if question.margins else None,
        not_positive=cloud.not_positive,
        outside=cloud.outside,
        jitter=_jitter(question, column, against, cloud) if not any(p.cells for p in panels) else (0.0, 0.0),
        summed=(sums(column), sums(against)),
        largest=largest,
    )


@dataclass(frozen=True)
class _Ways:
    """How places are coloured, sized, parted in panels and lit, rows and groups of rows alike."""

    question: Relate
    rows: Rows
    coloured: Grouping
    panelled: Grouping

    def codes(self, found: Grouping, at: Ints) -> Ints:
        """Return the group of each place ``at``; a group of rows belongs where most of them do.

        Shape (places,); −1 where the group is none of those drawn.
        """
        if found.codes is None:
            return np.full(len(at), -1, dtype=np.int64)
        if self.question.each is None:
            return found.codes[at].astype(np.int64)
        return self._most(found, at)

    def _most(self, found: Grouping, at: Ints) -> Ints:
        assert self.question.each is not None and found.codes is not None  # noqa: S101
        coded = self.rows.table.coded(self.question.each)
        k = len(found.groups)
        used = (coded.codes >= 0) & (found.codes >= 0)
        if self.rows.kept is not None:
            used &= self.rows.kept
        pairs = coded.codes[used].astype(np.int64) * k + found.codes[used]
        counts = np.bincount(pairs, minlength=len(coded.labels) * k).reshape(-1, k)
        most = np.where(counts.sum(axis=1) > 0, counts.argmax(axis=1), -1)
        return np.asarray(most[at], dtype=np.int64)

    def lit(self, cloud: Cloud) -> tuple[Bools | None, Ints | None]:
        """Return which places are lit; of groups also how many of their rows."""
        if self.rows.lit is None:
            return None, None
        if self.question.each is None:
            return self.rows.lit[cloud.at], None
        coded = self.rows.table.coded(self.question.each)
        codes = coded.codes[self.rows.lit_at]
        counts = np.bincount(codes + 1, minlength=len(coded.labels) + 1)[1:][cloud.at]
        return counts > 0, np.asarray(counts, dtype=np.int64)

    def sizes(self, cloud: Cloud) -> Floats | None:
        """Return the figure that sizes each place; those without a value above 0 have 0.

        Shape (places,); None where nothing sizes them.
        """
        if self.question.sized is None:
            return None
        column = self.rows.table.column(self.question.sized)
        if self.question.each is None:
            values = self.rows.table.axis(column.name).values[cloud.at]
        else:
            values = figures_of(column, self.rows, self.question.each)[cloud.at]
        return np.where(np.isnan(values) | (values < 0), 0.0, values)


@dataclass(frozen=True)
class _Drawing:
    """What all panels share: places, the cells they lie in, axes; ``key`` is what to remember under."""

    ways: _Ways
    cloud: Cloud
    place: Ints
    lit: Bools | None
    n_lit: Ints | None
    axes: tuple[BinnedAxis, BinnedAxis]
    key: tuple[object, ...]
    summary: FitSummary
    largest: float

    def panels(self) -> list[Panel]:
        """Return the panels: one a group, or one for all."""
        found = self.ways.panelled
        if found.column is None:
            return [self._panel(self.cloud, None, -1, "", self.summary.correlation, self.summary.line)]
        codes = self.ways.codes(found, self.cloud.at)
        made = []
        for position, group in enumerate(found.groups):
            here = codes == position
            part = self.cloud.only(here)
            strong = self._strength_of(part, position)
            made.append(self._panel(part, np.flatnonzero(here), position, group.label, strong, None))
        return made

    def _strength_of(self, part: Cloud, position: int) -> relation.Correlation | None:
        return self._remember("panel", position, lambda: (strength(self.ways.question, part),))[0]

    def _remember(self, what: str, position: int, make: Callable[[], T]) -> T:
        question = self.ways.question
        key = (what, self.key, question.fit, question.panels, position)
        return self.ways.rows.remember(key, make)

    def _panel(
        self,
        part: Cloud,
        at: Ints | None,
        position: int,
        label: str,
        strong: relation.Correlation | None,
        line: relation.FittedLine | None,
    ) -> Panel:
        ways, question = self.ways, self.ways.question
        lit, n_lit, place = self.lit, self.n_lit, self.place
        if at is not None:
            lit, n_lit = None if lit is None else lit[at], None if n_lit is None else n_lit[at]
            place = place[at]
        most = MOST_POINTS // max(1, len(ways.panelled.groups))
        if question.each is not None:
            most = len(part.x)
        chosen, cells = layers(part.x, part.y, place, lit, *self.axes, most)
        sizes = ways.sizes(part)
        fitted = self._remember("fitted", position, lambda: fit(question, part, *self.axes, line))
        return Panel(
            label=label,
            position=position,
            n=int(part.n.sum()) if part.n is not None else len(part.x),
            points=Points(
                x=part.x[chosen],
                y=part.y[chosen],
                row=part.at[chosen],
                lit=None if lit is None else lit[chosen],
                group=ways.codes(ways.coloured, part.at[chosen]),
                size=None if sizes is None else sizes[chosen] / (self.largest or 1.0),
                names=_names(ways.rows, part, chosen, question.window is not None) if not cells else (),
                n=None if part.n is None else part.n[chosen],
                n_lit=None if n_lit is None else n_lit[chosen],
            ),
            cells=cells,
            correlation=strong,
            line=fitted.line,
            curve=fitted.curve,
        )


def _names(rows: Rows, part: Cloud, chosen: Ints, zoomed: bool) -> tuple[str, ...]:
    """Return names of the points: of groups always, of rows where few enough are drawn to be told apart.

    A row is called by the table's identifier, else by a column in which no two
    rows are alike, else, zoomed into, by its number in the table.
    """
    if part.names:
        return tuple(part.names[i] for i in chosen)
    if len(chosen) > MOST_NAMED:
        return ()
    columns, at = rows.table.columns, part.at[chosen]
    named = next((c for c in columns if c.kind == Kind.IDENTIFIER), None) or next(
        (c for c in columns if c.kind in (Kind.CATEGORY, Kind.TEXT) and c.distinct == rows.table.height > 1),
        None,
    )
    if named is None:
        noun = rows.table.row_noun[0]
        return tuple(f"{noun} {row + 1:,}" for row in at.tolist()) if zoomed else ()
    return tuple(cell or "" for cell in rows.table.series(named.name).gather(at).cast(str).to_list())


def _margins(place: Placed, lit: Bools | None) -> Margins:
    high, wide = len(place.y.edges) - 1, len(place.x.edges) - 1
    x, y = place.cell // high, place.cell % high
    return Margins(
        np.bincount(x, minlength=wide),
        np.bincount(y, minlength=high),
        None if lit is None else np.bincount(x[lit], minlength=wide),
        None if lit is None else np.bincount(y[lit], minlength=high),
    )


def _jitter(question: Relate, column: Column, against: Column, cloud: Cloud) -> tuple[float, float]:
    """Return how far points are moved apart where whole numbers make many of them coincide."""
    if question.each is not None or len(cloud.x) < 20:
        return 0.0, 0.0
    different = len(np.unique(np.column_stack([cloud.x, cloud.y]), axis=0))
    if different > (1 - REPEATED) * len(cloud.x):
        return 0.0, 0.0
    x, y = (0.35 if c.kind == Kind.WHOLE else 0.0 for c in (against, column))
    return (0.0 if question.log_x else x), (0.0 if question.log_y else y)
