"""What is applied here happens there: once, whatever goes wrong in between, and never over somebody else's change."""

from __future__ import annotations

import os
import signal
import threading

import pytest

from datebridge.core.text.headers import Description
from datebridge.services.editing import calendars
from datebridge.services.running.worker import Worker
from datebridge.services.sync.push import push_pending
from datebridge.standins.faults import Fault
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import wait_until
from tests.world import MEETING, OFFICE, World, berth

pytestmark = pytest.mark.both_sides

BOTH = pytest.mark.parametrize("name", ["tidewrack", "lantern"])


def summaries(world: World, name: str, slug: str = "berths") -> set[str]:
    return {
        line.removeprefix("SUMMARY:")
        for text in world.there(name, slug).values()
        for line in text.splitlines()
        if line.startswith("SUMMARY:")
    }


def in_step(world: World, name: str) -> None:
    """Both sides hold the same entries, each once."""
    assert sorted(summaries(world, name)) == sorted(set(world.titles()))
    assert len(world.titles()) == len(set(world.titles()))


@BOTH
def test_deleting_here_deletes_there_and_undo_brings_it_back(world: World, name: str) -> None:
    world.put(name, "berths", *map(berth, range(5)))
    world.connect(name)
    before = world.there(name, "berths")
    set_id = world.delete("uid:berth-1@skerrow.example,berth-2@skerrow.example")
    assert world.work().result == {"pushed": 2}
    assert set(before) - set(world.there(name, "berths")) == {f"berth-{n}@skerrow.example.ics" for n in (1, 2)}
    apply_set(world.store, propose_undo(world.store, set_id))
    world.work()
    assert set(world.there(name, "berths")) == set(before)
    in_step(world, name)


def test_a_series_goes_as_one_object_with_all_its_changed_occurrences(world: World) -> None:
    world.connect("tidewrack")
    series = berth(1, "RRULE:FREQ=WEEKLY")
    moved = berth(1, "RECURRENCE-ID:20261208T080000Z", name="later")
    world.take("Berths", series, moved)
    world.work()
    (text,) = world.there("tidewrack", "berths").values()
    assert text.count("BEGIN:VEVENT") == 2
    set_id = world.delete("later")
    world.work()
    (text,) = world.there("tidewrack", "berths").values()
    assert text.count("BEGIN:VEVENT") == 1
    apply_set(world.store, propose_undo(world.store, set_id))
    world.work()
    assert next(iter(world.there("tidewrack", "berths").values())).count("BEGIN:VEVENT") == 2


@pytest.mark.parametrize("kind", ["cut", "throttle", "unavailable", "latency"])
@pytest.mark.parametrize("method", ["PUT", "DELETE"])
def test_passing_trouble_neither_loses_nor_doubles(world: World, kind: str, method: str) -> None:
    world.put("lantern", "berths", *map(berth, range(40)))
    world.connect("lantern")
    fault = Fault(kind, count=3, after=2, method=method, seconds=0.02)  # type: ignore[arg-type]
    world.hosts.switches["lantern"].arm(fault)
    if method == "DELETE":
        world.delete("alongside")
        assert world.work().result == {"pushed": 40}
        assert world.there("lantern", "berths") == {}
    else:
        world.take("Berths", *(berth(n, name="moved") for n in range(20, 60)), existing="replace")
        world.work()
        assert len(world.there("lantern", "berths")) == 60
    assert set(world.pushed()) == {"pushed"}
    in_step(world, "lantern")


def test_an_answer_that_was_lost_is_no_collision_even_where_the_server_drops_lines(world: World) -> None:
    world.connect("lantern")
    world.settings.patience = 0
    world.hosts.switches["lantern"].arm(Fault("cut", method="PUT"))
    world.take("Berths", berth(1, "X-TIDE-MARK:3"))
    assert world.work().state == "failed"
    assert world.pushed() == {"sending": 1}
    push_pending(world.store)
    world.work()
    assert world.pushed() == {"pushed": 1}
    assert list(world.there("lantern", "berths")) == ["berth-1@skerrow.example.ics"]
    assert world.texts() == [berth(1)]


def test_what_a_server_drops_is_read_back_and_written_down(world: World) -> None:
    world.connect("lantern")
    world.take("Berths", berth(1, "X-TIDE-MARK:3"), berth(2))
    world.work()
    assert world.texts() == [berth(2), berth(1)] or world.texts() == [berth(1), berth(2)]
    (batch,) = world.sets("pull")
    assert (batch.title, batch.updates) == ("Lantern rewrote 1 entry of Berths as it took them", 1)


@BOTH
def test_a_full_server_refuses_in_plain_words_and_it_can_be_tried_again(world: World, name: str) -> None:
    world.connect(name)
    world.hosts.switches[name].arm(Fault("full", count=2, method="PUT"))
    world.take("Berths", *map(berth, range(5)))
    world.work()
    assert world.pushed() == {"pushed": 3, "refused": 2}
    assert {one.message for one in world.unsettled("refused")} == {f"{name.title()} has no space left (507)."}
    assert len(world.titles()) == 5


