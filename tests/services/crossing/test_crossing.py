"""A crossing from one server to another: planned, run, run again for what changed since, verified, sent back."""

from __future__ import annotations

import pytest

from datebridge.core.ids import AccountId, CalendarId, LaneId
from datebridge.core.zones.defined import define
from datebridge.services.crossing import deciding, plans, running, verifying
from datebridge.services.fidelity import probes
from datebridge.services.sync.push import push_pending
from datebridge.store import crossings, lanes_carried, lanes_verified
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.fidelity import NotMeasured, counted_losses
from datebridge.store.lanes_verified import DifferenceRow
from datebridge.store.tables import Lane
from tests.conftest import calendar, event
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
            return lanes_verified.differences_of(connection, [LaneId(self.lane.id or 0)])

    def unexplained(self) -> list[tuple[str, str]]:
        self.verify()
        return [(one.verdict, one.reason) for one in self.differences() if not one.cause]

    def titles(self) -> list[str]:
        return sorted(self.texts())

    def texts(self) -> dict[str, str]:
        """What the target's server has, by title."""
        texts = self.world.there(self.target, "berths").values()
        return {text.partition("SUMMARY:")[2].splitlines()[0]: text for text in texts}

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
    assert move.titles() == [
        "Launch 1 alongside",
        "Launch 2 at anchor",
        "Launch 4 alongside",
        "Launch 9 alongside",
        "Round",
    ]
    assert before == 5
    assert move.unexplained() == []


def change_there(move: Move, title: str, **lines: str) -> None:
    """Somebody edits an entry on the target's server."""
    server, slug = move.world.server(move.target), "berths"
    name, text = next((n, t) for n, t in move.world.there(move.target, slug).items() if f"SUMMARY:{title}" in t)
    for field, value in lines.items():
        old = next((line for line in text.split("\r\n") if line.startswith(f"{field}:")), "")
        text = (
            text.replace(old, f"{field}:{value}")
            if old
            else text.replace("END:VEVENT", f"{field}:{value}\r\nEND:VEVENT")
        )
    server.put("harbour-office", slug, name, text.encode())


def delete_there(move: Move, title: str) -> None:
    name = next(n for n, t in move.world.there(move.target, "berths").items() if f"SUMMARY:{title}" in t)
    move.world.take_away(move.target, "berths", name.removesuffix(".ics"))


def test_what_was_changed_at_both_ends_is_put_together_or_waits_for_a_decision(move: Move) -> None:
    move.run()
    world = move.world
    world.put("tidewrack", "berths", berth(1, "LOCATION:Quay 4"), berth(2, name="at sea"))
    change_there(move, "Launch 1", SUMMARY="Launch 1 aground")
    change_there(move, "Launch 2", SUMMARY="Launch 2 afloat")
    move.run()
    texts = move.texts()
    assert "LOCATION:Quay 4" in texts["Launch 1 aground"]
    assert "Launch 2 afloat" in texts
    assert move.unexplained() == [("changed", "Changed at both ends since: SUMMARY.")]


def test_what_somebody_did_at_the_target_is_told_and_stays(move: Move) -> None:
    move.run()
    change_there(move, "Launch 1", SUMMARY="Launch 1 aground")
    delete_there(move, "Launch 2")
    move.world.put(move.target, "berths", berth(50))
    assert sorted(move.unexplained()) == [
        ("changed", "Changed at the target since it arrived."),
        ("missing", "Deleted at the target since it arrived."),
    ]
    move.run()
    assert move.titles() == [
        "Launch 1 aground",
        "Launch 3 alongside",
        "Launch 4 alongside",
        "Launch 50 alongside",
        "Round",
    ]
    deciding.rule_right(move.world.store, LaneId(move.lane.id or 0), move.differences())
    assert move.lane.verified["unexplained"] == 0
    assert move.unexplained() == []


def test_what_differs_is_carried_again_where_the_source_counts(move: Move) -> None:
    move.run()
    change_there(move, "Launch 1", SUMMARY="Launch 1 aground")
    delete_there(move, "Launch 2")
    assert len(move.unexplained()) == 2
    again = [one.source for one in move.differences() if not one.cause and one.source is not None]
    running.run(move.world.store, move.number, again=again)
    move.world.work()
    assert move.titles()[:2] == ["Launch 1 alongside", "Launch 2 alongside"]
    assert move.unexplained() == []


def test_very_many_deletions_are_looked_at_first(world: World) -> None:
    world.put("tidewrack", "berths", *(berth(number) for number in range(1, 31)))
    move = Move(world)
    move.run()
    for number in range(1, 13):
        world.take_away("tidewrack", "berths", f"berth-{number}@skerrow.example")
    move.run()
    assert len(move.titles()) == 30
    move.run(delete_many=True)
    assert len(move.titles()) == 18


