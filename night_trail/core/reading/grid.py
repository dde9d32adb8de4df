"""Where the table lies in a grid of cells: title lines, names, units, rows, footers."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field

from night_trail.core.errors import Unreadable
from night_trail.core.reading.dates import looks_like_date, order_shown
from night_trail.core.reading.kinds import MISSING, Hints
from night_trail.core.reading.numbers import unit_of
from night_trail.core.reading.settings import ReadingSettings

Record = list[str]

_NUMBER = re.compile(r"^\(?[-+−]?[^\w.,\s]{0,3}\s?[-+]?[.,]?\d[\d.,\s']*(?:[eE][-+]?\d+)?\s?%?\)?$")
_COMMA = re.compile(r"^[-+]?(?:\d+,(?:\d{1,2}|\d{4,})|0,\d+|\d{1,3}(?:\.\d{3})+,\d+)\s?%?$")
_POINT = re.compile(r"^[-+]?(?:\d*\.(?:\d{1,2}|\d{4,})|0\.\d+|\d{1,3}(?:,\d{3})+\.\d+)\s?%?$")
_TOTAL = re.compile(r"^(grand )?(total|totals|sum|average|mean|summe|gesamt|subtotal)\b[: ]*", re.IGNORECASE)
_NOTE = re.compile(
    r"^(source|sources|note|notes|quelle|remark|\*|†|©|\(c\)|data (as )?of|generated|exported|end of|--)",
    re.IGNORECASE,
)


@dataclass
class Layout:
    """Where names and rows begin. ``first`` and ``header`` count records of the grid from 0."""

    names: list[str]
    first: int
    header: int | None
    units: list[str] = field(default_factory=list)
    units_row: int | None = None
    titles: list[str] = field(default_factory=list)
    raw_names: list[str] = field(default_factory=list)
    named: list[bool] = field(default_factory=list)
    reason: str = ""


def layout(records: list[Record], settings: ReadingSettings, name: str) -> Layout:
    """Return where the table lies, from its first records.

    Parameters
    ----------
    records
        The first records as they stand, blank ones empty.
    settings
        Decisions made by hand go before what is guessed.
    name
        The file's name, for messages.

    Raises
    ------
    Unreadable
        Where there is nothing but blank cells, or the chosen header row is not there.
    """
    filled = [i for i, r in enumerate(records) if any(c.strip() for c in r)]
    if not filled:
        raise Unreadable("The file holds only blank lines", name, "Choose a file with rows in it.")
    width = _width([records[i] for i in filled])
    if isinstance(settings.header, int):
        if not 1 <= settings.header <= len(records) or not any(
            c.strip() for c in records[settings.header - 1]
        ):
            raise Unreadable(
                f"Row {settings.header} holds no names", name, f"Choose a row from 1 to {len(records)}."
            )
        return _with_header(records, settings.header - 1, width, settings, "chosen by hand")
    start = next((i for i in filled if _full(records[i], width)), filled[0])
    if settings.header == "auto" and start + 1 < len(records) and _over_names(records, start):
        return _with_header(records, start + 1, width, settings, "the first row of names for every column")
    if settings.header == "none":
        return _without_header(records, start, width, "chosen by hand")
    is_header, reason = _is_header(records, start, width)
    if is_header:
        return _with_header(records, start, width, settings, reason)
    return _without_header(records, start, width, reason)


def _width(records: list[Record]) -> int:
    """Return how many columns most records have, more where a later share of them has more."""
    widths = Counter(_length(r) for r in records)
    common = max(widths, key=lambda w: (widths[w], w))
    wider = [w for w, n in widths.items() if w > common and n > 0.02 * len(records) and n > 1]
    header = _length(records[0])
    # names stand over columns that are empty in every row
    raw = Counter(map(len, records))
    if header > common and raw[header] > 0.5 * len(records) and not any(map(is_value, records[0][:header])):
        return header
    return max([common, *wider, header if header <= common + 1 or widths[header] > 1 else common])


def _length(record: Record) -> int:
    """Return how many cells a record has, without empty ones at its end."""
    return max((i + 1 for i, c in enumerate(record) if c.strip()), default=0)


def _full(record: Record, width: int) -> bool:
    """Whether a record has cells in more than half of the columns; a title line has one or two."""
    cells = sum(bool(c.strip()) for c in record)
    return (
        cells > width / 2 if width > 2 else cells == width or (width == 2 and len(record) >= 2 and cells >= 1)
    )


def is_value(cell: str) -> bool:
    """Whether a cell can only be data: a number or a date.

    >>> is_value("1,204.5"), is_value("2024-03-01"), is_value("€ 5"), is_value("late_min"), is_value("day 3")
    (True, True, True, False, False)
    """
    text = cell.strip()
    return bool(_NUMBER.match(text)) or (looks_like_date(text) and any(ch.isdigit() for ch in text))


def _is_header(records: list[Record], at: int, width: int) -> tuple[bool, str]:
    """Return whether the record holds names, and why."""
    cells = [c.strip() for c in records[at]]
    below = [r for r in records[at + 1 :] if any(c.strip() for c in r)]
    values = [i for i, c in enumerate(cells) if c and is_value(c)]
    if values and not _periods_as_names(cells, values, below) and not _names_beside(cells, values, below):
        return False, "its first row holds values, so columns are named by their position"
    if not below:
        return True, "the only row holds names"
    typed = [i for i in range(width) if _mostly_values(below, i)]
    texts = {i: {r[i].strip() for r in below if i < len(r)} for i in range(width)}
    if not values and not typed:
        recurs = [i for i, c in enumerate(cells) if c and c in texts.get(i, set())]
        if recurs and len(below) > 1:
            return False, "words of its first row recur below, so columns are named by their position"
    return (
        True,
        "the first full row holds names" if not values else "the first full row holds names and periods",
    )


def _over_names(records: list[Record], at: int) -> bool:
    """Whether a record names groups of columns: it leaves gaps where the next has names over numbers."""
    above, names = [c.strip() for c in records[at]], [c.strip() for c in records[at + 1]]
    below = [r for r in records[at + 2 :] if any(c.strip() for c in r)]
    if any(map(is_value, names)) or sum(map(bool, names)) <= sum(map(bool, above[1:])):
        return False
    if all(unit_of(n) for n in names if n):
        return False
    gaps = [i for i in range(1, min(len(above), len(names))) if not above[i] and names[i]]
    return any(_mostly_values(below, i) for i in gaps)


def _mostly_values(records: list[Record], i: int) -> bool:
    cells = [r[i].strip() for r in records[:50] if i < len(r) and r[i].strip().lower() not in MISSING]
    return bool(cells) and sum(map(is_value, cells)) > 0.8 * len(cells)


def _names_beside(cells: list[str], values: list[int], below: list[Record]) -> bool:
    """Whether the record names a column of numbers or dates in words, beside names that look like values."""
    under = {i: {r[i].strip() for r in below[:50] if i < len(r)} for i in values}
    return (
        bool(below)
        and any(
            c and i not in values and c.lower() not in MISSING and _mostly_values(below, i)
            for i, c in enumerate(cells)
        )
        and not any(cells[i] in under[i] for i in values)
    )


def _periods_as_names(cells: list[str], values: list[int], below: list[Record]) -> bool:
    """Whether the values of a would-be header are years or dates in a row, as in a table of periods."""
    if len(values) < 2 or not any(c and i not in values for i, c in enumerate(cells)):
        return False
    if not all(re.fullmatch(r"(19|20)\d{2}|\d{4}-\d{2}(-\d{2})?|Q[1-4] \d{4}", cells[i]) for i in values):
        return False
    ordered = [cells[i] for i in values]
    # the same periods again under each of several groups
    rounds = len(ordered) // len(set(ordered))
    if rounds > 1 and ordered == ordered[: len(set(ordered))] * rounds:
        ordered = ordered[: len(set(ordered))]
    under = {r[i].strip() for r in below[:50] for i in values if i < len(r)}
    return ordered == sorted(set(ordered)) and not under & set(ordered)


def _with_header(
    records: list[Record], at: int, width: int, settings: ReadingSettings, reason: str
) -> Layout:
    cells = [c.strip() for c in records[at]]
    below = [i for i in range(at + 1, len(records)) if any(c.strip() for c in records[i])]
    if below and len(cells) + 1 == width and _length(records[below[0]]) == width and all(cells):
        cells = ["", *cells]  # row names stand before the first named column
        reason += "; rows have names of their own before it"
    groups = _group_names(records, at, cells, below)
    titles = [" ".join(c.strip() for c in r if c.strip()) for r in records[: at - bool(groups)]]
    if groups:
        cells = groups
        reason += "; the row above names groups of columns"
    units_row, units = _units(records, below, width, settings.units_row)
    first = at + 1 if units_row is None else units_row + 1
    names, named = _made_different(cells, width)
    return Layout(names, first, at, units, units_row, [t for t in titles if t], [*records[at]], named, reason)


def _group_names(records: list[Record], at: int, cells: list[str], below: list[int]) -> list[str] | None:
    """Return names with the group above them, where the row above the names spans several columns each."""
    if at == 0 or len(cells) < 3:
        return None
    above = [c.strip() for c in records[at - 1]] + [""] * len(cells)
    starts = [i for i, c in enumerate(above) if c]
    # a title stands alone at the left; groups stand over several columns
    if len(starts) < 2 or starts[-1] >= len(cells) or not below or any(is_value(above[i]) for i in starts):
        return None
    found, group = [], ""
    for i, cell in enumerate(cells):
        group = above[i] or group
        found.append(f"{group} {cell}".strip() if group and group != cell else cell)
    return found


def _units(
    records: list[Record], below: list[int], width: int, wanted: bool | None
) -> tuple[int | None, list[str]]:
    """Return the row of units below the names, and a unit for each column; None where there is none."""
    if wanted is False or not below:
        return None, []
    at = below[0]
    cells = [c.strip() for c in records[at]] + [""] * width
    cells = cells[:width]
    found = [unit_of(c) for c in cells]
    bracketed = [bool(re.fullmatch(r"[(\[].{1,12}[)\]]|-|–|", c)) for c in cells]
    rest = [records[i] for i in below[1:]]
    over_numbers = any(u and _mostly_values(rest, i) for i, u in enumerate(found))
    # words right over numbers, and nothing over words, are units too, known or not
    numeric = [i for i in range(width) if _mostly_values(rest, i)]
    others = [i for i in range(width) if i not in numeric]
    if (
        wanted is None
        and numeric
        and len(rest) > 1
        and all(cells[i] and len(cells[i]) <= 12 and not is_value(cells[i]) for i in numeric)
        and all(cells[i].lower() not in MISSING for i in numeric)
        and all(not cells[i] or bracketed[i] for i in others)
        and others
    ):
        return at, [u or c.strip("()[]-–") for c, u in zip(cells, found, strict=True)]
    odd = [c for c, u, b in zip(cells, found, bracketed, strict=True) if c and not u and not b]
    if wanted or (
        over_numbers and sum(map(bool, found)) >= 1 and not any(map(is_value, odd)) and len(odd) <= width / 4
    ):
        return at, [u or c.strip("()[]-–") for c, u in zip(cells, found, strict=True)]
    return None, []


def _without_header(records: list[Record], at: int, width: int, reason: str) -> Layout:
    names, named = _made_different([], width)
    titles = [" ".join(c.strip() for c in r if c.strip()) for r in records[:at]]
    return Layout(names, at, None, titles=[t for t in titles if t], named=named, reason=reason)


def _made_different(cells: list[str], width: int) -> tuple[list[str], list[bool]]:
    """Return column names: empty ones get their position, doubled ones a count."""
    names: list[str] = []
    named: list[bool] = []
    taken: set[str] = set()
    for i in range(width):
        text = " ".join(cells[i].split())[:200] if i < len(cells) else ""
        base = text or f"column {i + 1}"
        name, count = base, 1
        while name in taken:
            count += 1
            name = f"{base} ({count})"
        taken.add(name)
        names.append(name)
        named.append(bool(text))
    return names, named


def footer(tail: list[Record], width: int) -> tuple[int, list[str]]:
    """Return how many of the last records are no rows of the table, and what they say.

    Totals and notes stand at the end; blank records among them are counted too.
    """
    count, said = 0, []
    for back, record in enumerate(reversed(tail), start=1):
        cells = [c.strip() for c in record]
        filled = [c for c in cells if c]
        if not filled:
            continue
        first = filled[0]
        alone = len(filled) == 1 and width > 2 and bool(cells[0])
        total = _TOTAL.match(first) and (width == 1 or len(filled) <= width) and _TOTAL.sub("", first) == ""
        note = _NOTE.match(first) and len(filled) <= max(1, width // 3)
        blank_before = back < len(tail) and not any(c.strip() for c in tail[-back - 1])
        if not (total or note or (alone and (blank_before or count) and not is_value(first))):
            break
        count = back
        said.append(" ".join(filled)[:60])
    return count, said[::-1]


_ENDS = set("0123456789%.,)ZzMm")


def hints(records: list[Record], width: int, settings: ReadingSettings) -> Hints:
    """Return the decimal mark and the order of dates that any column shows beyond doubt."""
    decimals: Counter[str] = Counter()
    orders: Counter[str] = Counter()
    for i in range(width):
        # the same cell says nothing new, and words say nothing
        cells = {c for r in records if i < len(r) and (c := r[i].strip()) and c[-1] in _ENDS}
        decimals["."] += sum(bool(_POINT.match(c)) for c in cells)
        decimals[","] += sum(bool(_COMMA.match(c)) for c in cells)
        orders[order_shown(cells)] += 1
    comma = decimals[","] > decimals["."]
    shown = [o for o in ("day", "month") if orders[o]]
    return Hints(
        decimal="," if comma else "." if decimals["."] else "",
        date_order=shown[0] if len(shown) == 1 else "",
        missing=settings.missing,
    )
