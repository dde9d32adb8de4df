"""The first look: every column's spread, gaps and oddities, in one pass.

A survey is plain values that serialise to JSON; it is made once when a table
is read and kept with its version.
"""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Sequence
from typing import Literal

import msgspec
import numpy as np
import polars as pl

from night_trail.core.abreast import abreast
from night_trail.core.findings import Fetch, Finding, Gathered, MissingTogether
from night_trail.core.language.numbers import bare, counted, percent, unit_suffix, value
from night_trail.core.recipe.offers import Remedy, column_offers
from night_trail.core.recipe.steps import YesNoEach
from night_trail.core.stats import bins as binning
from night_trail.core.stats.form import free_of_limits, limits
from night_trail.core.stats.grain import Grain, grain
from night_trail.core.stats.quantiles import box, quantiles
from night_trail.core.stats.shape import heaping, humps, zeros
from night_trail.core.structs import looked_through
from night_trail.core.table import Coded, Column, Floats, Ints, Kind, Table, on_axis

BARS = 32
SEGMENTS = 6


class Remark(msgspec.Struct, frozen=True):
    """One thing to say of a column; what is odd stands out."""

    text: str
    odd: bool = False


class Silhouette(msgspec.Struct, frozen=True):
    """A column's shape in small: bar heights from 0 to 1, or labelled shares of a whole."""

    form: Literal["bars", "segments", "none"]
    values: tuple[float, ...] = ()
    labels: tuple[str, ...] = ()


class Profile(msgspec.Struct, frozen=True):
    """What the survey says of one column. ``oddness`` orders what is odd first."""

    column: Column
    silhouette: Silhouette
    remarks: tuple[Remark, ...]
    oddness: float
    offers: tuple[Remedy, ...] = ()


class Survey(msgspec.Struct, frozen=True):
    """What the survey says of a table. ``days`` is how many different dates it has, if any, and ``step`` how
    far these lie apart: days, or where they stand one in each, weeks to years.
    """

    height: int
    profiles: tuple[Profile, ...]
    missing_share: float
    days: int | None = None
    days_of: str = ""
    findings: tuple[Finding, ...] = ()
    together: MissingTogether | None = None
    step: str = "day"


class Surveyor:
    """Makes a survey as columns pass by, so that a large table never stands in memory as a whole.

    Parameters
    ----------
    height
        Rows of the table.
    today
        Dates after it lie in the future.
    """

    def __init__(self, height: int, today: dt.date) -> None:
        self._height = height
        self._profiles: list[Profile] = []
        self._gathered = Gathered(height, today)
        self._days: int | None = None
        self._days_of = ""
        self._step = "day"

    def add(self, column: Column, cells: pl.Series, known: Profile | None = None) -> None:
        """Take a column in; a profile that is known already is not made again."""
        if known is None:
            made, _ = abreast(
                len(cells), lambda: profile(column, cells), lambda: self._gathered.add(column, cells)
            )
        else:
            made = known
            self._gathered.add(column, cells)
        self._profiles.append(made)
        if self._days is None and column.kind.temporal and column.missing < len(cells):
            present = cells.cast(pl.Date).drop_nulls().unique()
            self._days, self._step = len(present), grain(present).step
            self._days_of = column.name

    def learn(self, columns: Sequence[Column]) -> None:
        """Take over what columns together say of each."""
        self._profiles = [
            msgspec.structs.replace(p, column=c) for p, c in zip(self._profiles, columns, strict=True)
        ]

    def finish(self, fetch: Fetch) -> Survey:
        """Return the survey; ``fetch`` gives all cells of the column at a position."""
        cells_in_all = self._height * len(self._profiles)
        missing = sum(p.column.missing for p in self._profiles)
        findings, together = self._gathered.finish(fetch)
        return Survey(
            self._height,
            tuple(self._profiles),
            missing / cells_in_all if cells_in_all else 0.0,
            self._days,
            self._days_of,
            tuple(findings),
            together,
            self._step,
        )


def survey(table: Table, today: dt.date) -> Survey:
    """Return the survey of a table at hand."""
    maker = Surveyor(table.height, today)
    for i, column in enumerate(table.columns):
        maker.add(column, table.series_at(i))
    return maker.finish(table.series_at)


