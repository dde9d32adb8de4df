"""A part of a make-up, as it is drawn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition


@dataclass(frozen=True)
class Part:
    """A part: its figure, how many rows it rests on, and its shares, None where figures do not add up.

    ``depth`` counts from 1 below what is drawn; ``parent`` is the place of its parent among the
    parts, −1 for those at the top. ``names`` are its values from the outermost level. A part of
    ``others`` gathers that many; one that is ``missing`` lacks the level. ``inner`` is whether it
    has parts that can be gone into. ``base`` is the figure it is held against.
    """

    label: str
    names: tuple[str, ...]
    depth: int
    parent: int
    figure: float
    n: int
    of_parent: float | None
    of_all: float | None
    condition: Condition
    hue: int
    others: int = 0
    missing: bool = False
    inner: bool = False
    lit: int | None = None
    lit_figure: float | None = None
    shade: float | None = None
    base: float | None = None

    @property
    def change(self) -> float | None:
        """How much more it is than what it is held against; None where that has no figure."""
        return None if self.base is None or not np.isfinite(self.figure) else self.figure - self.base

    @property
    def key(self) -> str:
        """What names it from step to step: its values, whatever is drawn around it."""
        end = "others" if self.others else "missing" if self.missing else ""
        return "\x1f".join([*self.names, end] if end else self.names)
