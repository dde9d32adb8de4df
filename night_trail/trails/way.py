"""The way here: the tree of a trail's steps in the order it is drawn."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from django.urls import reverse

from night_trail.draw.small.footpath import Node, footpath, lane_of
from night_trail.trails.models import Step, Trail

BEFORE, AFTER = 120, 40
"""Of a long trail so many steps are shown before the one stood on, and so many after it."""


class _Mark(NamedTuple):
    """What the way shows of a step; ``cairn`` is its key, where there is one at the step."""

    pk: int
    parent: int | None
    label: str
    passing: bool
    cairn: int | None
    title: str


@dataclass(frozen=True)
class Waymark:
    """A step beside the footpath: its key, and where it and its small picture are found."""

    pk: int
    address: str
    figure: str
    label: str
    indent: int
    here: bool
    cairn: bool


@dataclass(frozen=True)
class Way:
    """The drawn footpath, its labels, and the neighbours of the step one stands on.

    ``back`` and ``on`` are steps; ``earlier`` and ``later`` count the steps above and below those shown;
    ``edges`` are the addresses from which these are seen.
    """

    svg: str
    marks: list[Waymark]
    total: int
    back: int | None
    on: int | None
    opening: int | None
    cairns: int = 0
    earlier: int = 0
    later: int = 0
    edges: tuple[str, str] = ("", "")


def way_to(trail: Trail, here: Step) -> Way:
    """Return the footpath of a trail as seen from one step.

    The line through the step one stands on runs straight down; forks stand to
    its right, under the step they left from.
    """
    # hundreds of steps, of which little is shown: no models are made of them
    fields = ("pk", "parent", "label", "passing", "cairn", "cairn__title")
    steps = [_Mark(*of) for of in trail.steps.values_list(*fields)]
    children: dict[int | None, list[_Mark]] = {}
    by_id = {step.pk: step for step in steps}
    grown = {step.parent for step in steps}
    for step in steps:
        # a stop of a zoom that went on is left out, unless it is stood on, marked, or led further
        if not step.passing or step.pk == here.pk or step.pk in grown or step.cairn:
            children.setdefault(step.parent, []).append(step)
    spine = set()
    at: _Mark | None = by_id[here.pk]
    while at is not None:
        spine.add(at.pk)
        at = by_id.get(at.parent) if at.parent else None
    order = _ordered(children, spine)
    at_row = next(row for row, (step, _) in enumerate(order) if step.pk == here.pk)
    first = max(at_row - BEFORE, 0)
    shown = order[first : at_row + AFTER + 1]
    later = len(order) - first - len(shown)
    rows = {step.pk: row for row, (step, _) in enumerate(shown)}
    nodes, marks = [], []
    # a long trail has hundreds of steps, whose addresses differ in their number alone
    address, figure = (
        reverse(f"trails:{name}", args=[trail.pk, 0]).rsplit("/0/", 1) for name in ("step", "figure")
    )
    for step, lane in shown:
        is_here, marked = step.pk == here.pk, step.cairn is not None
        node = Node(rows.get(step.parent or -1, -1), lane, is_here, marked, passed=step.pk in spine)
        nodes.append(node)
        marks.append(
            Waymark(
                step.pk,
                f"/{step.pk}/".join(address),
                f"/{step.pk}/".join(figure),
                step.title if marked else step.label,
                lane_of(node),
                is_here,
                marked,
            )
        )
    following = children.get(here.pk, [])
    edges = (
        f"/{order[first - 1][0].pk}/".join(address) if first else "",
        f"/{order[first + len(shown)][0].pk}/".join(address) if later else "",
    )
    return Way(
        footpath(nodes),
        marks,
        len(order),
        here.parent_id,
        following[-1].pk if following else None,
        _opening(children, here),
        sum(step.cairn is not None for step in steps),
        first,
        later,
        edges,
    )


def _opening(children: dict[int | None, list[_Mark]], here: Step) -> int | None:
    """Return the step of the first picture of the trail, unless one stands on it."""
    roots = children.get(None, [])
    first = children.get(roots[0].pk, []) if roots else []
    return first[0].pk if first and first[0].pk != here.pk else None


def _ordered(children: dict[int | None, list[_Mark]], spine: set[int]) -> list[tuple[_Mark, int]]:
    """Return steps with their lanes, depth first, forks before the line goes on."""
    order: list[tuple[_Mark, int]] = []
    stack = [(step, 0) for step in children.get(None, [])]
    while stack:
        step, lane = stack.pop()
        order.append((step, lane))
        following = children.get(step.pk, [])
        if not following:
            continue
        main = next((s for s in following if s.pk in spine), following[-1])
        # pushed last is walked first: forks, oldest first, then the line itself
        stack.append((main, lane))
        stack.extend((fork, lane + 1) for fork in reversed(following) if fork is not main)
    return order
