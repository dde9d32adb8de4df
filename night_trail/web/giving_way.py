"""What is looked for of its own accord gives way: it pauses while the process answers somebody who waits."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.http import HttpRequest, HttpResponse

LONGEST = 4.0
"""Seconds that one search gives way in all: where somebody always waits, it goes on beside them."""


class _Waited:
    """How many requests of this process somebody waits for."""

    def __init__(self) -> None:
        self.n, self.changed = 0, threading.Condition()

    def add(self, n: int) -> None:
        with self.changed:
            self.n += n
            self.changed.notify_all()


_waited = _Waited()


class Waited:
    """Counts requests while they are answered."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass the request on; while it is answered, what nobody waits for gives way."""
        _waited.add(1)
        try:
            return self.get_response(request)
        finally:
            _waited.add(-1)


@contextmanager
def nobody_waits() -> Iterator[Callable[[], None]]:
    """Say that nobody waits for this request; yield what pauses it while others are answered."""
    left = LONGEST

    def give_way() -> None:
        nonlocal left
        if left <= 0 or _waited.n <= 0:
            return
        began = time.monotonic()
        with _waited.changed:
            _waited.changed.wait_for(lambda: _waited.n <= 0, left)
        left -= time.monotonic() - began

    _waited.add(-1)
    try:
        yield give_way
    finally:
        _waited.add(1)
