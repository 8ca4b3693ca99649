"""The access key: what every address but this machine's own needs, as long as there are no people to sign in."""

from __future__ import annotations

import hashlib
import hmac
import secrets

from datebridge.clock import now
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.private import open_private
from datebridge.store.sessions import open_session, open_sessions

#: A browser is let in for so long, in seconds.
LASTS = 30 * 86_400


def new_key(settings: Settings) -> str:
    """The access key where none has been made yet, to be shown this once; "" where there is one. Its digest is kept."""
    if settings.access_file.is_file():
        return ""
    key = secrets.token_urlsafe(24)
    with open_private(settings.access_file) as file:
        file.write(_digest(key).encode())
    return key


class AccessKey:
    """Tells whether somebody has the key, or a cookie that was given for it.

    A cookie is drawn at random and kept as a digest that the key is part of: whoever reads the data learns none, and
    with another key none is accepted.
    """

    def __init__(self, settings: Settings, store: Store) -> None:
        self._kept = settings.access_file.read_text("ascii") if settings.access_file.is_file() else ""
        self._store = store
        self._sessions: dict[str, int] = {}
        if self._kept:
            with store.read() as connection:
                self._sessions = open_sessions(connection)

    def opens(self, key: str) -> bool:
        return bool(self._kept) and hmac.compare_digest(_digest(key), self._kept)

    def new_cookie(self) -> str:
        """What a browser is given for the key."""
        cookie, until = secrets.token_urlsafe(24), now() + LASTS
        digest = self._digest_of(cookie)
        with self._store.write() as connection:
            open_session(connection, digest, now(), until)
        self._sessions[digest] = until
        return cookie

    def accepts(self, cookie: str) -> bool:
        return bool(self._kept) and self._sessions.get(self._digest_of(cookie), 0) > now()

    def _digest_of(self, cookie: str) -> str:
        return _digest(f"{self._kept} {cookie}")


def _digest(text: str) -> str:
    """A plain digest is enough: what is digested is drawn at random, and long."""
    return hashlib.sha256(text.encode("utf-8", "replace")).hexdigest()
