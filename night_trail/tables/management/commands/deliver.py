"""``manage.py deliver``: newer rows for a table from a file, read at once."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from night_trail.core.errors import NightTrailError
from night_trail.tables.arrivals import read_arrival
from night_trail.tables.deliveries import WAYS, delivery, table_of
from night_trail.tables.models import Arrival


class Command(BaseCommand):
    """Reads a file into a table, as an upload of newer rows does."""

    help = "Read a file into a table: in place of its rows, or behind them."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the table's owner and name, the file, and where its rows are put."""
        parser.add_argument("person", help="whose table it is, by the name they sign in with")
        parser.add_argument("table", help="the name of the table, or its number")
        parser.add_argument("file", type=Path)
        parser.add_argument(
            "--behind",
            action="store_const",
            const="behind",
            default="",
            help="put the rows behind those that are there",
        )
        parser.add_argument(
            "--new",
            action="store_const",
            const="new",
            dest="behind",
            help="the same, but for rows that are there already",
        )

    def handle(self, *args: Any, **options: Any) -> None:
        """Deliver, and say what came of it."""
        table = table_of(options["person"], options["table"])
        if table is None:
            raise CommandError(f"{options['person']} has no table {options['table']}.")
        path: Path = options["file"]
        if not path.is_file():
            raise CommandError(f"There is no file {path}.")
        with tempfile.TemporaryDirectory(dir=settings.INCOMING) as room:
            copy = Path(room) / "file"
            shutil.copy(path, copy)  # the file stays where it is
            try:
                arrival = delivery(table, copy, path.name, WAYS[options["behind"]])
            except NightTrailError as error:
                raise CommandError(str(error)) from None
        read_arrival(arrival)
        arrival.refresh_from_db()
        if arrival.state != Arrival.State.DONE:
            raise CommandError(arrival.said)
        table.refresh_from_db()
        self.stdout.write(f"{table.name}: {arrival.said} {' '.join(table.latest.complaints)}".strip())
