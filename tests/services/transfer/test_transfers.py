"""Copying and moving: whole series, by rule, silently, and nothing leaves its source before it has arrived."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.language.filters import Selection
from datebridge.core.objects import assemble, take_apart
from datebridge.services.accounts import accounts, leaving
from datebridge.services.transfer import transfers
from datebridge.services.transfer.copying import Target
from datebridge.standins.faults import Fault
from datebridge.store.accounts import sealed_addresses
from datebridge.store.changesets import review
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.review import changes_page
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar
from tests.depth import tries
from tests.world import MEETING, World, berth

pytestmark = pytest.mark.both_sides

ZONED = "TZID=Harbour clock:20261201T080000"


def both(world: World) -> tuple[int, int]:
    return world.connect("tidewrack"), world.connect("lantern")


def copy(world: Bench, filter: str = "", **target: Any) -> int:
    set_id = transfers.propose_transfer(world.store, world.ledger, Selection(filter), Target(**target))
    apply_set(world.store, set_id)
    return set_id


def number_of(world: Bench, name: str) -> int:
    return world.calendar(name).id


def test_a_copy_to_a_new_calendar_arrives_whole_and_tells_nobody(world: World) -> None:
    world.put("tidewrack", "berths", berth(1, *MEETING), *map(berth, range(2, 30)))
    _, lantern = both(world)
    set_id = transfers.propose_transfer(
        world.store, world.ledger, Selection(), Target(account_id=lantern, name="Moved in")
    )
    title, reason = world.set(set_id).title, world.set(set_id).reason
    assert title == "Copy 29 entries to Moved in (Lantern)"
    assert reason == "The attendees of 1 entry are not notified."
    apply_set(world.store, set_id)
    world.work()
    assert len(world.there("lantern", "moved-in")) == 29
    assert len(world.there("tidewrack", "berths")) == 29
    assert world.mail() == []


def test_attendees_are_invited_only_where_that_is_asked_for(world: World) -> None:
    world.put("tidewrack", "berths", berth(1, *MEETING))
    _, lantern = both(world)
    set_id = transfers.propose_transfer(
        world.store, world.ledger, Selection(), Target(account_id=lantern, name="Loud", tell=True)
    )
    with world.store.read() as connection:
        assert review.warnings(connection, set_id) == ["Lantern notifies 1 attendee of 1 meeting."]
    apply_set(world.store, set_id)
    world.work()
    assert world.mail() == [("REQUEST", "ida.moe@skerrow.example")]


def test_a_part_of_a_series_brings_all_of_it(bench: Bench) -> None:
    bench.bring(calendar(berth(1, "RRULE:FREQ=WEEKLY"), berth(1, "RECURRENCE-ID:20261208T080000Z", name="later")))
    copy(bench, "later", name="Copies")
    assert sorted(bench.titles("calendar:Copies")) == ["Launch 1 alongside", "Launch 1 later"]


@pytest.mark.parametrize(
    ("rule", "titles", "held"),
    [
        ("skip", ["old", "same"], 2),
        ("newer", ["new", "same"], 1),
        ("both", ["new", "old", "same", "same"], 0),
    ],
)
def test_what_stands_there_already_is_decided_by_rule(bench: Bench, rule: str, titles: list[str], held: int) -> None:
    bench.bring(calendar(berth(1, name="old"), berth(2, name="same")), calendar="There")
    bench.bring(calendar(berth(1, "SEQUENCE:2", name="new"), berth(2, name="same")), calendar="Here")
    set_id = copy(bench, "calendar:Here", calendar_id=number_of(bench, "There"), existing=rule)
    assert sorted(t.split()[-1] for t in bench.titles("calendar:There")) == titles
    assert bench.set(set_id).held == held


def test_copying_twice_adds_nothing(bench: Bench) -> None:
    bench.bring(calendar(*map(berth, range(5))), calendar="Here")
    copy(bench, name="There")
    copy(bench, "calendar:Here", calendar_id=number_of(bench, "There"))
    assert len(bench.titles("calendar:There")) == 5


def test_zone_definitions_go_along(bench: Bench) -> None:
    zone = "BEGIN:VTIMEZONE\nTZID:Harbour clock\nX-OWN:1\nEND:VTIMEZONE"
    text = berth(1).replace("DTSTART:20261201T080000Z", f"DTSTART;{ZONED}")
    bench.bring(calendar(zone, text), calendar="Here")
    copy(bench, name="There")
    there = number_of(bench, "There")
    assert bench.defined(there).keys() == {"Harbour clock"}


def test_an_entry_without_uid_gets_one_that_is_the_same_the_next_time(bench: Bench) -> None:
    bench.bring(calendar(berth(1).replace("UID:berth-1@skerrow.example\n", "")), calendar="Here")
    copy(bench, "calendar:Here", name="There")
    copy(bench, "calendar:Here", calendar_id=number_of(bench, "There"))
    assert len(bench.titles("calendar:There")) == 1


def test_a_server_that_takes_a_uid_once_a_home_says_so_and_is_believed_from_then_on(world: World) -> None:
    world.put("lantern", "berths", berth(1))
    _, lantern = both(world)
    world.bring(calendar(berth(1, name="copied"), berth(2)), calendar="File")
    copy(world, "calendar:File", account_id=lantern, name="Fresh")
    world.work()
    assert list(world.there("lantern", "fresh")) == ["berth-2@skerrow.example.ics"]
    assert [one.message for one in world.unsettled("refused")] == [
        "Lantern: An entry with this UID is in another calendar there already. An entry with this UID is in “Berths” already."
        " (403)"
    ]
    set_id = copy(world, "calendar:File uid:berth-1@skerrow.example", account_id=lantern, name="Second")
    with world.store.read() as connection:
        shown = changes_page(connection, set_id, 0, 100)[1]
    assert [one.change.reason for one in shown if one.change.held] == [
        "It stands in “Fresh” of the same account already, which takes a UID once."
    ]
    world.work()
    copy(world, "calendar:File uid:berth-1@skerrow.example", account_id=lantern, name="Third", existing="both")
    world.work()
    assert len(world.there("lantern", "third")) == 1


def test_between_two_calendars_of_one_account_entries_are_copied_and_moved(world: World) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    tidewrack, _ = both(world)
    copy(world, "uid:berth-1@skerrow.example", account_id=tidewrack, name="Fresh")
    world.work()
    copy(world, "calendar:Berths uid:berth-2@skerrow.example", calendar_id=world.calendar("Fresh").id, move=True)
    world.work()
    assert len(world.there("tidewrack", "fresh")) == 2
    assert list(world.there("tidewrack", "berths")) == ["berth-1@skerrow.example.ics"]


def test_what_a_server_says_it_does_not_take_is_said_before_the_copy(world: World) -> None:
    both(world)
    large = berth(1, f"DESCRIPTION:{'x' * 2_000_000}")
    todo = "BEGIN:VTODO\nUID:todo\nSUMMARY:Paint\nEND:VTODO"
    world.bring(calendar(large, berth(2), todo), calendar="File")
    number = next(one.id for one in world.calendars() if one.account == "Lantern")
    with world.store.write() as connection:
        connection.exec_driver_sql("UPDATE remote SET components = 'VEVENT' WHERE calendar_id = ?", (number,))
    set_id = copy(world, "calendar:File", calendar_id=number)
    with world.store.read() as connection:
        shown = changes_page(connection, set_id, 0, 100)[1]
    reasons = sorted(one.change.reason for one in shown if one.change.held)
    assert reasons[0] == "Lantern takes no to-dos in this calendar."
    assert reasons[1].startswith("Too large for Lantern: 2,000,")
    world.work()
    assert world.pushed() == {"pushed": 1}


def test_moving_deletes_at_the_source_only_what_has_been_read_back(world: World) -> None:
    world.put("tidewrack", "berths", *map(berth, range(10)))
    _, lantern = both(world)
    world.hosts.switches["lantern"].arm(Fault("full", count=3, method="PUT"))
    set_id = copy(world, "", account_id=lantern, name="Moved in", move=True)
    assert len(world.there("tidewrack", "berths")) == 10
    world.work()
    assert len(world.there("lantern", "moved-in")) == 7
    assert len(world.there("tidewrack", "berths")) == 3
    assert world.set(set_id).note == "3 stay at the source: they have not arrived."


@pytest.mark.parametrize("half", ["copying", "deleting", "before the second half"])
def test_a_move_is_taken_back_whole_and_made_again(world: World, half: str) -> None:
    world.put("tidewrack", "berths", *map(berth, range(5)))
    _, lantern = both(world)
    before = sorted(world.titles("account:Tidewrack"))
    set_id = copy(world, "", account_id=lantern, name="Moved in", move=True)
    if half == "before the second half":
        apply_set(world.store, propose_undo(world.store, set_id))
        world.work()
    else:
        world.work()
        assert world.titles("account:Tidewrack") == []
        deletion = world.sets("moved")[-1].id
        undo = propose_undo(world.store, set_id if half == "copying" else deletion)
        apply_set(world.store, undo)
        world.work()
        assert {world.set(number).undone_by_id for number in (set_id, deletion)} == {undo}
    assert sorted(world.titles()) == sorted(world.titles("account:Tidewrack")) == before
    assert len(world.there("tidewrack", "berths")) == 5
    if half == "copying":
        apply_set(world.store, propose_undo(world.store, undo))
        world.work()
        assert (len(world.there("tidewrack", "berths")), len(world.titles())) == (0, 5)


def test_half_a_move_is_not_taken_back(world: World) -> None:
    world.put("tidewrack", "berths", *map(berth, range(5)))
    _, lantern = both(world)
    set_id = copy(world, "", account_id=lantern, name="Moved in", move=True)
    undo = propose_undo(world.store, set_id)
    world.work()  # the second half comes before it is applied
    with pytest.raises(CannotApply, match="Undo the move once more"):
        apply_set(world.store, undo)
    assert len(world.there("lantern", "moved-in")) == 5


def test_moving_leaves_what_its_server_would_cancel(world: World) -> None:
    series = calendar(berth(1, *MEETING, "RRULE:FREQ=WEEKLY"), berth(1, "RECURRENCE-ID:20261208T080000Z", name="later"))
    world.hosts.tidewrack.put("harbour-office", "berths", "berth-1@skerrow.example.ics", series.encode())
    world.put("tidewrack", "berths", berth(2))
    _, lantern = both(world)
    set_id = copy(world, "", account_id=lantern, name="Moved in", move=True)
    world.work()
    assert len(world.titles("account:Tidewrack")) == 2
    assert list(world.there("tidewrack", "berths")) == ["berth-1@skerrow.example.ics"]
    assert "would tell their attendees" in world.set(set_id).note
    assert world.mail() == []


def test_what_can_only_be_read_is_no_target(bench: Bench) -> None:
    bench.bring(calendar(berth(1)), calendar="Here")
    bench.bring(calendar(berth(2)), calendar="There")
    with bench.store.write() as connection:
        connection.exec_driver_sql("UPDATE calendar SET writable = 0 WHERE name = 'There'")
    with pytest.raises(CannotApply, match="There is read-only"):
        copy(bench, "calendar:Here", calendar_id=number_of(bench, "There"))


@tries(60, 2_000)
@given(st.lists(st.integers(0, 50), unique=True, min_size=1, max_size=20))
def test_objects_taken_apart_and_put_together_hold_the_same(numbers: list[int]) -> None:
    texts = [berth(1, f"X-N:{n}", f"RECURRENCE-ID:202612{n % 28 + 1:02d}T080000Z") for n in numbers]
    assert [text for _, text in take_apart(assemble(texts, [])).entries] == texts


# ---- leaving ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("keep", ["nothing", "snapshot"])
def test_disconnecting_deletes_nothing_there_and_leaves_what_was_asked_for(world: World, keep: str) -> None:
    world.put("tidewrack", "berths", *map(berth, range(4)))
    account = world.connect("tidewrack")
    world.hosts.switches["tidewrack"].requests.clear()
    leaving.disconnect(world.store, account, keep)  # type: ignore[arg-type]
    world.work()
    assert len(world.there("tidewrack", "berths")) == 4
    assert not world.hosts.switches["tidewrack"].requests
    assert len(world.titles()) == (4 if keep == "snapshot" else 0)
    assert world.accounts() == []
    assert sealed_addresses(world.store) == []
    if keep == "snapshot":  # it is writable now, and goes nowhere
        world.delete("alongside")
        world.work()
        assert len(world.there("tidewrack", "berths")) == 4


def test_a_calendar_switched_off_and_on_again_is_a_true_copy_again(world: World) -> None:
    world.put("lantern", "berths", *map(berth, range(4)))
    account = world.connect("lantern")
    number = world.remote(account).id
    assert number is not None
    leaving.switch_off(world.store, number, "nothing")
    assert world.titles() == []
    accounts.switch_on(world.store, [number])
    world.work()
    assert len(world.titles()) == 4
    world.delete("uid:berth-1@skerrow.example")
    world.work()
    assert len(world.there("lantern", "berths")) == 3
