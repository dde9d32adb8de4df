"""A tale taken along: one HTML page, slides, a document, a notebook, a package."""

from __future__ import annotations

from collections.abc import Callable

from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_GET

from night_trail.people.context import theme
from night_trail.tales.export.document import print_ready, word
from night_trail.tales.export.markdown import markdown
from night_trail.tales.export.page import page
from night_trail.tales.export.slides import slides
from night_trail.tales.models import Tale
from night_trail.tales.views.writing import writable
from night_trail.web.downloads import download

Maker = Callable[[Tale, HttpRequest], bytes]
FORMS: dict[str, tuple[str, str, Maker]] = {
    "html": (
        "html",
        "text/html; charset=utf-8",
        lambda tale, request: page(tale, theme(request)["theme"]).encode(),
    ),
    "pptx": (
        "pptx",
        "application/vnd.openxmlformats-officedocument.presentationml.presentation",
        lambda tale, _: slides(tale),
    ),
    "docx": (
        "docx",
        "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
        lambda tale, _: word(tale),
    ),
    "pdf": ("pdf", "application/pdf", lambda tale, _: print_ready(tale)),
    "markdown": ("zip", "application/zip", lambda tale, _: markdown(tale)),
}
"""The ending, the type and the maker of each form."""


@require_GET
def take(request: HttpRequest, tale: int, form: str) -> HttpResponse:
    """Give a tale as a file, to who may write on it."""
    found = writable(request, tale)
    if form not in FORMS:
        raise Http404
    ending, kind, make = FORMS[form]
    response = HttpResponse(make(found, request), content_type=kind)
    response["X-Content-Type-Options"] = "nosniff"
    return download(response, found.title, ending)
