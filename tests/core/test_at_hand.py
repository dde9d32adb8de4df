"""What is at hand of a mark: the column that tells most, what can be asked; nothing made up of noise."""

from __future__ import annotations

import numpy as np
import pytest

from night_trail.core.at_hand import at_hand
from night_trail.core.conditions import Between, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from tests.core.tables import table_of

NIGHT = OneOf("shift", ("night",))


def cells(seed: int, told: bool) -> dict[str, object]:
    rng = np.random.default_rng(seed)
    shift = rng.choice(["night", "early", "late"], 900)
    crew = rng.choice(["a", "b", "c"], 900)
    if told:
        crew[(shift == "night") & (rng.random(900) < 0.8)] = "a"
    return {
        "shift": shift.tolist(),
        "crew": crew.tolist(),
        "x": rng.normal(size=900),
        "y": rng.gamma(2, 3, 900),
    }


def test_a_mark_is_made_up_by_the_column_its_rows_differ_in_most() -> None:
    rows = Rows(table_of(**cells(1, True)))
    scene = Scene(main=Compare(Measure("sum", "y"), "shift"))
    hand = at_hand(scene, NIGHT, rows)
    assert hand.made_of == Compare(Measure("sum", "y"), "crew", shape="bars") and hand.by == "crew"
    assert hand.said.startswith("a: ")
    assert isinstance(hand.why, Changed) and hand.why.after == NIGHT
    assert hand.differs == Differ(NIGHT)
    assert [label for label, _ in hand.others] == [v for v in ("early", "late") if v in dict(hand.others)]
    assert dict(hand.others)["late"] == Differ(NIGHT, OneOf("shift", ("late",)))
    spread = at_hand(Scene(main=Spread("y")), Between("y", 3, 5), rows)
    assert spread.why is None and spread.others == ()


def test_of_noise_nothing_is_said_to_make_it_up() -> None:
    scene = Scene(main=Compare(Measure("sum", "y"), "shift"))
    said = sum(
        at_hand(scene, NIGHT, Rows(table_of(**cells(seed, False)))).made_of is not None for seed in range(20)
    )
    assert said <= 1


def test_without_a_picture_nothing_is_held() -> None:
    with pytest.raises(BadQuestion, match="no picture"):
        at_hand(Scene(), NIGHT, Rows(table_of(**cells(1, True))))
