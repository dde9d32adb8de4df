"""Which servers of databases may be reached, and with what secret; nothing of it is in what is said."""

from __future__ import annotations

from contextlib import suppress

from django.conf import settings

from night_trail.core.errors import NightTrailError
from night_trail.tables.attached.engine import reason_of
from night_trail.tables.attached.sealed import Unopened, open_seal
from night_trail.tables.models import Database

PATIENCE = 5
"""Seconds a server may take until it answers at all."""

MOST_TABLES, PORT, SPARK = 2_000, 5432, "sc://"
AGAIN = "Look whether it runs, and whether its user and password are right."


def hosts() -> list[str]:
    """Return the servers that may be attached: of PostgreSQL as host:port, of Spark as sc://host:port."""
    return [one if ":" in one else f"{one}:{PORT}" for one in settings.ATTACH_SERVERS]


def is_spark(server: str) -> bool:
    """Whether a server is reached by the connect protocol of Spark."""
    return server.startswith(SPARK)


def secret_of(kept: Database) -> str:
    """Return the secret a database is opened with, where its server may still be reached.

    Raises
    ------
    NightTrailError
        Where it may not, or where the secret was locked with another key.
    """
    if kept.server not in hosts():
        raise NightTrailError(
            f"The server {kept.server} may not be reached any more",
            kept.name,
            "Ask whoever runs this server.",
        )
    try:
        return open_seal(kept.secret)
    except Unopened:
        raise NightTrailError(
            "Its password cannot be read with this server’s key", kept.name, "Say the password again."
        ) from None


def away(error: BaseException, kept: Database) -> NightTrailError:
    """Return what is said where a database fails; its password is in no word of it."""
    reason = reason_of(error).rpartition("FATAL:")[2].strip()
    with suppress(Unopened):
        secret = open_seal(kept.secret)
        reason = reason.replace(secret, "…") if secret else reason
    return NightTrailError(f"The database cannot be opened ({reason})", kept.name, AGAIN)
