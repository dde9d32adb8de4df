"""What two write at once is merged field by field, or both texts are shown: nothing is lost unseen.

A form says with a stamp for each field what stood there when it was made
(``saw`` in templates). A field that its writer left alone keeps what others
wrote meanwhile; one that both changed is refused with both texts.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from typing import TypeVar
from urllib.parse import urlsplit

from django.db import transaction
from django.db.models import Model
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils.html import format_html_join
from django.utils.safestring import SafeString, mark_safe

from night_trail.core.errors import NightTrailError

M = TypeVar("M", bound=Model)

LABELS = {
    "title": "the title",
    "note": "the note",
    "heading": "the heading",
    "text": "the text",
    "chapter": "the chapter",
    "notes": "the notes",
    "name": "the name",
    "noun_one": "what one row is",
}


class Moved(NightTrailError):
    """Something was written elsewhere after this page was loaded.

    ``both`` holds for each field what stands there now and what was refused.
    """

    def __init__(self, thing: Model, fields: Mapping[str, str], both: Mapping[str, tuple[str, str]]) -> None:
        self.thing, self.fields, self.both = thing, fields, both
        names = " and ".join(LABELS[field] for field in both)
        super().__init__(
            f"{names[0].upper()}{names[1:]} changed elsewhere after this page was loaded",
            "",
            "Both are here; choose one.",
        )


def one_line(text: str) -> str:
    """Return a title or name without line ends and superfluous blanks; those that do not break stay."""
    return re.sub(r"[ \t\r\n]+", " ", text).strip()


def tidy(text: str) -> str:
    """Return a text with the line ends it is kept with."""
    return text.replace("\r\n", "\n").replace("\r", "\n")


def stamp(text: str) -> str:
    """Return what a form carries of a text, to say later that it saw it."""
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def keep_texts(request: HttpRequest, thing: M, fields: Mapping[str, str]) -> M:
    """Keep posted texts of a thing and return it as it now is.

    Raises
    ------
    Moved
        Where a field was changed both here and elsewhere; nothing is kept then.
    """
    with transaction.atomic():
        now = type(thing)._default_manager.filter(pk=thing.pk).first()
        if now is None:
            raise NightTrailError("This was deleted elsewhere meanwhile", "", "Reload the page.")
        both: dict[str, tuple[str, str]] = {}
        for field, told in fields.items():
            mine, there = tidy(told), str(getattr(now, field))
            saw = request.POST.get(f"saw-{field}")
            if mine == there or saw == stamp(mine):
                continue
            if saw is not None and saw != stamp(there):
                both[field] = (there, mine)
            setattr(now, field, mine)
        if both:
            raise Moved(thing, {f: str(getattr(now, f)) for f in fields}, both)
        now.save(update_fields=list(fields))
    return now


def stamps(thing: Model, fields: tuple[str, ...], swap: bool = False) -> SafeString:
    """Return hidden inputs that say what stood in these fields; with ``swap`` they replace a page's own."""
    kind = thing._meta.model_name
    return format_html_join(
        "",
        '<input type="hidden" name="saw-{}" value="{}" id="saw-{}-{}-{}" autocomplete="off"{}>',
        (
            (
                field,
                stamp(str(getattr(thing, field))),
                kind,
                thing.pk,
                field,
                mark_safe(' hx-swap-oob="true"') if swap else "",
            )
            for field in fields
        ),
    )


def moved_page(request: HttpRequest, moved: Moved) -> HttpResponse:
    """Show both texts, and the way to keep either."""
    now = type(moved.thing)._default_manager.get(pk=moved.thing.pk)
    names = {"noun_one": "noun"}
    context = {
        "sentence": str(moved),
        "both": [(LABELS[field], there, mine) for field, (there, mine) in moved.both.items()],
        "mine": [(names.get(field, field), text) for field, text in moved.fields.items()],
        "stamps": stamps(now, tuple(moved.fields)),
        "address": request.path,
        "back": _came_from(request),
    }
    swap = bool(getattr(request, "htmx", False))
    response = render(request, "_moved.html" if swap else "moved.html", context, status=409)
    if swap:
        response["HX-Retarget"] = "#notice"
        response["HX-Reswap"] = "innerHTML"
    return response


def _came_from(request: HttpRequest) -> str:
    parts = urlsplit(request.headers.get("Referer", ""))
    here = parts.netloc == request.get_host() and not parts.path.startswith("//")
    return parts.path if here and parts.path else "/"
