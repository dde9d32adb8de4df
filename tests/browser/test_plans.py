"""A plan of one's own and a tall tree, by mouse and keyboard."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.helpers import say, settled, start_trail
from tests.browser.test_states import serious


def test_groups_are_placed_on_a_plan_and_lit_there(page: Page) -> None:
    start_trail(page)
    say(page, "where is the average of late_min on the plan line map of Marrow Haven")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("on the plan line map of Marrow Haven")
    settled(page)
    assert page.locator("#stage image.plan").count() == 1
    page.locator("#stage .mark").first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("line is")
    # moved by hand, from the list of the slot
    page.get_by_role("button", name="line map of Marrow Haven").click()
    page.get_by_text("a plan of your own").click()
    page.get_by_label("A plan that is there").select_option("line map of Marrow Haven")
    page.get_by_label("Whose groups?").select_option("line")
    page.get_by_role("button", name="Place the groups").click()
    expect(page.get_by_text("14 of 14 groups stand on it")).to_be_visible()
    assert not serious(page)
    page.get_by_label("The group").select_option("N3 Crane Wharf")
    page.locator("input[type=image]").click(position={"x": 76, "y": 45})
    option = page.locator("#label option", has_text="N3 Crane Wharf")
    expect(option).to_contain_text("10 % in")
    page.get_by_role("button", name="Draw by this plan").click()
    expect(page.locator("#sentence")).to_contain_text("the average of late_min")
    settled(page)
    mark = page.locator("#stage .mark[aria-label^='N3 Crane Wharf'] circle.spot")
    box, plan = mark.bounding_box(), page.locator("#stage image.plan").bounding_box()
    assert box is not None and plan is not None
    assert abs(box["x"] + box["width"] / 2 - plan["x"] - 0.1 * plan["width"]) < 4


def test_a_tall_tree_has_a_small_one_beside_it_that_leads_elsewhere(page: Page) -> None:
    page.goto(re.match(r"https?://[^/]+", page.url)[0] + "/")  # type: ignore[index]
    page.get_by_role("link", name="crews", exact=True).click()
    page.get_by_role("button", name=re.compile("Start a trail with")).first.click()
    expect(page.locator("#stage svg.picture")).to_be_visible()
    say(page, "who belongs to whom from unit and belongs_to, opened 4 levels down")
    page.keyboard.press("Enter")
    settled(page)
    expect(page.locator("#sight .seen")).to_be_visible()
    expect(page.locator("#sight .small-whole")).to_be_visible()
    small = page.locator("#sight .small-whole").bounding_box()
    assert small is not None
    page.mouse.click(small["x"] + small["width"] / 2, small["y"] + 0.9 * small["height"])
    assert page.evaluate("document.querySelector('#stage').scrollTop") > 200
    page.get_by_role("button", name="all of it").focus()
    page.keyboard.press("Enter")
    tall, room = (
        page.evaluate(f"document.querySelector('{x}').clientHeight") for x in ("#stage > svg", "#stage")
    )
    assert tall <= room + 1
    # what comes into the page meanwhile builds it anew, and leaves the keyboard where it was
    page.evaluate(
        """new Promise((built) => {
            document.dispatchEvent(new CustomEvent("htmx:after:swap"));
            setTimeout(built, 50);
        })"""
    )
    expect(page.get_by_role("button", name="as large as it reads")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator("#sight .seen")).to_be_visible()
    assert not serious(page)
