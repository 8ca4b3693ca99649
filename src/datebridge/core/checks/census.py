"""What only shows among all entries of a calendar: two masters with one UID, overrides without a master.

>>> census = Census()
>>> census.add("VEVENT", "a", "20261124T080000Z", "second", 7)
>>> [(key, problem.code) for key, problem in census.problems()]
[('second', 'override-without-master')]
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Generic, TypeVar

from datebridge.core.checks.check import Check
from datebridge.core.problems import Problem

Key = TypeVar("Key")
CENSUS = (
    Check(
        "two-masters",
        "alters",
        "Two entries with one UID",
        why="A server stores each UID once: one of the entries will be refused.",
    ),
    Check(
        "override-without-master",
        "alters",
        "Changed occurrence without its series",
        why="Its series does not exist; other systems show it alone, or not at all.",
    ),
)


class Census(Generic[Key]):
    """Remembers who is there, by identity. `Key` is whatever the caller knows an entry by."""

    def __init__(self) -> None:
        self._masters: dict[tuple[str, str], list[tuple[Key, int]]] = {}
        self._overrides: list[tuple[str, str, Key, int]] = []

    def add(self, component: str, uid: str, recurrence_id: str, key: Key, line: int = 0) -> None:
        """Note an entry; `line` is where it begins in its file, 0 where no file is involved."""
        if not uid:
            return
        if recurrence_id:
            self._overrides.append((component, uid, key, line))
        else:
            self._masters.setdefault((component, uid), []).append((key, line))

    def problems(self) -> Iterator[tuple[Key, Problem]]:
        """Each entry that has such a problem, with the problem."""
        for (_, uid), masters in self._masters.items():
            if len(masters) > 1:
                some = masters[:4]
                for key, line in masters:
                    others = [str(at) for k, at in some if k != key and at][:3]
                    where = f" (line {', '.join(others)})" if others else ""
                    message = f"Another entry has the same UID{where}."
                    yield key, Problem("two-masters", message, "Both are kept.", line, uid=uid)
        for component, uid, key, line in self._overrides:
            if (component, uid) not in self._masters:
                where = "in the file" if line else "here"
                message = f"This changes an occurrence of a series that is not {where}."
                yield key, Problem("override-without-master", message, "Kept; it stands alone.", line, uid=uid)
