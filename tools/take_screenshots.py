"""Take the README's screenshots anew, from a running, fresh demo.

Usage: ``python tools/take_screenshots.py http://127.0.0.1:8000/enter/KEY/`` with the address that
``make demo FRESH=1`` prints. Each main view is taken once, 1280 × 800, into ``docs/screenshots``.
"""

from __future__ import annotations

import base64
import re
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).resolve().parents[1] / "docs" / "screenshots"
QUIET = "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking"


def main(address: str) -> None:
    base = address.split("/enter/")[0]
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=QUIET.split())
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(address)
        page.get_by_role("button", name="Come in").click()
        tables(page, base)
        desk(page, base)
        tale(page, base)
        looking(page, base)
        kin(page, base)
        attached(page, base)
        phones(page, base)
        newer_rows(page, base)
        browser.close()


def shot(page: Page, name: str) -> None:
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(1_500)
    # signposts come one by one
    page.locator(".signposts [hx-get]").first.wait_for(state="detached", timeout=60_000)
    page.screenshot(path=FOLDER / f"{name}.png")
    print(name)


def table(page: Page, base: str, name: str) -> str:
    """Open a table's survey and return its address."""
    page.goto(base + "/")
    page.get_by_role("link", name=name, exact=True).click()
    page.wait_for_url(re.compile(r"/tables/\d+/$"))
    return page.url


def tables(page: Page, base: str) -> None:
    table(page, base, "night_buses")
    page.locator(".begin .signpost").first.wait_for()
    shot(page, "survey")
    table(page, base, "light_traps")
    page.get_by_text("More", exact=True).click()
    page.get_by_role("button", name="Read the file again otherwise").click()
    page.get_by_label("in moths 9,999 counts as missing").check()
    page.wait_for_load_state("networkidle")
    page.get_by_role("button", name="night", exact=True).click()
    shot(page, "preview")
    page.get_by_role("button", name="Cancel").click()


def desk(page: Page, base: str) -> None:
    page.goto(base + "/trails/")
    page.get_by_role("link", name="Why are we late?", exact=True).click()
    page.locator(".waymarks a", has_text="Rain makes its own hump").click()
    page.wait_for_load_state("networkidle")
    shot(page, "desk-histogram")
    page.locator(".waymarks a", has_text="Tallow Lane").click()
    page.locator("#cairn").scroll_into_view_if_needed()
    shot(page, "cairn")


def looking(page: Page, base: str) -> None:
    for words, name in (
        ("where is the number of trips as hexagons", "place"),
        ("late_min vs boardings, for each line", "playing"),
        ("what drives late_min, leaving out rider_rating", "drivers"),
        ("why did the sum of boardings change from February 2023 to March 2023", "changed"),
        ("what stands out", "stands"),
        ("what makes up boardings by depot › district › line, drawn as rings", "made-up"),
        ("where does boardings flow from district to depot to line", "flow"),
        ("boardings ahead, month by month over the next 12 months", "ahead"),
    ):
        table(page, base, "night_buses")
        page.get_by_role("button", name="Start a trail", exact=True).click()
        page.wait_for_load_state("networkidle")
        page.locator("#word-box").fill(words)
        page.keyboard.press("Enter")
        page.wait_for_load_state("networkidle")
        page.locator("#stage svg.picture").wait_for()
        if name == "place":
            looped(page)
        if name == "playing":
            page.locator("#stage .mark").nth(2).click()
            page.locator(".chip.lantern").wait_for()
            page.locator("#play-through").click()
            page.locator("#playing").wait_for()
            for _ in range(5):
                page.get_by_role("button", name="One period on").click()
                page.wait_for_timeout(900)
        if name == "made-up":
            kept_beside(page)
            page.locator("#word-box").fill("as a treemap")
            page.keyboard.press("Enter")
            page.locator("#sentence", has_text="a treemap").wait_for()
        if name == "drivers":
            page.locator("#words", has_text="is explained on").wait_for(
                timeout=90_000
            )  # its models are made behind the page
        if name not in ("place", "playing", "stands"):
            page.locator(".signposts .side-head").wait_for(state="attached")
        page.evaluate("document.activeElement.blur()")
        page.mouse.move(640, 780)
        shot(page, name)


def kept_beside(page: Page) -> None:
    """Keep the picture in sight beside the ones that follow."""
    page.locator("#beside-add").click()
    page.locator("#popover .choice", has_text="this picture").click()
    page.locator(".beside-item svg.picture").wait_for()


def looped(page: Page) -> None:
    """Light what lies in a loop in the middle of the picture."""
    box = page.locator("#stage svg.picture").bounding_box()
    assert box is not None
    for i, (x, y) in enumerate(
        ((0.36, 0.62), (0.4, 0.78), (0.52, 0.8), (0.55, 0.62), (0.46, 0.52), (0.37, 0.6))
    ):
        page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"], steps=5)
        if not i:
            page.mouse.down()
    page.mouse.up()
    page.locator(".chip.lantern").wait_for()


