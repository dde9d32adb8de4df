"""Links that open a tale to readers."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from night_trail.tales.models import Link, Tale


@require_POST
def make(request: HttpRequest, tale: int) -> HttpResponse:
    """Make a read link; its address is shown once, on the next page."""
    found = get_object_or_404(Tale, pk=tale, owner=request.user)
    _, token = Link.make(found)
    request.session[f"token:{found.pk}"] = token
    return redirect("tales:write", found.pk)


@require_POST
def revoke(request: HttpRequest, tale: int, link: int) -> HttpResponse:
    """Close a link for good."""
    found = get_object_or_404(Link, pk=link, tale_id=tale, tale__owner=request.user)
    if found.revoked is None:
        found.revoked = timezone.now()
        found.save(update_fields=["revoked"])
    return redirect("tales:write", tale)
