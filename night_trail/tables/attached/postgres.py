"""PostgreSQL: tables and views of a database, in sessions that only read."""

from __future__ import annotations

from typing import Any

from django.conf import settings

from night_trail.core.errors import NightTrailError
from night_trail.core.language.numbers import counted
from night_trail.tables.attached.reaching import MOST_TABLES, PATIENCE, away, secret_of
from night_trail.tables.attached.where import Found, Where
from night_trail.tables.models import Database


def reached(kept: Database, seconds: int) -> dict[str, Any]:
    """Return how a database is opened: to read only, for so many seconds a question, in UTC."""
    secret = secret_of(kept)
    host, _, port = kept.server.rpartition(":")
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


def rows_in(kept: Database, where: Where) -> tuple[Any, Any]:
    """Return a session of a database, and a table of it as an expression."""
    import ibis  # noqa: PLC0415  (slow import)

    how = reached(kept, settings.ATTACH_SECONDS)
    try:
        connection = ibis.postgres.connect(database=kept.database, **how)
    except Exception as error:
        raise away(error, kept) from None
    if where.table not in connection.list_tables(database=where.path):
        raise NightTrailError("This table is not there any more", where.words, "Look at what there is.")
    return connection, _bearable(connection, connection.table(where.table, database=where.path), where)


NO_CELLS = ("uuid", "inet", "macaddr", "geospatial", "unknown")
"""Types of a database that no table has."""

MONEY = """
SELECT column_name FROM information_schema.columns
WHERE table_schema = %s AND table_name = %s AND data_type = 'money'
"""


def _bearable(connection: Any, rows: Any, where: Where) -> Any:
    """Return the rows of a database with each column as something that can be brought.

    Exact decimals are numbers like others, moments beyond the calendar are missing, and what no table
    has, as addresses and points, is text.
    """
    import ibis  # noqa: PLC0415  (slow import)

    with connection.con.cursor() as cursor:
        money = {name for (name,) in cursor.execute(MONEY, [where.path, where.table]).fetchall()}
    first, last = (ibis.timestamp(end) for end in ("0001-01-01 00:00:00", "9999-12-31 23:59:59.999999"))
    told = {}
    for name, kind in rows.schema().items():
        cell = rows[name]
        if name in money or any(getattr(kind, f"is_{one}")() for one in NO_CELLS):
            told[name] = cell.cast("string")
        elif kind.is_decimal():
            told[name] = cell.cast("float64")
        elif kind.is_timestamp() or kind.is_date():
            ends = (first, last) if kind.is_timestamp() else (first.date(), last.date())
            told[name] = ibis.ifelse(cell.between(*ends), cell, ibis.null(kind))
    return rows.mutate(**told)
