"""Following servers: whole at first, then only what changed, and every failure keeps the last good state."""

from __future__ import annotations

import pytest

from datebridge.services.accounts import accounts
from datebridge.services.running.clock import tick
from datebridge.standins.faults import Fault
from datebridge.store.accounts import ids_on, remotes_of
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import calendar
from tests.world import World, berth

pytestmark = pytest.mark.both_sides

BOTH = pytest.mark.parametrize("name", ["tidewrack", "lantern"])


def asked(world: World, name: str) -> int:
    """Requests since this was asked last."""
    count = sum(world.hosts.switches[name].requests.values())
    world.hosts.switches[name].requests.clear()
    return count


@BOTH
def test_the_first_refresh_brings_everything_as_it_is_there(world: World, name: str) -> None:
    world.put(name, "berths", berth(1), berth(2, "X-TIDE-MARK:3", "RRULE:FREQ=WEEKLY"))
    world.connect(name)
    assert sorted(world.texts()) == sorted([berth(1), berth(2, "X-TIDE-MARK:3", "RRULE:FREQ=WEEKLY")])
    assert world.remotes()[0].colour == "#1f5f8b"
    assert [one.kind for one in world.sets()] == ["subscribe"]


@BOTH
def test_a_refresh_without_changes_costs_two_requests_at_most_and_writes_no_batch(world: World, name: str) -> None:
    world.put(name, "berths", *map(berth, range(250)))
    account = world.connect(name)
    asked(world, name)
    world.refresh(account)
    assert asked(world, name) <= 2
    assert len(world.sets()) == 1
    assert world.remote(account).outcome == "nothing changed"


@BOTH
def test_what_changed_there_comes_in_as_one_batch_that_can_be_taken_back(world: World, name: str) -> None:
    world.put(name, "berths", *map(berth, range(30)))
    account = world.connect(name)
    collection = world.server(name).records.collection("harbour-office", "berths")
    assert collection is not None
    world.server(name).records.delete(collection, "berth-3@skerrow.example.ics")
    world.put(name, "berths", berth(4, name="moved"), berth(99))
    asked(world, name)
    world.refresh(account)
    assert asked(world, name) <= 4
    (batch,) = world.sets("pull")
    assert batch.title == f"From {name.title()}, Berths: 1 added, 1 changed, 1 removed"
    assert {"Launch 4 moved", "Launch 99 alongside"} <= set(world.titles())
    assert world.pushed() == {}
    apply_set(world.store, propose_undo(world.store, batch.id))
    world.work()
    assert "Launch 4 alongside" in world.there(name, "berths")["berth-4@skerrow.example.ics"]
    assert "berth-99@skerrow.example.ics" not in world.there(name, "berths")


@BOTH
def test_another_entry_under_the_same_name_takes_the_place_of_the_first(world: World, name: str) -> None:
    world.put(name, "berths", berth(1))
    account = world.connect(name)
    world.server(name).put("harbour-office", "berths", "berth-1@skerrow.example.ics", calendar(berth(8)).encode())
    world.refresh(account)
    assert world.titles() == ["Launch 8 alongside"]


def test_an_expired_token_means_looking_at_everything_again(world: World) -> None:
    world.put("lantern", "berths", berth(1), berth(2))
    account = world.connect("lantern")
    with world.store.write() as connection:
        connection.exec_driver_sql("UPDATE remote SET token = 'urn:lantern:1:99999'")
    world.put("lantern", "berths", berth(3))
    world.refresh(account)
    assert len(world.titles()) == 3
    assert world.remote(account).trouble == ""


