"""Amounts in several units and spellings are brought to one, and what is no amount is left alone."""

from __future__ import annotations

import pytest

from night_trail.core.errors import BadQuestion
from night_trail.core.recipe import apply
from night_trail.core.recipe import steps as s
from night_trail.core.recipe.offers import column_offers
from night_trail.core.recipe.units import mixed
from night_trail.core.table import counted_texts
from tests.core.tables import table_of


@pytest.mark.parametrize(
    ("cells", "text", "made"),
    [
        (
            ["6'2\"", "190 cm", "5'11", "175", "1,85 m"],
            "Read as a number in cm (6'2 as feet and inches, m brought to it, numbers alone as cm)",
            [187.96, 190.0, 180.34, 175.0, 185.0],
        ),
        (["6'2\"", "66.75", "5'11\""], "Read as a number in in (6'2 as feet and inches, numbers alone as in)",
         [74.0, 66.75, 71.0]),
        (["70 kg", "150 lbs", "80kg"], "Read as a number in kg (lb brought to it)", [70.0, 68.0388555, 80.0]),
        (["90 min", "2 h", "45 mins", "1.5 hours"], "Read as a number in min (h brought to it)",
         [90.0, 120.0, 45.0, 90.0]),
        (["5,8", "66.75", "70"], "Read as a number (5,8 as 5.8)", [5.8, 66.75, 70.0]),
        (["5'11", "6'0"], "Read as a number in in (6'2 as feet and inches)", [71.0, 72.0]),
    ],
)  # fmt: skip
def test_amounts_are_brought_to_one_unit(cells: list[str], text: str, made: list[float]) -> None:
    table = table_of(x=cells * 20)
    offers = {o.text: o.step for o in column_offers(table.column("x"), table.series("x"))}
    assert text in offers
    after = apply([offers[text]], table).table()
    assert after.series("x").to_list() == pytest.approx(made * 20)
    assert after.column("x").kind == "number" and after.column("x").failed == 0


@pytest.mark.parametrize(
    "cells",
    [
        ["N7", "N12", "12"],
        ["70 kg", "80 kg"],  # one unit: a number hidden in text, for which there is another remedy
        ["70 kg", "180 cm"],
        ["1,850", "2,400", "3.5"],  # thousands or decimals
        ["late", "5 min late"],
        ["10:30", "11 h"],
        [None, None],
    ],
)
def test_what_is_no_amount_of_one_dimension_is_left_alone(cells: list[str | None]) -> None:
    table = table_of(x=[*cells, *cells] if cells[0] is None else cells * 20)
    assert mixed(counted_texts(table.series("x"))) is None


def test_units_that_do_not_go_together_are_refused_and_odd_cells_are_missing() -> None:
    table = table_of(x=["70 kg", "150 lb", "soon"] * 10)
    assert apply([s.ReadUnits("x", "kg")], table).table().series("x").null_count() == 10
    for unit, plain in (("stone", ""), ("kg", "cm")):
        with pytest.raises(BadQuestion, match="no unit that others"):
            apply([s.ReadUnits("x", unit, plain)], table)
    with pytest.raises(BadQuestion, match="amount in cm"):
        apply([s.ReadUnits("x", "cm")], table)
