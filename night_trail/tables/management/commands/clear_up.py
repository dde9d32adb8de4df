"""``manage.py clear_up``: what uploads left behind, before the server starts."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from night_trail.tables.upkeep import clear_incoming


class Command(BaseCommand):
    """Deletes incoming files that nothing waits for; run where no server takes files."""

    help = "Delete what interrupted uploads left. Run it before the server starts, not beside it."

    def handle(self, *args: Any, **options: Any) -> None:
        """Clear up and say how much."""
        for door in Path(settings.VAR).glob("door-*"):
            door.unlink()  # of a demo that is over
        if gone := clear_incoming(timedelta()):
            self.stdout.write(f"{gone} incoming file(s) of interrupted uploads were deleted.")
