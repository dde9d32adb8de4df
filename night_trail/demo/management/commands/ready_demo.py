"""``manage.py ready_demo``: all that comes before the demo's server starts, in one process."""

from __future__ import annotations

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand


class Command(BaseCommand):
    """Makes the database and the files a server needs, and what the demo shows."""

    help = "Migrate, collect static files, clear up and prepare the demo."

    def handle(self, *args: Any, **options: Any) -> None:
        """Do one after the other: each alone would load everything anew."""
        call_command("migrate", verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        call_command("clear_up")
        call_command("prepare_demo", stdout=self.stdout)
