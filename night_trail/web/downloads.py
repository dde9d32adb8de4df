"""Files that leave: one way to name them, one way to say that they are kept and not shown."""

from __future__ import annotations

import re
from typing import TypeVar

from django.http.response import HttpResponseBase

R = TypeVar("R", bound=HttpResponseBase)


def file_name(words: str, ending: str) -> str:
    """Return a name for a download, safe in a header and on any disk whatever things are called.

    >>> file_name('a "b"/c', "csv"), file_name("🦉", "csv")
    ('a b c.csv', 'night trail.csv')
    """
    plain = re.sub(r"[^\w .\-]+", " ", words, flags=re.ASCII)
    return f"{' '.join(plain.split())[:80].strip(' .') or 'night trail'}.{ending}"


def download(response: R, words: str, ending: str) -> R:
    """Return a response that a browser keeps as a file."""
    response["Content-Disposition"] = f'attachment; filename="{file_name(words, ending)}"'
    return response
