"""Passwords and addresses that work like them: encrypted at rest, with a key that lies beside the data."""

from __future__ import annotations

import os
import threading
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from datebridge.core.errors import CannotDo
from datebridge.settings import Settings
from datebridge.store.accounts import sealed_addresses
from datebridge.store.database import Store
from datebridge.store.private import open_private


class KeyLost(CannotDo):
    """The key that opens the stored passwords is gone or another one; they must be given again."""

    code, title = "key-lost", "Stored passwords cannot be opened"


def demand_key(store: Store, settings: Settings) -> None:
    """Whether what is stored can still be opened.

    Raises:
        KeyLost: if nothing that is stored can be.
    """
    sealed = sealed_addresses(store)
    if not sealed or (settings.key_file.is_file() and any(_opens(settings, data) for data in sealed)):
        return
    raise KeyLost(
        f"The key to the stored addresses and passwords, {settings.key_file}, is missing or has changed. "
        "Restore it; or start with --new-key and add each account again: its calendars are kept."
    )


def _opens(settings: Settings, sealed: bytes) -> bool:
    try:
        return bool(unseal(settings, sealed))
    except KeyLost:
        return False


@lru_cache(maxsize=8)
def _box(path: Path) -> Fernet:
    if not path.is_file():
        made = path.with_suffix(f".{os.getpid()}-{threading.get_ident()}")
        with open_private(made) as file:
            file.write(Fernet.generate_key())
        with suppress(FileExistsError):  # whole or not at all, and the first one counts
            os.link(made, path)
        made.unlink()
    try:
        return Fernet(path.read_bytes())
    except ValueError as error:
        raise KeyLost("The key to the stored passwords is damaged. Add the account again.") from error


def start_over(settings: Settings) -> None:
    """Lay the key aside that opens nothing: the next secret is sealed with a new one."""
    if settings.key_file.is_file():
        settings.key_file.replace(settings.key_file.with_suffix(".old"))
    _box.cache_clear()


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
