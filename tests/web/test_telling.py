"""Writing a stop: its figures bound, its picture turned and led by beats, what it claims, and all of it undone."""

from __future__ import annotations

import html
import json
import re
from contextlib import suppress
from datetime import timedelta
from pathlib import Path
from typing import Any

import pandas
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from night_trail.core.bound import bonds
from night_trail.core.conditions import Condition
from night_trail.core.errors import NightTrailError
from night_trail.core.question import decode, to_json
from night_trail.core.questions.differ.question import Differ
from night_trail.core.turns import KeepLit, Light, OnlyWords, PutOut, Say, Slot
from night_trail.demo.story import WET
from night_trail.people.models import Role
from night_trail.tables.models import Table, TableShare
from night_trail.tales.drafts import CHAPTERS
from night_trail.tales.figures import figures_of
from night_trail.tales.models import Image, Link, Stop, Tale
from night_trail.tales.prose import prose
from night_trail.tales.views import beats
from night_trail.trails.models import Cairn, Step, Trail
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import client_of


@pytest.fixture
def stop(tale: Tale) -> Stop:
    found = tale.stops.exclude(step=None).first()
    assert found is not None
    return found


def at(stop: Stop, name: str, *more: Any) -> str:
    return reverse(f"tales:{name}", args=[stop.tale_id, stop.pk, *more])


def page(client: Client, stop: Stop, query: str = "") -> str:
    return client.get(at(stop, "stop") + query).content.decode()


def walked(client: Client, stop: Stop, query: str = "") -> str:
    number = [s.pk for s in stop.tale.stops.all()].index(stop.pk) + 1
    return client.get(reverse("tales:own-walk-stop", args=[stop.tale_id, number]) + query).content.decode()


def test_a_typed_figure_is_offered_bound_and_read_with_what_it_is(client: Client, stop: Stop) -> None:
    figure = next(f for f in figures_of(stop)[0] if f.label == "middle")
    Stop.objects.filter(pk=stop.pk).update(text=f"The middle is {figure.text}, *late*.")
    offered = page(client, stop)
    assert "is typed by hand" in offered
    start = 14
    form = {"start": start, "end": start + len(figure.text), "figure": figure.id, "text": figure.text}
    assert client.post(at(stop, "bind"), form | {"text": "99"}).status_code == 422
    assert client.post(at(stop, "bind"), form).status_code == 302
    stop.refresh_from_db()
    assert list(bonds(stop.text)) == [(figure.id, figure.text)]
    shown = walked(client, stop)
    assert f'data-figure="{figure.id}"' in shown and "middle, from" in shown and "<em>late</em>" in shown
    assert "is typed by hand" not in page(client, stop)


def test_a_figure_that_changed_is_marked_until_it_is_agreed_to(client: Client, stop: Stop) -> None:
    figure = figures_of(stop)[0][0]
    Stop.objects.filter(pk=stop.pk).update(text=f"[1 min](figure:{figure.id}) and [2](figure:00000000)")
    writing, reading = page(client, stop), walked(client, stop)
    assert "now stands where" in writing
    assert 'class="bound follows"' in reading and "it was 1 min when this was written" in reading
    assert 'class="bound gone"' in reading and ">2</span>" in reading
    client.post(at(stop, "agree"))
    stop.refresh_from_db()
    assert next(bonds(stop.text)) == (figure.id, figure.text)
    assert "now stands where" not in page(client, stop)


def test_proposed_words_are_put_behind_what_stands_there(client: Client, stop: Stop) -> None:
    Stop.objects.filter(pk=stop.pk).update(text="Mine.")
    for length in ("brief", "full", "points"):
        assert client.post(at(stop, "propose"), {"length": length}).status_code == 302
    stop.refresh_from_db()
    assert stop.text.startswith("Mine.\n\n") and "- " in stop.text
    assert {name for name, _ in bonds(stop.text)} <= {f.id for f in figures_of(stop)[0]}


