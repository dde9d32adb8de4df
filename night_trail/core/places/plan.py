"""A plan of one's own: a picture on which groups are placed by hand.

Places are shares of the picture: from its left edge, from its top edge. Where the core asks for a
place on an axis they are parts of ``ACROSS``, the upright ones counted upward, so that a range on
either axis reads as on any other picture.
"""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from night_trail.core.errors import BadQuestion, Unreadable

ACROSS = 100.0
"""A plan is so many units wide."""

MOST_PLACED, MOST_LETTERS = 2_000, 500
_DRAWN = ("data:image/png;base64,", "data:image/jpeg;base64,")
MOST_CHARACTERS = 700_000


class PlanPicture(msgspec.Struct, frozen=True):
    """The picture of a plan, as data addresses: as it is, and small.

    ``width`` and ``height`` are in pixels; ``light`` is whether most of it is light.
    """

    name: str
    width: int
    height: int
    large: str
    small: str
    light: bool = True

    @property
    def high(self) -> float:
        """How high it is in the units it is ``ACROSS`` wide."""
        return ACROSS * self.height / self.width


class Plan(msgspec.Struct, frozen=True):
    """A plan with where groups stand on it: for each label the share from the left, and from the top."""

    picture: PlanPicture
    places: Mapping[str, tuple[float, float]] = {}

    def at(self, label: str) -> tuple[float, float] | None:
        """Return where a group stands in the plan's units, upward from its foot; None where nowhere."""
        if label not in self.places:
            return None
        x, y = self.places[label]
        return ACROSS * x, self.picture.high * (1 - y)


def checked_place(label: str, x: float, y: float) -> tuple[float, float]:
    """Return a place on a plan, to a ten-thousandth of it.

    Raises
    ------
    BadQuestion
        Where it is beside the plan, or the label is none.
    """
    # what is no number lies beside it too
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise BadQuestion("That is beside the plan", label[:60], "Place it on the plan.")
    if not label or len(label) > MOST_LETTERS:
        raise BadQuestion("This group cannot be placed", label[:60], "Choose one of the list.")
    return round(x, 4), round(y, 4)


def check_plan(plan: Plan, where: str) -> None:
    """Refuse a plan that came from outside and is none.

    Raises
    ------
    Unreadable
        Saying why.
    """
    picture = plan.picture
    sized = 1 <= picture.width <= 10_000 and 1 <= picture.height <= 10_000 and len(picture.name) <= 200
    plain = all(
        one.startswith(_DRAWN) and len(one) <= MOST_CHARACTERS and '"' not in one and "<" not in one
        for one in (picture.large, picture.small)
    )
    if not sized or not plain or len(plan.places) > MOST_PLACED:
        raise Unreadable("A plan in it is no picture", where, "Bring the picture again.")
    try:
        for label, (x, y) in plan.places.items():
            checked_place(label, x, y)
    except BadQuestion:
        raise Unreadable("Groups stand beside a plan in it", where, "Place them again.") from None
