"""The survey's remedies, a column's page, new columns, joins, stacks, and what leaves as a file."""

from __future__ import annotations

import csv
import datetime as dt
import io
import json
import re
import zipfile
from pathlib import Path
from typing import Any

import fastexcel
import msgspec
import polars as pl
import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from night_trail.core.recipe import steps as s
from night_trail.core.table import Kind
from night_trail.core.turns import SeeColumn
from night_trail.demo.light_traps import write_traps
from night_trail.tables import recipes
from night_trail.tables.models import ColumnPart, Table, Version
from night_trail.tables.services import core_table
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import bring, client_of

pytestmark = pytest.mark.django_db
HX = {"HX-Request": "true"}


def table_from(owner: User, tmp_path: Path, text: str, name: str = "table.csv") -> Table:
    path = tmp_path / name
    path.write_text(text)
    return bring(owner, path).table


@pytest.fixture
def traps(owner: User, tmp_path: Path) -> Table:
    path = tmp_path / "light_traps.csv"
    write_traps(path)
    return bring(owner, path).table


def get(client: Client, table: Table, name: str, *more: object, **asked: object) -> str:
    return client.get(reverse(f"tables:{name}", args=[table.pk, *more]), asked).content.decode()


def position(table: Table, column: str) -> int:
    table.refresh_from_db()
    return [c.name for c in table.latest.column_list()].index(column)


def change(client: Client, table: Table, column: str, action: str, **posted: object) -> Any:
    address = reverse("tables:change", args=[table.pk, position(table, column), action])
    response = client.post(address, posted)
    table.refresh_from_db()
    return response


def cells(table: Table, column: str) -> pl.Series:
    table.refresh_from_db()
    return core_table(table.latest).series(column)


def test_every_remedy_offered_on_the_survey_can_be_taken_and_taken_back(client: Client, traps: Table) -> None:
    before = traps.latest
    shown = get(client, traps, "survey")
    assert "3 remedies offered" in shown and "Count 9,999 as missing (38 cells)" in shown
    offers = re.findall(r'name="step" value="([^"]+)"', shown)
    assert len(offers) == 2
    for offer in offers:
        step = offer.replace("&quot;", '"').replace("&#x27;", "'")
        assert client.post(reverse("tables:step", args=[traps.pk]), {"step": step}).status_code == 302
    traps.refresh_from_db()
    assert cells(traps, "moths").null_count() == 38 and "night found first" in core_table(traps.latest)
    shown = get(client, traps, "survey")
    assert "What was done to it: 2 steps" in shown and "in moths 9,999 counts as missing" in shown
    assert "Count 9,999" not in shown
    # a step copies nothing that it left alone
    kept = ColumnPart.objects.filter(version=traps.latest).values_list("position", flat=True)
    assert len(set(kept)) <= 2
    at = [step.words() for step in traps.latest.steps()].index("in moths 9,999 counts as missing")
    client.post(reverse("tables:take-back", args=[traps.pk, at]))
    assert cells(traps, "moths").null_count() == 0 and len(traps.latest.steps()) == 1
    client.post(reverse("tables:take-back", args=[traps.pk, 0]))
    traps.refresh_from_db()
    assert traps.latest == before and traps.latest.steps() == ()
    assert client.post(reverse("tables:take-back", args=[traps.pk, 0])).status_code == 422


def test_spellings_are_shown_before_they_are_merged(client: Client, traps: Table) -> None:
    shown = get(client, traps, "column", position(traps, "district"))
    assert "OLD MILLS" in shown and "Unify what is ticked" in shown and "checked" in shown
    assert change(client, traps, "district", "unify").status_code == 422
    change(client, traps, "district", "unify", merge=["0"], **{"kept-0": "Old Mills & Weir"})
    values = set(cells(traps, "district").cast(pl.String).unique())
    assert "Old Mills & Weir" in values and "OLD MILLS" not in values and "quayside" in values
    assert "Old Mills &amp; Weir" in get(client, traps, "survey")