@pytest.mark.parametrize(
    "text",
    ["<script>alert(1)</script>", "[x](javascript:alert(1))", '[<img src=x onerror=alert(1)>](figure:0011aabb)',
     '["><script>](figure:0011aabb)', "[a](figure:zz)", "[a](figure:0011aabb \"t\")"],
)  # fmt: skip
def test_no_text_becomes_markup_of_its_own(text: str) -> None:
    made = str(prose(text))
    assert (
        "<script" not in made
        and "<img" not in made
        and "javascript:" not in made.replace("](javascript:", "")
    )


def test_beats_begin_as_the_picture_stands_and_are_turned_by_themselves(client: Client, stop: Stop) -> None:
    before = stop.shown_scene()
    assert before.lit is not None
    client.post(at(stop, "beat-add"))
    stop.refresh_from_db()
    first, second = stop.beat_values()
    assert first.scene.lit is None and second.scene.lit == before.lit
    turned = client.post(at(stop, "turn") + "?beat=2", {"change": to_json(KeepLit())})
    assert turned.status_code == 302 and turned["Location"].endswith("?beat=2")
    client.post(at(stop, "beat-edit", 1), {"words": "First all <b>nights</b>"})
    stop.refresh_from_db()
    assert stop.beat_values()[1].scene.only and stop.shown_scene() == before
    one, two = walked(client, stop), walked(client, stop, "?beat=2")
    assert "First all &lt;b&gt;nights" in one and "only where" not in one and "only where" in two
    assert 'data-on="' + walk_address(stop) + '?beat=2"' in one
    assert 'data-back="' + walk_address(stop) + '"' in two
    client.post(at(stop, "beat-move", 2), {"by": "-1"})
    stop.refresh_from_db()
    assert stop.beat_values()[0].scene.only
    client.post(at(stop, "beat-move", 1), {"by": "0"})
    stop.refresh_from_db()
    assert len(stop.beat_values()) == 1
    assert client.post(at(stop, "beat-edit", 7), {"words": "x"}).status_code == 422


def walk_address(stop: Stop) -> str:
    number = [s.pk for s in stop.tale.stops.all()].index(stop.pk) + 1
    return reverse("tales:own-walk-stop", args=[stop.tale_id, number])


def test_a_beat_hides_annotations_until_their_turn(client: Client, stop: Stop) -> None:
    note = {"mark": "note", "id": "n1", "x": 5.0, "y": 10.0, "text": "Look here"}
    Stop.objects.filter(pk=stop.pk).update(annotations=[note])
    client.post(at(stop, "beat-add"))
    assert "Look here" not in walked(client, stop) and "Look here" in walked(client, stop, "?beat=2")
    client.post(at(stop, "beat-edit", 1), {"words": "", "seen": "n1"})
    assert "Look here" in walked(client, stop)


def test_the_picture_is_varied_here_and_the_step_stays(client: Client, stop: Stop) -> None:
    assert stop.step is not None
    step_scene = stop.step.scene
    client.post(at(stop, "turn"), {"change": to_json(PutOut())})
    client.post(at(stop, "turn"), {"change": to_json(Slot("across", "depot"))})
    stop.refresh_from_db()
    assert stop.shown_scene().lit is None and "across depot" in walked(client, stop)
    assert Step.objects.get(pk=stop.step_id).scene == step_scene
    refused = client.post(at(stop, "turn"), {"words": "qwertz"})
    assert refused.status_code == 422
    client.post(at(stop, "turn"), {"as_it_was": "1"})
    stop.refresh_from_db()
    assert stop.scene is None


