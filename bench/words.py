"""Typed words over a million rows and over five hundred columns: what a keystroke takes."""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

from bench.turns import Row, ms, timed

if TYPE_CHECKING:
    from night_trail.core.table import Table

TYPED = (
    "top 5 lines by lateness on wet nights",
    "average boardings per depot last year",
    "lateness vs rain coloured by district",
    "boardings each quarter in Quayside",
    "averge latness by distrct",
    "qwertz asdf by line",
)
WIDE = (
    "average rate north by total",
    "alpha min vs beta max over 3",
    "temperature night over 5 and price west under 2 by cost",
)
FIRST = (
    "alpha beta gamma delta rate price cost mean total count score temp rain speed level flow weight length"
).split()
SECOND = (
    "min max avg day night week site north south east west open close first last red green blue dark light"
).split()


def typed_words(table_pk: int) -> list[Row]:
    """Measure the index of a table, and readings with it at hand."""
    from night_trail.core.reading import load
    from night_trail.tables.models import Table as Kept
    from night_trail.tables.services import core_table

    core = core_table(Kept.objects.get(pk=table_pk).latest)
    rows = _readings("1,000,000 rows × 20 columns", core, TYPED, "50 ms")
    names = [f"{a}_{b}" for a in FIRST for b in SECOND]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "wide.csv"
        head = ",".join(f"{name}_{i}" for i, name in enumerate((names * 2)[:500]))
        cells = (",".join(str(i * j % 97 / 7) for j in range(500)) for i in range(40))
        path.write_text("\n".join([head, *cells]))
        wide = load(path)[0]
        rows += _readings("500 columns", wide, WIDE, "100 ms")
    return rows


def _readings(name: str, core: Table, typed: tuple[str, ...], promise: str) -> list[Row]:
    from night_trail.core.words_in.index import index_of
    from night_trail.core.words_in.readings import readings

    made = timed(lambda: index_of(core))
    readings(typed[0], core)
    times = [timed(lambda words=words: readings(words, core)) for words in typed for _ in range(3)]
    return [
        (f"index of names and values, {name}", ms(made), "", ""),
        (f"typed words read, {name}", f"{ms(statistics.median(times))}, worst {ms(max(times))}", promise, ""),
    ]
