"""For tests: a file as database (in memory, parallel writes fail), tasks run at once."""

import os
import tempfile
from pathlib import Path

# every process of a parallel run keeps its own files, although it inherits its parent's environment
if "PYTEST_XDIST_WORKER" in os.environ or "NIGHT_TRAIL_VAR" not in os.environ:
    os.environ["NIGHT_TRAIL_VAR"] = tempfile.mkdtemp(prefix="night-trail-test-")

from night_trail.site.settings.base import *  # noqa: F403
from night_trail.site.settings.base import DATABASES, VAR

DEBUG = False
SECRET_KEY = "for tests only"  # noqa: S105
ALLOWED_HOSTS = ["testserver", "127.0.0.1", "localhost"]
DATABASES["default"]["TEST"] = {"NAME": Path(VAR) / "test.sqlite3"}
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = True
TASKS = {"default": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"}}
