"""Work on trails that goes on after the page has answered."""

from __future__ import annotations

from django_tasks import task

from night_trail.trails.forecasting import make_group_forecasts
from night_trail.trails.models import GroupForecasts


@task()
def forecast_groups(work_id: int) -> None:
    """Forecast every group of a category."""
    work = GroupForecasts.objects.filter(pk=work_id).select_related("version").first()
    if work is not None and work.done < work.of:
        make_group_forecasts(work)