def profile(column: Column, cells: pl.Series) -> Profile:
    """Return what is to be said of one column."""
    height = len(cells)
    if column.missing == height:
        remarks = [Remark("Every cell is missing.", odd=height > 0)]
        return Profile(column, Silhouette("none"), tuple(remarks), 3.0 if height else 0.0)
    if column.kind.numeric:
        silhouette, remarks = _numeric(column, cells)
    elif column.kind.temporal:
        silhouette, remarks = _temporal(column, cells)
    else:
        silhouette, remarks = _words(column, cells)
    if column.failed:
        examples = ", ".join(f"“{text}”" for text in column.failed_examples[:3])
        verb = "does" if column.failed == 1 else "do"
        failed = counted(column.failed, "cell")
        remarks.append(Remark(f"{failed} {verb} not fit and count as missing: {examples}.", odd=True))
    offers = column_offers(column, cells)
    for step in (offer.step for offer in offers):
        if isinstance(step, YesNoEach):
            first = ", ".join(step.values[:4]) + (", …" if len(step.values) > 4 else "")
            remarks.append(Remark(f"Cells hold several values between “{step.mark}”: {first}", odd=True))
    oddness = sum(remark.odd for remark in remarks) + (column.missing / height if height else 0.0)
    return Profile(column, silhouette, tuple(remarks), oddness, offers)


def _numeric(column: Column, cells: pl.Series) -> tuple[Silhouette, list[Remark]]:
    values = np.sort(on_axis(cells.drop_nulls()))
    low, high = float(values[0]), float(values[-1])
    if low == high:
        return Silhouette("bars", (1.0,)), [
            Remark(f"Always {value(low, column.kind, column.unit)}.", odd=True)
        ]
    q1, q3 = quantiles(values, (0.25, 0.75))
    unit = unit_suffix(column.unit)
    if column.yearly:
        q1, q3 = np.round(q1), np.round(q3)
    low_w, high_w, q1_w, q3_w = (bare(v, column.unit) for v in (low, high, float(q1), float(q3)))
    remarks = [Remark(f"{low_w} to {high_w}{unit}, half between {q1_w} and {q3_w}.")]
    share = zeros(values)
    heap = heaping(values) if column.kind == Kind.WHOLE else None
    if share > 0.3:
        remarks.append(Remark(f"{percent(share)} are exactly 0.", odd=True))
    elif len(found := humps(free_of_limits(values), heap.step if heap else 0.0)) > 1:
        word = {2: "Two", 3: "Three"}.get(len(found), "Several")
        remarks.append(Remark(f"{word} humps.", odd=True))
    for limit in () if column.code or column.yearly else limits(values):
        if limit.at != 0:
            end, at = "highest" if limit.high else "lowest", value(limit.at, column.kind, column.unit)
            remarks.append(Remark(f"{percent(limit.share)} are exactly {at}, the {end}: a limit?", odd=True))
    if heap is not None:
        text = f"Every {heap.step}th value is too common: rounded by hand?"
        remarks.append(Remark(text, odd=True))
    figures = box(values)
    window = binning.window(values, figures.low_whisker, figures.high_whisker)
    return _silhouette(values, window.low, window.high, column.kind == Kind.WHOLE), remarks


def _silhouette(values: Floats, low: float, high: float, whole: bool) -> Silhouette:
    if high <= low:
        return Silhouette("bars", (1.0,))
    if whole:
        # bars of whole widths: others would hold now two numbers, now three, and look like a comb
        width = math.ceil((high - low + 1) / BARS)
        edges = math.floor(low) + width * np.arange(math.ceil((high - low + 1) / width) + 1, dtype=np.float64)
    else:
        edges = np.linspace(low, high, BARS + 1)
    return _bars(_counts(values, edges))


def _counts(values: Floats, edges: Floats) -> Ints:
    """Return counts a bar; what lies outside the edges goes to the nearest bar."""
    inner = binning.cuts(values, edges)
    inner[1], inner[-2] = 0, len(values)
    return np.asarray(np.diff(inner[1:-1]), dtype=np.int64)


