"""What can be asked: frozen values that cannot be wrong once checked.

Every question is a tagged struct; ``Question`` is their union. They are
decoded strictly (unknown fields are refused), checked against a table by the
module that answers them, and hash to a stable key through their JSON.
"""

from __future__ import annotations

import hashlib
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any, Literal

import msgspec

from night_trail.core.conditions import Between, Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Name
from night_trail.core.moments import GrainName
from night_trail.core.outside import brought
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.flow.question import Flow
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.stages.question import Stages
from night_trail.core.questions.stands.question import Stands
from night_trail.core.structs import looked_through

Time = OverTime | Cycle | Decomposition | Forecast
"""Those about a measure over time."""

Why = Changed | Differ | Drivers | Held | Stands
"""Those about why something is so."""

_Question = (
    Spread
    | Compare
    | MakeUp
    | Flow
    | Kin
    | Place
    | Stages
    | Relate
    | Correlations
    | Crosstab
    | OverTime
    | Cycle
    | Decomposition
    | Forecast
    | Why
)
if TYPE_CHECKING:
    Question = _Question
else:
    # and those that installed packages bring
    Question = reduce(or_, brought("night_trail.questions"), _Question)
"""Every kind of question; grows as ways of looking are added."""


class Descent(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A group that was gone down into: its rows, and the picture it was a mark of."""

    rows: Condition
    above: Question


class Plays(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """That the main picture plays through a time, in which periods, and which of them it is at."""

    time: Name
    grain: GrainName
    period: Between


class Scene(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What is on the desk: a main picture, those beside it, the filter, the lantern.

    ``within`` are the groups gone down into, outermost first; the filter holds
    their conditions too. ``alike`` draws all pictures of one thing on one scale. Where it ``plays``
    the filter holds the period it is at.
    """

    main: Question | None = None
    beside: Annotated[tuple[Question, ...], msgspec.Meta(max_length=3)] = ()
    only: Annotated[tuple[Condition, ...], msgspec.Meta(max_length=50)] = ()
    lit: Condition | None = None
    within: Annotated[tuple[Descent, ...], msgspec.Meta(max_length=12)] = ()
    alike: bool = False
    plays: Plays | None = None
    schema: Literal[1] = 1


def to_json(value: msgspec.Struct) -> str:
    """Return the JSON of a question, condition or scene."""
    return msgspec.json.encode(value).decode()


def key(*values: msgspec.Struct | None) -> str:
    """Return a stable key for these values: equal values, equal key."""
    digest = hashlib.sha256()
    for value in values:
        digest.update(b"-" if value is None else msgspec.json.encode(value))
        digest.update(b"\n")
    return digest.hexdigest()[:20]


def decode(text: str | bytes, kind: Any, what: str) -> Any:
    """Return JSON decoded as ``kind``, or say which field is wrong.

    Raises
    ------
    BadQuestion
        With the field's name, where the JSON or a field of it is not valid.
    """
    try:
        return msgspec.json.decode(text, type=kind)
    except msgspec.ValidationError as error:
        # msgspec wraps what __post_init__ raised; our own sentence is the better one
        if isinstance(error.__cause__, BadQuestion):
            raise error.__cause__ from None
        raise BadQuestion(
            f"This {what} cannot be read: {error}".rstrip("."), "", "Check that field."
        ) from None
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise BadQuestion(f"This {what} is not valid JSON: {error}".rstrip(".")) from None


looked_through(Scene)
