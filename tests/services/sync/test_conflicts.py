"""Two sides of one entry: theirs, mine, or field by field; and each ends in step."""

from __future__ import annotations

import re

import pytest

from datebridge.services.sync import conflicts
from datebridge.standins.faults import Fault
from datebridge.store.changesets.draft import CannotApply
from tests.conftest import calendar
from tests.world import World, berth

pytestmark = pytest.mark.both_sides


@pytest.fixture
def conflict(world: World) -> tuple[World, int]:
    """Mine has another place; theirs, meanwhile, another title."""
    world.put("lantern", "berths", berth(1, "LOCATION:Berth 1"))
    world.connect("lantern")
    world.hosts.switches["lantern"].arm(Fault("meddle", method="PUT"))
    world.take("Berths", berth(1, "LOCATION:Berth 9"), existing="replace")
    world.work()
    return world, world.unsettled("conflict")[0].id


def both_sides(world: World) -> tuple[list[str], list[str]]:
    world.work()
    (mine,) = world.texts()
    (theirs,) = world.there("lantern", "berths").values()
    wanted = ("SUMMARY", "LOCATION")
    return tuple([line for line in text.splitlines() if line.startswith(wanted)] for text in (mine, theirs))  # type: ignore[return-value]


EDITED, PLAIN = "SUMMARY:Launch 1 alongside (edited elsewhere)", "SUMMARY:Launch 1 alongside"


def test_both_banks_show_where_they_differ(conflict: tuple[World, int]) -> None:
    world, number = conflict
    (pair,) = conflicts.both_banks(world.store, number)
    assert {f.name: (f.mine, f.theirs) for f in pair.fields} == {
        "SUMMARY": ((PLAIN,), (EDITED,)),
        "LOCATION": (("LOCATION:Berth 9",), ("LOCATION:Berth 1",)),
    }


def test_theirs_is_taken_as_a_batch_and_mine_is_not_carried(conflict: tuple[World, int]) -> None:
    world, number = conflict
    assert conflicts.take_theirs(world.store, world.settings, number) is not None
    assert both_sides(world) == ([EDITED, "LOCATION:Berth 1"], [EDITED, "LOCATION:Berth 1"])
    assert world.pushed() == {"dropped": 1}


def test_mine_goes_over_theirs(conflict: tuple[World, int]) -> None:
    world, number = conflict
    conflicts.take_mine(world.store, number)
    assert both_sides(world) == ([PLAIN, "LOCATION:Berth 9"], [PLAIN, "LOCATION:Berth 9"])
    assert world.pushed() == {"pushed": 1}


def test_field_by_field_makes_one_of_both(conflict: tuple[World, int]) -> None:
    world, number = conflict
    conflicts.take_merged(world.store, number, {"": ["LOCATION"]})
    assert both_sides(world) == ([EDITED, "LOCATION:Berth 9"], [EDITED, "LOCATION:Berth 9"])
    assert world.pushed() == {"dropped": 1, "pushed": 1}


def test_what_both_sides_put_in_is_kept_part_by_part(world: World) -> None:
    ida, ben = (f"ATTENDEE;SCHEDULE-AGENT=NONE:mailto:{who}@x.example" for who in ("ida", "ben"))
    world.put("lantern", "berths", berth(1, "CATEGORIES:Lab"))
    world.connect("lantern")
    world.put("lantern", "berths", berth(1, "CATEGORIES:Lab,Tide", ida, "LOCATION:Quay"))
    world.take("Berths", berth(1, "CATEGORIES:Lab,Ship", ben, "LOCATION:Deck"), existing="replace")
    world.work()
    (one,) = world.unsettled("conflict")
    (pair,) = conflicts.both_banks(world.store, one.id)
    both = [field.name for field in pair.fields if pair.sides[field.name] == "both"]
    assert set(both) == {"CATEGORIES", "ATTENDEE"}
    conflicts.take_merged(world.store, one.id, {"": ["LOCATION"]}, parts={"": both})
    world.work()
    (mine,), (theirs,) = world.texts(), world.there("lantern", "berths").values()
    for text in (mine, theirs.replace("\r\n", "\n")):
        assert {ida, ben, "LOCATION:Deck"} <= set(text.split("\n"))
        assert sorted(re.findall(r"(?:CATEGORIES:|,)(\w+)", text)) == ["Lab", "Ship", "Tide"]


