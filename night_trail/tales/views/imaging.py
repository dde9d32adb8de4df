"""Images of one's own on a stop: brought, worded, taken away, shown to readers."""

from __future__ import annotations

from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.tables import uploads
from night_trail.tales.deeds import deed
from night_trail.tales.images import seen_image, served, take_image
from night_trail.tales.models import Tale
from night_trail.tales.views.links import may_enter, open_link
from night_trail.tales.views.writing import stop_of
from night_trail.web.writing import one_line

LONGEST_ALT = 400


@require_POST
def keep(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Set a stop's image, or say otherwise what is to be seen on it, or take it away."""
    found = stop_of(request, tale, stop)
    if request.POST.get("away"):
        with deed(found.tale, request.user, "took an image away"):
            found.image, found.image_alt = None, ""
            found.save(update_fields=["image", "image_alt"])
        return redirect("tales:stop", tale, stop)
    alt = one_line(request.POST.get("alt", ""))[:LONGEST_ALT]
    if not alt:
        raise NightTrailError(
            "The image has no words",
            "",
            "Say in a sentence what is to be seen on it, for those who cannot see it.",
        )
    brought = uploads.files_of(request).get("image")
    if brought is None and found.image is None:
        raise NightTrailError("No image was chosen", "", "Choose a PNG or JPEG.")
    with deed(found.tale, request.user, "set an image" if brought else "worded an image"):
        if brought is not None:
            found.image = take_image(found.tale, brought)
        found.image_alt = alt
        found.save(update_fields=["image", "image_alt"])
    return redirect("tales:stop", tale, stop)


@require_GET
def own(request: HttpRequest, tale: int, image: int) -> HttpResponse:
    """Return an image of a tale that the visitor may walk."""
    return served(seen_image(get_object_or_404(Tale.objects.visible_to(request.user), pk=tale), image))


@login_not_required
@require_GET
def by_link(request: HttpRequest, token: str, image: int) -> HttpResponse:
    """Return an image of a tale to whoever holds a link to it."""
    link = open_link(token)
    if not may_enter(request, link):
        raise Http404
    return served(seen_image(link.tale, image))
