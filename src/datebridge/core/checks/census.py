"""What only shows among all entries of a calendar: two masters with one UID, overrides without a master.

>>> census = Census()
>>> census.add("VEVENT", "a", "20261124T080000Z", "second", 7)
>>> [(key, problem.code) for key, problem in census.problems()]
[('second', 'override-without-master')]
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Generic, TypeVar

from datebridge.core.problems import Problem

Key = TypeVar("Key")


class Census(Generic[Key]):
    """Remembers who is there, by identity. `Key` is whatever the caller knows an entry by."""

    def __init__(self) -> None:
        self._masters: dict[tuple[str, str], list[tuple[Key, int]]] = {}
        self._overrides: list[tuple[str, str, Key, int]] = []

    def add(self, component: str, uid: str, recurrence_id: str, key: Key, line: int) -> None:
        """Note an entry that begins at a line of the file."""
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
                    others = [str(at) for k, at in some if k != key][:3]
                    message = f"Another entry has the same UID (line {', '.join(others)})."
                    yield key, Problem("two-masters", message, "Both are kept.", line, uid=uid)
        for component, uid, key, line in self._overrides:
            if (component, uid) not in self._masters:
                message = "This changes an occurrence of a series that is not in the file."
                yield key, Problem("override-without-master", message, "Kept; it stands alone.", line, uid=uid)
