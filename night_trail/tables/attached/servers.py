"""Databases on servers that may be reached: which, how they are opened to read only, what they hold."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from django.conf import settings
from django.db import IntegrityError, transaction

from night_trail.core.errors import NightTrailError
from night_trail.core.language.numbers import counted
from night_trail.tables.attached.sealed import Unopened, open_seal, seal
from night_trail.tables.attached.where import Found, Where
from night_trail.tables.models import Database

PATIENCE = 5
"""Seconds a server may take until it answers at all."""

MOST_TABLES, MOST_DATABASES, PORT = 2_000, 50, 5432
AGAIN = "Look whether it runs, and whether its user and password are right."


def hosts() -> list[str]:
    """Return the servers whose databases may be attached, as a host with its port."""
    return [one if ":" in one else f"{one}:{PORT}" for one in settings.ATTACH_SERVERS]


def keep(owner: Any, name: str, host: str, database: str, user: str, secret: str) -> Database:
    """Keep how a database is reached, once it answers; its password is locked.

    Raises
    ------
    NightTrailError
        Where the server may not be reached, does not answer, or something is missing.
    """
    name, database, user = (text.strip() for text in (name, database, user))
    if host not in hosts():
        way_on = "Ask whoever runs this server which databases may be attached."
        raise NightTrailError(f"“{host[:80]}” is no server that may be reached", "", way_on)
    if not (name and database and user):
        raise NightTrailError("A name, a database and a user are needed", "", "Say them.")
    if max(map(len, (name, database, user))) > 100 or len(secret) > 1_000:
        raise NightTrailError("A name, a database and a user have at most 100 characters", "", "Say less.")
    mine = Database.objects.filter(owner=owner)
    if mine.count() >= MOST_DATABASES:
        raise NightTrailError(f"There are {MOST_DATABASES} databases already", "", "Forget one first.")
    found = Database(owner=owner, name=name, server=host, database=database, user=user, secret=seal(secret))
    tables_of(found)
    try:
        with transaction.atomic():
            found.save()
    except IntegrityError:
        raise NightTrailError(
            f"There is a database called {name} already", "", "Call it otherwise."
        ) from None
    return found


def renew(kept: Database, secret: str) -> None:
    """Keep another password, once the database answers to it."""
    kept.secret = seal(secret[:1_000])
    tables_of(kept)
    kept.save(update_fields=["secret"])


def database_of(where: Where) -> Database:
    """Return the database rows are in, or say that it was forgotten."""
    found = Database.objects.filter(pk=where.server).first()
    if found is None:
        raise NightTrailError(
            f"The database {where.root} was forgotten", where.words, "Attach its table again."
        )
    return found


def reached(kept: Database, seconds: int) -> dict[str, Any]:
    """Return how a database is opened: to read only, for so many seconds a question, in UTC."""
    if kept.server not in hosts():
        raise NightTrailError(
            f"The server {kept.server} may not be reached any more",
            kept.name,
            "Ask whoever runs this server.",
        )
    host, _, port = kept.server.rpartition(":")
    try:
        secret = open_seal(kept.secret)
    except Unopened:
        raise NightTrailError(
            "Its password cannot be read with this server’s key", kept.name, "Say the password again."
        ) from None
    session = {
        "default_transaction_read_only": "on",
        "statement_timeout": f"{seconds * 1_000}",
        "timezone": "UTC",
    }
    return {
        "host": host,
        "port": int(port),
        "user": kept.user,
        "password": secret,
        "connect_timeout": PATIENCE,
        "application_name": "night-trail",
        "options": " ".join(f"-c {name}={value}" for name, value in session.items()),
    }


TABLES = """
SELECT n.nspname, c.relname, c.relkind, c.reltuples
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND NOT c.relispartition
  AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\\_%%'
  AND has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')
ORDER BY 1, 2 LIMIT %s
"""


def tables_of(kept: Database) -> list[Found]:
    """Return the tables and views of a database that its user may read.

    Raises
    ------
    NightTrailError
        Where it does not answer.
    """
    import psycopg  # noqa: PLC0415  (slow import)

    try:
        with psycopg.connect(dbname=kept.database, **reached(kept, PATIENCE)) as connection:
            rows = connection.execute(TABLES, [MOST_TABLES]).fetchall()
    except psycopg.Error as error:
        raise away(error, kept) from None
    return [
        Found(Where(kept.name, schema, table, kept.pk or 0), _words(kind, about))
        for schema, table, kind, about in rows
    ]


def _words(kind: str, about: float) -> str:
    if kind == "v":
        return "a view"
    what = "a kept view" if kind == "m" else "a table"
    return f"{what} of about {counted(int(about), 'row')}" if about >= 0 else what


def away(error: BaseException, kept: Database) -> NightTrailError:
    """Return what is said where a database fails; its password is in no word of it."""
    reason = (str(error).strip().splitlines() or [type(error).__name__])[0]
    reason = reason.rpartition("FATAL:")[2].strip()
    with suppress(Unopened):
        secret = open_seal(kept.secret)
        reason = reason.replace(secret, "…") if secret else reason
    return NightTrailError(f"The database cannot be opened ({reason[:160].rstrip('.')})", kept.name, AGAIN)
