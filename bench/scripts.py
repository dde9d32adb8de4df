"""The plain scripts an analyst would write with pandas and matplotlib for the same pictures."""

from __future__ import annotations

import io

import matplotlib

matplotlib.use("svg")

import matplotlib.pyplot as plt
import numpy as np
import pandas as pd


def _saved(figure: plt.Figure) -> None:
    figure.savefig(io.BytesIO(), format="svg")
    plt.close(figure)


def histogram(frame: pd.DataFrame) -> None:
    """late_min in bins of 1 min, the wet nights on top, with its quartiles."""
    figure, axes = plt.subplots(figsize=(7.4, 3.9))
    values = frame["late_min"].dropna()
    lit = frame.loc[frame["rain_mm"] > 2, "late_min"].dropna()
    bins = np.arange(np.floor(values.min()), np.ceil(values.quantile(0.999)) + 1)
    axes.hist(values, bins=bins)
    axes.hist(lit, bins=bins)
    values.quantile([0.25, 0.5, 0.75])
    axes.set_title(f"median {values.median():.1f}, lit {lit.median():.1f}")
    _saved(figure)


def boxes(frame: pd.DataFrame) -> None:
    """late_min across district as notched box plots."""
    figure, axes = plt.subplots(figsize=(7.4, 3.9))
    groups = [part["late_min"].dropna() for _, part in frame.groupby("district")]
    axes.boxplot(groups, notch=True, orientation="horizontal")
    _saved(figure)


def bars(frame: pd.DataFrame) -> None:
    """How often each line occurs."""
    figure, axes = plt.subplots(figsize=(7.4, 3.9))
    counts = frame["line"].value_counts()
    axes.barh(counts.index, counts)
    _saved(figure)


def means(frame: pd.DataFrame) -> None:
    """The average of late_min across line with standard errors, lit nights beside."""
    figure, axes = plt.subplots(figsize=(7.4, 3.9))
    found = frame.groupby("line")["late_min"].agg(["mean", "sem"]).sort_values("mean")
    lit = frame[frame["rain_mm"] > 2].groupby("line")["late_min"].mean()
    axes.errorbar(found["mean"], found.index, xerr=1.96 * found["sem"], fmt="o")
    axes.plot(lit.loc[found.index], found.index, "o")
    _saved(figure)


def made_up(frame: pd.DataFrame) -> None:
    """Sums of boardings by district, depot and line, the lit nights beside, as bars."""
    figure, axes = plt.subplots(figsize=(7.4, 3.9))
    levels = ["district", "depot", "line"]
    sums = [frame.groupby(levels[:k], observed=True)["boardings"].sum() for k in (1, 2, 3)]
    lit = frame[frame["rain_mm"] > 2].groupby(levels, observed=True)["boardings"].sum()
    axes.barh([" ".join(key) for key in sums[2].index], sums[2])
    axes.barh([" ".join(key) for key in lit.index], lit)
    _saved(figure)


def flows(frame: pd.DataFrame) -> None:
    """Sums of boardings from district to depot to line, and of lit nights, as two grids."""
    figure, axes = plt.subplots(1, 2, figsize=(7.4, 3.9))
    wet = frame[frame["rain_mm"] > 2]
    for at, pair in enumerate((["district", "depot"], ["depot", "line"])):
        grid = frame.pivot_table(
            index=pair[0], columns=pair[1], values="boardings", aggfunc="sum", observed=True
        )
        wet.pivot_table(index=pair[0], columns=pair[1], values="boardings", aggfunc="sum", observed=True)
        axes[at].imshow(grid.fillna(0.0))
    _saved(figure)


def dots(frame: pd.DataFrame) -> None:
    """Sums of boardings on a grid of 26 steps as dots at the middle of their rows, the lit nights beside."""
    figure, axes = plt.subplots(figsize=(7.4, 3.9))
    for part in (frame, frame[frame["rain_mm"] > 2]):
        cells = [pd.cut(part[name], 26, labels=False) for name in ("measure_6", "measure_5")]
        found = part.groupby(cells)[["measure_6", "measure_5"]].mean()
        sums = part.groupby(cells)["boardings"].sum()
        axes.scatter(found["measure_6"], found["measure_5"], s=40 * sums / sums.max())
    _saved(figure)


def hexagons(frame: pd.DataFrame) -> None:
    """Sums of boardings in hexagons, and of lit nights beside."""
    figure, axes = plt.subplots(1, 2, figsize=(7.4, 3.9))
    for at, part in zip(axes, (frame, frame[frame["rain_mm"] > 2]), strict=True):
        at.hexbin(
            part["measure_6"], part["measure_5"], C=part["boardings"], reduce_C_function=np.sum, gridsize=40
        )
    _saved(figure)


def points(frame: pd.DataFrame) -> None:
    """late_min against boardings as a density of cells, with a line and its correlation."""
    figure, axes = plt.subplots(figsize=(7.4, 3.9))
    both = frame[["boardings", "late_min"]].dropna()
    axes.hist2d(both["boardings"], both["late_min"], bins=(56, 34))
    slope, level = np.polyfit(both["boardings"], both["late_min"], 1)
    axes.plot(both["boardings"].agg(["min", "max"]), level + slope * both["boardings"].agg(["min", "max"]))
    axes.set_title(f"r {both.corr().iloc[0, 1]:.2f}, rho {both.corr(method='spearman').iloc[0, 1]:.2f}")
    _saved(figure)


def months(frame: pd.DataFrame) -> None:
    """Draw the sum of boardings month by month, a line for each of the lines."""
    table = frame.pivot_table(
        index=frame["departed_at"].dt.to_period("M"), columns="line", values="boardings", aggfunc="sum"
    )
    figure, axes = plt.subplots(figsize=(7.4, 3.9))
    axes.plot(table.index.to_timestamp(), table)
    axes.set_ylabel("boardings")
    _saved(figure)
