"""Steps done by a helper process: what it gives back is what would be done here."""

from __future__ import annotations

from datebridge.core.bulk.steps import Categories, Misread, Shift, Step
from datebridge.core.ids import GroupId
from datebridge.core.zones.defined import define
from datebridge.core.zones.meaning import Zones
from datebridge.services.imports.deriving import Deriving
from datebridge.services.mend.changing import Changing, Unchanged
from tests.conftest import event

STATION = ("Station", define("Station", "America/Halifax", 2020, 2035))
RULED = {"Quay time": "Atlantic/Reykjavik"}
TEXTS = (
    event("a", "Tide", "TZID=Station:20261201T210000", "RRULE:FREQ=DAILY;COUNT=9"),
    event("a", "Ebb", "TZID=Station:20261203T220000", "RECURRENCE-ID;TZID=Station:20261203T210000"),
    event("b", "Lamp Day", "20261224"),
    event("c", "Crane", "TZID=Quay time:20261124T090000"),
    event("d", "Net", "20261124T080000Z", "CATEGORIES:Moved"),
)


def changing(*steps: Step) -> Changing:
    entries = [Unchanged(key, "VEVENT", text, key != 1) for key, text in enumerate(TEXTS)]
    return Changing(GroupId(3), [entries[:2], *([one] for one in entries[2:])], steps, "20261201T000000Z")


def zones() -> dict[GroupId, Zones]:
    return {GroupId(3): Zones([STATION], RULED)}


def test_a_helper_does_what_is_done_here_by_the_same_definitions_and_rulings() -> None:
    works = [
        changing(Categories("add", ["Moved"])),
        changing(Shift(minutes=90), Categories("add", ["Late"])),
        changing(Misread("Atlantic/Reykjavik", "America/Halifax")),
    ]
    here = [work.do(zones()) for work in works]
    with Deriving(1 << 30) as deriving:
        beside = [result for _, result in deriving.each((None, work, zones()) for work in works)]
    assert beside == here
    unchanged = [outcome.key for outcome, row in here[0] if row is None]
    assert unchanged == [4]  # it is in that category already
