"""What the survey says of the trails of its table."""

from __future__ import annotations

from django import template
from django.contrib.auth.models import User
from django.db.models import Count

from night_trail.tables.models import Table
from night_trail.trails.models import StartingPoint, Trail
from night_trail.trails.rewalk import newer_rows
from night_trail.trails.starting import offered_on

register = template.Library()
MOST = 8


@register.simple_tag
def trails_behind(table: Table, user: User) -> list[Trail]:
    """Return a person's trails that stand on earlier rows of a table and were not walked on the newest."""
    found = (
        Trail.objects.filter(owner=user, version__table=table)
        .exclude(version=table.latest)
        .exclude(rewalks__version=table.latest)
        .annotate(told=Count("steps__stops"), kept=Count("steps__cairn"))
        # what others read comes first, then what was worth a cairn
        .order_by("-told", "-kept", "-created")
        .select_related("version__table__current")
    )
    return [trail for trail in found[: 4 * MOST] if newer_rows(trail) is not None][:MOST]


@register.simple_tag
def starting_points(table: Table, user: User) -> list[StartingPoint]:
    """Return the scenes and overviews a person may begin from on a table."""
    return offered_on(table, user)
