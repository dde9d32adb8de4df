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
SLOW_CHANCE, USUAL_CHANCE = 0.92, 0.46
"""How often a trip is held up on a wet night: from the slow depot, and from the others."""

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


def nights(rng: np.random.Generator, first: dt.date = FIRST, last: dt.date = LAST) -> list[Night]:
    """Return every service night: wetter and colder in winter, dry on three of four."""
    found = []
    for offset in range((last - first).days + 1):
        date = first + dt.timedelta(days=offset)
        season = np.cos(2 * np.pi * (date.timetuple().tm_yday - 20) / 365.25)
        wet = rng.random() < 0.23 + 0.10 * season
        rain = round(float(rng.gamma(1.6, 3.4)), 1) if wet else 0.0
        temp = round(float(9.0 - 7.0 * season + rng.normal(0, 2.4)), 1)
        festival = (date.month, date.day) in {(6, 21), (6, 22), (8, 14), (8, 15), (10, 31), (12, 31)}
        if not ABSENT[0] <= date <= ABSENT[1]:
            found.append(Night(date, rain, temp, festival))
    return found


def trips(seed: int = SEED) -> list[tuple[object, ...]]:
    """Return all trips, one tuple a row in the order of ``HEADER``; about 52,000."""
    rng = np.random.default_rng(seed)
    return _trips(rng, nights(rng), 0, SLOW_CHANCE)


def following(before: int) -> list[tuple[object, ...]]:
    """Return the trips of the month behind the last; ``before`` trips were numbered already.

    In it the slow depot does on wet nights what the others do: what was claimed of
    it is true no more.
    """
    rng = np.random.default_rng(SEED + 1)
    first = LAST + dt.timedelta(days=1)
    last = (first.replace(day=28) + dt.timedelta(days=4)).replace(day=1) - dt.timedelta(days=1)
    return _trips(rng, nights(rng, first, last), before, USUAL_CHANCE)


def _trips(
    rng: np.random.Generator, calendar: list[Night], before: int, slow_chance: float
) -> list[tuple[object, ...]]:
    night, line, start = _timetable(rng, calendar)
    n = len(night)
    rain = np.array([x.rain_mm for x in calendar])[night]
    depot = np.array([DEPOTS.index(x[2]) for x in LINES])[line]
    district = np.array([DISTRICTS.index(x[1]) for x in LINES])[line]
    mean = _expected_boardings(calendar)[night, line]
    boardings = rng.negative_binomial(9, 9 / (9 + mean))
    late = _lateness(rng, depot, district, boardings - mean, rain, slow_chance)
    by_hand = (depot == DEPOTS.index(ROUNDING_DEPOT)) & (rng.random(n) < 0.45)
    boardings = np.where(by_hand, 5 * np.round(boardings / 5), boardings).astype(int)
    slipped = (rng.random(n) < 0.0003) & (late > 2)
    shown = np.round(np.where(slipped, late * 10, late), 1)
    unknown = rng.random(n) < 0.004
    fare = np.round(boardings * rng.uniform(1.9, 2.6, n), 2)
    no_fare = rng.random(n) < 0.00006
    stars = np.clip(np.round(4.4 - 0.12 * np.maximum(late, 0) + rng.normal(0, 0.7, n)), 1, 5).astype(int)
    unrated = rng.random(n) < 0.18
    vehicle, crew = rng.choice(3, n, p=(0.5, 0.3, 0.2)), rng.integers(1, 61, n)
    minute = 15 * start + rng.integers(0, 6, n)
    # most trips run towards the harbour
    inwards = (district > 0) & (rng.random(n) < 0.6)
    towards = np.where(inwards, 0, rng.integers(0, 5, n))
    zones = rng.integers(1, 4, (n, 2))
    jitter = rng.normal(0, (0.004, 0.006), (n, 2))
    rows: list[tuple[object, ...]] = []
    for i in range(n):
        on, (name, home, yard, usual) = calendar[night[i]], LINES[line[i]]
        departed = dt.datetime.combine(on.date, dt.time(22)) + dt.timedelta(minutes=int(minute[i]))
        weekend = on.date.weekday() in (4, 5)
        latitude, longitude = PLACES[home]
        rows.append(
            (
                f"T{before + i + 1:06d}",
                departed.strftime("%Y-%m-%d %H:%M"),
                on.date.isoformat(),
                name,
                home,
                yard,
                VEHICLES[vehicle[i]],
                f"C{crew[i]:02d}",
                int(boardings[i]),
                round(usual * (1.3 if weekend else 0.9)),
                "" if no_fare[i] else f"K {fare[i]:,.2f}",
                "" if unknown[i] else float(shown[i]),
                on.rain_mm,
                on.temp_c,
                "yes" if on.festival else "no",
                "" if unrated[i] else f"{stars[i]} of 5",
                f"{home} {zones[i, 0]}",
                f"{DISTRICTS[towards[i]]} {zones[i, 1]}",
                round(latitude + float(jitter[i, 0]), 5),
                round(longitude + float(jitter[i, 1]), 5),
            )
        )
    return rows