def kin(page: Page, base: str) -> None:
    table(page, base, "crews")
    page.get_by_role("button", name="Start a trail", exact=True).click()
    page.wait_for_load_state("networkidle")
    page.locator("#word-box").fill(
        "who belongs to whom from unit and belongs_to with the sum of cost_month, below Tallow Lane"
    )
    page.keyboard.press("Enter")
    page.wait_for_load_state("networkidle")
    page.locator("#stage svg.picture").wait_for()
    page.locator(".signposts .side-head").wait_for(state="attached")
    page.evaluate("document.activeElement.blur()")
    page.mouse.move(640, 780)
    shot(page, "kin")


def attached(page: Page, base: str) -> None:
    """The taps of a folder, counted over all rows, with a line lit."""
    page.goto(base + "/")
    page.get_by_role("link", name="Attach rows that stay where they are").click()
    page.get_by_role("button", name="Attach attached/taps", exact=True).click()
    page.locator("#attached").wait_for(timeout=60_000)
    page.get_by_role("button", name="Start a trail", exact=True).click()
    page.wait_for_load_state("networkidle")
    page.locator("#word-box").fill("average walk_min by line")
    page.keyboard.press("Enter")
    page.locator(".count", has_text="all 1,618,500 rows").wait_for(timeout=60_000)
    page.locator("#stage .mark").first.click()
    page.locator(".chip.lantern").wait_for()
    page.evaluate("document.activeElement.blur()")
    page.mouse.move(640, 780)
    shot(page, "attached")


def tale(page: Page, base: str) -> None:
    page.goto(base + "/tales/1/")
    page.locator(".stop-item a").nth(1).click()
    page.wait_for_load_state("networkidle")
    page.locator(".beat").nth(2).click()
    shot(page, "writing")
    page.goto(base + "/tales/1/walk/2/?beat=3")
    shot(page, "walk")
    table(page, base, "night_buses")
    page.get_by_role("button", name="Draft an overview").click()
    page.get_by_role("link", name="Walk it").click()
    page.wait_for_url("**/walk/1/")
    page.wait_for_load_state("networkidle")
    page.locator("#tile-t6 .mark").nth(1).focus()
    page.keyboard.press("Enter")
    page.locator(".chip.lantern").wait_for()
    page.evaluate("scrollTo(0, 0)")
    page.mouse.move(640, 780)
    shot(page, "overview")


def phones(page: Page, base: str) -> None:
    """What a reader sees on a phone: the walk, the comments, an overview; side by side in one picture."""
    page.set_viewport_size({"width": 390, "height": 760})
    for stop, said in (
        (2, "How many of these trips are of one depot alone?"),
        (4, "The reroute began on the sixth, not on the first."),
    ):
        page.goto(f"{base}/tales/1/walk/{stop}/")
        page.wait_for_load_state("networkidle")
        page.get_by_text("Say something of this stop").click()
        page.get_by_label("What you say").fill(said)
        page.get_by_role("button", name="Say it").click()
        page.wait_for_load_state("networkidle")
    seen = []
    for path, low in (("/tales/1/walk/7/", 0), ("/tales/1/comments/", 0), ("/tales/1/walk/8/", 400)):
        page.goto(base + path)
        page.wait_for_load_state("networkidle")
        page.evaluate(f"scrollTo(0, {low})")
        page.wait_for_timeout(700)
        seen.append(base64.b64encode(page.screenshot()).decode())
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto("about:blank")
    page.set_content(
        "<body style='margin:0;display:flex;gap:28px;align-items:center;justify-content:center;height:100vh;"
        "background:#777'>" + "".join(f"<img src='data:image/png;base64,{one}'>" for one in seen)
    )
    shot(page, "phones")


def newer_rows(page: Page, base: str) -> None:
    """Last: the demo's tale goes over to newer rows with it."""
    table(page, base, "night_buses")
    page.get_by_text("More", exact=True).click()
    page.get_by_role("button", name="Let the feed deliver").click()
    page.get_by_role("button", name="Read into night_buses").click()
    page.get_by_role("link", name="walk “Why are we late?” again").click(timeout=60_000)
    page.get_by_role("button", name="Walk it again").click()
    page.get_by_role("heading", level=1).filter(has_text="gone").wait_for(timeout=60_000)
    shot(page, "walked-again")


if __name__ == "__main__":
    if len(sys.argv) != 2 or "/enter/" not in sys.argv[1]:
        sys.exit(__doc__)
    main(sys.argv[1])
