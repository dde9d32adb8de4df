"""The pages of tables: files arriving, the survey, a column, new columns, tables together, exports."""

from __future__ import annotations

from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404

from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.core.table import Table as CoreTable
from night_trail.people.models import Role
from night_trail.tables.models import Table, Version
from night_trail.tables.services import core_table


def own_table(request: HttpRequest, pk: int) -> Table:
    """Return the visitor's own table, or answer that there is none; others change nothing of it."""
    found: Table = get_object_or_404(Table, pk=pk, owner=request.user)
    return found


def seen_table(request: HttpRequest, pk: int) -> Table:
    """Return a table that the visitor owns or may read."""
    found: Table = get_object_or_404(Table.objects.visible_to(request.user), pk=pk)
    return found


def rights(request: HttpRequest, table: Table) -> dict[str, bool]:
    """Return what a page of a table offers this visitor."""
    may_explore = Table.objects.sees(request.user, table, Role.EXPLORE)
    return {"mine": table.owner_id == request.user.pk, "may_explore": may_explore}


def seen_version(request: HttpRequest, table: Table) -> Version:
    """Return the version that the posted form was made from, the present one where it says none.

    Places of columns and steps are read from it: another tab may have moved them since.
    """
    told = whole(request.POST.get("saw", ""), LARGEST_KEY)
    seen = None if told is None else table.versions.filter(pk=told).first()
    return seen or table.latest


def own_column(request: HttpRequest, pk: int, at: int) -> tuple[Table, Version, CoreTable]:
    """Return the table, the version a form of a column was made from, and its rows.

    Whoever may read the table may look; only its owner may change it.
    """
    table = own_table(request, pk) if request.method == "POST" else seen_table(request, pk)
    version = seen_version(request, table)
    core = core_table(version)
    if at >= len(core.columns):
        raise Http404
    return table, version, core
