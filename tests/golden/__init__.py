"""Thirty pictures as they are: what was asked, the sentence, the figures, the words, the drawing.

The files beside this one are compared in ``tests/draw/test_golden.py``. They
are made anew on purpose only, and then read as a change like any other:

    python -m tests.golden [name …]
"""

from __future__ import annotations

import math
import tempfile
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

from night_trail.core.conditions import Between, Condition, OneOf
from night_trail.core.language.spans import plain
from night_trail.core.question import Scene, to_json
from night_trail.core.questions.drivers.answer import bare, drives, pieces
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.registry import answer, figures_of, kind_of, words_of
from night_trail.core.reading import load
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, scene_in_words
from night_trail.core.table import Table
from night_trail.core.textbook import all_figures
from night_trail.demo.night_buses import write_csv
from night_trail.draw import Size, draw

FOLDER = Path(__file__).parent
SIZE = Size(664, 420)
WET, FEW = Between("rain_mm", 2.0, None), OneOf("depot", ("Northgate",))

PICTURES: dict[str, tuple[str, str, Condition | None]] = {
    "histogram": ("buses", "late_min", WET),
    "boxes": ("buses", "late_min by depot as box plots", WET),
    "density": ("buses", "late_min by depot as a density curve", None),
    "running": ("buses", "late_min as a running share", WET),
    "strip": ("buses", "late_min by depot as a strip of points where rain_mm above 6", None),
    "dots": ("buses", "average late_min by line", WET),
    "median": ("buses", "median of late_min by line where rain_mm above 2", None),
    "bars": ("buses", "sum of boardings by district", WET),
    "ring": ("buses", "sum of boardings by district as a ring", None),
    "stacked": ("buses", "sum of boardings by district and depot as stacked bars", WET),
    "grid": ("buses", "average late_min by line and depot as a heat grid", WET),
    "against": ("buses", "sum of boardings by line against planned_boardings", None),
    "ratio": ("buses", "ratio of boardings to planned_boardings by district", None),
    "measures": ("buses", "average late_min and the sum of boardings by line as a table", None),
    "cloud": ("buses", "late_min vs rain_mm with a curve", FEW),
    "each": ("buses", "late_min vs rain_mm for each line sized by boardings", WET),
    "panels": ("buses", "late_min vs rain_mm in panels by depot", None),
    "together": ("buses", "how do the numbers move together", None),
    "goes": ("buses", "which district goes with which depot", WET),
    "make-up": ("buses", "what makes up boardings by district › line", WET),
    "make-up rings": ("buses", "what makes up the number of trips by depot › line, drawn as rings", WET),
    "make-up bars": (
        "buses",
        "what makes up the average of late_min by depot › line, drawn as indented bars",
        None,
    ),
    "make-up shaded": (
        "buses",
        "what makes up boardings by district › line, shaded by the average of late_min",
        None,
    ),
    "make-up against": ("buses", "what makes up boardings by district › line against planned_boardings", WET),
    "make-up squares": ("buses", "what makes up boardings by depot, drawn as a hundred squares", WET),
    "flow": ("buses", "where does boardings flow from from_zone to to_zone to depot", WET),
    "flow matrix": (
        "buses",
        "where do trips flow from from_zone to to_zone, as a matrix, against chance",
        None,
    ),
    "stages": ("buses", "how far does each crew get through district by departed_at", WET),
    "kin": ("buses", "who belongs to whom, from line and district, with the sum of boardings", WET),
    "place": ("buses", "where is the sum of boardings, shaded by the average of late_min", WET),
    "place hexagons": ("buses", "where is the average of late_min as hexagons", WET),
    "place areas": ("crimes", "where is the average of murder", None),
    "drives": ("buses", "what drives late_min leaving out rider_rating", WET),
    "opened": ("buses", "what drives late_min leaving out rider_rating, opened at rain_mm", None),
    "rules": ("buses", "what drives late_min leaving out rider_rating, as a few rules", None),
    "changed": ("buses", "why did the sum of boardings change from February 2023 to March 2023", WET),
    "held": ("buses", "does late_min still go with depot", WET),
    "coefficients": (
        "buses",
        "does late_min still go with rain_mm when depot and boardings are held fixed, drawn as coefficients",
        None,
    ),
    "what is left": (
        "buses",
        "does late_min still go with rain_mm when depot is held fixed, drawn as what is left",
        None,
    ),
    "stands": ("buses", "what stands out", WET),
    "differ": ("buses", "how do trips where rain_mm at least 2 differ from the rest", WET),
    "months": ("buses", "boardings by month", WET),
    "areas": ("buses", "boardings by month for each depot as stacked areas", None),
    "steps": ("buses", "average late_min by month for each depot as steps", WET),
    "year before": ("buses", "boardings by month against the year before", None),
    "calendar": ("buses", "boardings by day as a calendar of days where rain_mm above 3", None),
    "week": ("buses", "late_min through the week", WET),
    "apart": ("buses", "boardings taken apart, month by month", WET),
    "ahead": ("buses", "boardings ahead, month by month", None),
    "wine boxes": ("wine", "flavanoids by cultivar as box plots", None),
    "wine points": ("wine", "proline vs alcohol coloured by cultivar", None),
    "limit": ("fair", "affairs", None),
    "shares": ("fair", "average affairs by religious", None),
    "growth": ("macrodata", "realgdp by quarter", None),
    "months apart": ("co2", "co2 taken apart, month by month", None),
}
"""A name, its table, what is typed, what is lit."""


