"""The whole way from a file to a tale that others walk, by mouse and by keyboard."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.helpers import axis_point, choose, drag, mark, plot_point, settled, start_trail


def test_from_file_to_tale_by_mouse(page: Page, stranger: Page, few_buses_csv: Path, base: str) -> None:
    # bring a table
    page.goto(base + "/")
    page.locator("#file").set_input_files(few_buses_csv)
    page.get_by_role("button", name="Bring them").click()
    page.get_by_role("button", name="Read the table").click()
    page.wait_for_url(re.compile(r"/tables/\d+/$"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("each one trip")
    expect(page.locator(".survey-line")).to_have_count(20)

    # ask how one column is spread, turn the picture
    page.get_by_role("button", name="Start a trail with late_min").click()
    expect(page.locator("#sentence")).to_contain_text(
        "How is late_min spread over all trips, drawn as a histogram"
    )
    choose(page, "bins", "bins of 1")
    expect(page.locator("#sentence")).to_contain_text("bins of 1 min")

    # light a mark, add one, light a range on the axis
    settled(page)
    mark(page, "9 to 10\u00a0min").click()
    expect(page.locator(".chip.lantern")).to_contain_text("late_min from 9 to under 10")
    settled(page)
    mark(page, "10 to 11\u00a0min").click(modifiers=["Shift"])
    expect(page.locator(".chip.lantern")).to_contain_text("late_min from 9 to under 11")
    settled(page)
    drag(page, axis_point(page, 0.5), axis_point(page, 0.8))
    expect(page.locator(".chip.lantern")).not_to_contain_text("from 9 to under 11")
    expect(page.locator("#stage rect.lit").first).to_be_attached()
    expect(page.locator("#words .lit").first).to_be_visible()

    # leave a cairn with a title, a note and an arrow
    page.get_by_role("button", name="Leave a cairn").click()
    page.locator("#cairn-title").fill("A second hump")
    page.locator("#cairn-note").fill("It stands apart.")
    page.locator("#cairn-note").blur()
    settled(page)
    page.get_by_role("button", name="Annotate").click()
    page.locator("[data-tool=arrow]").click()
    drag(page, plot_point(page, 0.75, 0.3), plot_point(page, 0.6, 0.8))
    expect(page.locator("#stage .annotation.arrow")).to_have_count(1)
    settled(page)
    page.locator("[data-tool=note]").click()
    page.mouse.click(*plot_point(page, 0.6, 0.25))
    expect(page.locator("#annotation-list input")).to_be_focused()
    page.keyboard.type("Look here <b>&</b>")
    page.keyboard.press("Tab")
    expect(page.locator("#stage .annotation.note")).to_contain_text("Look here <b>&</b>")
    page.reload()
    expect(page.locator("#cairn-title")).to_have_value("A second hump")
    expect(page.locator("#stage .annotation")).to_have_count(2)

    # into a tale that is there, and into one of its own, of two stops
    desk = page.url
    page.get_by_text("Put it into a tale").click()
    page.locator("#cairn").get_by_role("button", name="Why are we late?").click()
    expect(page.locator(".stop-item.here")).to_contain_text("A second hump")
    page.once("dialog", lambda dialog: dialog.dismiss())
    page.get_by_role("button", name="Take this stop out").click()
    expect(page.locator("#stop-heading")).to_have_value("A second hump")
    page.on("dialog", lambda dialog: dialog.accept())
    page.get_by_role("button", name="Take this stop out").click()
    expect(page.locator("#stop-heading")).not_to_have_value("A second hump")
    page.goto(desk)
    page.get_by_role("button", name="Begin a tale with it").click()
    expect(page.locator("#stop-heading")).to_have_value("A second hump")
    page.locator("#stop-prose").click()
    page.keyboard.press("ControlOrMeta+a")
    page.keyboard.press("Delete")
    page.keyboard.type("Most are ")
    page.keyboard.press("ControlOrMeta+b")
    page.keyboard.type("on time")
    page.keyboard.press("ControlOrMeta+b")
    page.keyboard.type(". <script>alert(1)</script>")
    expect(page.locator("#stop-text")).to_have_value("Most are **on time**. \\<script>alert(1)\\</script>")
    with page.expect_response(lambda response: response.url.endswith("/edit/")):
        page.locator("#stop-prose").blur()
    page.reload()
    expect(page.locator("#stop-prose b, #stop-prose strong")).to_have_text("on time")
    expect(page.locator("#stop-prose script")).to_have_count(0)
    page.get_by_text("+ a stop").click()
    page.get_by_role("button", name="A stop without a picture").click()
    expect(page.locator(".stop-item")).to_have_count(2)
    page.locator("#stop-heading").fill("Before we begin")
    page.locator("#stop-heading").blur()
    settled(page)
    page.locator(".stop-item").nth(1).hover()
    page.get_by_role("button", name=re.compile("^Move .* up$")).nth(1).click()
    expect(page.locator(".stop-item").first).to_contain_text("Before we begin")

    # a read link that a stranger walks, and that can be revoked
    page.get_by_role("button", name="Make a read link").click()
    link = page.locator("#new-link").input_value()
    stranger.goto(link)
    expect(stranger.get_by_role("heading", level=1)).to_have_text("Before we begin")
    stranger.keyboard.press("ArrowRight")
    expect(stranger.get_by_role("heading", level=1)).to_have_text("A second hump")
    expect(stranger.locator("#stage .annotation")).to_have_count(2)
    stranger.goto(base + "/tables/1/")
    expect(stranger).to_have_url(re.compile("/sign-in/"))
    page.reload()
    expect(page.locator("#new-link")).to_have_count(0)
    page.get_by_role("button", name="Revoke").click()
    assert stranger.goto(link).status == 404


def test_from_survey_to_tale_by_keyboard_alone(page: Page, base: str) -> None:
    page.goto(base + "/")
    page.get_by_role("link", name="night_buses", exact=True).focus()
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile(r"/tables/"))
    page.get_by_role("button", name="Start a trail with late_min").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_be_visible()
    settled(page)

    # s goes to the sentence, arrows walk its slots, Enter opens, arrows choose
    page.keyboard.press("s")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    expect(page.locator("#popover .filter")).to_be_focused()
    page.keyboard.type("depot")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("across depot")
    page.keyboard.press("[")
    expect(page.locator("#sentence")).to_contain_text("over all trips")

    # the word box
    page.keyboard.press("/")
    page.keyboard.type("late_min by depot as box plots")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("across depot, drawn as box plots")
    page.locator("#word-box").blur()
    settled(page)

    # marks: m, arrows, Enter; the focus stays on the mark that was lit
    page.keyboard.press("m")
    page.keyboard.press("Enter")
    expect(page.locator(".chip.lantern")).to_contain_text("depot is")
    expect(page.locator("#stage .mark[aria-pressed=true]").first).to_be_focused()
    page.keyboard.press("l")
    expect(page.locator(".chip.lantern")).to_have_count(0)
    page.keyboard.press("Enter")
    page.keyboard.press("o")
    expect(page.locator("#chips")).to_contain_text("only depot is")

    # a cairn, an arrow moved by keys, undone, and put back by hand
    page.keyboard.press("k")
    expect(page.locator("#cairn-title")).to_be_focused()
    page.keyboard.type("By keys alone")
    page.keyboard.press("Escape")
    settled(page)
    page.keyboard.press("n")
    expect(page.locator("[data-tool=note]")).to_be_focused()
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    arrow = page.locator("#stage .annotation.arrow")
    expect(arrow).to_be_focused()
    before = arrow.locator(".arrow-shaft").get_attribute("d")
    page.keyboard.press("ArrowLeft")
    expect(arrow.locator(".arrow-shaft")).not_to_have_attribute("d", before)
    expect(arrow).to_be_focused()
    page.keyboard.press("Control+z")
    expect(arrow.locator(".arrow-shaft")).to_have_attribute("d", before)
    arrow.focus()
    page.keyboard.press("Delete")
    expect(arrow).to_have_count(0)
    page.keyboard.press("Escape")

    # rows, and a tale
    page.keyboard.press("r")
    expect(page.locator(".drawer h2")).to_contain_text("trips")
    page.keyboard.press("Escape")
    expect(page.locator(".drawer")).to_have_count(0)
    page.get_by_role("button", name="Begin a tale with it").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#stop-heading")).to_have_value("By keys alone")


def test_pictures_beside_share_the_lantern_and_swap(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.locator("#beside-add").click()
    page.locator("#popover .filter").fill("boardings")
    page.locator("#popover").get_by_role("button", name=re.compile("^boardings")).first.click()
    expect(page.locator(".beside-item")).to_have_count(1)
    settled(page)
    drag(page, axis_point(page, 0.55), axis_point(page, 0.75))
    expect(page.locator(".beside-item rect.lit").first).to_be_attached()
    page.locator(".beside-item .swap").click()
    expect(page.locator("#sentence")).to_contain_text("How is boardings spread")
    expect(page.locator(".beside-item")).to_contain_text("late_min")
    page.get_by_role("button", name=re.compile("Take away")).click()
    expect(page.locator(".beside-item")).to_have_count(0)


def test_a_condition_by_the_small_form_and_the_rows_behind_it(page: Page) -> None:
    start_trail(page)
    page.get_by_role("button", name="+ only rows where…").click()
    page.locator("#popover .filter").fill("depot")
    page.locator("#popover").get_by_role("button", name=re.compile("^depot")).click()
    page.locator("#popover").get_by_label(re.compile("Northgate")).check()
    page.get_by_role("button", name="Keep only these").click()
    expect(page.locator("#chips")).to_contain_text("only depot is Northgate")
    page.get_by_role("button", name="+ light…").click()
    page.locator("#popover .filter").fill("rain_mm above 2")
    expect(page.locator("#found .choice").first).to_contain_text("rain_mm above 2")
    page.keyboard.press("Enter")
    expect(page.locator(".chip.lantern")).to_contain_text("rain_mm above 2")
    page.get_by_role("button", name="Rows", exact=True).click()
    page.locator(".drawer th button", has_text="late_min").first.click()
    page.locator(".drawer th[aria-sort=ascending] button").first.click()
    expect(page.locator(".drawer th[aria-sort=descending]")).to_contain_text("late_min")
    depots = page.locator(".drawer tbody tr td:nth-child(3)").all_inner_texts()
    assert depots and set(depots) == {"Northgate"}
    with page.expect_download() as download:
        page.locator(".drawer").get_by_role("link", name="CSV").click()
    lines = Path(download.value.path()).read_text().splitlines()
    assert lines[0].startswith("trip_id,") and all(",Northgate," in line for line in lines[1:])


def test_bad_words_get_one_sentence_and_nothing_is_lost(page: Page) -> None:
    start_trail(page)
    settled(page)
    sentence = page.locator("#sentence").inner_text()
    page.locator("#word-box").fill("lateness by moon")
    page.keyboard.press("Enter")
    expect(page.locator("#notice")).to_contain_text("“moon” is not in this table")
    expect(page.locator("#word-box")).to_have_value("lateness by moon")
    assert page.locator("#sentence").inner_text() == sentence
    page.locator("[data-slot=bins]").first.click()
    page.locator("#popover input[name=width]").fill("0.00001")
    page.get_by_role("button", name="Cut it so").click()
    expect(page.locator("#notice")).to_contain_text("more than can be drawn")
