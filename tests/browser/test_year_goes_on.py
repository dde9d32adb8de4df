"""Newer rows come, after all else that is tried on the demo: its table is another from then on."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.conftest import PATIENCE
from tests.browser.test_states import serious


def test_the_next_month_comes_and_a_claim_is_gone(page: Page, base: str) -> None:
    page.goto(base + "/")
    page.get_by_role("link", name="night_buses", exact=True).click()
    page.locator(".menu-box summary").filter(has_text="More").click()
    page.get_by_role("button", name="Let the feed deliver the next month").click()
    expect(page.locator(".delivered")).to_contain_text("night_buses has 52,456 rows now.")
    page.get_by_role("button", name="Read into night_buses").click()
    expect(page.locator(".behind")).to_contain_text("Newer rows have come")
    page.goto(base + "/trails/1/")
    page.get_by_role("link", name="newer rows have come: walk it again").click()
    page.get_by_role("button", name="Walk it again").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("1 is gone")
    gone = page.locator(".rewalk-line").first
    expect(gone).to_contain_text("It was so to the end")
    expect(gone.locator("svg.picture")).to_have_count(2)
    assert serious(page) == []
    page.get_by_role("button", name="Let “Why are we late?” follow").first.click()
    # the whole tale is figured anew: on a busy machine that takes its time
    expect(page.locator("#notice")).to_contain_text("1 is gone", timeout=4 * PATIENCE)
    page.goto(base + "/tales/1/walk/4/")
    expect(page.locator(".claim.fails")).to_contain_text("Does not hold")
    expect(page.locator(".bound.follows").first).to_be_visible()
    page.goto(base + "/tales/1/before/1/4/")
    expect(page.locator(".claim.holds")).to_be_visible()
