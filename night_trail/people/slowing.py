"""Guessing passwords is slowed down, by address and by name; nobody can lock another out.

An address that failed often waits longer each time. A name that was tried in
vain from many addresses is slow too, for browsers that never signed in as that
person; their own browsers carry a signed note and do not wait.
"""

from __future__ import annotations

import math
from datetime import timedelta

from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.core import signing
from django.db.models import Max, QuerySet, Sum
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

WINDOW = timedelta(minutes=15)
FREE_OF_ADDRESS, LONGEST_OF_ADDRESS = 15, 300.0
FREE_OF_NAME, LONGEST_OF_NAME = 10, 15.0
"""Failures without waiting, and the longest wait in seconds, for an address and for a name."""

KNOWN = "known"
KNOWN_DAYS = 180


def address(request: HttpRequest) -> str:
    """Return where a request comes from, as trusted proxies told it."""
    return str(request.META.get("REMOTE_ADDR", ""))


def wait(request: HttpRequest, name: str) -> float:
    """Return the seconds until a name may be tried from where the request comes, 0 where at once."""
    recent = AccessAttempt.objects.filter(attempt_time__gte=timezone.now() - WINDOW)
    here = _wait(recent.filter(ip_address=address(request)), FREE_OF_ADDRESS, LONGEST_OF_ADDRESS)
    if _is_known(request, name):
        return here
    return max(here, _wait(recent.filter(username=name), FREE_OF_NAME, LONGEST_OF_NAME))


def _wait(attempts: QuerySet[AccessAttempt], free: int, longest: float) -> float:
    told = attempts.aggregate(n=Sum("failures_since_start"), last=Max("attempt_time"))
    over = (told["n"] or 0) - free
    if over < 0 or told["last"] is None:
        return 0.0
    until = told["last"] + timedelta(seconds=min(longest, 2.0 ** min(over, 20)))
    return max(0.0, float((until - timezone.now()).total_seconds()))


def in_words(seconds: float) -> str:
    """Return how long somebody has to wait."""
    if seconds <= 90:
        return f"{math.ceil(seconds)} s"
    return f"{math.ceil(seconds / 60)} minutes"


def remember(response: HttpResponse, user: AbstractBaseUser) -> None:
    """Let a browser know that somebody signed in with it."""
    note = signing.dumps(user.get_username(), salt=KNOWN)
    response.set_cookie(
        KNOWN,
        note,
        max_age=KNOWN_DAYS * 86_400,
        httponly=True,
        samesite="Lax",
        secure=settings.SESSION_COOKIE_SECURE,
    )


def _is_known(request: HttpRequest, name: str) -> bool:
    try:
        told = signing.loads(request.COOKIES.get(KNOWN, ""), salt=KNOWN, max_age=KNOWN_DAYS * 86_400)
    except signing.BadSignature:
        return False
    return bool(told == name)
