"""Hands on the desk: down to a record, a loop, a search, names that are used again; by mouse and by keyboard alone."""

from __future__ import annotations

import math
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.helpers import choose, drag, in_field, plot_point, settled, start_trail
from tests.browser.test_looking import say
from tests.browser.test_states import serious


def test_from_a_group_down_to_the_record_and_up_again(page: Page) -> None:
    start_trail(page)
    settled(page)
    say(page, "average late_min by line")
    sentence = page.locator("#sentence")
    expect(sentence).to_contain_text("compare across line")
    settled(page)
    # an outlying group, lit; beside it who is there
    page.locator("#stage .mark").first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("line is N6 Tannery Hill")
    page.locator("#beside-add").click()
    page.locator("#popover").get_by_role("button", name=re.compile("^depot")).click()
    expect(page.locator(".beside-item svg .lit").first).to_be_attached()
    settled(page)
    # pointed at, a mark's rows are outlined beside
    page.locator("#stage .mark").nth(3).hover()
    expect(page.locator(".beside-item .mark.same-rows").first).to_be_attached()
    # down by what tells most apart
    page.get_by_role("button", name="break down by…").click()
    first = page.locator("#popover .choice").first
    expect(first).to_contain_text("tells")
    first.click()
    expect(sentence).to_contain_text("within N6 Tannery Hill")
    settled(page)
    page.locator("#stage .mark").first.click()
    expect(page.locator(".chip.lantern")).to_be_visible()
    settled(page)
    page.get_by_role("button", name="Rows", exact=True).click()
    page.locator(".drawer").get_by_role("button", name="Light this row").first.click()
    expect(page.locator(".chip.lantern")).to_contain_text(re.compile(r"trip_id is T\d+ — 1 of"))
    settled(page)
    page.keyboard.press("Escape")
    expect(page.locator(".drawer")).to_have_count(0)
    page.get_by_role("button", name="Leave a cairn").click()
    expect(page.locator("#cairn-title")).to_be_visible()
    # and up again by the sentence
    page.locator("[data-slot=within]").click()
    page.locator("#popover .choice").last.click()
    expect(sentence).not_to_contain_text("within")
    expect(sentence).to_contain_text("across line")
    expect(page.locator(".chip.lantern")).to_contain_text("line is N6 Tannery Hill")


def test_a_loop_is_named_and_its_group_used_again(page: Page) -> None:
    start_trail(page)
    settled(page)
    say(page, "late_min vs rain_mm coloured by depot")
    expect(page.locator("#stage .legend-word")).to_have_count(3)
    box = page.locator("#stage .ground").first.bounding_box()
    middle = page.locator("#stage svg.picture").bounding_box()
    x, y = middle["x"] + 0.55 * middle["width"], middle["y"] + 0.45 * middle["height"]
    page.mouse.move(x + 90, y)
    page.mouse.down()
    for step in range(1, 25):
        angle = step / 24 * 2 * math.pi
        page.mouse.move(x + 90 * math.cos(angle), y + 60 * math.sin(angle))
    page.mouse.up()
    expect(page.locator(".chip.lantern")).to_contain_text("inside a loop over rain_mm and late_min")
    expect(page.locator("#stage .loop")).to_have_count(0)
    settled(page)
    assert box["width"] > 0
    page.get_by_role("button", name="name as a group…").click()
    page.locator("#popover").get_by_label("Name").fill("the looped")
    page.keyboard.press("Enter")
    expect(page.locator(".chip.lantern")).to_contain_text("the looped is yes")
    settled(page)
    say(page, "average boardings by the looped")
    expect(page.locator("#sentence")).to_contain_text("across the looped")
    expect(page.locator("#stage .mark")).to_have_count(2)
    # a legend's word lights its rows, the wheel goes closer, 0 out again
    say(page, "late_min vs rain_mm coloured by depot")
    page.locator("#stage .legend-word").first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("depot is")
    settled(page)
    page.mouse.move(x, y)
    page.mouse.wheel(0, -300)
    expect(page.locator("#sentence")).to_contain_text("zoomed into rain_mm")
    settled(page)
    page.keyboard.press("0")
    expect(page.locator("#sentence")).not_to_contain_text("zoomed")


