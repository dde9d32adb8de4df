"""The ready trail and tale of the demo: what an analyst found about late night buses."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from django.conf import settings

from night_trail.core.annotations import Annotation, Arrow, Note
from night_trail.core.conditions import Between
from night_trail.core.errors import NightTrailError
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.turns import Beside, Light, See, Slot
from night_trail.demo.light_traps import write_traps
from night_trail.demo.night_buses import write_csv
from night_trail.tables.arrivals import read_arrival
from night_trail.tables.models import Arrival, Table
from night_trail.tales.models import Stop, Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Cairn, Step
from night_trail.trails.services import cairn_at, start_trail, take_turn

WET = Between("rain_mm", 2.0, None, low_open=True)
TITLE = "Why are we late?"


def bring_buses(owner: Any) -> Table:
    """Write the trips as a file and read it the way any other file is read."""
    return _bring(owner, "night_buses.csv", write_csv)


def bring_traps(owner: Any) -> Table:
    """Write the light traps' notebook and read it; its faults are left to be put right."""
    return _bring(owner, "light_traps.csv", write_traps)


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
        "Most trips run within **four minutes** of time. A second group gathers near **13 minutes**, "
        "and almost all of it ran on wet nights.\n\n"
        "Dry nights show no such group: the cause is the weather, or what a depot does about it.",
        Note("hump", 14.5, 5200.0, "A second hump near 13 min — almost all of it on wet nights"),
        Arrow("points", 15.6, 4300.0, 13.4, 1150.0),
    )
    depots = take_turn(wet, See(Spread("late_min", across="depot", shape="boxes")))
    slow = leave(
        depots,
        "Tallow Lane’s wet nights",
        "On wet nights the middle trip from **Tallow Lane** is more than ten minutes late. "
        "The other two depots share the rain, but not the delay.\n\n"
        "What Tallow Lane does differently when it rains is the question for the next shift meeting.",
        Note("slow", 19.0, ("Tallow Lane", 0.1), "Here nearly every wet trip is late"),
        Arrow("to", 18.8, ("Tallow Lane", 0.12), 15.2, ("Tallow Lane", 0.36)),
    )
    tale = Tale.objects.create(owner=owner, title=TITLE)
    opening = add_stop(tale, None)
    Stop.objects.filter(pk=opening.pk).update(
        heading="A town that sleeps late",
        text="Marrow Haven runs **fourteen night lines** from three depots. Riders say the buses are "
        "always late. The trips of four years say something narrower.\n\nThree stops, two minutes.",
    )
    add_stop(tale, hump)
    add_stop(tale, slow)
    return tale