def test_everything_is_undone_in_order_and_done_again(client: Client, tale: Tale, stop: Stop) -> None:
    before = list(tale.stops.values_list("pk", flat=True))
    undo, redo = (reverse(f"tales:{name}", args=[tale.pk]) for name in ("undo", "redo"))
    client.post(at(stop, "twice"))
    client.post(reverse("tales:order", args=[tale.pk]), {"move": stop.pk, "way": "up"})
    moved = list(tale.stops.values_list("pk", flat=True))
    client.post(at(stop, "remove"))
    assert not Stop.objects.filter(pk=stop.pk).exists()
    client.post(undo)
    assert list(tale.stops.values_list("pk", flat=True)) == moved
    again = Stop.objects.get(pk=stop.pk)
    assert (again.heading, again.step_id, again.annotations) == (stop.heading, stop.step_id, stop.annotations)
    client.post(undo), client.post(undo)
    assert list(tale.stops.values_list("pk", flat=True)) == before
    client.post(redo)
    assert tale.stops.count() == len(before) + 1
    client.post(undo)
    assert client.post(undo).status_code == 422


def test_an_undo_never_takes_back_what_another_wrote(
    client: Client, other: User, tale: Tale, stop: Stop
) -> None:
    tale.shares.create(person=other, role=Role.EXPLORE)
    client.post(at(stop, "propose"), {"length": "brief"})
    theirs = client_of(other)
    theirs.post(at(stop, "edit"), {"heading": stop.heading, "text": "Theirs."})
    refused = client.post(reverse("tales:undo", args=[tale.pk]))
    assert refused.status_code == 422 and "was changed since" in refused.content.decode()
    stop.refresh_from_db()
    assert stop.text == "Theirs."
    assert theirs.post(reverse("tales:undo", args=[tale.pk])).status_code == 422, (
        "their text is their browser's"
    )


def test_a_claim_is_proposed_kept_changed_and_let_go(client: Client, stop: Stop) -> None:
    offered = client.get(at(stop, "claim")).content.decode()
    assert "claim-offer holds" in offered
    post = json.loads(re.search(r'name="claim" value="([^"]+)"', offered)[1].replace("&quot;", '"'))  # type: ignore[index]
    kept = client.post(at(stop, "claim"), {"claim": json.dumps(post)}, headers={"HX-Request": "true"})
    assert "Holds:" in kept.content.decode()
    stop.refresh_from_db()
    assert stop.verdict["state"] == "holds" and stop.verdict["said"] in walked(client, stop)
    typed = "the average of late_min is lower where rain_mm above 2 than elsewhere"
    said = client.post(at(stop, "claim"), {"typed": typed}, headers={"HX-Request": "true"}).content.decode()
    assert "Does not hold" in said and "Nearest that holds" in said and "is higher where" in said
    refused = client.post(at(stop, "claim"), {"typed": "it rains"}, headers={"HX-Request": "true"})
    assert refused.status_code == 422 and "Write it like" in refused.content.decode()
    stop.refresh_from_db()
    assert stop.verdict["state"] == "fails", "what could not be read changes nothing"
    client.post(at(stop, "claim"), {"none": "1"})
    stop.refresh_from_db()
    assert stop.claim is None and stop.verdict is None


def test_a_cairns_claim_goes_with_it_into_the_tale(client: Client, tale: Tale, step: Step) -> None:
    client.post(reverse("trails:cairn", args=[step.trail_id, step.pk]))
    address = reverse("trails:claim", args=[step.trail_id, step.pk])
    client.post(address, {"typed": "the median of late_min is at least 1 min"})
    cairn = Cairn.objects.get(step=step)
    client.post(reverse("tales:collect", args=[tale.pk]), {"cairn": cairn.pk})
    made = tale.stops.order_by("-pk")[0]
    assert made.claim == cairn.claim and made.verdict["state"] == "holds"


