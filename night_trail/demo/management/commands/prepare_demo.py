"""``manage.py prepare_demo``: the demo analyst with a table, a trail and a tale; made once."""

from __future__ import annotations

import os
import secrets
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand

from night_trail.demo.story import bring_buses, bring_crews, bring_traps, tell
from night_trail.demo.taps import write_taps
from night_trail.people.views import DEMO_NAME
from night_trail.tables.models import Table


class Command(BaseCommand):
    """Makes what a demo needs, and leaves alone what is there."""

    help = "Prepare the demo analyst with a table, a trail and a tale."

    def handle(self, *args: Any, **options: Any) -> None:
        """Make the analyst and, where they have no table yet, the demo's."""
        analyst, _ = get_user_model().objects.get_or_create(username=DEMO_NAME)
        password = Path(settings.VAR) / "demo_password"
        if not password.is_file() or not analyst.check_password(password.read_text().strip()):
            self._give_password(analyst, password)
        if Table.objects.filter(owner=analyst).exists():
            return
        started = time.monotonic()
        self.stdout.write("Writing four years of night buses …")
        bring_traps(analyst)
        table = bring_buses(analyst)
        tell(analyst, table)
        bring_crews(analyst, table)
        write_taps(Path(settings.VAR) / "attached" / "taps")
        self.stdout.write(
            f"{table.name}: {table.latest.height:,} rows, in {time.monotonic() - started:.0f} s."
        )

    def _give_password(self, analyst: Any, kept: Path) -> None:
        chosen = "-".join(secrets.token_hex(2) for _ in range(4))
        with os.fdopen(os.open(kept, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
            file.write(chosen)
        analyst.set_password(chosen)
        analyst.is_staff = True  # may invite
        analyst.save()
