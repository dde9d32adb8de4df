"""Links that open a tale to readers."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.tales.models import Link, Tale
from night_trail.tales.views.writing import written


@require_POST
def make(request: HttpRequest, tale: int) -> HttpResponse:
    """Make a read link; its address is shown in this answer and kept nowhere."""
    found = get_object_or_404(Tale, pk=tale, owner=request.user)
    _, token = Link.make(found)
    return written(request, found.pk, whole(request.POST.get("stop", ""), LARGEST_KEY), token)


@require_POST
def revoke(request: HttpRequest, tale: int, link: int) -> HttpResponse:
    """Close a link for good."""
    found = get_object_or_404(Link, pk=link, tale_id=tale, tale__owner=request.user)
    if found.revoked is None:
        found.revoked = timezone.now()
        found.save(update_fields=["revoked"])
    return redirect("tales:write", tale)