def test_who_writes_on_a_tale_alone_asks_nothing_else_of_its_rows(
    other: User, tale: Tale, stop: Stop
) -> None:
    tale.shares.create(person=other, role=Role.EXPLORE)
    theirs = client_of(other)
    shown = page(theirs, stop)
    assert "Show it so" not in shown and "Light rows where" not in shown
    for name, form in (
        ("turn", {"change": to_json(Light(WET))}),
        ("claim", {"typed": "the average of late_min is at least 1 min"}),
    ):
        refused = theirs.post(at(stop, name), form)
        assert refused.status_code == 422 and "not ask other things" in refused.content.decode()
    assert "claim-offer" not in theirs.get(at(stop, "claim")).content.decode()
    mine = Trail.objects.filter(owner=other)
    assert theirs.post(reverse("tales:explore-own", args=[tale.pk, 2])).status_code == 404 and not mine


def test_a_large_figure_a_second_picture_and_a_chapter(client: Client, tale: Tale, stop: Stop) -> None:
    figure = figures_of(stop)[0][0]
    client.post(at(stop, "ways"), {"large": figure.id, "beside": stop.step_id, "frozen": "1"})
    client.post(at(stop, "edit"), {"heading": "H", "text": "T", "chapter": "Rain"})
    stop.refresh_from_db()
    assert stop.frozen and stop.chapter == "Rain"
    shown = walked(client, stop)
    assert f'<p class="large-figure"><b>{figure.text}</b>' in shown and 'id="second-picture"' in shown
    assert "· Rain —" in shown
    assert client.post(at(stop, "ways"), {"large": "nope"}).status_code == 422
    assert client.post(at(stop, "ways"), {"beside": "999999"}).status_code == 404


def test_what_differs_between_two_pictures_is_said_and_nothing_where_they_are_the_same(
    client: Client, stop: Stop, table: Table, owner: User, few_buses_csv: Path
) -> None:
    plain = take_turn(start_trail(owner, table), Say("late_min", ""))
    Stop.objects.filter(pk=stop.pk).update(step=plain, scene=None, beside=plain, beats=[])
    assert "What differs" not in walked(client, stop)
    wet = take_turn(plain, OnlyWords("rain_mm above 2"))
    Stop.objects.filter(pk=stop.pk).update(beside=wet)
    said = re.search(r"What differs:</span> (.*?)</p>", walked(client, stop))[1]
    assert said.startswith("only rain_mm above 2;")
    # the middles, by another library
    rows = pandas.read_csv(few_buses_csv)
    for middle in (rows["late_min"].median(), rows[rows["rain_mm"] > 2]["late_min"].median()):
        assert f"{middle:.1f}".rstrip("0").rstrip(".") in said
    another = take_turn(plain, Say("boardings", ""))
    Stop.objects.filter(pk=stop.pk).update(beside=another)
    said = re.search(r"What differs:</span> (.*?)</p>", walked(client, stop))[1]
    assert "in the first" not in said, "figures of other columns are not set against each other"


def link_of(tale: Tale, **ways: Any) -> tuple[Link, str, str]:
    made, token = Link.make(tale, **ways)
    return made, token, reverse("tales:walk", args=[token])


def test_a_link_ends_when_its_time_is_over(tale: Tale) -> None:
    _, _, address = link_of(tale, expires=timezone.now() - timedelta(seconds=1))
    assert Client().get(address).status_code == 404
    _, _, still = link_of(tale, expires=timezone.now() + timedelta(days=1))
    assert Client().get(still).status_code == 200


def test_a_password_is_asked_for_and_guessing_slows_down(tale: Tale) -> None:
    made, token, address = link_of(tale, password="night owl")
    reader, enter = Client(), reverse("tales:enter", args=[token])
    asked = reader.get(address).content.decode()
    assert "asks for a password" in asked and tale.title not in asked
    assert (
        reader.get(reverse("tales:walk-stop", args=[token, 2])).content.decode().count("asks for a password")
        == 1
    )
    for _ in range(9):
        assert reader.post(enter, {"password": "owl"}).status_code == 422
    assert "wait" in reader.post(enter, {"password": "night owl"}).content.decode()
    Link.objects.filter(pk=made.pk).update(failed_at=timezone.now() - timedelta(minutes=10))
    assert reader.post(enter, {"password": "night owl"}).status_code == 302
    assert tale.title in reader.get(address).content.decode()
    assert "asks for a password" in Client().get(address).content.decode()
    made.refresh_from_db()
    assert made.opened == 1 and "night owl" not in made.password


