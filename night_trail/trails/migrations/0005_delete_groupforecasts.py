"""Forecasts of groups become jobs; a task that waits for them by their old name would stop the worker."""

from typing import Any

from django.db import migrations


def forget_old_tasks(apps: Any, schema_editor: Any) -> None:
    """Take tasks out of the queue whose module is gone; pages ask for the work anew."""
    waiting = apps.get_model("django_tasks_database", "DBTaskResult").objects
    waiting.filter(task_path="night_trail.trails.tasks.forecast_groups").delete()


class Migration(migrations.Migration):
    dependencies = [
        ("trails", "0004_shares"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]

    operations = [
        migrations.RunPython(forget_old_tasks, migrations.RunPython.noop),
        migrations.DeleteModel(
            name="GroupForecasts",
        ),
    ]
