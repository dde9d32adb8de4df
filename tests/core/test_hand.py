"""Numbers that hands type: read where they are numbers, and one sentence where they are none."""

from __future__ import annotations

import math

import numpy as np
import polars as pl
import pytest

from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real, whole
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.ways import changed
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, sentence
from tests.core.tables import table_of

HOSTILE = [
    "inf", "-inf", "nan", "²", "٣", "1_000", "9" * 5_000, "1e299", "1e308", "1e-299", "-1e299", "0x10", "1e999",
    "1.2.3", "--5", "−", ",", "0", "1e", "½", "９",
]  # fmt: skip
PHRASES = [
    "v in bins of {}", "v in {} bins", "v with bins from {}", "v where v above {}", "v where v from {} to {}",
    "average v by g marking what is above {}", "v by month with the {}th percentile", "v by month, with a target of {}",
    "the {} largest average v by g", "average v by g, at least {} rows each", "the {} % quantile of v by g",
    "v by month as a rolling mean of {} months", "v ahead by month over the next {} months", "v where d in {}",
    "v where d in the last {} days", "v vs w zoomed to v {} to {} and w {} to {}",
]  # fmt: skip


def test_what_is_a_number_is_read() -> None:
    assert (real("12.5"), real("−1,234"), real("+.5"), real("2e3")) == (12.5, -1234.0, 0.5, 2000.0)
    assert (whole("7", 9), whole(" 1,200 ", 9_999), whole("0", 9)) == (7, 1200, 0)
    for text in HOSTILE:
        assert whole(text, 9) in (None, 0)
        try:
            assert math.isfinite(real(text)) and abs(real(text)) <= 1e300
        except BadQuestion as refusal:
            assert len(str(refusal)) < 200
    assert whole(None, 9) is None and whole(7, 9) is None


TABLE = table_of(
    v=np.random.default_rng(1).gamma(2.0, 2.0, 200),
    w=np.arange(200.0),
    g=["a", "b", "c", "d"] * 50,
    d=pl.date_range(pl.date(2021, 1, 1), pl.date(2021, 7, 19), eager=True),
)


@pytest.mark.parametrize("phrase", PHRASES)
def test_no_number_makes_a_picture_that_cannot_be_drawn_or_an_error(phrase: str) -> None:
    for text in HOSTILE:
        try:
            question, only = read(phrase.format(text, text, text, text), TABLE)
            found = answer(question, Rows(TABLE, only))
        except BadQuestion as refusal:
            assert len(str(refusal)) < 6_000
        else:
            assert words_of(found, TABLE) and str(sentence(question, TABLE, found))


@pytest.mark.parametrize(
    ("words", "slot"),
    [
        ("average v by g", "keep"), ("average v by g", "least"), ("average v by g", "order"),
        ("v by month", "year_start"), ("v by month", "keep"), ("v by month", "view"), ("v ahead by month", "horizon"),
        ("v ahead by month", "bands"), ("v", "bins"), ("v", "height"), ("v vs w", "against"),
    ],
)  # fmt: skip
def test_no_number_breaks_a_slot(words: str, slot: str) -> None:
    question, _ = read(words, TABLE)
    for text in [*HOSTILE, *(f"by:{t}" for t in HOSTILE), *(f"least:{t}" for t in HOSTILE), "", None]:
        try:
            turned, label = changed(question, slot, text, TABLE, None)
        except BadQuestion:
            continue
        assert label
        try:
            answer(turned, Rows(TABLE))
        except BadQuestion:
            continue
