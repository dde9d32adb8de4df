"""How like itself a series is, lag by lag: a stem each, the band of chance behind them."""

from __future__ import annotations

from collections.abc import Sequence

from night_trail.core.language.numbers import number
from night_trail.draw.frame.svg import Svg, el

STEP, HIGH, LEFT, FOOT = 11.0, 130.0, 30.0, 22.0
EVERY = 6
"""Lags between two labels: half years of months, quarters of days."""


def draw_stems(by_lag: Sequence[float], chance: float) -> Svg:
    """Return autocorrelations from lag 1 on and the band within which chance keeps them."""
    wide = LEFT + STEP * (len(by_lag) + 1)

    def down(at: float) -> float:
        return 6 + (HIGH - 12) * (1 - at) / 2

    shapes = [
        el(
            "rect",
            class_="fit-band",
            x=LEFT,
            y=down(min(chance, 1.0)),
            width=wide - LEFT,
            height=down(-min(chance, 1.0)) - down(min(chance, 1.0)),
        ),
        el("path", class_="axis", d=f"M{LEFT} {down(0):.2f}H{wide}"),
    ]
    for at in (-1, 0, 1):
        shapes.append(
            el("text", number(at), class_="axis-label", x=LEFT - 6, y=down(at) + 4, text_anchor="end")
        )
    for lag, like in enumerate(by_lag, 1):
        x = LEFT + STEP * lag
        shapes.append(el("path", class_="whisker", d=f"M{x:.2f} {down(0):.2f}V{down(like):.2f}"))
        shapes.append(el("circle", class_="point", cx=x, cy=down(like), r=2.5))
        if lag % EVERY == 0:
            shapes.append(
                el("text", str(lag), class_="axis-label", x=x, y=HIGH + FOOT - 8, text_anchor="middle")
            )
    beyond = sum(abs(like) > chance for like in by_lag)
    return el(
        "svg",
        *shapes,
        class_="picture stems",
        viewBox=f"0 0 {wide:.0f} {HIGH + FOOT:.0f}",
        width=wide,
        height=HIGH + FOOT,
        role="img",
        aria_label=f"Autocorrelation at {len(by_lag)} lags, {beyond} of them beyond chance",
    )
