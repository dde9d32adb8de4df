"""A table of a million rows and twenty columns, written by code."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import polars as pl

ROWS = 1_000_000


NARROW = ("departed_at", "line", "district", "depot", "festival", "late_min", "rain_mm", "boardings")


def write(path: Path, rows: int = ROWS, only: tuple[str, ...] = ()) -> None:
    """Write the table as CSV: identifiers, dates, categories, counts, measures with gaps and tails.

    ``only`` names the columns to write, all where it is empty.
    """
    rng = np.random.default_rng(11)
    wet = rng.random(rows) < 0.2
    late = np.where(wet & (rng.random(rows) < 0.5), rng.normal(13, 2, rows), rng.gamma(3, 1.2, rows) - 1.5)
    late[rng.random(rows) < 0.0002] *= 10
    start = np.datetime64("2021-01-01T00:00")
    moments = start + rng.integers(0, 4 * 365 * 24 * 60, rows).astype("timedelta64[m]")
    moments = moments.astype("datetime64[us]")
    columns: dict[str, pl.Series | np.ndarray] = {
        "trip_id": pl.Series(np.arange(rows)).cast(pl.String).str.zfill(7).str.replace("^", "T"),
        "departed_at": pl.Series(moments).dt.strftime("%Y-%m-%d %H:%M"),
        "night": pl.Series(moments).dt.strftime("%Y-%m-%d"),
        "line": pl.Series(rng.integers(1, 41, rows)).cast(pl.String).str.replace("^", "N"),
        "district": np.array(["Quayside", "Old Mills", "Foundry", "Hillfoot", "Saltmarsh"])[
            rng.integers(0, 5, rows)
        ],
        "depot": np.array(["Gannet Yard", "Tallow Lane", "Northgate"])[rng.integers(0, 3, rows)],
        "festival": np.array(["no", "yes"])[(rng.random(rows) < 0.02).astype(int)],
        "late_min": pl.Series(np.round(late, 2)).set(pl.Series(rng.random(rows) < 0.004), None),
        "rain_mm": np.round(np.where(wet, rng.gamma(1.6, 3.4, rows), 0), 1),
        "boardings": rng.negative_binomial(9, 0.3, rows),
        "crew": rng.integers(1, 900, rows),
        "note": pl.Series(rng.integers(0, 200_000, rows)).cast(pl.String).str.replace("^", "note "),
    }
    for i in range(20 - len(columns)):
        columns[f"measure_{i}"] = np.round(rng.normal(50, 5 + i, rows), 3)
    pl.DataFrame({name: columns[name] for name in only or columns}).write_csv(path)


def write_wide(path: Path, rows: int, columns: int) -> None:
    """Write a wide table as CSV: measures, counts, categories and dates in turn."""
    rng = np.random.default_rng(12)
    start = np.datetime64("2021-01-01")
    made: dict[str, pl.Series | np.ndarray] = {}
    for i in range(columns):
        made[f"trap {i}"] = (
            np.round(rng.normal(12, 3, rows), 2),
            rng.poisson(20, rows),
            np.array(["lamp a", "lamp b", "sheet", "bucket"])[rng.integers(0, 4, rows)],
            (start + rng.integers(0, 900, rows)).astype("datetime64[D]"),
        )[i % 4 if i % 8 else 0]
    pl.DataFrame(made).write_csv(path)