@pytest.mark.parametrize("kind", ["unavailable", "throttle", "cut", "password"])
def test_a_failure_keeps_the_last_good_state_says_why_and_waits_longer_each_time(world: World, kind: str) -> None:
    world.put("lantern", "berths", berth(1))
    account = world.connect("lantern")
    world.put("lantern", "berths", berth(2))
    world.settings.patience = 0
    waits = []
    for _ in range(2):
        world.hosts.switches["lantern"].arm(Fault(kind, count=3))  # type: ignore[arg-type]
        assert world.refresh(account).state == "failed"
        world.hosts.switches["lantern"].clear()
        row = world.remote(account)
        assert row.trouble
        assert row.failed_since is not None
        assert row.next_at is not None
        waits.append(row.next_at - row.failed_since)
    assert world.titles() == ["Launch 1 alongside"]
    assert waits[1] > waits[0]
    world.refresh(account)
    assert len(world.titles()) == 2
    assert (world.remote(account).trouble, world.remote(account).failed_since) == ("", None)


def test_an_account_out_of_reach_is_asked_once_and_holds_up_no_other(world: World) -> None:
    for slug in ("cranes", "winches"):
        world.hosts.tidewrack.records.add_collection("harbour-office", slug, slug.title())
    world.put("lantern", "berths", berth(1))
    tidewrack, lantern = world.connect("tidewrack"), world.connect("lantern")
    world.settings.patience = 0
    world.put("lantern", "berths", berth(2))
    world.hosts.switches["tidewrack"].arm(Fault("unavailable", count=99))
    asked(world, "tidewrack")
    accounts.refresh_now(world.store, ids_on(world.store, tidewrack) + ids_on(world.store, lantern))
    world.work()
    assert asked(world, "tidewrack") == 1
    assert len(world.titles()) == 2
    assert [r.trouble for r in remotes_of(world.store, tidewrack)] == [
        "127.0.0.1 is not available at present (503)."
    ] * 3


@pytest.mark.parametrize("kind", ["unavailable", "throttle", "cut"])
def test_passing_trouble_is_waited_out(world: World, kind: str) -> None:
    world.put("tidewrack", "berths", *map(berth, range(300)))
    world.hosts.switches["tidewrack"].arm(Fault(kind, count=2, method="REPORT", seconds=0.05))  # type: ignore[arg-type]
    world.connect("tidewrack")
    assert len(world.entries()) == len({row.uid for row in world.entries()}) == 300


def test_what_may_only_be_read_cannot_be_changed_here(world: World) -> None:
    records = world.hosts.tidewrack.records
    records.share(records.add_collection("director", "notices", "Notices"), "harbour-office", "read")
    world.hosts.tidewrack.put(
        "director", "notices", "n.ics", b"BEGIN:VCALENDAR\r\n" + berth(5).encode() + b"\r\nEND:VCALENDAR"
    )
    world.put("tidewrack", "berths", berth(1))
    world.connect("tidewrack")
    assert sorted((one.name, one.writable) for one in world.calendars()) == [("Berths", True), ("Notices", False)]
    set_id = world.delete("alongside")
    assert (world.set(set_id).deletes, world.set(set_id).held) == (1, 1)
    assert world.titles() == ["Launch 5 alongside"]
    with pytest.raises(CannotApply, match="is read-only"):
        world.delete("alongside")


def test_the_clock_refreshes_what_is_due_and_nothing_else(world: World) -> None:
    world.put("lantern", "berths", berth(1))
    world.connect("lantern")
    tick(world.store, world.settings)
    assert world.jobs("queued", kinds=["pull", "push"]) == []
    with world.store.write() as connection:
        connection.exec_driver_sql("UPDATE remote SET next_at = 1")
    tick(world.store, world.settings)
    tick(world.store, world.settings)
    assert [job.kind for job in world.jobs("queued") if job.kind != "check"] == ["pull"]


def test_calendars_left_off_are_counted_and_stay_off(world: World) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2, "RRULE:FREQ=DAILY"))
    account = world.connect("tidewrack", on=False)
    row = world.remote(account)
    assert (row.entries, row.endless, row.calendar_id) == (2, True, None)
    assert world.titles() == []
    world.hosts.tidewrack.records.add_collection("harbour-office", "new", "New one")
    accounts.survey(world.store, account)
    world.work()
    assert [(one.name, one.calendar_id) for one in world.remotes()] == [("Berths", None), ("New one", None)]
