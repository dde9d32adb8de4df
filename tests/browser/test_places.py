"""Maps and pictures that play, by hand: a lasso, a zoom, points that travel and are stopped, a cairn left there."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.helpers import say, settled, start_trail, until
from tests.browser.test_states import serious


def test_a_loop_on_a_map_lights_what_lies_in_it_and_zooming_parts_it(page: Page) -> None:
    start_trail(page)
    say(page, "where is the number of trips as hexagons")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("placed by latitude and longitude")
    settled(page)
    box = page.locator("#stage svg.picture").bounding_box()
    assert box is not None
    corners = [(0.36, 0.55), (0.36, 0.8), (0.6, 0.8), (0.6, 0.55), (0.38, 0.54)]
    places = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in corners]
    page.mouse.move(*places[0])
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*place, steps=6)
    page.mouse.up()
    expect(page.locator(".chip.lantern")).to_contain_text("inside a loop over longitude and latitude")
    settled(page)
    # the chip has moved the picture; what is wholly in the loop is wholly lit
    box = page.locator("#stage svg.picture").bounding_box()
    assert box is not None
    lit = page.evaluate(
        """([x, y]) => [...document.querySelectorAll("#stage .mark")]
          .filter((m) => { const b = m.getBoundingClientRect(); return Math.hypot(b.x + b.width / 2 - x, b.y + b.height / 2 - y) < 20; })
          .map((m) => m.getAttribute("aria-pressed"))""",
        [box["x"] + 0.45 * box["width"], box["y"] + 0.68 * box["height"]],
    )
    assert lit and set(lit) == {"true"}
    many = page.locator("#stage .mark").count()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.wheel(0, -240)
    expect(page.locator("#sentence")).to_contain_text("zoomed into longitude")
    settled(page)
    assert page.locator("#stage .mark").count() != many
    assert serious(page) == []


def test_points_travel_are_stopped_and_a_cairn_is_left_there(page: Page) -> None:
    start_trail(page)
    say(page, "late_min vs boardings, for each line")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("for each line")
    settled(page)
    page.locator("#stage .mark").first.click()
    expect(page.locator(".chip.lantern")).to_be_visible()
    settled(page)
    page.locator("#play-through").click()
    expect(page.locator("#play-label")).to_have_text("January 2021")
    settled(page)
    place = "document.querySelector('#stage .mark .point').getAttribute('transform')"
    before = page.evaluate(place)
    page.keyboard.press("p")
    until(page, "Number(document.querySelector('#play-at').value) >= 2")
    page.keyboard.press("p")
    expect(page.locator("#play")).to_have_text(re.compile("play"))
    settled(page)
    assert page.evaluate(place) != before
    label = page.locator("#play-label").inner_text()
    expect(page.locator(".chip").first).to_contain_text(label)
    expect(page.locator("#stage .period")).to_have_text(label)
    expect(page.locator("#stage .came-along")).to_have_count(1)
    # one on by the slider's keys, which is a step as well
    page.locator("#play-at").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#play-label")).not_to_have_text(label)
    settled(page)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Leave a cairn").click()
    expect(page.locator("#cairn-title")).to_be_visible()
    assert serious(page) == []

    # a walk by itself plays what plays once its words are read, until somebody stops it
    page.get_by_role("button", name="Begin a tale with it").click()
    page.get_by_role("link", name="Walk it").click()
    page.wait_for_url("**/walk/1/")
    at = page.locator("#play-at").input_value()
    page.locator("#by-itself").click()
    until(page, f"Number(document.querySelector('#play-at').value) !== {at}")
    expect(page.locator("#play")).to_have_text(re.compile("pause"))
    page.keyboard.press("p")
    expect(page.locator("#by-itself")).to_have_text(re.compile("by itself"))
    expect(page.locator("#play")).to_have_text(re.compile("play"))
    page.emulate_media(reduced_motion="reduce")
    page.locator("#play").click()
    expect(page.locator(".walk-panels figure")).to_have_count(12)
    assert serious(page) == []


def test_a_shape_chosen_from_all_that_fit_is_drawn_and_the_list_closes(page: Page) -> None:
    start_trail(page)
    say(page, "sum of boardings by line")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("drawn as bars")
    settled(page)
    page.locator("#guide-toggle").click()
    cards = page.locator(".guide-card")
    expect(cards.first).to_contain_text("lengths from 0")
    expect(cards.first.locator("svg")).to_be_visible()
    expect(cards.last).to_contain_text("would mislead")
    assert serious(page) == []
    page.locator(".guide-card", has_text="what makes it up").click()
    expect(page.locator("#sentence")).to_contain_text("makes up")
    expect(page.locator(".guide")).to_have_count(0)
