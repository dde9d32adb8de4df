"""Where rows lie: figures, hexagons and outlines against other libraries, names, and what the words claim."""

from __future__ import annotations

import datetime as dt
import json
import math
from typing import Any

import numpy as np
import polars as pl
import pyproj
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from shapely.geometry import Point, Polygon

from night_trail.core.conditions import Hexagon, Near, mask, within
from night_trail.core.errors import BadQuestion, Unreadable
from night_trail.core.language.conditions import from_words, in_words, place_words
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.places.flat import back_upright, hexagons, kilometres, middle_of, sideways, upright
from night_trail.core.places.gazetteer import located
from night_trail.core.places.outlines import all_countries, countries, regions_of
from night_trail.core.places.own import read_areas
from night_trail.core.question import Scene
from night_trail.core.questions.place.answer import PlaceAnswer, check, class_edges, place
from night_trail.core.questions.place.coordinates import MOST_SPOTS
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.place.sentence import changed
from night_trail.core.questions.place.words import place_words_of
from night_trail.core.questions.registry import answer, figures_of, words_of
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, scene_in_words
from night_trail.core.table import Kind, Table
from night_trail.demo.outlines import outlines
from night_trail.draw import draw
from night_trail.draw.frame.earth import clipped
from tests.core.tables import table_of
from tests.core.test_compare import typed

SUM, MEAN, COUNT = Measure("sum", "v"), Measure("mean", "v"), Measure("count")
AT = ("lon", "lat")


def lying(**columns: Any) -> Table:
    made = table_of(**columns)
    return typed(made, lat={"kind": Kind.LATITUDE}, lon={"kind": Kind.LONGITUDE})


def scattered(n: int = 3_000, seed: int = 1) -> Table:
    rng = np.random.default_rng(seed)
    return lying(lat=54 + rng.normal(0, 0.1, n), lon=-2 + rng.normal(0, 0.1, n), v=rng.gamma(2, 3, n))


def said(found: PlaceAnswer, table: Table) -> tuple[str, tuple[str, ...]]:
    words = place_words_of(found, table)
    return plain(words.headline), tuple(map(str, words.cautions))


# ---- laid flat ----


@pytest.mark.parametrize("parallel", [0.0, 37.5, 54.0])
def test_the_projection_is_that_of_proj_but_for_its_size(parallel: float) -> None:
    lon, lat = np.array([-170.0, -2.87, 0, 25, 179]), np.array([-80.0, 54.1, 0, -33, 89])
    x, y = pyproj.Proj(proj="cea", lat_ts=parallel, R=180 / math.pi)(lon, lat)
    assert sideways(lon, parallel) == pytest.approx(x)
    assert upright(lat, parallel) == pytest.approx(y)
    assert [back_upright(float(at), parallel) for at in y] == pytest.approx(lat.tolist())


def test_distances_are_those_of_a_sphere_of_proj() -> None:
    rng = np.random.default_rng(2)
    lon, lat = rng.uniform(-180, 180, 200), rng.uniform(-90, 90, 200)
    sphere = pyproj.Geod(a=6_371_008.8, f=0)
    far = sphere.inv(np.full(200, 13.4), np.full(200, 52.5), lon, lat)[2]
    assert kilometres(13.4, 52.5, lon, lat) == pytest.approx(far / 1_000, abs=1e-6)


