"""Figures bound into a text."""

from __future__ import annotations

import numpy as np
import pytest

from night_trail.core.bound import (
    Known,
    bind,
    bonds,
    escaped,
    figure_id,
    followed,
    known,
    proposed,
    typed,
    unbound,
)
from night_trail.core.conditions import OneOf
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.rows import Rows
from tests.core.tables import table_of

LANE = Known(figure_id("group:Lane"), "Lane", "12.9\u00a0min", 12.93)
WET = Known(figure_id("wet"), "wet trips", "91.6\u2009%", 0.9163)
MANY = Known(figure_id("rows"), "rows", "8,127 trips", 8127)


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("It is 12.9 min late.", [("12.9 min", LANE)]),
        ("It is 13 min late", [("13 min", LANE)]),
        ("It is 14 min late", []),
        ("nearly 92 % of 8,127 trips", [("92 %", WET), ("8,127 trips", MANY)]),
        ("92 of them, 91.6 of them", []),
        ("line N13, 2013 and 12.93", [("12.93", LANE)]),
        ("already [12.9 min](figure:0011aabb) and `12.9 min`", []),
        ("see https://example.org/12.9 min", []),
        ("−12.9 min", []),
        ("", []),
    ],
)
def test_figures_typed_by_hand_are_matched_as_far_as_they_are_written(
    text: str, found: list[tuple[str, Known]]
) -> None:
    assert [(one.text, one.known) for one in typed(text, (LANE, WET, MANY))] == found


def test_a_bound_figure_follows_and_one_that_is_gone_stays() -> None:
    text = "It is 12.9 min late, 3 in all."
    one = next(typed(text, (LANE,)))
    bound = bind(text, one.start, one.end, one.known)
    assert list(bonds(bound)) == [(LANE.id, "12.9\u00a0min")]
    later = Known(LANE.id, "Lane", "14.2\u00a0min", 14.21)
    assert unbound(followed(bound, [later])) == "It is 14.2\u00a0min late, 3 in all."
    assert followed(bound, [WET]) == bound


def test_words_proposed_are_the_pictures_own_and_their_figures_are_bound() -> None:
    rows = Rows(table_of(y=[1.0, 2.0, 8.0, 9.0], late_g=["*a*", "*a*", "[b]", "[b]"]))
    words = words_of(answer(Compare(Measure("mean", "y"), "late_g"), rows), rows.table)
    figures = known(words, rows)
    for length in ("brief", "full"):
        made = proposed(words, figures, length)
        assert unbound(made).replace("\\", "") in plain(words.headline)
        assert {name for name, _ in bonds(made)} <= {figure.id for figure in figures}
        assert list(bonds(made))
    points = proposed(words, figures, "points")
    assert points.count("\n") == min(len(figures), 6) - 1
    assert "\\*a\\*" in points


def test_the_figures_of_what_is_lit_are_those_of_its_rows() -> None:
    rng = np.random.default_rng(1)
    table = table_of(y=rng.normal(size=60), g=["a", "b", "c"] * 20)
    lit = OneOf("g", ("a", "b"))
    rows, alone = Rows(table, (), lit), Rows(table, (lit,))
    question = Compare(Measure("mean", "y"), "g")
    of_lit = words_of(answer(question, alone), table)
    figures = {one.label: one for one in known(words_of(answer(question, rows), table), rows, of_lit)}
    mean = table.axis("y").values[np.array(["a", "b", "c"] * 20) == "a"].mean()
    assert figures["a, lit"].value == pytest.approx(mean)
    assert figures["lit rows"].value == 40
    assert figures["share of rows lit"].value == pytest.approx(2 / 3)


def test_escaping_reads_as_the_words() -> None:
    assert escaped("a_b *c* [d](e) <f> _g_") == "a_b \\*c\\* \\[d\\](e) \\<f> \\_g\\_"
