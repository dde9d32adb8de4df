"""Ways, plans, areas that coordinates lie in, marks by a rule, small lines, and what is nearest."""

from __future__ import annotations

import datetime as dt

import numpy as np
import polars as pl
import pytest
from shapely.geometry import Point, Polygon
from shapely.ops import unary_union

from night_trail.core.at_hand import at_hand
from night_trail.core.conditions import InArea, Near, Nearest, OneOf, mask
from night_trail.core.errors import BadQuestion, Unreadable
from night_trail.core.language.conditions import from_words, in_words
from night_trail.core.places.gazetteer import alternatives, located
from night_trail.core.places.inside import areas_around, shipped_around
from night_trail.core.places.outlines import all_countries, countries
from night_trail.core.places.plan import Plan, PlanPicture, check_plan, checked_place
from night_trail.core.question import Scene
from night_trail.core.questions.compare.question import Rule
from night_trail.core.questions.place.answer import check, place
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.place.sentence import changed
from night_trail.core.questions.place.ways import MOST_WAYS
from night_trail.core.questions.registry import figures_of, sentence
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, scene_in_words
from night_trail.core.table import Kind, Table
from night_trail.draw import draw
from tests.core.tables import table_of
from tests.core.test_compare import typed
from tests.core.test_place import AT, COUNT, MEAN, SUM, lying, said, scattered

ON = ("lon_to", "lat_to")
WAYS = Place(SUM, AT, "arcs", onward=ON)


def going(
    lat: list[float], lon: list[float], lat_to: list[float], lon_to: list[float], **more: object
) -> Table:
    made = table_of(lat=lat, lon=lon, lat_to=lat_to, lon_to=lon_to, **more)  # type: ignore[arg-type]
    kinds = {
        name: {"kind": Kind.LATITUDE if name.startswith("lat") else Kind.LONGITUDE} for name in (*AT, *ON)
    }
    return typed(made, **kinds)


# ---- ways ----


def test_ways_are_of_rows_between_two_places_and_those_that_stay_are_said() -> None:
    table = going(
        [54.0, 54.0, 54.1, 54.0, 54.0], [-2.0, -2.0, -2.1, -2.0, -2.0],
        [54.1, 54.1, 54.0, 54.0, 99.0], [-2.1, -2.1, -2.0, -2.0, -2.1],
        v=[1.0, 2.0, 4.0, 8.0, 16.0], stop=["a", "a", "b", "a", "a"],
    )  # fmt: skip
    found = place(WAYS, Rows(table))
    by = {
        (float(found.spots.latitudes[i]), float(found.spots.onward[1][i])): float(found.figures[i])  # type: ignore[index]
        for i in range(len(found.figures))
    }
    assert by == {(54.0, 54.1): 3.0, (54.1, 54.0): 4.0}
    headline, cautions = said(found, table)
    assert headline.startswith("The most goes from b to a: 4, 57.1\u2009% of 7")
    assert any("1 trip begins and ends at the same place" in c for c in cautions)
    assert any("beyond the Earth" in c for c in cautions)
    for i, condition in enumerate(found.spots.conditions):
        assert int(mask(condition, table).sum()) == found.n[i]
    figures = figures_of(found)
    assert figures.names[:5] == ("way", "from latitude", "from longitude", "to latitude", "to longitude")
    assert [row[6] for row in figures.rows] == [4.0, 3.0]


def test_rows_on_no_way_are_counted_once() -> None:
    table = going([None, 99.0, 0.0, 1.0, 1.0], [None, 1.0, 0.0, 1.0, 1.0], [None, 99.0, 1.0, 0.0, 2.0], [1.0, 1.0, 1.0, 0.0, 2.0],
                  v=[1.0, 2.0, 3.0, 4.0, 5.0])  # fmt: skip
    left = place(WAYS, Rows(table)).spots.left
    assert (left.missing, left.beyond, left.zero) == (1, 1, 2)


