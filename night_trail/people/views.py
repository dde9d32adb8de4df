"""The few pages around signing in that Django does not bring."""

from __future__ import annotations

from urllib.parse import urlsplit

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_http_methods, require_POST

from night_trail.people import doors
from night_trail.people.context import COOKIE, THEMES

DEMO_NAME = "analyst"


@login_not_required
@require_POST
def change_theme(request: HttpRequest) -> HttpResponse:
    """Remember the theme and go back to the page the visitor came from."""
    back = request.POST.get("back", "")
    known = url_has_allowed_host_and_scheme(back, allowed_hosts={request.get_host()})
    parts = urlsplit(back if known else "/")
    here = parts.path + (f"?{parts.query}" if parts.query else "")
    # a path that begins with two strokes is another host to a browser
    response = redirect(here if url_has_allowed_host_and_scheme(here, allowed_hosts=None) else "/")
    chosen = request.POST.get("theme", "")
    if chosen in THEMES:
        response.set_cookie(
            COOKIE, chosen, max_age=31_536_000, samesite="Lax", secure=settings.SESSION_COOKIE_SECURE
        )
    return response


@login_not_required
@require_http_methods(["GET", "POST"])
def enter(request: HttpRequest, key: str) -> HttpResponse:
    """Sign the visitor in as the demo analyst, on a click and once, by the key of a running demo."""
    if not doors.fits(key):
        raise Http404
    if request.user.is_authenticated:
        return redirect("tables:home")
    analyst = get_user_model().objects.filter(username=DEMO_NAME).first()
    if analyst is None:
        raise Http404
    if request.method == "POST" and doors.use():
        login(request, analyst, backend="django.contrib.auth.backends.ModelBackend")
        return redirect("tables:home")
    return render(request, "people/enter.html", {"used": doors.was_used()})
