"""A tale as a package that another Night Trail opens: its trails, their tables, and itself, in one zip.

``package.json`` follows the schema beside it; tables are Parquet, pictures SVG. A package
comes from anywhere: whatever is in it is decoded strictly, rows are read apart, and nothing
is kept unless all of it can be.
"""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import msgspec
import polars as pl
from django.conf import settings
from django.db import transaction
from django.utils import timezone

from night_trail.core.annotations import Annotations
from night_trail.core.beats import Beats
from night_trail.core.claims.claim import Claim
from night_trail.core.errors import NightTrailError
from night_trail.core.measure import Measure
from night_trail.core.overview import Overview
from night_trail.core.places.own import OwnAreas, check_areas
from night_trail.core.question import Scene, key
from night_trail.core.questions.shared.time_question import FrozenStruct
from night_trail.core.survey import Surveyor
from night_trail.core.table import Column
from night_trail.people.models import Role
from night_trail.tables import aside, cache, quota
from night_trail.tables.arrivals import free_name
from night_trail.tables.cells import write_parquet
from night_trail.tables.models import Table, Version
from night_trail.tables.own_areas import MOST as MOST_FILES
from night_trail.tables.own_areas import areas_of, keep_areas
from night_trail.tables.plans import PackedPlans, keep_packed, packed_plans
from night_trail.tables.services import core_table
from night_trail.tales.export.gathered import told
from night_trail.tales.images import ENDINGS, keep_image
from night_trail.tales.models import Image, Stop, Tale
from night_trail.tales.services import MOST_STOPS
from night_trail.trails.models import Cairn, Step, Trail
from night_trail.trails.rewalk import fits
from night_trail.web.pixels import MOST_BYTES

MOST_JSON = 40_000_000
MOST_ENTRIES = 2_000
Title = Annotated[str, msgspec.Meta(min_length=1, max_length=200)]
ColumnName = Annotated[str, msgspec.Meta(max_length=500)]
Place = tuple[int, int]
"""A step: which trail, and which of its steps, counted from 0."""


class PackedTable(FrozenStruct, frozen=True):
    """A version of a table; its cells are in ``rows``."""

    name: Title
    noun_one: Annotated[str, msgspec.Meta(max_length=60)]
    noun_many: Annotated[str, msgspec.Meta(max_length=60)]
    columns: Annotated[list[Column], msgspec.Meta(max_length=5_000)]
    rows: Annotated[str, msgspec.Meta(pattern=r"^tables/\d{1,4}\.parquet$")]
    height: Annotated[int, msgspec.Meta(ge=0)]
    measures: dict[str, Measure] = {}
    areas: Annotated[dict[str, OwnAreas], msgspec.Meta(max_length=MOST_FILES)] = {}
    plans: PackedPlans = PackedPlans()


class PackedCairn(FrozenStruct, frozen=True):
    """A cairn."""

    title: Title
    note: Annotated[str, msgspec.Meta(max_length=4_000)] = ""
    annotations: Annotations = ()
    claim: Claim | None = None
    verdict: dict[str, Any] | None = None


class PackedStep(FrozenStruct, frozen=True):
    """A step; ``parent`` is the place of the one it left from."""

    parent: Annotated[int, msgspec.Meta(ge=0)] | None
    scene: Scene
    label: Annotated[str, msgspec.Meta(max_length=300)]
    passing: bool = False
    cairn: PackedCairn | None = None


class PackedTrail(FrozenStruct, frozen=True):
    """A trail on one of the tables."""

    title: Title
    table: Annotated[int, msgspec.Meta(ge=0)]
    steps: Annotated[list[PackedStep], msgspec.Meta(min_length=1, max_length=5_000)]


class PackedStop(FrozenStruct, frozen=True):
    """A stop of the tale."""

    heading: Title
    text: Annotated[str, msgspec.Meta(max_length=20_000)] = ""
    chapter: Annotated[str, msgspec.Meta(max_length=200)] = ""
    step: Place | None = None
    beside: Place | None = None
    scene: Scene | None = None
    beats: Beats = ()
    annotations: Annotations = ()
    claim: Claim | None = None
    verdict: dict[str, Any] | None = None
    large: Annotated[str, msgspec.Meta(pattern=r"^([0-9a-f]{8})?$")] = ""
    frozen: bool = False
    overview: Overview | None = None
    image: Annotated[str, msgspec.Meta(pattern=r"^images/\d{1,4}\.(png|jpg)$")] | None = None
    image_alt: Annotated[str, msgspec.Meta(max_length=400)] = ""
    notes: Annotated[str, msgspec.Meta(max_length=8_000)] = ""
    chips: Annotated[
        tuple[Annotated[str, msgspec.Meta(max_length=500)], ...], msgspec.Meta(max_length=8)
    ] = ()