def test_many_ways_are_gathered_and_add_up_to_all() -> None:
    rng = np.random.default_rng(5)
    n = 20_000
    a, b = rng.normal(0, 1, (2, n, 2))
    table = going(
        (54 + a[:, 0]).tolist(), (-2 + a[:, 1]).tolist(), (54 + b[:, 0]).tolist(), (-2 + b[:, 1]).tolist(),
        v=rng.gamma(2, 3, n),
    )  # fmt: skip
    found = place(WAYS, Rows(table, (), Near(*AT, (-2.0, 54.0), 60.0)))
    assert 0 < len(found.figures) <= MOST_WAYS and found.spots.wide
    stays = found.spots.left.still
    assert int(found.n.sum()) + stays == n
    assert found.total == pytest.approx(float(table.axis("v").values[found.spots.codes >= 0].sum()))
    for i in found.order[:5].tolist():
        rows = mask(found.spots.conditions[i], table)
        assert int(rows.sum()) == found.n[i]
        assert (
            found.lit is not None
            and int((rows & mask(Near(*AT, (-2.0, 54.0), 60.0), table)).sum()) == found.lit[i]
        )
    drawn = draw(found, table)
    assert drawn.count('class="arc point"') == 300 and "arc lit" in drawn
    assert any("300 largest of" in c for c in said(found, table)[1])


def test_arcs_are_as_wide_as_their_figures_and_ways_are_read_back() -> None:
    table = going([54.0, 54.1], [-2.0, -2.1], [54.1, 54.0], [-2.1, -2.2], v=[10.0, 5.0])
    drawn = draw(place(WAYS, Rows(table)), table)
    widths = [float(x.split('"')[1]) for x in drawn.split("stroke-width=")[1:]]
    assert widths == [16.0, 8.0]
    words = scene_in_words(Scene(WAYS), table)
    assert (
        words
        == "Where is the sum of v, placed by lat and lon and leading to lat_to and lon_to, drawn as arcs?"
    )
    assert read(words, table)[0] == WAYS
    with pytest.raises(BadQuestion, match="Arcs lead somewhere"):
        check(Place(SUM, AT, "arcs"), table)
    with pytest.raises(BadQuestion, match="one place to another"):
        check(Place(SUM, AT, "arcs", onward=AT), table)
    with pytest.raises(BadQuestion, match="not drawn as dots"):
        check(Place(SUM, AT, "dots", onward=ON), table)
    coloured, _ = changed(WAYS, "coloured", "g", going([1.0], [1.0], [2.0], [2.0], v=[1.0], g=["x"]))
    assert coloured.shape == "arcs"
    back, label = changed(WAYS, "onward", None, table)
    assert (back.shape, back.onward, label) == ("dots", None, "where they begin")


# ---- areas that coordinates lie in ----


def test_places_lie_in_areas_as_another_library_says() -> None:
    rng = np.random.default_rng(8)
    squares = [np.array([[0, 0], [4, 0], [4, 4], [0, 4]]), np.array([[2, 2], [7, 2], [5, 8]])]
    hole = np.array([[1, 1], [2, 1], [2, 2], [1, 2]])
    x, y = rng.uniform(-1, 9, (2, 2_000))
    y[:5] = np.nan
    first, second = Polygon(squares[0], [hole]), Polygon(squares[1])
    found = areas_around([[squares[0], hole], [squares[1]]], x, y)
    for at, (a, b) in zip(found.tolist(), zip(x, y, strict=True), strict=True):
        point = Point(a, b)
        wanted = -1 if np.isnan(b) else 0 if first.contains(point) else 1 if second.contains(point) else -1
        assert at == wanted
    # countries, in halves on two threads, as those by hand
    lon, lat = rng.uniform(-180, 180, 3_000), rng.uniform(-60, 80, 3_000)
    keys, inside = shipped_around(lon, lat)
    france = unary_union([Polygon(ring).buffer(0) for ring in countries()["france"].rings])
    at = keys.index("shipped:FRA")
    assert {i for i in range(3_000) if france.contains(Point(lon[i], lat[i]))} == set(
        np.flatnonzero(inside == at)
    )


