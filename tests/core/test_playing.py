"""Pictures that play through time: their periods, what is held, what a scene becomes, and renamed columns."""

from __future__ import annotations

import datetime as dt
import types
import typing
from typing import Any

import msgspec
import numpy as np
import polars as pl
import pytest

from night_trail.core.conditions import OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure, Name
from night_trail.core.playing import MOST_FRAMES, frames, grains_of, place_of, whole
from night_trail.core.question import Scene
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.registry import KINDS, answer, kind_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.renaming import NAMES, renamed
from night_trail.core.rows import Rows
from night_trail.core.table import Kind, Table
from night_trail.core.turns import ClearAll, Drop, Light, Only, Play, See, turn
from night_trail.draw import Size, shared_spans, stations
from night_trail.draw.frame.canvas import Canvas
from tests.core.tables import table_of
from tests.core.test_compare import typed

MEAN = Measure("mean", "v")
BARS = Compare(MEAN, "g")


def days(n: int = 400, seed: int = 1) -> Table:
    rng = np.random.default_rng(seed)
    day = [dt.date(2023, 1, 15) + dt.timedelta(days=int(i)) for i in rng.integers(0, 300, n)]
    made = table_of(
        day=day, g=rng.choice(["a", "b", "c"], n).tolist(), v=rng.normal(5, 2, n), w=rng.normal(5, 2, n),
        lat=50 + rng.integers(0, 9, n) / 10, lon=rng.integers(0, 9, n) / 10,
    )  # fmt: skip
    return typed(made, lat={"kind": Kind.LATITUDE}, lon={"kind": Kind.LONGITUDE})


def test_periods_are_those_of_polars_and_part_the_rows() -> None:
    table = days()
    found = frames(Rows(table, ()), "day", "month")
    months = pl.DataFrame({"day": table.series("day").dt.truncate("1mo")}).group_by("day").len().sort("day")
    assert [frame.n for frame in found] == months["len"].to_list()
    assert sum(mask(frame.period, table) for frame in found).tolist() == [1] * table.height  # type: ignore[union-attr]
    assert found[0].label == "January 2023 (unfinished)" and found[1].label == "February 2023"
    assert grains_of(Rows(table, ()), "day")[0] in ("week", "month")


def test_years_play_as_years() -> None:
    table = typed(table_of(y=[2001, 2001, 2003], g=["a", "b", "a"], v=[1.0, 2, 3]), y={"unit": "year"})
    after, label = turn(Scene(main=BARS), Play(), table)
    assert label == "playing through y: 2001" and Rows(table, after.only).n == 2
    assert [f.label for f in frames(Rows(table, ()), "y", "year")] == ["2001", "2003"]


def test_a_scene_plays_stands_elsewhere_and_ends() -> None:
    table = days()
    scene = Scene(main=BARS, only=(OneOf("g", ("a", "b")),))
    first, _ = turn(scene, Play("day", "month"), table)
    assert first.plays is not None and first.only == (*scene.only, first.plays.period)
    third, label = turn(first, Play(at=2), table)
    assert label == "March 2023" and third.plays is not None and len(third.only) == 2
    found = frames(Rows(table, scene.only), "day", "month")
    assert place_of(third, found) == 2 and Rows(table, third.only).n == found[2].n
    assert whole(third) == scene
    assert turn(third, Play(off=True), table)[0] == scene
    # another picture of a kind that cannot play, or the period taken away, ends it as well
    assert turn(third, See(Spread("v")), table)[0].plays is None
    assert turn(third, Drop(1), table)[0].plays is None
    assert turn(third, ClearAll(), table)[0].plays is None
    assert turn(third, Only(OneOf("g", ("a",))), table)[0].plays is not None


def test_it_begins_where_the_lit_rows_do() -> None:
    table = days()
    late = frames(Rows(table, ()), "day", "month")[6].period
    lit, _ = turn(Scene(main=BARS), Light(late), table)
    after, _ = turn(lit, Play("day", "month"), table)
    assert after.plays is not None and after.plays.period == late


def test_what_cannot_play_says_so() -> None:
    table = days()
    with pytest.raises(BadQuestion, match="does not play through time"):
        turn(Scene(main=Spread("v")), Play(), table)
    with pytest.raises(BadQuestion, match="no column of time"):
        turn(Scene(main=BARS), Play(), table_of(g=["a", "b"], v=[1.0, 2]))
    with pytest.raises(BadQuestion, match="is number and no time"):
        turn(Scene(main=BARS), Play("v"), table)
    with pytest.raises(BadQuestion, match="no such period"):
        turn(Scene(main=BARS), Play("day", "month", 99), table)
    with pytest.raises(BadQuestion, match="too many to play through"):
        frames(Rows(days(5_000), ()), "day", "day")
    assert MOST_FRAMES < 300
    none = table_of(day=pl.Series([None, None], dtype=pl.Date), g=["a", "b"], v=[1.0, 2])
    with pytest.raises(BadQuestion, match="no periods"):
        turn(Scene(main=BARS), Play("day"), none)