def test_openings_are_counted_once_a_browser_and_nothing_else_is_kept(tale: Tale) -> None:
    made, _, address = link_of(tale)
    reader = Client()
    for _ in range(3):
        reader.get(address)
    Client().get(address)
    made.refresh_from_db()
    assert made.opened == 2 and made.last_opened == timezone.now().date()


def test_exploring_from_a_link_takes_a_link_that_allows_it(
    tale: Tale, stop: Stop, other: User, table: Table
) -> None:
    _, reads, _ = link_of(tale)
    made, explores, _ = link_of(tale, explores=True)
    number = [s.pk for s in tale.stops.all()].index(stop.pk) + 1
    theirs = client_of(other)
    assert theirs.post(reverse("tales:explore", args=[reads, number])).status_code == 404
    assert not TableShare.objects.exists()
    assert Client().post(reverse("tales:explore", args=[explores, number])).status_code == 302, (
        "to the sign-in"
    )
    assert not TableShare.objects.exists()
    begun = theirs.post(reverse("tales:explore", args=[explores, number]))
    trail = Trail.objects.get(owner=other)
    last = trail.steps.latest("pk")
    assert begun["Location"] == reverse("trails:step", args=[trail.pk, last.pk])
    assert last.scene_value() == stop.shown_scene()
    assert theirs.get(begun["Location"]).status_code == 200
    assert TableShare.objects.get().role == Role.EXPLORE
    Link.objects.filter(pk=made.pk).update(revoked=timezone.now())
    assert theirs.post(reverse("tales:explore", args=[explores, number])).status_code == 404


def test_a_reader_who_may_explore_asks_why_of_what_they_lit_and_goes_to_its_rows(
    tale: Tale, stop: Stop, other: User
) -> None:
    _, reads, _ = link_of(tale)
    _, explores, _ = link_of(tale, explores=True)
    number = [s.pk for s in tale.stops.all()].index(stop.pk) + 1
    theirs = client_of(other)
    shut = theirs.get(reverse("tales:walk-stop", args=[reads, number])).content.decode()
    assert "the rows<" not in shut and "what drives it?" not in shut
    address = reverse("tales:walk-stop", args=[explores, number])
    page = theirs.get(address).content.decode()
    mark = html.unescape(re.findall(r"data-light='([^']*)'", page)[2])
    lit = theirs.get(address, {"light": mark}).content.decode()
    carried = html.unescape(re.search(r'action="([^"]*/explore/[^"]*)"', lit)[1])
    asked = theirs.post(carried, {"ask": "how do they differ?"})
    last = Trail.objects.get(owner=other).steps.latest("pk")
    assert asked["Location"] == reverse("trails:step", args=[last.trail_id, last.pk])
    differ = last.scene_value().main
    assert isinstance(differ, Differ) and to_json(differ.ones) == to_json(decode(mark, Condition, "mark"))
    rows = theirs.post(carried, {"rows": "1"})["Location"]
    assert rows.endswith("#rows")
    begun = Step.objects.get(pk=int(rows.split("/")[-2])).scene_value()
    assert begun.lit == differ.ones and begun.main == stop.shown_scene().main
    # what nobody signed is no scene, and what is not offered is not asked
    trails = Trail.objects.filter(owner=other).count()
    forged = reverse("tales:explore", args=[explores, number]) + "?now=forged"
    assert theirs.post(forged, {"ask": "why this?"}).status_code == 422
    assert Trail.objects.filter(owner=other).count() == trails
    plain = theirs.post(reverse("tales:explore", args=[explores, number]), {"ask": "drop table"})
    latest = Trail.objects.filter(owner=other).latest("pk").steps.latest("pk")
    assert latest.scene_value() == stop.shown_scene() and plain.status_code == 302


