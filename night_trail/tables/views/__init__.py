"""The pages of tables: files arriving, the survey, a column, new columns, tables together, exports."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from night_trail.tables.models import Table


def own_table(request: HttpRequest, pk: int) -> Table:
    """Return the visitor's own table, or answer that there is none."""
    return get_object_or_404(Table, pk=pk, owner=request.user)
