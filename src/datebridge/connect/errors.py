"""What can go wrong on the way to another system, in words: what happened, where, and what to do."""

from __future__ import annotations

from typing import ClassVar, Literal

from datebridge.core.errors import CannotDo

Trouble = Literal[
    "address",
    "failing",
    "forbidden",
    "name",
    "refused",
    "timeout",
    "certificate",
    "password",
    "down",
    "throttled",
    "cut",
    "large",
    "locked",
    "missing",
    "answer",
    "leaves",
    "plain",
    "busy",
    "scheme",
    "sign-on",
    "homeless",
    "incomplete",
]
#: Trouble that may well be over in a while.
TEMPORARY = frozenset({"name", "refused", "timeout", "down", "throttled", "cut", "failing", "locked", "incomplete"})
#: Such trouble may be with what was asked alone: others of the same host are asked all the same.
ALONE = frozenset({"cut", "failing", "locked", "incomplete"})


class Unreachable(CannotDo):
    """The other system could not be asked, or not understood.

    >>> Unreachable("password", "Tidewrack does not accept this user name and password.").temporary
    False

    The message never holds an address beyond its host: the rest may work like a password.

    Attributes:
        http_status: of an answer that could not be used; 0 where there was none.
        origin: for ``leaves`` and ``plain``, where name and password would go if a person says yes; else "".
        offered: how one may sign in there, as the server said when it let nobody in (``WWW-Authenticate``).
    """

    code: ClassVar[str] = "unreachable"
    title: ClassVar[str] = "The other system cannot be asked"

    def __init__(
        self, trouble: Trouble, message: str, retry_after: float | None = None, origin: str = "", http_status: int = 0
    ) -> None:
        super().__init__(message)
        self.http_status, self.offered = http_status, ""
        # What was asked here failed with what was asked elsewhere (RFC 4918 §11.4).
        self.status = 429 if trouble == "busy" else 424
        self.trouble, self.message, self.retry_after, self.origin = trouble, message, retry_after, origin

    def members(self) -> dict[str, object]:
        return {"trouble": self.trouble, "origin": self.origin}

    @property
    def temporary(self) -> bool:
        return self.trouble in TEMPORARY

    @property
    def of_account(self) -> bool:
        """Whether it concerns everything of an account, not just what was asked."""
        if self.temporary:
            return self.trouble not in ALONE
        return self.trouble in ("password", "scheme", "sign-on", "leaves", "plain", "certificate", "forbidden")
