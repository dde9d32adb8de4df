"""Comparing and relating on the desk: every slot opens, every choice can be taken, names stay words."""

from __future__ import annotations

import csv
import html
import io
import re

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.question import to_json
from night_trail.core.questions.registry import sentence
from night_trail.core.turns import Beside, Light, OnlyWords, Say
from night_trail.demo.story import WET
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk
from night_trail.trails.services import start_trail, take_turn
from tests.web.test_remedies import table_from

pytestmark = pytest.mark.django_db
HX = {"HX-Request": "true"}
QUESTIONS = [
    "average late_min by depot",
    "sum of boardings by line",
    "ratio of boardings to planned_boardings by district",
    "number of trips by district",
    "late_min vs rain_mm coloured by depot",
    "boardings vs service_night with a curve",
    "average late_min by line and depot as a heat grid",
    "sum of boardings by district and depot as stacked bars",
    "average late_min and the sum of boardings by line as a table",
    "sum of boardings by line against planned_boardings",
    "average late_min by service_night as one figure",
    "late_min vs rain_mm for each line sized by boardings",
    "late_min vs rain_mm in panels by depot",
    "how do the numbers move together",
    "which district goes with which depot",
]


def asked(owner: User, table: Table, words: str) -> Step:
    return take_turn(take_turn(start_trail(owner, table), Say(words)), Light(WET))


def get(client: Client, step: Step, name: str, **more: object) -> object:
    return client.get(reverse(f"trails:{name}", kwargs={"trail": step.trail_id, "step": step.pk} | more))


# that every slot of every kind offers what can be taken is shown in tests/core/test_kinds.py
@pytest.mark.parametrize("words", [QUESTIONS[i] for i in (0, 4, 8, 9, 13)])
def test_every_slot_opens_and_its_choices_can_be_taken(
    client: Client, owner: User, table: Table, words: str
) -> None:
    step = asked(owner, table, words)
    main = step.scene_value().main
    said = sentence(main, core_table(table.latest))
    slots = {part.slot for part in (*said.parts, *said.addable) if part.slot}
    assert "way" in slots and len(slots) >= 3
    turned = reverse("trails:turn", args=[step.trail_id, step.pk])
    for slot in sorted(slots):
        page = get(client, step, "slot", slot=slot).content.decode()
        posts = [html.unescape(post) for post in re.findall(r'name="change" value="([^"]+)"', page)]
        assert posts, (slot, page[:300])
        for post in posts[:3]:
            response = client.post(turned, {"change": post}, headers=HX)
            assert response.status_code == 200 and b'id="sentence"' in response.content, (slot, post)


@pytest.mark.parametrize("words", QUESTIONS)
def test_a_picture_of_each_kind_stands_beside_in_rows_in_a_tale_and_alone(
    client: Client, owner: User, table: Table, words: str
) -> None:
    step = take_turn(asked(owner, table, words), Beside())
    page = get(client, step, "step").content.decode()
    assert page.count("picture as-full") == page.count("picture as-beside") == 1
    assert "lit: rain_mm above 2" in page
    rows = get(client, step, "rows").content.decode()
    first = next((c for c in step.scene_value().main.mentions if c), "late_min")
    assert f">{first}" in rows
    figure = get(client, step, "figure")
    assert figure.status_code == 200 and b"<svg" in b"".join(
        getattr(figure, "streaming_content", [figure.content])
    )


def test_what_cannot_be_asked_is_one_sentence(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "average late_min by depot")
    address = reverse("trails:turn", args=[step.trail_id, step.pk])
    for words, says in (
        ("average depot by line", "has no average"),
        ("average late_min by moon", "“moon” is not in this table"),
        ("boardings taken apart by depot", "has no place in this picture"),
    ):
        response = client.post(address, {"change": to_json(Say(words))}, headers=HX)
        assert response.status_code == 422 and says in response.content.decode()


def test_hostile_names_on_every_picture(client: Client, owner: User, tmp_path: object) -> None:
    rows = "".join(f"{i % 3}</b>{{x}},{i * 0.5},{i % 11 + 0.25}\n" for i in range(60))
    table = table_from(owner, tmp_path, f'"<i>{{g}}","{{n}} <script>",y\n{rows}')
    for words in (
        "average {n} <script> by <i>{g}",
        "{n} <script> vs y coloured by <i>{g}",
        "{n} <script> by <i>{g} as box plots",
    ):
        step = take_turn(start_trail(owner, table), Say(words))
        page = get(client, step, "step").content.decode()
        assert "<script>" not in page.replace("<script src", "") and "<i>{" not in page
        assert "&lt;i&gt;{g}" in page


@pytest.mark.parametrize(
    "words", [*QUESTIONS, "late_min by depot as box plots", "late_min by depot", "depot"]
)
def test_the_numbers_behind_every_picture_are_a_table_and_a_file(
    client: Client, owner: User, table: Table, words: str
) -> None:
    step = asked(owner, table, words)
    page = get(client, step, "numbers").content.decode()
    rows = list(csv.reader(io.StringIO(get(client, step, "numbers-csv").content.decode())))
    header, cells = rows[0], rows[1:]
    assert header[-1] == "lit" and cells and all(len(row) == len(header) for row in cells)
    assert all(f'<th scope="col">{html.escape(name)}</th>' in page for name in header)
    desk = Desk(step.trail.version, step.scene_value())
    basis = desk.answer(step.scene_value().main).basis
    counted = next((i for i, name in enumerate(header) if name in ("count", "rows")), None)
    if "together" in words:
        return  # each pair rests on rows of its own
    assert counted is not None and sum(int(row[counted]) for row in cells) == basis.used
    if header[counted] == "count":
        assert sum(int(row[-1]) for row in cells) == basis.lit
    bare = take_turn(start_trail(owner, table), Say(words))
    assert b"lit" not in get(client, bare, "numbers-csv").content.splitlines()[0]
    empty = take_turn(bare, OnlyWords("late_min above 99999"))
    assert get(client, empty, "numbers").status_code == 200


@pytest.mark.parametrize("words", QUESTIONS)
def test_all_figures_open_and_are_taken_along(client: Client, owner: User, table: Table, words: str) -> None:
    step = asked(owner, table, words)
    shown = get(client, step, "figures")
    assert shown.status_code == 200 and b"All figures" in shown.content and b"nan" not in shown.content
    rows = list(csv.reader(io.StringIO(get(client, step, "figures-csv").content.decode())))
    assert rows[0] == ["of", "figure", "value"] and (len(rows) > 1) == (b"<caption>" in shown.content)
    # a series is drawn against itself, lag by lag
    assert (b"autocorrelation)" in shown.content) == (b"Autocorrelation at" in shown.content)


def test_a_narrowed_picture_says_of_how_many_rows_it_is(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "late_min")
    every = core_table(table.latest).height
    assert f"{every:,} trips · exact" in get(client, step, "step").content.decode()
    narrowed = take_turn(step, OnlyWords("late_min above 5"))
    kept = Desk(narrowed.trail.version, narrowed.scene_value()).rows.n
    assert 0 < kept < every
    assert (
        f"{kept:,} of {every:,} trips, kept by the filter · exact"
        in get(client, narrowed, "step").content.decode()
    )
