"""What pages show of a picture that plays through time."""

from __future__ import annotations

import json
from typing import Any

from django.urls import reverse

from night_trail.core.errors import BadQuestion
from night_trail.core.playing import Frame, grains_of, place_of, standing, whole
from night_trail.core.question import Scene, to_json
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS
from night_trail.core.turns import Play
from night_trail.draw import BESIDE
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk


def at_period(desk: Desk, at: int) -> Scene:
    """Return a scene that plays, at the period of this place.

    Raises
    ------
    BadQuestion
        Where there is no such period.
    """
    plays = desk.scene.plays
    assert plays is not None  # noqa: S101  (asked only of scenes that play)
    found = desk.frames()
    if not 0 <= at < len(found):
        raise BadQuestion("There is no such period", "at", "Reload the page.")
    return standing(desk.scene, plays.time, plays.grain, found[at])


MOST_PANELS = 12


def beside_each_other(desk: Desk, least: int = 0, reads: bool = False) -> dict[str, Any]:
    """Return some periods of a picture that plays, evenly chosen, small and on the same scales.

    Of periods of fewer than ``least`` rows nothing is drawn.
    """
    frames = desk.frames()
    most = min(MOST_PANELS, len(frames))
    drawn = []
    for at in (round(i * (len(frames) - 1) / max(most - 1, 1)) for i in range(most)):
        scene = at_period(desk, at)
        assert scene.main is not None  # noqa: S101  (asked only of scenes that play)
        one = Desk(desk.version, scene, reads=reads, glanced=True)
        held_back = one.rows.n < least
        svg = "" if held_back else one.drawn(scene.main, BESIDE, f"p{at}").svg
        drawn.append((frames[at].label, svg))
    return {"panels": drawn, "panels_of": len(frames)}


def bar(desk: Desk, frames: tuple[Frame, ...], frame: str, target: str, swap: str) -> dict[str, Any]:
    """Return what the bar under a picture that plays shows."""
    plays = desk.scene.plays
    assert plays is not None  # noqa: S101  (asked only of scenes that play)
    at = place_of(desk.scene, frames)
    return {
        "time": plays.time,
        "labels": json.dumps([one.label for one in frames], ensure_ascii=False),
        "last": len(frames) - 1,
        "at": at or 0,
        "label": frames[at].label if at is not None else "",
        "frame": frame,
        "target": target,
        "swap": swap,
    }


def desk_bar(desk: Desk, step: Step) -> dict[str, Any]:
    """Return the bar of the desk: with the periods that can be chosen, and the way out."""
    plays = desk.scene.plays
    assert plays is not None  # noqa: S101  (asked only of scenes that play)
    frame = reverse("trails:played", args=[step.trail_id, step.pk])
    rows = Desk(desk.version, whole(desk.scene)).rows
    return bar(desk, desk.frames(), frame, "#stage", "innerMorph") | {
        "turns": True,
        "grains": [
            {
                "words": GRAIN_WORDS[grain],
                "post": to_json(Play(plays.time, grain)),
                "on": grain == plays.grain,
            }
            for grain in grains_of(rows, plays.time)
        ],
        "off": to_json(Play(off=True)),
    }
