"""One bad counterpart spoils nothing else: what it answers is its own trouble, and nothing is taken for gone."""

from __future__ import annotations

import threading
from dataclasses import replace

import pytest

from datebridge.clock import now, starting_at
from datebridge.connect import http as web_module
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Web
from datebridge.core.language.filters import Selection
from datebridge.services.accounts import accounts, addresses
from datebridge.services.jobs import jobs
from datebridge.services.running import clock
from datebridge.services.running.worker import Worker
from datebridge.services.transfer import transfers
from datebridge.services.transfer.copying import Target
from datebridge.standins.faults import Fault
from datebridge.standins.feeds import Feed
from datebridge.store.accounts import remotes_of
from datebridge.store.changesets.apply import apply
from tests.conftest import calendar, wait_until
from tests.world import OFFICE, PASSWORD, World, berth

pytestmark = pytest.mark.both_sides

ODD = ["nonsense", "damage", "twice", "bomb", "marks"]


def troubles(world: World) -> dict[object, object]:
    return {one.name: one.trouble for one in world.remotes() if one.calendar_id is not None}


@pytest.mark.parametrize("kind", ODD)
def test_an_odd_answer_is_trouble_of_that_calendar_and_the_next_is_fetched(world: World, kind: str) -> None:
    world.server("tidewrack").records.add_collection(OFFICE, "labs", "Labs")
    world.put("tidewrack", "berths", berth(1))
    account = world.connect("tidewrack")
    world.put("tidewrack", "berths", berth(2))
    world.put("tidewrack", "labs", berth(3))
    world.hosts.switches["tidewrack"].arm(Fault(kind, count=99, path="/berths"))  # type: ignore[arg-type]
    job = world.refresh(account)
    found = troubles(world)
    assert (job.state, found["Labs"]) == ("done", "")
    if kind == "marks":  # odd, and no trouble: without marks it is simply fetched each time
        assert found["Berths"] == ""
        return
    assert found["Berths"] != ""
    assert world.titles() == ["Launch 1 alongside", "Launch 3 alongside"]
    pauses = []
    for _ in range(3):
        world.refresh(account)
        (berths,) = (one for one in world.remotes() if one.name == "Berths")
        pauses.append((berths.next_at or 0) - now())
    assert pauses == sorted(pauses)
    assert pauses[-1] > 2 * pauses[0] - 9
    world.hosts.switches["tidewrack"].clear()
    world.refresh(account)
    assert (troubles(world)["Berths"], len(world.titles())) == ("", 3)


@pytest.mark.parametrize("kind", ["nonsense", "damage", "marks"])
def test_an_odd_answer_to_one_entry_does_not_keep_others_from_being_carried(world: World, kind: str) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    world.connect("tidewrack")
    world.hosts.switches["tidewrack"].arm(Fault(kind, count=99, path="berth-1"))  # type: ignore[arg-type]
    world.take("Berths", berth(1, name="moved"), berth(2, name="moved"), existing="replace")
    world.work()
    assert "moved" in world.there("tidewrack", "berths")["berth-2@skerrow.example.ics"]
    world.hosts.switches["tidewrack"].clear()
    world.refresh(accounts_of(world))
    assert not {"refused", "conflict"} & world.pushed().keys()


def accounts_of(world: World) -> int:
    return world.accounts()[-1].id


@pytest.mark.parametrize("name", ["tidewrack", "lantern"])
def test_an_entry_renamed_on_its_server_is_neither_removed_nor_doubled(world: World, name: str) -> None:
    world.put(name, "berths", berth(1), berth(2))
    account = world.connect(name)
    before = sorted(row.id for row in world.entries())
    world.server(name).keep_as(OFFICE, "berths", "berth-1@skerrow.example.ics", "a new name.ics")
    world.refresh(account)
    assert sorted(row.id for row in world.entries()) == before
    assert world.remotes()[0].outcome == "nothing changed"
    world.delete("uid:berth-1@skerrow.example")
    world.work()
    assert len(world.there(name, "berths")) == 1  # it is known by its new name


@pytest.mark.parametrize("name", ["tidewrack", "lantern"])
def test_an_entry_that_is_withheld_once_is_not_removed_and_nothing_is_missed_for_it(world: World, name: str) -> None:
    world.put(name, "berths", berth(1), berth(2), berth(3))
    account = world.connect(name)
    world.put(name, "berths", *(berth(n, name="later") for n in (1, 2)))
    records = world.server(name).records
    collection = records.collection(OFFICE, "berths")
    assert collection is not None
    records.delete(collection, "berth-3@skerrow.example.ics")
    world.hosts.switches[name].arm(
        Fault("withhold", method="REPORT", path="/berths", after=1),
        Fault("unavailable", method="GET", path="/berths"),
    )
    world.refresh(account)
    assert len(world.titles()) == 3  # nothing is taken for removed while something is withheld
    assert "does not hand out one of its entries" in str(troubles(world)["Berths"])
    world.refresh(account)
    assert sorted(world.titles()) == ["Launch 1 later", "Launch 2 later"]
    assert troubles(world)["Berths"] == ""


