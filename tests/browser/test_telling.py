"""From cairns to a tale: written with the hand, walked, said something of, taken along, walked again."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.helpers import drag, mark, plot_point, say, settled, start_trail, until
from tests.browser.test_states import serious


def begin(page: Page) -> None:
    """From a picture to a tale of one stop, with its first click."""
    start_trail(page)
    say(page, "late_min by depot as box plots")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("across depot, drawn as box plots")
    settled(page)
    mark(page, "Tallow Lane").first.click()
    expect(page.locator(".chip.lantern")).to_contain_text("depot is Tallow Lane")
    page.get_by_role("button", name="Leave a cairn").click()
    expect(page.locator("#cairn-title")).to_be_visible()


def test_a_claim_is_taken_from_what_is_proposed_and_another_is_typed(page: Page) -> None:
    begin(page)
    offered = page.locator("#cairn .claim-offer").first
    expect(offered).to_contain_text("Holds")
    words = offered.locator("span").first.inner_text()
    offered.click()
    expect(page.locator("#cairn .claim.holds .claim-says")).to_contain_text(words)
    page.get_by_text("Change or let go").click()
    page.locator("#claim-typed").fill(
        "the median of late_min is lower where depot is Tallow Lane than elsewhere"
    )
    page.get_by_role("button", name="Check it").click()
    expect(page.locator("#cairn .claim.fails")).to_contain_text("Does not hold")
    page.locator("#cairn .claim-instead button").click()
    expect(page.locator("#cairn .claim.holds")).to_contain_text("higher where depot is Tallow Lane")
    page.reload()
    expect(page.locator("#cairn .claim.holds")).to_contain_text("redraws")


def test_figures_are_bound_beats_are_set_on_the_picture_and_it_is_walked(page: Page) -> None:
    begin(page)
    page.get_by_role("button", name="Begin a tale with it").click()
    expect(page.locator("#stop-prose")).to_have_attribute("contenteditable", "true")
    page.locator("#stop-prose").click()
    page.keyboard.press("ControlOrMeta+a")
    page.keyboard.press("Delete")
    page.keyboard.type("It is /")
    expect(page.locator("#figure-menu")).to_be_visible()
    page.keyboard.type("northgate")
    expect(page.locator("#figure-menu [role=option]").first).to_contain_text("Northgate")
    page.keyboard.press("Enter")
    bound = page.locator("#stop-prose .bound")
    expect(bound).to_have_count(1)
    page.keyboard.type("late, and 2.2 min elsewhere.")
    expect(page.locator(".bind-offer")).to_contain_text("typed by hand")
    page.get_by_role("button", name="bind it").click()
    expect(bound).to_have_count(2)
    expect(page.locator("#stop-text")).to_have_value(
        re.compile(r"^It is \[.+\]\(figure:\w{8}\).+\(figure:\w{8}\) elsewhere\.$")
    )

    # the picture as it is, then a beat in which another depot is lit by a click, and all are kept
    page.get_by_role("button", name="+ beat").click()
    expect(page.locator(".beat")).to_have_count(3)
    settled(page)
    mark(page, "Northgate").first.click()
    expect(page.locator(".vary .chip.lantern")).to_contain_text("depot is Northgate")
    page.locator("#beat-words").fill("Then Northgate.")
    page.locator("#beat-words").blur()
    expect(page.locator(".beat.here")).to_contain_text("Then Northgate.")
    page.get_by_role("button", name=re.compile("^↶ Undo")).click()
    expect(page.locator(".beat").nth(1)).not_to_contain_text("Then Northgate.")
    page.get_by_role("button", name=re.compile("^↷ Do again")).click()
    expect(page.locator(".beat").nth(1)).to_contain_text("Then Northgate.")
    # the page that comes back with what was done again may take a click from under the pointer
    settled(page)

    page.get_by_role("link", name="Walk it").click()
    page.wait_for_url("**/walk/1/")
    expect(page.locator(".walk .bound").first).to_be_visible()
    expect(page.locator(".chip.lantern")).to_have_count(0)
    page.keyboard.press("ArrowRight")
    expect(page.locator(".beat-says")).to_contain_text("Then Northgate.")
    expect(page.locator(".chip.lantern")).to_contain_text("depot is Northgate")
    page.get_by_role("link", name="as a table").click()
    expect(page.locator(".walk-table")).to_contain_text("Northgate")
    expect(page.locator(".beat-says")).to_contain_text("Then Northgate.")

    # a picture asked for in another size comes after the walk went on: it may not bring the old part back
    held: list[Route] = []
    page.route(re.compile(r"size="), lambda route: route.continue_() if held else held.append(route))
    page.set_viewport_size({"width": 1100, "height": 700})
    for _ in range(100):
        if held:
            break
        page.wait_for_timeout(50)
    page.keyboard.press("ArrowLeft")
    expect(page.locator(".beat-says")).not_to_contain_text("Then Northgate.")
    with page.expect_response(re.compile(r"size=")):
        held[0].continue_()
    page.wait_for_timeout(300)
    expect(page.locator(".beat-says")).not_to_contain_text("Then Northgate.")
    expect(page.locator(".walk-table")).to_have_count(0)


def test_a_note_is_placed_while_marks_still_light(page: Page) -> None:
    begin(page)
    page.get_by_role("button", name="Begin a tale with it").click()
    settled(page)
    page.get_by_role("button", name="Arrow", exact=True).click()
    drag(page, plot_point(page, 0.8, 0.2), plot_point(page, 0.5, 0.4))
    expect(page.locator("#stage .annotation.arrow")).to_have_count(1)
    expect(page.locator(".vary .chip.lantern")).to_contain_text("depot is Tallow Lane")
    settled(page)
    page.mouse.click(*plot_point(page, 0.97, 0.97))
    expect(page.locator(".vary .chip.lantern")).to_have_count(0)
    expect(page.locator("#stage .annotation.arrow")).to_have_count(1)


def test_a_guest_comments_at_a_place_and_the_writer_settles_it(page: Page, base: str, stranger: Page) -> None:
    page.goto(base + "/tales/1/")
    page.get_by_role("button", name="Make a read link").click()
    link = page.locator("#new-link").input_value()
    stranger.goto(link)
    stranger.keyboard.press("ArrowRight")
    expect(stranger.get_by_role("heading", level=1)).to_have_text("Rain makes its own hump")
    settled(stranger)
    stranger.get_by_text("Say something of this stop").click()
    stranger.get_by_label("Your name").fill("Ada")
    stranger.get_by_label("What you say").fill("Why here?")
    stranger.get_by_role("button", name="at a place of the picture…").click()
    stranger.mouse.click(*plot_point(stranger, 0.6, 0.7))
    stranger.get_by_role("button", name="Say it").click()
    expect(stranger.locator(".place")).to_have_text("1")
    until(stranger, "parseFloat(document.querySelector('.place').style.left) > 40")
    page.goto(base + "/tales/1/comments/")
    page.get_by_label("Answer Ada").fill("Ask Tallow Lane.")
    page.get_by_role("button", name="Answer").click()
    page.goto(base + "/tales/1/comments/")
    page.get_by_role("button", name="settle").click()
    stranger.reload()
    expect(stranger.locator("#comments")).to_contain_text("Ask Tallow Lane.")
    expect(stranger.locator("#comments")).to_contain_text("settled")


@pytest.mark.parametrize("theme", ["night", "day"])
def test_the_page_walks_from_a_disk_without_a_network(
    page: Page, browser: Browser, base: str, tmp_path: Path, theme: str
) -> None:
    kept = tmp_path / "tale.html"
    kept.write_bytes(page.request.get(f"{base}/tales/1/take/html/").body())
    context = browser.new_context(
        offline=True, viewport={"width": 1280 if theme == "night" else 390, "height": 800}
    )
    alone = context.new_page()
    complaints: list[str] = []
    alone.on("pageerror", lambda error: complaints.append(str(error)))
    alone.on("console", lambda m: complaints.append(m.text) if m.type == "error" else None)
    alone.on("request", lambda r: None if r.url.startswith(("file:", "data:")) else complaints.append(r.url))
    alone.goto(kept.as_uri())
    expect(alone.locator(".stop.here h1")).to_have_text("A town that sleeps late")
    alone.keyboard.press("ArrowRight")
    expect(alone.locator(".part.here .beat-says")).to_have_text("All trips of four years.")
    if theme == "day":
        alone.get_by_role("button", name="Turn to day").click()
        assert alone.evaluate("document.documentElement.scrollWidth") <= 390
    alone.locator(".part.here svg .mark").nth(3).click()
    expect(alone.locator(".part.here svg.lighting .lit-here")).to_have_count(1)
    alone.keyboard.press("l")
    expect(alone.locator("svg.lighting")).to_have_count(0)
    alone.keyboard.press("ArrowRight")
    expect(alone.locator(".part.here .beat-says")).to_have_text("The wet nights, lit.")
    alone.locator(".part.here summary").click()
    expect(alone.locator(".part.here table")).to_be_visible()
    alone.locator("#path a").nth(6).click()
    here = alone.locator(".part.here")
    whole = here.locator("svg.picture").inner_html()
    here.get_by_label("Only where").select_option("Quayside")
    expect(here.locator("figcaption")).to_contain_text("district is Quayside")
    assert here.locator("svg.picture").inner_html() != whole
    here.get_by_label("Only where").press("Home")
    expect(here.locator("figcaption")).not_to_contain_text("Quayside")
    assert here.locator("svg.picture").inner_html() == whole
    assert complaints == []
    context.close()


def test_an_overview_is_drafted_arranged_and_narrowed_on_a_phone(
    page: Page, browser: Browser, base: str
) -> None:
    page.goto(base + "/")
    page.get_by_role("link", name="night_buses", exact=True).click()
    page.get_by_role("button", name="Draft an overview").click()
    expect(page.locator(".tile")).not_to_have_count(0)
    settled(page)
    last = page.locator(".tile").last
    name, before = last.get_attribute("data-tile"), last.get_attribute("data-x")
    moved = page.locator(f'[data-tile="{name}"]')
    moved.get_by_role("button", name=re.compile("left$")).focus()
    page.keyboard.press("Enter")
    expect(moved).to_have_attribute("data-x", str(int(before) - 1))
    moved.scroll_into_view_if_needed()
    moved.hover()
    settled(page)
    grip = moved.locator(".grip").bounding_box()
    drag(page, (grip["x"] + 4, grip["y"] + 6), (grip["x"] - 180, grip["y"] + 6))
    expect(moved).not_to_have_attribute("data-x", str(int(before) - 1))
    settled(page)
    page.locator('[data-tile="t5"] .mark, [data-tile="t6"] .mark').first.click()
    expect(page.locator(".middle .chip.lantern")).to_be_visible()
    assert serious(page) == []
    page.get_by_role("button", name="Make a read link").click()
    link = page.locator("#new-link").input_value()
    context = browser.new_context(viewport={"width": 390, "height": 780}, has_touch=True)
    reader = context.new_page()
    reader.goto(link)
    expect(reader.locator(".chip.lantern")).to_be_visible()
    reader.get_by_label("period").select_option("2022")
    expect(reader.locator("#walk")).to_have_attribute("data-chosen", "narrow-0=2022")
    expect(reader.locator(".tile.large h3").first).to_contain_text("2022")
    assert reader.evaluate("document.documentElement.scrollWidth") <= 390
    assert serious(reader) == []
    reader.get_by_role("button", name="As it was written").click()
    expect(reader.locator("#walk")).to_have_attribute("data-chosen", "")
    context.close()


def test_a_click_beside_the_picture_takes_no_annotation_back(page: Page) -> None:
    begin(page)
    page.get_by_role("button", name="Begin a tale with it").click()
    page.get_by_role("button", name="+ beat").click()
    expect(page.get_by_role("button", name=re.compile("^↶ Undo"))).to_be_visible()
    settled(page)
    page.get_by_role("button", name="Ring", exact=True).click()
    drag(page, plot_point(page, 0.3, 0.2), plot_point(page, 0.6, 0.5))
    expect(page.locator("#stage .annotation.ring")).to_have_count(1)
    settled(page)
    page.locator(".under-stage").click()
    page.locator(".text-side h2").first.click()
    settled(page)
    expect(page.locator("#stage .annotation.ring")).to_have_count(1)
    expect(page.locator("button[data-undo]")).to_be_enabled()


def test_a_tale_is_presented_in_two_windows_that_go_together(page: Page, base: str) -> None:
    page.goto(base + "/tales/")
    page.get_by_role("link", name="Why are we late?", exact=True).click()
    page.get_by_role("link", name="Present it").click()
    heading = page.locator(".present-heading")
    first = heading.inner_text()
    with page.expect_popup() as opened:
        page.locator("#open-walk").click()
    walk = opened.value
    expect(walk.locator("#walk-heading")).to_have_text(first)
    coming = page.locator(".present-next").inner_text()
    page.keyboard.press("ArrowRight")
    expect(heading).to_have_text(coming)
    expect(walk.locator("#walk-heading")).to_have_text(coming)
    # the walk is driven by its own keys too, beat by beat, and by its wheel
    walk.keyboard.press("ArrowRight")
    expect(page.locator(".present-here")).to_contain_text("part 2 of")
    box = page.locator("#present-now").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(walk.locator("#pointer-light")).to_be_visible()
    page.mouse.move(5, 5)
    expect(walk.locator("#pointer-light")).to_have_count(0)
    settled(walk)
    before = walk.url
    # what is left of the page is scrolled first
    for _ in range(60):
        walk.mouse.wheel(0, 240)
        walk.wait_for_timeout(150)
        if walk.url != before:
            break
    expect(page.locator(".present-here")).not_to_contain_text("part 2 of")
    expect(page.locator("#clock-since")).to_have_text(re.compile(r"\d:\d\d"))


def test_an_image_of_ones_own_is_set_and_walked(page: Page, base: str, tmp_path: Path) -> None:
    from PIL import Image

    Image.new("RGB", (300, 200), (40, 60, 90)).save(tmp_path / "lantern.png")
    page.goto(base + "/tales/")
    page.get_by_label("Title of a new tale").fill("With an image")
    page.get_by_role("button", name="Begin it").click()
    page.get_by_text("+ a stop").click()
    page.get_by_role("button", name="A stop without a picture", exact=True).click()
    page.get_by_text("An image of your own…").click()
    page.get_by_label("PNG or JPEG").set_input_files(tmp_path / "lantern.png")
    page.get_by_label("What is to be seen on it").fill("A field at dusk")
    page.get_by_role("button", name="Set it here").click()
    expect(page.get_by_role("img", name="A field at dusk")).to_be_visible()
    page.get_by_role("link", name="Walk it").click()
    image = page.get_by_role("img", name="A field at dusk")
    assert image.evaluate("(one) => one.complete && one.naturalWidth") == 300
