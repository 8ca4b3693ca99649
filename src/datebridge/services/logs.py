"""The log: plain lines on standard error, without local variables and without addresses.

>>> mask("GET https://feeds.example/s/8f2c?key=1 failed")
'GET https://feeds.example/… failed'
"""

from __future__ import annotations

import logging
import re
import sys
from collections.abc import Callable
from time import monotonic
from typing import Any

import structlog

#: Everything of an address from its path on, and what stands before its host.
_ADDRESS = re.compile(r"\b([a-z][a-z0-9+.-]*://)(?:[^\s/?#\"'<>@]*@)?([^\s/?#\"'<>]+)[/?#][^\s\"'<>]*", re.IGNORECASE)

#: A kind of line is one of so many, and none is longer than so many characters.
_MINUTE, _MOST_KINDS, _LONGEST = 60.0, 1_000, 20_000


def mask(text: str) -> str:
    """A text in which addresses end with their host: the rest may work like a password."""
    return _ADDRESS.sub(r"\1\2/…", text)


class Sparing:
    """Lets so many lines of a kind through in a minute, and says with the next one how many were not written.

    >>> spare = Sparing(2, clock=lambda: 5.0)
    >>> [spare.unsaid("a reader could not be answered") for _ in range(4)]
    [0, 0, None, None]
    """

    def __init__(self, most: int = 20, clock: Callable[[], float] = monotonic) -> None:
        self.most, self._clock = most, clock
        self._kinds: dict[str, tuple[float, int, int]] = {}

    def unsaid(self, kind: str) -> int | None:
        """How many lines of a kind were not written before this one; None where it is not to be written either."""
        now = self._clock()
        began, logged, kept = self._kinds.get(kind, (now, 0, 0))
        if now - began >= _MINUTE:
            began, logged = now, 0
        if logged >= self.most:
            self._kinds[kind] = began, logged, kept + 1
            return None
        if len(self._kinds) >= _MOST_KINDS:
            self._kinds.clear()
        self._kinds[kind] = began, logged + 1, 0
        return kept


_sparing = Sparing()


def _spared(_: object, __: str, event: Any) -> Any:
    unsaid = _sparing.unsaid(str(event.get("event"))[:200])
    if unsaid is None:
        raise structlog.DropEvent
    return {**event, "unsaid": unsaid} if unsaid else event


def _short(text: str) -> str:
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST // 2]}\n…\n{text[-_LONGEST // 2 :]}"


def _masked(_: object, __: str, event: Any) -> Any:
    return {key: _short(mask(value)) if isinstance(value, str) else value for key, value in event.items()}


class _Masking(logging.Formatter):
    def format(self, record: logging.LogRecord) -> str:
        return _short(mask(super().format(record)))


class _ToStderr(logging.Handler):
    """Writes to standard error, whatever that is by then."""

    def emit(self, record: logging.LogRecord) -> None:
        unsaid = _sparing.unsaid(f"{record.name} {record.msg}"[:200])
        if unsaid is None:
            return
        if unsaid:
            print(f"{unsaid:,} more lines like the next one were not written.", file=sys.stderr)
        print(self.format(record), file=sys.stderr, flush=True)


def set_up() -> None:
    """Set the log up for this process."""
    structlog.configure(
        processors=[
            _spared,
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,  # the plain trace: it shows no values
            _masked,
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback),
        ],
        logger_factory=lambda *_: structlog.PrintLogger(sys.stderr),
    )
    handler = _ToStderr()
    handler.setFormatter(_Masking("%(asctime)s [%(levelname)s] %(name)s: %(message)s"))
    root = logging.getLogger()
    root.handlers = [handler]
    root.setLevel(logging.WARNING)
