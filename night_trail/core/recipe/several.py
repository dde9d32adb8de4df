"""Cells that hold several values ("drama|comedy"): recognised, and taken apart two ways."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from night_trail.core.table import Counted

MARKS = ("|", ";", ",", "/")
"""What may stand between the values of a cell, the surest first."""

LOOKED_AT = 20_000
"""Different texts that are looked at."""

MOST_YES_NO = 40
"""Values that may be given a yes/no column each."""

LONGEST, MOST_WORDS = 40, 4
LEAST_SEVERAL = 0.05
"""The share of cells that hold more than one value."""

EACH, ELSEWHERE = 3.0, 0.6
"""How often a value recurs on average, and the part of later values that also stand first somewhere."""


@dataclass(frozen=True)
class Several:
    """How cells hold several values: ``mark`` between them, the values with the most frequent first.

    ``rows`` is how many rows there would be with one value each; a missing cell keeps its row.
    """

    mark: str
    values: tuple[str, ...]
    rows: int


def several(counted: Counted, missing: int) -> Several | None:
    """Return how the cells of a text column hold several values each, or None where they do not.

    ``counted`` are its texts with their counts; ``missing`` cells keep their rows.

    Values must be short, recur, and be free in their order: the second of one cell stands first in
    another. So "Tarn, upper" or "Reed, Anna" are one value and "moths, beetles" are two.
    """
    texts, times = counted
    part, weights = texts.head(LOOKED_AT), times.head(LOOKED_AT)
    if len(texts) < 3 or int(texts.head(200).str.len_chars().sum()) > 200 * 5 * LONGEST:
        return None
    for mark in MARKS:
        held = int(weights.filter(part.str.contains(mark, literal=True)).sum())
        if held >= LEAST_SEVERAL * int(weights.sum()) and _free(parted(part, mark), weights):
            return _counted(parted(texts, mark), times, mark, missing)
    return None


def _counted(lists: pl.Series, times: pl.Series, mark: str, missing: int) -> Several:
    every = pl.DataFrame({"value": lists, "times": times}).explode("value").drop_nulls("value")
    tally = every.group_by("value").agg(pl.col("times").sum())
    tally = tally.sort(["times", "value"], descending=[True, False])
    rows = int((lists.list.len().cast(pl.Int64).clip(1, None) * times).sum())
    return Several(mark, tuple(tally["value"].to_list()), rows + missing)


def parted(texts: pl.Series, mark: str) -> pl.Series:
    """Return the different values of each text as a list, in their order; blanks are left out."""
    return (
        texts.str.split(mark)
        .list.eval(pl.element().str.strip_chars())
        .list.eval(pl.element().filter(pl.element() != ""))
        .list.unique(maintain_order=True)
    )


def _free(lists: pl.Series, times: pl.Series) -> bool:
    """Whether the values of lists are short, recur and stand in any order."""
    frame = pl.DataFrame({"value": lists, "times": times, "cell": range(len(lists))}).explode("value")
    frame = frame.drop_nulls("value").with_columns(
        first=pl.col("cell").is_first_distinct(), words=pl.col("value").str.count_matches(r"\s+") + 1
    )
    if not len(frame):
        return False
    held = int(frame["times"].sum())
    long = frame.filter((pl.col("value").str.len_chars() > LONGEST) | (pl.col("words") > MOST_WORDS))
    numbers = frame.filter(pl.col("value").str.contains(r"^[-+]?[\d.,:]+$"))
    if long["times"].sum() > 0.02 * held or numbers["times"].sum() > 0.5 * held:
        return False
    later = frame.filter(~pl.col("first"))
    distinct = frame["value"].n_unique()
    if later["value"].n_unique() < 2 or held < EACH * distinct:
        return False
    elsewhere = later.filter(pl.col("value").is_in(frame.filter(pl.col("first"))["value"].implode()))
    return int(elsewhere["times"].sum()) >= ELSEWHERE * int(later["times"].sum())