def _buses(folder: Path) -> Path:
    whole, few = folder / "buses.csv", folder / "night_buses.csv"
    write_csv(whole)
    lines = whole.read_text().splitlines(keepends=True)
    few.write_text("".join([lines[0], *lines[1::20]]))
    return few


def _wine(folder: Path) -> Path:
    from sklearn.datasets import load_wine

    found = load_wine(as_frame=True).frame
    found["cultivar"] = found.pop("target").map({0: "first", 1: "second", 2: "third"})
    found.to_csv(path := folder / "wine.csv", index=False)
    return path


def _fair(folder: Path) -> Path:
    from statsmodels.datasets import fair

    fair.load_pandas().data.to_csv(path := folder / "fair.csv", index=False)
    return path


def _macrodata(folder: Path) -> Path:
    from statsmodels.datasets import macrodata

    found = macrodata.load_pandas().data
    found.insert(
        0, "quarter of year", [f"{y:.0f} Q{q:.0f}" for y, q in zip(found.year, found.quarter, strict=True)]
    )
    found.drop(columns=["year", "quarter"]).to_csv(path := folder / "macrodata.csv", index=False)
    return path


def _co2(folder: Path) -> Path:
    from statsmodels.datasets import co2

    co2.load_pandas().data.rename_axis("at").to_csv(path := folder / "co2.csv")
    return path


def _crimes(folder: Path) -> Path:
    from statsmodels.datasets import statecrime

    statecrime.load_pandas().data.rename_axis("state").to_csv(path := folder / "crimes.csv")
    return path


_TABLES: dict[str, Callable[[Path], Path]] = {
    "buses": _buses, "wine": _wine, "fair": _fair, "macrodata": _macrodata, "co2": _co2, "crimes": _crimes,
}  # fmt: skip


@cache
def table_of(name: str) -> Table:
    """Return a table, read once."""
    with tempfile.TemporaryDirectory() as folder:
        return load(_TABLES[name](Path(folder)))[0]


_answered: dict[tuple[Any, ...], Any] = {}


def answered(question: Any, rows: Rows) -> Any:
    """Return an answer, made once for all tests of a process where a model is fitted for it."""
    if not kind_of(question).modelled:
        return answer(question, rows)
    key = (rows.table.key, to_json(question), rows.only, rows.lit_condition)
    if key not in _answered:
        _answered[key] = (
            _with_models(question, rows) if isinstance(question, Drivers) else answer(question, rows)
        )
    return _answered[key]


def _with_models(question: Drivers, rows: Rows) -> Any:
    # of another shape, or with other rows lit, the models are the same
    key = (rows.table.key, to_json(bare(question)), rows.only)
    if key not in _answered:
        _answered[key] = list(pieces(question, rows))
    return drives(question, rows, _answered[key])


def made(name: str) -> str:
    """Return what the file of a picture should hold."""
    table_name, typed, lit = PICTURES[name]
    table = table_of(table_name)
    question, only = read(typed, table)
    rows = Rows(table, only, lit)
    found = answered(question, rows)
    words = words_of(found, table, only)
    figures = figures_of(found)
    parts = [
        f"asked: {typed}",
        f"question: {to_json(question)}",
        f"sentence: {scene_in_words(Scene(main=question, only=only, lit=lit), table, found)}",
        f"words: {plain(words.headline)}",
        *(f"caution: {caution}" for caution in words.cautions),
        "",
        " | ".join(figures.names),
        *(" | ".join(map(_cell, row)) for row in figures.rows),
        "",
        *(
            f"{part.title}: {line.label} {_cell(line.value)}"
            for part in all_figures(found, rows)
            for line in part.lines
        ),
        "",
        # a line an element, so that a change is seen where it is
        str(draw(found, table, SIZE, "p")).replace("><", ">\n<"),
    ]
    return "\n".join(parts) + "\n"


def _cell(value: Any) -> str:
    return f"{value:.9g}" if isinstance(value, float) and math.isfinite(value) else str(value)


def path_of(name: str) -> Path:
    """Return where the file of a picture lies."""
    return FOLDER / f"{name.replace(' ', '_')}.txt"