def test_a_loop_in_a_panel_lights_rows_of_that_panel_and_a_range_those_of_all(page: Page) -> None:
    start_trail(page)
    settled(page)
    say(page, "late_min vs rain_mm, panels by depot")
    expect(page.locator("#sentence")).to_contain_text("in a panel for each depot")
    settled(page)
    page.mouse.move(*in_field(page, 1, 0.2, 0.1))
    page.mouse.down()
    # out of the panel and back: what is drawn in one panel stays in it
    for across, down in ((0.8, 0.1), (1.6, 0.5), (0.2, 0.6), (0.2, 0.12)):
        page.mouse.move(*in_field(page, 1, across, down), steps=5)
    page.mouse.up()
    lantern = page.locator(".chip.lantern")
    expect(lantern).to_contain_text("inside a loop over rain_mm and late_min and depot is Northgate")
    expect(lantern).not_to_contain_text("— 0 of")
    settled(page)
    # a stroke to and fro holds nothing
    words = lantern.inner_text()
    drag(page, in_field(page, 0, 0.3, 0.5), in_field(page, 0, 0.7, 0.5))
    settled(page)
    assert lantern.inner_text() == words
    say(page, "average late_min month by month for each line, as small panels")
    expect(page.locator("#sentence")).to_contain_text("small panels")
    settled(page)
    left, under = in_field(page, 10, 0.3, 1.0)
    drag(page, (left, under + 9), (in_field(page, 10, 0.7, 1.0)[0], under + 9))
    expect(lantern).to_contain_text("departed_at from 2022-")
    expect(page.locator("#stage .lit-line")).to_have_count(14)


def test_turns_wait_for_each_other_and_lists_for_turns(page: Page) -> None:
    start_trail(page)
    settled(page)
    # the server takes its time, the hand does not
    page.route("**/turn/", lambda route: (page.wait_for_timeout(400), route.continue_()))
    page.locator("#word-box").fill("average late_min by depot as bars")
    page.keyboard.press("Enter")
    page.locator("#sentence [data-slot=way]").click()
    expect(page.locator("#sentence")).to_contain_text("compare across depot")
    expect(page.locator("#popover")).to_be_visible()
    expect(page.locator("#popover .choice[aria-current=true]")).to_contain_text("how groups compare")
    page.keyboard.press("Escape")
    page.locator("#word-box").fill("late_min vs rain_mm")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.keyboard.press("b")
    expect(page.locator(".beside-item")).to_have_count(1)
    expect(page.locator("#sentence")).to_contain_text("move with rain_mm")
    # a list that no word of the sentence opens waits as well
    page.locator("#word-box").fill("late_min by depot")
    page.keyboard.press("Enter")
    page.locator("#light-add").click()
    expect(page.locator("#sentence")).to_contain_text("spread across depot")
    expect(page.locator("#popover .filter")).to_be_visible()
    page.unroute("**/turn/")


def test_search_conditions_and_a_measure_by_keyboard_alone(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.keyboard.press("f")
    expect(page.locator("#popover .filter")).to_be_focused()
    page.keyboard.type("quays")
    expect(page.locator("#found .choice").first).to_contain_text("district is Quayside")
    page.keyboard.press("Enter")
    expect(page.locator("#chips")).to_contain_text("only district is Quayside")
    settled(page)
    # the chip's words are changed in one line
    page.locator(".chip-words").first.focus()
    page.keyboard.press("Enter")
    field = page.locator("#popover input[name=reworded]")
    expect(field).to_have_value("district is Quayside")
    field.fill("district is Quayside and not (rain_mm above 2)")
    page.keyboard.press("Enter")
    expect(page.locator("#chips .chip")).to_have_count(2)
    settled(page)
    page.keyboard.press("/")
    page.keyboard.type("average late_min by depot")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("the average")
    settled(page)
    # a measure is named and found again in its slot
    page.keyboard.press("Escape")
    page.keyboard.press("s")
    page.keyboard.press("Enter")
    page.locator("#popover").get_by_role("button", name="name a measure…").focus()
    page.keyboard.press("Enter")
    page.locator("#popover input[name=name]").fill("late share")
    page.locator("#popover input[name=words]").fill("the share of trips where late_min above 5")
    page.keyboard.press("Enter")
    expect(page.locator("#popover")).to_be_hidden()
    settled(page)
    choose(page, "aggregate", "late share")
    expect(page.locator("#sentence")).to_contain_text("How does late share compare across depot")
    settled(page)
    page.locator("#stage .mark").first.focus()
    page.keyboard.press("Enter")
    expect(page.locator(".chip.lantern")).to_be_visible()
    settled(page)
    page.keyboard.press("d")
    expect(page.locator("#popover .choice").first).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="clear all").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#chips .chip")).to_have_count(0)
    assert serious(page) == []


