"""What a person can choose, where more than one place offers it."""

from __future__ import annotations

from enum import StrEnum
from typing import Literal

#: What happens where a UID that is copied is at the target already.
Existing = Literal["skip", "newer", "both"]
#: What stays here when a calendar is switched off.
Keep = Literal["nothing", "snapshot"]


class Detail(StrEnum):
    """How much readers of a share are given; `core.sharing` says what that is."""

    EVERYTHING = "everything"
    WITHOUT_PEOPLE = "without-people"
    TITLES = "titles"
    BUSY = "busy"


class Guarded(StrEnum):
    """What becomes of entries that are private, or confidential."""

    LEAVE_OUT = "leave-out"
    BUSY = "busy"
    AS_OTHERS = "as-others"


class Besides(StrEnum):
    """What readers of a share are given besides, where it is ticked (`core.sharing.Terms`)."""

    ATTACHMENTS = "attachments"
    ALARMS = "alarms"
    CONFERENCES = "conferences"
    UNKNOWN = "unknown"
    TODOS = "todos"


class Form(StrEnum):
    """The formats in which a share can be read (`core.sharing.formats`)."""

    FEED = "feed"
    JCAL = "jcal"
    BUSY = "busy"
    PAGE = "page"
    FILE = "file"
