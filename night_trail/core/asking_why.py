"""Why: what can be asked next of what is on the desk, in one click."""

from __future__ import annotations

from dataclasses import dataclass

from night_trail.core.errors import BadQuestion
from night_trail.core.question import Scene
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.stands.question import Stands
from night_trail.core.table import Table
from night_trail.core.turns import See, Slot, turn


@dataclass(frozen=True)
class Why:
    """A question as a short phrase, and the turn that asks it."""

    words: str
    change: Slot | See


def whys(scene: Scene, table: Table) -> list[Why]:
    """Return what can be asked of what is lit, or of the column looked at; not what cannot be answered.

    Of a measure a time or a group that is lit: why is it so. Of lit rows: how
    they differ. Of a column, whatever is lit: what drives it, what stands out
    in it, and of two whether it is really so.
    """
    main = scene.main
    if main is None:
        return []
    found: list[Why] = []
    measured = kind_of(main).gist(main, table).measure is not None
    if scene.lit is not None and measured and not isinstance(main, Changed):
        found.append(Why("why this?", Slot("way", "changed")))
    if scene.lit is not None and not isinstance(main, Differ):
        found.append(Why("how do they differ?", Slot("way", "differ")))
    if scene.lit is not None and isinstance(main, Differ) and main.ones != scene.lit:
        found.append(Why("how do these differ?", See(Differ(scene.lit))))
    if isinstance(main, Compare | Relate | Spread):
        found.append(Why("is it really so?", Slot("way", "held")))
    if not isinstance(main, Changed | Differ | Drivers) and not (
        isinstance(main, Stands) and main.of is None
    ):
        found.append(Why("what drives it?", Slot("way", "drives")))
    if not isinstance(main, Changed | Differ | Drivers | Stands):
        found.append(Why("what stands out?", Slot("way", "stands")))
    return [why for why in found if _can(scene, why, table)]


def _can(scene: Scene, why: Why, table: Table) -> bool:
    try:
        after, _ = turn(scene, why.change, table)
    except BadQuestion:
        return False
    return after.main != scene.main
