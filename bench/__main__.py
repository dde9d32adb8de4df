"""Measure, and write what was measured into docs/performance.md."""

from __future__ import annotations

import argparse
import contextlib
import os
import platform
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
FOLDER = tempfile.mkdtemp(prefix="night-trail-bench-")
if "--read" not in sys.argv:
    os.environ["NIGHT_TRAIL_VAR"] = FOLDER
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "night_trail.site.settings.test")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from bench.signposts import turns_beside_signposts  # noqa: E402
from bench.tales import overview, readers  # noqa: E402
from bench.turns import Row, Turns, ms, timed  # noqa: E402  (settings are read from the environment)
from bench.why import whys  # noqa: E402
from bench.words import typed_words  # noqa: E402


def read_in_a_process(path: Path) -> tuple[float, float, int]:
    """Seconds until the survey stands, peak memory in GB, and the table's key, from a fresh process."""
    done = subprocess.run(
        [sys.executable, "-m", "bench", "--read", str(path)],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    )
    seconds, peak, table = done.stdout.split()[-3:]
    return float(seconds), float(peak), int(table)


def read(path: Path) -> None:
    """What the background worker does with an arrived file."""
    from django.contrib.auth.models import User

    from night_trail.tables.arrivals import add_to_bundle, read_arrival, warm_up
    from night_trail.tables.models import Bundle

    owner, _ = User.objects.get_or_create(username="bench")
    kept = Path(FOLDER) / f"kept-{path.name}"
    os.link(path, kept)
    bundle = Bundle.objects.create(owner=owner, name=path.name)
    add_to_bundle(bundle, kept, path.name)
    arrival = bundle.arrivals.get()
    warm_up()  # as the worker does when it starts
    seconds = timed(lambda: read_arrival(arrival))
    assert arrival.table is not None, arrival.said
    print(f"\n{seconds} {peak()} {arrival.table.pk}")


def peak() -> float:
    """GB that this process and those it started have taken at most, their peaks added up.

    What the system tells of resources is of no use: it begins with what the parent took before.
    """
    total = 0
    for status in Path("/proc").glob("[0-9]*/status"):
        with contextlib.suppress(OSError, ValueError):
            found = dict(line.split(":", 1) for line in status.read_text().splitlines())
            if str(os.getpid()) in (found["Pid"].strip(), found["PPid"].strip()):
                total += int(found.get("VmHWM", "0 kB").split()[0])
    return total / 1e6


def series_of_time(table_pk: int) -> list[Row]:
    """Measure what one series takes to be taken apart and forecast, in a fresh process and warm."""
    from night_trail.core.questions.registry import answer, words_of
    from night_trail.core.rows import Rows
    from night_trail.core.sentence import read
    from night_trail.draw import draw
    from night_trail.tables.models import Table
    from night_trail.tables.services import core_table

    core = core_table(Table.objects.get(pk=table_pk).latest)

    def work(words: str) -> float:
        question = read(words, core)[0]

        def whole() -> None:
            found = answer(question, Rows(core))
            draw(found, core)
            words_of(found, core)

        return timed(whole)

    first = work("boardings taken apart, month by month")
    made = [("first series after the start, taken apart", [first], "4 s")]
    for grain in ("month by month", "day by day"):
        for what, kind in (("taken apart", "taken apart"), ("ahead", "forecast")):
            made.append(
                (
                    f"one series {grain}, {kind}, warm",
                    [work(f"boardings {what}, {grain}") for _ in range(3)],
                    "1.5 s",
                )
            )
    return [(name, f"{statistics.median(times):.2f} s", promise, "") for name, times, promise in made]


def ten_million() -> list[Row]:
    """Measure how usable ten million rows of eight columns are: reading, and turns of every kind."""
    from django.test import Client
    from django.urls import reverse

    from bench import big_table
    from night_trail.core.question import to_json
    from night_trail.core.turns import OnlyWords, Say
    from night_trail.tables.models import Table
    from night_trail.trails.services import start_trail, take_turn

    path = Path(FOLDER) / "ten_million.csv"
    big_table.write(path, 10_000_000, big_table.NARROW)
    size = path.stat().st_size / 1e6
    seconds, peak, table_pk = read_in_a_process(path)
    path.unlink()
    table = Table.objects.get(pk=table_pk)
    client = Client()
    client.force_login(table.owner, backend="django.contrib.auth.backends.ModelBackend")
    step = take_turn(start_trail(table.owner, table), OnlyWords("rain_mm above 2", light=True))
    address = reverse("trails:turn", args=[step.trail_id, step.pk])

    def say(words: str) -> float:
        change = to_json(Say(words))
        start = time.perf_counter()
        response = client.post(address, {"change": change}, headers={"HX-Request": "true"})
        seconds = time.perf_counter() - start
        assert response.status_code == 200, response.content[:300]
        return seconds

    first = ("late_min", "boardings", "line", "late_min by district")
    cold = [say(words) for words in first]
    turned = [
        "late_min with bins of 2 min",
        "late_min by depot",
        "average of late_min by district",
        "sum of boardings by line",
        "average of late_min by line and depot",
        "median of late_min by depot",
        "late_min vs boardings",
        "late_min, only where district is Quayside",
        "average of boardings by depot, only where festival is yes",
    ]
    times = [say(words) for words in turned]
    for words, taken in zip(turned, times, strict=True):
        print(f"  {words}: {ms(taken)}")
    return [
        (f"read a 10,000,000 × 8 CSV ({size:,.0f} MB) until the survey stands", f"{seconds:.0f} s", "", ""),
        ("memory at its peak while reading it, of both processes", f"{peak:.1f} GB", "", ""),
        (
            "its columns asked for the first time",
            f"{ms(statistics.median(cold))}, worst {ms(max(cold))}",
            "",
            "",
        ),
        (
            f"turns over 10,000,000 rows, {len(turned)} kinds",
            f"{ms(statistics.median(times))}, worst {ms(max(times))}",
            "2 s",
            "",
        ),
    ]


