"""The notebook and the script of a tale figure the same figures anew, with nothing of ours."""

from __future__ import annotations

import io
import json
import math
import runpy
import zipfile
from pathlib import Path
from typing import Any

import polars as pl
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import Between
from night_trail.core.turns import Light, OnlyWords, Say
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tales.export.gathered import told
from night_trail.tales.models import Tale
from night_trail.tales.services import add_stop
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import client_of

ASKED = [
    "average of late_min across depot",
    "median of late_min across line",
    "share of trips where late_min above 5 across district",
    "number of trips across vehicle",
    "boardings by month",
    "average late_min by week",
    "boardings through the week",
    "late_min against rain_mm",
    "late_min",
    "late_min across depot as box plots",
    "how often does each district occur",
    "what makes up boardings by depot › line",
    "what makes up the average of late_min by district › line, drawn as indented bars",
    "average of late_min across festival",
    "late_min across festival as box plots",
    "how often does each festival occur",
    "what makes up boardings by festival › depot",
    "why did the sum of boardings change from February 2023 to March 2023",
    "why did the average of late_min change from February 2023 to March 2023",
    "district vs depot",
    "how do all numbers move together",
    "where does the sum of boardings flow from district to depot to line",
    "boardings by month against the year before",
    "boardings by month per depot as a rolling mean of 3",
    "boardings taken apart by month",
]
FILTERS = [
    "depot is Tallow Lane or Northgate and rain_mm above 1",
    "not (line is N7 Saltpan Loop)",
    "festival is no",
]


@pytest.fixture
def asked(owner: User, table: Table) -> Tale:
    tale = Tale.objects.create(owner=owner, title="Every kind\nof '''picture'''")
    for at, words in enumerate(ASKED):
        step = take_turn(start_trail(owner, table), Say(words, ""))
        step = take_turn(step, OnlyWords(FILTERS[at % len(FILTERS)]))
        if at % 2:
            step = take_turn(step, Light(Between("rain_mm", 2.0, None, low_open=True)))
        cairn = cairn_at(step)
        cairn.note = "# not code\nimport os; os.remove('x')"
        cairn.save()
        add_stop(tale, cairn)
    return tale


def unpacked(client: Client, tale: Tale, into: Path) -> Path:
    response = client.get(reverse("tales:take", args=[tale.pk, "notebook"]))
    assert response.status_code == 200, response.content
    zipfile.ZipFile(io.BytesIO(response.content)).extractall(into)
    return into


def run(path: Path, monkeypatch: pytest.MonkeyPatch) -> dict[str, pl.DataFrame]:
    monkeypatch.chdir(path)
    monkeypatch.syspath_prepend(str(path))
    found: dict[str, pl.DataFrame] = runpy.run_path("tale.py")["figures"]
    return found


def same(one: Any, other: Any) -> bool:
    if isinstance(one, (int, float)) and isinstance(other, (int, float)):
        return math.isclose(float(one), float(other), rel_tol=1e-9, abs_tol=1e-9)
    return str(one) == str(other)


