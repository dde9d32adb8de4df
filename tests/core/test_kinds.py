"""Every kind of question, walked: said, read back, changed in every slot, in words, in figures, drawn, led on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, get_args

import pytest

from night_trail.core.breakdown import down
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.question import Question, Scene, to_json
from night_trail.core.questions.registry import (
    KINDS,
    Answer,
    answer,
    check,
    figures_of,
    kind_of,
    sentence,
    short_name,
    words_of,
)
from night_trail.core.questions.ways import WAYS
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Table
from night_trail.core.turns import Slot, turn
from night_trail.draw import BESIDE, draw
from night_trail.draw.picture import _SHAPES
from tests.golden import PICTURES, WET, answered, table_of

ASKED = {
    name: typed
    for name, (table, typed, _) in PICTURES.items()
    if table == "buses" and name not in ("rules", "opened")
}
"""Rules, and a driver opened, are drivers in another shape, and their models take as long again."""
SLOW = {"ahead", "apart", "drives"}
"""A model takes a second; of these one offer a slot is taken."""


@dataclass
class Look:
    """A scene on its table, as a page would hold it."""

    table: Table
    scene: Scene
    rows: Rows

    def answer(self, question: Any) -> Any:
        return answered(question, self.rows)


@pytest.fixture(scope="module")
def table() -> Table:
    return table_of("buses")


def look_at(typed: str, table: Table) -> Look:
    question, only = read(typed, table)
    return Look(table, Scene(main=question, only=only, lit=WET), Rows(table, only, WET))


def test_every_question_has_one_kind_and_every_answer_words_figures_and_a_picture() -> None:
    assert {kind.question for kind in KINDS} == set(get_args(Question))
    assert len(WAYS) == len(KINDS) and all(
        kind.question.__struct_config__.tag == kind.tag for kind in KINDS
    ), "what is stored is called by its tag"
    told = [set(kind.words) for kind in KINDS]
    assert [set(kind.figures) for kind in KINDS] == told
    every = set().union(*told)
    assert every == set(get_args(Answer)) == set(_SHAPES) and len(every) == sum(map(len, told))
    assert {type(read(typed, table_of("buses"))[0]) for typed in ASKED.values()} == set(get_args(Question))


@pytest.mark.parametrize("name", ASKED)
def test_every_slot_offers_what_can_be_asked_told_drawn_and_read_back(name: str, table: Table) -> None:
    look = look_at(ASKED[name], table)
    asked = look.scene.main
    kind = kind_of(asked)
    said = sentence(asked, table, look.answer(asked))
    slots = {part.slot for part in (*said.parts, *said.addable) if part.slot} - {"way", "column-of"}
    assert slots and short_name(asked)  # the way is walked below; to keep a part as a column is a form
    for slot in sorted(slots):
        offers = kind.offers(slot, look, asked)
        assert offers and sum(bool(o.text) for o in offers) == len(offers), slot
        taken = 0
        for offer in offers:
            change = offer.change or Slot(offer.slot or slot, offer.value)
            try:
                scene, label = turn(look.scene, change, table)
                check(scene.main, table)
            except BadQuestion:
                continue  # the page leaves out what cannot be turned to
            taken += 1
            assert label and to_json(scene)
            if taken > (0 if name == "drives" else 1):
                continue  # nine models an answer: its other answers are in test_drivers.py
            found = answered(scene.main, Rows(table, scene.only, scene.lit))
            words = words_of(found, table, scene.only)
            figures = figures_of(found)
            assert plain(words.headline), (slot, offer.text)
            assert all(len(row) == len(figures.names) for row in figures.rows)
            assert "<svg" in draw(found, table, BESIDE, "p")
        assert taken, f"of {slot} nothing can be taken"
    with pytest.raises(BadQuestion, match="There is no slot"):
        kind.offers("moon", look, asked)
    with pytest.raises(BadQuestion):
        kind.changed(asked, "moon", None, table, None)


@pytest.mark.parametrize("name", ASKED)
def test_a_sentence_is_read_back_as_the_question_it_says(name: str, table: Table) -> None:
    question, only = read(ASKED[name], table)
    text = str(sentence(question, table))
    again, _ = read(text, table)
    assert str(sentence(again, table)) == text
    assert read(ASKED[name], table) == (question, only)


@pytest.mark.parametrize("name", ASKED)
def test_any_kind_is_made_from_the_gist_of_any_other_and_goes_down_into_groups(
    name: str, table: Table
) -> None:
    look = look_at(ASKED[name], table)
    asked = look.scene.main
    gist = kind_of(asked).gist(asked, table)
    able = 0
    for kind in KINDS:
        try:
            other = kind.from_gist(gist, table)
        except BadQuestion as refused:
            assert str(refused)
            continue
        assert type(other) is kind.question
        check(other, table)
        able += 1
    assert able >= 8, "of a category there is no relation; all else can be made"
    if gist.told_apart is not None:
        table.column(gist.told_apart)
    below = down(asked, "district" if "line" in asked.mentions else "line", table)
    check(below, table)
    assert answer(below, look.rows).basis is not None
