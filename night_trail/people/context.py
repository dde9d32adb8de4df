"""What every page knows of its visitor."""

from __future__ import annotations

from django.http import HttpRequest

THEMES = ("night", "day")
COOKIE = "theme"


def theme(request: HttpRequest) -> dict[str, str]:
    """Return the theme the visitor chose; night where none was."""
    chosen = request.COOKIES.get(COOKIE, "")
    return {"theme": chosen if chosen in THEMES else "night"}