def test_coordinates_are_drawn_as_countries_or_regions_of_one_and_light_their_rows() -> None:
    world = lying(lat=[48.8, 52.5, 52.4, 0.0, 10.0], lon=[2.3, 13.4, 13.3, -30.0, 200.0], v=[1.0, 2, 3, 4, 5])
    found = place(Place(SUM, AT, "areas"), Rows(world))
    assert dict(zip(found.spots.labels, found.figures.tolist(), strict=True)) == {
        "France": 1.0,
        "Germany": 5.0,
    }
    assert any("2 trips lie in none of the areas" in c for c in said(found, world)[1])
    for i, condition in enumerate(found.spots.conditions):
        assert int(mask(condition, world).sum()) == found.n[i] and in_words(condition, world).startswith(
            "in "
        )
    at_home = lying(lat=[48.8, 43.3, 45.7], lon=[2.3, 5.4, 4.8], v=[1.0, 2, 3])
    regions = place(Place(SUM, AT, "areas"), Rows(at_home))
    assert regions.spots.level == "regions" and len(regions.figures) == 3
    with pytest.raises(BadQuestion, match="no outline"):
        mask(InArea(*AT, "shipped:ATL", 0, "Atlantis"), world)


# ---- what is nearest ----


def test_the_nearest_are_those_of_a_sort_and_are_read_and_said() -> None:
    table = scattered(500)
    near = from_words("the 20 nearest to 54.1 N, 2.05 W", table)
    assert near == Nearest("lon", "lat", (-2.05, 54.1), 20)
    found = mask(near, table)
    assert int(found.sum()) == 20
    lon, lat = (table.axis(name).values for name in AT)
    far = np.hypot((lon + 2.05) * np.cos(np.radians(54.1)), lat - 54.1)
    assert set(np.flatnonzero(found)) == set(np.argsort(far)[:20])
    assert in_words(near, table) == "the 20 nearest to 54.1° N, 2.05° W"
    assert mask(Nearest(*AT, (0.0, 0.0), 9_000), table).all(), "of fewer rows all"
    nowhere = lying(lat=[None, 91.0], lon=[1.0, 2.0])
    assert not mask(Nearest(*AT, (0.0, 0.0), 3), nowhere).any()
    same = lying(lat=[1.0, 1.0, 1.0, 2.0], lon=[1.0, 1.0, 1.0, 2.0])
    assert mask(Nearest(*AT, (1.0, 1.0), 2), same).tolist() == [True, True, True, False], "ties are all in"


def test_a_mark_on_a_map_is_lit_with_what_is_around_it() -> None:
    table = scattered(300)
    hand = at_hand(Scene(Place(SUM, AT)), Near(*AT, (-2.0, 54.0), 3.0), Rows(table))
    km = [ring.km for ring in hand.rings if isinstance(ring, Near)]
    assert len(km) == 2 and km[0] < km[1] and isinstance(hand.rings[2], Nearest)
    counts = [int(mask(ring, table).sum()) for ring in hand.rings]
    assert 0 < counts[0] < counts[1] and counts[2] == 20
    assert at_hand(Scene(Place(SUM, ("v",))), OneOf("v", ("x",)), Rows(table_of(v=["x", "y"]))).rings == ()


# ---- marked by a rule ----


def test_a_rule_marks_what_is_above_and_says_how_many() -> None:
    table = lying(lat=[1.0, 1, 2, 3], lon=[1.0, 1, 2, 3], v=[1.0, 3, 5, 9])
    found = place(Place(MEAN, AT, rule=Rule("above", 4.0)), Rows(table))
    assert [found.marked(i) for i in found.order.tolist()] == [True, True, False]
    assert "2 of 3 places are above 4." in said(found, table)[0]
    drawn = draw(found, table)
    assert drawn.count("spot point hue-3") == 2 and drawn.count("spot point unmarked") == 1
    alone = place(Place(MEAN, AT, rule=Rule("below")), Rows(table))
    assert "1 of 3 places is below all together, 4.5." in said(alone, table)[0]
    none = place(Place(MEAN, AT, rule=Rule("above", 9.0)), Rows(table))
    assert "0 of 3 places are above 9." in said(none, table)[0], "what is just at it is not above"
    for wrong in (
        Place(MEAN, AT, rule=Rule("above"), shade=SUM),
        Place(MEAN, AT, rule=Rule("above"), coloured="g"),
    ):
        with pytest.raises(BadQuestion, match="Leave one"):
            check(wrong, lying(lat=[1.0], lon=[1.0], v=[1.0], g=["a"]))
    words = scene_in_words(Scene(Place(MEAN, AT, rule=Rule("above", 4.0))), table)
    assert read(words, table)[0] == Place(MEAN, AT, rule=Rule("above", 4.0))


