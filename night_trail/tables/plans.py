"""Plans of a table's own: a picture that is brought, and where the groups of a column stand on it.

What is being placed is a draft. A picture on the desk shows a placing as it was when it was drawn:
that one never changes, so that what others were told stays as it was.
"""

from __future__ import annotations

import base64
import hashlib
import io
import subprocess
import sys
import threading
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import msgspec
from django.db import transaction

from night_trail.core.errors import BadQuestion, Unreadable
from night_trail.core.places.plan import (
    MOST_CHARACTERS,
    MOST_PLACED,
    Plan,
    PlanPicture,
    check_plan,
    checked_place,
)
from night_trail.draw.frame.text import FONTS
from night_trail.tables import models, quota
from night_trail.web.pixels import opened

if TYPE_CHECKING:
    from PIL.Image import Image

MOST_PLANS, MOST_PLACINGS, MOST_LETTERS = 12, 300, 200
LARGE, SMALL = 1_200, 300
COLOURS, QUALITY, LIGHT = 64, 82, 140
WAITS = 20
_drawing = threading.BoundedSemaphore(2)


def read_plan(data: bytes, file: str) -> PlanPicture:
    """Return the picture of a file, drawn anew: nothing of the file itself is kept.

    Raises
    ------
    NightTrailError
        Where it is no picture, or too large.
    """
    found = _on_white(opened(_drawn(data, file) if _is_svg(data) else data), file)
    light = found.convert("L").resize((16, 16)).tobytes()
    return PlanPicture(
        name=file.rsplit("/", 1)[-1].rsplit(".", 1)[0][:80] or "plan",
        width=found.width,
        height=found.height,
        large=_address(found, LARGE),
        small=_address(found, SMALL),
        light=sum(light) / len(light) > LIGHT,
    )


def _is_svg(data: bytes) -> bool:
    return b"<svg" in data[:4_000] and data.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"<")


def _drawn(data: bytes, file: str) -> bytes:
    """Return a drawing as pixels, made in a process of its own that may be stopped."""
    # a few at a time: each may take much of the machine
    with _drawing:
        return _drawn_apart(data, file)


def _drawn_apart(data: bytes, file: str) -> bytes:
    command = [sys.executable, "-m", "night_trail.web.apart", str(LARGE), str(FONTS)]
    try:
        done = subprocess.run(command, input=data, capture_output=True, timeout=WAITS, check=True)  # noqa: S603
    except subprocess.SubprocessError:
        raise Unreadable("This drawing cannot be drawn", file, "Save it as a plain SVG, or as PNG.") from None
    return done.stdout


def _on_white(painted: Image, file: str) -> Image:
    """Return an image on white where nothing is painted, no wider than is drawn."""
    from PIL import Image as Pixels  # noqa: PLC0415

    if min(painted.size) < 2 or max(painted.size) > 50 * min(painted.size):
        raise Unreadable("The plan is a line, not a picture", file, "Save it as PNG, JPEG or SVG.")
    painted = painted.convert("RGBA")
    ground = Pixels.new("RGB", painted.size, "white")
    ground.paste(painted, mask=painted.getchannel("A"))
    ground.thumbnail((LARGE, LARGE))
    return ground


def _address(found: Image, most: int) -> str:
    """Return the smaller of a drawing with few colours and a photograph, as a data address."""
    size = most
    while True:
        small = found.copy()
        small.thumbnail((size, size))
        made = []
        for form, image, kept in (
            ("png", small.quantize(COLOURS), {"optimize": True}),
            ("jpeg", small, {"quality": QUALITY}),
        ):
            out = io.BytesIO()
            image.save(out, form, **kept)
            made.append(f"data:image/{form};base64,{base64.b64encode(out.getvalue()).decode()}")
        shortest = min(made, key=len)
        if len(shortest) <= MOST_CHARACTERS // 3 or size < SMALL // 2:
            return shortest
        size = size * 3 // 4


def bring_plan(table: models.Table, data: bytes, file: str) -> models.OwnPlan:
    """Keep the picture of a file with a table; the same file is kept once.

    Raises
    ------
    NightTrailError
        Where it is no picture, or the table has as many plans as it can.
    """
    return _keep_picture(table, read_plan(data, file))


def _keep_picture(table: models.Table, picture: PlanPicture) -> models.OwnPlan:
    packed = msgspec.json.encode(picture)
    key = hashlib.sha256(packed).hexdigest()[:12]
    known = table.own_plans.filter(key=key).first()
    if known is None and table.own_plans.count() >= MOST_PLANS:
        raise BadQuestion(f"This table has {MOST_PLANS} plans already", table.name, "Use one of them.")
    if known is not None:
        return known
    quota.check_room(table.owner, len(packed))
    return models.OwnPlan.objects.get_or_create(table=table, key=key, defaults={"data": packed})[0]


