"""The corpus of small files with faults that real files have, and how each should be read."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from night_trail.core.errors import NightTrailError
from night_trail.core.reading import load_part

CORPUS = Path(__file__).resolve().parents[1] / "corpus"
EXPECTED: dict[str, dict[str, Any]] = json.loads((CORPUS / "expected.json").read_text())


def differences(file: str) -> list[str]:
    """What is read otherwise than expected, in words; nothing where all is right."""
    wanted = EXPECTED[file]
    try:
        table = load_part(CORPUS / "files" / file, file).table
    except NightTrailError as error:
        return [f"refused: {error}"]
    found = []
    names = [c.name for c in table.columns]
    if names != wanted["names"]:
        return [f"names {names}"]
    for column, kind in zip(table.columns, wanted["kinds"], strict=True):
        if column.kind != kind and table.height:
            found.append(f"{column.name} is {column.kind}, not {kind} ({column.reason})")
    rows = [
        list(row) for row in zip(*(map(plain, table.series(name).to_list()) for name in names), strict=True)
    ]
    if rows != wanted["rows"]:
        at = next((i for i, (a, b) in enumerate(zip(rows, wanted["rows"], strict=False)) if a != b), "end")
        found.append(f"row {at}: {rows[at] if at != 'end' else f'{len(rows)} rows'}")
    if "units" in wanted and [c.unit for c in table.columns] != wanted["units"]:
        found.append(f"units {[c.unit for c in table.columns]}")
    for name, count in wanted.get("failed", {}).items():
        if table.column(name).failed != count:
            found.append(f"{name}: {table.column(name).failed} failed")
    for name, order in wanted.get("order", {}).items():
        if table.coded(name).labels != order:
            found.append(f"{name} in order {table.coded(name).labels}")
    return found


def plain(cell: Any) -> Any:
    """A cell as JSON writes it."""
    if hasattr(cell, "isoformat"):
        return cell.isoformat()
    return round(cell, 9) if isinstance(cell, float) else cell
