"""Passwords and addresses that work like them: encrypted at rest, with a key that lies beside the data."""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from datebridge.settings import Settings


class KeyLost(Exception):
    """The key that opens the stored passwords is gone or another one; they must be given again."""


@lru_cache(maxsize=8)
def _box(path: Path) -> Fernet:
    try:
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return Fernet(path.read_bytes())
    with os.fdopen(descriptor, "wb") as file:
        key = Fernet.generate_key()
        file.write(key)
    return Fernet(key)


def seal(settings: Settings, secret: str) -> bytes:
    return _box(settings.key_file).encrypt(secret.encode()) if secret else b""


def unseal(settings: Settings, sealed: bytes) -> str:
    """What was sealed.

    Raises:
        KeyLost: if it was sealed with another key.
    """
    try:
        return _box(settings.key_file).decrypt(sealed).decode() if sealed else ""
    except (InvalidToken, ValueError) as error:
        raise KeyLost("The key to the stored passwords is gone. Add the account again.") from error