def draft_of(plan: models.OwnPlan, column: str) -> models.Placing:
    """Return the placing of a column's groups that is worked on; it begins as the newest that was drawn.

    It is kept when a group is placed.
    """
    own = plan.placings.filter(column=column)
    newest = own.filter(draft=False).last()
    places = newest.places if newest is not None else {}
    return own.filter(draft=True).first() or models.Placing(
        plan=plan, column=column, draft=True, places=places
    )


def _changed(placing: models.Placing, change: Callable[[dict[str, Any]], dict[str, Any]]) -> None:
    """Change where groups stand, with what others placed meanwhile."""
    with transaction.atomic():
        kept, _ = models.Placing.objects.select_for_update().get_or_create(
            plan=placing.plan, column=placing.column, draft=True, defaults={"places": placing.places}
        )
        kept.places = placing.places = change(kept.places)
        if len(kept.places) > MOST_PLACED:
            raise BadQuestion(f"On a plan stand at most {MOST_PLACED:,} groups", "", "Take some off first.")
        kept.save(update_fields=["places"])


def put(placing: models.Placing, label: str, x: float, y: float) -> None:
    """Stand a group on the plan.

    Raises
    ------
    BadQuestion
        Where that is beside it, or too many stand there.
    """
    at = checked_place(label, x, y)
    _changed(placing, lambda places: {**places, label: at})


def take_off(placing: models.Placing, label: str) -> None:
    """Take a group off the plan."""
    _changed(placing, lambda places: {name: at for name, at in places.items() if name != label})


def drawn_as_placed(placing: models.Placing) -> str:
    """Return the key of the placing as it is now, under which it never changes.

    Raises
    ------
    BadQuestion
        Where nothing stands on the plan yet.
    """
    if not placing.places:
        raise BadQuestion("Nothing stands on the plan yet", placing.column, "Place a group first.")
    return _keep_placing(placing.plan, placing.column, placing.places)


def _keep_placing(plan: models.OwnPlan, column: str, places: Mapping[str, Sequence[float]]) -> str:
    told = msgspec.json.encode([plan.key, column, sorted(places.items())])
    key = hashlib.sha256(told).hexdigest()[:12]
    if models.Placing.objects.filter(plan__table=plan.table, key=key).exists():
        return key
    if models.Placing.objects.filter(plan__table=plan.table, draft=False).count() >= MOST_PLACINGS:
        raise BadQuestion("Groups were placed too often on this table", "", "Use a plan as it was drawn.")
    models.Placing.objects.create(plan=plan, column=column, key=key, places=dict(places))
    return key


def plan_of(table: models.Table, key: str) -> Plan | None:
    """Return a plan with what stood on it when it was drawn, None where there is none of this key."""
    found = (
        models.Placing.objects.select_related("plan").filter(plan__table=table, key=key, draft=False).first()
    )
    return None if found is None else with_places(found)


def with_places(placing: models.Placing) -> Plan:
    """Return the plan of a placing with its groups."""
    places = {label: (float(at[0]), float(at[1])) for label, at in placing.places.items()}
    return Plan(placing.plan.picture(), places)


def plans_of(table: models.Table) -> list[tuple[str, str, str]]:
    """Return the placings of a table that were drawn: key, name of the plan, column; the newest first."""
    found = (
        models.Placing.objects.filter(plan__table=table, draft=False).select_related("plan").order_by("-pk")
    )
    return [(one.key, one.plan.picture().name, one.column) for one in found]


class PackedPlacing(msgspec.Struct, frozen=True):
    """A placing as a package carries it: the key of its plan, its column, and where its groups stand."""

    plan: str
    column: str
    places: dict[str, tuple[float, float]]


class PackedPlans(msgspec.Struct, frozen=True, omit_defaults=True):
    """The plans of a table as a package carries them, and what stood on them, by their keys."""

    pictures: dict[str, PlanPicture] = {}
    placings: dict[str, PackedPlacing] = {}


def packed_plans(table: models.Table) -> PackedPlans:
    """Return the plans of a table, and every placing that was drawn."""
    found = models.Placing.objects.filter(plan__table=table, draft=False).select_related("plan")
    return PackedPlans(
        {one.plan.key: one.plan.picture() for one in found},
        {one.key: PackedPlacing(one.plan.key, one.column, dict(with_places(one).places)) for one in found},
    )


def keep_packed(table: models.Table, packed: PackedPlans) -> None:
    """Keep plans that came in a package, under the keys its pictures know them by.

    Raises
    ------
    NightTrailError
        Where one is none, or they are too many.
    """
    if len(packed.placings) > MOST_PLACINGS:
        raise Unreadable("There are too many plans in it", table.name)
    for key, one in packed.placings.items():
        picture = packed.pictures.get(one.plan)
        if picture is None or len(one.column) > MOST_LETTERS or len(key) > MOST_LETTERS // 5:
            raise Unreadable("A plan in it has no picture", table.name, "Take the package anew.")
        check_plan(Plan(picture, one.places), table.name)
        plan = _keep_picture(table, picture)
        models.Placing.objects.create(plan=plan, column=one.column, key=key, places=dict(one.places))
