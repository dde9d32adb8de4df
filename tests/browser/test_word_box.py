"""The word box by keyboard: typed, chosen, refined, mended, finished, walked back to, called by one's own words."""

from __future__ import annotations

import re
from typing import Any

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.browser.helpers import say, sentence, settled, start_trail


def test_a_question_is_typed_chosen_and_refined_by_keyboard(page: Page, base: str) -> None:
    page.goto(base + "/")
    page.get_by_role("link", name="night_buses", exact=True).click()
    expect(page.locator(".asks button")).to_have_count(6)
    page.keyboard.press("/")
    expect(page.locator("#word-list [role=option]")).to_have_count(6)
    say(page, "best line for lateness")
    expect(page.locator("#word-list [role=option]").first).to_have_attribute("aria-selected", "true")
    expect(page.locator("#word-said")).to_contain_text(
        re.compile(r"\d readings?\. First: How does the average of late_min")
    )
    expect(page.locator("#word-panel .guessed").first).to_be_visible()
    # another reading is one key away
    page.keyboard.press("ArrowDown")
    expect(page.locator("#word-list [role=option]").nth(1)).to_have_attribute("aria-selected", "true")
    chosen = page.locator('[role=option][aria-selected="true"] .said').inner_text()
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile("/steps/"))
    assert sentence(page).split(", drawn")[0].split("?")[0] in re.sub(r"\s+", " ", chosen)
    # refined three times
    for words, shown in (
        ("average by district", "How does the average of late_min compare across district"),
        ("only minibuses", None),
        ("as bars", "drawn as bars"),
        ("and by depot", "and depot"),
    ):
        say(page, words)
        page.keyboard.press("Enter")
        settled(page)
        expect(page.locator("#word-panel")).to_be_hidden()
        if shown is None:
            expect(page.locator(".chip", has_text="vehicle is minibus")).to_be_visible()
        else:
            expect(page.locator("#sentence")).to_contain_text(shown)
    say(page, "back")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).not_to_contain_text("and depot")


def test_slips_are_mended_words_finished_and_misses_said(page: Page, base: str) -> None:
    start_trail(page)
    say(page, "averge boardngs by distrct")
    expect(page.locator("#word-panel")).to_contain_text("averge is read as average")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("average of boardings compare across district")
    say(page, "late_min by depot in Qua")
    page.keyboard.press("Tab")
    box = page.locator("#word-box")
    expect(box).to_have_value("late_min by depot in Quayside")
    page.keyboard.press("Enter")
    expect(page.locator(".chip", has_text="district is Quayside")).to_be_visible()
    say(page, "boardings by moonrise")
    expect(page.locator("#word-panel")).to_contain_text("“moonrise” is not in this table")
    expect(page.locator("#word-said")).to_contain_text("“moonrise” is not in this table")
    # what leaves words over is not shown unless it is chosen
    page.keyboard.press("Enter")
    expect(page.locator("#notice")).to_contain_text("“moonrise” is not in this table")
    expect(page.locator("#sentence")).to_contain_text("How is late_min spread")
    expect(box).to_have_value("boardings by moonrise")
    say(page, "boardings by moonrise")
    page.keyboard.press("Escape")
    expect(page.locator("#word-panel")).to_be_hidden()
    expect(box).to_have_value("boardings by moonrise")
    # what was typed before is walked with the up key
    box.press("ControlOrMeta+a")
    page.keyboard.press("Delete")
    page.wait_for_timeout(300)
    page.keyboard.press("ArrowUp")
    expect(box).to_have_value("boardings by moonrise")
    page.keyboard.press("ArrowUp")
    expect(box).to_have_value("late_min by depot in Quayside")
    page.keyboard.press("ArrowUp")
    expect(box).to_have_value("averge boardngs by distrct")


def test_a_small_picture_that_comes_late_does_not_take_the_notice_away(page: Page, base: str) -> None:
    held: list[Any] = []
    page.route("**/words/picture/**", lambda route: held.append(route))
    start_trail(page)
    page.keyboard.press("/")
    page.locator("#word-box").press_sequentially("boardings by moonrise")
    expect(page.locator("#word-panel")).to_contain_text("“moonrise” is not in this table")
    while not held:
        page.wait_for_timeout(50)
    page.keyboard.press("Enter")
    expect(page.locator("#notice")).to_contain_text("“moonrise” is not in this table")
    with page.expect_response("**/words/picture/**"):
        held[0].continue_()
    page.wait_for_timeout(300)
    expect(page.locator("#notice")).to_contain_text("“moonrise” is not in this table")
    page.unroute("**/words/picture/**")


def test_a_word_of_ones_own_is_kept_and_read_at_once(page: Page, base: str) -> None:
    start_trail(page)
    say(page, "average late_min on soaked nights by line")
    expect(page.locator("#word-panel")).to_contain_text("“soaked” is not in this table")
    page.get_by_label("By “soaked” I mean").fill("rain_mm above 4")
    page.get_by_role("button", name="keep that").click()
    expect(page.locator("#word-panel")).to_contain_text("soaked is rain_mm above 4, as you said")
    page.locator("#word-box").press("Enter")
    expect(page.locator(".chip", has_text="rain_mm above 4")).to_be_visible()
    say(page, "average late_min by line")
    page.get_by_role("button", name="keep as a favourite").click()
    expect(page.get_by_role("button", name="a favourite: let it go")).to_be_visible()
    found = Axe().run(page).response["violations"]
    assert not [v["id"] for v in found if v["impact"] in ("serious", "critical")], found
    page.keyboard.press("Escape")
    page.locator("#word-box").fill("")
    expect(page.locator("#word-list [role=option]", has_text="average late_min by line")).to_be_visible()
    # forgotten again on the survey, for tests that come after
    page.get_by_role("link", name="Survey").click()
    page.get_by_text("How it was read").click()
    page.get_by_role("button", name="Forget what “soaked” means").click()
    page.get_by_text("How it was read").click()
    expect(page.get_by_role("button", name="Forget what “soaked” means")).to_have_count(0)
