"""The night buses of Marrow Haven: an invented town, a table with planted truths.

``docs/demo-data.md`` lists what is planted; ``tests/core/test_demo.py`` finds
each of it again. Everything follows from the seed.
"""

from __future__ import annotations

import csv
import datetime as dt
from dataclasses import dataclass
from pathlib import Path

import numpy as np

SEED = 20_210_101
FIRST, LAST = dt.date(2021, 1, 1), dt.date(2024, 12, 31)
ABSENT = (dt.date(2022, 3, 7), dt.date(2022, 3, 20))
"""No trips ran in this fortnight: the depots stood under water."""

REROUTED = dt.date(2023, 6, 1)
REROUTED_LINE, REROUTED_GAIN = "N7 Saltpan Loop", 1.55
FALLEN = dt.date(2023, 3, 1)
"""From this day to the end of the month the crane strike emptied one line."""

FALLEN_LINE, FALLEN_LOSS = "N3 Crane Wharf", 0.35

DISTRICTS = ("Quayside", "Old Mills", "Foundry", "Hillfoot", "Saltmarsh")
DEPOTS = ("Gannet Yard", "Tallow Lane", "Northgate")
VEHICLES = ("single-deck", "double-deck", "minibus")
SLOW_DEPOT = "Tallow Lane"
ROUNDING_DEPOT = "Northgate"
CROWDED_DISTRICT = "Quayside"

LINES: tuple[tuple[str, str, str, float], ...] = (
    ("N1 Harbour Ring", "Quayside", "Gannet Yard", 34.0),
    ("N2 Lantern Street", "Quayside", "Gannet Yard", 29.0),
    ("N3 Crane Wharf", "Quayside", "Tallow Lane", 31.0),
    ("N4 Mill Race", "Old Mills", "Tallow Lane", 24.0),
    ("N5 Weavers Row", "Old Mills", "Northgate", 22.0),
    ("N6 Tannery Hill", "Old Mills", "Tallow Lane", 19.0),
    ("N7 Saltpan Loop", "Saltmarsh", "Gannet Yard", 17.0),
    ("N8 Heron Bank", "Saltmarsh", "Northgate", 15.0),
    ("N9 Furnace Gate", "Foundry", "Tallow Lane", 26.0),
    ("N10 Slag Lane", "Foundry", "Northgate", 21.0),
    ("N11 Bellmaker", "Foundry", "Gannet Yard", 20.0),
    ("N12 Orchard Steps", "Hillfoot", "Northgate", 18.0),
    ("N13 Quarry View", "Hillfoot", "Tallow Lane", 16.0),
    ("N14 Moth Meadow", "Hillfoot", "Gannet Yard", 13.0),
)
"""Name, district, depot, usual boardings a trip."""

PLACES = {
    "Quayside": (54.112, -2.871),
    "Old Mills": (54.126, -2.848),
    "Foundry": (54.139, -2.866),
    "Hillfoot": (54.151, -2.829),
    "Saltmarsh": (54.098, -2.902),
}
HEADER = (
    "trip_id",
    "departed_at",
    "service_night",
    "line",
    "district",
    "depot",
    "vehicle",
    "crew",
    "boardings",
    "planned_boardings",
    "fare_total",
    "late_min",
    "rain_mm",
    "temp_c",
    "festival",
    "rider_rating",
    "from_zone",
    "to_zone",
    "latitude",
    "longitude",
)


@dataclass(frozen=True)
class Night:
    """One service night: its weather and whether the town celebrates."""

    date: dt.date
    rain_mm: float
    temp_c: float
    festival: bool


def nights(rng: np.random.Generator) -> list[Night]:
    """Return every service night: wetter and colder in winter, dry on three of four."""
    found = []
    for offset in range((LAST - FIRST).days + 1):
        date = FIRST + dt.timedelta(days=offset)
        season = np.cos(2 * np.pi * (date.timetuple().tm_yday - 20) / 365.25)
        wet = rng.random() < 0.23 + 0.10 * season
        rain = round(float(rng.gamma(1.6, 3.4)), 1) if wet else 0.0
        temp = round(float(9.0 - 7.0 * season + rng.normal(0, 2.4)), 1)
        festival = (date.month, date.day) in {(6, 21), (6, 22), (8, 14), (8, 15), (10, 31), (12, 31)}
        if not ABSENT[0] <= date <= ABSENT[1]:
            found.append(Night(date, rain, temp, festival))
    return found


