"""Smaller things hands do: drop a file, drag an end, put stops in order, choose a theme, sign out."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import come_in
from tests.browser.helpers import choose, drag, mark, plot_point, settled, start_trail, until


def test_a_dropped_file_is_read_and_a_bad_one_says_why(page: Page, base: str, tmp_path: Path) -> None:
    page.goto(base + "/")
    drop = """([name, text]) => {
        const files = new DataTransfer();
        files.items.add(new File([text], name));
        document.querySelector('#dropzone').dispatchEvent(new DragEvent('drop', {dataTransfer: files, bubbles: true, cancelable: true}));
    }"""
    page.evaluate(drop, ["moths.csv", "trap_id,night,moths\nA1,2024-05-01,12\nA2,2024-05-02,30\n"])
    page.get_by_role("button", name="Read the table").click()
    page.wait_for_url(re.compile(r"/tables/\d+/$"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("2 rows, each one trap")
    page.goto(base + "/")
    page.evaluate(drop, ["letter.csv", "%PDF-1.7 not a table"])
    expect(page.get_by_text("letter.csv: this is a PDF document")).to_be_visible()
    page.get_by_role("link", name="Choose another file").click()
    expect(page.locator("#dropzone")).to_be_visible()


def test_what_can_be_done_to_a_table_is_done_and_asks_before_it_goes(
    page: Page, base: str, tmp_path: Path
) -> None:
    path = tmp_path / "lamps <i>.csv"
    path.write_text("lamp,lux\n" + "\n".join(f"L{i},{i % 7}" for i in range(40)))
    page.goto(base + "/")
    page.locator("#file").set_input_files(path)
    page.get_by_role("button", name="Bring them").click()
    page.get_by_role("button", name="Read the table").click()
    page.wait_for_url(re.compile(r"/tables/\d+/$"))
    survey = page.url
    page.get_by_role("link", name="position in the file").click()
    expect(page.locator(".survey-line").first).to_contain_text("lamp")
    page.get_by_text("How it was read").click()
    page.get_by_label("One row is one").fill("lamp")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("each one lamp")
    expect(page.get_by_label("One row is one")).to_be_hidden()
    page.get_by_role("link", name="one lamp").click()
    expect(page.get_by_label("One row is one")).to_have_value("lamp")
    page.locator("#word-box").fill("lumen by moon")
    page.keyboard.press("Enter")
    expect(page.locator("#notice")).to_contain_text("“lumen” and “moon” are not in this table")
    page.locator("#word-box").fill("lux in bins of 2")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile("/trails/"))
    expect(page.locator("#sentence")).to_contain_text("over all lamps, drawn as a histogram with bins of 2")
    page.goto(survey)
    page.get_by_text("How it was read").click()
    page.get_by_role("link", name="Delete this table").click()
    page.get_by_role("link", name="Keep it").click()
    page.goto(survey + "delete/")
    page.get_by_role("button", name="Delete it").click()
    expect(page.get_by_text("lamps <i>")).to_have_count(0)


def test_ends_of_annotations_are_dragged_and_survive_another_window(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.get_by_role("button", name="Annotate").click()
    page.locator("[data-tool=range]").click()
    drag(page, plot_point(page, 0.4, 0.5), plot_point(page, 0.5, 0.5))
    stretch = page.locator("#stage .annotation.range")
    expect(stretch).to_have_count(1)
    settled(page)
    before = page.evaluate("JSON.parse(document.querySelector('#stage').dataset.annotations)[0]")
    end = stretch.locator("[data-handle=high]").bounding_box()
    middle = (end["x"] + end["width"] / 2, end["y"] + end["height"] / 2)
    drag(page, middle, (middle[0] + 80, middle[1]))
    until(
        page,
        f"JSON.parse(document.querySelector('#stage').dataset.annotations)[0].high > {before['high']} + 1",
    )
    after = page.evaluate("JSON.parse(document.querySelector('#stage').dataset.annotations)[0]")
    assert after["low"] == pytest.approx(before["low"])
    settled(page)
    page.locator("#annotation-list input").fill("the usual")
    page.keyboard.press("Tab")
    expect(stretch).to_contain_text("the usual")
    settled(page)
    page.set_viewport_size({"width": 1600, "height": 900})
    until(page, "document.querySelector('#stage svg').viewBox.baseVal.width > 950")
    again = page.evaluate("JSON.parse(document.querySelector('#stage').dataset.annotations)[0]")
    assert (again["low"], again["high"]) == (after["low"], after["high"])
    page.get_by_role("button", name="Undo").click()
    expect(stretch).not_to_contain_text("the usual")
    page.get_by_role("button", name="Remove range 1").click()
    expect(stretch).to_have_count(0)


def test_a_note_on_box_plots_is_anchored_to_its_group(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.locator("#word-box").fill("late_min by depot as box plots")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("box plots")
    settled(page)
    page.get_by_role("button", name="Annotate").click()
    page.locator("[data-tool=note]").click()
    page.mouse.click(*plot_point(page, 0.5, 0.5))
    expect(page.locator("#annotation-list input")).to_be_focused()
    page.keyboard.type("this depot")
    page.keyboard.press("Tab")
    expect(page.locator("#stage .annotation.note")).to_contain_text("this depot")
    anchor = page.evaluate("JSON.parse(document.querySelector('#stage').dataset.annotations)[0].y")
    depots = page.locator("#stage .lane-label").all_text_contents()
    assert anchor[0] == depots[1] and 0.3 < anchor[1] < 0.7


def test_notes_stand_in_their_panel_and_beside_their_part_of_a_ring(page: Page) -> None:
    start_trail(page)
    settled(page)
    placed = "JSON.parse(document.querySelector('#stage').dataset.annotations)[0]"
    for typed, panel in (
        ("late_min vs rain_mm in panels by depot", "Northgate"),
        ("sum of boardings by district as a ring", "district\x1fFoundry"),
    ):
        page.locator("#word-box").fill(typed)
        page.keyboard.press("Enter")
        expect(page.locator("#sentence")).to_contain_text("panel" if "panels" in typed else "ring")
        settled(page)
        if page.get_by_role("button", name="Annotate").get_attribute("aria-pressed") != "true":
            page.get_by_role("button", name="Annotate").click()
        page.locator("[data-tool=note]").click()
        axes = page.evaluate("JSON.parse(document.querySelector('#stage svg').dataset.axes)")
        field = next(one for one in axes["fields"] if one["key"] == panel)
        middle = [sum(field[axis]["range"]) / 2 for axis in "xy"]
        wide = page.evaluate("document.querySelector('#stage svg').viewBox.baseVal.width")
        box = page.locator("#stage svg").bounding_box()
        factor = box["width"] / wide
        page.mouse.click(box["x"] + middle[0] * factor, box["y"] + middle[1] * factor)
        expect(page.locator("#annotation-list input")).to_be_focused()
        page.keyboard.type("look here")
        page.keyboard.press("Tab")
        note = page.locator("#stage .annotation.note")
        expect(note).to_contain_text("look here")
        assert page.evaluate(placed)["panel"] == panel
        at = note.locator("text").evaluate(
            "t => [t.transform.baseVal[0].matrix.e, t.transform.baseVal[0].matrix.f]"
        )
        assert at == pytest.approx(middle, abs=4)
        note.focus()
        page.keyboard.press("ArrowRight")
        settled(page)
        moved = note.locator("text").evaluate("t => t.transform.baseVal[0].matrix.e")
        assert moved == pytest.approx(at[0] + 8, abs=1)
    page.locator("#word-box").fill("average late_min by line and depot as a heat grid")
    page.keyboard.press("Enter")
    settled(page)
    page.locator("[data-tool=range]").click()
    expect(page.locator("#annotate-hint")).to_contain_text("this picture has none across")


def test_a_range_of_dates_is_swept_and_a_week_has_words(page: Page) -> None:
    start_trail(page, "service_night")
    settled(page)
    choose(page, "bins", "bins of a month")
    settled(page)
    mark(page, "March 2022").click()
    expect(page.locator(".chip.lantern")).to_contain_text("service_night in March 2022")
    mark(page, "April 2022").click(modifiers=["Shift"])
    expect(page.locator(".chip.lantern")).to_contain_text("from 2022-03-01 to before 2022-05-01")
    page.get_by_role("button", name="set aside").click()
    expect(page.locator("#chips")).to_contain_text("only not (service_night")
    expect(mark(page, "March 2022")).to_have_count(0)


def test_stops_are_dragged_into_order(page: Page, base: str) -> None:
    page.goto(base + "/tales/")
    page.get_by_label("Title of a new tale").fill("In order")
    page.get_by_role("button", name="Begin it").click()
    for name in ("one", "two", "three"):
        page.get_by_text("+ a stop").click()
        page.get_by_role("button", name="A stop without a picture", exact=True).click()
        page.locator("#stop-heading").fill(name)
        page.locator("#stop-heading").blur()
        settled(page)
    headings = page.locator(".stop-heading")
    expect(headings).to_have_text(["one", "two", "three"])
    tops = [page.locator(".stop-item").nth(i).bounding_box() for i in range(3)]
    x = tops[0]["x"] + 90
    for rests in (200, 600, 1_500):
        page.mouse.move(x, tops[2]["y"] + 20)
        page.mouse.down()
        # a hand rests on its way, longer where the machine is slow; list items make room before it lets go
        for y in (tops[2]["y"] + 8, tops[1]["y"] + 20, tops[1]["y"] + 4, tops[0]["y"] + 20, tops[0]["y"] + 3):
            page.mouse.move(x, y, steps=6)
            page.wait_for_timeout(rests)
        page.mouse.up()
        settled(page)
        if headings.all_inner_texts() != ["one", "two", "three"]:
            break
    expect(headings).to_have_text(["three", "one", "two"])
    settled(page)
    expect(page.get_by_role("button", name="Undo: moved a stop")).to_be_visible()
    page.reload()
    expect(headings).to_have_text(["three", "one", "two"])
    page.get_by_role("link", name="Walk it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("three")
    expect(page.locator(".walk-stop")).to_have_count(3)
    page.get_by_role("link", name="Stop 3: two").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("two")
    expect(page.get_by_text("the end")).to_be_visible()


def test_rows_are_paged_sorted_and_follow_the_lantern(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.keyboard.press("r")
    expect(page.locator(".drawer h2")).to_contain_text("52,456 trips")
    page.get_by_role("button", name="Later rows").click()
    expect(page.locator(".drawer")).to_contain_text("page 2 of 1,050")
    page.locator(".drawer th button", has_text="boardings").first.click()
    expect(page.locator(".drawer th[aria-sort]")).to_contain_text("boardings")
    page.get_by_role("button", name="Close", exact=True).click()
    mark(page, "under").or_(page.locator("#stage .mark").last).last.click()
    expect(page.locator(".chip.lantern")).to_be_visible()
    page.keyboard.press("r")
    expect(page.locator(".drawer h2")).to_contain_text(re.compile(r"^\d+ lit trip"))


def test_the_theme_turns_and_stays_and_sign_out_ends_it(browser: Browser, address: str, base: str) -> None:
    context = browser.new_context()
    page = context.new_page()
    come_in(page, address)
    page.locator(".menu-box summary").click()
    page.get_by_role("button", name="Turn to day").click()
    expect(page.locator("html")).to_have_attribute("data-theme", "day")
    page.goto(base + "/tales/")
    expect(page.locator("html")).to_have_attribute("data-theme", "day")
    page.locator(".menu-box summary").click()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_label("Password")).to_be_visible()
    page.get_by_label("Name").fill("analyst")
    page.get_by_label("Password").fill("a wrong guess")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert").first).to_contain_text("do not go together")
    page.goto(base + "/trails/1/")
    expect(page.get_by_label("Password")).to_be_visible()
    context.close()


def test_titles_are_kept_as_they_are_written(page: Page) -> None:
    start_trail(page)
    settled(page)
    title = page.get_by_label("Title of the trail")
    with page.expect_response(lambda answer: answer.request.method == "POST"):
        title.fill('Late & "lost" <b>')
        title.blur()
    page.reload()
    expect(title).to_have_value('Late & "lost" <b>')


def test_a_server_that_does_not_answer_is_said_and_nothing_is_lost(page: Page, complaints: list[str]) -> None:
    start_trail(page)
    settled(page)
    sentence = page.locator("#sentence").inner_text()
    page.context.set_offline(True)
    mark(page, "2 to").first.click()
    expect(page.locator("#notice")).to_contain_text("did not answer")
    assert page.locator("#sentence").inner_text() == sentence
    page.context.set_offline(False)
    mark(page, "2 to").first.click()
    expect(page.locator(".chip.lantern")).to_be_visible()
    expect(page.locator("#notice")).to_be_empty()
    complaints[:] = [
        c for c in complaints if "ERR_INTERNET_DISCONNECTED" not in c and "Failed to fetch" not in c
    ]
