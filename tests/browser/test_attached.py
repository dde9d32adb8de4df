"""Attaching the demo's taps: seen in part at once, then counted; a mark lit; the rows one by one."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.helpers import mark, settled


def say(page: Page, words: str) -> None:
    """Ask in the word box."""
    box = page.get_by_placeholder(re.compile("^Say it in words"))
    box.fill(words)
    box.press("Enter")
    settled(page)


def test_a_picture_of_a_part_becomes_that_of_all_rows(page: Page, base: str) -> None:
    page.get_by_role("link", name="Attach rows that stay where they are").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Which rows stay where they are?")
    page.get_by_role("button", name="Attach attached/taps", exact=True).press("Enter")
    expect(page.locator("#attached")).to_contain_text("12 files at attached/taps", timeout=60_000)
    expect(page.get_by_role("heading", level=1)).to_contain_text("1,618,500 rows stay where they are")
    page.get_by_role("button", name="Start a trail", exact=True).click()
    say(page, "sum of fare by line")
    count = page.locator(".count")
    expect(count).to_have_text(
        re.compile(r"^all 1,618,500 rows, as of \d+ \w+ \d\d:\d\d UTC · exact$"), timeout=60_000
    )
    expect(page.locator("#pending")).to_have_count(0)
    # a bar that is drawn lights at once: nothing is asked anew
    mark(page, "N1 ").click()
    expect(page.locator(".chip.lantern")).to_contain_text("lit:")
    expect(count).to_contain_text("all 1,618,500 rows")
    say(page, "walk_min by line as box plots")
    expect(count).to_contain_text("all 1,618,500 rows", timeout=60_000)
    say(page, "walk_min by line as a density curve")
    expect(count).to_contain_text(re.compile(r"from a part: [\d,]+ of 1,618,500 rows"))
    expect(page.locator("#cautions")).to_contain_text("needs the rows themselves")
    page.get_by_role("button", name="Rows", exact=True).click()
    expect(page.locator("[data-drawer=rows]")).to_contain_text("of a part:")