class Package(FrozenStruct, frozen=True):
    """All of it."""

    title: Title
    tables: Annotated[list[PackedTable], msgspec.Meta(max_length=50)]
    trails: Annotated[list[PackedTrail], msgspec.Meta(max_length=100)]
    stops: Annotated[list[PackedStop], msgspec.Meta(max_length=MOST_STOPS)]
    least_lit: Annotated[int, msgspec.Meta(ge=0, le=1_000_000)] = 0
    made: str = ""
    package: Annotated[int, msgspec.Meta(ge=1, le=1)] = 1


# ---- packing ----


def packed(tale: Tale, person: Any) -> bytes:
    """Return a tale with its trails and their rows as a package.

    Raises
    ------
    NightTrailError
        Where the person may not see the rows of a table it stands on.
    """
    stops = list(
        tale.stops.select_related("step__trail__version__table", "beside__trail__version__table", "image")
    )
    shown = [step for stop in stops for step in (stop.step, stop.beside) if step is not None]
    trails = {step.trail_id: step.trail for step in shown}
    versions: dict[int, Version] = {trail.version_id: trail.version for trail in trails.values()}
    for version in versions.values():
        if not Table.objects.sees(person, version.table, Role.READ):
            raise NightTrailError(
                "A package holds the rows of its tables, and some are not yours to see",
                "",
                "Ask the owner of the table.",
            )
    table_at = {pk: at for at, pk in enumerate(versions)}
    places: dict[int, Place] = {}
    told_trails = [_trail(trail, at, table_at, places) for at, trail in enumerate(trails.values())]
    images = {stop.image.pk: stop.image for stop in stops if stop.image is not None}
    names = {pk: f"images/{at}.{ENDINGS[image.kind]}" for at, (pk, image) in enumerate(images.items())}
    package = Package(
        title=tale.title,
        least_lit=tale.least_lit,
        made=timezone.now().isoformat(timespec="seconds"),
        tables=[
            _table(version, at) for version, at in zip(versions.values(), table_at.values(), strict=True)
        ],
        trails=told_trails,
        stops=[_stop(stop, places, names) for stop in stops],
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("package.json", msgspec.json.format(msgspec.json.encode(package), indent=1))
        made.writestr(
            "schema.json", msgspec.json.format(msgspec.json.encode(msgspec.json.schema(Package)), indent=1)
        )
        for version, at in zip(versions.values(), table_at.values(), strict=True):
            cells = io.BytesIO()
            write_parquet(core_table(version), cells)
            made.writestr(f"tables/{at}.parquet", cells.getvalue(), zipfile.ZIP_STORED)
        for image in images.values():
            made.writestr(names[image.pk], bytes(image.data), zipfile.ZIP_STORED)
        for one in told(tale):
            for at, part in enumerate(one.parts, 1):
                made.writestr(f"pictures/stop-{one.number}-{at}.svg", part.alone())
    return out.getvalue()


def _table(version: Version, at: int) -> PackedTable:
    table = version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    return PackedTable(
        name=table.name,
        noun_one=table.noun_one,
        noun_many=table.noun_many,
        columns=version.column_list(),
        rows=f"tables/{at}.parquet",
        height=version.height,
        measures=msgspec.convert(table.measures, dict[str, Measure]),
        areas=dict(areas_of(table)),
        plans=packed_plans(table),
    )


def _trail(trail: Trail, at: int, table_at: dict[int, int], places: dict[int, Place]) -> PackedTrail:
    steps: list[PackedStep] = []
    here: dict[int, int] = {}
    for step in trail.steps.select_related("cairn").order_by("pk"):
        try:
            scene = step.scene_value()
        except NightTrailError:
            continue  # what cannot be read any more is not passed on
        cairn = getattr(step, "cairn", None)
        here[step.pk] = len(steps)
        places[step.pk] = (at, len(steps))
        steps.append(
            PackedStep(
                parent=here.get(step.parent_id) if step.parent_id else None,
                scene=scene,
                label=step.label,
                passing=step.passing,
                cairn=_cairn(cairn) if cairn is not None else None,
            )
        )
    return PackedTrail(title=trail.title, table=table_at[trail.version_id], steps=steps)


def _cairn(cairn: Cairn) -> PackedCairn:
    return PackedCairn(cairn.title, cairn.note, cairn.annotation_values(), cairn.claim_value(), cairn.verdict)


def _stop(stop: Stop, places: dict[int, Place], names: dict[int, str]) -> PackedStop:
    return PackedStop(
        heading=stop.heading,
        text=stop.text,
        chapter=stop.chapter,
        step=places.get(stop.step_id) if stop.step_id else None,
        beside=places.get(stop.beside_id) if stop.beside_id else None,
        scene=msgspec.convert(stop.scene, Scene) if stop.scene is not None else None,
        beats=stop.beat_values(),
        annotations=stop.annotation_values(),
        claim=stop.claim_value(),
        verdict=stop.verdict,
        large=stop.large,
        frozen=stop.frozen,
        overview=stop.overview_value(),
        image=names[stop.image_id] if stop.image_id else None,
        image_alt=stop.image_alt,
        notes=stop.notes,
        chips=tuple(stop.chips),
    )


# ---- opening ----


def opened(person: Any, data: bytes) -> Tale:
    """Open a package as a tale of a person's own, with its tables and trails.

    Raises
    ------
    NightTrailError
        Where it is no package, or what it holds does not fit together; nothing is kept then.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as found:
            package = _decoded(found)
            _check_size(found, person)
            with tempfile.TemporaryDirectory(dir=settings.INCOMING) as room:
                return _kept(package, found, person, Path(room))
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, EOFError, OSError):
        raise _no_package("it is no zip that can be opened") from None


def _no_package(why: str) -> NightTrailError:
    return NightTrailError(
        f"This is not a package of a tale: {why}", "", "Choose one that was taken along here."
    )


def _decoded(found: zipfile.ZipFile) -> Package:
    entries = found.infolist()
    if len(entries) > MOST_ENTRIES or "package.json" not in found.namelist():
        raise _no_package("package.json is missing")
    if found.getinfo("package.json").file_size > MOST_JSON:
        raise _no_package("package.json is too large")
    try:
        package = msgspec.json.decode(_read(found, "package.json", MOST_JSON), type=Package)
    except (msgspec.MsgspecError, NightTrailError, UnicodeDecodeError, RecursionError) as error:
        raise _no_package(str(error)[:200]) from None
    for trail in package.trails:
        if trail.table >= len(package.tables):
            raise _no_package("a trail stands on a table that is not there")
        for at, step in enumerate(trail.steps):
            if step.parent is not None and step.parent >= at:
                raise _no_package("a step leaves from one behind it")
    for place in (p for stop in package.stops for p in (stop.step, stop.beside) if p is not None):
        if not (0 <= place[0] < len(package.trails) and 0 <= place[1] < len(package.trails[place[0]].steps)):
            raise _no_package("a stop shows a step that is not there")
    return package


def _read(found: zipfile.ZipFile, name: str, most: int) -> bytes:
    """Return an entry, however small it claims to be: no more than ``most`` bytes are unpacked."""
    with found.open(name) as entry:
        data = entry.read(most + 1)
    if len(data) > most:
        raise _no_package(f"{name} is too large")
    return data


def _check_size(found: zipfile.ZipFile, person: Any) -> None:
    total = sum(entry.file_size for entry in found.infolist() if entry.filename.startswith("tables/"))
    if total > min(settings.UPLOAD_LIMIT, quota.left_for(person)):
        raise NightTrailError(
            "The tables of this package are larger than is taken", "", "Delete a table first."
        )


def _kept(package: Package, found: zipfile.ZipFile, person: Any, room: Path) -> Tale:
    versions: list[Version] = []
    try:
        for table in package.tables:
            versions.append(_kept_rows(table, found, room))
        with transaction.atomic():
            tables = [_kept_table(t, v, person) for t, v in zip(package.tables, versions, strict=True)]
            steps = [list(_kept_steps(trail, tables, person)) for trail in package.trails]
            tale = Tale.objects.create(owner=person, title=package.title, least_lit=package.least_lit)
            for position, stop in enumerate(package.stops):
                _kept_stop(stop, position, tale, steps, found)
            return tale
    except BaseException:
        Version.objects.filter(pk__in=[v.pk for v in versions], table=None).delete()
        raise


def _kept_rows(table: PackedTable, found: zipfile.ZipFile, room: Path) -> Version:
    """Keep the cells of a table; what reads them is confined, as for any file that arrives."""
    if table.rows not in found.namelist():
        raise _no_package(f"{table.rows} is missing")
    path = room / "rows.parquet"
    path.write_bytes(_read(found, table.rows, settings.UPLOAD_LIMIT))
    version = Version.objects.create()
    try:
        surveyor = Surveyor(table.height, timezone.now().date())
        names: list[str] = []
        for position, (name, cells) in enumerate(aside.whole().typed(path, "the package")):
            column = table.columns[position] if position < len(table.columns) else None
            if column is None or column.name != name or len(cells) != table.height:
                raise _no_package(f"its rows are not those of {table.name}")
            _check_kind(column, cells)
            cache.keep(version.pk, position, cells)
            surveyor.add(column, cells)
            names.append(name)
        if len(names) != len(table.columns) or len(set(names)) != len(names):
            raise _no_package(f"columns of {table.name} are missing")
        version.height = table.height
        version.columns = Version.as_json(table.columns)
        version.notes = ["It came in a package, with its rows as they are."]
        version.survey = Version.as_json(
            surveyor.finish(lambda position: cache.column((version.pk, position, None, None)))
        )
        version.save()
    except BaseException:
        version.delete()
        raise
    return version


def _check_kind(column: Column, cells: pl.Series) -> None:
    """Refuse cells that are not what the kind of their column says."""
    kind, dtype = column.kind, cells.dtype
    fits_kind = (
        dtype in (pl.Date, pl.Datetime)
        if kind.temporal
        else dtype.is_numeric()
        if kind.measured
        else dtype == pl.Boolean
        if kind == "yes/no"
        else dtype in (pl.String, pl.Enum, pl.Categorical)
    )
    if not fits_kind:
        raise _no_package(f"{column.name[:80]} is said to be {kind}, and its cells are not")


def _kept_table(table: PackedTable, version: Version, person: Any) -> Table:
    made = Table.objects.create(
        owner=person,
        name=free_name(person, table.name[:180]),
        noun_one=table.noun_one or "row",
        noun_many=table.noun_many or "rows",
        measures=Version.as_json(table.measures),
        current=version,
    )
    version.table = made
    version.save(update_fields=["table"])
    for own in table.areas.values():
        check_areas(own, table.name)
        keep_areas(made, own)
    keep_packed(made, table.plans)
    return made


def _kept_steps(trail: PackedTrail, tables: list[Table], person: Any) -> Iterator[Step]:
    version = tables[trail.table].latest
    rows = core_table(version)
    made = Trail.objects.create(owner=person, version=version, title=trail.title)
    steps: list[Step] = []
    for one in trail.steps:
        fits(one.scene, rows)
        step, _ = Step.objects.get_or_create(
            trail=made,
            parent=steps[one.parent] if one.parent is not None else None,
            scene_key=key(one.scene),
            defaults={"scene": msgspec.to_builtins(one.scene), "label": one.label, "passing": one.passing},
        )
        steps.append(step)
        if one.cairn is not None:
            fields = msgspec.to_builtins(one.cairn)
            Cairn.objects.get_or_create(
                step=step,
                defaults={
                    "title": one.cairn.title,
                    "note": one.cairn.note,
                    "annotations": fields.get("annotations", []),
                    "claim": fields.get("claim"),
                    "verdict": _plain_verdict(one.cairn.verdict),
                },
            )
        yield step


def _kept_stop(
    stop: PackedStop, position: int, tale: Tale, steps: list[list[Step]], found: zipfile.ZipFile
) -> None:
    for scene in (stop.scene, *(beat.scene for beat in stop.beats)):
        if scene is not None and stop.step is not None:
            fits(scene, core_table(steps[stop.step[0]][stop.step[1]].trail.version))
    for tile in stop.overview.tiles if stop.overview is not None else ():
        if stop.step is None:
            raise _no_package("an overview stands on no rows")
        only = (*stop.overview.only, *tile.only) if stop.overview is not None else ()
        fits(
            Scene(main=tile.question, only=only), core_table(steps[stop.step[0]][stop.step[1]].trail.version)
        )
    fields = msgspec.to_builtins(stop)
    Stop.objects.create(
        tale=tale,
        position=position,
        step=steps[stop.step[0]][stop.step[1]] if stop.step is not None else None,
        beside=steps[stop.beside[0]][stop.beside[1]] if stop.beside is not None else None,
        heading=stop.heading,
        text=stop.text,
        chapter=stop.chapter,
        scene=fields.get("scene"),
        beats=fields.get("beats", []),
        annotations=fields.get("annotations", []),
        claim=fields.get("claim"),
        verdict=_plain_verdict(stop.verdict),
        large=stop.large,
        frozen=stop.frozen,
        overview=fields.get("overview"),
        image=_kept_image(stop.image, tale, found) if stop.image is not None else None,
        image_alt=stop.image_alt,
        notes=stop.notes,
        chips=list(stop.chips),
    )


def _kept_image(name: str, tale: Tale, found: zipfile.ZipFile) -> Image:
    if name not in found.namelist():
        raise _no_package(f"{name} is missing")
    return keep_image(tale, _read(found, name, MOST_BYTES))


VERDICT_TEXTS, VERDICT_FIGURES = ("state", "sentence", "said", "again"), ("figure", "low", "high")


def _plain_verdict(verdict: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return a verdict with the fields it is known to have, texts as texts and figures as figures."""
    if verdict is None:
        return None
    made: dict[str, Any] = {n: str(verdict[n])[:2_000] for n in VERDICT_TEXTS if n in verdict}
    made |= {n: float(verdict[n]) for n in VERDICT_FIGURES if isinstance(verdict.get(n), int | float)}
    if isinstance(was := verdict.get("was"), dict):
        made["was"] = _plain_verdict({n: was[n] for n in was if n != "was"})
    return made