def _timetable(rng: np.random.Generator, calendar: list[Night]) -> tuple[np.ndarray, ...]:
    """Return night, line and quarter hour of every trip: two or three a line and night, more at weekends."""
    weekend = np.array([n.date.weekday() in (4, 5) for n in calendar])
    third = rng.random((len(calendar), len(LINES))) < np.where(weekend, 0.85, 0.48)[:, None]
    counts = (2 + third).ravel()
    night, line = np.divmod(np.repeat(np.arange(counts.size), counts), len(LINES))
    start = rng.integers(0, 28, len(night))
    order = np.lexsort((start, line, night))
    return night[order], line[order], start[order]


def _expected_boardings(calendar: list[Night]) -> np.ndarray:
    """Return mean boardings a trip by night and line: weekly and yearly seasons, the shift, the strike."""
    weekly = np.array((0.80, 0.78, 0.82, 0.90, 1.28, 1.45, 0.97))
    mean = np.empty((len(calendar), len(LINES)))
    for i, night in enumerate(calendar):
        year = 1 + 0.18 * np.cos(2 * np.pi * (night.date.timetuple().tm_yday - 200) / 365.25)
        mean[i] = weekly[night.date.weekday()] * year * (1.5 if night.festival else 1.0)
    mean *= np.array([usual for *_, usual in LINES])
    names = [name for name, *_ in LINES]
    after = np.array([n.date >= REROUTED for n in calendar])
    mean[after, names.index(REROUTED_LINE)] *= REROUTED_GAIN
    strike = np.array([(n.date.year, n.date.month) == (FALLEN.year, FALLEN.month) for n in calendar])
    mean[strike, names.index(FALLEN_LINE)] *= FALLEN_LOSS
    return mean


def _lateness(
    rng: np.random.Generator,
    depot: np.ndarray,
    district: np.ndarray,
    surplus: np.ndarray,
    rain: np.ndarray,
    slow_chance: float,
) -> np.ndarray:
    """Return minutes late: a usual hump, a second one on wet nights, crowding in one district only."""
    n = len(rain)
    late = rng.gamma(3.2, 1.15, n) - 1.6
    chance = np.where(depot == DEPOTS.index(SLOW_DEPOT), slow_chance, USUAL_CHANCE)
    held = (rain > 2) & (rng.random(n) < chance)
    late = np.where(held, rng.normal(13.2, 2.0, n), late)
    late += np.where(district == DISTRICTS.index(CROWDED_DISTRICT), 0.16 * surplus, 0.0)
    return np.maximum(late, -4.0)


def write_csv(path: Path, seed: int = SEED, and_following: bool = False) -> int:
    """Write the trips as CSV, with the month behind the last where wanted, and return how many there are."""
    rows = trips(seed)
    if and_following:
        rows += following(len(rows))
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(HEADER)
        writer.writerows(rows)
    return len(rows)
