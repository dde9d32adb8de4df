"""What analysts type before they know our sentences, and the sentence each asks for.

A file for each table: ``typed => sentence``, and ``refined.txt`` with the
picture on the desk before: ``picture | typed => picture``. They were written
before the reader was. Every third line is kept apart (``KEPT_APART``): the
reader was never looked at beside those, so their share says how it does with
words it has not seen. ``why`` are questions about the buses.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from functools import cache
from pathlib import Path

from night_trail.core.language.conditions import from_words
from night_trail.core.question import Scene
from night_trail.core.reading import load
from night_trail.core.sentence import read
from night_trail.core.table import Table
from night_trail.demo.light_traps import write_traps
from tests.golden import table_of as golden_table

FOLDER = Path(__file__).parent
KEPT_APART = 3
TRAILS = (
    "Alder Path", "Beech Walk", "Cedar Rise", "Dell", "Elm Loop", "Fern", "Gorse Way", "Heath", "Ivy Steps",
    "Juniper", "Knoll",
)  # fmt: skip
"""What the eleven of a table of investments are called here."""


def _traps(folder: Path) -> Path:
    write_traps(path := folder / "light_traps.csv")
    return path


def _iris(folder: Path) -> Path:
    from sklearn.datasets import load_iris

    found = load_iris(as_frame=True)
    frame = found.frame
    frame["species"] = [found.target_names[at] for at in frame.pop("target")]
    frame.to_csv(path := folder / "iris.csv", index=False)
    return path


def _trails(folder: Path) -> Path:
    """Write a table whose names are words of ours, with spaces, a dot and brackets in them."""
    from statsmodels.datasets import grunfeld

    found = grunfeld.load_pandas().data
    called = dict(zip(sorted(found.firm.unique()), TRAILS, strict=True))
    found["trail"] = found.firm.map(called)
    found["spread of it"] = ["wide" if value > 1000 else "narrow" for value in found.value]
    named = found.rename(columns={"invest": "count", "value": "Total.Value (k)", "capital": "month"})
    columns = ["trail", "year", "count", "month", "Total.Value (k)", "spread of it"]
    named[columns].to_csv(path := folder / "trails.csv", index=False)
    return path


_OWN: dict[str, Callable[[Path], Path]] = {"traps": _traps, "iris": _iris, "trails": _trails}
_TABLES = ("buses", "why", "traps", "iris", "fair", "macro", "trails")


@cache
def table_of(name: str) -> Table:
    """Return a table, read once."""
    if name not in _OWN:
        return golden_table({"macro": "macrodata", "why": "buses"}.get(name, name))
    with tempfile.TemporaryDirectory() as folder:
        return load(_OWN[name](Path(folder)))[0]


def _lines(name: str) -> list[tuple[str, str]]:
    pairs = (line.split(" => ") for line in (FOLDER / f"{name}.txt").read_text().splitlines() if line)
    return [(typed, said) for typed, said in pairs]


CASES = {name: _lines(name) for name in _TABLES}
REFINED = [(*asked.split(" | "), said) for asked, said in _lines("refined")]


def expected(said: str, table: Table) -> Scene:
    """Return the scene that an exact sentence describes, what is lit behind it."""
    sentence, _, lit = said.partition("; lit: ")
    question, only = read(sentence, table)
    return Scene(main=question, only=only, lit=from_words(lit, table) if lit else None)
