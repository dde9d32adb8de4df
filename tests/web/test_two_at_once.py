"""Two tabs, or two people: what was acknowledged stays, what collides is shown to whoever comes second."""

from __future__ import annotations

import json
import re
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import SimpleNamespace

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.urls import reverse

from night_trail.core.annotations import Annotation, Note, merged
from night_trail.core.errors import BadQuestion
from night_trail.core.recipe.steps import Calculate, Leave
from night_trail.tables import recipes
from night_trail.tables.models import Table, Version
from night_trail.tables.services import name_measure
from night_trail.tables.views import arriving
from night_trail.tales.models import Tale
from night_trail.trails.models import Cairn, Step
from night_trail.trails.services import cairn_at, name_group
from tests.web.conftest import bring, client_of


def saw(page: str, kind: str = "") -> dict[str, str]:
    """What a page's form of a kind of thing says it saw, as a browser would send it."""
    its = f' id="saw-{kind}-' if kind else ""
    return dict(re.findall(rf'name="(saw[a-z_-]*)" value="([^"]*)"{its}', page))


def page(client: Client, name: str, *args: object) -> str:
    return client.get(reverse(name, args=args)).content.decode()


def calculated(name: str) -> Calculate:
    return Calculate(name, "late_min * 2")


@pytest.mark.django_db(transaction=True)
def test_steps_taken_in_the_same_moment_all_stand(few_buses_csv: Path) -> None:
    owner = User.objects.create_user("owner")
    table = bring(owner, few_buses_csv).table
    assert table is not None

    def taken(i: int) -> None:
        recipes.take_step(Table.objects.get(pk=table.pk), calculated(f"made {i}"))
        connection.close()

    with ThreadPoolExecutor(4) as hands:
        list(hands.map(taken, range(8)))
    now = Table.objects.get(pk=table.pk).latest
    assert {c.name for c in now.column_list()} >= {f"made {i}" for i in range(8)}
    assert not Version.objects.filter(table=None).exists(), "what was made in vain is gone"


def test_a_table_deleted_in_another_tab_is_a_sentence(table: Table) -> None:
    Table.objects.filter(pk=table.pk).delete()
    with pytest.raises(BadQuestion, match="was deleted meanwhile"):
        recipes.take_step(table, calculated("made"))


def test_the_database_is_not_held_while_a_step_is_computed(
    table: Table, monkeypatch: pytest.MonkeyPatch
) -> None:
    outside = connection.in_atomic_block
    depths = []
    apply = recipes.apply

    def watched(*args: object, **named: object) -> object:
        depths.append(len(connection.savepoint_ids))
        return apply(*args, **named)  # type: ignore[arg-type]

    before = len(connection.savepoint_ids)
    monkeypatch.setattr(recipes, "apply", watched)
    monkeypatch.setattr(recipes, "_survey", lambda *a: depths.append(len(connection.savepoint_ids)) or {})
    recipes.take_step(table, calculated("made"))
    assert outside and depths == [before, before], "no transaction of its own was open"


def test_a_column_is_found_by_what_the_page_showed(client: Client, table: Table) -> None:
    form = saw(page(client, "tables:column", table.pk, 2))
    name = table.latest.column_list()[2].name
    recipes.take_step(table, Leave((table.latest.column_list()[0].name,)))
    client.post(reverse("tables:change", args=[table.pk, 2, "describe"]), form | {"name": "renamed"})
    names = [c.name for c in Table.objects.get(pk=table.pk).latest.column_list()]
    assert names[1] == "renamed" and name not in names


def test_the_step_that_was_shown_is_taken_back_not_the_one_in_its_place(client: Client, table: Table) -> None:
    for name in ("first", "second"):
        recipes.take_step(table, calculated(name))
    form = saw(page(client, "tables:survey", table.pk))
    recipes.take_back(table, 0)
    client.post(reverse("tables:take-back", args=[table.pk, 1]), form)
    assert Table.objects.get(pk=table.pk).latest.steps() == ()
    again = client.post(reverse("tables:take-back", args=[table.pk, 1]), form)
    assert again.status_code == 422 and "was taken back already" in again.content.decode()


def test_a_rename_leaves_a_step_taken_beside_it(client: Client, table: Table) -> None:
    stale = Table.objects.get(pk=table.pk)
    recipes.take_step(table, calculated("made"))
    name_measure(stale, recipes.core_table(stale.latest), "lateness", "average of late_min")
    client.post(reverse("tables:rename", args=[table.pk]), {"name": "Renamed", "noun": "ride"})
    now = Table.objects.get(pk=table.pk)
    assert "made" in [c.name for c in now.latest.column_list()]
    assert now.name == "Renamed" and now.noun_many == "rides" and "lateness" in now.measures


def test_measures_named_in_two_tabs_both_stand(table: Table) -> None:
    one, other = Table.objects.get(pk=table.pk), Table.objects.get(pk=table.pk)
    core = recipes.core_table(table.latest)
    name_measure(one, core, "a", "average of late_min")
    name_measure(other, core, "b", "median of late_min")
    assert set(Table.objects.get(pk=table.pk).measures) == {"a", "b"}
    with pytest.raises(BadQuestion, match="named elsewhere"):
        name_measure(
            Table.objects.none().first() or one.__class__(pk=table.pk), core, "a", "sum of boardings"
        )


