"""Thousands of groups by mouse and keyboard: ranked, searched, lit from the list; all figures of a picture."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.helpers import choose, settled
from tests.browser.test_any_table import bring, survey_of
from tests.browser.test_states import serious


def test_thousands_of_groups_are_ranked_found_and_lit(page: Page, base: str, tmp_path: Path) -> None:
    path = tmp_path / "titles.csv"
    lines = [f"Night tale {i:04d},{i % 7},{i / 10:.1f}" for i in range(1_500) for _ in range(1 + i % 3)]
    path.write_text("title,stars,takings_eur\n" + "\n".join(lines) + "\n")
    bring(page, base, path)
    page.get_by_role("button", name="Read the table").click()
    page.wait_for_url("**/tables/*/")
    survey_of(page, base, "titles")
    # why it is summed stands there, and one click changes it
    row = page.locator(".survey-line", has_text="takings_eur")
    expect(row).to_contain_text("its name says takings")
    row.get_by_role("button", name="takings_eur is summed").click()
    expect(page.locator(".survey-line", has_text="takings_eur")).to_contain_text("chosen by hand")
    page.locator("#word-box").fill("average takings_eur by title")
    page.keyboard.press("Enter")
    expect(page.locator("#words")).to_contain_text("Of 1,500 groups")
    choose(page, "least", "with at least 2 rows")
    expect(page.locator("#words")).to_contain_text("Of 1,000 groups of at least 2 rows")
    settled(page)
    # the list of all groups, from the keyboard
    page.locator("#groups-toggle").focus()
    page.keyboard.press("Enter")
    drawer = page.locator("[data-drawer=groups]")
    expect(drawer).to_contain_text("page 1 of 20")
    drawer.get_by_role("button", name="Lower ranks").click()
    expect(drawer).to_contain_text("page 2 of 20")
    drawer.get_by_label("Find a group").fill("tale 0002")
    expect(drawer.locator("tbody tr")).to_have_count(1)
    assert not serious(page)
    drawer.get_by_role("button", name="Light Night tale 0002").click()
    expect(page.locator(".chip.lantern")).to_contain_text("Night tale 0002")
    settled(page)
    drawer.get_by_role("button", name="Close").click()
    page.locator("#figures-toggle").click()
    figures = page.locator("[data-drawer=figures]")
    expect(figures).to_contain_text("standard deviation")
    expect(figures).to_contain_text("Kruskal–Wallis H")
    assert not serious(page)