def measure() -> list[Row]:
    import django

    django.setup()
    from django.conf import settings
    from django.core.management import call_command

    settings.ALLOWED_HOSTS.append("testserver")
    call_command("migrate", verbosity=0)
    from bench import big_table

    path = Path(FOLDER) / "million.csv"
    big_table.write(path)
    size = path.stat().st_size / 1e6
    seconds, peak, table = read_in_a_process(path)
    rows: list[Row] = [
        (
            f"read a 1,000,000 × 20 CSV ({size:,.0f} MB) until the survey stands",
            f"{seconds:.1f} s",
            "15 s",
            "",
        ),
        ("memory at its peak while reading, of both processes", f"{peak:.2f} GB", "1.5 GB", ""),
    ]
    rows.append(survey_row(table))
    rows += reading(path)
    turns = Turns(table, path)
    path.unlink()
    turns.round()
    series = series_of_time(table)
    words = typed_words(table)
    reasons = whys(table)
    turns.round()
    told = [turns_beside_signposts(table), overview(table), readers()]
    ten = ten_million()
    turns.round()
    return [*rows, *turns.rows(), *series, *words, *reasons, *told, *ten]


def survey_row(table_pk: int) -> Row:
    import datetime as dt

    from night_trail.core.survey import survey
    from night_trail.tables.models import Table
    from night_trail.tables.services import core_table

    core = core_table(Table.objects.get(pk=table_pk).latest)
    today = dt.date(2025, 1, 1)
    survey(core, today)  # imports, and columns fetched from the database
    return ("survey of 20 columns", f"{timed(lambda: survey(core, today)):.1f} s", "3 s", "")


def reading(path: Path) -> list[Row]:
    """Measure reading other shapes of file, and the preview of a large one."""
    from bench import big_table
    from night_trail.core.reading import ReadingSettings, preview

    settings = ReadingSettings(missing=("none",))
    preview(path, path.name, ReadingSettings())  # imports
    rows: list[Row] = [
        (
            f"a decision in the preview of that file ({path.stat().st_size / 1e6:,.0f} MB)",
            ms(timed(lambda: preview(path, path.name, settings))),
            "1 s",
            "",
        )
    ]
    wide = Path(FOLDER) / "wide.csv"
    big_table.write_wide(wide, 10_000, 76)
    times = [read_in_a_process(wide)[0] for _ in range(3)]
    wide_seconds = f"{statistics.median(times):.1f} s, worst {max(times):.1f} s"
    rows.append(("read a 10,000 × 76 CSV until the survey stands", wide_seconds, "2 s", ""))
    columns = Path(FOLDER) / "columns.csv"
    big_table.write_wide(columns, 2_000, 500)
    seconds, _, table = read_in_a_process(columns)
    rows.append(("read a 2,000 × 500 CSV until the survey stands", f"{seconds:.1f} s", "", ""))
    rows.append(("the survey page of 500 columns", ms(survey_page(table)), "", ""))
    return rows


def survey_page(table_pk: int) -> float:
    """Return how long the survey's page takes, in seconds."""
    from django.test import Client

    from night_trail.tables.models import Table

    client = Client()
    client.force_login(
        Table.objects.get(pk=table_pk).owner, backend="django.contrib.auth.backends.ModelBackend"
    )
    client.get(f"/tables/{table_pk}/")
    return timed(lambda: client.get(f"/tables/{table_pk}/"))


def write(rows: list[Row]) -> None:
    lines = [
        "# How fast it is",
        "",
        "Written by `make bench`; do not edit by hand. A table of 1,000,000 rows and 20 columns, made by",
        f"`bench/big_table.py`, on {os.cpu_count()} cores, Python {platform.python_version()}.",
        "A turn is measured from the POST to the HTML of the whole desk, warm, and every turn leads to a",
        "scene that was never computed before. The script beside it is what an analyst would write with",
        "pandas and matplotlib for the same picture, on a frame already loaded (`bench/scripts.py`).",
        "Turns and scripts are taken in three rounds some minutes apart, the median of all is shown.",
        "",
        "| work | measured | promised | plain script |",
        "|---|---|---|---|",
        *(f"| {' | '.join(row)} |" for row in rows),
        "",
        "The weight of the desk's first load (under 600 kB) is held by a browser test,",
        "`test_the_first_load_of_the_desk_is_light`.",
        "",
    ]
    (ROOT / "docs" / "performance.md").write_text("\n".join(lines), encoding="utf-8")
    print("\n".join(lines[9:]))


if __name__ == "__main__":
    parser = argparse.ArgumentParser(prog="python -m bench")
    parser.add_argument("--read", type=Path, help=argparse.SUPPRESS)
    parser.add_argument("--accuracy", action="store_true", help="only how good forecasts are")
    options = parser.parse_args()
    if options.read:
        os.environ["NIGHT_TRAIL_VAR"] = FOLDER = str(options.read.parent)
        import django

        django.setup()
        read(options.read)
        sys.exit()
    from bench import accuracy, planted

    if options.accuracy:
        accuracy.write(ROOT / "docs" / "forecasting.md")
        planted.write(ROOT / "docs" / "accuracy.md")
        sys.exit()
    try:
        write(measure())
        accuracy.write(ROOT / "docs" / "forecasting.md")
        planted.write(ROOT / "docs" / "accuracy.md")
    finally:
        shutil.rmtree(FOLDER, ignore_errors=True)
