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
