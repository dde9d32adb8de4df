"""Whether a request asks for a part of a page, or, without scripts, for whole pages after each other."""

from __future__ import annotations

from typing import cast

from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django_htmx.http import HttpResponseClientRedirect
from django_htmx.middleware import HtmxDetails


def for_a_part(request: HttpRequest) -> bool:
    """Whether a script asks for what it will put into the page it stands on."""
    return bool(_asked(request))


def for_a_swap(request: HttpRequest) -> bool:
    """Whether a part is wanted, and not the whole page that a browser lost on its way back."""
    asked = _asked(request)
    return bool(asked) and not asked.history_restore_request


def gone_to(request: HttpRequest, name: str, *args: object) -> HttpResponse:
    """Return the way to another page, as the one that asks can take it."""
    address = reverse(name, args=args)
    return HttpResponseClientRedirect(address) if for_a_part(request) else redirect(address)


def visitor(request: HttpRequest) -> User:
    """Return who is signed in: the login middleware lets nobody else reach a page that asks."""
    return cast(User, request.user)


def _asked(request: HttpRequest) -> HtmxDetails:
    # the middleware puts it there
    found = getattr(request, "htmx")  # noqa: B009
    assert isinstance(found, HtmxDetails)  # noqa: S101
    return found
