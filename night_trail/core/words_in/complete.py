"""What the word that is being typed may become: columns, values with their counts."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from night_trail.core.rows import Rows
from night_trail.core.words_in.fillers import FILLER
from night_trail.core.words_in.index import Values, index_of
from night_trail.core.words_in.phrases import reserved
from night_trail.core.words_in.tokens import stem

MOST = 6
LEAST_LETTERS = 2


@dataclass(frozen=True)
class Completion:
    """A text that finishes what was typed from ``start`` on, what it is, and how many kept rows have it."""

    text: str
    start: int
    what: str
    rows: int | None = None


def completions(text: str, rows: Rows, most: int = MOST) -> list[Completion]:
    """Return what the end of a text may be finished to, columns before values; at most ``most``."""
    found: dict[str, Completion] = {}
    index = index_of(rows.table)
    for start in _starts(text):
        typed = re.sub(r"[\W_]+", " ", text[start:].lower()).strip()
        if len(typed) < LEAST_LETTERS or (
            " " not in typed and (typed in FILLER or stem(typed) in reserved())
        ):
            continue
        for named in index.names:
            whole = " ".join(named.words)
            inner = any(word.startswith(typed) for word in named.words)
            if (whole.startswith(typed) or inner) and named.column.name.lower() != text[start:].lower():
                found.setdefault(
                    named.column.name, Completion(named.column.name, start, str(named.column.kind))
                )
        for values in index.values:
            for at in values.beginning(typed, most):
                value = values.labels[at]
                if value.lower() != text[start:].lower():
                    found.setdefault(
                        value,
                        Completion(value, start, f"in {values.column.name}", _count(values, value, rows)),
                    )
        if len(found) >= most:
            break
    return list(found.values())[:most]


def _starts(text: str) -> list[int]:
    """Return where the words begin that may belong to the one being typed, the longest stretch first."""
    begins = [m.start() for m in re.finditer(r"[^\W_][^\s,]*", text)]
    return [at for at in begins[-3:] if text[at:].strip() and not text.endswith((" ", ","))]


def _count(values: Values, value: str, rows: Rows) -> int | None:
    """Return how many kept rows have a value; None where counting takes longer than a keystroke."""
    if not values.few:
        return None
    coded = rows.table.coded(values.column.name)
    counts = rows.remember(
        ("value counts", values.column.name),
        lambda: np.bincount(
            (coded.codes if rows.kept is None else coded.codes[rows.kept]) + 1,
            minlength=len(coded.labels) + 1,
        ),
    )
    try:
        return int(counts[coded.labels.index(value) + 1])
    except ValueError:
        return None
