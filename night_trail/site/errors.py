"""One plain sentence for everything that goes wrong."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def sentence_page(request: HttpRequest, sentence: str, status: int) -> HttpResponse:
    """Return a sentence: as a notice on the page for a fragment, as a page of its own otherwise."""
    if getattr(request, "htmx", False):
        response = render(request, "notice.html", {"sentence": sentence}, status=status)
        response["HX-Retarget"] = "#notice"
        response["HX-Reswap"] = "innerHTML"
        return response
    return render(request, "sentence.html", {"sentence": sentence}, status=status)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Return what is said to a request that makes no sense."""
    return sentence_page(request, "That request could not be understood. Go back and try again.", 400)


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Return what is said where a right is missing."""
    return sentence_page(request, "You have no right to see this. Sign in as somebody who has.", 403)


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Return what is said where nothing is, or nothing for this visitor."""
    return sentence_page(request, "There is nothing here, or it is not yours. Go on from your tables.", 404)


def server_error(request: HttpRequest) -> HttpResponse:
    """Return what is said when the application itself fails; needs neither session nor database."""
    return HttpResponse(
        "<!doctype html><html lang=en><title>Night Trail</title><p>Something failed on our side. "
        "Nothing you made is lost. <a href=/>Go on from your tables.</a>",
        status=500,
    )


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Return what is said when a form has gone stale."""
    return sentence_page(request, "This page was open for too long. Reload it and try again.", 403)
