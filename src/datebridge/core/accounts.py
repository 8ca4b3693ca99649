"""The kinds of accounts, and what can be done at the other system of each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum


class AccountKind(StrEnum):
    """What an account is: a calendar server, or a feed that can only be read."""

    SERVER = "server"
    FEED = "feed"


@dataclass(frozen=True, slots=True)
class Reach:
    """What is at the other system of an account.

    Attributes:
        takes: it takes changes: what is changed here is pushed there, and calendars can be made there.
        many: it holds several calendars, listed when it is looked through; else it is one.
    """

    takes: bool
    many: bool


REACH: Mapping[AccountKind, Reach] = {
    AccountKind.SERVER: Reach(takes=True, many=True),
    AccountKind.FEED: Reach(takes=False, many=False),
}
#: The kinds that take changes.
TAKING = tuple(kind for kind, reach in REACH.items() if reach.takes)


def reach_of(kind: str) -> Reach:
    """What is at the other system of an account of a kind."""
    return REACH[AccountKind(kind)]
