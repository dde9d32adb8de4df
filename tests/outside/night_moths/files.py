"""A reader of the moth watch's own files, and a tale as plain text."""

from __future__ import annotations

from pathlib import Path
from types import SimpleNamespace
from typing import Any

import polars as pl

MAGIC = b"MOTHS1\n"


def _read(path: Path) -> pl.DataFrame:
    head, *lines = path.read_bytes().removeprefix(MAGIC).decode().splitlines()
    cells = [line.split(";") for line in lines]
    return pl.DataFrame({name: [row[i] for row in cells] for i, name in enumerate(head.split(";"))})


def _plain(title: str, stops: list[Any]) -> bytes:
    return "\n".join([title, *(f"{stop.number}. {stop.heading}" for stop in stops)]).encode()


READER = SimpleNamespace(magic=MAGIC, called="moth notes", read=_read)
EXPORT = SimpleNamespace(
    form="plain",
    called="Headings as text",
    ending="txt",
    content_type="text/plain; charset=utf-8",
    make=_plain,
)
