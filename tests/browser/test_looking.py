"""A group that stands apart, lit, set beside, related, and kept; by mouse, and by keyboard alone."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.helpers import choose, mark, settled, start_trail
from tests.browser.test_states import serious


def say(page: Page, words: str) -> None:
    page.locator("#word-box").fill(words)
    page.keyboard.press("Enter")
    settled(page)


def test_from_an_outlying_group_to_what_explains_it(page: Page) -> None:
    start_trail(page)
    settled(page)
    choose(page, "way", "how groups compare")
    sentence = page.locator("#sentence")
    expect(sentence).to_contain_text(re.compile("How does the average of late_min compare across"))
    choose(page, "across", "across line")
    expect(sentence).to_contain_text("across line, drawn as dots with intervals")
    expect(page.locator("#stage .interval")).to_have_count(14)
    settled(page)
    # light the latest line, see who it is beside, keep only it
    page.locator("#stage .mark").first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("line is N6 Tannery Hill")
    page.locator("#beside-add").click()
    page.locator("#popover").get_by_role("button", name=re.compile("^depot")).click()
    expect(page.locator(".beside-item svg .lit").first).to_be_attached()
    choose(page, "aggregate", "the median")
    expect(sentence).to_contain_text("the median of late_min")
    choose(page, "shape", "bars")
    expect(page.locator("#stage rect.bar")).to_have_count(14)
    settled(page)
    # the numbers of the picture, which follow it, and can be closed by key
    page.get_by_role("button", name="As a table").click()
    drawer = page.locator("#drawer")
    expect(drawer.locator("tbody tr")).to_have_count(14)
    expect(drawer).to_contain_text("N6 Tannery Hill")
    choose(page, "across", "across depot")
    expect(drawer.locator("tbody tr")).to_have_count(3)
    page.keyboard.press("Escape")
    expect(drawer.locator("table")).to_have_count(0)
    expect(page.locator("#numbers-toggle")).to_be_focused()
    # a third measure: how it moves with the rain
    choose(page, "way", "how it moves with another")
    expect(sentence).to_contain_text("How does late_min move with")
    choose(page, "against", "rain_mm")
    expect(page.locator("#stage .cell").first).to_be_attached()
    expect(page.locator("#words")).to_contain_text("late_min rises clearly with rain_mm")
    settled(page)
    page.locator("#stage .mark").nth(200).click()
    expect(page.locator(".chip.lantern")).to_contain_text("rain_mm from")
    expect(page.locator(".chip.lantern")).to_contain_text("late_min from")
    page.get_by_role("button", name="Leave a cairn").click()
    page.locator("#cairn-title").fill("Rain, and one depot")
    page.locator("#cairn-title").blur()
    settled(page)
    page.reload()
    expect(page.locator("#cairn-title")).to_have_value("Rain, and one depot")


def test_compare_and_relate_by_keyboard_alone(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.keyboard.press("/")
    page.keyboard.type("sum of boardings by district")
    page.keyboard.press("Enter")
    sentence = page.locator("#sentence")
    expect(sentence).to_contain_text("the sum of boardings")
    settled(page)
    page.locator("#stage .mark").first.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page.locator(".chip.lantern")).to_contain_text("district is")
    settled(page)
    page.keyboard.press("s")
    page.keyboard.press("Enter")
    expect(page.locator("#popover")).to_be_visible()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(sentence).not_to_contain_text("the sum of boardings")


def test_axe_finds_nothing_serious_in_compare_and_relate(page: Page, base: str) -> None:
    start_trail(page)
    found = {}
    for words in (
        "average late_min by line",
        "number of trips by district as bars",
        "late_min vs boardings coloured by depot",
    ):
        say(page, words)
        found[words] = serious(page)
    page.set_viewport_size({"width": 390, "height": 800})
    settled(page)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert {name: problems for name, problems in found.items() if problems} == {}
    assert mark(page, "late_min").count() > 0
