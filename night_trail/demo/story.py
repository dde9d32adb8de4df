"""The ready trail and tale of the demo: what an analyst found about late night buses."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from django.conf import settings
from msgspec.structs import replace

from night_trail.core.annotations import Annotation, Arrow, Note
from night_trail.core.beats import Beat
from night_trail.core.claims.words import claim_from
from night_trail.core.conditions import Between, Recent
from night_trail.core.errors import NightTrailError
from night_trail.core.measure import Measure
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.turns import Beside, Light, Only, See, Slot
from night_trail.demo.crews import write_crews
from night_trail.demo.light_traps import write_traps
from night_trail.demo.line_map import FILE as MAP_FILE
from night_trail.demo.line_map import line_map, placed_lines
from night_trail.demo.night_buses import write_csv
from night_trail.demo.outlines import FILE, outlines
from night_trail.tables.arrivals import read_arrival
from night_trail.tables.models import Arrival, Table
from night_trail.tables.own_areas import bring_areas
from night_trail.tables.plans import bring_plan, draft_of, drawn_as_placed, put
from night_trail.tales.figures import figures_of
from night_trail.tales.models import Stop, Tale
from night_trail.tales.services import add_stop
from night_trail.trails.claims import keep_claim
from night_trail.trails.models import Cairn, Step
from night_trail.trails.pictures import Desk
from night_trail.trails.services import cairn_at, start_trail, take_turn

WET = Between("rain_mm", 2.0, None, low_open=True)
TITLE = "Why are we late?"
SUM = Measure("sum", "boardings")
ON_WET_LANE = "rain_mm above 2 and depot is Tallow Lane"
ON_OTHER_WET = "rain_mm above 2 and depot is not Tallow Lane"


def bring_buses(owner: Any) -> Table:
    """Write the trips as a file and read it the way any other file is read; its districts have outlines,
    its lines a map.
    """
    made = _bring(owner, "night_buses.csv", write_csv)
    bring_areas(made, outlines(), FILE)
    lines = draft_of(bring_plan(made, line_map(), MAP_FILE), "line")
    for line, (x, y) in placed_lines().items():
        put(lines, line, x, y)
    drawn_as_placed(lines)
    return made


def bring_traps(owner: Any) -> Table:
    """Write the light traps' notebook and read it; its faults are left to be put right."""
    return _bring(owner, "light_traps.csv", write_traps)


def bring_crews(owner: Any, beside: Table) -> Table:
    """Write who belongs to whom and read it; on the shelf it stands behind the table it is beside."""
    made = _bring(owner, "crews.csv", write_crews)
    Table.objects.filter(pk=made.pk).update(created=beside.created - dt.timedelta(seconds=1))
    return made


def _bring(owner: Any, name: str, write: Callable[[Path], object]) -> Table:
    settings.INCOMING.mkdir(parents=True, exist_ok=True)
    kept = settings.INCOMING / f"demo-{owner.pk}-{name}"
    write(kept)
    arrival = Arrival.objects.create(owner=owner, file_name=name, path=str(kept))
    read_arrival(arrival)
    if arrival.table is None:
        raise NightTrailError(f"The demo table could not be made: {arrival.said}")
    return arrival.table


def leave(step: Step, title: str, note: str, *annotations: Annotation) -> Cairn:
    """Leave a cairn with its words and annotations."""
    cairn = cairn_at(step)
    cairn.title, cairn.note = title, note
    cairn.annotations = list(msgspec.to_builtins(annotations))
    cairn.save()
    return cairn


def told(stop: Stop, text: str) -> None:
    """Write a stop's text; what stands in braces is the figure of its picture with that label, bound."""
    figures = {figure.label: figure for figure in figures_of(stop)[0]}
    stop.text = re.sub(r"\{([^}]+)\}", lambda found: figures[found[1]].bond, text)
    stop.save(update_fields=["text"])


def claimed(cairn: Cairn, words: str) -> None:
    """Let a cairn claim something."""
    desk = Desk(cairn.step.trail.version, cairn.step.scene_value())
    keep_claim(cairn, claim_from(words, desk.table), desk)


