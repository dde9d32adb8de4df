"""Reload, tabs, back, motion, small windows, paper, and what assistive technology meets."""

from __future__ import annotations

import re

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import come_in, signed_in
from tests.browser.helpers import axis_point, choose, drag, mark, settled, start_trail, still, until


def test_reload_back_and_on_show_the_step_of_the_address(page: Page) -> None:
    start_trail(page)
    settled(page)
    choose(page, "bins", "bins of 1")
    expect(page.locator("#sentence")).to_contain_text("bins of 1 min")
    settled(page)
    second = page.url
    choose(page, "across", "across depot")
    expect(page.locator("#sentence")).to_contain_text("across depot")
    assert page.url != second
    page.go_back()
    expect(page.locator("#sentence")).to_contain_text("over all trips")
    assert page.url == second
    page.reload()
    expect(page.locator("#sentence")).to_contain_text(
        "over all trips, drawn as a histogram with bins of 1 min"
    )
    page.go_forward()
    expect(page.locator("#sentence")).to_contain_text("across depot")
    page.locator(".waymarks a", has_text="bins of 1").click()
    expect(page.locator("#sentence")).to_contain_text("over all trips")
    settled(page)
    page.keyboard.press("]")
    expect(page.locator("#sentence")).to_contain_text("across depot")


def test_two_tabs_turning_from_one_step_make_two_forks(page: Page) -> None:
    start_trail(page)
    settled(page)
    other = page.context.new_page()
    other.goto(page.url)
    choose(page, "across", "across depot")
    choose(other, "across", "across district")
    expect(other.locator("#sentence")).to_contain_text("across district")
    page.reload()
    expect(page.locator("#sentence")).to_contain_text("across depot")
    expect(page.locator(".waymarks")).to_contain_text("across depot")
    expect(page.locator(".waymarks")).to_contain_text("across district")
    expect(page.locator(".waymarks li")).to_have_count(4)


def test_marks_move_and_keep_their_identity(page: Page) -> None:
    start_trail(page)
    settled(page)
    choose(page, "bins", "bins of 1")
    settled(page)
    bar = mark(page, "1 to 2").locator(".bar")
    bar.evaluate("bar => { bar.known = 'the same element' }")
    assert "height" in bar.evaluate("bar => getComputedStyle(bar).transitionProperty")
    choose(page, "height", "by density")
    expect(page.locator("#sentence")).to_contain_text("by density")
    assert bar.evaluate("bar => bar.known") == "the same element"
    # half-way a changed bar stands between its old and its new height
    settled(page)
    still(page)
    heights = page.evaluate(
        """async () => {
            const bar = document.querySelector('#stage .bar[width]');
            const start = bar.getBBox().height;
            bar.setAttribute('height', start / 2);
            await new Promise(done => setTimeout(done, 150));
            const between = parseFloat(getComputedStyle(bar).height);
            return [start, between];
        }"""
    )
    assert heights[0] / 2 < heights[1] < heights[0]


def test_nothing_moves_where_less_motion_is_wanted(
    browser: Browser, address: str, complaints: list[str]
) -> None:
    context = browser.new_context(reduced_motion="reduce")
    page = signed_in(context, address, complaints)
    start_trail(page)
    settled(page)
    duration = page.locator("#stage .bar").first.evaluate("bar => getComputedStyle(bar).transitionDuration")
    assert duration == "0s"
    context.close()


def test_a_double_click_keeps_only_the_rows_of_a_mark_and_ground_puts_out(page: Page) -> None:
    start_trail(page)
    settled(page)
    choose(page, "bins", "bins of 1")
    settled(page)
    mark(page, "2 to 3").dblclick()
    expect(page.locator("#chips")).to_contain_text("only late_min from 2 to under 3")
    expect(page.locator(".chip.lantern")).to_have_count(0)
    page.get_by_role("button", name=re.compile("^Lift")).click()
    expect(page.locator("#chips")).not_to_contain_text("only late_min")
    settled(page)
    drag(page, axis_point(page, 0.3), axis_point(page, 0.5))
    expect(page.locator(".chip.lantern")).to_have_count(1)
    box = page.locator("#stage .ground").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.9, box["y"] + 20)
    expect(page.locator(".chip.lantern")).to_have_count(0)


