"""From whatever file arrives to columns one can trust, by mouse and keyboard."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.helpers import settled
from tests.browser.test_states import serious

MESSY = "\n".join(
    [
        "Light traps;;;",
        "kept by hand;;;",
        "night;lux;moths;watcher",
        *(
            f"{d:02d}/0{d % 4 + 1}/2024;{d},5;{9999 if d in (4, 9) else d * 3};{'N.N.' if d % 3 else 'Bo'}"
            for d in range(1, 13)
        ),
        "Total;;234;",
    ]
)


def bring(page: Page, base: str, *files: Path) -> None:
    """From the tables to the preview of files."""
    page.goto(base + "/")
    page.locator("#file").set_input_files(files)
    page.get_by_role("button", name="Bring them").click()
    page.wait_for_url(re.compile(r"/arrivals/\d+/$"))


def survey_of(page: Page, base: str, name: str) -> None:
    page.goto(base + "/")
    page.get_by_role("link", name=name, exact=True).click()
    page.wait_for_url(re.compile(r"/tables/\d+/$"))


def test_a_messy_file_is_put_right_in_the_preview(page: Page, base: str, tmp_path: Path) -> None:
    path = tmp_path / "messy.csv"
    path.write_text(MESSY)
    bring(page, base, path)
    sentence = page.locator("h1.sentence")
    expect(sentence).to_contain_text("Read messy as delimited text")
    expect(page.locator(".left-out")).to_contain_text("Light traps")
    # 01/02 could be either: decide, and the rows follow
    first = page.locator("table.preview tbody tr").first
    expect(first).to_contain_text("2024-02-01")
    page.get_by_label("Order of dates").select_option("month")
    expect(first).to_contain_text("2024-01-02")
    # a decision that cannot be is said, and the others stay
    page.get_by_label("Encoding").select_option("utf-16")
    expect(page.locator(".caution-line")).to_contain_text("cannot be read as utf-16")
    page.reload()
    expect(first).to_contain_text("2024-01-02")
    # what stands for nothing, a column not wanted, a kind and a name by hand
    page.get_by_label("Also missing").fill("9999, N.N.")
    page.get_by_label("Also missing").press("Tab")
    expect(page.locator("table.preview tbody tr").nth(3)).to_contain_text("—")
    page.get_by_role("button", name="lux", exact=True).click()
    page.get_by_label("Name", exact=True).fill("light")
    page.get_by_label("Name", exact=True).press("Enter")
    expect(page.locator("table.preview thead")).to_contain_text("number")
    page.get_by_label("Read watcher").uncheck()
    expect(page.locator("table.preview thead")).to_contain_text("left out")
    assert serious(page) == []
    page.set_viewport_size({"width": 390, "height": 800})
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.set_viewport_size({"width": 1280, "height": 800})
    page.get_by_role("button", name="Read the table").click()
    page.wait_for_url(re.compile(r"/tables/\d+/$"))
    expect(page.locator(".survey-line")).to_have_count(3)
    expect(page.locator(".survey-line", has_text="light")).to_contain_text("1.5 to 12.5")
    expect(page.locator(".survey-line", has_text="moths")).to_contain_text("17\u2009% missing")
    page.get_by_text("How it was read").click()
    expect(page.locator("#about")).to_contain_text("title lines above the names")


def test_an_import_is_cancelled_before_and_while_it_is_read(page: Page, base: str, tmp_path: Path) -> None:
    small, large = tmp_path / "unwanted.csv", tmp_path / "long.csv"
    small.write_text("a,b\n1,2\n3,4\n")
    line = ",".join(f"{i}.25" for i in range(60)) + "\n"
    with large.open("w") as out:
        out.write(",".join(f"c{i}" for i in range(60)) + "\n")
        for _ in range(30):
            out.write(line * 4_000)
    bring(page, base, small)
    page.get_by_role("button", name="Cancel").click()
    page.wait_for_url(base + "/")
    expect(page.get_by_role("link", name="unwanted")).to_have_count(0)
    bring(page, base, large)
    page.get_by_role("button", name="Read the table").click()
    expect(page.locator("#arrival progress")).to_be_visible()
    page.get_by_role("button", name="Cancel").click()
    expect(page.locator("#arrival, .page")).to_contain_text(
        re.compile("Nothing was kept|nothing was kept|Bring"), timeout=15_000
    )
    page.goto(base + "/")
    page.wait_for_timeout(800)
    page.reload()
    expect(page.get_by_role("link", name="long", exact=True)).to_have_count(0)


def test_a_join_that_would_multiply_rows_is_made_safe_with_one_click(page: Page, base: str) -> None:
    survey_of(page, base, "light_traps")
    page.get_by_role("link", name="Join a table").click()
    expect(page.locator("h1.sentence")).to_contain_text("Join light_traps with")
    page.get_by_label("The other table").select_option("night_buses")
    expect(page.locator(".join-figure")).to_contain_text("night_buses, 52,456 rows")
    keys = page.get_by_label("Column of light_traps").evaluate_all("all => all.map(one => one.value)")
    assert sorted(keys) == ["", "district", "night"]
    expect(page.locator(".caution-box")).to_contain_text("Sums of moths would count them again each time")
    expect(page.get_by_role("button", name=re.compile("^Join: "))).not_to_have_text("Join: 2,434 rows")
    page.get_by_role("button", name=re.compile("^Make night_buses one row for each")).click()
    expect(page.locator(".good-line")).to_contain_text("nothing is counted twice")
    page.get_by_role("button", name="Join: 2,434 rows").click()
    page.wait_for_url(re.compile(r"/tables/\d+/$"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("2,434 rows")
    expect(page.locator(".survey-line", has_text="boardings").first).to_be_visible()
    # and undone from the recipe
    page.get_by_role("button", name=re.compile("^Take back: night_buses is joined")).click()
    expect(page.locator(".survey-line", has_text="boardings")).to_have_count(0)
    expect(page.locator(".survey-line")).to_have_count(6)


def test_a_calculated_column_with_an_error_is_corrected_by_keyboard(page: Page, base: str) -> None:
    survey_of(page, base, "light_traps")
    page.get_by_role("link", name="Add a column").click()
    page.get_by_label("Name").fill("bright <b>")
    box = page.get_by_role("combobox", name="Expression, in SQL")
    box.click()
    page.keyboard.type("lux + tra")
    expect(page.locator("#completions").get_by_role("option", name="trap")).to_be_visible()
    page.keyboard.press("Enter")
    expect(box).to_have_value("lux + trap")
    expect(page.locator(".marked-expression mark")).to_have_text("trap")
    expect(page.locator("#calculated")).to_contain_text("trap is text; a number is needed here")
    assert serious(page) == []
    page.get_by_role("button", name="Add the column").click()
    expect(box).to_have_value("lux + trap")
    expect(page.locator(".marked-expression mark")).to_have_text("trap")
    box.click()
    page.keyboard.press("Control+a")
    page.keyboard.type("ROUND(lux * 2, 0)")
    page.keyboard.press("Escape")
    expect(page.locator("#calculated table")).to_contain_text("lux")
    expect(page.locator(".marked-expression")).to_have_count(0)
    page.get_by_role("button", name="Add the column").click()
    page.wait_for_url(re.compile(r"/tables/\d+/#column-6$"))
    expect(page.locator("#column-6")).to_contain_text("bright <b>")
    page.get_by_role("button", name=re.compile("^Take back: bright")).click()
    expect(page.locator(".survey-line")).to_have_count(6)


def test_by_example_and_a_remedy_and_the_way_back(page: Page, base: str) -> None:
    survey_of(page, base, "light_traps")
    page.get_by_role("link", name="district", exact=True).click()
    page.get_by_role("link", name="New column by example").click()
    wanted = page.locator("#example input[name=wanted]")
    texts = page.locator("#example tbody td:nth-of-type(1)").all_inner_texts()
    wanted.nth(0).fill(texts[0][:3])
    wanted.nth(1).fill(texts[1][:3])
    page.get_by_role("button", name="Find the expression").click()
    page.get_by_role("button", name="Use this").first.click()
    expect(page.get_by_role("combobox", name="Expression, in SQL")).to_have_value("LEFT(district, 3)")
    page.get_by_label("Name").fill("short")
    page.get_by_role("button", name="Add the column").click()
    expect(page.locator(".survey-line", has_text="short")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Count 9,999 as missing")).click()
    expect(page.locator(".recipe li")).to_have_count(2)
    expect(page.locator(".survey-line", has_text="moths")).to_contain_text("missing")
    page.get_by_role("button", name=re.compile("^Take back: short")).click()
    page.get_by_role("button", name=re.compile("^Take back: in moths")).click()
    expect(page.locator(".recipe")).to_have_count(0)


def test_a_bundle_of_files_is_stacked(page: Page, base: str, tmp_path: Path) -> None:
    for month in (1, 2):
        rows = "".join(f"2024-0{month}-{d:02d},S{d % 5},{d}\n" for d in range(1, 28))
        (tmp_path / f"riders {month}.csv").write_text(f"night,stop,riders\n{rows}")
    (tmp_path / "stop list.csv").write_text("stop,valley\n" + "".join(f"S{i},up\n" for i in range(5)))
    bring(page, base, *sorted(tmp_path.glob("*.csv")))
    page.get_by_role("link", name="stop list").click()
    expect(page.locator("table.preview")).to_contain_text("valley")
    page.get_by_role("button", name="Read these tables").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("3 tables arrived together")
    assert serious(page) == []
    page.get_by_role("link", name="Look at stacking them").click()
    expect(page.locator("#stack")).to_contain_text("All columns are in all tables")
    page.get_by_role("button", name="Stack: 54 rows").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("54 rows")
    page.get_by_role("link", name="Join a table").click()
    expect(page.get_by_label("The other table").locator("option:checked")).to_have_text("stop list")
    settled(page)
    page.get_by_label("Which rows are kept").select_option("inner")
    expect(page.get_by_role("button", name="Join: 54 rows")).to_be_visible()


def test_a_wide_survey_is_searched_and_filtered(page: Page, base: str, tmp_path: Path) -> None:
    path = tmp_path / "wide.csv"
    names = [f"trap {i} {'note' if i % 10 == 0 else 'count'}" for i in range(300)]
    rows = [
        ",".join(("wet", "dry", "fog")[r % 3] if i % 10 == 0 else str(r * i % 17) for i in range(300))
        for r in range(40)
    ]
    path.write_text(",".join(names) + "\n" + "\n".join(rows) + "\n")
    bring(page, base, path)
    page.get_by_role("button", name="Read the table").click()
    page.wait_for_url(re.compile(r"/tables/\d+/$"), timeout=20_000)
    expect(page.locator(".survey-line")).to_have_count(300)
    page.get_by_label("Find a column").fill("trap 29")
    expect(page.locator(".survey-line")).to_have_count(11)
    page.get_by_label("Kind").select_option("category")
    expect(page.locator(".survey-line")).to_have_count(1)
    assert "sought=trap" in page.url
    page.get_by_label("Find a column").fill("moon")
    expect(page.locator("#lines")).to_contain_text("No column is like that")
    assert serious(page) == []