def test_an_edge_is_dragged_and_the_range_behind_a_condition_is_filled(page: Page) -> None:
    start_trail(page)
    settled(page)
    choose(page, "bins", "bins of 1")
    settled(page)
    grip = page.locator("#stage .bin-edge").nth(1).bounding_box()
    at = (grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
    drag(page, at, (at[0] + 40, at[1]))
    expect(page.locator("#sentence")).not_to_contain_text("bins of 1 min")
    expect(page.locator("#sentence")).to_contain_text(re.compile(r"bins of \d"))
    settled(page)
    page.get_by_role("button", name="+ only rows where…").click()
    page.locator("#popover .filter").fill("rain_mm")
    page.locator("#popover").get_by_role("button", name=re.compile("^rain_mm")).last.click()
    page.locator("#popover [data-range] .mark").nth(2).click()
    expect(page.locator("#popover input[name=low]")).not_to_have_value("")
    page.get_by_role("button", name="Keep only these").click()
    expect(page.locator("#chips")).to_contain_text("only rain_mm from")


def test_grids_tables_and_what_is_taken_along(page: Page) -> None:
    start_trail(page)
    settled(page)
    say(page, "how do the numbers move together")
    page.locator('#stage .mark[aria-label^="late_min with rain_mm"]').click()
    expect(page.locator("#sentence")).to_contain_text("How does late_min move with rain_mm")
    settled(page)
    say(page, "sum of boardings by line as a ring")
    page.get_by_role("button", name="keep more apart").click()
    expect(page.locator("#sentence")).to_contain_text("the largest")
    settled(page)
    # another measure through the quiet plus
    page.locator("#sentence [data-slot=else]").click()
    page.locator("#popover [data-slot=more]").click()
    page.locator("#popover").get_by_role("button", name=re.compile("^and the average of late_min")).click()
    expect(page.locator("#sentence")).to_contain_text("and the average of late_min")
    settled(page)
    choose(page, "shape", "a table")
    expect(page.locator("#stage .table-total").first).to_be_attached()
    settled(page)
    page.locator("summary", has_text="Take it along").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Picture as PNG").click()
    assert Path(download.value.path()).read_bytes()[:4] == b"\x89PNG"
    page.get_by_role("button", name="Side by side").click()
    page.locator("#popover a.choice").first.click()
    expect(page.locator(".side-by-side svg.picture")).to_have_count(2)
    assert serious(page) == []


def test_a_point_of_the_plot_is_found_by_its_place(page: Page) -> None:
    start_trail(page)
    settled(page)
    say(page, "late_min vs boardings for each line")
    names = page.locator("#stage .point-name")
    expect(names.first).to_be_attached()
    assert names.count() >= 8
    across, down = plot_point(page, 0.02, 0.02)
    page.mouse.click(across, down)
    expect(page.locator(".chip.lantern")).to_have_count(0)


def test_scales_are_shared_bars_cut_and_figures_marked_by_hand_and_the_page_prints(page: Page) -> None:
    start_trail(page)
    settled(page)
    say(page, "average late_min by depot as bars")
    page.locator("#beside-add").click()
    page.locator("#popover").get_by_role("button", name=re.compile("^late_min")).click()
    settled(page)
    page.locator("#alike").click()
    expect(page.locator("#alike")).to_contain_text("each on its own scale")
    settled(page)
    choose(page, "axis", "with bars cut off below")
    expect(page.locator("#cautions")).to_contain_text("do not begin at 0")
    page.locator("#cautions .way-on", has_text="from 0").click()
    expect(page.locator("#sentence")).not_to_contain_text("cut off")
    settled(page)
    choose(page, "shape", "a table")
    settled(page)
    page.locator("#sentence [data-slot=else]").click()
    page.locator("#popover [data-slot=rule]").click()
    page.locator("#popover select[name=side]").select_option("below")
    page.locator("#popover input[name=at]").fill("3")
    page.locator("#popover .act").click()
    expect(page.locator("#sentence")).to_contain_text("marking what is below 3")
    assert page.locator("#stage .cell-marked").count() >= 1
    # on paper there is the sentence, the pictures and the words, and nothing to click
    page.emulate_media(media="print")
    expect(page.locator(".topbar")).to_be_hidden()
    expect(page.locator("#alike")).to_be_hidden()
    expect(page.locator("#sentence")).to_be_visible()
    expect(page.locator(".beside-item svg.picture").first).to_be_visible()
    page.emulate_media(media="screen")