def test_a_crossing_is_sent_back(move: Move) -> None:
    move.run()
    move.world.put("tidewrack", "berths", berth(2, name="at sea"))
    move.run()
    change_there(move, "Launch 3", SUMMARY="Launch 3 aground")
    move.world.refresh(move.account)
    running.send_back(move.world.store, move.number)
    move.world.work()
    assert move.titles() == ["Launch 3 aground"]  # somebody's own edit stays
    assert len(move.world.there("tidewrack", "berths")) == 5


def test_what_is_left_behind_says_why(move: Move) -> None:
    move.world.put(
        "tidewrack",
        "berths",
        event("old", "Old berth", "20200101T080000Z"),
        event("mine", "Mine", "20261203T080000Z", "CLASS:PRIVATE"),
    )
    move.options(since="2026-01-01", private="leave")
    move.run()
    assert not {"Old berth", "Mine"}.intersection(move.titles())
    assert move.verify()["unexplained"] == 0
    left = {one.title: one.reason for one in move.differences() if one.verdict == "left"}
    assert left == {"Old berth": "over before 2026-01-01", "Mine": "private"}


def test_steps_of_the_plan_are_done_on_the_way_and_explain_what_differs(move: Move) -> None:
    move.options(steps=[{"do": "categories", "mode": "add", "values": ["Moved"]}])
    move.run()
    assert all("CATEGORIES:Moved" in text for text in move.world.there(move.target, "berths").values())
    assert move.verify()["unexplained"] == 0
    assert {one.reason for one in move.differences()} == {"category added: Moved"}


def test_a_new_calendar_takes_over_what_the_source_says_of_itself(world: World) -> None:
    world.put("tidewrack", "berths", berth(1))
    source_account, account = world.connect("tidewrack"), AccountId(world.connect("lantern"))
    source = CalendarId(world.remote(source_account).calendar_id or 0)
    number = plans.make(world.store, "Anew", [source], account)
    with world.store.session() as session:
        [lane] = crossings.lanes_of(session, number)
    plans.change_lanes(world.store, number, [LaneId(lane.id or 0)], plans.LaneChange(target_name="Quays"))
    running.rehearse(world.store, number)
    world.work()
    with world.store.read() as connection:
        [proposed] = lanes_carried.proposals_of(connection, [LaneId(lane.id or 0)]).values()
    apply_set(world.store, proposed)  # by hand, as anybody may
    world.work()
    assert len(world.there("lantern", "quays")) == 1
    made = world.server("lantern").records.collection("harbour-office", "quays")
    assert made is not None
    assert made.colour == "#1f5f8b"
    running.run(world.store, number)
    world.work()
    assert len(world.there("lantern", "quays")) == 1
    running.send_back(world.store, number)
    world.work()
    assert world.server("lantern").records.collection("harbour-office", "quays") is None
    running.run(world.store, number)
    world.work()
    assert len(world.there("lantern", "quays")) == 1


@pytest.mark.parametrize("move", ["halyard"], indirect=True)  # Lantern takes a UID once in all its calendars
def test_a_lane_that_is_led_elsewhere_carries_everything_there(move: Move) -> None:
    move.run()
    other = plans.LaneChange(target_name="Quays")
    plans.change_lanes(move.world.store, move.number, [LaneId(move.lane.id or 0)], other)
    move.run()
    assert len(move.world.there(move.target, "quays")) == 5
    assert len(move.titles()) == 5
    assert move.unexplained() == []


def test_two_runs_at_once_carry_nothing_twice(move: Move) -> None:
    for _ in range(2):
        running.run(move.world.store, move.number)
    move.world.work()
    assert len(move.titles()) == 5


def test_what_all_lanes_lose_is_foretold_and_a_way_out_is_taken_on_the_way(world: World) -> None:
    world.put("tidewrack", "berths", berth(1, "X-TIDE:3"), berth(2))
    move = Move(world)
    with pytest.raises(NotMeasured):
        plans.foretell(world.store, move.number)
    probes.measure(world.store, move.account)
    world.work()
    plans.foretell(world.store, move.number)
    number = int(str(world.work().result["forecast"]))  # type: ignore[index]
    with world.store.read() as connection:
        assert {one.feature for one in counted_losses(connection, number)} == {"unknown-properties"}
    move.options(remedies={"unknown-properties": [{"do": "say-in-notes", "names": []}]})
    move.run()
    assert "Tide: 3" in move.texts()["Launch 1 alongside"]
    assert move.unexplained() == []


