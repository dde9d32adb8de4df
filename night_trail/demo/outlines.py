"""The districts of Marrow Haven as areas: each holds what is nearer to its middle than to any other's."""

from __future__ import annotations

import json
import math

from night_trail.demo.night_buses import PLACES

REACH = 0.0135
"""How far a district goes where no other begins, in degrees of latitude."""

CORNERS = 72
FILE = "districts of Marrow Haven.geojson"


def outlines() -> bytes:
    """Return the districts as GeoJSON.

    Towards a neighbour a district ends halfway (Voronoi 1908), elsewhere at an uneven edge of the town.
    """
    features = []
    for i, (name, (north, east)) in enumerate(PLACES.items()):
        wide = math.cos(math.radians(north))
        others = [((x - east) * wide, y - north) for other, (y, x) in PLACES.items() if other != name]
        ring = []
        for k in range(CORNERS):
            angle = 2 * math.pi * k / CORNERS
            reach = REACH * (1 + 0.1 * math.sin(5 * angle + i) + 0.06 * math.sin(11 * angle + 2 * i))
            for x, y in others:
                along = (x * math.cos(angle) + y * math.sin(angle)) / math.hypot(x, y)
                if along > 0:
                    reach = min(reach, math.hypot(x, y) / 2 / along)
            at = (east + reach * math.cos(angle) / wide, north + reach * math.sin(angle))
            ring.append([round(at[0], 5), round(at[1], 5)])
        features.append(
            {
                "type": "Feature",
                "properties": {"name": name},
                "geometry": {"type": "Polygon", "coordinates": [[*ring, ring[0]]]},
            }
        )
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()
