"""Plans of one's own: brought, placed by hand, drawn by, taken along, and kept from others."""

from __future__ import annotations

import base64
import html
import io

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse
from PIL import Image

from night_trail.core.errors import NightTrailError
from night_trail.core.questions.place.question import Place
from night_trail.core.turns import Say
from night_trail.tables.models import OwnPlan, Placing, Table
from night_trail.tables.plans import bring_plan, draft_of, drawn_as_placed, put, read_plan, take_off
from night_trail.tales.models import Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Step
from night_trail.trails.services import cairn_at, start_trail, take_turn
from night_trail.web.apart import without_elsewhere
from tests.web.conftest import client_of

SVG = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><rect width="50" height="50" fill="#f00"/></svg>'
HTMX = {"HX-Request": "true"}


@pytest.fixture
def placed(owner: User, table: Table) -> Step:
    return take_turn(start_trail(owner, table), Say("where is the sum of boardings", ""))


def at(step: Step, name: str = "step") -> str:
    return reverse(f"trails:{name}", args=[step.trail_id, step.pk])


def png(width: int, height: int) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (width, height), "white").save(out, "PNG")
    return out.getvalue()


def pixels(address: str) -> Image.Image:
    return Image.open(io.BytesIO(base64.b64decode(address.split(",", 1)[1]))).convert("RGB")


def test_a_drawing_becomes_pixels_and_names_nothing_elsewhere(tmp_path: object) -> None:
    found = read_plan(SVG, "the works.svg")
    assert (found.name, found.width, found.height, found.light) == ("the works", 1_200, 600, True)
    drawn = pixels(found.large)
    assert drawn.getpixel((100, 100)) == (255, 0, 0) and drawn.getpixel((1_000, 400)) == (255, 255, 255)
    assert max(pixels(found.small).size) <= 300
    secret = tmp_path / "secret.png"  # type: ignore[operator]
    Image.new("RGB", (9, 9), "blue").save(secret)
    for reference in (
        str(secret),
        f"file://{secret}",
        "http://127.0.0.1/x.png",
        "data:image/svg+xml;base64,AA",
    ):
        named = SVG.replace(b"</svg>", f'<image href="{reference}" width="200" height="100"/></svg>'.encode())
        assert reference not in without_elsewhere(named)
        assert pixels(read_plan(named, "x.svg").large).getpixel((1_000, 400)) == (255, 255, 255)


@pytest.mark.parametrize(
    "data",
    [
        b"", b"no picture", b"<svg", png(400, 4),
        b'<!DOCTYPE svg [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg"><text>&a;</text></svg>',
        png(20, 20)[:60],
    ],
)  # fmt: skip
def test_what_is_no_plan_is_refused_in_a_sentence(data: bytes) -> None:
    with pytest.raises(NightTrailError):
        read_plan(data, "x.svg")


def test_a_drawing_that_asks_for_too_much_is_given_up() -> None:
    nested = '<g id="a0"><rect width="1" height="1"/></g>' + "".join(
        f'<g id="a{i}">{f"<use href=#a{i - 1} />".replace("#", chr(34) + "#").replace(" />", chr(34) + "/>") * 10}</g>'
        for i in range(1, 12)
    )
    bomb = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9">{nested}<use href="#a11"/></svg>'
    try:
        read_plan(bomb.encode(), "x.svg")
    except NightTrailError as refused:
        assert "cannot be drawn" in str(refused)


