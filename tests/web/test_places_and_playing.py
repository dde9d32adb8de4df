"""Places and pictures that play: on the desk, with rights, in a tale for readers, in files."""

from __future__ import annotations

import html
import json
import re
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import Near
from night_trail.core.measure import Measure
from night_trail.core.outside import brought
from night_trail.core.question import to_json
from night_trail.core.questions.place.question import Place
from night_trail.core.turns import Light, Play, Say, Zoom
from night_trail.tables.models import Table
from night_trail.tales.models import Link, Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Step
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import client_of

NEAR = Near("longitude", "latitude", (-2.871, 54.112), 1.0)


@pytest.fixture
def placed(owner: User, table: Table) -> Step:
    return take_turn(start_trail(owner, table), Say("where is the sum of boardings", ""))


@pytest.fixture
def playing(owner: User, table: Table) -> Step:
    step = take_turn(start_trail(owner, table), Say("average late_min by line", ""))
    return take_turn(step, Play("departed_at", "month"))


def at(step: Step, name: str = "step") -> str:
    return reverse(f"trails:{name}", args=[step.trail_id, step.pk])


def frame_of(page: str) -> dict[str, str]:
    found = re.search(r'<div class="playing"[^>]*>', page)
    assert found is not None
    return dict(re.findall(r'data-([a-z]+)="([^"]*)"', found[0]))


def in_the_ground(page: str) -> str:
    found = re.search(r'class="period"[^>]*>([^<]+)<', page)
    return found[1] if found else ""


def test_a_place_is_lit_zoomed_offered_told_and_taken_along(client: Client, placed: Step) -> None:
    assert placed.scene_value().main == Place(Measure("sum", "boardings"), ("longitude", "latitude"))
    lit = take_turn(placed, Light(NEAR))
    page = client.get(at(lit)).content.decode()
    assert "within 1 km of 54.112° N, 2.871° W" in html.unescape(page) and 'class="lit-point"' in page
    assert "&quot;sine&quot;: true" in page or '"sine": true' in html.unescape(page)
    zoomed = take_turn(lit, Zoom((-2.9, -2.85, 54.1, 54.13)))
    assert zoomed.scene_value().main.window is not None
    for slot in ("at", "shape", "aggregate", "column", "shade", "coloured", "classes", "window", "way"):
        assert (
            client.get(reverse("trails:slot", args=[placed.trail_id, placed.pk, slot])).status_code == 200
        ), slot
    tale = Tale.objects.create(owner=placed.trail.owner, title="Places")
    add_stop(tale, cairn_at(zoomed))
    assert "Where is" in client.get(reverse("tales:own-walk", args=[tale.pk])).content.decode()
    for form in ("html", "pptx", "pdf", "package"):
        assert client.get(reverse("tales:take", args=[tale.pk, form])).status_code == 200, form


def test_only_within_a_ring_is_typed_and_what_is_nowhere_is_refused(client: Client, placed: Step) -> None:
    turn = at(placed, "turn")
    client.post(turn, {"phrase": "within 1 km of 54.112, -2.871"})
    assert placed.children.get().scene_value().only == (NEAR,)
    response = client.post(turn, {"phrase": "within 1 km of 99, 500"}, headers={"HX-Request": "true"})
    assert response.status_code == 422 and "nowhere on Earth" in response.content.decode()


def test_a_period_is_seen_without_a_step_and_standing_there_makes_one(client: Client, playing: Step) -> None:
    page = client.get(at(playing)).content.decode()
    bar = frame_of(page)
    labels = json.loads(html.unescape(bar["labels"]))
    assert labels[:2] == ["January 2021", "February 2021"] and in_the_ground(page) == "January 2021"
    steps = Step.objects.count()
    shown = client.get(bar["frame"], {"play": "2"}).content.decode()
    assert in_the_ground(shown) == "March 2021" and Step.objects.count() == steps
    # both stand on the same scale: the ends of the axis do not move
    axes = [
        json.loads(html.unescape(re.search(r"data-axes=(['\"])(.*?)\1", one)[2])) for one in (page, shown)
    ]  # type: ignore[index]
    assert axes[0]["x"]["domain"] == axes[1]["x"]["domain"]
    client.post(at(playing, "turn"), {"change": to_json(Play(at=2))})
    assert playing.children.get().label == "March 2021"
    for bad in ("999", "-1", "x", ""):
        assert client.get(bar["frame"], {"play": bad}).status_code in (404, 422), bad
    panels = client.get(at(playing, "panels")).content.decode()
    assert panels.count("<figure>") == 12 and "periods, evenly chosen" in panels


def test_what_does_not_play_has_no_frames(client: Client, placed: Step) -> None:
    assert client.get(at(placed, "played"), {"play": "1"}).status_code == 404
    assert client.get(at(placed, "panels")).status_code == 404
    assert "Play through time" in client.get(at(placed)).content.decode()


