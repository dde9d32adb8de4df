"""Large things go in pieces: the database is written to by one at a time, and others wait."""

from __future__ import annotations

from django.db import transaction
from django.db.models import Max, Model, QuerySet

from night_trail.tables import cache
from night_trail.tables.models import ColumnPart, SourceFile, SourcePart, Table, Version

AT_ONCE = 20
"""Pieces of some megabytes that are deleted before others may write."""


def in_pieces(pieces: QuerySet[ColumnPart] | QuerySet[SourcePart]) -> None:
    """Delete pieces a few at a time."""
    model: type[Model] = pieces.model
    while some := list(pieces.values_list("pk", flat=True)[:AT_ONCE]):
        model._default_manager.filter(pk__in=some).delete()


def remove(table: Table) -> None:
    """Delete a table with its versions and trails.

    It is gone for everybody at once; its cells go after that. Where the program
    ends meanwhile, they are a version without a table, which upkeep clears.
    """
    _let_go(table)
    with transaction.atomic():
        _let_go(table)  # what was made of it while the first was copied
        versions = table.versions.all()
        own = list(versions.values_list("pk", flat=True))
        for version in versions.only("pk"):
            version.trails.all().delete()
        versions.update(table=None)
        table.delete()
    remove_versions(Version.objects.filter(pk__in=own))


def remove_versions(versions: QuerySet[Version]) -> None:
    """Delete versions that belong to no table any more, their cells first."""
    own = list(versions.values_list("pk", flat=True))
    in_pieces(ColumnPart.objects.filter(version__in=own))
    Version.objects.filter(pk__in=own, table=None).delete()


def remove_files(files: QuerySet[SourceFile]) -> None:
    """Delete kept files, their bytes first."""
    own = list(files.values_list("pk", flat=True))
    in_pieces(SourcePart.objects.filter(file__in=own))
    SourceFile.objects.filter(pk__in=own).delete()


def _let_go(table: Table) -> None:
    """Before a table goes: copy the columns that other tables have from it, so that they stay whole."""
    own = set(table.versions.values_list("pk", flat=True))
    for version in Version.objects.exclude(table=table).exclude(places=[]).only("places"):
        places = version.place_list()
        borrowed = [i for i, p in enumerate(places) if p[0] in own or p[2] in own]
        for i in borrowed:
            cells = cache.column(places[i])
            free = (
                ColumnPart.objects.filter(version=version, position__lt=cache.FIRST_MAP).aggregate(
                    top=Max("position")
                )["top"]
                or 0
            ) + len(places)
            cache.keep(version.pk, free, cells)
            places[i] = (version.pk, free, None, None)
        if borrowed:
            version.places = places
            version.save(update_fields=["places"])
