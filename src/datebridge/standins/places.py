"""What is where on a simulated calendar server, and what each place is called.

`/dav/principals/PERSON/`, `/dav/calendars/PERSON/CALENDAR/OBJECT`, and beside the calendars `inbox` and `outbox`
(RFC 6638 §2). With some habits calendars are called otherwise; whatever they were called before is understood too.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from urllib.parse import quote, unquote

from datebridge.standins.habits import Habits
from datebridge.standins.records import Collection, Records

Kind = Literal[
    "root",
    "principals",
    "principal",
    "group",
    "home",
    "shelf",
    "calendar",
    "object",
    "inbox",
    "outbox",
    "notice",
    "nowhere",
]
SHELF = "shelf"
_HOMES = ("calendars", "more")
_BOXES = ("inbox", "outbox")


@dataclass(frozen=True, slots=True)
class Place:
    """What an address stands for.

    Attributes:
        person: whose it is, or who it is.
        access: what the one who asks may do in the calendar: ``own``, ``write``, ``read``.
        name: of the object, or the name a calendar would get that is not there.
        home: the first part of the address of a home.
    """

    kind: Kind
    person: str = ""
    collection: Collection | None = None
    access: str = ""
    name: str = ""
    home: str = "calendars"


class Map:
    """Places and addresses for one person who asks."""

    def __init__(self, records: Records, habits: Habits, person: str) -> None:
        self.records, self.habits, self.person = records, habits, person

    # ---- from addresses to places ----------------------------------------------------------------

    def find(self, path: str) -> Place:
        """What an address (its path, escaped) stands for."""
        parts = [unquote(part) for part in path.strip("/").split("/")]
        if parts in (["dav"], [""]):
            return Place("root")
        if parts[:2] == ["dav", "principals"]:
            return self._principal(parts[2:])
        if len(parts) >= 3 and parts[0] == "dav" and parts[1] in _HOMES:
            return self._within(parts[1], parts[2], parts[3:])
        return Place("nowhere")

    def _principal(self, rest: list[str]) -> Place:
        if not rest or rest == [""]:
            return Place("principals")
        if len(rest) == 2 and rest[1] == "group" and self.records.person(rest[0]):
            return Place("group", rest[0])
        if len(rest) == 1 and self.records.person(rest[0]):
            return Place("principal", rest[0])
        return Place("nowhere")

    def _within(self, home: str, owner: str, rest: list[str]) -> Place:
        if owner != self.person and not self.reachable(owner):
            return Place("nowhere")
        if not rest:
            return Place("home", owner, home=home)
        if rest == [SHELF]:
            return Place("shelf", owner, home=home)
        if rest[0] == SHELF:
            rest = rest[1:]
        if rest[0] in _BOXES and owner == self.person:
            if len(rest) == 1:
                return Place("inbox" if rest[0] == "inbox" else "outbox", owner)
            return Place("notice", owner, name=rest[1]) if rest[0] == "inbox" and len(rest) == 2 else Place("nowhere")
        for collection, access in self.calendars(owner):
            if self._slug(collection) == rest[0]:
                if len(rest) == 1:
                    return Place("calendar", owner, collection, access)
                return Place("object", owner, collection, access, rest[1]) if len(rest) == 2 else Place("nowhere")
        return Place("nowhere", owner, name=rest[0] if len(rest) == 1 else "", home=home)

    def reachable(self, owner: str) -> bool:
        """Whether somebody else's home can be looked into, since something of it is shared with who asks."""
        shared = self.records.calendars_of(self.person)
        return self.habits.has("delegates") and any(c.owner == owner for c, access in shared if access != "own")

    # ---- from places to addresses ----------------------------------------------------------------

    def calendars(self, owner: str) -> list[tuple[Collection, str]]:
        """The calendars of a home, with what may be done in them."""
        every = self.records.calendars_of(self.person)
        if owner != self.person or self.habits.has("delegates"):
            return [(c, access) for c, access in every if c.owner == owner]
        return every

    def listed(self, place: Place) -> list[tuple[Collection, str]]:
        """The calendars directly in a home, or on its shelf."""
        if self.habits.has("shelf") != (place.kind == "shelf"):
            return []
        collections = self.calendars(place.person)
        return [(c, access) for c, access in collections if self._home(c) == place.home]

    def homes(self, owner: str) -> list[str]:
        names = _HOMES if self.habits.has("two-homes") else _HOMES[:1]
        return [f"/dav/{name}/{quote(owner)}/" for name in names]

    def groups(self) -> list[str]:
        """The people in whose group one is, since they share something."""
        if not self.habits.has("delegates"):
            return []
        return sorted({c.owner for c, access in self.records.calendars_of(self.person) if access != "own"})

    def path(self, collection: Collection, name: str = "") -> str:
        whose = collection.owner if self.habits.has("delegates") else self.person
        shelf = f"{SHELF}/" if self.habits.has("shelf") else ""
        home = f"/dav/{self._home(collection)}/{quote(whose)}/{shelf}{quote(self._slug(collection))}/"
        return home + quote(name)

    def _home(self, collection: Collection) -> str:
        return "more" if self.habits.has("two-homes") and collection.position % 2 else "calendars"

    def _slug(self, collection: Collection) -> str:
        own = collection.owner == self.person or self.habits.has("delegates")
        return collection.slug if own else f"shared-{collection.id}"


def principal_path(person: str) -> str:
    return f"/dav/principals/{quote(person)}/"
