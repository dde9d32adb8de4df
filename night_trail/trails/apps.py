"""What the worker has to know besides the pages: who does the long work behind questions."""

from __future__ import annotations

from importlib import import_module

from django.apps import AppConfig


class Trails(AppConfig):
    """Trails, and the work behind their pictures."""

    name = "night_trail.trails"

    def ready(self) -> None:
        """Let the worker know who does it, though it loads no page."""
        import_module("night_trail.trails.behind")
        import_module("night_trail.trails.proposed")
        import_module("night_trail.trails.whole")
