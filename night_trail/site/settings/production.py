"""For a server behind TLS. The environment names the hosts; the secret key is made at the first start."""

import os
import secrets
from pathlib import Path

from night_trail.site.settings.base import *  # noqa: F403
from night_trail.site.settings.base import VAR


def _secret_key(path: Path) -> str:
    """Return the key kept beside the database, made when there is none."""
    if key := os.environ.get("NIGHT_TRAIL_SECRET_KEY"):
        return key
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        # exclusive, so that two processes starting at once agree on one key
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text(encoding="ascii")
    with os.fdopen(descriptor, "w", encoding="ascii") as file:
        key = secrets.token_urlsafe(64)
        file.write(key)
    return key


DEBUG = False
SECRET_KEY = _secret_key(VAR / "secret_key")
ALLOWED_HOSTS = [h for h in os.environ.get("NIGHT_TRAIL_HOSTS", "").split(",") if h]
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS]
TRUSTED_PROXIES = [p for p in os.environ.get("NIGHT_TRAIL_PROXIES", "127.0.0.1,::1").split(",") if p]
SECURE_SSL_REDIRECT = True
# believed only of trusted proxies: ``site.proxies`` drops the header of anybody else
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
SECURE_HSTS_SECONDS = 31_536_000
SECURE_HSTS_INCLUDE_SUBDOMAINS = True
SECURE_HSTS_PRELOAD = True
SESSION_COOKIE_SECURE = True
CSRF_COOKIE_SECURE = True
