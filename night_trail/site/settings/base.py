"""What holds everywhere."""

import os
from pathlib import Path

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[3]
PACKAGE = ROOT / "night_trail"
VAR = Path(os.environ.get("NIGHT_TRAIL_VAR", ROOT / "var"))
"""Everything that is made while running: the database, incoming files, the secret key."""


def _whole(name: str, otherwise: int) -> int:
    """Return a setting of the environment that is a whole number."""
    return int(os.environ.get(f"NIGHT_TRAIL_{name}", otherwise))


INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "csp",
    "axes",
    "django_tasks",
    "django_tasks_db",
    "night_trail.web",
    "night_trail.people",
    "night_trail.tables",
    "night_trail.jobs",
    "night_trail.trails",
    "night_trail.tales",
    "night_trail.demo",
]

MIDDLEWARE = [
    "night_trail.site.proxies.Proxies",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "night_trail.site.bodies.Bodies",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "csp.middleware.CSPMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "night_trail.site.middleware.PlainErrors",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "night_trail.site.urls"
WSGI_APPLICATION = "night_trail.site.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [PACKAGE / "site" / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "night_trail.people.context.theme",
            ],
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": os.environ.get("NIGHT_TRAIL_DATABASE", VAR / "night_trail.sqlite3"),
        "OPTIONS": {
            "timeout": 20,
            # deferred transactions lost updates under several threads
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in ("UserAttributeSimilarityValidator", "MinimumLengthValidator", "CommonPasswordValidator")
]
LOGIN_URL = "people:sign-in"
LOGIN_REDIRECT_URL = "tables:home"
LOGOUT_REDIRECT_URL = "people:sign-in"

AXES_FAILURE_LIMIT = 5
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_LOCKOUT_TEMPLATE = "people/locked_out.html"
AXES_RESET_ON_SUCCESS = True
AXES_CLIENT_IP_CALLABLE = "night_trail.people.slowing.address"

TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": ["default"]}}

LANGUAGE_CODE = "en-gb"
USE_TZ = True
TIME_ZONE = "UTC"
USE_I18N = False

STATIC_URL = "/static/"
STATIC_ROOT = VAR / "static"
# only our own and what we vendored ourselves: packages bring files of other versions
STATICFILES_FINDERS = ["django.contrib.staticfiles.finders.FileSystemFinder"]
STATICFILES_DIRS = [PACKAGE / "site" / "static", ("draw", PACKAGE / "draw" / "style")]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "night_trail.site.storage.HashedStatic"},
}

# What looking at a file, and reading all of it, may take in the process that does: bytes of address space,
# seconds of CPU and by the clock.
LOOKING_MEMORY = _whole("LOOKING_MEMORY", 6_000_000_000)
LOOKING_CPU = _whole("LOOKING_CPU", 20)
LOOKING_SECONDS = _whole("LOOKING_SECONDS", 20)
READING_MEMORY = _whole("READING_MEMORY", 16_000_000_000)
READING_CPU = _whole("READING_CPU", 3_600)
READING_SECONDS = _whole("READING_SECONDS", 1_800)

UPLOAD_LIMIT = _whole("UPLOAD_LIMIT", 1_000_000_000)
"""Bytes a file may have."""

USER_QUOTA = _whole("USER_QUOTA", 20_000_000_000)
"""Bytes that the tables of one person may take, with the files they were read from."""

LEAST_ROOM = _whole("LEAST_ROOM", 300_000_000)
"""Bytes that stay free on the disk: reading a file waits rather than take them."""

INCOMING = VAR / "incoming"
INCOMING.mkdir(parents=True, exist_ok=True)
DELIVERIES = Path(os.environ.get("NIGHT_TRAIL_DELIVERIES", VAR / "deliveries"))
"""The folders that are looked into for newer rows: ``<person>/<table>/``."""

ATTACH_ROOTS = [p for p in os.environ.get("NIGHT_TRAIL_ATTACH", "").split(os.pathsep) if p]
"""The folders of which files, folders of parts and databases may be attached; none where it is empty."""

ATTACH_SERVERS = os.environ.get("NIGHT_TRAIL_ATTACH_SERVERS", "").replace(",", " ").split()
"""The servers, as ``host:port``, whose PostgreSQL databases may be attached; none where it is empty."""

ATTACH_MEMORY = _whole("ATTACH_MEMORY", 2_000_000_000)
"""Bytes an engine in this process may take for attached rows before it goes to the disk."""

ATTACH_SECONDS = _whole("ATTACH_SECONDS", 600)
"""Seconds an engine may take for one answer."""

FILE_UPLOAD_TEMP_DIR = INCOMING
FILE_UPLOAD_HANDLERS = ["night_trail.tables.uploads.LimitedUpload"]
DATA_UPLOAD_MAX_MEMORY_SIZE = 1_000_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 1_500

COLUMN_CACHE_BYTES = _whole("COLUMN_CACHE", 768_000_000)
"""Bytes of decoded columns a process keeps."""

FILTER_CACHE_BYTES = _whole("FILTER_CACHE", 1_000_000_000)
"""Bytes of sorted and grouped columns a process keeps for the filters in use."""

ANSWER_CACHE_BYTES = _whole("ANSWER_CACHE", 200_000_000)
"""Bytes of answers a process keeps."""

TRUSTED_PROXIES: list[str] = []
"""Addresses or networks of reverse proxies whose word on visitors is believed."""

DEMO_KEY = ""
"""Where set, /enter/<key>/ signs the visitor in as the demo analyst."""

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
        "object-src": [NONE],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "night_trail.site.errors.csrf_failure"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"night_trail": {"level": "INFO"}, "axes": {"level": "ERROR"}},
}