# ---- small lines ----


def test_small_lines_are_the_figures_of_each_place_by_whole_periods() -> None:
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i) for i in range(366)]
    rng = np.random.default_rng(3)
    table = lying(
        lat=[1.0 + i % 2 for i in range(366)], lon=[1.0 + i % 2 for i in range(366)],
        v=rng.gamma(2, 3, 366), day=days,
    )  # fmt: skip
    found = place(Place(SUM, AT, history="day"), Rows(table)).histories
    assert found is not None and (found.grain, found.first, found.last) == (
        "week",
        "week 1 of 2024",
        "week 52 of 2024",
    )
    frame = pl.DataFrame({"day": days, "v": table.axis("v").values, "lat": table.axis("lat").values})
    week = frame.filter(pl.col("day") < dt.date(2024, 12, 30)).group_by(
        "lat", pl.col("day").dt.truncate("1w").alias("week")
    ).agg(pl.col("v").sum()).sort("lat", "week")  # fmt: skip
    assert np.allclose(found.values, week["v"].to_numpy().reshape(2, 52))
    drawn = draw(place(Place(SUM, AT, history="day"), Rows(table)), table)
    assert drawn.count('class="history"') == 2 and "small lines where there is room" in drawn
    many = scattered(300)
    assert place(Place(SUM, AT), Rows(many)).histories is None
    with pytest.raises(BadQuestion, match="no time"):
        check(Place(SUM, AT, history="v"), table)
    with pytest.raises(BadQuestion, match="stand at dots"):
        check(Place(SUM, AT, "hexagons", history="day"), table)
    assert changed(Place(SUM, AT, history="day"), "shape", "hexagons", table)[0] == Place(SUM, AT, "hexagons")
    marked = Place(SUM, AT, rule=Rule("above"))
    assert changed(marked, "coloured", "day", table)[0].rule is None
    one = lying(lat=[1.0, 2.0], lon=[1.0, 2.0], v=[1.0, 2.0], day=[dt.date(2024, 1, 1)] * 2)
    assert any(
        "too few whole periods" in c for c in said(place(Place(SUM, AT, history="day"), Rows(one)), one)[1]
    )


# ---- which of several places a name means ----


def test_a_name_of_several_places_is_offered_and_taken_as_chosen() -> None:
    able = alternatives("Springfield", "towns")
    assert len(able) > 3 and all("United States" in where for _, where in able[:3])
    massachusetts = next(key for key, where in able if "Massachusetts" in where)
    table = table_of(town=["Springfield", "Springfield", "Boston"], v=[1.0, 2.0, 4.0])
    first = place(Place(SUM, ("town",)), Rows(table))
    assert first.spots.several == ("Springfield",)
    assert any("Springfield names several places" in c for c in said(first, table)[1])
    assert "which place a name means" in [p.text for p in sentence(first.question, table, first).addable]
    chosen, label = changed(first.question, "meant", f'["Springfield", "{massachusetts}"]', table)
    assert label == f"Springfield at {massachusetts}"
    found = place(chosen, Rows(table))
    at = found.spots.labels.index("Springfield")
    assert (found.spots.latitudes[at], found.spots.longitudes[at]) == pytest.approx((42.1, -72.6), abs=0.1)
    assert not found.spots.several and read(scene_in_words(Scene(chosen), table), table)[0] == chosen
    assert changed(chosen, "meant", None, table)[0].meant == ()
    with pytest.raises(BadQuestion, match="means no place"):
        changed(chosen, "meant", "[1]", table)
    assert located(["Springfield"], None, {"Springfield": "nowhere"}).several == ("Springfield",)
    # a name that is one town's alone is no question
    assert located(["Reykjavik", "Canberra"]).several == ()


