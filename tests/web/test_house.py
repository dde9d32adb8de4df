"""The house around the pages: errors, commands, the demo, static files, templates."""

from __future__ import annotations

import os
import re
import socket
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.staticfiles.finders import get_finders
from django.core.files.uploadhandler import SkipFile
from django.core.management import call_command
from django.http import HttpRequest, HttpResponse
from django.template.loader import get_template
from django.test import Client, RequestFactory
from django.urls import reverse

from night_trail.core.bound import bonds
from night_trail.core.errors import NightTrailError, Unreadable
from night_trail.core.language.spans import Span
from night_trail.demo import story
from night_trail.draw.frame.svg import Svg
from night_trail.people.context import theme
from night_trail.site import errors
from night_trail.tables.models import Table
from night_trail.tables.uploads import TOO_LARGE, LimitedUpload
from night_trail.tales.models import Stop, Tale
from night_trail.tales.prose import pace
from night_trail.tales.services import MOST_STOPS, add_stop
from night_trail.trails.models import Cairn, Trail
from night_trail.web.templatetags.words import drawn, spans, thousands

ROOT = Path(__file__).resolve().parents[2]
PACKAGE = ROOT / "night_trail"


# ---- errors ----


@pytest.mark.parametrize(
    ("error", "sentence"),
    [
        (NightTrailError("Nothing is lit"), "Nothing is lit."),
        (
            NightTrailError("There is no column “a”", "t", "Choose another."),
            "There is no column “a” (t). Choose another.",
        ),
        (Unreadable("The file is empty", "a.csv"), "a.csv: the file is empty."),
    ],
)
def test_an_error_is_one_sentence(error: NightTrailError, sentence: str) -> None:
    assert str(error) == sentence


def test_error_pages_are_plain_and_lead_on(client: Client, rf: RequestFactory) -> None:
    missing = client.get("/nowhere/")
    assert missing.status_code == 404 and b"nothing here" in missing.content
    assert reverse("tables:home").encode() in missing.content
    fragment = client.get("/trails/999/", headers={"HX-Request": "true"})
    assert fragment["HX-Retarget"] == "#notice" and b"<html" not in fragment.content
    request = rf.get("/")
    request.user = User(username="x")
    for page, status in ((errors.bad_request, 400), (errors.forbidden, 403)):
        assert page(request, Exception()).status_code == status
    # the last one needs no session and no database
    assert b"Nothing you made is lost" in errors.server_error(HttpRequest()).content


def test_a_stale_form_is_said_in_words(owner: User) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(owner, backend="django.contrib.auth.backends.ModelBackend")
    response = strict.post(reverse("tales:new"), {"title": "x"})
    assert response.status_code == 403 and b"open for too long" in response.content
    assert not Tale.objects.exists()


