"""Beats: how the picture of one stop is led, part by part.

A beat is a scene of the same table and the annotations that are seen with it.
The marks keep their identity from one to the next, so that they move.
"""

from __future__ import annotations

from typing import Annotated

import msgspec

from night_trail.core.annotations import Id
from night_trail.core.question import Scene
from night_trail.core.questions.shared.time_question import FrozenStruct
from night_trail.core.structs import looked_through

MOST = 12
Words = Annotated[str, msgspec.Meta(max_length=400)]


class Beat(FrozenStruct, frozen=True):
    """A part of a stop.

    ``words`` are said with it; ``hidden`` are the annotations of the stop that are not seen yet.
    """

    scene: Scene
    words: Words = ""
    hidden: Annotated[tuple[Id, ...], msgspec.Meta(max_length=40)] = ()


Beats = Annotated[tuple[Beat, ...], msgspec.Meta(max_length=MOST)]

looked_through(Beats)