def tell(owner: Any, table: Table) -> Tale:
    """Walk the trail, leave the cairns, and put them into a tale."""
    step = start_trail(owner, table, column="late_min")
    step.trail.title = TITLE
    step.trail.save(update_fields=["title"])
    step = take_turn(step, Slot("bins", Bins(width=1.0)))
    fork = take_turn(step, Slot("across", "district"))
    take_turn(fork, Slot("shape", "boxes"))
    step = take_turn(step, Beside(Spread("late_min", across="depot", shape="boxes")))
    wet = take_turn(step, Light(WET))
    hump = leave(
        wet,
        "Rain makes its own hump",
        "Most trips run within four minutes of time. A second group gathers near 13 minutes, "
        "and almost all of it ran on wet nights.",
        Note("hump", 14.5, 5200.0, "A second hump near 13 min — almost all of it on wet nights"),
        Arrow("points", 15.6, 4300.0, 13.4, 1150.0),
    )
    claimed(hump, "the median of late_min is higher where rain_mm above 2 than elsewhere")
    depots = take_turn(wet, See(Spread("late_min", across="depot", shape="boxes")))
    slow = leave(
        depots,
        "Tallow Lane’s wet nights",
        "On wet nights the middle trip from Tallow Lane is more than ten minutes late.",
        Note("slow", 19.0, ("Tallow Lane", 0.1), "Here nearly every wet trip is late"),
        Arrow("to", 18.8, ("Tallow Lane", 0.12), 15.2, ("Tallow Lane", 0.36)),
    )
    claimed(slow, f"the median of late_min is higher where {ON_WET_LANE} than where {ON_OTHER_WET}")
    latest = take_turn(depots, Only(Recent("departed_at", 1, "month")))
    still = leave(latest, "It was so to the end", "The last month looks like all the others.")
    claimed(still, f"the median of late_min is higher where {ON_WET_LANE} than where {ON_OTHER_WET}")
    drives = take_turn(step, See(Drivers("late_min", without=("rider_rating",))))
    driver = leave(drives, "Rain before all else", "What tells a late trip from one on time.")
    fallen = take_turn(step, See(Changed(SUM, _month(2023, 2), _month(2023, 3), by=("line",))))
    fall = leave(fallen, "One line fell while all others rose", "The crane strike of March 2023.")
    claimed(
        fall,
        "the average of boardings is lower where line is N3 Crane Wharf and departed_at in March 2023 "
        "than where line is N3 Crane Wharf and departed_at in February 2023",
    )
    week = take_turn(step, See(Cycle(SUM, "departed_at", "week")))
    round_ = leave(week, "Saturday carries the week", "The town rides home from its weekends.")
    claimed(round_, "the sum of boardings over departed_at repeats every week")
    ahead = take_turn(step, See(Forecast(SUM, "departed_at", "month")))
    coming = leave(ahead, "What is to come", "No more riders, if nothing changes.")
    claimed(coming, "the sum of boardings lies between 19,500 and 22,000 once departed_at in January 2025")
    return _tale(owner, hump, slow, still, driver, fall, round_, coming)


def _month(year: int, month: int) -> Between:
    return Between("departed_at", f"{year}-{month:02d}-01", f"{year}-{month + 1:02d}-01")


def _tale(owner: Any, *cairns: Cairn) -> Tale:
    tale = Tale.objects.create(owner=owner, title=TITLE)
    opening = add_stop(tale, None)
    Stop.objects.filter(pk=opening.pk).update(
        heading="A town that sleeps late",
        chapter="What was asked",
        text="Marrow Haven runs **fourteen night lines** from three depots. Riders say the buses are "
        "always late. The trips of four years say something narrower.\n\nNine stops, four minutes.",
    )
    hump, slow, still, driver, fall, week, coming = (add_stop(tale, cairn) for cairn in cairns)
    Stop.objects.filter(pk=hump.pk).update(chapter="What was found")
    told(
        hump,
        "Half of all trips lie between {lower quartile} and {upper quartile} late, the middle at {middle}. "
        "A second group gathers near **13 minutes**, and almost all of it ran on wet nights: their middle "
        "trip is {middle, lit} late.\n\nDry nights show no such group: the cause is the weather, or what a "
        "depot does about it.",
    )
    scene = replace(hump.shown_scene(), beside=())
    hump.beats = list(
        msgspec.to_builtins(
            (
                Beat(replace(scene, lit=None), "All trips of four years.", ("hump", "points")),
                Beat(scene, "The wet nights, lit.", ("hump", "points")),
                Beat(scene, "They make the second hump."),
            )
        )
    )
    hump.save(update_fields=["beats"])
    told(
        slow,
        "On wet nights the middle trip from **Tallow Lane** is {middle Tallow Lane, lit} late, that of "
        "Gannet Yard {middle Gannet Yard, lit}. The other two depots share the rain, but not the delay.",
    )
    told(
        still,
        "In the last month the middle wet trip from Tallow Lane was {middle Tallow Lane, lit} late. "
        "Whatever was tried, it has not helped yet.",
    )
    told(
        driver,
        "Is it not the crew, the vehicle, the line? Held against each other on trips that were not looked "
        "at, *rain* tells late trips apart before all else; a full bus and the depot follow. What riders "
        "gave as a rating came after, and was left out.",
    )
    Stop.objects.filter(pk=fall.pk).update(chapter="What else the rows say")
    told(
        fall,
        "In March 2023 a strike of the crane drivers emptied **N3 Crane Wharf**, while every other line "
        "gained with the spring. One month, one line: no trend.",
    )
    told(
        week,
        "On Saturday {Saturday} rides were counted, on Wednesday {Wednesday}. A late Saturday night "
        "strikes the most riders. In your district it may be otherwise: choose it.",
    )
    Stop.objects.filter(pk=week.pk).update(chips=["district"])
    told(coming, "For January {January 2025} rides are expected. The next delivery will tell.")
    closing = add_stop(tale, None)
    Stop.objects.filter(pk=closing.pk).update(
        heading="What follows",
        chapter="What follows",
        text="- Ask **Tallow Lane** what it does otherwise when it rains.\n"
        "- Look again when the next month is there.\n\n"
        "> Riders were right about the wet nights, and wrong about all others.",
    )
    return tale
