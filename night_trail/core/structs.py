"""Structs that several threads decode."""

from __future__ import annotations

import contextlib
from typing import Any

import msgspec


def looked_through(*kinds: Any) -> None:
    """Let msgspec look through kinds of values once, where they are defined.

    It does so when the first of a kind is decoded. Two threads that decode the
    first at the same moment end the process (msgspec 0.22); while a module is
    imported there is only one.
    """
    for kind in kinds:
        with contextlib.suppress(msgspec.ValidationError):
            msgspec.convert(None, kind)
