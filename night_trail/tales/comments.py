"""What readers say of a tale: written, answered, settled, hidden; and what is new since the last look."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from night_trail.core.errors import NightTrailError
from night_trail.core.hand import LARGEST_KEY, real, whole
from night_trail.people.models import Letter
from night_trail.tales.models import Comment, Link, Look, Stop, Tale
from night_trail.web.writing import one_line, tidy

MOST_TEXT, MOST_NAME = 4_000, 80
MOST_OF_GUESTS, WITHIN = 30, timedelta(hours=1)
MOST_OF_A_STOP = 500
"""So many comments guests may leave by one link within an hour, and all on one stop."""


def say(stop: Stop, form: Any, person: Any, link: Link | None) -> Comment:
    """Keep a comment on a stop, or an answer to one, and tell the tale's owner.

    Raises
    ------
    NightTrailError
        Where there are no words or no name, or a link is written through too often.
    """
    text = tidy(form.get("text", "")).strip()[:MOST_TEXT]
    if not text:
        raise NightTrailError("There is nothing written yet", "", "Write a sentence first.")
    known = person is not None and person.is_authenticated
    name = person.username if known else one_line(form.get("name", ""))[:MOST_NAME]
    if not name:
        raise NightTrailError("A comment needs a name", "", "Write yours above it.")
    if stop.comments.count() >= MOST_OF_A_STOP:
        raise NightTrailError(
            "This stop has as many comments as it takes", "", "Ask its writer to settle some."
        )
    if link is not None and not known:
        recent = link.comments.filter(made__gte=timezone.now() - WITHIN).count()
        if recent >= MOST_OF_GUESTS:
            raise NightTrailError("Very much was written by this link just now", "", "Try again in an hour.")
    thread = None
    if asked := form.get("thread", ""):
        thread = stop.comments.filter(pk=whole(asked, LARGEST_KEY) or 0, hidden=False, thread=None).first()
        if thread is None:
            raise NightTrailError("What you answer is not there any more", "", "Reload the page.")
    made = Comment.objects.create(
        stop=stop, thread=thread, person=person if known else None, link=link, name=name, text=text,
        x=_share(form, "x"), y=_share(form, "y"),
    )  # fmt: skip
    if not known or person.pk != stop.tale.owner_id:
        _tell(stop.tale.owner, made, stop)
    return made


def _share(form: Any, field: str) -> float | None:
    text = form.get(field, "").strip()
    if not text:
        return None
    at = real(text, "place")
    return min(max(at, 0.0), 1.0)


def _tell(owner: Any, made: Comment, stop: Stop) -> None:
    tale = stop.tale
    Letter.objects.create(
        to=owner,
        subject=f"{made.name} wrote on “{tale.title}”"[:200],
        text=f"On the stop “{stop.heading}”:\n\n{made.text}",
        address=reverse("tales:stop", args=[tale.pk, stop.pk]),
    )


def shown(stop: Stop, hidden_too: bool = False) -> list[dict[str, Any]]:
    """Return the comments of a stop with their answers, oldest first; hidden ones for its writers only."""
    found: Sequence[Comment] = list(stop.comments.all())
    seen = [one for one in found if hidden_too or not one.hidden]
    threads = [one for one in seen if one.thread_id is None]
    return [
        {
            "comment": one,
            "number": at,
            "answers": [answer for answer in seen if answer.thread_id == one.pk],
            "placed": one.x is not None and one.y is not None,
        }
        for at, one in enumerate(threads, 1)
    ]


def new_for(person: Any, tale: Tale) -> int:
    """Return how many comments came since a person last looked at a tale's."""
    look = Look.objects.filter(tale=tale, person=person).first()
    found = Comment.objects.filter(stop__tale=tale, hidden=False).exclude(person=person)
    return found.filter(made__gt=look.at).count() if look is not None else found.count()


def looked(person: Any, tale: Tale) -> None:
    """Remember that a person looked at what was said of a tale."""
    Look.objects.update_or_create(tale=tale, person=person, defaults={"at": timezone.now()})
