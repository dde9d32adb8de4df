"""A tale goes over to newer rows."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from night_trail.core.errors import NightTrailError
from night_trail.tales.following import follow
from night_trail.tales.views.writing import writable
from night_trail.trails.models import Trail


@require_POST
def follow_trail(request: HttpRequest, tale: int, trail: int) -> HttpResponse:
    """Let the stops of a tale follow a trail that was walked again."""
    found = writable(request, tale)
    walked = get_object_or_404(
        Trail.objects.visible_to(request.user).select_related("version__table"), pk=trail
    )
    if not Trail.objects.visible_to(found.owner_id).filter(pk=walked.pk).exists():
        raise NightTrailError(
            "The owner of this tale does not see that trail", walked.title, "Share the trail with them first."
        )
    edition = follow(found, walked)
    messages.info(request, f"The tale stands on newer rows. {edition.said}")
    return redirect("tales:write", found.pk)
