"""Databases on servers that somebody has said how to reach: kept once they answer, and what they hold."""

from __future__ import annotations

from typing import Any

from django.db import IntegrityError, transaction

from night_trail.core.errors import NightTrailError
from night_trail.tables.attached import postgres, spark
from night_trail.tables.attached.reaching import hosts, is_spark
from night_trail.tables.attached.sealed import seal
from night_trail.tables.attached.where import Found, Where
from night_trail.tables.models import Database

MOST_DATABASES = 50


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
    if is_spark(host):
        database = database or spark.CATALOGUE
    elif not (database and user):
        raise NightTrailError("A name, a database and a user are needed", "", "Say them.")
    if not name:
        raise NightTrailError("A name is needed", "", "Say what you call it.")
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


def tables_of(kept: Database) -> list[Found]:
    """Return the tables and views of a database that its user may read.

    Raises
    ------
    NightTrailError
        Where it does not answer.
    """
    return spark.tables_of(kept) if is_spark(kept.server) else postgres.tables_of(kept)
