"""The colours of night and day, and the style of a picture that stands alone."""

from __future__ import annotations

from pathlib import Path

TOKENS = {
    "night": {
        "ink": "#0e1420",
        "panel": "#151c2b",
        "raised": "#1c2536",
        "line": "#2b364b",
        "line-strong": "#3a475f",
        "paper": "#ebe5d6",
        "dim": "#a6aebd",
        "faint": "#6f7b90",
        "lamp": "#f2b34c",
        "moon": "#8ea4c6",
        "moss": "#7db58c",
        "ember": "#e4775b",
        "tide": "#57b1b6",
        "violet": "#a08fd6",
        "lichen": "#c6c66a",
        "clay": "#cf9a7b",
        "rose": "#d98cae",
        "fern": "#7fae6f",
        "slate": "#8f9bb3",
    },
    "day": {
        "ink": "#f6f2e8",
        "panel": "#fffdf8",
        "raised": "#ffffff",
        "line": "#e2dccb",
        "line-strong": "#c9c1ab",
        "paper": "#1b2433",
        "dim": "#4d5768",
        "faint": "#7b8494",
        "lamp": "#b46a00",
        "moon": "#5d7398",
        "moss": "#2f7d4a",
        "ember": "#b3401f",
        "tide": "#1f7a80",
        "violet": "#6a54b0",
        "lichen": "#747414",
        "clay": "#9a5a33",
        "rose": "#a8486f",
        "fern": "#3f7a2f",
        "slate": "#5b6780",
    },
}
"""The one place of colours: ``tools/cut_styles.py`` writes them into ``tokens.css`` for pages."""

ONLY_ON_PAGES = {
    "night": {"lamp-text": "#f2b34c", "lamp-ground": "#2a2418"},
    "day": {"lamp-text": "#8a5100", "lamp-ground": "#fbefd9"},
}
"""What no picture needs: the lamp as the colour of text, and the ground under it."""

ON_PAPER = {"ink": "#ffffff", "panel": "#ffffff", "raised": "#ffffff", "lamp-ground": "#ffffff"}
"""Paper is printed by day, and its own ground is white."""

PICTURE_CSS = Path(__file__).parent.parent / "style" / "picture.css"


def standalone_style(theme: str) -> str:
    """Return the picture's style sheet with the theme's colours written in.

    A file that leaves the application cannot ask the page for its variables.
    """
    style = PICTURE_CSS.read_text(encoding="utf-8")
    for name, colour in TOKENS[theme].items():
        style = style.replace(f"var(--{name})", colour)
    # a plan drawn on white is turned over, as the page does
    return style + (
        "svg .plan-light { filter: invert(1) hue-rotate(180deg); mix-blend-mode: screen; }"
        if theme == "night"
        else ""
    )
