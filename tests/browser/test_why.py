"""Why, by hand: from a fall to its reason and its rows, from drivers to a rule, from lit rows to how they differ."""

from __future__ import annotations

import re

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, Route, expect

from tests.browser.helpers import say, sentence, settled, start_trail


def ask(page: Page, words: str) -> None:
    say(page, words)
    page.keyboard.press("Enter")
    settled(page)


def test_a_fall_is_asked_why_down_to_its_rows_and_left_as_a_cairn(page: Page, base: str) -> None:
    start_trail(page)
    ask(page, "boardings by month")
    # the fall, by keyboard: the mark of the month is lit, and its reason asked for
    month = page.locator('#stage .mark[data-light*=\'"low":"2023-03-01\']').first
    month.focus()
    page.keyboard.press("Enter")
    expect(page.locator(".chip.lantern")).to_contain_text("March 2023")
    page.get_by_role("button", name="why this?").click()
    expect(page.locator("#sentence")).to_contain_text("from February 2023 to March 2023")
    expect(page.locator("#words")).to_contain_text("N3 Crane Wharf took")
    page.locator("#stage .mark", has=page.locator(".stair-step.fall")).first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("N3 Crane Wharf")
    expect(page.locator("#stage .stair-step.lit, #stage .lit").first).to_be_visible()
    page.get_by_role("button", name="Rows", exact=True).click()
    expect(page.locator("#drawer")).to_contain_text("N3 Crane Wharf")
    page.locator("[data-close-drawer]").first.click()
    page.get_by_role("button", name="Leave a cairn").click()
    expect(page.locator("#cairn-title")).to_have_value(re.compile("."))
    assert not [v for v in Axe().run(page).response["violations"] if v["impact"] in ("serious", "critical")]


def test_a_typed_change_is_refined_twice_and_goes_back(page: Page, base: str) -> None:
    start_trail(page)
    ask(page, "why did boardings drop in March 2023")
    assert "from February 2023 to March 2023" in sentence(page)
    ask(page, "against the year before")
    assert "from March 2022 to March 2023" in sentence(page)
    ask(page, "cut by depot")
    assert "by depot" in sentence(page)
    ask(page, "back")
    assert "from March 2022 to March 2023" in sentence(page) and "by depot" not in sentence(page)


def test_lit_rows_are_asked_how_they_differ_and_a_column_is_left_out(page: Page, base: str) -> None:
    start_trail(page)
    page.locator("#stage .mark").nth(30).click()
    page.get_by_role("button", name="how do they differ?").click()
    assert "differ from the rest" in sentence(page)
    expect(page.locator("#stage .mark.door")).not_to_have_count(0)
    expect(page.locator("#words")).to_contain_text("differ most in")
    ask(page, "without rain_mm")
    assert "leaving out rain_mm" in sentence(page)
    # a bar leads to its column, and a value lights its rows
    page.locator("#stage .mark:not(.door)").first.click()
    expect(page.locator(".chip.lantern")).to_be_visible()
    page.locator("#stage .mark.door").first.click()
    expect(page.locator("#sentence")).not_to_contain_text("differ from")


def test_drivers_are_made_behind_the_page_then_shown_as_rules_and_lit(page: Page, base: str) -> None:
    start_trail(page)
    page.get_by_role("button", name="what drives it?").click()
    expect(page.locator("#sentence")).to_contain_text("What drives late_min")
    expect(page.locator("#words")).to_contain_text("is explained on", timeout=90_000)
    # signposts that came meanwhile stay when the models are there
    expect(page.locator(".signpost").first).to_be_visible()
    expect(page.locator("#stage .mark.door").first).to_be_visible()
    page.get_by_role("button", name="leave it out").first.click()
    expect(page.locator("#sentence")).to_contain_text("leaving out rider_rating")
    expect(page.locator("#words")).to_contain_text("rain_mm", timeout=90_000)
    # the rules come from the models that are there
    ask(page, "as a few rules")
    expect(page.locator("#words")).to_contain_text("Where rain_mm at least", timeout=90_000)
    page.locator("#stage .mark").first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("rain_mm at least")
    assert not [v for v in Axe().run(page).response["violations"] if v["impact"] in ("serious", "critical")]


def test_an_answer_that_comes_late_does_not_bring_back_what_was_asked_before(page: Page, base: str) -> None:
    start_trail(page)
    held: list[Route] = []
    asked = "**/trails/*/steps/*/"
    # models that nobody made before: the page asks again and again how far they are
    ask(page, "what drives boardings, leaving out rain_mm, leaving out vehicle")
    page.route(asked, lambda route: held.append(route) if polls(route) else route.continue_())
    expect(page.locator("#sentence")).to_contain_text("What drives boardings")
    expect(page.locator("#pending")).to_be_visible()
    page.wait_for_timeout(1_500)
    assert held, "it is being waited for"
    page.locator("#word-box").fill("late_min")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("How is late_min spread")
    with page.expect_response(lambda r: r.url == held[0].request.url):
        for route in held:
            route.continue_()
    page.wait_for_timeout(500)
    expect(page.locator("#sentence")).to_contain_text("How is late_min spread")
    page.unroute(asked)


