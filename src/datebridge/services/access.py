"""The access key: what every address but this machine's own needs, as long as there are no people to sign in."""

from __future__ import annotations

import hashlib
import hmac
import secrets

from datebridge.settings import Settings
from datebridge.store.private import open_private


def new_key(settings: Settings) -> str:
    """The access key where none has been made yet, to be shown this once; "" where there is one. Its digest is kept."""
    if settings.access_file.is_file():
        return ""
    key = secrets.token_urlsafe(24)
    with open_private(settings.access_file) as file:
        file.write(_digest(key).encode())
    return key


class AccessKey:
    """Tells whether somebody has the key, by the key itself or by the cookie that was given for it."""

    def __init__(self, settings: Settings) -> None:
        self._kept = settings.access_file.read_text("ascii") if settings.access_file.is_file() else ""

    def opens(self, key: str) -> bool:
        return bool(self._kept) and hmac.compare_digest(_digest(key), self._kept)

    @property
    def cookie(self) -> str:
        """What a browser is given for the key; nobody learns the key from it."""
        return _digest(f"cookie {self._kept}")

    def accepts(self, cookie: str) -> bool:
        return bool(self._kept) and hmac.compare_digest(cookie.encode(), self.cookie.encode())


def _digest(text: str) -> str:
    """A plain digest is enough: the key is drawn at random, and long."""
    return hashlib.sha256(text.encode("utf-8", "replace")).hexdigest()
