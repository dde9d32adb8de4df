"""A tale taken along: one HTML page, slides, a document, a notebook, a package."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from django.contrib import messages
from django.core.files.uploadedfile import UploadedFile
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.core.outside import brought
from night_trail.people.context import theme
from night_trail.tables import uploads
from night_trail.tales.export.document import print_ready, word
from night_trail.tales.export.gathered import Told, told
from night_trail.tales.export.markdown import markdown
from night_trail.tales.export.notebook import notebook
from night_trail.tales.export.page import page
from night_trail.tales.export.slides import slides
from night_trail.tales.models import Tale
from night_trail.tales.package import opened, packed
from night_trail.tales.views.writing import writable
from night_trail.web.asking import visitor
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
    "notebook": ("zip", "application/zip", lambda tale, request: notebook(tale, request.user)),
    "package": ("zip", "application/zip", lambda tale, request: packed(tale, request.user)),
    "markdown": ("zip", "application/zip", lambda tale, _: markdown(tale)),
}
"""The ending, the type and the maker of each form."""


class Export(Protocol):
    """What a package brings to take a tale along: its form's name, what it is called, the file it makes."""

    form: str
    called: str
    ending: str
    content_type: str

    def make(self, title: str, stops: list[Told]) -> bytes:
        """Return the file of a tale: its title, and what its stops tell."""
        ...


def brought_forms() -> dict[str, tuple[str, str, Maker]]:
    """Return the forms that installed packages bring; none takes the place of ours."""
    return {one.form: (one.ending, one.content_type, _maker(one)) for one in brought("night_trail.exports")}


def _maker(export: Export) -> Maker:
    return lambda tale, _: export.make(tale.title, told(tale))


@require_GET
def take(request: HttpRequest, tale: int, form: str) -> HttpResponse:
    """Give a tale as a file, to who may write on it."""
    found = writable(request, tale)
    forms = brought_forms() | FORMS
    if form not in forms:
        raise Http404
    ending, kind, make = forms[form]
    response = HttpResponse(make(found, request), content_type=kind)
    response["X-Content-Type-Options"] = "nosniff"
    return download(response, found.title, ending)


@require_POST
def open_package(request: HttpRequest) -> HttpResponse:
    """Open a package as a tale of the visitor's own."""
    file = uploads.files_of(request).get("package")
    if not isinstance(file, UploadedFile):
        raise NightTrailError("No package was chosen", "", "Choose a zip that was taken along here.")
    tale = opened(visitor(request), file.read())
    messages.info(request, f"{tale.title} was opened, with its trails and tables.")
    return redirect("tales:write", tale.pk)