def test_what_a_column_page_can_do(client: Client, traps: Table) -> None:
    change(client, traps, "moths", "to-missing", values="9,999")
    change(client, traps, "moths", "cut", edges="10, 50", labels="few, some, many", name="catch")
    change(client, traps, "night", "split", part=["weekday", "month"])
    change(client, traps, "lux", "describe", name="light", unit="lx", additive="no")
    groups = {"value": ["lamp a", "lamp b", "sheet"], "group": ["lamp", "lamp", ""], "rest": "cloth"}
    change(client, traps, "trap", "gather", name="sort", **groups)
    change(client, traps, "trap", "order", labels="sheet\nlamp b\nlamp a")
    change(client, traps, "found first", "read-as", kind="text")
    change(client, traps, "district", "leave")
    core = core_table(traps.latest)
    assert [c.name for c in core.columns] == [
        *("night", "trap", "moths", "light", "found first"),
        *("catch", "night_weekday", "night_month", "sort"),
    ]
    assert core.series("catch").dtype.categories.to_list() == ["few", "some", "many"]
    assert core.series("night_weekday").dtype.categories[0] == "Monday"
    assert (core.column("light").unit, core.column("found first").kind) == ("lx", Kind.TEXT)
    assert set(core.series("sort").cast(pl.String).unique()) == {"lamp", "cloth"}
    assert core.series("trap").dtype.categories.to_list() == ["sheet", "lamp b", "lamp a"]
    # an ordered category keeps its order in a picture
    step = take_turn(start_trail(traps.owner, traps), SeeColumn("trap"))
    drawn = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    labels = re.findall(r'aria-label="(sheet|lamp b|lamp a)[,:]', drawn)
    assert labels[:3] == ["sheet", "lamp b", "lamp a"]


@pytest.mark.parametrize(
    ("column", "action", "posted", "says"),
    [
        ("moths", "cut", {"edges": "ten"}, "cannot be read"),
        ("moths", "cut", {"edges": ""}, "edges are needed"),
        ("moths", "cut", {"edges": "1, 2", "labels": "a, b"}, "2 edges make 3 bands"),
        ("moths", "describe", {"name": "lux"}, "There is a column “lux” already"),
        ("moths", "describe", {"name": "moths"}, "Nothing of moths was changed"),
        ("moths", "describe", {"name": "moths", "top": "many"}, "no whole number"),
        ("moths", "to-missing", {"values": "x"}, "cannot be read"),
        ("trap", "to-missing", {"values": " , "}, "No value is given"),
        ("night", "split", {}, "No part was chosen"),
        ("trap", "gather", {}, "No values are gathered"),
        ("trap", "split", {"part": ["year"]}, "Only dates have such parts"),
        ("trap", "read-as", {"kind": "moon"}, "No kind was chosen"),
        ("trap", "fly", {}, "cannot be done to a column"),
    ],
)
def test_a_form_that_cannot_be_says_why_and_nothing_is_changed(
    client: Client, traps: Table, column: str, action: str, posted: dict[str, object], says: str
) -> None:
    response = change(client, traps, column, action, **posted)
    assert response.status_code == 422 and says in response.content.decode()
    assert traps.latest.steps() == () and Version.objects.count() == 1


def test_cells_that_do_not_fit_can_be_seen_and_a_rating_is_shown_as_marks(
    client: Client, owner: User, tmp_path: Path
) -> None:
    rows = "".join(f"{i},{i % 5 + 1} of 5,{'soon' if i == 77 else i}\n" for i in range(200))
    table = table_from(owner, tmp_path, f"n,rating,late\n{rows}")
    shown = get(client, table, "column", position(table, "late"))
    assert "1 cell does not fit, counted as missing" in shown and "<td>soon</td>" in shown and ">78<" in shown
    step = s.ReadNumber("rating", "", " of 5", top=5)
    client.post(reverse("tables:step", args=[table.pk]), {"step": msgspec.json.encode(step).decode()})
    table.refresh_from_db()
    trail = take_turn(start_trail(owner, table), SeeColumn("rating"))
    drawer = client.get(reverse("trails:rows", args=[trail.trail_id, trail.pk])).content.decode()
    assert "●●○○○ 2" in drawer and "●●●●● 5" in drawer


