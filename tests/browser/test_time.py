"""Time on the running application: from a dip to its rows, the year before, parts and a forecast."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.helpers import choose, settled, start_trail
from tests.browser.test_states import serious


def say(page: Page, words: str) -> None:
    page.keyboard.press("/")
    page.keyboard.type(words)
    page.keyboard.press("Enter")
    expect(page.locator("#word-box")).to_have_value("")
    page.keyboard.press("Escape")
    settled(page)


def test_from_a_dip_in_the_line_to_its_rows_and_the_line_behind_it(page: Page) -> None:
    start_trail(page, "boardings")
    settled(page)
    # the way leads from the spread to time, by slots alone
    choose(page, "way", "how it changed over time")
    expect(page.locator("#sentence")).to_contain_text("change month by month")
    say(page, "sum of boardings month by month, only where line is N3 Crane Wharf")
    page.locator("#beside-add").click()
    page.locator("#popover .choice", has_text="vehicle").first.click()
    expect(page.locator(".beside-item svg.picture")).to_be_visible()
    dip = page.locator("#stage .mark[aria-label*='March 2023']").first
    dip.click(force=True)
    expect(page.locator(".chip.lantern")).to_contain_text("departed_at in March 2023")
    expect(page.locator("#words")).to_contain_text("lit rows are in March 2023")
    # the same rows are lit beside it
    expect(page.locator(".beside-item svg.picture .lit").first).to_be_attached()
    page.keyboard.press("r")
    expect(page.locator("#drawer")).to_contain_text("N3 Crane Wharf")
    page.keyboard.press("Escape")
    # a range on the axis lights several months at once
    band = page.locator("#stage .axis-band").bounding_box()
    page.mouse.move(band["x"] + 0.2 * band["width"], band["y"] + 6)
    page.mouse.down()
    page.mouse.move(band["x"] + 0.4 * band["width"], band["y"] + 6, steps=5)
    page.mouse.up()
    expect(page.locator(".chip.lantern")).to_contain_text("departed_at from")


def test_the_year_before_finer_and_closer_by_keyboard_alone(page: Page) -> None:
    start_trail(page, "boardings")
    settled(page)
    say(page, "boardings by month")
    page.keyboard.press("s")
    for _ in range(12):
        if page.evaluate("document.activeElement.dataset.slot") == "else":
            break
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    page.locator("#popover button", has_text="hold it against the past").focus()
    page.keyboard.press("Enter")
    page.locator("#popover .choice", has_text="against the year before").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("against the year before")
    expect(page.locator("#words")).to_contain_text("a year earlier")
    assert page.locator("#stage .rise").count() > 5 and page.locator("#stage .fall").count() > 5
    settled(page)
    # closer and back to the whole
    page.locator("#stage .mark[tabindex='0']").focus()
    page.keyboard.press("+")
    frame = page.locator("#stage .overview")
    expect(frame).to_be_attached()
    settled(page)
    # along the axis, with the whole below
    before = float(frame.get_attribute("x"))
    page.keyboard.press(".")
    expect(frame).not_to_have_attribute("x", str(before))
    settled(page)
    assert float(frame.get_attribute("x")) > before
    page.keyboard.press("0")
    expect(page.locator("#stage .overview")).to_have_count(0)
    # one click finer, one key coarser
    page.locator("#finer").click()
    expect(page.locator("#sentence")).to_contain_text("week by week")
    settled(page)
    page.keyboard.press(">")
    expect(page.locator("#sentence")).to_contain_text("month by month")
    settled(page)
    page.locator("#sentence [data-slot=grain]").click()
    page.locator("#popover .choice", has_text="one coarser").click()
    expect(page.locator("#sentence")).to_contain_text("quarter by quarter")


def test_a_series_is_taken_apart_and_a_spike_leads_to_its_rows_and_a_part_to_a_column(page: Page) -> None:
    start_trail(page, "boardings")
    settled(page)
    say(page, "boardings taken apart, day by day")
    expect(page.locator("#words")).to_contain_text("The season of the week explains")
    expect(page.locator("#stage")).to_contain_text("season of the year")
    spike = page.locator("#stage .mark", has=page.locator(".spike")).first
    spike.click(force=True)
    expect(page.locator(".chip.lantern")).to_be_visible()
    page.keyboard.press("r")
    expect(page.locator("#drawer table")).to_be_visible()
    page.keyboard.press("Escape")
    choose(page, "show", "the season's shape")
    expect(page.locator("#stage .band-95")).to_be_attached()
    choose(page, "how", "added up")
    expect(page.locator("#sentence")).to_contain_text("added up")
    page.locator("#sentence [data-slot=column-of]").click()
    page.locator("#popover input[name=name]").fill("boardings trend")
    page.locator("#popover .act.first").click()
    expect(page.locator("#sentence")).to_contain_text("boardings trend")


def test_a_forecast_its_horizon_its_groups_and_how_they_agree(page: Page) -> None:
    start_trail(page, "boardings")
    settled(page)
    say(page, "boardings ahead, month by month")
    expect(page.locator("#words")).to_contain_text("in four cases of five", timeout=20_000)
    assert page.locator("#stage .band-80, #stage .band-95").count() == 2
    expect(page.locator("#stage .said-then")).to_be_attached()
    choose(page, "bands", "50 % band")
    expect(page.locator("#stage .band-50")).to_be_attached()
    page.locator("#sentence [data-slot=horizon]").click()
    page.locator("#popover input[name=steps]").fill("6")
    page.locator("#popover .act").click()
    expect(page.locator("#sentence")).to_contain_text("6 months")
    choose(page, "split", "for each depot")
    # the groups are forecast behind the page, which follows by itself
    expect(page.locator("#stage .series.thin")).to_have_count(3, timeout=40_000)
    expect(page.locator("#pending")).to_have_count(0)
    page.locator("#numbers-toggle").click()
    expect(page.locator("#drawer table")).to_contain_text("Tallow Lane")
    page.keyboard.press("Escape")
    # a group's name lights its rows; what is known ahead is a slot
    page.locator("#stage .legend-word", has_text="Northgate").click()
    expect(page.locator(".chip.lantern")).to_contain_text("depot is Northgate")
    settled(page)
    choose(page, "split", "all together")
    settled(page)
    choose(page, "known", "knowing festival")
    expect(page.locator("#cautions")).to_contain_text(
        "nothing is known of festival; the forecast takes it for no"
    )


def test_weekdays_in_rows_and_days_evened_out(page: Page) -> None:
    start_trail(page, "boardings")
    settled(page)
    say(page, "boardings by month")
    choose(page, "view", "with days evened out")
    expect(page.locator("#sentence")).to_contain_text("month by month with days evened out")
    settled(page)
    # the list of ways shows even what a model would give
    page.locator("#sentence [data-slot=way]").click()
    expect(page.locator("#popover .later svg")).to_have_count(2, timeout=20_000)
    page.keyboard.press("Escape")
    settled(page)
    choose(page, "way", "how it runs through the week or year")
    settled(page)
    choose(page, "shape", "a row for each weekday")
    expect(page.locator("#stage .series")).to_have_count(7)
    expect(page.locator("#stage")).to_contain_text("its own mean dotted")
    page.locator("#stage .mark[aria-label^='Friday, 23:00']").click(force=True)
    expect(page.locator(".chip.lantern")).to_contain_text("departed_at on a Friday")


def test_lit_lines_of_several_groups_are_told_apart(page: Page) -> None:
    start_trail(page, "late_min")
    settled(page)
    say(page, "average late_min by month for each depot as steps")
    ends = page.locator("#stage text.end-name")
    ends.nth(0).click()
    settled(page)
    expect(page.locator("#stage .lit-line")).to_have_count(1)
    ends.nth(1).click(modifiers=["Shift"])
    settled(page)
    cores = page.locator("#stage .lit-core")
    expect(cores).to_have_count(2)
    strokes = {cores.nth(i).evaluate("c => getComputedStyle(c).stroke") for i in range(2)}
    assert len(strokes) == 2
    expect(page.locator("#words")).to_contain_text("lit rows the most are in")


def test_axe_finds_nothing_serious_in_time(page: Page, base: str) -> None:
    start_trail(page, "boardings")
    settled(page)
    found = {}
    for words in (
        "boardings by month for each line",
        "late_min through the year in each year",
        "boardings taken apart, month by month",
        "boardings ahead, month by month",
    ):
        say(page, words)
        found[words] = serious(page)
    assert not any(found.values()), found


def test_hours_of_weekdays_are_lit_kept_and_looked_at_in_time(page: Page) -> None:
    start_trail(page, "boardings")
    settled(page)
    say(page, "number of trips through the week as a grid of weekdays")
    cell = page.locator("#stage .mark[aria-label^='Saturday, 02:00']")
    cell.click()
    expect(page.locator(".chip.lantern")).to_contain_text(
        "departed_at on a Saturday and departed_at in the hour from 02:00"
    )
    page.keyboard.press("o")
    expect(page.locator("#chips")).to_contain_text("only departed_at on a Saturday")
    choose(page, "way", "how it changed over time")
    expect(page.locator("#sentence")).to_contain_text("month by month")
    choose(page, "split", "for each depot")
    # a name at the end of its line lights the line
    page.locator("#stage .mark", has=page.locator(".end-name")).first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("depot is")
    choose(page, "shape", "stacked areas")
    expect(page.locator("#stage .part").first).to_be_attached()
    # a target typed into the slot stands across the picture
    choose(page, "shape", "a line")
    page.locator("#sentence [data-slot=else]").click()
    page.locator("#popover [data-slot=levels]").click()
    page.locator("#popover input[name=target]").fill("1500")
    page.locator("#popover .act").click()
    expect(page.locator("#sentence")).to_contain_text("with a target of 1,500")


def test_a_clock_that_is_none_is_refused_in_a_sentence_and_the_wheel_zooms(page: Page) -> None:
    start_trail(page, "boardings")
    settled(page)
    say(page, "boardings by week")
    page.locator("#sentence [data-slot=else]").click()
    page.locator("#popover [data-slot=time]").click()
    expect(page.locator("#popover")).to_contain_text("by the clock of UTC")
    page.keyboard.press("Escape")
    box = page.locator("#stage svg.picture").bounding_box()
    page.mouse.move(box["x"] + 0.5 * box["width"], box["y"] + 0.5 * box["height"])
    page.mouse.wheel(0, -400)
    expect(page.locator("#stage .overview")).to_be_attached()
    settled(page)
    page.locator("#word-box").fill("boardings by week by the clock of Atlantis/Town")
    page.keyboard.press("Enter")
    expect(page.locator("#notice")).to_contain_text("is no time zone")
