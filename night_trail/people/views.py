"""The few pages around signing in that Django does not bring."""

from __future__ import annotations

import math
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from django.contrib.auth import get_user_model, login, logout
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_http_methods, require_POST, require_safe

from night_trail.core.errors import NightTrailError
from night_trail.people import accounts, doors, slowing
from night_trail.people.context import COOKIE, THEMES
from night_trail.people.models import Invitation, Letter
from night_trail.web.asking import visitor

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
    stays = here.startswith("/") and url_has_allowed_host_and_scheme(here, allowed_hosts=None)
    response = HttpResponseRedirect(here if stays else "/")
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


class SignIn(LoginView):
    """Sign-in by name and password, slowed down where it keeps failing."""

    template_name = "people/sign_in.html"
    redirect_authenticated_user = True

    def post(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        """Try a name and password, unless it is too soon."""
        if seconds := slowing.wait(request, request.POST.get("username", "")):
            said = f"Signing in failed too often. Try again in {slowing.in_words(seconds)}."
            response = render(request, "sentence.html", {"sentence": said}, status=429)
            response["Retry-After"] = str(math.ceil(seconds))
            return response
        return super().post(request, *args, **kwargs)

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        """Let the person in, and the browser know."""
        response: HttpResponse = super().form_valid(form)
        slowing.remember(response, form.get_user())
        return response


@login_not_required
@require_safe
def present(request: HttpRequest) -> HttpResponse:
    """Tell a proxy whether somebody is signed in, before it takes a large body of theirs."""
    return HttpResponse(status=204 if request.user.is_authenticated else 401)


@require_GET
def account(request: HttpRequest) -> HttpResponse:
    """Show what a person's tables take, and what can be done with the account."""
    return _account(request)


def _account(request: HttpRequest, new_token: str = "") -> HttpResponse:
    person = visitor(request)
    invitations = list(person.invitations.select_related("used")[:50]) if person.is_staff else []
    context = {
        "invitations": invitations,
        "new_token": new_token,
    }
    return render(request, "people/account.html", context)


@require_POST
def invite(request: HttpRequest) -> HttpResponse:
    """Make an invitation; its address is shown in this answer and never again."""
    if not request.user.is_staff:
        raise Http404
    return _account(request, Invitation.make(request.user)[1])


@require_POST
def withdraw(request: HttpRequest, invitation: int) -> HttpResponse:
    """Close an invitation that was not used."""
    get_object_or_404(Invitation, pk=invitation, by=request.user, used=None).delete()
    return redirect("people:account")


@login_not_required
@require_http_methods(["GET", "POST"])
def invited(request: HttpRequest, token: str) -> HttpResponse:
    """Make an account by an invitation."""
    invitation = Invitation.open_by(token)
    if invitation is None:
        raise Http404
    name, error = request.POST.get("username", "")[:150], ""
    if request.method == "POST":
        try:
            person = accounts.accept(invitation, name, request.POST.get("password", ""))
        except NightTrailError as refused:
            error = str(refused)
        else:
            login(request, person, backend="django.contrib.auth.backends.ModelBackend")
            return redirect("tables:home")
    shown = {"name": name, "error": error}
    response = render(request, "people/invited.html", shown, status=422 if error else 200)
    response["Cache-Control"] = "private, no-store"
    return response


@require_POST
def sign_out_everywhere(request: HttpRequest) -> HttpResponse:
    """End every session of the visitor, this one too."""
    accounts.sign_out_everywhere(request.user)
    logout(request)
    return redirect("people:sign-in")


@require_GET
def outbox(request: HttpRequest) -> HttpResponse:
    """Show the letters that would be sent to the visitor, were there mail."""
    letters = Letter.objects.filter(to=visitor(request))[:200]
    return render(request, "people/outbox.html", {"letters": letters})