def _bars(counts: Ints) -> Silhouette:
    top = counts.max() or 1
    return Silhouette("bars", tuple(round(float(c) / float(top), 3) for c in counts))


def _temporal(column: Column, cells: pl.Series) -> tuple[Silhouette, list[Remark]]:
    present = cells.drop_nulls()
    values = np.sort(on_axis(present))
    low, high = float(values[0]), float(values[-1])
    if low == high:
        return Silhouette("bars", (1.0,)), [Remark(f"Always {value(low, column.kind)}.", odd=True)]
    found = grain(present)
    how_often = f", one a {found.step}" if found.regular and found.step != "day" else ""
    remarks = [Remark(f"{value(low, column.kind)} to {value(high, column.kind)}{how_often}.")]
    if found.worth_saying():
        remarks.append(Remark(absent_words(found), odd=True))
    return _bars(_counts(values, np.linspace(low, high, BARS * 2 + 1))), remarks


def absent_words(found: Grain) -> str:
    """Return what to say of periods without rows."""
    text = f"{counted(found.absent, found.step)} absent"
    since = found.since
    assert isinstance(since, dt.date)  # noqa: S101  (there are absent periods)
    where = f"{since.day} {since:%B} {since.year}"
    if isinstance(since, dt.datetime):
        where += f", {since:%H:%M}"
    if found.longest == found.absent == 1:
        return f"{text}: {where}."
    if found.longest == found.absent:
        return f"{text} in a row from {where}."
    return f"{text}, the longest gap {counted(found.longest, found.step)} from {where}."


def _words(column: Column, cells: pl.Series) -> tuple[Silhouette, list[Remark]]:
    remarks: list[Remark] = []
    if column.pattern:
        remarks.append(Remark(f"Always like “{column.pattern}”: a number hides in text.", odd=True))
    if column.kind == Kind.IDENTIFIER and column.distinct == len(cells) - column.missing:
        return Silhouette("none"), [*remarks, Remark("Different in every row.")]
    if column.distinct > 1_000:
        texts = cells.drop_nulls().cast(pl.String)
        longest = max(int(n) for n in texts.str.len_chars().unique())
        text = f"{column.distinct:,} different texts, at most {counted(longest, 'character')} long."
        return Silhouette("none"), [*remarks, Remark(text)]
    coded = Coded.of(cells)
    labels = coded.labels
    counts = np.bincount(coded.codes + 1, minlength=len(labels) + 1)[1:]
    present = int(np.count_nonzero(counts))
    order = np.argsort(-counts, kind="stable")
    total = int(counts.sum())
    if present == 1:
        remarks.append(Remark(f"Always {labels[order[0]]}.", odd=True))
    elif column.kind == Kind.YES_NO:
        yes = int(counts[labels.index("yes")]) if "yes" in labels else 0
        remarks.append(Remark(f"Yes in {percent(yes / total)}."))
    else:
        rare = int(np.count_nonzero((counts > 0) & (counts < 0.001 * total)))
        rare_words = "none rare" if not rare else f"{rare} rare (under 0.1\u2009%)"
        remarks.append(Remark(f"{counted(present, 'value')}, {rare_words}.", odd=False))
    shown = [i for i in order[:SEGMENTS] if counts[i]]
    shares = [float(counts[i]) / total for i in shown]
    names = [labels[i][:40] for i in shown]
    if present > len(shown):
        shares.append(1 - sum(shares))
        names.append("")
    return Silhouette("segments", tuple(round(s, 4) for s in shares), tuple(names)), remarks


def in_order(found: Survey, order: str) -> list[tuple[int, Profile]]:
    """Return profiles with their positions: ``odd`` first, by ``position`` or by ``kind``."""
    placed = list(enumerate(found.profiles))
    if order == "odd":
        placed.sort(key=lambda p: (-p[1].oddness, p[0]))
    elif order == "kind":
        kinds = list(Kind)
        placed.sort(key=lambda p: (kinds.index(p[1].column.kind), p[0]))
    return placed


looked_through(Survey)