def test_a_reader_plays_what_was_written_and_sees_no_period_of_few_rows(owner: User, playing: Step) -> None:
    tale = Tale.objects.create(owner=owner, title="Played")
    add_stop(tale, cairn_at(playing))
    _, token = Link.make(tale)
    address = reverse("tales:own-walk-stop", args=[tale.pk, 1])
    client = client_of(owner)
    page = client.get(address).content.decode()
    bar = frame_of(page)
    assert bar["target"] == "#walk"
    frame = address + html.unescape(bar["frame"])
    assert in_the_ground(client.get(frame + "&play=2").content.decode()) == "March 2021"
    # what is lit at a period is lit there
    there = re.search(r'data-chosen="([^"]*)"', client.get(frame + "&play=2").content.decode())
    assert there is not None and there[1] == "play=2"
    beside = client.get(address, {"panels": "1"}).content.decode()
    assert beside.count("<figure>") == 12 and "Fewer rows than" not in beside and "play-label" not in beside
    tale.least_lit = 10_000
    tale.save()
    assert client.get(frame + "&play=2").status_code == 422
    beside = client.get(address, {"panels": "1"}).content.decode()
    assert beside.count("Fewer rows than are shown here") == 12 and beside.count("<svg") < 12
    # a stranger with the link plays it as well, and cannot go behind what the writer allows
    walked = reverse("tales:walk-stop", args=[token, 1])
    assert client_of(None).get(walked + html.unescape(bar["frame"]) + "&play=2").status_code == 422
    tale.least_lit = 0
    tale.save()
    assert in_the_ground(client_of(None).get(walked + "?play=2").content.decode()) == "March 2021"


def test_every_shape_that_fits_is_shown_and_turned_to(client: Client, placed: Step) -> None:
    page = client.get(at(placed, "shapes")).content.decode()
    assert "where many rows lie close" in page and "how groups compare" in page
    posts = re.findall(r'name="change" value="([^"]*)"', page)
    shown = client.get(at(placed, "shape"), {"place": "3", "change": html.unescape(posts[0])})
    assert 'id="g3-picture"' in shown.content.decode() and Step.objects.count() == 2
    client.post(at(placed, "turn"), {"change": html.unescape(posts[1])})
    assert placed.children.count() == 1
    for bad in ("", "nonsense", '{"turn":"slot","slot":"shape","value":"arcs"}'):
        assert client.get(at(placed, "shape"), {"change": bad}).status_code in (404, 422), bad


def test_an_export_of_an_installed_package_is_offered_and_taken(
    client: Client, placed: Step, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parent.parent / "outside")
    brought.cache_clear()
    tale = Tale.objects.create(owner=placed.trail.owner, title="Brought")
    add_stop(tale, cairn_at(placed))
    try:
        assert "Headings as text" in client.get(reverse("tales:write", args=[tale.pk])).content.decode()
        taken = client.get(reverse("tales:take", args=[tale.pk, "plain"]))
        assert taken.content.decode().startswith("Brought\n1. ") and taken["Content-Type"].startswith(
            "text/plain"
        )
    finally:
        brought.cache_clear()
    assert client.get(reverse("tales:take", args=[tale.pk, "nothing"])).status_code == 404


AREA = b'{"type":"Polygon","coordinates":[[[-3,54],[-2.8,54],[-2.8,54.3],[-3,54.3],[-3,54]]]}'


def test_areas_are_brought_kept_once_and_drawn_by(client: Client, placed: Step, other: User) -> None:
    address = at(placed, "own-areas")
    assert "GeoJSON" in client.get(address, headers={"HX-Request": "true"}).content.decode()
    for _ in range(2):
        client.post(address, {"areas": SimpleUploadedFile("my town.geojson", AREA)})
    kept = placed.trail.version.table.own_areas.get()
    drawn = placed.children.get()
    assert drawn.scene_value().main.areas == kept.key and drawn.label == "as areas of my town"
    page = html.unescape(client.get(at(drawn)).content.decode())
    assert "drawn as" in page and "my town" in page and 'class="area' in page
    for bad in (SimpleUploadedFile("x.json", b"{}"), SimpleUploadedFile("x.json", b"\xff\xfe")):
        response = client.post(address, {"areas": bad}, headers={"HX-Request": "true"})
        assert response.status_code == 422 and "!" in response.content.decode()
    assert client.post(address, {}, headers={"HX-Request": "true"}).status_code == 422
    assert client_of(other).post(address, {"areas": SimpleUploadedFile("a.json", AREA)}).status_code == 404
    assert placed.trail.version.table.own_areas.count() == 1
    # they go along in a package, and are those of the table it becomes
    tale = Tale.objects.create(owner=placed.trail.owner, title="Areas")
    add_stop(tale, cairn_at(drawn))
    packed = client.get(reverse("tales:take", args=[tale.pk, "package"])).content
    opened = client_of(other)
    opened.post(reverse("tales:open"), {"package": SimpleUploadedFile("areas.zip", packed)})
    again = Tale.objects.get(owner=other)
    walked = opened.get(reverse("tales:own-walk", args=[again.pk])).content.decode()
    assert (
        'class="area' in walked and again.stops.get().step.trail.version.table.own_areas.get().key == kept.key
    )


def test_the_small_picture_of_a_stop_just_taken_out_is_nothing_and_no_error(
    client: Client, placed: Step, other: User
) -> None:
    tale = Tale.objects.create(owner=placed.trail.owner, title="Shorter")
    stop = add_stop(tale, cairn_at(placed))
    address = reverse("tales:thumb", args=[tale.pk, stop.pk])
    assert "<svg" in client.get(address).content.decode()
    stop.delete()
    assert client.get(address).content == b""
    assert client_of(other).get(address).status_code == 404