@pytest.mark.parametrize("changed_there", [False, True])
def test_an_occurrence_deleted_here_comes_back_only_if_it_was_changed_there(world: World, changed_there: bool) -> None:
    master = berth(1, "RRULE:FREQ=DAILY;COUNT=4")
    day = re.search(r"DTSTART[^:]*:(\d{8})", master)[1]  # type: ignore[index]
    start = re.search(r"DTSTART(.*)", master)[1]  # type: ignore[index]
    moved = berth(1, f"RECURRENCE-ID{start.replace(day, f'{int(day) + 1}')}", "LOCATION:{}")
    world.put("lantern", "berths", f"{master}\n{moved.format('Quay')}")
    world.connect("lantern")
    where = "Deck" if changed_there else "Quay"
    world.put("lantern", "berths", f"{master.replace('Launch', 'Lunch')}\n{moved.format(where)}")
    world.take("Berths", berth(1, "RRULE:FREQ=DAILY;COUNT=4", "LOCATION:Office"), existing="replace")
    world.delete("where:Quay")
    world.work()
    one = world.unsettled("conflict")[0]
    conflicts.take_merged(world.store, one.id, {"": ["LOCATION"]})
    world.work()
    (theirs,) = world.there("lantern", "berths").values()
    assert theirs.count("BEGIN:VEVENT") == len(world.texts()) == (2 if changed_there else 1)
    assert "LOCATION:Office" in theirs
    assert "Lunch" in theirs
    assert not world.unsettled("conflict")


def test_what_has_been_decided_is_not_decided_again(conflict: tuple[World, int]) -> None:
    world, number = conflict
    conflicts.take_theirs(world.store, world.settings, number)
    with pytest.raises(CannotApply, match="decided already"):
        conflicts.take_mine(world.store, number)


def test_a_deletion_that_met_a_change_ends_either_way(world: World) -> None:
    world.put("lantern", "berths", berth(1), berth(2))
    world.connect("lantern")
    world.hosts.switches["lantern"].arm(Fault("meddle", count=2, method="DELETE"))
    world.delete("alongside")
    world.work()
    first, second = (one.id for one in sorted(world.unsettled(), key=lambda one: one.uid))
    conflicts.take_theirs(world.store, world.settings, first)
    conflicts.take_mine(world.store, second)
    world.work()
    assert world.titles() == ["Launch 1 alongside (edited elsewhere)"]
    assert list(world.there("lantern", "berths")) == ["berth-1@skerrow.example.ics"]


def test_what_was_deleted_there_can_be_followed_or_made_again(world: World) -> None:
    world.put("lantern", "berths", berth(1), berth(2))
    world.connect("lantern")
    records = world.hosts.lantern.records
    berths = records.collection("harbour-office", "berths")
    assert berths is not None
    for number in (1, 2):
        records.delete(berths, f"berth-{number}@skerrow.example.ics")
    world.take("Berths", berth(1, name="moved"), berth(2, name="moved"), existing="replace")
    world.work()
    assert world.pushed() == {"conflict": 2}
    first, second = (one.id for one in sorted(world.unsettled(), key=lambda one: one.uid))
    conflicts.take_theirs(world.store, world.settings, first)
    conflicts.take_mine(world.store, second)
    world.work()
    assert world.titles() == ["Launch 2 moved"]
    assert list(world.there("lantern", "berths")) == ["berth-2@skerrow.example.ics"]


@pytest.mark.parametrize("how", ["theirs", "mine"])
def test_what_was_made_on_both_sides_ends_as_one(world: World, how: str) -> None:
    account = world.connect("lantern")
    world.take("Berths", berth(1, name="mine"))
    world.put("lantern", "berths", berth(1, name="theirs"))
    world.work()
    world.refresh(account)
    number = world.unsettled("conflict")[0].id
    if how == "theirs":
        conflicts.take_theirs(world.store, world.settings, number)
    else:
        conflicts.take_mine(world.store, number)
    world.work()
    world.refresh(account)
    assert world.titles() == [f"Launch 1 {how}"]
    (text,) = world.there("lantern", "berths").values()
    assert f"Launch 1 {how}" in text


def test_a_name_that_is_taken_by_another_entry_is_no_collision(world: World) -> None:
    world.connect("tidewrack")
    world.hosts.tidewrack.put("harbour-office", "berths", "berth-1@skerrow.example.ics", calendar(berth(7)).encode())
    world.take("Berths", berth(1))
    world.work()
    assert world.pushed() == {"pushed": 1}
    assert len(world.there("tidewrack", "berths")) == 2


def test_a_refused_change_can_be_given_up(world: World) -> None:
    world.connect("lantern")
    world.hosts.switches["lantern"].arm(Fault("full", method="PUT"))
    world.take("Berths", berth(1))
    world.work()
    number = world.unsettled("refused")[0].id
    conflicts.take_theirs(world.store, world.settings, number)
    assert world.titles() == []
    assert world.there("lantern", "berths") == {}
