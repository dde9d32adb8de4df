"""Parts and flows by hand: gone into and out again by the path, lit, put in another shape, by keyboard."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.helpers import mark, say, settled, start_trail
from tests.browser.test_states import serious


def test_two_levels_are_gone_into_and_out_by_the_path(page: Page) -> None:
    start_trail(page)
    say(page, "what makes up boardings by depot › district › line")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("depot › district › line")
    settled(page)
    page.locator("svg.picture text.head", has_text="Tallow Lane").click()
    expect(page.locator("#sentence")).to_contain_text("within Tallow Lane")
    settled(page)
    page.locator("svg.picture text.head", has_text="Old Mills").click()
    expect(page.locator("#sentence")).to_contain_text("within Tallow Lane › Old Mills")
    settled(page)
    mark(page, "N4 Mill Race").first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("line is N4 Mill Race")
    settled(page)
    page.locator('[data-slot="within1"]').click()
    page.get_by_text("back to all of Tallow Lane").click()
    expect(page.locator("#sentence")).not_to_contain_text("Old Mills")
    settled(page)
    # by keyboard: to the marks, to a way in, and in
    page.keyboard.press("m")
    for _ in range(40):
        if "go into it" in (page.locator(":focus").get_attribute("aria-label") or ""):
            break
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text(re.compile("within Tallow Lane › "))
    settled(page)
    page.locator('[data-slot="within0"]').click()
    page.get_by_text("back to all of it").click()
    expect(page.locator("#sentence")).not_to_contain_text("within")
    settled(page)
    page.locator('[data-slot="shape"]').click()
    page.locator("#popover .choice", has_text="indented bars").click()
    expect(page.locator("svg.picture .lane-label").first).to_be_visible()
    settled(page)
    assert serious(page) == []


def test_one_flow_is_lit_through_three_stations(page: Page) -> None:
    start_trail(page)
    say(page, "where does boardings flow from district to depot to line")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("from district to depot to line")
    settled(page)
    page.locator('svg.picture .mark[aria-label^="Quayside,"]').click()
    expect(page.locator(".chip.lantern")).to_contain_text("district is Quayside")
    settled(page)
    # its bands to the depots are lit, and those from the depots to its lines, and no line of another
    lit = page.locator("svg.picture .mark:has(.lit.flowing)").evaluate_all(
        "(all) => all.map((m) => m.ariaLabel)"
    )
    assert any(name.startswith("Quayside to ") for name in lit)
    assert any(" to N1 Harbour Ring," in name for name in lit)
    assert not any(name.startswith("Foundry to ") or " to N9 Furnace Gate," in name for name in lit)
    page.keyboard.press("m")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    expect(page.locator(".chip.lantern")).to_be_visible()
    assert serious(page) == []


def test_a_unit_is_opened_by_keyboard_and_its_rows_are_seen(page: Page, base: str) -> None:
    page.goto(base + "/")
    page.get_by_role("link", name="crews", exact=True).click()
    page.get_by_role("button", name="Start a trail").first.click()
    expect(page.locator("#desk")).to_be_visible()
    say(page, "who belongs to whom with the sum of cost_month")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("belongs to whom")
    settled(page)
    handle = page.locator('svg.picture .mark.door[aria-label*="directly below Line N9"]')
    handle.focus()
    page.keyboard.press("Enter")
    expect(page.locator('svg.picture .mark.door[aria-label="close Line N9"]')).to_have_count(1)
    settled(page)
    card = page.locator('svg.picture .mark[aria-label^="Line N9,"]').first
    card.click()
    expect(page.locator(".chip.lantern")).to_contain_text("unit is")
    settled(page)
    page.locator("body").press("r")
    expect(page.locator(".drawer table")).to_contain_text("Line N9")
    page.keyboard.press("Escape")
    page.locator('[data-slot="top"]').click()
    page.locator("#popover .choice", has_text="Tallow Lane").first.click()
    expect(page.locator("#sentence")).to_contain_text("below Tallow Lane")
    settled(page)
    assert serious(page) == []
    page.locator('svg.picture .mark.door[aria-label="begin at Night office"]').click()
    expect(page.locator("#sentence")).to_contain_text("below Night office")
