"""Habits of servers: what the standards allow, or what servers do although they forbid it. Each can be switched on.

>>> habits = Habits()
>>> habits.set(["weak-etags"])
>>> habits.has("weak-etags"), habits.has("slow")
(True, False)
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Literal, get_args

Habit = Literal[
    "weak-etags",
    "restless-etags",
    "silent-put",
    "renames",
    "withholds",
    "omits",
    "cut-listings",
    "short-listings",
    "absolute-hrefs",
    "escapes",
    "other-host",
    "two-homes",
    "no-home",
    "shelf",
    "delegates",
    "lax",
    "mkcol-only",
    "digest-only",
    "redirects",
    "stale-tokens",
    "no-sync",
    "no-multiget",
    "small-multiget",
    "no-listing",
    "http-1.0",
    "gzip",
    "slow",
    "any-depth",
]
HABITS: dict[Habit, str] = {
    "weak-etags": "its ETags are weak ones, and it takes none of them in If-Match",
    "restless-etags": "an entry has another ETag each time it has been read",
    "silent-put": "gives no ETag when something was written",
    "renames": "keeps what is written under a name of its own",
    "withholds": "when asked for many entries, says 403, 500 or 507 for each third of them; alone it hands them out",
    "omits": "when asked for many entries, passes over each third of them without a word; alone it hands them out",
    "cut-listings": "lists two entries at a time, and says 507 for the rest",
    "short-listings": "lists half of the entries, without a word",
    "absolute-hrefs": "names everything by whole addresses",
    "escapes": "escapes every character of a name that can be escaped",
    "other-host": "calendars are at another host than the people",
    "two-homes": "every second calendar is in another home",
    "no-home": "does not say where one's calendars are",
    "shelf": "calendars are on a shelf in the home, not in the home itself",
    "delegates": "calendars shared by others stay in their homes, and are found by the groups one belongs to",
    "lax": "takes any object: without UID, with several, or a UID once more",
    "mkcol-only": "does not know MKCALENDAR, only MKCOL",
    "digest-only": "lets one in by Digest only",
    "redirects": "sends every request for an entry on to another path (307, 308)",
    "stale-tokens": "refuses every second token it is asked with: with 400, 403, 409, 410, 412 or 507",
    "no-sync": "says that it knows sync-collection, and refuses it",
    "no-multiget": "does not know multiget",
    "small-multiget": "takes two entries in a multiget, and refuses more (413)",
    "no-listing": "refuses to list a calendar (403); it can be queried",
    "http-1.0": "speaks HTTP/1.0, and closes every connection",
    "gzip": "packs every answer",
    "slow": "answers a fifth of a second later",
    "any-depth": "answers sync-collection at any Depth",
}
assert set(HABITS) == set(get_args(Habit))  # noqa: S101


class Habits:
    """The habits of one server that are switched on, and what it remembers for them."""

    def __init__(self) -> None:
        self.on: set[Habit] = set()
        self.times: Counter[str] = Counter()

    def set(self, names: Iterable[str]) -> None:
        """Switch on these, and no others.

        Raises:
            KeyError: if there is no such habit.
        """
        wanted = list(names)
        unknown = [name for name in wanted if name not in HABITS]
        if unknown:
            raise KeyError(unknown[0])
        self.on = set(wanted)  # type: ignore[arg-type]
        self.times.clear()

    def has(self, habit: Habit) -> bool:
        return habit in self.on

    def count(self, what: str) -> int:
        """How many times something has happened before; counts it."""
        self.times[what] += 1
        return self.times[what] - 1