def test_the_script_prints_the_figures_of_every_picture(
    client: Client, asked: Tale, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    figures = run(unpacked(client, asked, tmp_path), monkeypatch)
    compared = 0
    for one in told(asked):
        part = one.parts[0]
        found = figures[f"stop {one.number}, picture 1"]
        names, rows = part.figures.names, part.figures.rows
        kind = type(part.answer).__name__
        if kind == "CompareAnswer":
            mine = {r["group"]: (r["rows"], r["figure"]) for r in found.iter_rows(named=True)}
            theirs = {r[0]: (r[1], r[2]) for r in rows}
        elif kind == "DecompositionAnswer":
            mine = {str(r[0]): tuple(round(x, 6) for x in r[1:4]) for r in found.iter_rows()}
            theirs = {str(r[0])[:10]: tuple(round(x, 6) for x in r[1:4]) for r in rows}
        elif kind == "OverTimeAnswer" and part.answer.question.split:
            mine = {(r["group"], str(r["from"])): (r["figure"],) for r in found.iter_rows(named=True)}
            theirs = {(r[0], str(r[1])[:10]): (r[3],) for r in rows if r[3] is not None}
            mine = {label: mine[label] for label in theirs}
        elif kind == "OverTimeAnswer":
            mine = {str(r["from"]): (r["rows"], r["figure"]) for r in found.iter_rows(named=True)}
            n = names.index("rows")
            theirs = {str(r[0])[:10]: (r[n], r[2]) for r in rows if r[n]}
            mine = {label: mine[label] for label in theirs}
        elif kind == "CycleAnswer":
            mine = {r["place"]: (r["rows"], r["figure"]) for r in found.iter_rows(named=True)}
            theirs = {at: (r[2], r[1]) for at, r in enumerate(rows, 1)}
        elif kind == "BoxesAnswer":
            mine = {
                r["group"]: (r["count"], r["q1"], r["median"], r["q3"]) for r in found.iter_rows(named=True)
            }
            theirs = {r[0]: (r[1], r[3], r[4], r[5]) for r in rows}
        elif kind == "MakeUpAnswer":
            levels = names[: names.index("rows")]
            mine = {
                tuple(r[n] for n in levels): (r["rows"], r["figure"]) for r in found.iter_rows(named=True)
            }
            theirs = {tuple(r[: len(levels)]): (r[len(levels)], r[len(levels) + 1]) for r in rows}
        elif kind == "ChangedAnswer":
            by = part.answer.chosen
            mine = {
                " · ".join(r[name] for name in by): (r["before"], r["after"], r["difference"])
                for r in found.iter_rows(named=True)
            }
            theirs = {r[0]: (r[1], r[2], r[2] - r[1]) for r in rows if "others" not in r[0]}
            assert theirs
            mine = {label: mine[label] for label in theirs}
        elif kind == "CrosstabAnswer":
            mine = {r[:2]: r[2:] for r in found.iter_rows()}
            theirs = {tuple(r[:2]): tuple(r[2:4]) for r in rows if r[2]}
        elif kind == "CorrelationAnswer":
            mine = {frozenset(r[:2]): r[2:] for r in found.iter_rows()}
            theirs = {frozenset(r[:2]): tuple(r[2:4]) for r in rows}
        elif kind == "FlowAnswer":
            mine = {r[:4]: r[4:] for r in found.iter_rows()}
            theirs = {tuple(r[:4]): tuple(r[4:6]) for r in rows if "others" not in f"{r[1]} {r[3]}"}
            assert len(theirs) > 10
            mine = {label: mine[label] for label in theirs}
        elif kind == "BarsAnswer":
            mine = {r["group"]: (r["count"],) for r in found.iter_rows(named=True)}
            theirs = {r[0]: (r[1],) for r in rows}
        else:
            facts = {f.label: f.value for f in one.figures}
            frame = found.row(0, named=True)
            labels = {
                "correlation": "correlation (Pearson)",
                "rank correlation": "rank correlation (Spearman)",
            }
            theirs = {n: (facts[labels.get(n, n)],) for n in frame if labels.get(n, n) in facts}
            mine = {n: (frame[n],) for n in theirs}
            assert len(theirs) >= 3
        assert mine.keys() == theirs.keys(), (kind, names)
        for label in theirs:
            assert all(map(same, mine[label], theirs[label])), (kind, label, mine[label], theirs[label])
            compared += len(theirs[label])
    assert compared > 100


def test_the_notebook_runs_in_a_kernel_of_its_own(
    client: Client, asked: Tale, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import nbformat
    from jupyter_client.manager import AsyncKernelManager
    from nbclient import NotebookClient

    for name in ("RUNTIME", "DATA", "CONFIG"):
        monkeypatch.setenv(f"JUPYTER_{name}_DIR", str(tmp_path / name))
    path = unpacked(client, asked, tmp_path / "tale")
    found = nbformat.read(path / "tale.ipynb", as_version=4)
    nbformat.validate(found)
    # what the last cell holds is told outside it
    asking = "import json; print(json.dumps([len(figures), 'os' in globals()]))"
    found.cells.append(nbformat.v4.new_code_cell(asking))
    # no port is opened for it
    manager = AsyncKernelManager(kernel_name="python3", transport="ipc", ip=str(tmp_path / "k"))
    NotebookClient(found, km=manager, timeout=120, resources={"metadata": {"path": str(path)}}).execute()
    last = found.cells[-1].outputs[0].text
    assert json.loads(last) == [len(ASKED), False], "no text becomes code"
    assert not (path / "x").exists()


def test_what_is_not_figured_anew_is_said(
    client: Client, tale: Tale, owner: User, table: Table, tmp_path: Path
) -> None:
    step = take_turn(start_trail(owner, table), Say("boardings by month with days evened out", ""))
    add_stop(tale, cairn_at(step))
    text = (unpacked(client, tale, tmp_path) / "tale.py").read_text()
    assert "# These figures are not figured anew here: its periods are evened out" in text


def test_names_of_columns_stay_names(
    client: Client, owner: User, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from tests.web.conftest import bring

    path = tmp_path / "odd.csv"
    path.write_text('^g$,"v\'); import os #"\n' + "\n".join(f"{'ab'[i % 2]},{i}.5" for i in range(40)))
    table = bring(owner, path).table
    assert table is not None
    value = table.latest.column_list()[1].name
    step = take_turn(start_trail(owner, table), Say(f"average of {value} across ^g$", ""))
    tale = Tale.objects.create(owner=owner, title="Odd")
    add_stop(tale, cairn_at(step))
    figures = run(unpacked(client, tale, tmp_path / "out"), monkeypatch)
    assert dict(figures["stop 1, picture 1"].select("group", "figure").iter_rows()) == {"a": 19.5, "b": 20.5}


def test_rows_leave_in_a_notebook_only_for_who_may_see_them(tale: Tale, other: User) -> None:
    tale.shares.create(person=other, role=Role.EXPLORE)
    refused = client_of(other).get(reverse("tales:take", args=[tale.pk, "notebook"]))
    assert refused.status_code == 422 and "not yours to see" in refused.content.decode()