def test_refusals_say_why(world: World) -> None:
    world.hosts.lantern.records.add_collection(OFFICE, "other", "Other")
    world.put("lantern", "other", berth(1))
    world.connect("lantern")
    world.take(
        "Berths", berth(1, name="again"), berth(2, "DESCRIPTION:" + "x" * 250_000), berth(3, "DTEND:20260230T000000Z")
    )
    world.work()
    said = "\n".join(one.message for one in world.unsettled("refused"))
    assert "An entry with this UID is in “Other” already." in said
    assert "It is too large." in said
    assert "It is not valid there. DTEND:20260230T000000Z is not a date" in said
    assert world.pushed()["refused"] == 3


def test_a_change_made_there_meanwhile_is_never_overwritten(world: World) -> None:
    world.put("tidewrack", "berths", *map(berth, range(3)))
    account = world.connect("tidewrack")
    world.hosts.switches["tidewrack"].arm(Fault("meddle", method="DELETE"))
    world.delete("uid:berth-1@skerrow.example")
    world.work()
    assert world.pushed() == {"conflict": 1}
    assert "Launch 1 alongside (edited elsewhere)" in summaries(world, "tidewrack")
    world.refresh(account)  # what waits for a decision is not touched by what comes in
    assert len(world.titles()) == 2


def test_several_batches_about_one_entry_are_carried_as_its_last_state(world: World) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.connect("tidewrack")
    set_id = world.delete("alongside")
    apply_set(world.store, propose_undo(world.store, set_id))
    world.hosts.switches["tidewrack"].requests.clear()
    world.work()
    assert world.pushed() == {"pushed": 2}
    assert "PUT" not in world.hosts.switches["tidewrack"].requests
    assert "DELETE" not in world.hosts.switches["tidewrack"].requests


def test_what_is_made_there_tells_nobody_also_when_it_is_brought_back(world: World) -> None:
    world.put("lantern", "berths", berth(1, *MEETING))
    world.connect("lantern")
    set_id = world.delete("alongside")
    world.work()
    assert world.mail() == [("CANCEL", "ida.moe@skerrow.example")]  # the preview says so: see test_review
    world.hosts.mail.empty()
    apply_set(world.store, propose_undo(world.store, set_id))
    world.work()
    assert "SCHEDULE-AGENT=NONE" in next(iter(world.there("lantern", "berths").values()))
    assert world.mail() == []


@pytest.mark.kills
def test_a_killed_process_goes_on_and_writes_nothing_twice(world: World) -> None:
    world.connect("tidewrack")
    world.take("Berths", *map(berth, range(400)))
    writes: list[str] = []
    put = world.hosts.tidewrack.records.put
    halfway = threading.Event()

    def counted(collection, name, *rest):  # type: ignore[no-untyped-def]
        writes.append(name)
        if len(writes) == 150:
            halfway.set()
        return put(collection, name, *rest)

    world.hosts.tidewrack.records.put = counted  # type: ignore[method-assign]
    worker = Worker(world.store, world.settings)
    worker.start()
    try:
        assert halfway.wait(30)
        process = worker.process_ids["talking"]
        assert process is not None
        os.kill(process, signal.SIGKILL)
        wait_until(lambda: world.pushed() == {"pushed": 400})
    finally:
        worker.stop()
    assert len(world.there("tidewrack", "berths")) == 400
    assert len(set(writes)) == 400
    # At most the requests that were under way when it died are asked again, and refused as they are there.
    assert len(writes) == 400


# ---- calendars themselves ---------------------------------------------------------------------------


def test_a_calendar_is_made_described_deleted_and_brought_back_there(world: World) -> None:
    account = world.connect("lantern")

    def apply(set_id: int) -> int:
        apply_set(world.store, set_id)
        world.work()
        return set_id

    def there() -> list[tuple[str, str, str]]:
        return [(c.name, c.colour, c.description) for c, _ in world.hosts.lantern.records.calendars_of(OFFICE)][1:]

    apply(calendars.propose_new(world.store, account, Description("Cranes", "#112233", "Australia/Hobart", "Lifts")))
    assert there() == [("Cranes", "#112233", "Lifts")]
    number = world.calendar("Cranes").id
    apply(calendars.propose_description(world.store, number, Description("Big cranes", "#445566", "", "Lifts")))
    assert there() == [("Big cranes", "#445566", "Lifts")]
    world.take("Big cranes", *map(berth, range(3)))
    world.work()
    gone = apply(calendars.propose_deletion(world.store, number))
    assert world.set(gone).title == "Delete Big cranes on Lantern with 3 entries"
    assert there() == []
    apply(propose_undo(world.store, gone))
    assert there() == [("Big cranes", "#445566", "Lifts")]
    assert len(world.there("lantern", "big-cranes")) == 3


def test_a_calendar_that_changed_there_meanwhile_is_not_deleted(world: World) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.connect("tidewrack")
    world.put("tidewrack", "berths", berth(2))
    number = world.calendar().id
    apply_set(world.store, calendars.propose_deletion(world.store, number))
    world.work()
    assert len(world.there("tidewrack", "berths")) == 2
    assert world.pushed()["conflict"] == 1