def test_the_small_picture_and_the_card_appear_on_hover(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.locator(".waymarks .here a").hover()
    expect(page.locator(".way-card img")).to_be_visible()
    until(page, "document.querySelector('.way-card img').naturalWidth > 0")
    page.locator("#stage .mark").nth(10).hover()
    expect(page.locator(".hover-card")).to_contain_text("trips")
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_be_visible()


def test_the_picture_is_drawn_anew_for_the_room_it_has(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.set_viewport_size({"width": 1800, "height": 1000})
    until(page, "document.querySelector('#stage svg').viewBox.baseVal.width > 1100")
    page.set_viewport_size({"width": 390, "height": 800})
    until(page, "document.querySelector('#stage svg').viewBox.baseVal.width < 390")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


def test_a_reader_on_a_phone_walks_by_keys_lights_and_goes_back_to_what_was_written(
    page: Page, browser: Browser, base: str
) -> None:
    page.goto(base + "/tales/")
    page.get_by_role("link", name="Why are we late?").first.click()
    page.get_by_role("button", name="Make a read link").click()
    link = page.locator("#new-link").input_value()
    context = browser.new_context(viewport={"width": 390, "height": 780}, has_touch=True)
    reader = context.new_page()
    reader.goto(link)
    reader.get_by_role("link", name="On →").tap()
    expect(reader.get_by_role("heading", level=1)).to_have_text("Rain makes its own hump")
    settled(reader)
    assert reader.evaluate("document.documentElement.scrollWidth") <= 390
    reader.locator("#stage .mark").nth(6).click()
    expect(reader.locator(".chip.lantern")).to_contain_text("late_min from")
    reader.get_by_role("button", name="As it was written").click()
    expect(reader.locator(".chip.lantern")).to_have_count(0)
    reader.get_by_role("link", name="On →").tap()
    expect(reader.locator(".beat-says")).to_contain_text("The wet nights, lit.")
    expect(reader.locator(".chip.lantern")).to_contain_text("rain_mm above 2")
    reader.go_back()
    expect(reader.locator(".beat-says")).to_contain_text("All trips of four years.")
    reader.locator(".walk-stop").nth(2).click()
    expect(reader.get_by_role("heading", level=1)).to_contain_text("Tallow Lane")
    reader.go_back()
    expect(reader.get_by_role("heading", level=1)).to_have_text("Rain makes its own hump")
    context.close()


def test_a_walk_goes_by_itself_and_stops_when_asked(page: Page, base: str) -> None:
    page.goto(base + "/tales/")
    page.get_by_role("link", name="Walk it").last.click()
    page.locator("#walk").evaluate("walk => { walk.dataset.pace = '3' }")
    page.keyboard.press("p")
    expect(page.get_by_role("heading", level=1)).to_have_text("Rain makes its own hump")
    expect(page.locator("#by-itself")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("p")
    expect(page.locator("#by-itself")).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("heading", level=1)).to_have_text("A town that sleeps late")


def test_on_paper_the_picture_stays_and_the_controls_go(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.emulate_media(media="print")
    expect(page.locator("#stage svg.picture")).to_be_visible()
    for gone in (".topbar", ".way-here", ".actions"):
        expect(page.locator(gone)).to_be_hidden()
    assert page.evaluate("getComputedStyle(document.documentElement).backgroundColor") == "rgb(255, 255, 255)"


def test_axe_finds_nothing_serious(page: Page, base: str) -> None:
    start_trail(page)
    page.locator("#word-box").fill("late_min by depot as box plots")
    page.keyboard.press("Enter")
    expect(page.locator("#sentence")).to_contain_text("box plots")
    page.locator("#beside-add").click()
    page.locator("#popover .choice").first.click()
    expect(page.locator(".beside-item")).to_have_count(1)
    settled(page)
    desk = page.url
    found = {"desk": serious(page)}
    page.keyboard.press("r")
    expect(page.locator(".drawer table")).to_be_visible()
    found["rows"] = serious(page)
    page.keyboard.press("Escape")
    page.locator("[data-slot=shape]").click()
    expect(page.locator("#popover")).to_be_visible()
    found["slot"] = serious(page)
    page.goto(desk)
    settled(page)
    page.get_by_role("button", name="+ only rows where…").click()
    expect(page.locator("#popover")).to_be_visible()
    found["condition"] = serious(page)
    for name, path in (("tables", "/"), ("survey", "/tables/2/"), ("remedies", "/tables/1/"),
                       ("column", "/tables/1/column/1/"), ("calculated", "/tables/1/calculate/?column=district"),
                       ("join", "/tables/1/join/?with=2"), ("stack", "/tables/1/stack/?with=2"), ("trails", "/trails/"), ("tales", "/tales/"),
                       ("writing", "/tales/1/"), ("walk", "/tales/1/walk/2/"), ("present", "/tales/1/present/2/"), ("comments", "/tales/1/comments/"),
                       ("kept", "/trails/1/cairns/"), ("password", "/password/")):  # fmt: skip
        page.goto(base + path)
        settled(page)
        found[name] = serious(page)
    page.goto(base + "/trails/1/steps/7/")
    settled(page)
    found["cairn"] = serious(page)
    assert {name: problems for name, problems in found.items() if problems} == {}


def serious(page: Page) -> list[str]:
    """Return what axe finds by night, and by day of what alone differs then: colours."""
    found = _serious(page, {})
    dress = "document.documentElement.dataset.theme"
    before = page.evaluate(f"const before = {dress}; {dress} = before === 'day' ? 'night' : 'day'; before")
    found += _serious(page, {"runOnly": ["color-contrast"]})
    page.evaluate(f"{dress} = {before!r}")
    return found


# of marks, lines and pictures that are alike a few are looked at: there may be a thousand
ALIKE = """[["svg.picture g, svg.picture", ".mark", 3], [".survey-lines, tbody", ".survey-line, tr", 4],
    [".signposts, .signpost-list", ".signpost", 2]].flatMap(([parents, alike, most]) =>
        [...document.querySelectorAll(parents)].flatMap((parent) =>
            [...parent.querySelectorAll(`:scope > :is(${alike})`)].slice(most)))"""


def _serious(page: Page, options: dict[str, object]) -> list[str]:
    # a colour that is still fading in is not the colour that will be read
    still(page)
    page.evaluate(f"{ALIKE}.forEach((one) => {{ one.style.display = 'none' }})")
    options = {"resultTypes": ["violations"], **options}
    if page.evaluate("Boolean(window.axe)"):
        violations = page.evaluate("async (asked) => (await axe.run(document, asked)).violations", options)
    else:
        violations = Axe().run(page, options=options).response["violations"]
    page.evaluate(f"{ALIKE}.forEach((one) => {{ one.style.display = '' }})")
    return [
        f"{v['id']}: {v['nodes'][0]['html'][:160]}"
        for v in violations
        if v["impact"] in ("serious", "critical")
    ]


def test_the_first_load_of_the_desk_is_light(page: Page, browser: Browser, address: str) -> None:
    start_trail(page)
    settled(page)
    context = browser.new_context()
    fresh = context.new_page()
    come_in(fresh, address)
    sizes: list[int] = []
    network = context.new_cdp_session(fresh)
    network.send("Network.enable")
    network.send("Network.clearBrowserCache")
    network.on("Network.loadingFinished", lambda e: sizes.append(int(e["encodedDataLength"])))
    fresh.goto(page.url, wait_until="networkidle")
    assert 100_000 < sum(sizes) < 600_000
    context.close()


def test_a_guest_is_invited_comes_in_and_looks_at_a_shared_trail(
    page: Page, browser: Browser, base: str
) -> None:
    page.goto(base + "/account/")
    page.get_by_role("button", name="Invite somebody").click()
    address = page.get_by_label("The invitation").input_value()
    context = browser.new_context()
    guest = context.new_page()
    guest.goto(address)
    name = f"guest{address[-7:-1]}"
    guest.get_by_label("Name").fill(name)
    guest.get_by_label("Password").fill("a long enough secret")
    guest.get_by_role("button", name="Come in").click()
    guest.wait_for_url(base + "/")
    start_trail(page)
    settled(page)
    trail = page.url.split("/steps/")[0].rsplit("/", 1)[1]
    page.goto(f"{base}/share/trail/{trail}/")
    page.get_by_label("Name").fill(name)
    page.get_by_label("They").select_option("read")
    page.get_by_role("button", name="Share it").click()
    expect(page.get_by_text(f"{name} may read")).to_be_visible()
    guest.goto(f"{base}/trails/{trail}/")
    expect(guest.get_by_text("you may look at it")).to_be_visible()
    expect(guest.locator("#stage svg.picture")).to_be_visible()
    expect(guest.locator("#leave-cairn, #annotate-toggle, #word-box")).to_have_count(0)
    expect(guest.locator("#only-add")).to_be_hidden()
    settled(guest)
    guest.locator("#stage .mark").nth(4).click()
    expect(guest.locator("#notice")).to_contain_text("You may read this trail, not go on with it.")
    page.get_by_role("button", name=f"Remove {name}").click()
    guest.goto(f"{base}/trails/{trail}/")
    expect(guest.locator("h1")).to_contain_text("There is nothing here")
    context.close()


def test_a_reader_of_a_link_turns_the_theme(page: Page, base: str, stranger: Page) -> None:
    page.goto(base + "/tales/1/")
    page.get_by_role("button", name="Make a read link").click()
    stranger.goto(page.get_by_label("The new read link").input_value())
    stranger.get_by_role("button", name="Turn to day").click()
    expect(stranger.locator("html")).to_have_attribute("data-theme", "day")
    expect(stranger.locator("#walk-heading")).to_be_visible()


def test_two_tabs_write_one_note_and_the_second_sees_both_texts(page: Page) -> None:
    start_trail(page)
    settled(page)
    page.get_by_role("button", name="Leave a cairn").click()
    expect(page.locator("#cairn-note")).to_be_visible()
    other = page.context.new_page()
    other.goto(page.url)
    note = page.locator("#cairn-note")
    for word in ("It", " rained", " a lot."):
        # each is kept by itself, and is no collision with the one before
        with page.expect_response(lambda response: response.url.endswith("/cairn/edit/")):
            note.press("End")
            note.press_sequentially(word)
    expect(page.locator("#notice .moved")).to_have_count(0)
    other.locator("#cairn-note").fill("It snowed.")
    expect(other.locator("#notice .moved")).to_contain_text("a lot.")
    other.get_by_role("button", name="Keep mine").click()
    expect(other.locator("#cairn-note")).to_have_value("It snowed.")
    other.close()


def test_the_keys_a_page_shows_work_on_it(page: Page, base: str) -> None:
    for path, box in (
        ("/tables/2/", True),
        ("/tables/2/column/1/", True),
        ("/trails/", False),
        ("/tales/1/", False),
    ):
        page.goto(base + path)
        settled(page)
        page.keyboard.press("?")
        expect(page.locator("#keys")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.locator("#keys")).to_be_hidden()
        expect(page.locator("h1")).to_have_count(1)
        if box:
            page.keyboard.press("/")
            expect(page.locator("#word-box")).to_be_focused()
            assert page.locator("#word-box").input_value() == ""


def test_without_scripts_a_slot_a_lantern_a_filter_and_a_cairn_still_work(
    browser: Browser, page: Page, base: str
) -> None:
    start_trail(page)
    settled(page)
    context = browser.new_context(java_script_enabled=False)
    context.add_cookies(page.context.cookies())
    plain = context.new_page()
    plain.goto(page.url)
    plain.locator("#sentence [data-slot=shape]").click()
    expect(plain.get_by_role("link", name="Back to the picture")).to_be_visible()
    plain.get_by_role("button", name="a density curve").click()
    expect(plain.locator("#sentence")).to_contain_text("a density curve")
    plain.get_by_role("button", name="+ light…").click()
    plain.get_by_role("button", name="rain_mm number").click()
    plain.get_by_label("from", exact=True).fill("2")
    plain.get_by_role("button", name="Light them").click()
    expect(plain.locator(".chip.lantern")).to_contain_text("lit: rain_mm at least 2")
    plain.get_by_role("button", name="keep only these").click()
    expect(plain.locator("#chips")).to_contain_text("only rain_mm at least 2")
    plain.get_by_role("button", name="Leave a cairn").click()
    plain.get_by_label("Note", exact=True).fill("wet nights only")
    plain.get_by_role("button", name="Keep", exact=True).click()
    expect(plain.get_by_label("Note", exact=True)).to_have_value("wet nights only")
    context.close()
