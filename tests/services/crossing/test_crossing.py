"""A crossing from one server to another: planned, run, run again for what changed since, verified, sent back."""

from __future__ import annotations

from collections.abc import Sequence

import pytest

from datebridge.core.ids import AccountId, CalendarId, CrossingId, LaneId
from datebridge.services.crossing import plans, running, verifying
from datebridge.store import crossings
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.crossings import DifferenceRow
from datebridge.store.tables import Lane
from tests.conftest import event
from tests.world import World, berth


class Move:
    """Berths crossing from Tidewrack to another server."""

    def __init__(self, world: World, target: str = "lantern") -> None:
        self.world, self.target = world, target
        self.source_account = world.connect("tidewrack")
        self.account = AccountId(world.connect(target))
        self.source = CalendarId(world.remote(self.source_account).calendar_id or 0)
        self.number = plans.make(world.store, "To the new server", [self.source], self.account)

    @property
    def lane(self) -> Lane:
        with self.world.store.session() as session:
            return crossings.lanes_of(session, self.number)[0]

    def options(self, **values: object) -> None:
        plans.set_options(self.world.store, self.number, values)

    def run(self, **values: bool) -> None:
        running.run(self.world.store, self.number, **values)
        self.world.work()
        assert self.lane.message == ""

    def verify(self) -> dict[str, int]:
        verifying.verify_lanes(self.world.store, self.number)
        job = self.world.work()
        assert job.state == "done", job.message
        counts: dict[str, int] = self.lane.verified
        return counts

    def differences(self) -> list[DifferenceRow]:
        with self.world.store.read() as connection:
            return crossings.differences_of(connection, [LaneId(self.lane.id or 0)])

    def unexplained(self) -> list[tuple[str, str]]:
        self.verify()
        return [(one.verdict, one.reason) for one in self.differences() if not one.cause]

    def titles(self) -> list[str]:
        texts = self.world.there(self.target, "berths").values()
        return sorted(text.partition("SUMMARY:")[2].partition("\r")[0] for text in texts)

    def requests(self) -> int:
        return len(self.world.server(self.target).log)


@pytest.fixture(params=["lantern", "halyard"])
def move(world: World, request: pytest.FixtureRequest) -> Move:
    rule = "RRULE:FREQ=WEEKLY;COUNT=6"
    world.put("tidewrack", "berths", *(berth(number) for number in range(1, 5)))
    series = event("series", "Round", "TZID=Europe/Oslo:20261202T090000", rule)
    world.server("tidewrack").put("harbour-office", "berths", "series.ics", _object(series, "later").encode())
    return Move(world, request.param)


def _object(series: str, title: str) -> str:
    from tests.conftest import calendar

    changed = event(
        "series", title, "TZID=Europe/Oslo:20261209T110000", "RECURRENCE-ID;TZID=Europe/Oslo:20261209T090000"
    )
    return calendar(series, changed)


def test_a_lane_leads_to_the_calendar_of_the_same_name_and_carries_everything(move: Move) -> None:
    assert (move.lane.target_name, move.lane.why) == ("Berths", "same name")
    move.run()
    assert len(move.titles()) == 5
    counts = move.verify()
    assert (counts["entries"], counts["there"], counts["unexplained"]) == (6, 6, 0)
    assert not [one for one in move.differences() if one.verdict == "missing"]


def test_again_only_what_changed_at_the_source_is_carried(move: Move) -> None:
    move.run()
    move.run()
    world = move.world
    world.put("tidewrack", "berths", berth(2, name="at anchor"), berth(9))
    world.take_away("tidewrack", "berths", "berth-3@skerrow.example")
    before = len(move.titles())
    move.run()
    assert move.titles() == ["Launch 1 alongside", "Launch 2 at anchor", "Launch 4 alongside", "Launch 9 alongside", "Round"]
    assert before == 5
    assert move.unexplained() == []