# ---- on a plan ----

PICTURE = PlanPicture("the works", 200, 100, "data:image/png;base64,AA", "data:image/png;base64,BB")


def on_plan(**places: tuple[float, float]) -> Table:
    made = table_of(hall=["north", "south", "yard", "north", None], v=[1.0, 2.0, 4.0, 8.0, 16.0])
    made._plan_of = lambda key: Plan(PICTURE, places) if key == "k" else None
    made._plans_named = lambda: [("k", "the works", "hall")]
    return made


def test_groups_stand_where_they_were_placed_and_others_are_named() -> None:
    table = on_plan(north=(0.1, 0.2), south=(0.9, 0.8), gone=(0.5, 0.5))
    asked = Place(SUM, ("hall",), drawn_on="k")
    found = place(asked, Rows(table, (), OneOf("hall", ("north",))))
    where = {
        label: (round(x, 6), round(y, 6), f, n, lit)
        for label, x, y, f, n, lit in zip(
            found.spots.labels,
            found.spots.longitudes,
            found.spots.latitudes,
            found.figures,
            found.n,
            found.lit,
            strict=True,
        )
    }
    assert where == {"north": (10.0, 40.0, 9.0, 2, 2), "south": (90.0, 10.0, 2.0, 1, 0)}
    headline, cautions = said(found, table)
    assert headline.startswith("The most lies at north: 9, 81.8\u2009% of 11")
    assert "“yard” stands nowhere on the plan yet: 1 row is not shown." in cautions
    assert "1 row has no place and is left out." in cautions
    drawn = draw(found, table)
    assert 'href="data:image/png;base64,AA"' in drawn and "plan: the works" in drawn and "grid" not in drawn
    circle = drawn.split('id="main-p-north"')[1]
    assert "translate(" in circle
    words = scene_in_words(Scene(asked), table)
    assert words == "Where is the sum of v, placed by hall, drawn as dots on the plan the works?"
    assert read(words, table)[0] == asked
    zoomed = place(Place(SUM, ("hall",), drawn_on="k", window=(0.0, 50.0, 20.0, 50.0)), Rows(table))
    assert zoomed.spots.labels == ("north",) and zoomed.spots.left.outside == 1
    said_so = scene_in_words(Scene(zoomed.question), table)
    assert said_so.endswith("zoomed into 0 to 50 across and 20 to 50 up?")
    assert read(said_so, table)[0] == zoomed.question
    with pytest.raises(BadQuestion, match="not there any more"):
        check(Place(SUM, ("hall",), drawn_on="x"), table)
    with pytest.raises(BadQuestion, match="groups of one column"):
        check(Place(SUM, ("hall",), drawn_on="k", onward=ON), table)
    off, label = changed(Place(COUNT, ("hall",), drawn_on="k"), "at", "hall", table)
    assert (off.at, label) == (("hall",), "the places of hall")


def test_places_beside_a_plan_and_plans_that_are_none_are_refused() -> None:
    assert checked_place("a", 0.123456, 1.0) == (0.1235, 1.0)
    for x, y in ((-0.1, 0.5), (0.5, 1.1), (float("nan"), 0.5)):
        with pytest.raises(BadQuestion, match="beside the plan"):
            checked_place("a", x, y)
    check_plan(Plan(PICTURE, {"a": (0.5, 0.5)}), "here")
    for wrong in (
        Plan(PlanPicture("x", 0, 1, PICTURE.large, PICTURE.small)),
        Plan(PlanPicture("x", 1, 1, "https://elsewhere/x.png", PICTURE.small)),
        Plan(PlanPicture("x", 1, 1, 'data:image/png;base64,"><script>', PICTURE.small)),
        Plan(PICTURE, {"a": (5.0, 0.5)}),
    ):
        with pytest.raises(Unreadable):
            check_plan(wrong, "here")


def test_an_area_that_ships_has_one_key() -> None:
    codes = [area.code for area in all_countries()]
    assert len(set(codes)) == len(codes)
