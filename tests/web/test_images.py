"""Images of a writer's own, and notes for presenting: what is taken, who sees them, where they go."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.http import HttpResponse
from django.test import Client
from django.urls import reverse
from PIL import Image as Pixels

from night_trail.core.errors import NightTrailError
from night_trail.tables import quota
from night_trail.tables.models import Table
from night_trail.tables.plans import bring_plan
from night_trail.tales.images import LONGEST, keep_image, read_image
from night_trail.tales.models import Image, Link, Stop, Tale
from tests.web.conftest import client_of

SECRET = "taken at 51.5 north"


def drawn(kind: str = "PNG", size: tuple[int, int] = (40, 30), mode: str = "RGB", **more: object) -> bytes:
    out = io.BytesIO()
    Pixels.new(mode, size, (200, 30, 40, 128)[: len(mode)]).save(out, kind, **more)
    return out.getvalue()


@pytest.fixture
def stop(tale: Tale) -> Stop:
    return tale.stops.last()


def bring(client: Client, stop: Stop, data: bytes, alt: str = "A red field") -> HttpResponse:
    file = SimpleUploadedFile("a.png", data)
    address = reverse("tales:image-keep", args=[stop.tale_id, stop.pk])
    return client.post(address, {"image": file, "alt": alt})


def test_an_image_is_written_anew_upright_and_small_and_says_nothing_else() -> None:
    exif = Pixels.Exif()
    exif[0x0112] = 6  # it lies on its side
    exif[0x010E] = SECRET
    data, kind, width, height = read_image(drawn("JPEG", (60, 20), exif=exif))
    assert (width, height) == (20, 60) and kind == "image/png" and SECRET.encode() not in data
    wide, _, width, height = read_image(drawn(size=(2 * LONGEST, 100)))
    assert (width, height) == (LONGEST, 50) and Pixels.open(io.BytesIO(wide)).size == (LONGEST, 50)
    see_through, kind, *_ = read_image(drawn(mode="RGBA"))
    assert kind == "image/png" and Pixels.open(io.BytesIO(see_through)).mode == "RGBA"
    noisy = io.BytesIO()
    Pixels.effect_noise((1_500, 1_500), 90).save(noisy, "PNG")
    assert read_image(noisy.getvalue())[1] == "image/jpeg"


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>",
        drawn("GIF", mode="L"),
        drawn()[:60],
        drawn(size=(20_000, 3_000), mode="L"),
        b"\x89PNG\r\n\x1a\n" + b"\0" * 500,
    ],
    ids=["nothing", "svg", "gif", "cut off", "too many pixels", "only its name"],
)
def test_what_is_no_image_is_refused_in_a_sentence(client: Client, stop: Stop, data: bytes) -> None:
    with pytest.raises(NightTrailError, match="This image was not taken"):
        read_image(data)
    response = bring(client, stop, data)
    assert response.status_code == 422 and not Image.objects.exists()


def test_images_and_plans_count_as_what_their_owner_brought(
    client: Client, stop: Stop, owner: User, table: Table, settings: Any
) -> None:
    before = quota.used_by(owner)
    assert bring(client, stop, drawn()).status_code == 302
    image = Image.objects.get()
    assert quota.used_by(owner) == before + len(bytes(image.data))
    settings.USER_QUOTA = quota.used_by(owner) + 10
    refused = bring(client, stop, drawn(size=(300, 300)))
    assert refused.status_code == 422 and "may take 10 B more" in refused.content.decode()
    stop.refresh_from_db()
    assert stop.image == image
    assert Image.objects.count() == 1
    with pytest.raises(NightTrailError, match="may take 10 B more"):
        bring_plan(table, drawn(size=(400, 300)), "yard.png")
    # what is large only until it is drawn anew is held against what is left, then
    with pytest.raises(NightTrailError, match="may take 10 B more"):
        keep_image(stop.tale, drawn())
    settings.USER_QUOTA = 10**9
    plan = bring_plan(table, drawn(size=(400, 300)), "yard.png")
    assert quota.used_by(owner) == before + len(bytes(image.data)) + len(bytes(plan.data))


def test_an_image_wants_words_and_is_undone(client: Client, stop: Stop) -> None:
    assert bring(client, stop, drawn(), "").status_code == 422
    assert bring(client, stop, drawn()).status_code == 302
    stop.refresh_from_db()
    image = stop.image
    assert image is not None and stop.image_alt == "A red field"
    address = reverse("tales:image-keep", args=[stop.tale_id, stop.pk])
    client.post(address, {"alt": "A field, red"})
    stop.refresh_from_db()
    assert stop.image == image and stop.image_alt == "A field, red"
    client.post(address, {"away": "1"})
    client.post(reverse("tales:undo", args=[stop.tale_id]))
    stop.refresh_from_db()
    assert stop.image == image and stop.image_alt == "A field, red"


def test_readers_see_an_image_while_a_stop_shows_it(
    client: Client, stop: Stop, tale: Tale, other: User
) -> None:
    bring(client, stop, drawn(), HOSTILE)
    stop.refresh_from_db()
    _, token = Link.make(tale)
    where = reverse("tales:image-by-link", args=[token, stop.image_id])
    last = tale.stops.count()
    page = client_of(None).get(reverse("tales:walk-stop", args=[token, last])).content.decode()
    assert where in page and "<script>alert(" not in page
    served = client_of(None).get(where)
    assert served["Content-Type"] == "image/png" and served["X-Content-Type-Options"] == "nosniff"
    assert served.content == bytes(stop.image.data)
    another = Image.objects.create(tale=tale, data=b"x", kind="image/png", width=1, height=1)
    assert client_of(None).get(reverse("tales:image-by-link", args=[token, another.pk])).status_code == 404
    assert client_of(other).get(reverse("tales:image", args=[stop.tale_id, stop.image_id])).status_code == 404
    Stop.objects.filter(pk=stop.pk).update(image=None)
    assert client_of(None).get(where).status_code == 404
    _, shut = Link.make(tale, password="open please")
    Stop.objects.filter(pk=stop.pk).update(image=stop.image)
    assert client_of(None).get(where.replace(token, shut)).status_code == 404


HOSTILE = '"><script>alert(1)</script>'


def test_an_image_goes_along_in_every_file_and_notes_in_those_for_the_writer(
    client: Client, stop: Stop, tale: Tale, other: User
) -> None:
    from docx import Document
    from pptx import Presentation
    from pypdf import PdfReader

    Stop.objects.filter(pk=stop.pk).update(notes="Pause here.\nThen ask.")
    bring(client, stop, drawn(), HOSTILE)

    def taken(form: str) -> bytes:
        response = client.get(reverse("tales:take", args=[tale.pk, form]))
        assert response.status_code == 200
        return response.content

    page = taken("html").decode()
    assert "data:image/png;base64," in page and "<script>alert(1)" not in page
    slides = Presentation(io.BytesIO(taken("pptx"))).slides
    alts = [
        s._element.nvPicPr.cNvPr.get("descr") for slide in slides for s in slide.shapes if s.shape_type == 13
    ]
    assert HOSTILE in alts
    assert any(s.has_notes_slide and "Pause here." in s.notes_slide.notes_text_frame.text for s in slides)
    word = Document(io.BytesIO(taken("docx")))
    assert HOSTILE in [shape._inline.docPr.get("descr") for shape in word.inline_shapes]
    assert sum(len(p.images) for p in PdfReader(io.BytesIO(taken("pdf"))).pages) >= 1
    with zipfile.ZipFile(io.BytesIO(taken("markdown"))) as found:
        assert [n for n in found.namelist() if n.startswith("pictures/image-")]
    assert "Pause here" not in page
    package = taken("package")
    opened = client_of(other).post(reverse("tales:open"), {"package": SimpleUploadedFile("t.zip", package)})
    assert opened.status_code == 302
    theirs = Tale.objects.get(owner=other).stops.last()
    assert (theirs.image_alt, theirs.notes) == (HOSTILE, "Pause here.\nThen ask.")
    assert Pixels.open(io.BytesIO(bytes(theirs.image.data))).size == (40, 30)
    with zipfile.ZipFile(io.BytesIO(package)) as found:
        entries = {name: found.read(name) for name in found.namelist()}
    bad = io.BytesIO()
    with zipfile.ZipFile(bad, "w") as made:
        for name, content in entries.items():
            made.writestr(name, b"<svg/>" if name.startswith("images/") else content)
    before = Tale.objects.count()
    refused = client_of(other).post(
        reverse("tales:open"), {"package": SimpleUploadedFile("t.zip", bad.getvalue())}
    )
    assert refused.status_code == 422 and Tale.objects.count() == before
    assert json.loads(entries["package.json"])["stops"][-1]["image"].startswith("images/")


def test_notes_are_kept_shown_to_who_presents_and_to_no_reader(
    client: Client, stop: Stop, tale: Tale, other: User
) -> None:
    tale.shares.create(person=other, role="read")
    edit = reverse("tales:edit", args=[tale.pk, stop.pk])
    client.post(edit, {"heading": "H", "text": "T", "notes": "Do not <b>say</b> this aloud"})
    stop.refresh_from_db()
    assert stop.notes == "Do not <b>say</b> this aloud"
    last = tale.stops.count()
    shown = client.get(reverse("tales:present-stop", args=[tale.pk, last])).content.decode()
    assert "Do not &lt;b&gt;say&lt;/b&gt; this aloud" in shown and "The end." in shown
    first = client.get(reverse("tales:present", args=[tale.pk])).content.decode()
    assert ">H</p>" in first, "what comes next is said"
    assert client_of(other).get(reverse("tales:present", args=[tale.pk])).status_code == 404
    page = client_of(other).get(reverse("tales:own-walk-stop", args=[tale.pk, last])).content.decode()
    assert "<h1" in page and "this aloud" not in page
    assert client.get(reverse("tales:present-stop", args=[tale.pk, 99])).status_code == 404


def test_a_chapter_that_two_name_at_once_shows_both(client: Client, stop: Stop, tale: Tale) -> None:
    edit = reverse("tales:edit", args=[tale.pk, stop.pk])
    both = {"heading": stop.heading, "text": stop.text, "chapter": "Mine", "saw-chapter": "0" * 16}
    Stop.objects.filter(pk=stop.pk).update(chapter="Theirs")
    response = client.post(edit, both)
    assert response.status_code == 409 and b"The chapter changed elsewhere" in response.content
