"""Why, over a million rows: drivers, a change taken apart, how rows differ; warm and at first."""

from __future__ import annotations

import statistics
from typing import Any

from bench.turns import Row, ms, timed

ASKED = (
    ("what drives a column, models and effects", "what drives late_min", "12 s"),
    (
        "a change taken apart, by every column and pair",
        "why did the sum of boardings change from 2022 to 2023",
        "2 s",
    ),
    ("how rows differ, in every column", "how do rows where rain_mm at least 2 differ from the rest", "2 s"),
    ("what stands out in the whole table", "what stands out", "2 s"),
    ("an effect with others held fixed", "does late_min still go with rain_mm", ""),
)


def drivers_of_fewer() -> Row:
    """Measure what drives a column of 50,000 rows and 20 columns, made as its own test makes them."""
    import numpy as np

    from night_trail.core.questions.drivers.answer import drives
    from night_trail.core.questions.drivers.question import Drivers
    from night_trail.core.rows import Rows
    from tests.core.tables import table_of

    rng, n = np.random.default_rng(1), 50_000
    cells: dict[str, Any] = {f"n{k}": rng.normal(size=n) for k in range(10)}
    cells |= {f"c{k}": rng.choice([f"{k}{i}" for i in range(3 + 2 * k)], n).tolist() for k in range(9)}
    drawn = 2 * cells["n0"] + np.abs(cells["n1"]) * 2 + cells["n2"] * cells["n3"]
    table = table_of(y=drawn + rng.normal(size=n) * 2, **cells)
    first = timed(lambda: drives(Drivers("y"), Rows(table)))
    again = [timed(lambda: drives(Drivers("y"), Rows(table))) for _ in range(3)]
    found = f"{ms(statistics.median(again))}, at first {ms(first)}"
    return ("what drives a column, models and effects, 50,000 rows × 20", found, "3 s", "")


def whys(table_pk: int) -> list[Row]:
    """Measure each kind of why on a table: the first answer of a process, and those after it."""
    from night_trail.core.questions.registry import answer
    from night_trail.core.rows import Rows
    from night_trail.core.sentence import read
    from night_trail.tables.models import Table
    from night_trail.tables.services import core_table

    core = core_table(Table.objects.get(pk=table_pk).latest)
    rows: list[Row] = []
    for name, typed, promise in ASKED:
        question, only = read(typed, core)
        first = timed(lambda: answer(question, Rows(core, only)))  # noqa: B023  (measured at once)
        again = [timed(lambda: answer(question, Rows(core, only))) for _ in range(3)]  # noqa: B023
        found = f"{ms(statistics.median(again))}, at first {ms(first)}"
        rows.append((f"{name}, {core.height:,} rows × {len(core.columns)}", found, promise, ""))
    return [*rows, drivers_of_fewer()]