def test_groups_named_in_two_tabs_of_a_trail_both_open(client: Client, step: Step) -> None:
    one, other = Step.objects.get(pk=step.pk), Step.objects.get(pk=step.pk)
    assert other.trail.version and one.trail.version  # each tab has its own
    steps = [name_group(one, "wet one"), name_group(other, "wet other")]
    for made in steps:
        assert client.get(reverse("trails:step", args=[made.trail_id, made.pk])).status_code == 200


@pytest.fixture
def cairn(step: Step) -> Cairn:
    return cairn_at(step)


def test_a_note_written_in_two_tabs_is_shown_to_the_second(client: Client, cairn: Cairn) -> None:
    step = cairn.step
    address = reverse("trails:cairn-edit", args=[step.trail_id, step.pk])
    form = saw(page(client, "trails:step", step.trail_id, step.pk), "cairn")
    first = client.post(address, form | {"title": cairn.title, "note": "Rain,\r\nI think."})
    assert first.status_code == 302
    second = client.post(address, form | {"title": cairn.title, "note": "Snow & <b>ice</b>."})
    said = second.content.decode()
    assert second.status_code == 409 and "The note changed elsewhere" in said
    assert "Rain,<br>I think." in said and "Snow &amp; &lt;b&gt;ice" in said
    assert Cairn.objects.get().note == "Rain,\nI think."
    kept = client.post(address, saw(said) | {"title": cairn.title, "note": "Snow & <b>ice</b>."})
    assert kept.status_code == 302 and Cairn.objects.get().note == "Snow & <b>ice</b>."


def test_title_and_note_of_two_tabs_are_merged(client: Client, cairn: Cairn) -> None:
    step = cairn.step
    address = reverse("trails:cairn-edit", args=[step.trail_id, step.pk])
    form = saw(page(client, "trails:step", step.trail_id, step.pk), "cairn")
    client.post(address, form | {"title": "Wet nights", "note": ""})
    answer = client.post(
        address, form | {"title": cairn.title, "note": "Look here."}, headers={"HX-Request": "true"}
    )
    now = Cairn.objects.get()
    assert (now.title, now.note) == ("Wet nights", "Look here.")
    # the page that wrote is told what now stands, so that its next word is no collision with itself
    fresh = saw(answer.content.decode())
    again = client.post(address, fresh | {"title": now.title, "note": "Look here, again."})
    assert again.status_code == 302 and Cairn.objects.get().note == "Look here, again."


def test_a_stops_text_and_titles_collide_in_words(client: Client, tale: Tale) -> None:
    stop = tale.stops.all()[1]
    shown = page(client, "tales:stop", tale.pk, stop.pk)
    form = saw(shown, "stop")
    address = reverse("tales:edit", args=[tale.pk, stop.pk])
    client.post(address, form | {"heading": stop.heading, "text": "One."})
    refused = client.post(
        address, form | {"heading": "Other", "text": "Two."}, headers={"HX-Request": "true"}
    )
    assert refused.status_code == 409 and refused["HX-Retarget"] == "#notice"
    stop.refresh_from_db()
    assert (stop.text, stop.heading) != ("Two.", "Other"), "nothing of it is kept before it was chosen"
    title = reverse("tales:rename", args=[tale.pk])
    form = saw(shown, "tale")
    assert client.post(title, form | {"title": "A"}).status_code == 302
    assert client.post(title, form | {"title": "B"}).status_code == 409
    stop.delete()
    gone = client.post(address, form | {"heading": "x", "text": "y"})
    assert gone.status_code == 404


def note(id_: str, text: str = "") -> Annotation:
    return Note(id_, 1.0, 2.0, text)


def test_annotations_of_two_writers_are_put_together() -> None:
    before = (note("a"), note("b"), note("c"))
    mine = (note("a", "said"), note("c"), note("mine"))
    there = (note("a"), note("b"), note("c", "theirs"), note("new"))
    assert merged(before, mine, there) == (note("a", "said"), note("c", "theirs"), note("new"), note("mine"))
    assert merged(before, before, there) == there and merged(before, mine, before) == mine
    with pytest.raises(BadQuestion, match="“other” there and “said” here"):
        merged(before, mine, (note("a", "other"), note("c")))
    with pytest.raises(BadQuestion, match="taken away"):
        merged(before, mine, (note("b"), note("c")))


def test_annotations_placed_in_two_tabs_both_stay(client: Client, cairn: Cairn) -> None:
    address = reverse("trails:annotate", args=[cairn.step.trail_id, cairn.step_id])
    for i in ("a", "b"):
        mine = [{"mark": "note", "id": i, "x": 1, "y": 2, "text": i}]
        client.post(address, {"annotations": json.dumps(mine), "before": "[]"})
    assert [a["id"] for a in Cairn.objects.get().annotations] == ["a", "b"]


def test_a_bundle_is_read_once_however_often_it_is_asked_for(
    owner: User, few_buses_csv: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    enqueued: list[int] = []
    monkeypatch.setattr(arriving, "read_file", SimpleNamespace(enqueue=enqueued.append))
    client = client_of(owner)
    with few_buses_csv.open("rb") as file:
        shown = client.post(reverse("tables:bring"), {"file": file})
    for _ in range(2):
        assert client.post(shown["Location"] + "read/").status_code == 302
    assert len(enqueued) == 1