def test_a_calendar_is_parted_by_filters_into_several(world: World) -> None:
    world.put("tidewrack", "berths", *(berth(at, f"CATEGORIES:K{at % 2}") for at in range(6)))
    move = Move(world)
    plans.copy_lane(world.store, move.number, LaneId(move.lane.id or 0))
    with pytest.raises(crossings.NoCrossing):
        plans.copy_lane(world.store, move.number, LaneId(99))
    with world.store.session() as session:
        first, second = crossings.lanes_of(session, move.number)
    for row, kind in ((first, "K0"), (second, "K1")):
        change = plans.LaneChange(filter=f"category:{kind}")
        plans.change_lanes(world.store, move.number, [LaneId(row.id or 0)], change)
    move.run()
    move.run()
    assert move.titles() == [f"Launch {at} alongside" for at in (0, 2, 4)]
    push_pending(world.store)  # as the clock does: the second calendar was not in the first job
    world.work()
    verifying.verify_lanes(world.store, move.number)
    assert world.work().state == "done"
    with world.store.session() as session:
        rows = crossings.lanes_of(session, move.number)
    assert [(row.target_name, row.verified["there"], row.verified["unexplained"]) for row in rows] == [
        ("Berths", 3, 0),
        ("Berths, part", 3, 0),
    ]


def test_what_is_over_goes_into_an_archive_once_and_again_only_where_it_is_another(move: Move) -> None:
    world = move.world
    old = event("old@skerrow.example", "Launch of old", "20240301T080000Z")
    world.put("tidewrack", "berths", old)
    move.options(since="2026-01-01", past="archive")
    move.run()
    archive = move.lane.archive
    path = world.settings.archive_dir / archive["name"]
    assert (archive["entries"], path.read_text().count("BEGIN:VEVENT")) == (1, 1)
    assert "Launch of old" not in move.titles()
    assert {one.reason for one in move.differences()} <= {"over before 2026-01-01; goes into an archive"}
    move.run()
    assert move.lane.archive == archive
    assert len(list(world.settings.archive_dir.iterdir())) == 1
    world.put("tidewrack", "berths", event("older@skerrow.example", "Launch of older", "20230301T080000Z"))
    move.run()
    assert move.lane.archive["entries"] == 2
    assert path.read_text().count("BEGIN:VEVENT") == 1  # what was put away stays as it was
    assert move.unexplained() == []


def test_zones_are_called_as_in_the_zone_database_and_everything_happens_when_it_did(world: World) -> None:
    own = define("Pier clock", "America/Halifax", 2025, 2028)
    at = "TZID=Pier clock:20261202T090000"
    series = event("pier", "Round", at, "RRULE:FREQ=WEEKLY;COUNT=40", f"EXDATE;{at.replace('1202', '1209')}")
    old = event("old", "Old name", "TZID=Eastern Standard Time:20260702T090000")
    world.server("tidewrack").put(
        "harbour-office", "berths", "pier.ics", calendar(own.replace("\r\n", "\n"), series).encode()
    )
    world.put("tidewrack", "berths", old)
    move = Move(world)
    move.options(zones="database")
    move.run()
    there = "".join(move.texts().values())
    assert "DTSTART;TZID=America/Halifax:20261202T090000" in there
    assert "EXDATE;TZID=America/Halifax:20261209T090000" in there
    assert "DTSTART;TZID=America/New_York:20260702T090000" in there
    assert move.unexplained() == []
    move.run()
    assert move.unexplained() == []


def test_occurrences_left_out_at_both_ends_since_are_left_out_at_the_target(world: World) -> None:
    at = "TZID=Europe/Oslo:202612{}T090000".format
    series = event("series", "Round", at("02"), "RRULE:FREQ=WEEKLY;COUNT=6")
    world.put("tidewrack", "berths", series)
    move = Move(world)
    move.run()
    world.put("tidewrack", "berths", series.replace("END:", f"EXDATE;{at('09')}\nEND:", 1))
    [(name, text)] = world.there("lantern", "berths").items()
    changed = text.replace("END:VEVENT", f"EXDATE;{at('16')}\r\nEND:VEVENT")
    world.server("lantern").put("harbour-office", "berths", name, changed.encode())
    move.run()
    [text] = world.there("lantern", "berths").values()
    assert f"EXDATE;{at('09')}" in text
    assert f"EXDATE;{at('16')}" in text
    assert deciding.undecided(world.store, move.number) == []


def test_a_server_that_gives_uids_of_its_own_is_said_to_do_so_and_not_to_have_changed_everything(world: World) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    move = Move(world, "halyard")
    move.run()
    world.refresh(move.account)
    titles = [one.title for one in world.sets()]
    assert "Halyard keeps 2 entries of Berths under UIDs of its own" in titles
