"""Why, over a million rows: drivers, a change taken apart, how rows differ; warm and at first."""

from __future__ import annotations

import statistics

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
    return rows