def test_a_calculated_column_its_preview_and_its_errors(client: Client, traps: Table) -> None:
    address = reverse("tables:calculate", args=[traps.pk])
    preview = reverse("tables:calculate-preview", args=[traps.pk])
    shown = client.post(preview, {"sql": "lux + trap"}).content.decode()
    assert "trap is category" in shown or "trap is text; a number is needed here" in shown
    assert "<mark>trap</mark>" in shown
    shown = client.post(preview, {"sql": "1 / (moths - 9999)"}).content.decode()
    assert 'tr class="failing"' in shown or "failing" in shown
    refused = client.post(address, {"name": "x", "sql": "lux + trap"})
    assert refused.status_code == 422 and b"<mark>trap</mark>" in refused.content
    assert b"lux + trap" in refused.content, "what was typed stays"
    assert client.post(address, {"name": "", "sql": "lux * 2"}).status_code == 422
    assert client.post(address, {"name": "lux", "sql": "lux * 2"}).status_code == 422
    hostile = "<script>alert(1)</script>"
    made = client.post(address, {"name": hostile, "sql": "ROUND(lux * 2, 1)"})
    assert made.status_code == 302
    assert cells(traps, hostile)[0] == pytest.approx(2 * cells(traps, "lux")[0])
    assert "<script>alert(1)" not in get(client, traps, "survey") + get(client, traps, "calculate")
    found = client.post(
        reverse("tables:example", args=[traps.pk]),
        {
            "column": "district",
            "row": ["0", "1"],
            "wanted": [v[:3].upper() for v in cells(traps, "district")[:2]],
        },
    ).content.decode()
    assert "UPPER(LEFT(district, 3))" in found and "data-use-sql" in found


@pytest.fixture
def stops(owner: User, tmp_path: Path) -> Table:
    return table_from(owner, tmp_path, "stop,people\nA,10\nB,20\nC,30\n", "stops.csv")


@pytest.fixture
def trips(owner: User, tmp_path: Path) -> Table:
    return table_from(
        owner,
        tmp_path,
        "stop,night,riders\nA,2024-01-01,5\nA,2024-01-02,7\nB,2024-01-01,9\nX,2024-01-01,1\n",
        "trips.csv",
    )


def test_a_join_that_multiplies_rows_says_so_and_the_safe_way_is_one_click(
    client: Client, trips: Table, stops: Table
) -> None:
    shown = get(client, stops, "join", **{"with": trips.pk})
    assert "1 row would stand up to 2 times, once for each matching row of trips" in shown
    assert "3 rows would become 4" in shown and "Sums of people would count them again" in shown
    assert "Make trips one row for each stop first" in shown and "Join: 4 rows" in shown
    safe = get(client, stops, "join", **{"with": trips.pk, "left": "stop", "right": "stop", "gather": "on"})
    assert "nothing is counted twice" in safe and "Join: 3 rows" in safe
    posted = {"with": trips.pk, "left": "stop", "right": "stop", "how": "left", "gather": "on"}
    assert client.post(reverse("tables:join", args=[stops.pk]), posted).status_code == 302
    stops.refresh_from_db()
    core = core_table(stops.latest)
    assert core.series("riders").to_list() == [12, 9, None] and core.series("people").sum() == 60
    assert "trips is joined on stop, first made one row for each; every row is kept" in get(
        client, stops, "survey"
    )


def test_a_join_the_other_way_repeats_nothing_and_follows_the_other_table(
    client: Client, trips: Table, stops: Table
) -> None:
    shown = get(client, trips, "join")
    assert "people will not be summed in the joined table" in shown and "Without a match in stops: X" in shown
    posted = {"with": stops.pk, "left": "stop", "right": "stop", "how": "left"}
    refused = client.post(reverse("tables:join", args=[trips.pk]), posted)
    assert refused.status_code == 422 and b"No column to join is chosen" in refused.content
    client.post(reverse("tables:join", args=[trips.pk]), posted | {"column": ["people"]})
    assert cells(trips, "people").to_list() == [10, 10, 20, None]
    assert not core_table(trips.latest).column("people").additive
    # joined columns are looked up, not copied; when the other table goes they stay whole
    assert not ColumnPart.objects.filter(version=trips.latest, position=3).exists()
    client.post(reverse("tables:delete", args=[stops.pk]))
    assert cells(trips, "people").to_list() == [10, 10, 20, None]
    missing = client.post(reverse("tables:step", args=[trips.pk]), {"step": '{"step":"leave out repeats"}'})
    assert missing.status_code == 302, "a step after the join needs the other table no more"