def test_a_calendar_made_by_copying_is_refreshed_by_itself(world: World) -> None:
    world.bring(calendar(berth(1)))
    account = world.connect("lantern")
    set_id = transfers.propose_transfer(world.store, world.ledger, Selection(""), Target(None, account, "Berths 2027"))
    apply(world.store, set_id)
    world.work()
    made = next(r for r in remotes_of(world.store, account) if r.name == "Berths 2027")
    assert made.url
    world.put("lantern", "berths-2027", berth(2))
    clock.tick(world.store, world.settings)
    world.work()
    assert "Launch 2 alongside" in world.titles('calendar:"Berths 2027"')


@pytest.mark.parametrize("jump", [7200, 400 * 86400])
def test_a_clock_that_was_set_forward_and_back_puts_nothing_off(world: World, jump: int) -> None:
    world.put("lantern", "berths", berth(1))
    account = world.connect("lantern")
    with starting_at(now() + jump):
        world.refresh(account)
    world.put("lantern", "berths", berth(2))
    clock.tick(world.store, world.settings)
    world.work()
    assert len(world.titles()) == 2


def test_a_dripping_feed_holds_up_no_other_and_stopping_it_takes_no_time(world: World) -> None:
    world.hosts.breakwater.publish(Feed("/slow.ics", "Slow"), calendar(berth(1)).encode())
    feed = world.subscribe("/slow.ics")
    world.put("tidewrack", "berths", berth(2))
    account = world.connect("tidewrack")
    world.hosts.breakwater.change("/slow.ics", calendar(berth(1, name="late")).encode())
    world.hosts.switches["breakwater"].arm(Fault("drip", count=99, seconds=0.5))
    world.put("tidewrack", "berths", berth(3))
    worker = Worker(world.store, world.settings)
    worker.start()
    try:
        accounts.refresh_account(world.store, feed)
        slow = jobs.recent(world.store)[0].id
        assert slow is not None
        wait_until(lambda: world.job(slow).state == "running")
        accounts.refresh_account(world.store, account)
        wait_until(lambda: "Launch 3 alongside" in world.titles())
        assert world.job(slow).state == "running"
        jobs.stop(world.store, slow)
        ticks = 0
        while world.job(slow).state == "running":
            threading.Event().wait(0.1)
            ticks += 1
        assert world.job(slow).state == "stopped"
        assert ticks < 30  # a second at the most, on a machine that is not busy
    finally:
        worker.stop()


def test_few_look_at_once_and_the_others_are_told_to_wait(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(web_module, "_GRACE", 600)
    world.hosts.switches["breakwater"].arm(Fault("drip", count=99, seconds=0.2))
    address = world.hosts.address("breakwater") + "/catalogue.json"
    found: list[str] = []

    def look() -> None:
        try:
            addresses.look_at(world.settings, address)
        except Unreachable as error:
            found.append(error.trouble)

    lookers = [threading.Thread(target=look) for _ in range(12)]
    for looker in lookers:
        looker.start()
    wait_until(lambda: found.count("busy") == 8)
    world.hosts.switches["breakwater"].clear()
    world.hosts.stop()  # the four that look are let go
    for looker in lookers:
        looker.join(60)
    assert len(found) == 12


# ---- credentials ----------------------------------------------------------------------------------


def leaves(world: World, address: str, *agreed: str) -> Unreachable:
    with pytest.raises(Unreachable) as caught:
        addresses.look_at(world.settings, address, OFFICE, PASSWORD, agreed)
    return caught.value


@pytest.mark.parametrize("path", ["", "/.well-known/caldav", "/dav/"])
def test_a_password_follows_nobody_to_another_origin_unless_a_person_agrees(world: World, path: str) -> None:
    there = world.hosts.address("lantern")
    asked = world.hosts.switches["lantern"]
    world.hosts.switches["tidewrack"].arm(Fault("away", count=99, path=path, to=there))
    address = world.hosts.address("tidewrack") + (path if path != "/.well-known/caldav" else "/nothing-here")
    error = leaves(world, address)
    assert (error.trouble, error.origin) == ("leaves", there)
    assert world.hosts.address("tidewrack") in error.message
    assert there in error.message
    assert asked.signed == 0
    look = addresses.look_at(world.settings, address, OFFICE, PASSWORD, [there])
    assert (look.found.kind, there in look.origins) == ("server", True)


def test_a_principal_on_another_origin_is_asked_about(world: World) -> None:
    there = world.hosts.address("lantern")
    world.hosts.tidewrack.traits = replace(world.hosts.tidewrack.traits, principals_at=there)
    error = leaves(world, world.hosts.address("tidewrack"))
    assert (error.trouble, error.origin, world.hosts.switches["lantern"].signed) == ("leaves", there, 0)


@pytest.mark.parametrize("address", ["http://calendars.example/", "http://calendars.example:8000/dav/"])
def test_a_password_goes_unencrypted_only_where_somebody_said_yes(world: World, address: str) -> None:
    error = leaves(world, address)
    assert (error.trouble, error.origin) == ("plain", address.removesuffix("/").removesuffix("/dav"))
    addresses.demand_encryption(address, [error.origin])


def test_what_does_not_answer_under_https_is_not_asked_under_http_behind_ones_back(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refused(*_: object, **__: object) -> None:
        raise Unreachable("refused", "calendars.example cannot be reached: nothing answers there.")

    monkeypatch.setattr(Web, "request", refused)
    for user in ("", OFFICE):
        with pytest.raises(Unreachable) as caught:
            addresses.look_at(world.settings, "calendars.example", user)
        assert (caught.value.trouble, caught.value.origin) == ("plain", "http://calendars.example")
