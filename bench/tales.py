"""What walking and overviews take: a hundred readers at once, a click on twelve pictures of many rows."""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

from bench.turns import Row, ms

READERS, SECONDS = 100, 60.0


def readers() -> Row:
    """Measure a hundred readers on one tale of a running demo, a page every 3 to 8 seconds each."""
    from attack.attacks import load
    from attack.found import a_tale
    from attack.house import running

    with running(Path(tempfile.mkdtemp(prefix="night-trail-readers-"))) as house:
        person = house.analyst()
        tale, over = a_tale(person), time.monotonic() + 120
        # the demo's models are made first: they are work of their own
        while "being made" in person.get(f"{tale}walk/5/").text and time.monotonic() < over:
            time.sleep(2)
        reading, _ = load(house, READERS, 0, SECONDS)
    said = f"p95 {ms(reading.p95)}, {reading.errors} errors of {reading.tried:,}"
    return (f"{READERS} readers walk one tale at once for {SECONDS:.0f} s", said, "500 ms", "")


def overview(table_pk: int) -> Row:
    """Measure a click on a mark of an overview of twelve pictures, each time another."""
    import msgspec
    from django.test import Client
    from django.urls import reverse
    from msgspec.structs import replace

    from night_trail.core.conditions import OneOf
    from night_trail.core.overview import Overview, draft, free_id, tidy
    from night_trail.core.question import Scene, to_json
    from night_trail.tables.models import Table
    from night_trail.tales.models import Stop, Tale
    from night_trail.trails.pictures import Desk
    from night_trail.trails.services import start_trail

    table = Table.objects.get(pk=table_pk)
    drafted = draft(Desk(table.latest, Scene()).rows)
    tiles = list(drafted.tiles)
    for tile in (*drafted.tiles, *drafted.tiles):
        if len(tiles) < 12:
            tiles.append(replace(tile, id=free_id(tiles), y=40))
    made: Overview = replace(drafted, tiles=tidy(tiles))
    tale = Tale.objects.create(owner=table.owner, title="bench")
    stop = Stop.objects.create(
        tale=tale,
        position=0,
        heading="bench",
        step=start_trail(table.owner, table),
        overview=msgspec.to_builtins(made),
    )
    client = Client()
    client.force_login(table.owner, backend="django.contrib.auth.backends.ModelBackend")
    address = reverse("tales:tile", args=[tale.pk, stop.pk])
    labels = Desk(table.latest, Scene()).table.coded("line").labels
    times = []
    for label in labels[:12]:
        start = time.perf_counter()
        answer = client.post(
            address, {"light": to_json(OneOf("line", (label,)))}, headers={"HX-Request": "true"}
        )
        times.append(time.perf_counter() - start)
        assert answer.status_code == 200, answer.content[:300]
    said = f"{ms(statistics.median(times[1:]))}, worst {ms(max(times[1:]))}"
    return ("a click on an overview of 12 pictures over 1,000,000 rows", said, "500 ms", "")