def test_only_the_owner_of_a_table_opens_it_by_a_link(
    client: Client, other: User, tale: Tale, table: Table
) -> None:
    Table.objects.filter(pk=table.pk).update(owner=other)
    TableShare.objects.create(thing=table, person=tale.owner, role=Role.EXPLORE)
    refused = client.post(reverse("tales:link", args=[tale.pk]), {"explores": "1"})
    assert refused.status_code == 422 and "Only who owns a table" in refused.content.decode()
    assert client.post(reverse("tales:link", args=[tale.pk]), {"days": "0"}).status_code == 422


def test_a_tale_is_drafted_from_cairns_in_an_order_that_reads(
    client: Client, owner: User, table: Table
) -> None:
    root = start_trail(owner, table)
    asked = ("forecast boardings by month", "average late_min across depot", "how often does each district occur",
             "why did boardings change between 2023 and 2022", "late_min")  # fmt: skip
    cairns = []
    for words in asked:
        with suppress(NightTrailError):
            step = take_turn(root, Say(words, ""))
            cairns.append(cairn_at(step))
    page = client.get(reverse("trails:cairns", args=[root.trail_id])).content.decode()
    assert page.count('name="cairn"') == len(cairns) >= 4 and page.count("<svg") >= 4
    made = client.post(reverse("tales:draft-cairns"), {"cairn": [c.pk for c in cairns]})
    tale = Tale.objects.latest("pk")
    assert made["Location"] == reverse("tales:write", args=[tale.pk])
    chapters = [stop.chapter for stop in tale.stops.all() if stop.chapter]
    assert chapters == [c for c in CHAPTERS if c in chapters] and chapters[0] == CHAPTERS[0]
    assert tale.stops.last().chapter == CHAPTERS[3]
    assert all(list(bonds(stop.text)) for stop in tale.stops.all())
    assert client.post(reverse("tales:draft-cairns")).status_code == 422


def test_no_cairn_of_anothers_trail_is_drafted(other: User, step: Step) -> None:
    cairn = cairn_at(step)
    assert client_of(other).post(reverse("tales:draft-cairns"), {"cairn": cairn.pk}).status_code == 422
    assert not Tale.objects.filter(owner=other).exists()


def test_a_link_is_shown_within_the_sites_its_owner_names_and_nowhere_else(
    client: Client, tale: Tale
) -> None:
    link = reverse("tales:link", args=[tale.pk])
    for bad in ("javascript:alert(1)", "*", "https://a.example; script-src *", "https://x'y"):
        assert client.post(link, {"sites": bad}).status_code == 422
    shown = client.post(link, {"sites": "https://Paper.example/, http://localhost:8000"}).content.decode()
    token = re.search(r"/walk/([\w-]{20,})/", shown)[1]  # type: ignore[index]
    walk = Client().get(reverse("tales:walk", args=[token]))
    assert (
        "frame-ancestors 'self' https://paper.example http://localhost:8000"
        in walk["Content-Security-Policy"]
    )
    assert "X-Frame-Options" not in walk
    _, _, address = link_of(tale)
    other = Client().get(address)
    assert "frame-ancestors 'none'" in other["Content-Security-Policy"] and other["X-Frame-Options"] == "DENY"


def test_two_turns_of_one_beat_in_one_moment_both_count(
    client: Client, stop: Stop, monkeypatch: pytest.MonkeyPatch
) -> None:
    """While a picture is being turned, the words of its beat are written: neither takes the other back."""
    client.post(at(stop, "beat-add"))
    made = beats.must_open

    def meanwhile(*args: Any) -> None:
        made(*args)
        Client.post(client, at(stop, "beat-edit", 1), {"words": "Said meanwhile"})

    monkeypatch.setattr(beats, "must_open", meanwhile)
    client.post(at(stop, "turn") + "?beat=1", {"change": to_json(Slot("across", "depot"))})
    stop.refresh_from_db()
    one = stop.beat_values()[0]
    assert one.words == "Said meanwhile" and one.scene.main.across == "depot"  # type: ignore[union-attr]


