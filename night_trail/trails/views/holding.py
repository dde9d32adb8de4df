"""What is at hand of a mark that is held: what makes it up, and what can be asked of it."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET
from msgspec.structs import replace

from night_trail.core.at_hand import at_hand
from night_trail.core.conditions import Condition, check
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words
from night_trail.core.question import decode, to_json
from night_trail.core.questions.registry import short_name
from night_trail.core.turns import Light, See
from night_trail.draw import BESIDE
from night_trail.trails.page import desk_of, may_explore, step_for
from night_trail.trails.pictures import Desk

MOST_POINTED = 8_000


@require_GET
def held(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show what makes a mark up; ``part`` is ``card`` for the small picture alone."""
    found = step_for(request, trail, step)
    text = request.GET.get("rows", "")
    if len(text) > MOST_POINTED:
        raise BadQuestion("This mark stands for too much to be held", "", "Light it instead.")
    rows: Condition = decode(text, Condition, "condition")
    desk = desk_of(found)
    check(rows, desk.table)
    hand = at_hand(desk.scene, rows, desk.rows)
    inside = Desk(found.trail.version, replace(desk.scene, only=(*desk.scene.only, rows), lit=None))
    picture = None if hand.made_of is None else inside.drawn(hand.made_of, BESIDE, "hand")
    context = {
        "step": found,
        "trail": found.trail,
        "hand": hand,
        "picture": picture,
        "name": short_name(hand.made_of) if hand.made_of is not None else "",
        "light": to_json(Light(rows)),
        "rings": [(in_words(ring, desk.table), to_json(Light(ring))) for ring in hand.rings],
        "why": to_json(See(hand.why)) if hand.why is not None else "",
        "differs": to_json(See(hand.differs)) if hand.differs is not None else "",
        "others": [(label, to_json(See(question))) for label, question in hand.others],
        "may_explore": may_explore(request, found.trail),
        "card": request.GET.get("part") == "card",
    }
    return render(request, "trails/_at_hand.html", context)