def expected_boardings(line: str, usual: float, night: Night) -> float:
    """Return the mean boardings of a trip: weekly and yearly seasons, the level shift, the strike."""
    weekday = (0.80, 0.78, 0.82, 0.90, 1.28, 1.45, 0.97)[night.date.weekday()]
    year = 1 + 0.18 * np.cos(2 * np.pi * (night.date.timetuple().tm_yday - 200) / 365.25)
    mean = usual * weekday * year * (1.5 if night.festival else 1.0)
    if line == REROUTED_LINE and night.date >= REROUTED:
        mean *= REROUTED_GAIN
    if line == FALLEN_LINE and (night.date.year, night.date.month) == (FALLEN.year, FALLEN.month):
        mean *= FALLEN_LOSS
    return float(mean)


def lateness(rng: np.random.Generator, depot: str, district: str, surplus: float, night: Night) -> float:
    """Return minutes late: a usual hump, a second one on wet nights, crowding in one district only."""
    late = float(rng.gamma(3.2, 1.15) - 1.6)
    if night.rain_mm > 2:
        chance = 0.92 if depot == SLOW_DEPOT else 0.46
        if rng.random() < chance:
            late = float(rng.normal(13.2, 2.0))
    if district == CROWDED_DISTRICT:
        late += 0.16 * surplus
    return max(late, -4.0)


def trips(seed: int = SEED) -> list[tuple[object, ...]]:
    """Return all trips, one tuple a row in the order of ``HEADER``; about 52,000."""
    rng = np.random.default_rng(seed)
    rows: list[tuple[object, ...]] = []
    for night in nights(rng):
        weekend = night.date.weekday() in (4, 5)
        for line, district, depot, usual in LINES:
            count = 2 + int(rng.random() < (0.85 if weekend else 0.48))
            for start in np.sort(rng.choice(28, count, replace=False)):
                rows.append(_trip(rng, len(rows) + 1, night, (line, district, depot, usual), int(start)))
    return rows


def _trip(
    rng: np.random.Generator, number: int, night: Night, on: tuple[str, str, str, float], start: int
) -> tuple[object, ...]:
    line, district, depot, usual = on
    departed = dt.datetime.combine(night.date, dt.time(22)) + dt.timedelta(
        minutes=15 * start + int(rng.integers(0, 6))
    )
    mean = expected_boardings(line, usual, night)
    boardings = int(rng.negative_binomial(9, 9 / (9 + mean)))
    late = lateness(rng, depot, district, boardings - mean, night)
    if depot == ROUNDING_DEPOT and rng.random() < 0.45:
        boardings = 5 * round(boardings / 5)
    shown: float | str = round(late, 1)
    if rng.random() < 0.004:
        shown = ""
    elif rng.random() < 0.0003 and late > 2:
        shown = round(late * 10, 1)  # a slipped decimal point
    fare = round(boardings * float(rng.uniform(1.9, 2.6)), 2)
    rating = _rating(rng, late)
    here, there = _zones(rng, district)
    latitude, longitude = PLACES[district]
    return (
        f"T{number:06d}",
        departed.strftime("%Y-%m-%d %H:%M"),
        night.date.isoformat(),
        line,
        district,
        depot,
        VEHICLES[int(rng.choice(3, p=(0.5, 0.3, 0.2)))],
        f"C{int(rng.integers(1, 61)):02d}",
        boardings,
        round(usual * (1.3 if night.date.weekday() in (4, 5) else 0.9)),
        f"K {fare:,.2f}" if rng.random() > 0.00006 else "",
        shown,
        night.rain_mm,
        night.temp_c,
        "yes" if night.festival else "no",
        rating,
        here,
        there,
        round(latitude + float(rng.normal(0, 0.004)), 5),
        round(longitude + float(rng.normal(0, 0.006)), 5),
    )


def _rating(rng: np.random.Generator, late: float) -> str:
    if rng.random() < 0.18:
        return ""
    stars = round(4.4 - 0.12 * max(late, 0) + float(rng.normal(0, 0.7)))
    return f"{min(5, max(1, stars))} of 5"


def _zones(rng: np.random.Generator, district: str) -> tuple[str, str]:
    """Return where a trip starts and ends; most run towards the harbour."""
    home = DISTRICTS.index(district)
    other = 0 if home and rng.random() < 0.6 else int(rng.integers(0, 5))
    return f"{district} {int(rng.integers(1, 4))}", f"{DISTRICTS[other]} {int(rng.integers(1, 4))}"


def write_csv(path: Path, seed: int = SEED) -> int:
    """Write the trips as CSV and return how many there are."""
    rows = trips(seed)
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(HEADER)
        writer.writerows(rows)
    return len(rows)
