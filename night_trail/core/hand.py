"""Numbers as a hand types them, read in one place: finite and bounded, or refused in a sentence."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping

from night_trail.core.errors import BadQuestion

LARGEST = 1e300
LARGEST_KEY = 10**15
"""Above whatever counts the rows of a database."""
_WHOLE = re.compile(r"\d+|\d{1,3}(?:,\d{3})+", re.ASCII)
_REAL = re.compile(r"[-+]?(?:\d{1,308}\.?\d{0,308}|\.\d{1,308})(?:[eE][-+]?\d{1,3})?", re.ASCII)


def whole(text: object, most: int) -> int | None:
    """Return a whole number from 0 to ``most`` in plain digits, thousands parted or not; else None.

    >>> whole("1,200", 9_999), whole("1,0", 99), whole("²", 9), whole("-3", 9), whole("12", 9)
    (1200, None, None, None, None)
    """
    plain = text.strip() if isinstance(text, str) else ""
    digits = plain.replace(",", "")
    # a comma elsewhere is a decimal one
    if not _WHOLE.fullmatch(plain) or len(digits) > len(str(most)):
        return None
    return int(digits) if int(digits) <= most else None


def real(text: str, field: str = "") -> float:
    """Return a number with a decimal point, of at most 1e300 in size.

    Raises
    ------
    BadQuestion
        Where the text is no such number; ``field`` is named with it.

    >>> real("−1,234.5"), real("2e-3")
    (-1234.5, 0.002)
    """
    plain = text.replace("−", "-").replace(",", "").strip()
    found = float(plain) if _REAL.fullmatch(plain) else math.nan
    if not abs(found) <= LARGEST:
        raise BadQuestion(f"“{text.strip()[:40]}” is not a number", field, "Write it as 12.5.")
    return found


def number_in(fields: Mapping[str, str], name: str) -> float | None:
    """Return the number in a field as ``real`` does, None where nothing is written."""
    text = fields.get(name, "").strip()
    return real(text, name) if text else None


def written_in(fields: Mapping[str, str], name: str) -> str:
    """Return what is written in a field, at most 500 letters, or refuse an empty one."""
    text = fields.get(name, "").strip()
    if not text:
        raise BadQuestion("Nothing was written", "", "Fill it in first.")
    return text[:500]
