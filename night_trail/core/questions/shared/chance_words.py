"""What is said where groups differ no more than chance gives."""

from __future__ import annotations

from night_trail.core.language.numbers import number
from night_trail.core.language.spans import Span, spans
from night_trail.core.questions.shared.measures import SURE, Tested


def test_said(found: Tested) -> str:
    """Return the test of groups with its p, and the share of differences between them where it is known."""
    p = "p under 0.001" if found.p is not None and found.p < 0.001 else f"p {number(found.p or 0.0, 2)}"
    effect = f"; η² {number(found.effect, 2)}" if found.effect is not None else ""
    return f"{found.test}, {p}{effect}"


def may_be_chance(found: Tested) -> tuple[Span, ...]:
    """Say that what is highest and lowest may be so by chance; nothing where it is not, or is not known."""
    if found.p is None or found.p < SURE:
        return ()
    return spans(f" The differences may be chance ({test_said(found)}).")
