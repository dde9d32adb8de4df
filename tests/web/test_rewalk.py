"""Newer rows come: the trail is walked again, claims hold, are weaker or gone, and a tale goes over to them."""

from __future__ import annotations

import csv
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.claims.again import Again, again
from night_trail.core.claims.verdict import Verdict
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Compare
from night_trail.core.turns import See
from night_trail.tables.arrivals import add_to_bundle, read_arrival
from night_trail.tables.models import Bundle, Table
from night_trail.tales.models import Link, Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Cairn, Step, Trail
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import bring, client_of

CLAIM = "the average of wait is higher where gate is b than elsewhere"


def write(path: Path, effect: float, *, rows: int = 400, names: tuple[str, str] = ("gate", "wait")) -> Path:
    rng = np.random.default_rng(7)
    with path.open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(["id", *names])
        for i in range(rows):
            gate = "abc"[i % 3]
            writer.writerow([f"P{i:05d}", gate, round(10 + effect * (gate == "b") + float(rng.normal()), 3)])
    return path


@pytest.fixture
def walked(owner: User, tmp_path: Path) -> Step:
    table = bring(owner, write(tmp_path / "gates.csv", 2.0)).table
    assert table is not None
    step = take_turn(start_trail(owner, table, column="wait"), See(Compare(Measure("mean", "wait"), "gate")))
    cairn_at(step)
    return step


def deliver(owner: User, table: Table, path: Path) -> Table:
    bundle = Bundle.objects.create(owner=owner, name=path.name)
    add_to_bundle(bundle, path, "gates.csv", table)
    arrival = bundle.arrivals.get()
    read_arrival(arrival)
    arrival.refresh_from_db()
    assert arrival.state == "done", arrival.said
    return Table.objects.get(pk=table.pk)


def claim(client: Client, step: Step, words: str = CLAIM) -> None:
    client.post(reverse("trails:claim", args=[step.trail_id, step.pk]), {"typed": words})


def again_on(client: Client, step: Step, **names: str) -> Trail:
    answer = client.post(reverse("trails:walk-again", args=[step.trail_id]), names)
    assert answer.status_code == 302, answer.content
    made = Trail.objects.latest("pk")
    assert answer["Location"] == reverse("trails:rewalked", args=[made.pk])
    return made


@pytest.mark.parametrize(
    ("effect", "words"), [(2.0, "still holds"), (1.0, "is weaker"), (0.0, "is gone"), (-2.0, "is gone")]
)
def test_a_claim_on_newer_rows_holds_is_weaker_or_is_gone(
    client: Client, owner: User, walked: Step, tmp_path: Path, effect: float, words: str
) -> None:
    claim(client, walked)
    deliver(owner, walked.trail.version.table, write(tmp_path / "new.csv", effect, rows=800))
    made = again_on(client, walked)
    page = client.get(reverse("trails:rewalked", args=[made.pk])).content.decode()
    assert f'<b class="became">{words}</b>' in page
    assert "Now: " in page and "Before: Holds: by 2" in page and page.count("<svg") >= 2
    assert made.steps.count() == walked.trail.steps.count()
    old = Cairn.objects.get(step=walked)
    assert old.verdict["state"] == "holds", "the trail as it was stays as it was"


@pytest.mark.parametrize(
    ("before", "now", "became"),
    [
        ({"state": "holds", "figure": 5.0, "low": 4.0, "high": 6.0}, Verdict("holds", 4.5), "holds"),
        ({"state": "holds", "figure": 5.0, "low": 4.0, "high": 6.0}, Verdict("holds", 3.0), "weaker"),
        ({"state": "holds", "figure": -5.0, "low": -6.0, "high": -4.0}, Verdict("holds", -3.0), "weaker"),
        ({"state": "holds", "figure": 5.0, "low": 4.0, "high": 6.0}, Verdict("weak", 4.5), "weaker"),
        ({"state": "holds", "figure": 5.0, "low": 4.0, "high": 6.0}, Verdict("weak", 0.3), "gone"),
        ({"state": "weak", "figure": 1.0, "low": -1.0, "high": 3.0}, Verdict("weak", 0.8), "holds"),
        ({"state": "holds", "figure": 5.0}, Verdict("fails", -1.0), "gone"),
        ({"state": "open"}, Verdict("open", float("nan")), "open"),
        ({"state": "open"}, Verdict("holds", 7.0), "holds"),
        ({"state": "holds", "figure": 0.8}, Verdict("holds", 0.3), "weaker"),
    ],
)
def test_the_right_of_the_three(before: dict[str, float], now: Verdict, became: Again) -> None:
    assert again(before, now) == became


def test_without_newer_rows_there_is_nothing_to_walk_on(client: Client, walked: Step) -> None:
    refused = client.get(reverse("trails:walk-again", args=[walked.trail_id]))
    assert refused.status_code == 422 and "no newer rows" in refused.content.decode()


def test_what_a_delivery_brings_is_said_before_it_is_read(
    client: Client, owner: User, walked: Step, tmp_path: Path
) -> None:
    path = write(tmp_path / "new.csv", 2.0, rows=410, names=("gate", "wait_min"))
    bundle = Bundle.objects.create(owner=owner, name="new.csv")
    add_to_bundle(bundle, path, "gates.csv", walked.trail.version.table)
    page = client.get(reverse("tables:bundle", args=[bundle.pk])).content.decode()
    assert "gates has 400 rows now." in page
    assert "Columns that would be gone: wait." in page and "were not there before: wait_min." in page