@settings(max_examples=25, deadline=None)
@given(st.floats(0.001, 5), st.floats(0, 60), st.integers(0, 10_000))
def test_a_place_is_in_the_hexagon_whose_middle_is_nearest(wide: float, parallel: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    lon, lat = rng.uniform(-20, 20, 60), rng.uniform(-60, 60, 60)
    column, line = hexagons(lon, lat, parallel, wide)
    assert ((column + line) % 2 == 0).all()
    x, y = sideways(lon, parallel), upright(lat, parallel)

    def far(a: Any, b: Any) -> Any:
        return np.hypot(a / 2 * wide - x, b / 2 * wide * math.sqrt(3) - y)

    own = far(column, line)
    assert (own <= wide / math.sqrt(3) * (1 + 1e-9)).all()
    for a, b in ((2, 0), (-2, 0), (1, 1), (1, -1), (-1, 1), (-1, -1)):
        assert (own <= far(column + a, line + b) + 1e-9).all()


# ---- outlines and names ----


def test_outlines_hold_known_places_and_are_whole() -> None:
    by_code = {area.code: area for area in all_countries()}
    assert len(by_code) > 230
    for code, lon, lat in (("DEU", 13.4, 52.5), ("BRA", -47.9, -15.8), ("AUS", 134, -25), ("RUS", 100, 62)):
        assert any(within(r, np.array([lon]), np.array([lat]))[0] for r in by_code[code].rings), code
    for area in by_code.values():
        west, east, south, north = area.box
        assert -180 <= west <= east <= 180 and -90 <= south <= north <= 90
        # a ring that goes over the date line is cut there, and not drawn across the whole Earth
        assert all(np.abs(np.diff(ring[:, 0])).max() < 180 for ring in area.rings if area.code != "ATA"), (
            area.code
        )
    assert {"Bayern", "Hessen"} <= {area.name for area in regions_of("DEU")}


def test_point_in_area_is_that_of_shapely() -> None:
    rng = np.random.default_rng(4)
    ring = max(countries()["france"].rings, key=len)
    lon, lat = rng.uniform(-6, 10, 400), rng.uniform(41, 52, 400)
    polygon = Polygon(ring)
    assert within(ring, lon, lat).tolist() == [polygon.contains(Point(p)) for p in zip(lon, lat, strict=True)]


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000))
def test_what_is_clipped_has_the_area_shapely_finds(seed: int) -> None:
    rng = np.random.default_rng(seed)
    angles = np.sort(rng.uniform(0, 2 * math.pi, 9))
    reach = rng.uniform(2, 12, 9)
    corners = np.column_stack([reach * np.cos(angles), reach * np.sin(angles)])
    polygon, seen = Polygon(corners), Polygon([(-5, -4), (6, -4), (6, 5), (-5, 5)])
    if not polygon.is_valid:
        return
    found = clipped(corners, (-5.0, -4.0, 6.0, 5.0))
    x, y = found[:, 0], found[:, 1]
    area = abs(float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())) / 2
    assert area == pytest.approx(polygon.intersection(seen).area, abs=1e-6)


def test_names_are_countries_regions_or_towns_by_most_of_them() -> None:
    assert [a and a.name for a in located(["Deutschland", "FRA", "UK", "Nowhere"]).found] == [
        "Germany", "France", "United Kingdom", None,
    ]  # fmt: skip
    assert located(["Georgia", "Texas", "Alabama"]).level == "regions"
    towns = located(["München", "Paris", "London"])
    assert towns.level == "towns" and [t.country for t in towns.found if t] == ["DE", "FR", "GB"]  # type: ignore[union-attr]
    there = located(["Paris", "London"], ["US", "Canada"])
    assert [t.country for t in there.found if t] == ["US", "CA"]  # type: ignore[union-attr]
    assert located(["Georgia"]).level == "countries"


# ---- figures ----


def test_a_spot_for_each_place_has_the_figure_of_polars() -> None:
    rng = np.random.default_rng(3)
    frame = pl.DataFrame(
        {
            "lat": rng.choice([54.0, 54.1, 54.2], 400),
            "lon": rng.choice([-2.0, -2.1], 400),
            "v": rng.normal(5, 2, 400),
        }
    )
    found = place(Place(MEAN, AT), Rows(lying(**frame.to_dict(as_series=False)), ()))
    figures = figures_of(found)
    assert {(r[1], r[2]): (r[3], pytest.approx(r[4])) for r in figures.rows} == {
        (lat, lon): (n, v)
        for lat, lon, n, v in frame.group_by("lat", "lon").agg(pl.len(), pl.col("v").mean()).iter_rows()
    }