@pytest.mark.parametrize("question", [BARS, Relate("v", "w", each="g"), Place(MEAN, ("lon", "lat"))])
def test_all_periods_stand_on_the_same_scales_and_classes(question: Any) -> None:
    table, size = days(), Size(700, 400)
    playing = kind_of(question).playing
    assert playing is not None
    asked = playing.fixed(question, Rows(table, ()))
    every = [answer(asked, Rows(table, (frame.period,))) for frame in frames(Rows(table, ()), "day", "month")]
    held = [playing.held(one, every) for one in every]
    shared = shared_spans(held, table, size)
    for name in {span[0] for span in shared}:
        ends = [(low, high) for other, low, high in shared if other == name]
        canvas = Canvas(Size(700, 400, spans=shared), "p", False)
        widest = min(low for low, _ in ends), max(high for _, high in ends)
        assert {canvas.span(name, low, high) for low, high in ends} == {widest}
    if isinstance(question, Place):
        assert len({one.edges for one in held}) == 1
        # a place that has no rows in one period stands where it stands in the others
        spots = stations(held, table, Size(700, 400, spans=shared))
        for key in set(spots[0]) & set(spots[1]):
            assert spots[0][key][:2] == spots[1][key][:2]


def test_a_group_lies_where_its_own_figure_does_in_every_period() -> None:
    table = days()
    asked = Relate("v", "w", each="g")
    every = [answer(asked, Rows(table, (f.period,))) for f in frames(Rows(table, ()), "day", "month")]
    shared = shared_spans(every, table, Size(700, 400))
    spots = stations(every, table, Size(700, 400, spans=shared))
    frame = pl.DataFrame({n: table.series(n) for n in ("day", "g", "v", "w")})
    means = frame.group_by(pl.col("day").dt.truncate("1mo"), "g").agg(pl.col("w").mean(), pl.col("v").mean())
    for at, month in enumerate(sorted(means["day"].unique())):
        of = {g: (w, v) for _, g, w, v in means.filter(pl.col("day") == month).iter_rows()}
        places = {key.split("\x1f")[1]: spot for key, spot in spots[at].items()}
        for one in of:
            for other in of:
                if of[one][0] < of[other][0]:
                    assert places[one][0] <= places[other][0]
                if of[one][1] < of[other][1]:
                    assert places[one][1] >= places[other][1]


# ---- columns that are called otherwise ----


def _names(struct: Any, seen: set[Any]) -> set[tuple[str, str]]:
    if not (isinstance(struct, type) and issubclass(struct, msgspec.Struct)):
        return {one for part in typing.get_args(struct) for one in _names(part, seen)}
    if struct in seen:
        return set()
    seen.add(struct)
    hints = typing.get_type_hints(struct, include_extras=True)
    found = {(struct.__name__, field) for field, hint in hints.items() if _holds_name(hint)}
    return found | {one for hint in hints.values() for one in _names(hint, seen)}


def _holds_name(hint: Any) -> bool:
    if hint == Name:
        return True
    origin = typing.get_origin(hint)
    if origin is typing.Annotated:
        return _holds_name(typing.get_args(hint)[0])
    return origin in (tuple, typing.Union, types.UnionType) and any(map(_holds_name, typing.get_args(hint)))


def test_every_field_that_holds_a_column_follows_when_it_is_renamed() -> None:
    fields = _names(Scene, set())
    assert ("Place", "at") in fields and ("Flow", "stations") in fields
    # keys of what was put aside are no columns
    assert {field for struct, field in fields if struct != "Stands" or field != "aside"} <= NAMES
    table = days()
    after, _ = turn(Scene(main=Place(MEAN, ("lon", "lat"))), Play("day", "month"), table)
    again = renamed(after, {"lon": "east", "day": "night", "v": "value"})
    assert (
        isinstance(again.main, Place)
        and again.main.at == ("east", "lat")
        and again.main.measure.column == "value"
    )
    assert again.plays is not None and again.plays.time == "night" and again.plays.period.column == "night"


def test_kinds_that_play_are_those_of_groups_points_parts_and_places() -> None:
    assert {kind.tag for kind in KINDS if kind.playing is not None} == {
        "compare",
        "relate",
        "make-up",
        "place",
    }


def test_points_are_as_large_in_every_period_and_panel_as_their_figure() -> None:
    table = days()
    asked = Relate("v", "w", each="g", sized="lat")
    every = [answer(asked, Rows(table, (f.period,))) for f in frames(Rows(table, ()), "day", "month")]
    playing = kind_of(asked).playing
    assert playing is not None
    held = [playing.held(one, every) for one in every]
    most = max(one.largest for one in every)
    for before, after in zip(every, held, strict=True):
        figures = before.points.size * before.largest
        assert after.points.size * most == pytest.approx(figures)
    # side by side the largest of all panels is the largest, and not that of each
    panelled = answer(Relate("v", "w", sized="v", panels="g"), Rows(table, ()))
    tops = [float(panel.points.size.max()) for panel in panelled.panels]
    assert max(tops) == 1.0 and min(tops) < 1.0


def test_a_period_that_the_rows_cover_in_part_only_is_called_unfinished() -> None:
    def labels(first: str, days_: int) -> list[str]:
        day = [dt.date.fromisoformat(first) + dt.timedelta(days=i) for i in range(days_)]
        table = table_of(day=day, v=[1.0] * days_)
        return [frame.label for frame in frames(Rows(table, ()), "day", "month")]

    assert labels("2023-01-01", 59) == ["January 2023", "February 2023"]
    assert labels("2023-01-10", 30) == ["January 2023 (unfinished)", "February 2023 (unfinished)"]
    assert labels("2023-01-10", 5) == ["January 2023 (unfinished)"]
