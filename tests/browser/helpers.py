"""Steps that several paths share."""

from __future__ import annotations

import json
import re

from playwright.sync_api import Page, expect


def start_trail(page: Page, column: str = "late_min") -> None:
    """From anywhere to the desk with a column's spread, as its button on the survey leads there."""
    home = re.match(r"https?://[^/]+", page.url)[0]
    if page.url != home + "/":
        page.goto(home + "/")
    table = page.get_by_role("link", name="night_buses", exact=True).get_attribute("href")
    begun = page.request.post(
        f"{home}{table}trail/",
        form={
            "column": column,
            "csrfmiddlewaretoken": page.locator("[name=csrfmiddlewaretoken]").first.input_value(),
        },
        headers={"Referer": page.url},
        max_redirects=0,
    )
    page.goto(home + begun.headers["location"])
    expect(page.locator("#stage svg.picture")).to_be_visible()


def settled(page: Page) -> None:
    """Wait until no request runs and the picture fits its stage."""
    page.wait_for_load_state("load")  # scripts of a page just opened have come
    until(page, "document.body.ariaBusy !== 'true' && !document.querySelector('.stage[data-fitting]')")
    # a morph may make an element that is none of SVG's, and is then never seen
    strays = page.evaluate(
        "[...document.querySelectorAll('svg *')].filter((e) => !e.namespaceURI.endsWith('svg')).map((e) => e.outerHTML)"
    )
    assert not strays, strays[:3]


def still(page: Page) -> None:
    """Wait until nothing moves or fades any more."""
    until(page, "document.getAnimations().every((one) => one.playState !== 'running')")


def until(page: Page, holds: str) -> None:
    """Wait until an expression is true; asked from outside, since the page's policy allows no eval."""
    for _ in range(100):
        if page.evaluate(holds):
            return
        page.wait_for_timeout(80)
    raise AssertionError(f"never came true: {holds}")


def choose(page: Page, slot: str, text: str) -> None:
    """Open a slot of the sentence and click a choice."""
    word = page.locator(f"#sentence [data-slot={slot}]")
    if word.count():
        word.first.click()
    else:
        # what is not said yet is behind the quiet plus
        page.locator("#sentence [data-slot=else]").click()
        page.locator(f"#popover [data-slot={slot}]").click()
    page.locator("#popover").get_by_role("button", name=re.compile(f"^{re.escape(text)}")).click()
    expect(page.locator("#popover")).to_be_hidden()


def mark(page: Page, starts: str):
    """The mark whose card begins with this."""
    return page.locator(f'#stage .mark[aria-label^="{starts}"]')


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Press, move in steps, let go."""
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2, steps=4)
    page.mouse.move(*end, steps=4)
    page.mouse.up()


def axis_point(page: Page, share: float) -> tuple[float, float]:
    """A place on the strip under the plot, from 0 at its left to 1 at its right."""
    box = page.locator("#stage .axis-band").bounding_box()
    return box["x"] + share * box["width"], box["y"] + 12


def in_field(page: Page, which: int, across: float, down: float) -> tuple[float, float]:
    """A place in one of several plots; more than 1 down is under it."""
    left, top, right, bottom = json.loads(page.locator("#stage svg.picture").get_attribute("data-axes"))[
        "fields"
    ][which]["plot"]
    box = page.locator("#stage svg.picture").bounding_box()
    return box["x"] + left + across * (right - left), box["y"] + top + down * (bottom - top)


def plot_point(page: Page, across: float, down: float) -> tuple[float, float]:
    box = page.locator("#stage .ground").bounding_box()
    return box["x"] + across * box["width"], box["y"] + down * box["height"]


def say(page: Page, words: str) -> None:
    """Type into the word box and wait until what it may mean is listed for these words."""
    settled(page)
    page.keyboard.press("/")
    box = page.locator("#word-box")
    expect(box).to_be_focused()
    box.press("ControlOrMeta+a")
    page.keyboard.type(words)
    expect(page.locator("#word-list")).to_be_visible()
    page.wait_for_timeout(250)
    settled(page)


def sentence(page: Page) -> str:
    """What the desk says is asked, once nothing runs any more."""
    settled(page)
    return re.sub(r"\s+", " ", page.locator("#sentence").inner_text())
