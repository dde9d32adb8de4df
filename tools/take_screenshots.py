"""Take the README's screenshots anew, from a running, fresh demo.

Usage: ``python tools/take_screenshots.py http://127.0.0.1:8000/enter/KEY/`` with the address that
``make demo FRESH=1`` prints. Each main view is taken once, 1280 × 800, into ``docs/screenshots``.
"""

from __future__ import annotations

import re
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).resolve().parents[1] / "docs" / "screenshots"
QUIET = "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking"


def main(address: str) -> None:
    base = address.split("/enter/")[0]
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=QUIET.split())
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(address)
        tables(page, base)
        desk(page, base)
        tale(page, base)
        looking(page, base)
        browser.close()


def shot(page: Page, name: str) -> None:
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(700)
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
    shot(page, "survey")
    traps = table(page, base, "light_traps")
    page.get_by_text("More", exact=True).click()
    page.get_by_role("button", name="Read the file again otherwise").click()
    page.get_by_label("in moths 9,999 counts as missing").check()
    page.wait_for_load_state("networkidle")
    page.get_by_role("button", name="night", exact=True).click()
    shot(page, "preview")
    page.get_by_role("button", name="Cancel").click()
    page.goto(traps + "column/1/")
    shot(page, "column")
    page.goto(traps + "calculate/")
    page.get_by_label("Name").fill("moths per lux")
    page.locator("#sql").fill("moths / NULLIF(lux, 0) + trap")
    page.locator(".marked-expression").wait_for()
    page.locator("#sql").press("Escape")
    shot(page, "calculated")
    page.goto(traps + "join/")
    shot(page, "join")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "trap_network.csv"
        path.write_text(wide_table())
        page.goto(base + "/")
        page.locator("#file").set_input_files(path)
        page.get_by_role("button", name="Bring them").click()
        page.get_by_role("button", name="Read the table").click()
        page.wait_for_url(re.compile(r"/tables/\d+/$"))
    address = page.url
    page.get_by_label("Find a column").fill("trap_0")
    page.wait_for_url(re.compile("sought=trap_0"))
    shot(page, "survey-wide")
    page.goto(address + "delete/")
    page.get_by_role("button", name=re.compile("^Delete")).click()


def wide_table() -> str:
    """120 traps side by side, some of which failed in the same weeks."""
    import numpy as np

    rng = np.random.default_rng(4)
    nights = np.datetime64("2024-03-01") + np.arange(240)
    lines = ["night," + ",".join(f"trap_{i:03d}" for i in range(1, 121))]
    failed = rng.random((240, 4)) < 0.08
    for at, night in enumerate(nights):
        season = np.exp(-(((at - 130) / 60) ** 2))
        cells = [
            "" if failed[at, i % 4] and i < 8 else str(rng.poisson(3 + 30 * season * (1 + i % 5)))
            for i in range(120)
        ]
        lines.append(f"{night},{','.join(cells)}")
    return "\n".join(lines) + "\n"


def desk(page: Page, base: str) -> None:
    page.goto(base + "/trails/")
    page.get_by_role("link", name="Why are we late?", exact=True).click()
    page.locator(".waymarks a", has_text="Rain makes its own hump").click()
    page.wait_for_load_state("networkidle")
    shot(page, "desk-histogram")
    page.locator("[data-slot=across]").first.click()
    page.locator("#popover").wait_for()
    shot(page, "slot")
    page.keyboard.press("Escape")
    page.locator(".waymarks a", has_text="Tallow Lane").click()
    shot(page, "desk-boxes")
    page.locator("#cairn").scroll_into_view_if_needed()
    shot(page, "cairn")
    page.context.add_cookies([{"name": "theme", "value": "day", "url": base}])
    page.locator(".waymarks a", has_text="Rain makes its own hump").click()
    page.wait_for_load_state("networkidle")
    page.reload()
    shot(page, "desk-day")
    page.context.clear_cookies(name="theme")


def looking(page: Page, base: str) -> None:
    for words, name in (
        ("average late_min by line only where rain_mm above 2", "compare"),
        ("late_min vs rain_mm with a curve", "relate"),
        ("late_min vs boardings for each line coloured by depot", "each-line"),
        ("average late_min and the sum of boardings and the number of trips by line as a table", "table"),
        ("how do the numbers move together", "together"),
    ):
        table(page, base, "night_buses")
        page.get_by_role("button", name="Start a trail", exact=True).click()
        page.wait_for_load_state("networkidle")
        page.locator("#word-box").fill(words)
        page.keyboard.press("Enter")
        page.wait_for_load_state("networkidle")
        if name == "compare":
            page.locator("#stage .mark").first.click()
        page.evaluate("document.activeElement.blur()")
        page.mouse.move(640, 780)
        shot(page, name)


def tale(page: Page, base: str) -> None:
    page.goto(base + "/tales/1/")
    page.locator(".stop-item a").nth(1).click()
    shot(page, "writing")
    page.goto(base + "/tales/1/walk/2/")
    shot(page, "walk")


if __name__ == "__main__":
    if len(sys.argv) != 2 or "/enter/" not in sys.argv[1]:
        sys.exit(__doc__)
    main(sys.argv[1])