@pytest.mark.parametrize("shape", ["dots", "hexagons"])
@pytest.mark.parametrize("measure", [SUM, COUNT, MEAN, Measure("median", "v")])
def test_every_row_is_in_one_hexagon_and_its_condition_names_these_rows(shape: Any, measure: Measure) -> None:
    table = scattered()
    found = place(Place(measure, AT, shape), Rows(table, (), Near("lon", "lat", (-2.0, 54.0), 6.0)))
    assert found.spots.wide and int(found.n.sum()) == table.height
    if measure.aggregate in ("sum", "count"):
        assert float(np.nansum(found.figures)) == pytest.approx(found.total)
    values, where = table.axis("v").values, np.zeros(table.height, dtype=int)
    for i, condition in enumerate(found.spots.conditions):
        kept = mask(condition, table)
        where += kept
        assert int(kept.sum()) == found.n[i]
        if measure.aggregate == "median":
            assert found.figures[i] == pytest.approx(np.median(values[kept]))
        assert (
            found.lit is not None
            and int((kept & mask(Near("lon", "lat", (-2.0, 54.0), 6.0), table)).sum()) == found.lit[i]
        )
    assert (where == 1).all()


def test_near_is_a_ring_of_kilometres_and_is_said_and_read() -> None:
    table = scattered()
    near = from_words("within 5 km of 54, -2", table)
    assert near == Near("lon", "lat", (-2.0, 54.0), 5.0)
    assert in_words(near, table) == "within 5 km of 54° N, 2° W"
    assert from_words(in_words(near, table), table) == near
    far = pyproj.Geod(a=6_371_008.8, f=0).inv(
        np.full(table.height, -2.0),
        np.full(table.height, 54.0),
        table.axis("lon").values,
        table.axis("lat").values,
    )[2]
    assert (mask(near, table) == (np.asarray(far) <= 5_000)).all()
    with pytest.raises(BadQuestion, match="nowhere on Earth"):
        from_words("within 5 km of 154, -2", table)
    with pytest.raises(BadQuestion, match="No column says where"):
        from_words("within 5 km of 54, -2", table_of(a=[1.0]))


def test_classes_are_those_of_hand_cases() -> None:
    ten = np.arange(1.0, 11.0)
    assert class_edges(ten, "as many") == pytest.approx((2.8, 4.6, 6.4, 8.2))
    assert class_edges(np.array([0.0, 10.0, np.nan]), "as wide") == (5.0,)
    assert class_edges(np.array([3.0, 3.0]), "as many") == ()
    # equal values are never parted
    assert class_edges(np.array([1.0] * 9 + [2.0]), "as many") == ()


# ---- words ----


def test_what_lies_nowhere_is_counted_and_said() -> None:
    table = lying(
        lat=[54.0, 95.0, 0.0, None, 54.5, 54.0],
        lon=[-2.0, 10.0, 0.0, 1.0, -2.0, -2.0],
        v=[1.0, 2, 3, 4, 5, 6],
    )
    found = place(Place(SUM, AT), Rows(table, ()))
    words, cautions = said(found, table)
    assert words == "The most lies at 54° N, 2° W: 7, 58.3\u2009% of 12."
    assert any("1 trip has no place" in c for c in cautions)
    assert any("1 trip lies beyond the Earth" in c and "1 would lie on Earth" in c for c in cautions)
    assert any("1 trip lies at 0°, 0°" in c for c in cautions)
    # where all rows lie there it is a place like any other
    zero = lying(lat=[0.0, 0.0], lon=[0.0, 0.0], v=[1.0, 2.0])
    assert said(place(Place(SUM, AT), Rows(zero, ())), zero) == ("All of it, 3, lies at 0°, 0°.", ())