def test_a_renamed_column_is_matched_asked_about_and_put_into_every_step(
    client: Client, owner: User, walked: Step, tmp_path: Path
) -> None:
    claim(client, walked)
    deliver(owner, walked.trail.version.table, write(tmp_path / "n.csv", 2.0, names=("gate", "wait_min")))
    asked = client.get(reverse("trails:walk-again", args=[walked.trail_id])).content.decode()
    assert "wait is now called" in asked and '<option value="wait_min" selected>' in asked
    made = again_on(client, walked, **{"name-0": "wait_min"})
    assert not made.lost
    copy = made.steps.get(walked_from=walked)
    assert copy.scene_value().main == Compare(Measure("mean", "wait_min"), "gate")
    assert copy.cairn.verdict["again"] == "holds"
    gone = again_on(client, walked)
    assert len(gone.lost) == 2 and "wait" in gone.lost[0]["why"]
    page = client.get(reverse("trails:rewalked", args=[gone.pk])).content.decode()
    assert "Steps that these rows cannot show" in page


@pytest.fixture
def told(client: Client, owner: User, walked: Step, tmp_path: Path) -> Callable[[float], Tale]:
    def make(effect: float) -> Tale:
        claim(client, walked)
        tale = Tale.objects.create(owner=owner, title="Gates")
        live, kept = (add_stop(tale, Cairn.objects.get(step=walked)) for _ in range(2))
        tale.stops.filter(pk=kept.pk).update(frozen=True, heading="Kept")
        tale.stops.filter(pk=live.pk).update(heading="Live")
        deliver(owner, walked.trail.version.table, write(tmp_path / "new.csv", effect, rows=800))
        made = again_on(client, walked)
        page = client.get(reverse("trails:rewalked", args=[made.pk])).content.decode()
        assert "1 stop would follow, 1 stays" in page
        client.post(reverse("tales:follow", args=[tale.pk, made.pk]))
        return tale

    return make


def test_a_tale_follows_but_for_frozen_stops_and_can_be_walked_as_it_stood(
    client: Client, walked: Step, told: Callable[[float], Tale]
) -> None:
    tale = told(0.0)
    live, kept = tale.stops.all()
    assert live.step.trail.version_id != walked.trail.version_id and kept.step_id == walked.pk
    first = client.get(reverse("tales:own-walk", args=[tale.pk])).content.decode()
    assert tale.editions.get().said == "1 claim is gone; 1 stop stayed as before."
    assert "On newer rows it is gone" in first and "Newer rows came on" in first
    assert "and it stays so" in client.get(reverse("tales:own-walk-stop", args=[tale.pk, 2])).content.decode()
    before = client.get(reverse("tales:before", args=[tale.pk, 1])).content.decode()
    assert "As it stood before" in before and "Holds: by 2" in before and "On newer rows" not in before


def test_readers_are_told_since_they_last_read(
    client: Client, owner: User, walked: Step, told: Callable[[float], Tale], tmp_path: Path
) -> None:
    tale = told(2.0)
    _, token = Link.make(tale)
    reader = Client()
    first, last = (reverse("tales:walk-stop", args=[token, n]) for n in (1, 2))
    assert "Newer rows came on" in reader.get(first).content.decode()
    reader.get(last)
    assert "Since you last read" not in reader.get(first).content.decode()
    deliver(owner, walked.trail.version.table, write(tmp_path / "third.csv", -2.0, rows=900))
    client.post(reverse("trails:walk-again", args=[tale.stops.first().step.trail_id]))
    client.post(reverse("tales:follow", args=[tale.pk, Trail.objects.latest("pk").pk]))
    told_of = reader.get(first).content.decode()
    assert "Since you last read it, newer rows have come" in told_of
    earlier = reader.get(reverse("tales:walk-before", args=[token, 2, 1]))
    assert earlier.status_code == 200 and "1 of 2" in earlier.content.decode()
    # what the writer takes out is not found in how the tale stood before
    client.post(reverse("tales:remove", args=[tale.pk, tale.stops.first().pk]))
    shown = reader.get(reverse("tales:walk-before", args=[token, 2, 1])).content.decode()
    assert "Kept" in shown and "1 of 1" in shown
    assert "1 of 2" in client.get(reverse("tales:before", args=[tale.pk, 2])).content.decode()
    assert Client().get(reverse("tales:walk-before", args=["nothing", 2, 1])).status_code == 404


def test_another_person_walks_only_what_they_may_explore(
    owner: User, other: User, walked: Step, tmp_path: Path
) -> None:
    deliver(owner, walked.trail.version.table, write(tmp_path / "new.csv", 2.0))
    address = reverse("trails:walk-again", args=[walked.trail_id])
    assert client_of(other).get(address).status_code == 404
    walked.trail.shares.create(person=other, role="explore")
    assert client_of(other).post(address).status_code == 422
    assert not Trail.objects.filter(owner=other).exists()
