"""``manage.py work``: the background worker, after clearing up what a killed one left."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from night_trail.core.errors import NightTrailError
from night_trail.tables.arrivals import warm_up
from night_trail.tables.worker import alone, work


class Command(BaseCommand):
    """Runs background work until it is stopped; a second one is refused."""

    help = "Run background work. A second worker on the same data is refused."

    def handle(self, *args: Any, **options: Any) -> None:
        """Clear up, then work."""
        try:
            with alone():
                warm_up()
                work()
        except NightTrailError as error:
            raise CommandError(str(error), returncode=3) from None
