"""Packages: opened elsewhere they are the same trail and tale; hostile ones are refused and leave nothing."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from night_trail.people.models import Role
from night_trail.tables.models import Table, Version
from night_trail.tables.services import core_table
from night_trail.tales.models import Stop, Tale
from night_trail.tales.package import Package
from night_trail.trails.models import Trail
from tests.web.conftest import client_of


def taken(client: Client, tale: Tale) -> bytes:
    response = client.get(reverse("tales:take", args=[tale.pk, "package"]))
    assert response.status_code == 200, response.content
    return response.content


def opened(client: Client, data: bytes) -> Any:
    return client.post(reverse("tales:open"), {"package": SimpleUploadedFile("tale.zip", data)})


def changed(data: bytes, change: Callable[[dict[str, Any], dict[str, bytes]], None]) -> bytes:
    with zipfile.ZipFile(io.BytesIO(data)) as found:
        entries = {name: found.read(name) for name in found.namelist()}
    package = json.loads(entries["package.json"])
    change(package, entries)
    if "package.json" in entries:
        entries["package.json"] = json.dumps(package).encode()
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, content in entries.items():
            made.writestr(name, content)
    return out.getvalue()


def described(tale: Tale) -> list[Any]:
    return [
        (
            s.heading,
            s.text,
            s.chapter,
            s.shown_scene() if s.step else None,
            s.beat_values(),
            s.annotations,
            s.claim,
        )
        for s in tale.stops.all()
    ]


def test_a_package_opened_by_another_is_the_same_trail_and_tale(
    client: Client, other: User, tale: Tale, table: Table
) -> None:
    stop = tale.stops.exclude(step=None).first()
    client.post(reverse("tales:beat-add", args=[tale.pk, stop.pk]))
    client.post(
        reverse("tales:claim", args=[tale.pk, stop.pk]), {"typed": "the median of late_min is at least 1 min"}
    )
    data = taken(client, tale)
    assert opened(client_of(other), data).status_code == 302
    made = Tale.objects.get(owner=other)
    assert described(made) == described(tale)
    rows, theirs = core_table(table.latest), core_table(Table.objects.get(owner=other).latest)
    assert rows.columns == theirs.columns
    assert all(rows.series(c.name).equals(theirs.series(c.name)) for c in rows.columns)
    before, after = (Trail.objects.get(owner=who) for who in (tale.owner, other))
    assert [(s.scene_key, s.label, s.parent_id is None) for s in before.steps.all()] == [
        (s.scene_key, s.label, s.parent_id is None) for s in after.steps.all()
    ]
    walk = reverse("tales:own-walk-stop", args=[made.pk, 2])
    shown = client_of(other).get(walk).content.decode()
    mine = client.get(reverse("tales:own-walk-stop", args=[tale.pk, 2])).content.decode()
    assert "<svg" in shown and shown.count('class="mark"') == mine.count('class="mark"')
    survey = client_of(other).get(reverse("tables:survey", args=[theirs_pk(other)]))
    assert survey.status_code == 200
    # and taken along once more it is the same package
    again = json.loads(zipfile.ZipFile(io.BytesIO(taken(client_of(other), made))).read("package.json"))
    first = json.loads(zipfile.ZipFile(io.BytesIO(data)).read("package.json"))
    assert {k: v for k, v in again.items() if k != "made"} == {k: v for k, v in first.items() if k != "made"}


def theirs_pk(other: User) -> int:
    return Table.objects.get(owner=other).pk


def test_the_schema_beside_it_describes_it(client: Client, tale: Tale) -> None:
    with zipfile.ZipFile(io.BytesIO(taken(client, tale))) as found:
        schema = json.loads(found.read("schema.json"))
    assert (
        schema["$ref"].endswith("Package")
        and "PackedStop" in schema["$defs"]
        and Package.__name__ in schema["$defs"]
    )


def _drop(name: str) -> Callable[[dict[str, Any], dict[str, bytes]], None]:
    return lambda package, entries: entries.pop(name) and None


def _step(package: dict[str, Any], **fields: Any) -> None:
    package["trails"][0]["steps"][-1].update(fields)


HOSTILE: dict[str, tuple[Callable[[dict[str, Any], dict[str, bytes]], None], str]] = {
    "no json": (_drop("package.json"), "package.json is missing"),
    "no rows": (_drop("tables/0.parquet"), "is missing"),
    "unknown field": (lambda p, e: p.update(run="rm"), "unknown field"),
    "another edition": (lambda p, e: p.update(package=2), "not a package"),
    "path out": (lambda p, e: p["tables"][0].update(rows="../../etc/passwd"), "not a package"),
    "rows that are none": (lambda p, e: e.update({"tables/0.parquet": b"PAR1" + b"\0" * 400}), ""),
    "fewer rows": (lambda p, e: p["tables"][0].update(height=3), "rows are not those"),
    "kind that lies": (
        lambda p, e: next(c for c in p["tables"][0]["columns"] if c["name"] == "line").update(kind="number"),
        "its cells are not",
    ),
    "no such table": (lambda p, e: p["trails"][0].update(table=7), "a table that is not there"),
    "step before itself": (lambda p, e: _step(p, parent=99), "one behind it"),
    "no such step": (lambda p, e: p["stops"][-1].update(step=[0, 999]), "a step that is not there"),
    "column that is none": (
        lambda p, e: _step(p, scene={"main": {"type": "spread", "column": "nope"}}), "nope"
    ),
    "title of a page": (lambda p, e: p.update(title="x" * 10_000), "not a package"),
    "two hundred and one stops": (lambda p, e: p.update(stops=[{"heading": "x"}] * 201), "not a package"),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_package_is_refused_in_a_sentence_and_leaves_nothing(
    client: Client, other: User, tale: Tale, name: str
) -> None:
    change, words = HOSTILE[name]
    refused = opened(client_of(other), changed(taken(client, tale), change))
    assert refused.status_code == 422 and words in refused.content.decode(), refused.content.decode()[:2_000]
    assert not Tale.objects.filter(owner=other).exists() and not Table.objects.filter(owner=other).exists()
    assert not Version.objects.filter(table=None).exists()


@pytest.mark.parametrize("data", [b"", b"PK", b"not a zip at all", b"PK\x03\x04" + b"\xff" * 200])
def test_what_is_no_zip_is_refused(client: Client, data: bytes) -> None:
    refused = opened(client, data)
    assert refused.status_code == 422


def test_texts_of_a_package_are_shown_and_not_obeyed(client: Client, other: User, tale: Tale) -> None:
    def change(package: dict[str, Any], entries: dict[str, bytes]) -> None:
        package["stops"][-1] |= {
            "heading": "<script>alert(1)</script>",
            "text": "[x](javascript:alert(1))",
            "verdict": {
                "state": 'x"><script>',
                "said": "<script>alert(2)</script>",
                "sentence": "s",
                "figure": "NaN",
            },
        }

    opened(client_of(other), changed(taken(client, tale), change))
    made = Tale.objects.get(owner=other)
    number = made.stops.count()
    page = client_of(other).get(reverse("tales:own-walk-stop", args=[made.pk, number])).content.decode()
    assert "<script>alert" not in page and 'href="javascript' not in page and "&lt;script&gt;alert(2)" in page


def test_rows_leave_in_a_package_only_for_who_may_see_them(tale: Tale, other: User) -> None:
    tale.shares.create(person=other, role=Role.EXPLORE)
    refused = client_of(other).get(reverse("tales:take", args=[tale.pk, "package"]))
    assert refused.status_code == 422 and "not yours to see" in refused.content.decode()
    assert not Stop.objects.filter(tale__owner=other).exists()
