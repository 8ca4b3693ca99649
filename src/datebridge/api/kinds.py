"""Numbers and days as they may be asked for: within what the store and the calendar can hold."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any

from annotated_types import Ge, Le
from pydantic import AfterValidator

from datebridge.core import ids
from datebridge.core.text.storable import is_storable

#: SQLite's whole numbers have 64 bits.
_MOST = 2**63 - 1
_Id = Ge(0), Le(_MOST)
CalendarNo = Annotated[ids.CalendarId, *_Id]
EntryNo = Annotated[ids.VersionId, *_Id]
SetNo = Annotated[ids.SetId, *_Id]
JobNo = Annotated[ids.JobId, *_Id]
AccountNo = Annotated[ids.AccountId, *_Id]
RemoteNo = Annotated[ids.RemoteId, *_Id]
FileNo = Annotated[ids.FileId, *_Id]
GroupNo = Annotated[ids.GroupId, *_Id]
PushNo = Annotated[ids.PushId, *_Id]
#: Of a row that has no type of its own.
RowNo = Annotated[int, *_Id]
#: Wall seconds, from before the year 1 to after the year 9999.
Slot = Annotated[int, Ge(-100_000_000_000), Le(300_000_000_000)]
#: Minutes by which something is moved: no more than all years there are.
Minutes = Annotated[int, Ge(-6_000_000_000), Le(6_000_000_000)]
Offset = Annotated[int, Ge(0), Le(2**40)]
Limit = Annotated[int, Ge(1), Le(500)]
_FIRST, _LAST = date(1, 1, 3), date(9999, 12, 29)


def _with_room(day: date) -> date:
    if not _FIRST <= day <= _LAST:
        raise ValueError(f"days go from {_FIRST} to {_LAST}")
    return day


def storable(value: Any) -> Any:
    """Refuses what could be kept and not read again."""
    if not is_storable(value):
        raise ValueError("this holds halves of characters, or is nested too deeply, and could not be read again")
    return value


#: A day with room for the clocks of other places before and after it.
Day = Annotated[date, AfterValidator(_with_room)]
#: Anything JSON can say that can be kept, and read again.
Storable = Annotated[dict[str, Any], AfterValidator(storable)]
