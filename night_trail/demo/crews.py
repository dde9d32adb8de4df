"""Who belongs to whom at the night buses of Marrow Haven: office, depots, lines, crews, workshops."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

from night_trail.demo.night_buses import DEPOTS, LINES

SEED = 20_240_601
OFFICE = "Night office"
CREWS = 60
"""As many as drive the trips, C01 to C60."""


def write_crews(path: Path, seed: int = SEED) -> int:
    """Write one row a unit: what it is, to whom it belongs, its people, its cost a month; return how many.

    One workshop belongs to a depot that was closed and is no unit any more: it is for the reader of
    the table to find.
    """
    rng = np.random.default_rng(seed)
    rows: list[tuple[str, str, str, int, int]] = [(OFFICE, "", "office", 6, 21_400)]
    for depot in DEPOTS:
        rows.append((depot, OFFICE, "depot", 4, int(rng.integers(9_000, 12_000))))
        rows.append(
            (
                f"Workshop {depot}",
                depot,
                "workshop",
                int(rng.integers(5, 9)),
                int(rng.integers(14, 22)) * 1_000,
            )
        )
    teams = [(f"Line {name.split()[0]}", yard) for name, _, yard, _ in LINES]
    for team, yard in teams:
        rows.append((team, yard, "line", 1, int(rng.integers(2_900, 3_600))))
    for crew in range(1, CREWS + 1):
        team = teams[int(rng.integers(0, len(teams)))][0]
        people = int(rng.integers(2, 6))
        rows.append((f"C{crew:02d}", team, "crew", people, people * int(rng.integers(2_300, 2_900))))
    rows.append(("Old wash bay", "Gull Quay", "workshop", 2, 4_300))
    with path.open("w", newline="", encoding="utf-8") as file:
        made = csv.writer(file, lineterminator="\n")
        made.writerow(("unit", "belongs_to", "kind", "people", "cost_month"))
        made.writerows(rows)
    return len(rows)