def test_stacking_shows_differences_and_keeps_where_a_row_came_from(
    client: Client, owner: User, tmp_path: Path, trips: Table
) -> None:
    other = table_from(owner, tmp_path, "Stop,night,riders,wet\nB,2024-02-01,2.5,yes\n", "february.csv")
    shown = get(client, trips, "stack", **{"with": other.pk})
    assert (
        "Where their columns differ" in shown and "not there: missing" in shown and "Stack: 5 rows" in shown
    )
    assert client.post(reverse("tables:stack", args=[trips.pk]), {}).status_code == 422
    client.post(reverse("tables:stack", args=[trips.pk]), {"with": [other.pk], "source": "from"})
    assert cells(trips, "from").to_list() == ["trips"] * 4 + ["february"]
    assert cells(trips, "riders").to_list() == [5, 7, 9, 1, 2.5] and cells(trips, "wet").null_count() == 4
    assert "february is stacked below" in get(client, trips, "survey")


def test_a_recipe_is_exported_and_used_elsewhere(
    client: Client, owner: User, tmp_path: Path, trips: Table, stops: Table
) -> None:
    posted = {"with": stops.pk, "left": "stop", "right": "stop", "how": "left", "column": ["people"]}
    client.post(reverse("tables:join", args=[trips.pk]), posted)
    client.post(reverse("tables:calculate", args=[trips.pk]), {"name": "share", "sql": "riders / people"})
    response = client.get(reverse("tables:recipe", args=[trips.pk]))
    assert response["Content-Disposition"] == 'attachment; filename="trips recipe.json"'
    recipe = json.loads(response.content)
    assert recipe["recipe"] == 1 and recipe["words"][1] == "share is calculated as riders / people"
    fresh = table_from(owner, tmp_path, "stop,night,riders\nC,2024-03-01,3\n", "march.csv")
    # on another installation the other table has another number, but its name
    recipe["steps"][0]["table"] = "table:999"
    use = reverse("tables:use-recipe", args=[fresh.pk])
    upload = SimpleUploadedFile("r.json", json.dumps(recipe).encode())
    assert client.post(use, {"recipe": upload}).status_code == 302
    assert cells(fresh, "share").to_list() == [0.1]
    for wrong in (b"{}", b'{"recipe": 1, "steps": [{"step": "leave out", "columns": ["moon"]}]}'):
        refused = client.post(use, {"recipe": SimpleUploadedFile("r.json", wrong)})
        assert refused.status_code == 422 and len(fresh.latest.steps()) == 2
    assert client.post(use, {}).status_code == 422


def test_a_table_leaves_as_csv_parquet_and_workbook(client: Client, owner: User, tmp_path: Path) -> None:
    table = table_from(
        owner,
        tmp_path,
        'night,late,note,wet,at\n2024-01-05,1.5,"=HYPERLINK(""x"")",yes,23:15\n2024-01-06,,"a, ""b""",no,00:05\n',
        'a "table"; x.csv',
    )
    export = lambda form: client.get(reverse("tables:export", args=[table.pk, form]))  # noqa: E731
    response = export("csv")
    assert response["Content-Disposition"] == 'attachment; filename="a table x.csv"'
    rows = list(csv.reader(io.StringIO(b"".join(response.streaming_content).decode())))
    assert rows[0] == ["night", "late", "note", "wet", "at"]
    assert rows[1][:4] == ["2024-01-05", "1.5", '\'=HYPERLINK("x")', "yes"] and rows[2][1] == ""
    frame = pl.read_parquet(io.BytesIO(b"".join(export("parquet").streaming_content)))
    assert frame["night"].to_list()[0] == dt.date(2024, 1, 5) and frame["note"].to_list()[1] == 'a, "b"'
    book = b"".join(export("xlsx").streaming_content)
    sheet = fastexcel.read_excel(book).load_sheet(0).to_polars()
    assert sheet.columns == rows[0] and sheet["late"].to_list() == [1.5, None]
    assert sheet["night"][0] == dt.datetime(2024, 1, 5) and sheet["wet"].to_list() == [True, False]
    assert sheet["note"][0] == '=HYPERLINK("x")'
    inside = zipfile.ZipFile(io.BytesIO(book)).read("xl/worksheets/sheet1.xml")
    assert b"<f>" not in inside, "a text is never a formula"
    assert export("moon").status_code == 404


