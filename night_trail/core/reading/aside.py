"""Files of strangers are read aside, in a process of its own with limits on memory, CPU and time.

A reader's crash, a panic that is no exception, or a hundred gigabytes promised in a kilobyte end
that process and nothing else; whoever asked gets one sentence. The process is kept warm between
requests. Both ends speak in frames, a length and a message, which hold plain values and Arrow
only: what comes out of a process that read a hostile file is never executed.
"""

from __future__ import annotations

import contextlib
import io
import logging
import os
import selectors
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import msgspec
import polars as pl

from night_trail.core.errors import BadQuestion, NightTrailError, Unreadable
from night_trail.core.reading.read import Preview, Shown, TypedColumn, preview, read, wanted_columns
from night_trail.core.reading.settings import ReadingSettings, Understood
from night_trail.core.reading.sources import open_file, parts
from night_trail.core.table import Column

logger = logging.getLogger(__name__)

_LENGTH = struct.Struct(">Q")
_MOST_FRAME = 8_000_000_000
WIDE = 1 << 20
"""Bytes of a pipe."""

ASKED_EVERY = 0.5
"""Seconds after which somebody who waits is asked whether they still want the file."""
_ERRORS: dict[str, type[NightTrailError]] = {
    kind.__name__: kind for kind in (NightTrailError, Unreadable, BadQuestion)
}
FAILED = "it is damaged, or holds what no table has"
DIED = "reading it broke the reader, or took more memory than a file may"


@dataclass(frozen=True)
class Limits:
    """What reading one file may take: bytes of address space, seconds of CPU, seconds by the clock."""

    memory: int
    cpu: int
    seconds: float


class Asked(msgspec.Struct):
    """What a process aside does with a file: ``parts``, ``preview``, ``read``, or its cells as ``typed``."""

    work: str
    path: str
    name: str
    part: str = ""
    settings: ReadingSettings = ReadingSettings()
    shown: Shown | None = None
    cpu: int = 60


# ---- the process that reads ----


def _cells(cells: pl.Series) -> bytes:
    out = io.BytesIO()
    pl.DataFrame([cells.alias("cells")]).write_ipc(out)
    return out.getvalue()


def _answers(asked: Asked) -> Iterator[dict[str, Any]]:
    """Yield what is said of a file, the last with ``done``."""
    path = Path(asked.path)
    if asked.work == "parts":
        yield {"done": parts(path, asked.name)}
    elif asked.work == "preview":
        found = preview(path, asked.name, asked.settings, asked.part, asked.shown)
        plain = {name: _cells(cells) for name, cells in found.cells.items()}
        yield {
            "done": {
                "names": found.names, "columns": found.columns, "cells": plain, "height": found.height,
                "records": found.records, "understood": found.understood, "whole": found.whole,
            }
        }  # fmt: skip
    elif asked.work == "typed":
        frame = pl.read_parquet(path)
        yield {"total": frame.width}
        for cells in frame.iter_columns():
            yield {"column": cells.name, "cells": _cells(cells)}
        yield {"done": frame.height}
    else:
        source = open_file(path, asked.name, asked.settings, asked.part)
        yield {"total": len(wanted_columns(source, asked.settings))}
        for one in read(source, asked.settings):
            yield {"column": [one.position, one.column, one.source_name], "cells": _cells(one.cells)}
        yield {"done": source.understood}


def _serve(memory: int) -> None:
    """Answer requests on standard input until it ends."""
    import resource  # noqa: PLC0415  (not on every system, and only in this process)

    out = os.fdopen(os.dup(1), "wb")
    # what a library prints must not come between the frames
    os.dup2(2, 1)
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    while frame := _frame(sys.stdin.buffer):
        asked = msgspec.msgpack.decode(frame, type=Asked)
        used = sum(resource.getrusage(resource.RUSAGE_SELF)[:2])
        resource.setrlimit(resource.RLIMIT_CPU, (int(used) + asked.cpu, resource.RLIM_INFINITY))
        try:
            for said in _answers(asked):
                _send(out, said)
        except NightTrailError as error:
            _send(out, {"error": [type(error).__name__, error.what, error.where, error.way_on]})
        except MemoryError:
            _send(out, {"failed": "MemoryError"})
        except BaseException as error:
            _send(out, {"failed": f"{type(error).__name__}: {str(error)[:300]}"})


