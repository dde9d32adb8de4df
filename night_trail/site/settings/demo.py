"""The production settings over plain HTTP on this machine only, with a demo analyst."""

import os

from night_trail.site.settings.production import *  # noqa: F403

ALLOWED_HOSTS = ["127.0.0.1", "localhost"]
CSRF_TRUSTED_ORIGINS = []
TRUSTED_PROXIES = []
SECURE_SSL_REDIRECT = False
SECURE_PROXY_SSL_HEADER = None  # type: ignore[assignment]  # as Django has it by default
SECURE_HSTS_SECONDS = 0
SESSION_COOKIE_SECURE = False
CSRF_COOKIE_SECURE = False
ATTACH_ROOTS = ATTACH_ROOTS or [str(VAR / "attached")]  # noqa: F405
DEMO_KEY = os.environ.get("NIGHT_TRAIL_DEMO_KEY", "")