def test_a_reader_narrows_a_picture_by_what_its_writer_allows_and_by_nothing_else(
    client: Client, tale: Tale, stop: Stop, other: User
) -> None:
    address = at(stop, "ways")
    refused = client.post(address, {"chips": "1", "chip": ["trip_id_or_none"]})
    assert refused.status_code == 422
    client.post(address, {"chips": "1", "chip": ["depot", "line"]})
    stop.refresh_from_db()
    assert sorted(stop.chips) == ["depot", "line"]
    # what else is said of the stop leaves them as they are
    client.post(address, {"frozen": "1"})
    stop.refresh_from_db()
    assert sorted(stop.chips) == ["depot", "line"] and stop.frozen
    reader, number = client_of(None), list(tale.stops.all()).index(stop) + 1
    walk = reverse("tales:walk-stop", args=[Link.make(tale)[1], number])
    place = stop.chips.index("depot")
    plain = reader.get(walk).content.decode()
    assert f'name="narrow-{place}"' in plain and "As it was written" not in plain
    narrow = reader.get(walk, {f"narrow-{place}": "Tallow Lane"}).content.decode()
    assert "depot is Tallow Lane" in narrow and "As it was written" in narrow
    counted = re.findall(r"([\d,]+) of ([\d,]+) trips", narrow)
    whole = re.findall(r"([\d,]+) of ([\d,]+) trips", plain)
    assert not (counted and whole) or int(counted[0][1].replace(",", "")) < int(whole[0][1].replace(",", ""))
    for asked in ({f"narrow-{place}": "Atlantis"}, {"narrow-7": "x"}):
        assert reader.get(walk, asked).status_code == 422
    Tale.objects.filter(pk=tale.pk).update(least_lit=10_000_000)
    assert reader.get(walk, {f"narrow-{place}": "Tallow Lane"}).status_code == 422
    # who writes on the tale alone opens no column that was shut
    tale.shares.create(person=other, role=Role.EXPLORE)
    client_of(other).post(address, {"chips": "1", "chip": ["depot", "line", "crew"]})
    stop.refresh_from_db()
    assert "crew" not in stop.chips
    client_of(other).post(address, {"chips": "1", "chip": ["depot"]})
    stop.refresh_from_db()
    assert stop.chips == ["depot"]


def test_a_stop_comes_from_another_tale_with_all_of_it_where_its_trail_is_open(
    client: Client, tale: Tale, stop: Stop, owner: User, other: User
) -> None:
    image = Image.objects.create(tale=tale, data=b"x", kind="image/png", width=1, height=1)
    Stop.objects.filter(pk=stop.pk).update(image=image, notes="said", chips=["depot"])
    second = Tale.objects.create(owner=owner, title="Second")
    add = reverse("tales:collect", args=[second.pk])
    assert stop.heading in client.get(reverse("tales:write", args=[second.pk])).content.decode()
    client.post(add, {"stop": stop.pk})
    made = second.stops.get()
    assert (made.heading, made.step_id, made.notes, made.chips) == (
        stop.heading,
        stop.step_id,
        "said",
        ["depot"],
    )
    assert made.image.tale == second and made.image != image
    theirs = Tale.objects.create(owner=other, title="Theirs")
    add = reverse("tales:collect", args=[theirs.pk])
    assert client_of(other).post(add, {"stop": stop.pk}).status_code == 404
    tale.shares.create(person=other, role=Role.EXPLORE)
    refused = client_of(other).post(add, {"stop": stop.pk})
    assert refused.status_code == 422 and b"not open to the owner" in refused.content
    assert not theirs.stops.exists()