def _send(out: IO[bytes], said: Any) -> None:
    frame = msgspec.msgpack.encode(said)
    out.write(_LENGTH.pack(len(frame)))
    out.write(frame)
    out.flush()


def _frame(source: IO[bytes]) -> bytes:
    head = source.read(_LENGTH.size)
    return source.read(_LENGTH.unpack(head)[0]) if len(head) == _LENGTH.size else b""


# ---- whoever asks ----


class Stopped(Exception):
    """Nobody wants the file any more."""


class _Broken(Exception):
    """The process ended, or took longer than it may."""


class _Process:
    """A process aside, and what it says."""

    def __init__(self, memory: int) -> None:
        self._running = subprocess.Popen(  # noqa: S603  (this very program)
            [sys.executable, "-c", f"from night_trail.core.reading.aside import _serve; _serve({memory})"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            # signals of a terminal are for the server
            start_new_session=True,
        )
        assert self._running.stdin is not None and self._running.stdout is not None  # noqa: S101  (pipes)
        self._to, self._out = self._running.stdin, self._running.stdout
        with contextlib.suppress(OSError, AttributeError, ImportError):
            import fcntl  # noqa: PLC0415  (not on every system)

            # columns are large: a wider pipe, where there is one, takes fewer turns
            fcntl.fcntl(self._out, fcntl.F_SETPIPE_SZ, WIDE)
        self._ready = selectors.DefaultSelector()
        self._ready.register(self._out, selectors.EVENT_READ)

    @property
    def alive(self) -> bool:
        return self._running.poll() is None

    def ask(self, asked: Asked) -> None:
        try:
            _send(self._to, asked)
        except OSError:
            raise _Broken from None

    def said(self, until: float, unwanted: Callable[[], bool]) -> dict[str, Any]:
        """Return the next message, or fail where none comes in time, or it is not wanted any more."""
        (length,) = _LENGTH.unpack(self._bytes(_LENGTH.size, until, unwanted))
        if length > _MOST_FRAME:
            raise _Broken
        found: dict[str, Any] = msgspec.msgpack.decode(self._bytes(length, until, unwanted))
        return found

    def _bytes(self, count: int, until: float, unwanted: Callable[[], bool]) -> bytes:
        pieces, missing = [], count
        while missing:
            if not self._ready.select(max(0.0, min(ASKED_EVERY, until - time.monotonic()))):
                if time.monotonic() >= until:
                    raise TimeoutError
                if unwanted():
                    raise Stopped
                continue
            # past the pipe's own buffer, of which a selector knows nothing
            piece = os.read(self._out.fileno(), min(missing, 1 << 22))
            if not piece:
                raise _Broken
            pieces.append(piece)
            missing -= len(piece)
        return b"".join(pieces)

    def end(self) -> None:
        self._running.kill()
        self._running.wait()
        self._ready.close()
        for pipe in (self._to, self._out):
            with contextlib.suppress(OSError):
                pipe.close()


class Aside:
    """A few processes that read files, kept warm; each request has one of its own."""

    def __init__(self, limits: Limits, most: int = 2) -> None:
        self.limits = limits
        self._idle: list[_Process] = []
        self._lock = threading.Lock()
        self._free = threading.BoundedSemaphore(most)

    def warm_up(self) -> None:
        """Start a process, so that the first file does not wait for it."""
        with self._lock:
            if not self._idle:
                self._idle.append(_Process(self.limits.memory))

    def end(self) -> None:
        """End the processes that wait."""
        with self._lock:
            waiting, self._idle = self._idle, []
        for one in waiting:
            one.end()

    def _taken(self) -> _Process:
        with self._lock:
            while self._idle:
                one = self._idle.pop()
                if one.alive:
                    return one
                one.end()
        return _Process(self.limits.memory)

    def _messages(
        self, asked: Asked, unwanted: Callable[[], bool] = lambda: False
    ) -> Iterator[dict[str, Any]]:
        asked.cpu = self.limits.cpu
        with self._free:
            one, whole = self._asked(asked), False
            until = time.monotonic() + self.limits.seconds
            try:
                while not whole:
                    said = one.said(until, unwanted)
                    whole = not said.keys() & {"column", "total", "failed"}
                    if "error" in said:
                        kind, what, where, way_on = said["error"]
                        raise _ERRORS.get(kind, NightTrailError)(what, where, way_on)
                    if "failed" in said:
                        logger.warning("reading %s failed: %s", asked.name, said["failed"])
                        raise _broken(asked.name, DIED if said["failed"] == "MemoryError" else FAILED)
                    yield said
            except TimeoutError:
                raise _broken(
                    asked.name, f"looking at it took longer than {self.limits.seconds:g} s"
                ) from None
            except (_Broken, msgspec.MsgspecError, OSError):
                raise _broken(asked.name, DIED) from None
            finally:
                # one that was left in the middle, or failed, is not asked again
                if whole:
                    with self._lock:
                        self._idle.append(one)
                else:
                    one.end()

    def _asked(self, asked: Asked) -> _Process:
        """Return a process that has been asked; one that died while it waited is replaced."""
        for _ in range(3):
            one = self._taken()
            try:
                one.ask(asked)
            except _Broken:
                one.end()
            else:
                return one
        raise _broken(asked.name, DIED)

    def parts(self, path: Path, name: str) -> list[str]:
        """Return the tables in a file, as ``sources.parts`` does."""
        found: list[str] = [s["done"] for s in self._messages(Asked("parts", str(path), name))][-1]
        return found

    def preview(
        self,
        path: Path,
        name: str,
        settings: ReadingSettings,
        part: str = "",
        shown: Shown | None = None,
    ) -> Preview:
        """Return how a file would be read, as ``read.preview`` does."""
        asked = Asked("preview", str(path), name, part, settings, shown)
        said = [s["done"] for s in self._messages(asked)][-1]
        return Preview(
            names=said["names"],
            columns=msgspec.convert(said["columns"], dict[str, Column]),
            cells={found: _series(cells) for found, cells in said["cells"].items()},
            height=said["height"],
            records=said["records"],
            understood=msgspec.convert(said["understood"], Understood),
            whole=said["whole"],
        )

    def read(
        self,
        path: Path,
        name: str,
        settings: ReadingSettings,
        part: str = "",
        unwanted: Callable[[], bool] = lambda: False,
    ) -> Iterator[int | TypedColumn | Understood]:
        """Yield how many columns there are, each of them, and what was understood of the file.

        ``unwanted`` is asked while nothing comes; ``Stopped`` is raised once it says so.
        """
        for said in self._messages(Asked("read", str(path), name, part, settings), unwanted):
            if "total" in said:
                yield said["total"]
            elif "column" in said:
                position, column, source_name = said["column"]
                yield TypedColumn(
                    position, msgspec.convert(column, Column), _series(said["cells"]), source_name
                )
            else:
                yield msgspec.convert(said["done"], Understood)

    def typed(self, path: Path, name: str) -> Iterator[tuple[str, pl.Series]]:
        """Yield the columns of a Parquet file as they are typed in it, each with its name."""
        for said in self._messages(Asked("typed", str(path), name)):
            if "cells" in said:
                yield said["column"], _series(said["cells"])


def _series(cells: bytes) -> pl.Series:
    return pl.read_ipc(io.BytesIO(cells)).to_series().alias("cells")


def _broken(name: str, why: str) -> Unreadable:
    return Unreadable(f"The file cannot be read: {why}", name, "Save it as CSV and choose that.")