def test_ties_and_places_of_few_rows_are_not_made_into_more() -> None:
    even = lying(lat=[54.0, 55.0], lon=[-2.0, -2.0], v=[2.0, 2.0])
    assert said(place(Place(SUM, AT), Rows(even, ())), even)[0] == "2 places are alike: 2 each."
    tied = lying(lat=[54.0, 55.0, 56.0], lon=[-2.0] * 3, v=[2.0, 2.0, 1.0])
    assert "at 54° N, 2° W and 1 other: 2 each" in said(place(Place(SUM, AT), Rows(tied, ())), tied)[0]
    # one row of 100 is no place where it is highest, if others rest on many
    rows = [(54.0, 1.0)] * 20 + [(55.0, 3.0)] * 20 + [(56.0, 100.0)]
    few = lying(lat=[r[0] for r in rows], lon=[-2.0] * 41, v=[r[1] for r in rows])
    assert (
        "Of 2 places with at least 10 rows it is highest at 55° N"
        in said(place(Place(MEAN, AT), Rows(few, ())), few)[0]
    )


def test_names_that_mean_nothing_are_listed_with_their_rows() -> None:
    table = table_of(country=["Germany", "Germany", "Atlantis", "USA", "United States"], v=[1.0, 2, 3, 4, 5])
    question, _ = read("where is the sum of v placed by country", table)
    found = place(question, Rows(table, ()))
    words, cautions = said(found, table)
    assert found.shape == "areas" and words.startswith("The most lies in United States of America: 9")
    assert any("1 row (20\u2009%) lies nowhere that is known, by its name: “Atlantis”" in c for c in cautions)
    assert any("Large areas catch the eye" in c for c in cautions)
    assert [*next(r for r in figures_of(found).rows if r[0] == "Atlantis")][:6] == [
        "Atlantis",
        None,
        None,
        1,
        None,
        None,
    ]
    # both names of one country are its rows
    at = found.spots.labels.index("United States of America")
    assert int(mask(found.spots.conditions[at], table).sum()) == 2


def test_a_table_without_places_says_so_and_names_of_towns_have_no_areas() -> None:
    with pytest.raises(BadQuestion, match="No column says where rows lie"):
        read("where is the sum of v", table_of(v=[1.0, 2.0]))
    towns = table_of(city=["Paris", "London"], v=[1.0, 2.0])
    question, _ = read("where is the sum of v placed by city", towns)
    assert question.shape == "dots"
    asked = place(Place(SUM, ("city",), "areas"), Rows(towns, ()))
    assert asked.shape == "dots" and any("drawn as dots" in c for c in said(asked, towns)[1])
    with pytest.raises(BadQuestion, match="names no places"):
        check(Place(COUNT, ("v",)), towns)


def test_zoomed_in_places_part_again_and_the_rest_is_counted() -> None:
    table = scattered(5_000)
    whole = place(Place(COUNT, AT), Rows(table, ()))
    assert whole.spots.wide
    near = Place(COUNT, AT, window=(-2.02, -1.98, 53.98, 54.02))
    found = place(near, Rows(table, ()))
    inside = (np.abs(table.axis("lon").values + 2) <= 0.02) & (np.abs(table.axis("lat").values - 54) <= 0.02)
    assert not found.spots.wide and len(found.n) == int(inside.sum()) <= MOST_SPOTS
    assert found.spots.left.outside == table.height - int(inside.sum())


def test_spots_are_called_by_a_column_that_names_each() -> None:
    stops = [("Quay", 54.0), ("Mill", 54.1), ("Hill", 54.2)] * 4
    table = lying(lat=[s[1] for s in stops], lon=[-2.0] * 12, stop=[s[0] for s in stops], v=list(range(12)))
    assert place(Place(COUNT, AT), Rows(table, ())).spots.named == "stop"
    # a name of two places names neither
    twice = lying(lat=[54.0, 54.1, 54.2], lon=[-2.0] * 3, stop=["a", "a", "b"], v=[1, 2, 3])
    assert place(Place(COUNT, AT), Rows(twice, ())).spots.named == ""


@pytest.mark.parametrize(
    "typed_words",
    [
        "Where is the sum of v, placed by lat and lon, drawn as dots?",
        "Where is the average of v, placed by lat and lon, drawn as hexagons, shaded by the sum of v in classes as wide?",
        "Where is the number of trips, placed by lat and lon, drawn as dots, coloured by kind, zoomed into longitude −3 to 1.5 and latitude 50 to 51?",
        "Where is the sum of v, placed by town in country, drawn as dots?",
    ],
)
def test_the_sentence_is_read_back(typed_words: str) -> None:
    table = lying(
        lat=[50.5, 50.7],
        lon=[1.0, -1.0],
        v=[1.0, 2.0],
        kind=["x", "y"],
        town=["Paris", "London"],
        country=["France", "UK"],
    )
    question, _ = read(typed_words, table)
    assert scene_in_words(Scene(main=question), table) == typed_words
    assert read("v on a map", table)[0].at == AT


