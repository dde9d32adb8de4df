"""An engine that holds attached rows: what it is asked ends when nobody waits, or after the time allowed."""

from __future__ import annotations

import contextlib
import re
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from pathlib import Path
from typing import Any

import polars as pl
from django.conf import settings

from night_trail.core.errors import NightTrailError
from night_trail.tables.attached.where import Where

LOOKED = 0.5
"""Seconds between two looks whether somebody still waits; an answer that comes is taken at once."""


class Stopped(NightTrailError):
    """Nobody waits for what an engine was asked any more."""


class Engine:
    """An engine with the rows it was opened for, as an expression."""

    def __init__(self, hand: ThreadPoolExecutor, connection: Any, rows: Any, where: Where) -> None:
        self._hand, self._connection, self.rows, self._where = hand, connection, rows, where

    def run(self, expression: Any, waits: Callable[[], bool] = lambda: True) -> pl.DataFrame:
        """Return what an expression gives; it is broken off when nobody ``waits``, or after the time allowed.

        Raises
        ------
        Stopped
            Where nobody waits any more.
        NightTrailError
            Where the engine fails, or takes longer than is allowed.
        """
        found = self._asked(lambda: self._brought(expression), waits)
        frame = pl.from_arrow(found)
        assert isinstance(frame, pl.DataFrame)  # noqa: S101  (a table was asked for)
        return frame

    def write(self, expression: Any, path: Path, waits: Callable[[], bool] = lambda: True) -> None:
        """Write what an expression gives to a Parquet file."""
        self._asked(lambda: self._written(expression, path), waits)

    def _brought(self, expression: Any) -> Any:
        return self._connection.to_pyarrow(expression)

    def _written(self, expression: Any, path: Path) -> None:
        self._connection.to_parquet(expression, path)

    def _interrupt(self) -> None:
        held = self._connection.con
        (held.cancel if hasattr(held, "cancel") else held.interrupt)()

    def _asked(self, ask: Callable[[], Any], waits: Callable[[], bool]) -> Any:
        until = time.monotonic() + settings.ATTACH_SECONDS
        answer = self._hand.submit(ask)
        while not answer.done():
            wait([answer], LOOKED)
            if answer.done():
                break
            try:
                if time.monotonic() > until:
                    raise self._late()
                if not waits():
                    raise Stopped("It was stopped", self._where.words)
            except BaseException:
                self._break_off(answer)
                raise
        if (error := answer.exception()) is not None:
            raise said(error, self._where) from None
        return answer.result()

    def _late(self) -> NightTrailError:
        return NightTrailError(
            f"The engine took longer than the {settings.ATTACH_SECONDS:,} s that are allowed",
            self._where.words,
            "Keep only a part of the rows.",
        )

    def _break_off(self, answer: Future[Any]) -> None:
        # what is asked between two pieces of an answer meets an idle engine, and is not heard
        while not answer.done():
            with contextlib.suppress(Exception):
                self._interrupt()
            wait([answer], LOOKED)


def said(error: BaseException, where: Where) -> NightTrailError:
    """Return what is said where an engine fails."""
    return NightTrailError(
        f"The engine could not read it ({reason_of(error)})", where.words, "Look at what there is."
    )


def reason_of(error: BaseException) -> str:
    """Return the one line of an engine's error that says what is wrong."""
    if isinstance(error, OSError) and error.strerror:
        return error.strerror
    # a call over the wire says what happened below how it ended
    detail = re.search(r'^\s*details = "(.+)"$', str(error), re.MULTILINE)
    lines = str(error).strip().splitlines()
    said = detail[1] if detail else lines[0].strip() if lines else ""
    return said[:160].rstrip(".") or type(error).__name__
