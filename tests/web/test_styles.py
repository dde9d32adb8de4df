"""Styles that are made stand as they would be made now, and hold no colour of their own."""

from __future__ import annotations

import re
from pathlib import Path

from tools import cut_styles

CSS = Path(cut_styles.ROOT) / "site" / "static" / "css"


def test_colours_and_the_cut_of_bulma_are_as_they_would_be_made() -> None:
    assert cut_styles.TOKENS_CSS.read_text() == cut_styles.colours(), "run: python tools/cut_styles.py"
    assert cut_styles.CUT.read_text() == cut_styles.bulma(), "run: python tools/cut_styles.py"
    assert cut_styles.CUT.stat().st_size < 60_000


def test_colours_stand_in_one_place() -> None:
    for path in CSS.glob("*.css"):
        if path.name != "tokens.css":
            found = re.findall(r"#[0-9a-fA-F]{3,8}\b(?=[;\s,)])", path.read_text())
            assert not found, (path.name, found)


def test_the_vendored_morph_makes_elements_of_svg() -> None:
    """A newer copy of htmx must not lose the change that keeps pictures whole."""
    (script,) = (CSS.parent / "vendor").glob("htmx-*.min.js")
    assert "createElement(n.tagName)" not in script.read_text() and "n.cloneNode(!1)" in script.read_text()
