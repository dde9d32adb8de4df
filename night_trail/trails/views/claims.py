"""What a cairn claims."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from night_trail.trails.claims import claim_context, take_claim
from night_trail.trails.models import Cairn
from night_trail.trails.page import step_for
from night_trail.trails.pictures import Desk
from night_trail.web.asking import for_a_part


@require_http_methods(["GET", "POST"])
def claim(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show what a cairn claims and what becomes of it, or keep another claim."""
    found = step_for(request, trail, step)
    cairn = get_object_or_404(Cairn, step=found)
    desk = Desk(found.trail.version, found.scene_value())
    if request.method == "POST":
        take_claim(request, cairn, desk)
        if not for_a_part(request):
            return redirect("trails:step", trail, step)
    context = claim_context(cairn, desk)
    context["claim_address"] = reverse("trails:claim", args=[trail, step])
    return render(request, "trails/_claim.html", context)
