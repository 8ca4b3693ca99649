"""Numbers by which the store knows things. Each is a type of its own, so that one is never taken for another."""

from __future__ import annotations

from typing import NewType

CalendarId = NewType("CalendarId", int)
#: A state of an entry; an entry in force has the id of its version.
VersionId = NewType("VersionId", int)
SetId = NewType("SetId", int)
JobId = NewType("JobId", int)
AccountId = NewType("AccountId", int)
#: A calendar as it lives elsewhere.
RemoteId = NewType("RemoteId", int)
#: A file that was imported, and the part of it that goes to one calendar.
FileId = NewType("FileId", int)
GroupId = NewType("GroupId", int)
#: What a batch has to push to a server about one UID, or about the calendar itself.
PushId = NewType("PushId", int)
#: A planned move, and one calendar of it on its way.
CrossingId = NewType("CrossingId", int)
LaneId = NewType("LaneId", int)