def test_a_failure_of_ours_shows_no_traceback(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    client.raise_request_exception = False
    monkeypatch.setattr("night_trail.tales.views.writing.render", lambda *_: 1 / 0)
    response = client.get(reverse("tales:index"))
    assert response.status_code == 500 and b"ZeroDivision" not in response.content


# ---- commands ----


def test_preparing_the_demo_twice_makes_it_once(
    db: None, few_buses_csv: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(story, "write_csv", lambda path: path.write_bytes(few_buses_csv.read_bytes()))
    for _ in range(2):
        call_command("prepare_demo", verbosity=0, stdout=open(os.devnull, "w"))  # noqa: SIM115
    analyst = User.objects.get(username="analyst")
    assert analyst.check_password((Path(settings.VAR) / "demo_password").read_text())
    assert (Table.objects.count(), Trail.objects.count(), Tale.objects.count()) == (3, 1, 1)
    assert Cairn.objects.count() == 7 and Stop.objects.count() == 9
    assert sum(bool(cairn.annotation_values()) for cairn in Cairn.objects.all()) == 2
    states = [cairn.verdict["state"] for cairn in Cairn.objects.exclude(claim=None)]
    assert len(states) == 6 and states.count("open") == 1
    assert sum(len(list(bonds(stop.text))) for stop in Stop.objects.all()) == 10
    assert len(Stop.objects.get(heading="Rain makes its own hump").beat_values()) == 3
    labels = list(Trail.objects.get().steps.values_list("label", flat=True))
    assert labels[0] == "Opened night_buses" and "bins of 1\u00a0min" in labels and "as box plots" in labels


def test_a_port_that_is_taken_is_said(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        environment = os.environ | {"PORT": str(taken.getsockname()[1]), "NIGHT_TRAIL_VAR": str(tmp_path)}
        done = subprocess.run(
            [sys.executable, "tools/run_demo.py"], cwd=ROOT, env=environment, capture_output=True, text=True
        )
    assert done.returncode == 2 and "is taken. Choose another: PORT=" in done.stderr


# ---- people ----


def test_a_password_is_changed_by_djangos_own_means(client: Client, owner: User) -> None:
    address = reverse("people:password")
    weak = {"old_password": "a long enough secret", "new_password1": "1234", "new_password2": "1234"}
    assert b"too short" in client.post(address, weak).content
    strong = {
        "old_password": "a long enough secret",
        "new_password1": "wet nights 13",
        "new_password2": "wet nights 13",
    }
    assert client.post(address, strong).status_code == 302
    owner.refresh_from_db()
    assert owner.check_password("wet nights 13")


@pytest.mark.parametrize(
    ("cookie", "shown"), [("day", "day"), ("night", "night"), ('"><script>', "night"), ("", "night")]
)
def test_only_known_themes_are_obeyed(rf: RequestFactory, cookie: str, shown: str) -> None:
    rf.cookies["theme"] = cookie
    assert theme(rf.get("/")) == {"theme": shown}


# ---- templates and scripts ----


def test_filters_let_nothing_through_but_what_we_drew() -> None:
    assert drawn("<svg onload=alert(1)>") == "" and drawn(Svg("<svg/>")) == "<svg/>"
    words = spans((Span("a <b> "), Span("5", "figure"), Span("<i>", "lit")))
    assert words == 'a &lt;b&gt; <strong class="figure">5</strong><span class="lit">&lt;i&gt;</span>'
    assert thousands(1234567) == "1,234,567"


TEMPLATES = sorted(
    p.relative_to(PACKAGE / "site/templates") for p in (PACKAGE / "site/templates").rglob("*.html")
)


@pytest.mark.parametrize("name", [str(t) for t in TEMPLATES])
def test_templates_parse_and_hold_no_inline_script_or_style(name: str) -> None:
    get_template(name)
    source = (PACKAGE / "site/templates" / name).read_text()
    if name == "tables/survey_page.html":  # stands alone outside of the application, with its styles inside
        source = source.replace("<style>{{ styles|safe }}</style>", "")
    if name == "tales/page.html":  # so does a tale taken along, with its script too
        source = source.replace("<style>{{ styles }}</style>", "").replace(
            "<script>{{ script }}</script>", ""
        )
    assert not re.search(r"\sstyle=|<style|\son\w+=|hx-on|javascript:", source)
    assert "|safe" not in source and "autoescape" not in source
    assert all("src=" in tag for tag in re.findall(r"<script[^>]*>", source))


def test_scripts_import_what_is_there_and_use_no_eval() -> None:
    scripts = {p.name: p.read_text() for p in (PACKAGE / "site/static/js").glob("*.js")}
    assert len(scripts) >= 6
    for source in scripts.values():
        assert not re.search(r"\beval\(|new Function|\.innerHTML|\.outerHTML|document\.write", source)
        for names, module in re.findall(r'import \{([^}]*)\} from "\./([\w.]+)"', source):
            exported = set(re.findall(r"export (?:async )?(?:function|const) ([\w$]+)", scripts[module]))
            assert {n.strip() for n in names.split(",") if n.strip()} <= exported


def test_colours_come_from_the_theme_alone() -> None:
    for sheet in (
        PACKAGE / "site/static/css/site.css",
        PACKAGE / "site/static/css/tables.css",
        PACKAGE / "draw/style/picture.css",
    ):
        assert not re.findall(
            r"#[0-9a-fA-F]{3,8}\b(?![^{]*\{)",
            re.sub(r"svg \.lit \{ stroke: #000[^}]*\}", "", sheet.read_text()),
        )


def test_what_is_vendored_says_its_licence_and_asks_for_nothing_outside() -> None:
    vendored = PACKAGE / "site/static/vendor"
    licences = (vendored / "LICENCES.md").read_text()
    for name in ("htmx 4.0.1", "Bulma 1.0.4", "SortableJS 1.15.7", "Figtree", "Literata"):
        assert name in licences
    for sheet in (*vendored.glob("*.css"), *(PACKAGE / "site/static/css").glob("*.css")):
        assert not re.search(r"@import|url\(['\"]?(?:https?:)?//", sheet.read_text())
    assert all(p.stat().st_size < 1_000_000 for p in PACKAGE.rglob("*") if p.is_file())


def test_settings_ask_for_what_the_database_needs() -> None:
    options = settings.DATABASES["default"]["OPTIONS"]
    assert options["transaction_mode"] == "IMMEDIATE" and "journal_mode=WAL" in options["init_command"]
    assert "foreign_keys=ON" in options["init_command"]


# ---- small limits ----


def test_an_upload_counts_its_bytes(settings: Any, rf: RequestFactory) -> None:
    settings.UPLOAD_LIMIT = 10
    handler = LimitedUpload(rf.post("/"))
    handler.new_file("file", "a.csv", "text/csv", None)
    handler.receive_data_chunk(b"12345", 0)
    with pytest.raises(SkipFile):
        handler.receive_data_chunk(b"1234567", 5)
    assert handler.request.META[TOO_LARGE]


def test_a_tale_has_a_last_stop(owner: User) -> None:
    tale = Tale.objects.create(owner=owner, title="long")
    Stop.objects.bulk_create(Stop(tale=tale, position=i, heading=str(i)) for i in range(MOST_STOPS))
    with pytest.raises(NightTrailError, match="at most 200 stops"):
        add_stop(tale, None)


def test_a_walk_rests_as_long_as_its_words_take() -> None:
    assert pace("", "") == 4 and pace("word " * 1_000, "x") == 60
    assert 15 < pace("word " * 50, "A heading") < 20


def test_an_empty_tale_can_be_written_and_walked(client: Client, owner: User) -> None:
    tale = Tale.objects.create(owner=owner, title="<b>new</b>")
    assert b"An empty tale" in client.get(reverse("tales:write", args=[tale.pk])).content
    walk: HttpResponse = client.get(reverse("tales:own-walk", args=[tale.pk]))
    assert b"has no stops yet" in walk.content and b"<b>new" not in walk.content


def test_only_styles_fonts_scripts_and_icons_are_served_as_they_are() -> None:
    served = {Path(name).suffix for finder in get_finders() for name, _ in finder.list([])}
    assert served and served <= {
        ".css",
        ".js",
        ".woff2",
        ".svg",
        ".png",
        ".ico",
        ".txt",
        ".md",
        ".webmanifest",
    }
