"""Secrets as they are kept: locked with the server's key, opened only where they are used."""

from __future__ import annotations

import base64

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings


class Unopened(Exception):
    """A secret was locked with another key than the server has now."""


def seal(secret: str) -> str:
    """Return a secret as it may be kept (Fernet: AES in CBC mode, with an HMAC)."""
    return _lock().encrypt(secret.encode()).decode()


def open_seal(kept: str) -> str:
    """Return the secret that was kept."""
    try:
        return _lock().decrypt(kept.encode()).decode()
    except InvalidToken:
        raise Unopened from None


def _lock() -> Fernet:
    # the key signs sessions as well: what is derived from it for this says nothing of it
    derived = HKDF(SHA256(), 32, salt=None, info=b"secrets of attached databases")
    return Fernet(base64.urlsafe_b64encode(derived.derive(settings.SECRET_KEY.encode())))
