"""Tickets held to the readers at the stops of Marrow Haven: more rows than are brought, kept in a folder."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import polars as pl

from night_trail.demo.night_buses import LINES

SEED = 20_241_101
MONTHS, A_MONTH = 12, 130_000
CORNERS = ("Cross", "Lane", "Steps", "Gate")
TICKETS = {"single": 2.4, "night pass": 1.8, "month pass": 1.1}


def write_taps(folder: Path, seed: int = SEED) -> int:
    """Write a Parquet file a month, and return how many rows there are together.

    Readers on the second line stood an hour back from May to July, so that its nights begin too
    early: it is for the reader of the table to find. From September on passes take from singles.
    """
    rng = np.random.default_rng(seed)
    folder.mkdir(parents=True, exist_ok=True)
    lines = [name for name, *_ in LINES]
    stops = [f"{name.split(' ', 1)[1]} {corner}" for name in lines for corner in CORNERS]
    weights = 1 / np.arange(1, len(lines) + 1) ** 0.5
    total = 0
    for month in range(1, MONTHS + 1):
        n = int(A_MONTH * (1.15 if month in (6, 7, 8) else 1.0))
        begins = np.datetime64(f"2024-{month:02d}-01", "s")
        ends = np.datetime64(f"2024-{month + 1:02d}-01" if month < MONTHS else "2025-01-01", "s")
        nights = int((ends - begins).astype(np.int64) // 86_400)
        line = rng.choice(len(lines), n, p=weights / weights.sum())
        hour = rng.choice([0, 1, 2, 3, 22, 23], n, p=[0.2, 0.16, 0.1, 0.06, 0.22, 0.26])
        hour = np.where((line == 1) & (5 <= month <= 7), (hour - 1) % 24, hour)
        seconds = rng.integers(0, nights, n) * 86_400 + hour * 3_600 + rng.integers(0, 3_600, n)
        passes = 0.30 if month < 9 else 0.42
        ticket = rng.choice(len(TICKETS), n, p=[0.75 - passes, 0.25, passes])
        walk = np.round(rng.gamma(2.2, 1.4 + 0.06 * line, n), 1)
        frame = pl.DataFrame(
            {
                "tapped_at": (begins + seconds).astype("datetime64[us]"),
                "line": pl.Series(lines).gather(line),
                "stop": pl.Series(stops).gather(line * len(CORNERS) + rng.integers(0, len(CORNERS), n)),
                "ticket": pl.Series(list(TICKETS)).gather(ticket),
                "fare": pl.Series(list(TICKETS.values())).gather(ticket),
                "walk_min": walk,
                "changed_bus": rng.random(n) < 0.18 + 0.01 * line,
            }
        )
        empty = pl.Series(rng.random(n) < 0.02)
        frame = frame.with_columns(walk_min=pl.when(empty).then(None).otherwise(pl.col("walk_min")))
        frame.write_parquet(folder / f"taps-2024-{month:02d}.parquet")
        total += n
    return total
