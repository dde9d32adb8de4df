"""Where to look next: pictures proposed beside the one on the desk, each with its reason."""

from __future__ import annotations

import re

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from night_trail.core.errors import NightTrailError
from night_trail.core.language.spans import plain
from night_trail.core.question import key, to_json
from night_trail.core.questions.registry import short_name
from night_trail.core.signposts import search
from night_trail.core.turns import See
from night_trail.draw import BESIDE
from night_trail.trails.models import Step, Trail
from night_trail.trails.page import desk_of, may_explore, step_for

MOST_REMEMBERED = 300
"""Of so many steps of a trail, the newest, what was asked is not proposed again."""


@require_GET
def signposts(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the pictures worth a look next; nothing for whoever may not go on from here."""
    found = step_for(request, trail, step)
    if not may_explore(request, found.trail):
        return HttpResponse("")
    desk = desk_of(found)
    searched = search(desk.scene, desk.rows, _asked(found.trail))
    items = []
    for i, one in enumerate(searched.found):
        try:
            drawn = desk.drawn(one.question, BESIDE, f"s{i}")
        except NightTrailError:
            continue  # what cannot be drawn of these rows is no way on
        reason = first_sentence(plain(drawn.words.headline))
        name = short_name(one.question)
        items.append({"name": name, "reason": reason, "svg": drawn.svg, "post": to_json(See(one.question))})
    context = {"items": items, "tried": searched.tried, "step": found, "trail": found.trail}
    return render(request, "trails/_signposts.html", context)


def first_sentence(text: str) -> str:
    """Return the first sentence of a text.

    >>> first_sentence("Half lie above 4.1 min. The rest do not.")
    'Half lie above 4.1 min.'
    """
    return re.split(r"(?<=[.?!])\s+(?=[A-Z])", text.strip(), maxsplit=1)[0]


def _asked(trail: Trail) -> set[str]:
    """Return the keys of all that was asked on a trail."""
    asked: set[str] = set()
    for step in Step.objects.filter(trail=trail).order_by("-pk")[:MOST_REMEMBERED]:
        try:
            scene = step.scene_value()
        except NightTrailError:
            continue
        asked |= {key(q) for q in (scene.main, *scene.beside) if q is not None}
    return asked
