"""Calendars themselves: made, described and deleted by change sets, with what may not be refused in words."""

from __future__ import annotations

import pytest

from datebridge.core.ids import CalendarId
from datebridge.core.text.headers import Description, description_of
from datebridge.services.editing import calendars
from datebridge.store.calendars import header_of
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar
from tests.world import World, berth


def made(bench: Bench, name: str = "Tides", own_colour: str = "", zone: str = "", text: str = "") -> int:
    apply_set(bench.store, calendars.propose_new(bench.store, None, Description(name, own_colour, zone, text)))
    return bench.calendar(name).id


def described(bench: Bench, number: int) -> Description:
    with bench.store.read() as connection:
        found = header_of(connection, CalendarId(number))
    assert found is not None
    return description_of(found[1])


def test_a_new_calendar_is_empty_and_says_what_it_was_told_to_say(bench: Bench) -> None:
    number = made(bench, "Tides", "teal", "Australia/Hobart", "High, low")
    assert described(bench, number) == Description("Tides", "teal", "Australia/Hobart", "High, low")
    assert bench.titles() == []


def test_describing_anew_is_one_batch_that_can_be_taken_back(bench: Bench) -> None:
    number = made(bench, "Tides", "#112233")
    set_id = calendars.propose_description(bench.store, number, Description("Neaps", "#445566", "UTC", ""))
    assert bench.set(set_id).title == "Rename Tides to Neaps"
    apply_set(bench.store, set_id)
    assert described(bench, number) == Description("Neaps", "#445566", "UTC", "")
    apply_set(bench.store, propose_undo(bench.store, set_id))
    assert described(bench, number) == Description("Tides", "#112233", "", "")


def test_deleting_takes_everything_and_undo_brings_everything_back(bench: Bench) -> None:
    bench.bring(calendar(*map(berth, range(4)), header="X-OLD:1"), calendar="Berths")
    number = bench.calendar().id
    before = bench.texts()
    set_id = calendars.propose_deletion(bench.store, number)
    made = bench.set(set_id)
    assert (made.title, made.deletes) == ("Delete Berths with 4 entries", 4)
    apply_set(bench.store, set_id)
    assert (bench.titles(), bench.calendars()) == ([], [])
    apply_set(bench.store, propose_undo(bench.store, set_id))
    assert (bench.texts(), bench.calendar().id) == (before, number)


@pytest.mark.parametrize(
    ("wanted", "says"),
    [
        (Description(" "), "needs a name"),
        (Description("tides"), "named “tides” already"),
        (Description("New", "#12"), "is not a colour"),
        (Description("New", "", "Mars/Base"), "not a time zone"),
        (Description("New", "red;background:url(x)"), "is not a colour"),
    ],
)
def test_what_cannot_be_is_refused_in_words(bench: Bench, wanted: Description, says: str) -> None:
    made(bench)
    with pytest.raises(CannotApply, match=says):
        calendars.propose_new(bench.store, None, wanted)


def test_describing_it_as_it_is_proposes_nothing(bench: Bench) -> None:
    number = made(bench)
    with pytest.raises(CannotApply, match="Nothing would change"):
        calendars.propose_description(bench.store, number, Description("Tides"))


def test_the_same_name_is_free_on_another_account(world: World) -> None:
    account = world.connect("lantern")
    made(world, "Cranes")
    apply_set(world.store, calendars.propose_new(world.store, account, Description("Cranes")))
    world.work()
    with pytest.raises(CannotApply, match="already"):
        calendars.propose_new(world.store, account, Description("cranes"))


def test_a_calendar_of_somebody_else_is_not_deleted(world: World) -> None:
    records = world.hosts.tidewrack.records
    records.share(records.add_collection("director", "plans", "Plans"), "harbour-office", "write")
    world.connect("tidewrack")
    number = world.calendar("Plans").id
    with pytest.raises(CannotApply, match="belongs to Ruth Kittow"):
        calendars.propose_deletion(world.store, number)


def test_a_file_without_uids_goes_into_a_server_calendar_with_some(world: World) -> None:
    world.connect("tidewrack")
    plain = berth(1).replace("UID:berth-1@skerrow.example\n", "")
    world.take("Berths", plain)
    world.work()
    assert world.pushed() == {"pushed": 1}
    (text,) = world.there("tidewrack", "berths").values()
    assert "UID:" in text
    with pytest.raises(CannotApply, match="exist already"):
        world.take("Berths", plain)
