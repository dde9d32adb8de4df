"""Starting points: kept by name, begun from without changing them, on their table and on one of the same columns."""

from __future__ import annotations

from pathlib import Path

from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tales.models import Stop, Tale
from night_trail.trails.models import StartingPoint, Step, Trail
from tests.web.conftest import bring, client_of


def keep(client: Client, step: Step, name: str) -> int:
    return client.post(
        reverse("trails:keep-point", args=[step.trail_id, step.pk]), {"name": name}
    ).status_code


def test_a_scene_is_kept_offered_and_begun_from_without_changing_it(
    client: Client, step: Step, table: Table
) -> None:
    assert keep(client, step, "  Wet   <b>nights ") == 302
    point = StartingPoint.objects.get()
    assert point.name == "Wet <b>nights" and point.scene_value() == step.scene_value()
    survey = client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    assert "Begin from:" in survey and "Wet &lt;b&gt;nights" in survey
    before = Trail.objects.count()
    begun = client.post(reverse("trails:begin-at", args=[table.pk, point.pk]))
    trail = Trail.objects.latest("pk")
    assert Trail.objects.count() == before + 1 and trail.title == point.name
    assert begun["Location"].startswith(f"/trails/{trail.pk}/")
    assert trail.steps.latest("pk").scene_value() == step.scene_value()
    for name, code in (("Wet <b>nights", 422), ("", 422), ("Another", 302)):
        assert keep(client, step, name) == code
    client.post(reverse("trails:forget-point", args=[table.pk, point.pk]))
    assert not StartingPoint.objects.filter(pk=point.pk).exists()


def test_one_is_offered_on_a_table_of_the_same_columns_and_on_no_other(
    client: Client, owner: User, step: Step, few_buses_csv: Path, tmp_path: Path
) -> None:
    keep(client, step, "Late trips")
    same = bring(owner, few_buses_csv).table
    path = tmp_path / "plain.csv"
    path.write_text("a,b\n" + "\n".join(f"{i},x" for i in range(30)))
    plain = bring(owner, path).table
    assert same is not None and plain is not None
    assert "Late trips" in client.get(reverse("tables:survey", args=[same.pk])).content.decode()
    assert "Late trips" not in client.get(reverse("tables:survey", args=[plain.pk])).content.decode()
    point = StartingPoint.objects.get()
    begun = client.post(reverse("trails:begin-at", args=[same.pk, point.pk]))
    assert begun.status_code == 302 and Trail.objects.latest("pk").version.table_id == same.pk
    refused = client.post(reverse("trails:begin-at", args=[plain.pk, point.pk]))
    assert refused.status_code == 422


def test_an_overview_is_kept_and_begun_as_a_tale(client: Client, table: Table) -> None:
    client.post(reverse("tales:overview-of", args=[table.pk]))
    stop = Stop.objects.exclude(overview=None).get()
    client.post(reverse("tales:tile", args=[stop.tale_id, stop.pk]), {"keep_as": "How we stand"})
    point = StartingPoint.objects.get()
    client.post(reverse("tales:overview-from", args=[table.pk, point.pk]))
    made = Tale.objects.get(title="How we stand").stops.get()
    assert made.overview == stop.overview
    assert client.post(reverse("trails:begin-at", args=[table.pk, point.pk])).status_code == 422


def test_starting_points_are_for_who_may_explore_the_table(
    client: Client, other: User, step: Step, table: Table
) -> None:
    keep(client, step, "Mine")
    point = StartingPoint.objects.get()
    theirs = client_of(other)
    begin, forget = (reverse(f"trails:{n}", args=[table.pk, point.pk]) for n in ("begin-at", "forget-point"))
    assert theirs.post(begin).status_code == 404
    table.shares.create(person=other, role=Role.READ)
    assert theirs.post(begin).status_code == 404
    table.shares.update(role=Role.EXPLORE)
    assert theirs.post(begin).status_code == 302
    assert theirs.post(forget).status_code == 422 and StartingPoint.objects.exists()
    step.trail.shares.create(person=other, role=Role.EXPLORE)
    table.shares.all().delete()
    assert keep(theirs, step, "Theirs") == 422


def test_an_overview_and_a_starting_point_are_asked_for_in_words(
    client: Client, step: Step, table: Table, other: User
) -> None:
    keep(client, step, "Late trips")
    point = StartingPoint.objects.get()
    words = reverse("trails:words", args=[table.pk])

    def said(text: str) -> str:
        return client.get(words, {"words": text}, headers={"HX-Request": "true"}).content.decode()

    whole = said("an overview of boardings")
    address = reverse("tales:overview-of", args=[table.pk])
    assert f'action="{address}"' in whole and 'name="of" value="boardings"' in whole
    assert 'class="choice plain door" id="word-option-d1" aria-selected="true"' in whole
    assert 'name="of" value=""' in said("how do things stand?")
    assert "door" not in said("an overview of nothing we have") and "door" not in said("boardings by line")
    exact, part = said("late trips"), said("late t")
    begin = reverse("trails:begin-at", args=[table.pk, point.pk])
    assert f'action="{begin}"' in exact and 'id="word-option-d1" aria-selected="true"' in exact
    assert f'action="{begin}"' in part and 'id="word-option-d1" aria-selected="false"' in part
    begun = client.post(address, {"of": "boardings"})
    assert begun.status_code == 302 and Tale.objects.latest("pk").title == "boardings at a glance"
    step.trail.shares.create(person=other, role=Role.EXPLORE)
    theirs = client_of(other).get(
        words, {"words": "late trips", "step": step.pk}, headers={"HX-Request": "true"}
    )
    assert theirs.status_code == 200 and b"door" not in theirs.content
