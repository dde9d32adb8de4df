"""Forecasts of every group of a category: work that goes on in the background, with progress."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

import msgspec
from django.utils import timezone
from msgspec.structs import replace as changed

from night_trail.core.conditions import Condition
from night_trail.core.question import Scene, key
from night_trail.core.questions.forecast.answer import MOST_GROUPS, Alone, ForecastAnswer, ahead, groups_alone
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.shared.ranking import ranked_grouping
from night_trail.core.rows import Rows
from night_trail.tables.models import Version
from night_trail.tables.services import core_table
from night_trail.trails.models import GroupForecasts

STALLED = dt.timedelta(minutes=2)
"""Work that has not moved for so long was interrupted, and is begun again where it stood."""


def group_forecast(
    question: Forecast, rows: Rows, version: Version, only: tuple[Condition, ...], begins: bool = True
) -> ForecastAnswer:
    """Return the forecast of every group where it is made, else that of all with how far the work is.

    The work is begun where it was not, but not for whoever only reads.
    """
    # bands and a plan are drawn over the same forecasts
    bare = changed(question, bands=(80,), plan=None)
    count = len(ranked_grouping(rows, question.split, MOST_GROUPS, question.measure)[0].groups)
    named = {"version": version, "key": key(bare, *only)}
    asked = {"scene": msgspec.to_builtins(Scene(main=bare, only=only)), "of": count}
    if begins:
        work, new = GroupForecasts.objects.get_or_create(**named, defaults=asked)
    else:
        work, new = GroupForecasts.objects.filter(**named).first() or GroupForecasts(**named, **asked), False
    if begins and work.done < work.of and (new or work.moved < timezone.now() - STALLED):
        from night_trail.trails.tasks import forecast_groups  # noqa: PLC0415  (tasks import this module)

        GroupForecasts.objects.filter(pk=work.pk).update(moved=timezone.now())
        forecast_groups.enqueue(work.pk)
        work.refresh_from_db()
    if work.done >= work.of:
        return ahead(question, rows, msgspec.convert(work.made, list[Alone]))
    alone = ahead(changed(question, split=None), rows)
    return replace(alone, question=question, pending=(work.done, work.of))


def make_group_forecasts(work: GroupForecasts) -> None:
    """Forecast group after group, and keep each as it is made."""
    scene = msgspec.convert(work.scene, Scene)
    assert isinstance(scene.main, Forecast)  # noqa: S101  (so it was written)
    rows = Rows(core_table(work.version), scene.only)
    made: list[Alone] = []
    for one in groups_alone(scene.main, rows):
        made.append(one)
        kept = GroupForecasts.objects.filter(pk=work.pk).update(
            made=msgspec.to_builtins(made), done=len(made), moved=timezone.now()
        )
        if not kept:
            return  # the table is gone, and with it the wish


__all__ = ["group_forecast", "make_group_forecasts"]
