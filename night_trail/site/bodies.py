"""What a request brings along is bounded before a byte of it is read.

A thread that waits for a slow body answers nobody else. So only some threads
may wait: a few for strangers, who need no more than a sign-in's worth of bytes,
some for people who are signed in, a few for files. The others go on answering.
Short bodies are read at once and free their place; only files hold theirs.
"""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.http.request import UnreadablePostError
from django.urls import Resolver404, resolve

from night_trail.site.errors import sentence_page

STRANGERS_MOST = 20_000
"""Bytes somebody may send who is not signed in."""

WITH_FILES = {"tables:bring", "tables:deliver", "tables:use-recipe", "tales:open"}


class Places:
    """Places for bodies that are being read: so many in all, so many for one sender."""

    def __init__(self, most: int, each: int, patience: float) -> None:
        self.most, self.each, self.patience = most, each, patience
        self._taken: Counter[Hashable] = Counter()
        self._change = threading.Condition()

    @contextmanager
    def place(self, sender: Hashable) -> Iterator[bool]:
        """Give whether there was a place within a moment, and hold it."""
        with self._change:
            got = self._change.wait_for(
                lambda: self._taken.total() < self.most and self._taken[sender] < self.each, self.patience
            )
            if got:
                self._taken[sender] += 1
        try:
            yield got
        finally:
            if got:
                with self._change:
                    self._taken[sender] -= 1
                    self._taken += Counter()  # forget senders without a place
                    self._change.notify_all()


class Bodies:
    """Refuses bodies that are too long or too many at once, by what their request says of itself."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response
        self.of_strangers = Places(most=2, each=2, patience=0.5)
        self.of_members = Places(most=4, each=3, patience=0.5)
        self.of_files = Places(most=3, each=2, patience=0.5)

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass the request on once its body is bounded."""
        if request.method in ("GET", "HEAD", "OPTIONS"):
            return self.get_response(request)
        told = request.META.get("CONTENT_LENGTH") or "0"
        if "HTTP_TRANSFER_ENCODING" in request.META or not (told.isascii() and told.isdigit()):
            return sentence_page(request, "The request does not say how long it is. Send its length.", 411)
        signed_in = request.user.is_authenticated
        brings_files = signed_in and _name(request) in WITH_FILES
        most = (2 * settings.UPLOAD_LIMIT if brings_files else 0) + settings.DATA_UPLOAD_MAX_MEMORY_SIZE
        if int(told[:20]) > (most if signed_in else STRANGERS_MOST):
            said = "That is more than can be sent here." if signed_in else "Sign in before you send so much."
            return sentence_page(request, said, 413)
        if brings_files:
            with self.of_files.place(request.user.pk) as got:
                return self.get_response(request) if got else _busy(request)
        places, sender = (
            (self.of_members, request.user.pk)
            if signed_in
            else (self.of_strangers, request.META.get("REMOTE_ADDR"))
        )
        with places.place(sender) as got:
            if not got:
                return _busy(request)
            try:
                request.body  # noqa: B018  (read, so that nothing later waits for it)
            except UnreadablePostError:
                return sentence_page(request, "The request broke off. Send it again.", 400)
        return self.get_response(request)


def _name(request: HttpRequest) -> str:
    try:
        return resolve(request.path_info).view_name
    except Resolver404:
        return ""


def _busy(request: HttpRequest) -> HttpResponse:
    response = sentence_page(
        request, "Many are sending at once. Nothing is lost; try again in a moment.", 503
    )
    response["Retry-After"] = "2"
    return response