def test_slots_keep_what_fits() -> None:
    table = lying(lat=[50.5], lon=[1.0], v=[1.0], kind=["x"], country=["France"])
    areas, _ = changed(Place(SUM, AT, "hexagons"), "at", "country", table)
    assert areas.shape == "areas" and areas.country is None
    back, label = changed(areas, "at", '["lon", "lat"]', table)
    assert back.shape == "areas" and label == "placed by lat and lon", "those areas that coordinates lie in"
    coloured, _ = changed(Place(SUM, AT, "hexagons", shade=MEAN), "coloured", "kind", table)
    assert (coloured.shape, coloured.shade) == ("dots", None)


def test_places_are_written_as_people_write_them() -> None:
    assert place_words(190.0, -5.5) == "5.5° S, 170° W"
    assert middle_of(0, 0, 40.0, 1.0) == (0.0, 0.0)
    assert isinstance(from_words("within 1,000 km of 10 S, 20 E", scattered(10)), Near)
    assert in_words(Hexagon("lon", "lat", 40.0, 1.0, (0, 0)), scattered(10)) == "in the hexagon around 0°, 0°"


# ---- areas of one's own ----

SQUARES = {
    "type": "FeatureCollection",
    "features": [
        {
            "type": "Feature",
            "properties": {"kind": "park", "name": name},
            "geometry": {
                "type": "MultiPolygon",
                "coordinates": [[[[w, 53], [w + 1, 53], [w + 1, 55], [w, 55], [w, 53]], hole]],
            },
        }
        for name, w, hole in (
            ("West End", -3, [[-2.2, 53.9], [-2.05, 53.9], [-2.05, 54.1], [-2.2, 54.1], [-2.2, 53.9]]),
            ("East <b>", -2, [[9, 9], [9, 9.1], [9.1, 9], [9, 9]]),
        )
    ],
}


def with_areas(table: Table) -> Table:
    own = read_areas(json.dumps(SQUARES).encode(), "my/districts.geojson")
    table._areas = lambda: {"k": own}
    return table


def test_rows_lie_in_the_areas_that_shapely_says_with_holes() -> None:
    table = with_areas(scattered())
    found = place(Place(SUM, AT, "areas", areas="k"), Rows(table, ()))
    x, y, v = (table.axis(name).values for name in ("lon", "lat", "v"))
    for label, condition, n, figure in zip(
        found.spots.labels, found.spots.conditions, found.n, found.figures, strict=True
    ):
        rings = next(
            f["geometry"]["coordinates"][0] for f in SQUARES["features"] if f["properties"]["name"] == label
        )
        polygon = Polygon(rings[0], [r for r in rings[1:] if r[0][0] < 0])
        inside = np.array([polygon.contains(Point(p)) for p in zip(x, y, strict=True)])
        assert (mask(condition, table) == inside).all() and n == inside.sum()
        assert figure == pytest.approx(v[inside].sum())
    out = table.height - int(found.n.sum())
    assert out and any(f"{out:,} trips lie in none of the areas" in c for c in said(found, table)[1])
    assert in_words(found.spots.conditions[0], table) == f"in {found.spots.labels[0]}"


def test_rows_are_put_into_areas_by_their_names_too_and_it_is_read_back() -> None:
    table = with_areas(table_of(where=["west end", "West  End", "East <b>", "Nowhere"], v=[1.0, 2, 3, 4]))
    question = Place(SUM, ("where",), "areas", areas="k")
    found = place(question, Rows(table, ()))
    assert dict(zip(found.spots.labels, found.figures.tolist(), strict=True)) == {
        "West End": 3.0,
        "East <b>": 3.0,
    }
    sentence = scene_in_words(Scene(main=question), table)
    assert sentence == "Where is the sum of v, placed by where, drawn as areas of districts?"
    assert read(sentence, table)[0] == question
    svg = draw(found, table)
    assert "East &lt;b&gt;" in svg and "<b>" not in svg
    with pytest.raises(BadQuestion, match="not there any more"):
        check(Place(SUM, ("where",), "areas", areas="gone"), table)