def test_groups_are_placed_and_a_picture_stays_as_it_was_drawn(
    client: Client,
    placed: Step,
    table: Table,
    other: User,
) -> None:
    address = at(placed, "own-plans")
    assert "PNG, JPEG or SVG" in client.get(address, headers=HTMX).content.decode()
    sent = {"plan": SimpleUploadedFile("the <works>.svg", SVG), "column": "line"}
    response = client.post(address, sent, headers=HTMX)
    placing = response["HX-Redirect"]
    plan = OwnPlan.objects.get(table=table)
    assert plan.key in placing and placing.endswith("?column=line")
    page = client.get(placing).content.decode()
    assert (
        "0 of 14 groups stand on it" in page and "the &lt;works&gt;" in page and not Placing.objects.exists()
    )
    assert "disabled" in page.split("Draw by this plan")[0][-60:], "nothing is drawn of nothing"
    line = "N1 Harbour Ring"
    client.post(placing, {"column": "line", "label": line, "at.x": "190", "at.y": "95", "wide": "760"})
    draft = Placing.objects.get()
    assert draft.places == {line: [0.25, 0.25]}
    client.post(
        placing, {"column": "line", "label": "N2 Lantern Street", "do": "write", "left": "50", "top": "75"}
    )
    drawn = client.post(placing, {"column": "line", "do": "draw"})
    step = placed.children.get()
    main = step.scene_value().main
    assert drawn.status_code == 302 and isinstance(main, Place) and main.at == ("line",)
    assert main.measure.aggregate == "sum", "what was asked is asked of the plan"
    shown = html.unescape(client.get(at(step)).content.decode())
    assert "on the plan" in shown and "nowhere on the plan yet" in shown
    assert 'class="plan plan-light" href="data:image/png;base64,' in shown
    # moved on the draft: what was drawn stays as it was, until it is drawn again
    client.post(placing, {"column": "line", "label": line, "at.x": "0", "at.y": "0", "wide": "760"})
    client.post(placing, {"column": "line", "label": "N2 Lantern Street", "do": "off"})
    kept = Placing.objects.get(draft=False)
    assert kept.places[line] == [0.25, 0.25] and len(kept.places) == 2
    assert list(Placing.objects.get(draft=True).places) == [line]
    for wrong in ({"label": "nobody", "at.x": "1", "at.y": "1"}, {"label": line, "do": "write", "left": "400", "top": "1"},
                  {"label": line, "do": "write", "left": "x", "top": "1"}, {"label": line}):  # fmt: skip
        assert client.post(placing, {"column": "line", **wrong}, headers=HTMX).status_code == 422
    assert client.get(placing.replace("line", "nothing")).status_code == 422
    stranger = client_of(other)
    assert stranger.get(placing).status_code == stranger.post(placing, {}).status_code == 404
    assert stranger.post(address, sent).status_code == 404
    # it goes along in a package, and its picture in files
    tale = Tale.objects.create(owner=placed.trail.owner, title="A plan")
    add_stop(tale, cairn_at(step))
    for form in ("html", "pptx", "pdf", "package"):
        packed = client.get(reverse("tales:take", args=[tale.pk, form]))
        assert packed.status_code == 200, form
    stranger.post(reverse("tales:open"), {"package": SimpleUploadedFile("plan.zip", packed.content)})
    again = Tale.objects.get(owner=other)
    theirs = again.stops.get().step.trail.version.table
    assert Placing.objects.get(plan__table=theirs).places == kept.places


@pytest.mark.django_db
def test_two_place_at_once_and_both_stand(table: Table) -> None:
    plan = bring_plan(table, SVG, "p.svg")
    assert bring_plan(table, SVG, "p.svg") == plan, "the same file is kept once"
    one, other = draft_of(plan, "line"), draft_of(plan, "line")
    put(one, "a", 0.1, 0.1)
    put(other, "b", 0.2, 0.2)
    take_off(one, "c")
    assert set(Placing.objects.get().places) == {"a", "b"}
    first = drawn_as_placed(draft_of(plan, "line"))
    assert (
        drawn_as_placed(draft_of(plan, "line")) == first and Placing.objects.filter(draft=False).count() == 1
    )
    begun = draft_of(bring_plan(table, SVG, "p.svg"), "district")
    with pytest.raises(NightTrailError, match="Nothing stands"):
        drawn_as_placed(begun)
