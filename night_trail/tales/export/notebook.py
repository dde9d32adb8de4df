"""A tale as a notebook and a plain script that figure everything anew from Parquet, in one zip."""

from __future__ import annotations

import io
import json
import re
import zipfile
from typing import Any

from night_trail.core.bound import unbound
from night_trail.core.errors import NightTrailError
from night_trail.core.methods_along import files_for, packages_for
from night_trail.core.recomputed import IMPORTS, Code, code_of
from night_trail.people.models import Role
from night_trail.tables.cells import write_parquet
from night_trail.tables.models import Table, Version
from night_trail.tables.services import core_table
from night_trail.tales.export.gathered import Part, Told, told
from night_trail.tales.models import Tale

Cell = tuple[str, str]
"""The kind of a cell, ``markdown`` or ``code``, and what stands in it."""


def notebook(tale: Tale, person: Any) -> bytes:
    """Return the zip: ``tale.ipynb``, ``tale.py``, and the rows of each table.

    Raises
    ------
    NightTrailError
        Where the person may not see the rows of a table.
    """
    stops = told(tale)
    versions: dict[int, Version] = {}
    for part in (part for one in stops for part in _pictures(one)):
        version = part.desk.version
        if not Table.objects.sees(person, version.table, Role.READ):
            raise NightTrailError(
                "A notebook needs the rows of its tables, and some are not yours to see",
                "",
                "Ask the owner of the table.",
            )
        versions[version.pk] = version
    names = {pk: f"rows_{at}" for at, pk in enumerate(versions, 1)}
    cells = list(_cells(tale, stops, versions, names))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("tale.ipynb", json.dumps(_as_notebook(cells), indent=1, ensure_ascii=False))
        made.writestr("tale.py", _as_script(cells))
        for path, source in files_for(text for kind, text in cells if kind == "code").items():
            made.writestr(path, source)
        for pk, version in versions.items():
            rows = io.BytesIO()
            write_parquet(core_table(version), rows)
            made.writestr(f"{names[pk]}.parquet", rows.getvalue(), zipfile.ZIP_STORED)
    return out.getvalue()


def _pictures(one: Told) -> tuple[Part, ...]:
    return one.parts + ((one.beside,) if one.beside is not None else ())


def _cells(tale: Tale, stops: list[Told], versions: dict[int, Version], names: dict[int, str]) -> list[Cell]:
    cells: list[Cell] = [("markdown", f"# {tale.title}")]
    loads = "\n".join(
        f"{names[pk]} = pl.read_parquet({names[pk] + '.parquet'!r})  # {_one_line(str(version.table))}"
        for pk, version in versions.items()
    )
    first = len(cells)
    cells.append(("code", f"{IMPORTS}\n\n{loads}\nfigures = {{}}".strip()))
    for one in stops:
        if one.chapter:
            cells.append(("markdown", f"## {one.chapter}"))
        cells.append(("markdown", f"### {one.heading}\n\n{unbound(one.text)}".strip()))
        for at, part in enumerate(_pictures(one), 1):
            cells.append(("markdown", f"*{part.sentence}*\n\n{part.headline}"))
            cells.append(_recomputed(part, f"stop {one.number}, picture {at}", names[part.desk.version.pk]))
    code = [text for kind, text in cells if kind == "code"]
    cells.insert(first, ("markdown", _needs(code, files_for(code))))
    return cells


def _needs(code: list[str], methods: dict[str, str]) -> str:
    """Return in words what the code needs: packages by their versions, and files that lie beside it."""
    packages = ", ".join(packages_for([*code, *methods.values()]))
    beside = " The methods behind it lie beside it as plain Python, in the folder methods." if methods else ""
    return f"This runs with {packages}.{beside}"


def _recomputed(part: Part, name: str, table: str) -> Cell:
    scene = part.desk.scene
    assert scene.main is not None  # noqa: S101  (a part is of a picture)
    standing = part.desk.standing(scene.main)
    if standing is not None and (standing.counted or standing.estimated):
        return "markdown", (
            f"These figures are of all {standing.rows:,} attached rows, and the file holds a part of them: "
            "they are not figured anew here."
        )
    found: Code = code_of(scene.main, part.answer, scene.only, scene.lit, part.desk.table)
    if found.untold:
        return "markdown", f"These figures are not figured anew here: {found.untold}."
    lines = [f"table = {table}", *found.lines, f"figures[{name!r}] = found", "print(found)"]
    return "code", "\n".join(lines)


def _one_line(text: str) -> str:
    return " ".join(text.split())[:80]


def _as_notebook(cells: list[Cell]) -> dict[str, Any]:
    made = []
    for at, (kind, source) in enumerate(cells):
        cell: dict[str, Any] = {
            "cell_type": kind,
            "id": f"cell-{at}",
            "metadata": {},
            "source": source.splitlines(True),
        }
        if kind == "code":
            cell |= {"execution_count": None, "outputs": []}
        made.append(cell)
    kernel = {"display_name": "Python 3", "language": "python", "name": "python3"}
    return {
        "cells": made,
        "metadata": {"kernelspec": kernel, "language_info": {"name": "python"}},
        "nbformat": 4,
        "nbformat_minor": 5,
    }


def _as_script(cells: list[Cell]) -> str:
    made = []
    for kind, source in cells:
        # whatever a text holds, each of its lines is a comment
        made.append(
            source if kind == "code" else re.sub(r"^", "# ", "\n".join(source.splitlines()), flags=re.M)
        )
    return "\n\n".join(made) + "\n"
