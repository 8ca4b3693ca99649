"""The log: plain lines on standard error, without local variables and without addresses.

>>> mask("GET https://feeds.example/s/8f2c?key=1 failed")
'GET https://feeds.example/… failed'
"""

from __future__ import annotations

import logging
import re
import sys
from typing import Any

import structlog

#: Everything of an address from its path on, and what stands before its host.
_ADDRESS = re.compile(r"\b([a-z][a-z0-9+.-]*://)(?:[^\s/?#\"'<>@]*@)?([^\s/?#\"'<>]+)[/?#][^\s\"'<>]*", re.IGNORECASE)


def mask(text: str) -> str:
    """A text in which addresses end with their host: the rest may work like a password."""
    return _ADDRESS.sub(r"\1\2/…", text)


def _masked(_: Any, __: str, event: Any) -> Any:
    return {key: mask(value) if isinstance(value, str) else value for key, value in event.items()}


class _Masking(logging.Formatter):
    def format(self, record: logging.LogRecord) -> str:
        return mask(super().format(record))


class _ToStderr(logging.Handler):
    """Writes to standard error, whatever that is by then."""

    def emit(self, record: logging.LogRecord) -> None:
        print(self.format(record), file=sys.stderr, flush=True)


def set_up() -> None:
    """Set the log up for this process."""
    structlog.configure(
        processors=[
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
