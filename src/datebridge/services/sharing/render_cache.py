"""The forms of a share, each made once per change and given out as often as it is asked for."""

from __future__ import annotations

import gc
import gzip
import hashlib
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date

from datebridge.clock import now
from datebridge.core.choices import Form
from datebridge.core.moments import wall_seconds_of
from datebridge.core.sharing.formats import FORMATS
from datebridge.core.sharing.gathering import SharedContent
from datebridge.core.sharing.page_data import PageData
from datebridge.services.sharing.plans import Plan, content_of, names_of, today_in
from datebridge.store.calendars import places
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.sql import revision_now

_LEVEL = 4


@contextmanager
def uncollected() -> Iterator[None]:
    """Without looking for cycles meanwhile: what is made is very many small objects, and hardly any of them."""
    collecting = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collecting:
            gc.enable()


@dataclass(frozen=True, slots=True)
class RenderedForm:
    """A form of a share, ready to be sent. `changed`: when it came to say something else, in seconds."""

    body: bytes
    packed: bytes
    etag: str
    changed: int


@dataclass(slots=True)
class _CachedShare:
    """What a share gives as of a state of the store and a day, and the forms that were made of it."""

    state: tuple[object, ...]
    given: SharedContent
    forms: dict[Form, RenderedForm]
    page_data: PageData | None = None


def make(given: SharedContent, plan: Plan, form: Form, today: date) -> bytes:
    """A share in a format; not the page, which the readers' door draws.

    Raises:
        ValueError: for the page.
    """
    write = FORMATS[form].make
    if write is None:
        raise ValueError(form)
    return write(given, plan.cover, plan.zone, wall_seconds_of(today))


class ShareRenderer:
    """Makes the forms of shares, and keeps them until something changes that they say.

    Safe to use from several threads; whoever asks for what is just being made waits for it.
    """

    def __init__(self, store: Store) -> None:
        self.store, self.ledger = store, Ledger(store)
        self._kept: dict[int, _CachedShare] = {}
        self._before: dict[tuple[int, Form], RenderedForm] = {}
        self._locks: dict[int, threading.Lock] = {}
        self._lock = threading.Lock()

    def made(self, share: int, plan: Plan, version: object, form: Form) -> RenderedForm:
        """A form of a share.

        Args:
            version: another one whenever the share itself was changed.
        """
        with self._lock_of(share):
            kept = self._current(share, plan, version)
            if form not in kept.forms:
                kept.forms[form] = self._make(share, kept, plan, form)
            return kept.forms[form]

    def ready(self, share: int, plan: Plan, version: object, form: Form, state: object) -> RenderedForm | None:
        """The same where it has been made already as of a state, without waiting; else None."""
        kept = self._kept.get(share)
        if kept is None or kept.state[:2] != (version, state) or kept.state[-1] != today_in(plan.zone):
            return None
        return kept.forms.get(form)

    def page_data(self, share: int, plan: Plan, version: object) -> PageData:
        """What readers of the page look at."""
        with self._lock_of(share):
            kept = self._current(share, plan, version)
            if kept.page_data is None:
                with self.store.read() as connection:
                    kept.page_data = PageData(kept.given, plan.secret, names_of(connection, plan))
            return kept.page_data

    def forget(self, shares: set[int]) -> None:
        """Keep nothing of shares but these."""
        with self._lock:
            for share in self._kept.keys() - shares:
                self._kept.pop(share, None)
                for form in Form:
                    self._before.pop((share, form), None)

    def _lock_of(self, share: int) -> threading.Lock:
        with self._lock:
            return self._locks.setdefault(share, threading.Lock())

    def _current(self, share: int, plan: Plan, version: object) -> _CachedShare:
        today = today_in(plan.zone)
        with self.store.read() as connection:
            own = None if plan.filter.strip() else plan.calendars
            state = (version, revision_now(connection), revision_now(connection, own), today)
            kept = self._kept.get(share)
            if kept is not None and (kept.state[0], *kept.state[2:]) == (state[0], *state[2:]):
                kept.state = state
                return kept
            if kept is not None and plan.held is not None and (kept.state[0], kept.state[-1]) == (version, today):
                kept.state = state
                return kept
            with uncollected():
                kept = _CachedShare(state, content_of(connection, self.ledger, plan, today), {})
        self._kept[share] = kept
        return kept

    def _make(self, share: int, kept: _CachedShare, plan: Plan, form: Form) -> RenderedForm:
        body = make(kept.given, plan, form, today_in(plan.zone))
        digest = hashlib.sha256(body).hexdigest()[:32]
        before = self._before.get((share, form))
        if before is not None and before.etag == digest:
            return before
        made = RenderedForm(body, gzip.compress(body, _LEVEL, mtime=0), digest, now())
        self._before[share, form] = made
        return made


def colours_of(store: Store) -> dict[int, int]:
    """The place of each calendar in the palette."""
    with store.read() as connection:
        return {int(number): place for number, place in places(connection).items()}
