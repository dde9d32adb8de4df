"""How a file would be read, for the page where that is decided."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec
from cachetools import LRUCache
from django.http import QueryDict

from night_trail.core.errors import NightTrailError
from night_trail.core.hand import whole
from night_trail.core.language.numbers import listed, number
from night_trail.core.reading import ColumnSetting, Preview, ReadingSettings
from night_trail.core.reading.delimited import DELIMITER_WORDS
from night_trail.core.reading.read import Shown
from night_trail.core.reading.text import rows_guess
from night_trail.core.recipe import Step, decode_step
from night_trail.core.recipe.offers import Remedy, column_offers
from night_trail.core.table import Column, Kind
from night_trail.tables import aside
from night_trail.tables.cells import WrittenCell, cells_of
from night_trail.tables.models import Arrival, Version

ROWS = 14
MOST_REMEDIES = 100
COLUMNS = 40
ENCODINGS = (
    ("utf-8", "UTF-8"),
    ("utf-16", "UTF-16"),
    ("cp1252", "Windows-1252"),
    ("cp1250", "Windows-1250"),
    ("cp1251", "Windows-1251"),
    ("cp1253", "Windows-1253"),
    ("latin-1", "Latin-1"),
    ("cp437", "DOS, code page 437"),
    ("cp866", "DOS, code page 866"),
    ("mac_roman", "Mac Roman"),
    ("shift_jis", "Shift-JIS"),
    ("gb18030", "GB 18030"),
)
DELIMITERS = (
    (",", "commas"),
    (";", "semicolons"),
    ("tab", "tabs"),
    ("|", "bars"),
    (" ", "spaces"),
    (":", "colons"),
)
ORDERS = (("day", "day first"), ("month", "month first"), ("year", "year first"))
DECIMALS = ((".", "a point"), (",", "a comma"))

_lock = threading.Lock()
_previews: LRUCache[tuple[str, str, bytes], Preview | NightTrailError] = LRUCache(24)


@dataclass(frozen=True)
class Heading:
    """A column of the preview: its place in the file, what is known of it, its first cells."""

    position: int
    name: str
    wanted: bool
    column: Column | None
    chosen: ColumnSetting
    cells: list[WrittenCell]


def preview_of(arrival: Arrival, settings: ReadingSettings, sought: str = "") -> Preview:
    """Return the preview of an arrival, kept while somebody looks at it.

    Of a wide file it holds the first columns, or those that are sought by name.
    """
    key = (arrival.path, arrival.part, msgspec.json.encode((settings, sought)))
    with _lock:
        known = _previews.get(key)
    if known is None:
        try:
            known = aside.looking().preview(
                Path(arrival.path), arrival.file_name, settings, arrival.part, Shown(COLUMNS, sought)
            )
        except NightTrailError as error:
            # a file that broke its reader is not given another at every reload
            known = error
        with _lock:
            _previews[key] = known
    if isinstance(known, NightTrailError):
        raise known.with_traceback(None)
    return known


def delivered(arrival: Arrival, found: Preview) -> list[str]:
    """Return what a delivery has otherwise than the rows it follows; nothing of a new table.

    Of a wide file only the columns that are shown are compared by kind.
    """
    if arrival.into is None:
        return []
    before = arrival.into.latest.base or arrival.into.latest
    old = {column.name: column.kind for column in before.column_list()}
    shown = {column.name: column.kind for column in found.columns.values()}
    said = [f"{arrival.into.name} has {before.height:,} rows now."]
    if found.whole:
        said[0] += f" This delivery has {found.height:,}."
    if gone := [name for name in old if name not in found.names and name not in shown]:
        lost = "Columns that these rows have not" if arrival.behind else "Columns that would be gone"
        said.append(f"{lost}: {listed(gone[:8])}.")
    if fresh := [name for name in found.names if name not in old]:
        said.append(f"Columns that were not there before: {listed(fresh[:8])}.")
    said += [
        f"{name} reads as {shown[name]}; it was {old[name]}."
        for name in shown
        # from the first rows alone a kind is a guess
        if found.whole and name in old and shown[name] != old[name]
    ][:12]
    if len(said) == 1:
        said.append("Its columns are those that were there before.")
    return said


def page(arrival: Arrival, settings: ReadingSettings, sought: str = "") -> dict[str, Any]:
    """Return what the preview page shows of an arrival under some settings."""
    found = preview_of(arrival, settings, sought)
    at = Shown(len(found.names), sought).of(found.names)
    headings = [_heading(i, found.names[i], found, settings) for i in at[:COLUMNS]]
    blank = [None] * max((len(h.cells) for h in headings), default=0)
    rows = list(zip(*(h.cells if h.column is not None else blank for h in headings), strict=True))
    kinds = list(found.columns.values())
    chosen = arrival.remedy_steps()
    offers = [
        offer
        for h in headings
        if h.column is not None
        for offer in column_offers(h.column, found.cells[h.name])
        if not offer.look
    ]
    understood = found.understood
    text = understood.format.startswith("delimited")
    grid = text or understood.format.startswith("workbook")
    encodings: tuple[tuple[str, str], ...] = ENCODINGS
    if text and understood.encoding not in dict(ENCODINGS):
        encodings = ((understood.encoding, understood.encoding), *ENCODINGS)
    return {
        "arrival": arrival,
        "delivered": delivered(arrival, found),
        "settings": settings,
        "changed": settings != ReadingSettings(),
        "found": found,
        "understood": understood,
        "about_rows": _about(rows_guess(Path(arrival.path), found.height)),
        "whole": found.whole,
        "guessed": understood.format == "delimited text",
        "headings": headings,
        "rows": rows,
        "hidden": len(at) - len(headings),
        "many": len(found.names) > 12,
        "sought": sought,
        "is_text": text,
        "is_grid": grid,
        "encoding_words": dict(encodings).get(understood.encoding, understood.encoding),
        "delimiter_words": DELIMITER_WORDS.get(understood.delimiter, understood.delimiter or "nothing"),
        "encodings": encodings,
        "delimiters": DELIMITERS,
        "header_rows": range(1, 13),
        "orders": ORDERS,
        "decimals": DECIMALS,
        "has_dates": any(c.kind.temporal for c in kinds),
        "missing_words": ", ".join(settings.missing),
        "reasons": list(understood.reasons.values()),
        "remedies": [
            (step.words(), msgspec.json.encode(step).decode(), step in chosen)
            for step in _steps(offers, chosen)
        ],
    }


def _steps(offers: list[Remedy], chosen: tuple[Step, ...]) -> list[Step]:
    """Return the steps that are offered, and those that were chosen when other rows were shown."""
    offered = [offer.step for offer in offers]
    return offered + [step for step in chosen if step not in offered]


def remedies_from(posted: QueryDict, arrival: Arrival) -> list[Any]:
    """Return an arrival's remedies as they are kept, with what was ticked or unticked on this page.

    The form says which were ticked when it was shown: others ticked elsewhere stay.
    """
    ticked, had = (
        [decode_step(text[:200_000]) for text in posted.getlist(name)[:MOST_REMEDIES]]
        for name in ("remedy", "had")
    )
    now = arrival.remedy_steps()
    gone = [step for step in had if step not in ticked]
    new = [step for step in ticked if step not in had and step not in now]
    kept: list[Any] = Version.as_json([*(step for step in now if step not in gone), *new][:MOST_REMEDIES])
    return kept


def _about(rows: int) -> str:
    return number(float(f"{rows:.2g}"))


def _heading(position: int, name: str, found: Preview, settings: ReadingSettings) -> Heading:
    chosen = settings.columns.get(name, ColumnSetting())
    column = found.columns.get(name)
    if column is None:
        return Heading(position, name, chosen.wanted, None, chosen, [])
    cells = cells_of(column, found.cells[name].head(ROWS))
    for row, text in column.failed_cells:
        if row < len(cells):
            cells[row] = WrittenCell(text, failed=True)
    return Heading(position, name, chosen.wanted, column, chosen, cells)


def settings_from(posted: QueryDict, arrival: Arrival) -> ReadingSettings:
    """Return the settings of an arrival as a posted form changes them.

    The form holds the settings it was shown with, so that what it leaves alone
    stays as others decided meanwhile.
    """
    if "start-over" in posted:
        return ReadingSettings()
    now = arrival.settings_value()
    saw = now
    if "saw" in posted:
        try:
            saw = msgspec.json.decode(posted.get("saw", ""), type=ReadingSettings)
        except msgspec.MsgspecError:
            raise NightTrailError("The preview was not understood", "", "Reload the page.") from None
    return _merged(now, saw, _posted_settings(posted, arrival, saw))


def _merged(now: ReadingSettings, saw: ReadingSettings, mine: ReadingSettings) -> ReadingSettings:
    """Return the settings as they are now with what changed between what was seen and what was posted."""
    fields = ReadingSettings.__struct_fields__
    changed = {f: getattr(mine, f) for f in fields if getattr(mine, f) != getattr(saw, f)}
    merged = msgspec.structs.replace(now, **{**changed, "columns": now.columns})
    for name in mine.columns.keys() | saw.columns.keys():
        own = mine.columns.get(name, ColumnSetting())
        if own != saw.columns.get(name, ColumnSetting()):
            merged = merged.with_column(name, own)
    return merged


def _posted_settings(posted: QueryDict, arrival: Arrival, settings: ReadingSettings) -> ReadingSettings:
    if "position" in posted:
        return _column_from(posted, arrival, settings)
    header: Any = posted.get("header", "auto")
    footer = posted.get("footer", "").strip()
    units = posted.get("units", "")
    missing = tuple(dict.fromkeys(m.strip() for m in posted.get("missing", "").split(",") if m.strip()))
    changed = msgspec.structs.replace(
        settings,
        encoding=posted.get("encoding", ""),
        delimiter=posted.get("delimiter", ""),
        header=row if (row := whole(header, 99_999)) is not None else "none" if header == "none" else "auto",
        units_row={"yes": True, "no": False}.get(units),
        footer=whole(footer, 99_999),
        decimal=_one_of(posted.get("decimal", ""), DECIMALS),
        date_order=_one_of(posted.get("date_order", ""), ORDERS),
        missing=missing[:50],
    )
    names = preview_of(arrival, settings).names
    wanted = set(posted.getlist("wanted"))
    for shown in posted.getlist("shown"):
        if (at := whole(shown, len(names) - 1)) is not None:
            name = names[at]
            own = msgspec.structs.replace(changed.columns.get(name, ColumnSetting()), wanted=shown in wanted)
            changed = changed.with_column(name, own)
    return changed


def _one_of(value: str, choices: tuple[tuple[str, str], ...]) -> Any:
    return value if value in dict(choices) else ""


def _column_from(posted: QueryDict, arrival: Arrival, settings: ReadingSettings) -> ReadingSettings:
    names = preview_of(arrival, settings).names
    position = whole(posted.get("position", ""), len(names) - 1)
    if position is None:
        raise NightTrailError("There is no such column", "", "Choose one of the preview.")
    name = names[position]
    kind = posted.get("kind", "")
    renamed = " ".join(posted.get("name", "").split())[:200]
    others = [settings.column(n).name or n for n in names if n != name]
    if renamed in others:
        raise NightTrailError(f"Another column is called “{renamed}”", "", "Choose another name.")
    own = msgspec.structs.replace(
        settings.columns.get(name, ColumnSetting()),
        kind=Kind(kind) if kind in set(Kind) else None,
        name="" if renamed == name else renamed,
        decimal=_one_of(posted.get("decimal", ""), DECIMALS),
        date_order=_one_of(posted.get("date_order", ""), ORDERS),
        wanted=posted.get("wanted") == "on",
    )
    return settings.with_column(name, own)
