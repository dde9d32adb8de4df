"""The way here: the tree of a trail's steps in the order it is drawn."""

from __future__ import annotations

from dataclasses import dataclass

from django.urls import reverse

from night_trail.draw.small.footpath import Node, footpath, lane_of
from night_trail.trails.models import Step, Trail

MOST_SHOWN = 400


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
    """The drawn footpath, its labels, and the neighbours of the step one stands on."""

    svg: str
    marks: list[Waymark]
    total: int
    back: Step | None
    on: Step | None
    opening: int | None
    cairns: int = 0


def way_to(trail: Trail, here: Step) -> Way:
    """Return the footpath of a trail as seen from one step.

    The line through the step one stands on runs straight down; forks stand to
    its right, under the step they left from.
    """
    steps = list(trail.steps.select_related("cairn").defer("scene"))
    children: dict[int | None, list[Step]] = {}
    by_id = {step.pk: step for step in steps}
    grown = {step.parent_id for step in steps}
    for step in steps:
        # a stop of a zoom that went on is left out, unless it is stood on, marked, or led further
        if not step.passing or step.pk == here.pk or step.pk in grown or hasattr(step, "cairn"):
            children.setdefault(step.parent_id, []).append(step)
    spine = set()
    at: Step | None = by_id[here.pk]
    while at is not None:
        spine.add(at.pk)
        at = by_id.get(at.parent_id) if at.parent_id else None
    order = _ordered(children, spine)
    shown = order[:MOST_SHOWN]
    rows = {step.pk: row for row, (step, _) in enumerate(shown)}
    nodes, marks = [], []
    # a long trail has hundreds of steps, whose addresses differ in their number alone
    address, figure = (
        reverse(f"trails:{name}", args=[trail.pk, 0]).rsplit("/0/", 1) for name in ("step", "figure")
    )
    for step, lane in shown:
        cairn = getattr(step, "cairn", None)
        is_here = step.pk == here.pk
        node = Node(
            rows.get(step.parent_id or -1, -1), lane, is_here, cairn is not None, passed=step.pk in spine
        )
        nodes.append(node)
        marks.append(
            Waymark(
                step.pk,
                f"/{step.pk}/".join(address),
                f"/{step.pk}/".join(figure),
                cairn.title if cairn else step.label,
                lane_of(node),
                is_here,
                cairn is not None,
            )
        )
    following = children.get(here.pk, [])
    return Way(
        footpath(nodes),
        marks,
        len(order),
        by_id.get(here.parent_id) if here.parent_id else None,
        following[-1] if following else None,
        _opening(children, here),
        sum(hasattr(step, "cairn") for step in steps),
    )


def _opening(children: dict[int | None, list[Step]], here: Step) -> int | None:
    """Return the step of the first picture of the trail, unless one stands on it."""
    roots = children.get(None, [])
    first = children.get(roots[0].pk, []) if roots else []
    return first[0].pk if first and first[0].pk != here.pk else None


def _ordered(children: dict[int | None, list[Step]], spine: set[int]) -> list[tuple[Step, int]]:
    """Return steps with their lanes, depth first, forks before the line goes on."""
    order: list[tuple[Step, int]] = []
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