def polls(route: Route) -> bool:
    return route.request.method == "GET" and "hx-request" in route.request.headers


def test_a_signpost_is_followed_and_what_was_seen_is_not_proposed_again(page: Page, base: str) -> None:
    start_trail(page)
    posts = page.locator(".signpost")
    expect(posts.first).to_be_visible()
    expect(page.locator(".signposts .side-head")).to_contain_text(re.compile(r"\d+ tried, \d shown"))
    rain = posts.filter(has_text="rain_mm")
    expect(rain).to_contain_text("late_min rises clearly with rain_mm")
    rain.get_by_role("button").first.focus()
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("How does late_min move with rain_mm")
    expect(posts.first).to_be_visible()
    expect(rain).to_have_count(0)
    # what is not wanted goes, and comes back
    first = posts.first.locator(".swap").inner_text()
    posts.first.get_by_role("button", name="Not for me").focus()
    page.keyboard.press("Enter")
    expect(page.locator(".signposts")).to_contain_text("Not for you:")
    expect(posts.locator(".swap", has_text=re.compile(f"^{re.escape(first)}$"))).to_have_count(0)
    page.get_by_role("button", name="Take back").click()
    expect(posts.first.locator(".swap")).to_have_text(first)
    # at the width of a phone they stand below, and nothing is cut off
    page.set_viewport_size({"width": 390, "height": 844})
    settled(page)
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")


def test_what_stands_out_is_gone_through_kept_as_cairns_and_put_aside(page: Page, base: str) -> None:
    start_trail(page)
    ask(page, "what stands out")
    expect(page.locator("#words")).to_contain_text(
        "things stand out in the whole table. First departed_at: a gap"
    )
    # a finding's rows are lit by its small picture
    page.locator('#stage .mark[data-light][aria-label^="late_min: far from all others"]').click()
    expect(page.locator(".chip.lantern")).to_contain_text("late_min at least 41.8")
    page.locator("#one-by-one-toggle").focus()
    page.keyboard.press("Enter")
    drawer = page.locator('[data-drawer="one-by-one"]')
    for box in drawer.get_by_role("checkbox").all():
        box.check()
    drawer.get_by_label("note").fill("ask the depots")
    page.keyboard.press("Enter")
    expect(page.locator(".way-scroll")).to_contain_text("late_min")
    settled(page)
    drawer.get_by_role("button", name="Put aside late_min: far from all others").click()
    expect(page.locator("#cautions")).to_contain_text(
        "Put aside on this trail: late_min: far from all others"
    )
    page.keyboard.press("Escape")  # closes the list
    page.get_by_role("button", name="take it back").click()
    expect(page.locator("#cautions")).not_to_contain_text("Put aside")
    assert not [v for v in Axe().run(page).response["violations"] if v["impact"] in ("serious", "critical")]


def test_a_mark_is_held_by_pointer_and_by_key_and_leads_on(page: Page, base: str) -> None:
    start_trail(page)
    ask(page, "sum of boardings by line")
    mark = page.locator("#stage .mark").nth(2)
    box = mark.bounding_box()
    assert box is not None
    at = box["x"] + box["width"] / 4, box["y"] + box["height"] / 2
    page.mouse.move(at[0] - 3, at[1])
    page.mouse.move(*at)
    expect(page.locator(".hover-card .made-of svg")).to_be_visible()
    page.mouse.down()
    page.wait_for_timeout(800)
    page.mouse.up()
    held = page.locator("#popover .at-hand")
    expect(held).to_contain_text("compare with the rest")
    assert not page.locator(".chip.lantern").count()  # held, not lit
    page.keyboard.press("Escape")
    mark.focus()
    page.keyboard.press("h")
    expect(held).to_be_visible()
    assert not [v for v in Axe().run(page).response["violations"] if v["impact"] in ("serious", "critical")]
    held.get_by_role("button", name="compare with the rest").click()
    expect(page.locator("#sentence")).to_contain_text("differ from the rest")


def test_is_it_really_so_and_what_it_says_in_short_becomes_a_tale(page: Page, base: str) -> None:
    start_trail(page)
    ask(page, "average late_min by depot")
    page.get_by_role("button", name="is it really so?").click()
    expect(page.locator("#sentence")).to_contain_text("Does late_min still go with depot when")
    expect(page.locator("#words")).to_contain_text("held fixed up to")
    ask(page, "holding rain_mm fixed")
    assert "when rain_mm is held fixed" in sentence(page)
    ask(page, "as coefficients")
    assert "drawn as coefficients" in sentence(page)
    page.locator("#in-short-toggle").click()
    drawer = page.locator('[data-drawer="in-short"]')
    drawer.get_by_role("button", name="sentence", exact=True).click()
    expect(drawer.locator(".said-line")).to_have_count(1)
    drawer.get_by_role("button", name="Begin a tale with this").click()
    page.wait_for_url("**/tales/**")
    expect(page.locator("body")).to_contain_text("in short")
