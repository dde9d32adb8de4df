"""Names of places as they are compared: without marks, capitals and what stands around them."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

_LETTERS = str.maketrans(
    {"ß": "ss", "ø": "o", "Ø": "o", "æ": "ae", "Æ": "ae", "ł": "l", "Ł": "l", "ı": "i", "đ": "d"}
)


@lru_cache(maxsize=200_000)
def folded(name: str) -> str:
    """Return a name as it is compared with others.

    >>> folded("  Saint-Étienne ")
    'saint etienne'
    """
    plain = unicodedata.normalize("NFKD", name.translate(_LETTERS))
    letters = "".join(c for c in plain if not unicodedata.combining(c)).casefold()
    return re.sub(r"[^\w]+", " ", letters).strip()
