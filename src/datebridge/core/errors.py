"""What cannot be done, and why: one kind of error for people, whatever door they come by.

>>> class NotTaken(CannotDo):
...     code, status = "not-taken", 409
>>> error = NotTaken("notes.txt holds no calendar.")
>>> str(error), error.code, error.members()
('notes.txt holds no calendar.', 'not-taken', {})
"""

from __future__ import annotations

from typing import ClassVar


class CannotDo(Exception):
    """Something cannot be done; the message says what, where, and what to do instead.

    Attributes:
        code: says which kind of refusal it is, to programs; it never changes.
        title: the same for people, without the particulars.
        status: how HTTP says it.
    """

    code: ClassVar[str] = "cannot-do"
    title: ClassVar[str] = "It cannot be done"
    status: int = 409

    def members(self) -> dict[str, object]:
        """What programs are told besides (RFC 9457 §3.2)."""
        return {}


class NotFound(CannotDo):
    """What was asked for is not there, or not any more."""

    code, title, status = "not-found", "Not found", 404


class NotValid(CannotDo):
    """What was sent makes no sense."""

    code, title, status = "not-valid", "The request is not valid", 422