def test_the_survey_leaves_as_one_page_that_stands_alone(client: Client, traps: Table) -> None:
    response = client.get(reverse("tables:survey-page", args=[traps.pk]))
    page = response.content.decode()
    # every colour that the page asks for is in it
    asked, given = set(re.findall(r"var\(--([a-z-]+)\)", page)), set(re.findall(r"--([a-z-]+):", page))
    assert {"ink", "paper", "moon"} <= asked & given and not {
        a for a in asked - given if not a.startswith("bulma")
    }
    page = response.content.decode()
    assert response["Content-Disposition"] == 'attachment; filename="survey of light traps.html"' or (
        "survey of light_traps.html" in response["Content-Disposition"]
    )
    assert "2,434 rows" in page and page.count("<svg") >= 6 and "together do." in page
    assert not re.search(r'(src|href)="(?!#)', page) and "<script" not in page and "<form" not in page


def test_trails_stay_on_the_rows_they_stand_on(client: Client, owner: User, traps: Table) -> None:
    step = take_turn(start_trail(owner, traps), SeeColumn("moths"))
    before = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    change(client, traps, "moths", "leave")
    after = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    assert (
        "moths" in before
        and re.sub(r"csrf\S+|value=\"\S{64}\"", "", before)[:400]
        == re.sub(r"csrf\S+|value=\"\S{64}\"", "", after)[:400]
    )
    assert after.count('class="mark') == before.count('class="mark')


def test_at_most_so_many_steps(client: Client, trips: Table, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(recipes, "MOST_STEPS", 1)
    change(client, trips, "riders", "describe", name="people on board")
    refused = change(client, trips, "night", "leave")
    assert refused.status_code == 422 and b"at most 1 steps" in refused.content


def test_whether_a_column_is_summed_is_changed_on_the_survey(
    client: Client, owner: User, tmp_path: Path, other: User
) -> None:
    rows = "\n".join(f"{i},{i * 3}.5,{'ab'[i % 2]}" for i in range(30))
    table = table_from(owner, tmp_path, f"Store,weekly sales,side\n{rows}\n")
    survey = client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    assert ">summed</button>" in survey and "its name says sales" in survey
    assert ">a code</button>" in survey and "whole numbers that name a store" in survey
    address = reverse("tables:sums", args=[table.pk, 1])
    assert client_of(other).post(address, {"additive": "no"}).status_code == 404
    response = client.post(address, {"additive": "no"})
    assert response.status_code == 302 and response["Location"].endswith("#column-1")
    table.refresh_from_db()
    column = core_table(table.latest).column("weekly sales")
    assert not column.additive and column.summing == "chosen by hand"
    client.post(address, {"additive": "yes"})
    table.refresh_from_db()
    assert core_table(table.latest).column("weekly sales").additive


def test_a_kind_that_would_lose_cells_is_asked_about_first(
    client: Client, owner: User, tmp_path: Path
) -> None:
    rows = "\n".join(f"{i},{'many<b>' if i % 4 == 0 else i}" for i in range(40))
    table = table_from(owner, tmp_path, f"n,said\n{rows}\n")
    address = reverse("tables:change", args=[table.pk, 1, "read-as"])
    asked = client.post(address, {"kind": "number"})
    shown = asked.content.decode()
    assert asked.status_code == 200 and "10 of its 40 cells would become missing" in shown
    assert "“many&lt;b&gt;”" in shown and "many<b>" not in shown
    table.refresh_from_db()
    assert core_table(table.latest).column("said").kind != Kind.NUMBER
    assert client.post(address, {"kind": "number", "sure": "yes"}).status_code == 302
    table.refresh_from_db()
    assert core_table(table.latest).column("said").kind == Kind.NUMBER
    # what loses nothing is taken at once
    whole = client.post(reverse("tables:change", args=[table.pk, 0, "read-as"]), {"kind": "category"})
    assert whole.status_code == 302
