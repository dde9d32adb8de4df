"""Settings of measurements beside which a worker of its own does what waits."""

from night_trail.site.settings.test import *  # noqa: F403

TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": ["default"]}}
