"""``manage.py work``: the background worker, after clearing up what a killed one left."""

from __future__ import annotations

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from night_trail.tables.arrivals import clear_interrupted, warm_up


class Command(BaseCommand):
    """Runs background work until it is stopped; one worker at a time."""

    help = "Run background work. Start exactly one."

    def handle(self, *args: Any, **options: Any) -> None:
        """Clear up, then work."""
        count = clear_interrupted()
        # a task whose worker was killed would be running for ever
        DBTaskResult.objects.running().update(status="FAILED", finished_at=timezone.now())
        if count:
            self.stdout.write(f"{count} interrupted file(s) were marked as failed; nothing of them was kept.")
        warm_up()
        call_command("db_worker", interval=0.3, startup_delay=False, verbosity=0)
