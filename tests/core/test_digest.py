"""In short: sentences are those of the pictures, confirmed ones only, the same once; noise says little."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np

from night_trail.core.conditions import OneOf
from night_trail.core.digest import first_sentence, of_length, of_scene, of_table, of_trail
from night_trail.core.language.spans import plain
from night_trail.core.question import Question, Scene
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from tests.core.tables import table_of
from tests.core.test_signposts import noise


def rows_of(cells: dict[str, Any]) -> Rows:
    return Rows(table_of(**cells))


def answers(rows: Rows) -> Any:
    def asked(question: Question) -> Any:
        return answer(question, rows)

    return asked


def planted(seed: int = 3) -> dict[str, Any]:
    rng = np.random.default_rng(seed)
    day = np.sort(rng.integers(0, 360, 1_500))
    heat = rng.normal(size=1_500)
    return {
        "day": [dt.date(2024, 1, 1) + dt.timedelta(int(d)) for d in day],
        "riders": 30 + 6 * heat + rng.normal(0, 3, 1_500), "heat": heat, "x": rng.normal(size=1_500),
        "place": rng.choice(["a", "b", "c"], 1_500).tolist(),
    }  # fmt: skip


def test_a_table_in_three_lengths_each_sentence_that_of_its_picture() -> None:
    rows = rows_of(planted())
    lines = of_table(rows, answers(rows))
    one, some, page = (of_length(lines, length) for length in ("sentence", "paragraph", "page"))
    assert len(one) == 1 and one[0].text.startswith("1,500 rows on ") and "riders rises" in one[0].text
    assert 1 < len(some) <= 5 and some == page[: len(some)] and len(page) <= 16
    for line in page[1:]:
        assert line.scene is not None and line.scene.main is not None
        words = plain(words_of(answer(line.scene.main, rows), rows.table).headline)
        assert line.text == words or line.text.lower().endswith(first_sentence(words).lower())
        assert line.scene.main.column in line.text
    assert {line.part for line in page} == {"What is here", "What changed", "What stands out"}


def test_of_noise_no_relation_is_told() -> None:
    told = 0
    for seed in range(6):
        rows = rows_of(noise(seed, 500))
        told += any(line.part == "What goes with what" for line in of_table(rows, answers(rows)))
    assert told <= 1


def test_a_scene_says_its_picture_what_is_lit_and_what_goes_with_it() -> None:
    table = table_of(**planted())
    lit = OneOf("place", ("a",))
    rows = Rows(table, (), lit)
    lines = of_scene(Scene(main=Spread("riders"), lit=lit), rows, answers(rows))
    assert lines[0].part == "The picture" and lines[0].scene == Scene(main=Spread("riders"), lit=lit)
    asked = [line.scene.main for line in lines if line.scene is not None]
    assert Relate("riders", "heat") in asked
    assert any("place is a" in line.text for line in lines)
    assert of_scene(Scene(), rows, answers(rows)) == []


def test_what_was_kept_is_told_in_its_own_words_once() -> None:
    kept = [("Heat drives it", Scene(main=Spread("heat"))), ("Heat drives it.", Scene(main=Spread("x")))]
    lines = of_trail(kept)
    assert [line.text for line in lines] == ["Heat drives it."] and lines[0].scene == kept[0][1]


def test_a_table_of_no_rows_says_only_that() -> None:
    rows = rows_of({"x": np.empty(0), "c": [""] * 0})
    lines = of_table(rows, answers(rows))
    assert lines[0].text.startswith("0 rows, with 2 columns")