@pytest.mark.parametrize(
    ("data", "refused"),
    [
        (b"no json", "no GeoJSON"),
        (b"[" * 100_000, "no GeoJSON"),
        (b'{"type":"Point","coordinates":[1,2]}', "no areas"),
        (b'{"type":"Polygon","coordinates":[[["x",1],[2,2],[3,3]]]}', "no areas"),
        (b'{"type":"Polygon","coordinates":[[[500000,1],[500001,2],[500002,3]]]}', "no degrees"),
        (b"9" * 5_000_001, "larger than 5 MB"),
    ],
)
def test_what_holds_no_areas_is_refused_in_a_sentence(data: bytes, refused: str) -> None:
    with pytest.raises(Unreadable, match=refused):
        read_areas(data, "x.geojson")


def test_areas_without_names_are_numbered_and_the_demo_s_do_not_overlap() -> None:
    bare = read_areas(b'{"type":"Polygon","coordinates":[[[0,0],[1,0],[0,1],[0,0]]]}', "a.json")
    assert [area.name for area in bare.areas] == ["area 1"]
    town = read_areas(outlines(), "town.geojson")
    shapes = [Polygon(area.rings[0]) for area in town.areas]
    assert len(shapes) == 5 and all(shape.is_valid for shape in shapes)
    assert all(a.intersection(b).area < 0.01 * a.area for i, a in enumerate(shapes) for b in shapes[:i])


def test_places_on_both_sides_of_the_date_line_are_said_to_be_cut_and_others_are_not() -> None:
    pacific = lying(lat=[-17.0, -18.0, -19.0], lon=[179.0, -179.0, 178.0], v=[1.0, 2, 3])
    assert any("date line" in c for c in said(place(Place(SUM, AT), Rows(pacific, ())), pacific)[1])
    rng = np.random.default_rng(8)
    world = lying(lat=rng.uniform(-60, 60, 200), lon=rng.uniform(-180, 180, 200), v=rng.gamma(1, 1, 200))
    assert not any("date line" in c for c in said(place(Place(SUM, AT), Rows(world, ())), world)[1])


def test_degrees_are_written_whatever_the_first_column_of_the_table_is() -> None:
    days = [dt.date(2024, 1, 1), dt.date(2024, 6, 1), dt.date(2025, 1, 1)]
    table = table_of(day=days, country=["Germany", "France", "Italy"], v=[1.0, 2, 3])
    svg = draw(place(read("where is the sum of v", table)[0], Rows(table, ())), table)
    assert "° N<" in svg and "° E<" in svg


def test_of_averages_that_differ_by_chance_the_highest_place_is_no_finding() -> None:
    rng = np.random.default_rng(5)
    countries = rng.choice(["France", "Germany", "Italy", "Spain"], 800)
    noise = rng.normal(10, 3, 800)
    claimed = 0
    for values, chance in ((noise, True), (noise + 4 * (countries == "Italy"), False)):
        table = table_of(country=countries.tolist(), late=values.tolist())
        for words in (
            "where is the average of late by country",
            "what makes up the average of late by country",
        ):
            question, _ = read(words, table)
            found = answer(question, Rows(table))
            said = plain(words_of(found, table).headline)
            assert "highest" in said and ("The differences may be chance (Welch, p" in said) == chance, said
            held = stats.f_oneway(
                *(values[countries == c] for c in np.unique(countries)), equal_var=False
            ).pvalue
            assert found.tested.p == pytest.approx(held)
            claimed += chance
    added = answer(read("where is the sum of late by country", table)[0], Rows(table))
    assert claimed == 2 and "chance" not in plain(words_of(added, table).headline)
