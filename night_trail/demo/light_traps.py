"""The light traps of Marrow Haven: a small, untidy file beside the buses, to be put right and joined."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import numpy as np

from night_trail.demo.night_buses import DISTRICTS

SEED = 20_240_301
TRAPS = (("lamp a", 0.7), ("lamp b", 1.0), ("sheet", 1.6))
LUX = {"Quayside": 18.0, "Old Mills": 12.5, "Foundry": 15.0, "Hillfoot": 4.5, "Saltmarsh": 6.0}
SPELLINGS = {
    "Quayside": ("Quayside", "quayside", "Quay side"),
    "Old Mills": ("Old Mills", "OLD MILLS", "Old  Mills"),
}
FIRST, LAST = dt.date(2024, 3, 1), dt.date(2024, 10, 31)


def write_traps(path: Path, seed: int = SEED) -> int:
    """Write the traps' nights as a file with the faults of a kept notebook; return how many rows it has.

    It has a title, semicolons, decimal commas, days before months, a number for
    missing, three spellings of some districts, a total at the end, and several
    traps a night, so that joining it with the trips multiplies them.
    """
    rng = np.random.default_rng(seed)
    lines = ["Light traps of Marrow Haven;;;;;", "kept by the moth watch;;;;;", ";;;;;"]
    lines.append("night;district;trap;moths;lux;found first")
    total = count = 0
    day = FIRST
    while day <= LAST:
        season = np.exp(-((day.timetuple().tm_yday - 195) ** 2) / 5_200)
        for district in DISTRICTS:
            for trap, strength in TRAPS:
                if rng.random() < 0.35:
                    continue
                moths = int(rng.poisson(34 * season * strength * (1.4 if district == "Saltmarsh" else 1.0)))
                broken = rng.random() < 0.012
                spelled = SPELLINGS.get(district, (district,))
                name = spelled[int(rng.random() ** 6 * len(spelled))]
                lux = f"{LUX[district] * rng.lognormal(0, 0.08):.1f}".replace(".", ",")
                hour = f"{int(rng.integers(21, 24))}:{int(rng.integers(0, 60)):02d}"
                lines.append(f"{day:%d/%m/%Y};{name};{trap};{9999 if broken else moths};{lux};{hour}")
                total += 0 if broken else moths
                count += 1
        day += dt.timedelta(days=1)
    lines += [f"Total;;;{total};;", "* 9999: the lamp had failed;;;;;"]
    path.write_text("\n".join(lines) + "\n", encoding="cp1252")
    return count
