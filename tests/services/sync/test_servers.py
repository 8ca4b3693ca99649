"""Right with every server that keeps to the standards, careful with the others; one point each."""

from __future__ import annotations

from dataclasses import replace

import pytest

from datebridge.clock import now, starting_at
from datebridge.connect.errors import Unreachable
from datebridge.connect.habits import says
from datebridge.core.text.headers import Description
from datebridge.services.accounts import accounts, addresses
from datebridge.services.editing import calendars, edits
from datebridge.services.sync import conflicts
from datebridge.services.sync.push import push_pending
from datebridge.standins.faults import Fault
from datebridge.standins.habits import HABITS
from datebridge.store.accounts import remotes_of
from datebridge.store.changesets.apply import apply
from datebridge.store.changesets.draft import CannotApply
from tests.conftest import calendar
from tests.world import OFFICE, PASSWORD, World, berth

pytestmark = pytest.mark.both_sides
BOTH = pytest.mark.parametrize("name", ["tidewrack", "lantern"])


def connected(world: World, name: str, *habits: str, entries: int = 4) -> int:
    """An account on a server with habits, its calendar switched on."""
    world.settings.patience = 0
    world.put(name, "berths", *map(berth, range(entries)))
    world.server(name).habits.set(habits)
    return world.connect(name, agreed=[world.other(name)])


def retitle(world: World, title: str, new: str) -> None:
    """Change one entry's title here, and push."""
    (entry,) = (row.id for row in world.entries() if row.summary == title)
    target = edits.Target(entry)
    with world.store.read() as connection:
        fields = edits.load(connection, target).fields()
    edits.save(world.store, target, "all", replace(fields, title=new))
    push_pending(world.store)
    world.work()


def titles_in(text: str) -> list[str]:
    return sorted(line.removeprefix("SUMMARY:") for line in text.splitlines() if line.startswith("SUMMARY:"))


def requests(world: World, name: str) -> dict[str, int]:
    """How many requests of each kind there were since it was asked last."""
    counted = world.hosts.switches[name].requests
    found = dict(counted)
    counted.clear()
    return found


# ---- nothing lost, nothing doubled ------------------------------------------------------------------


@BOTH
def test_a_name_that_changed_hands_takes_nothing_along(world: World, name: str) -> None:
    account = connected(world, name)
    before = {row.summary: row.id for row in world.entries()}
    world.server(name).keep_as(OFFICE, "berths", "berth-1@skerrow.example.ics", "moved.ics")
    world.server(name).put(OFFICE, "berths", "berth-1@skerrow.example.ics", calendar(berth(9)).encode())
    world.refresh(account)
    after = {row.summary: row.id for row in world.entries()}
    assert after.pop("Launch 9 alongside") is not None
    assert after == before
    assert world.remotes()[0].outcome == "1 added"


@BOTH
@pytest.mark.parametrize("habit", ["withholds", "omits"])
def test_what_is_handed_out_only_alone_is_asked_for_alone(world: World, name: str, habit: str) -> None:
    connected(world, name, habit, entries=9)
    assert (len(world.titles()), world.remotes()[0].trouble) == (9, "")
    assert requests(world, name)["GET"] == 1 + 2 * 3  # one looks at the address; then twice, for each third


def test_a_server_that_puts_off_being_asked_one_by_one_is_waited_for(world: World) -> None:
    account = connected(world, "lantern", "omits", entries=9)
    world.put("lantern", "berths", *(berth(number, name="later") for number in range(9)))
    world.settings.patience = 30
    world.hosts.switches["lantern"].arm(Fault("throttle", method="GET", count=3))
    world.refresh(account)
    assert [(one.outcome, one.trouble) for one in world.remotes()] == [("9 changed", "")]


def test_a_listing_that_is_short_without_a_word_removes_nothing_and_hides_nothing(world: World) -> None:
    account = connected(world, "tidewrack", entries=10)
    world.server("tidewrack").habits.set(["short-listings"])
    world.put("tidewrack", "berths", berth(99))
    collection = world.server("tidewrack").records.collection(OFFICE, "berths")
    assert collection is not None
    world.server("tidewrack").records.delete(collection, "berth-3@skerrow.example.ics")
    world.refresh(account)
    assert world.remotes()[0].outcome == "1 added, 1 removed"
    assert len(world.titles()) == 10


@BOTH
@pytest.mark.parametrize("habit", ["small-multiget", "no-multiget", "no-sync", "no-listing", "cut-listings"])
def test_a_question_that_is_refused_is_asked_in_another_way(world: World, name: str, habit: str) -> None:
    account = connected(world, name, habit, entries=9)
    assert len(world.titles()) == 9
    world.put(name, "berths", berth(3, name="moved"))
    world.refresh(account)
    assert world.remotes()[0].outcome == "1 changed"


@BOTH
@pytest.mark.parametrize(
    ("title", "objects"),
    [
        ("Buoy without a number", {"without-uid.ics": ["New"]}),
        ("Buoy one", {"two-uids.ics": ["Buoy two", "New"]}),
        ("Buoy three again", {"once-more.ics": ["New"]}),
    ],
)
def test_editing_touches_exactly_the_object_that_is_meant(
    world: World, name: str, title: str, objects: dict[str, list[str]]
) -> None:
    world.put(name, "berths", berth(1))
    world.server(name).lay(OFFICE, "berths")
    connected(world, name, "lax", entries=1)
    before = world.there(name, "berths")
    retitle(world, title, "New")
    after = world.there(name, "berths")
    assert before.keys() == after.keys()
    assert {key: titles_in(after[key]) for key in after if after[key] != before[key]} == objects
    assert world.pushed() == {"pushed": 1}
    world.delete("what:New")
    world.work()
    left = {key: [one for one in titles if one != "New"] for key, titles in objects.items()}
    assert world.there(name, "berths").keys() == before.keys() - {key for key, titles in left.items() if not titles}


def test_the_side_of_one_of_two_objects_of_a_uid_is_taken_with_both(world: World) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.server("tidewrack").lay(OFFICE, "berths")
    connected(world, "tidewrack", "lax", entries=1)
    world.hosts.switches["tidewrack"].arm(Fault("meddle", method="PUT"))
    retitle(world, "Buoy three again", "Mine")
    (number,) = (one.id for one in world.unsettled("conflict"))
    conflicts.take_theirs(world.store, world.settings, number)
    assert {"Buoy three", "Buoy three again (edited elsewhere)"} <= set(world.titles())
    assert "Mine" not in world.titles()


@pytest.mark.parametrize("etags", [(), ("weak-etags",)])
def test_writing_goes_to_where_the_calendar_lives(world: World, etags: tuple[str, ...]) -> None:
    account = connected(world, "lantern", "other-host", *etags)
    assert world.remote(account).url.startswith(world.other("lantern"))
    retitle(world, "Launch 1 alongside", "Moved")
    assert "Moved" in [t for text in world.there("lantern", "berths").values() for t in titles_in(text)]
    world.delete("what:Moved")
    records = world.server("lantern").records
    collection = records.collection(OFFICE, "berths")
    assert collection is not None
    records.drop_collection(collection)
    world.work()  # the deletion is answered with 404, since the whole calendar is not there
    assert world.pushed().get("pushed") == 1
    assert "is not on localhost any more. Rediscover the calendars" in str(world.remotes()[0].trouble)


@BOTH
@pytest.mark.parametrize("habit", ["weak-etags", "restless-etags", "silent-put", "renames"])
def test_without_lasting_etags_one_edit_is_one_writing_and_a_change_there_is_still_met(
    world: World, name: str, habit: str
) -> None:
    account = connected(world, name, habit)
    for before, title in (("Launch 1 alongside", "first"), ("first", "second"), ("second", "third")):
        requests(world, name)
        retitle(world, before, title)
        world.refresh(account)
        assert requests(world, name)["PUT"] <= 2
    assert set(world.pushed()) == {"pushed"}
    world.server(name).stir()
    retitle(world, "Launch 0 alongside", "mine")
    assert world.pushed().get("conflict") == 1


@BOTH
@pytest.mark.parametrize("habit", ["weak-etags", "restless-etags", "silent-put", "lax"])
@pytest.mark.parametrize("how", ["mine", "theirs"])
def test_a_decision_is_carried_out_once_and_for_good(world: World, name: str, habit: str, how: str) -> None:
    world.put(name, "berths", berth(1))
    if habit == "lax":
        world.server(name).lay(OFFICE, "berths")
    account = connected(world, name, habit, entries=1)
    title = "Buoy without a number" if habit == "lax" else "Launch 0 alongside"
    if habit == "lax":
        world.server(name).meddle(f"/dav/calendars/{OFFICE}/berths/without-uid.ics")
    else:
        world.server(name).stir()
    retitle(world, title, "Mine")
    world.refresh(account)
    (number,) = (one.id for one in world.unsettled("conflict"))
    if how == "mine":
        conflicts.take_mine(world.store, number)
    else:
        conflicts.take_theirs(world.store, world.settings, number)
    world.work()
    world.refresh(account)
    there = [t for text in world.there(name, "berths").values() for t in titles_in(text)]
    assert sorted(there) == sorted(world.titles())
    assert ("Mine" in there, f"{title} (edited elsewhere)" in there) == (how == "mine", how == "theirs")
    assert not {"waiting", "sending", "refused", "conflict"} & world.pushed().keys()


@BOTH
@pytest.mark.parametrize("how", ["mine", "merged"])
def test_a_decision_about_one_entry_of_an_object_leaves_the_others_as_they_are_there(
    world: World, name: str, how: str
) -> None:
    world.put(name, "berths", berth(1))
    world.server(name).lay(OFFICE, "berths")
    account = connected(world, name, "lax", entries=1)
    world.server(name).meddle(f"/dav/calendars/{OFFICE}/berths/two-uids.ics")
    retitle(world, "Buoy one", "Mine")
    (number,) = (one.id for one in world.unsettled("conflict"))
    (pair,) = conflicts.both_banks(world.store, number)
    assert (titles_in(pair.mine), titles_in(pair.theirs)) == (["Mine"], ["Buoy one (edited elsewhere)"])
    conflicts.take_mine(world.store, number) if how == "mine" else conflicts.take_merged(world.store, number, {})
    world.work()
    world.refresh(account)
    kept = titles_in(world.there(name, "berths")["two-uids.ics"])
    assert set(kept) == {"Buoy two (edited elsewhere)", "Mine" if how == "mine" else "Buoy one (edited elsewhere)"}
    assert set(kept) <= set(world.titles())
    assert world.pushed().get("pushed") == 1


def test_what_has_no_uid_is_taken_whole_from_one_side(world: World) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.server("tidewrack").lay(OFFICE, "berths")
    connected(world, "tidewrack", "lax", entries=1)
    world.server("tidewrack").meddle(f"/dav/calendars/{OFFICE}/berths/without-uid.ics")
    retitle(world, "Buoy without a number", "Mine")
    (number,) = (one.id for one in world.unsettled("conflict"))
    with pytest.raises(CannotApply, match="can only be taken as it is there, or as it is here"):
        conflicts.take_merged(world.store, number, {})


def test_sync_is_asked_at_depth_0_and_an_expired_token_is_understood_however_it_is_said(world: World) -> None:
    account = connected(world, "lantern")
    assert world.remote(account).token
    world.server("lantern").habits.set(["stale-tokens"])
    for number in range(8):
        world.put("lantern", "berths", berth(1, name=f"for the {number}. time"))
        world.refresh(account)
        assert world.remotes()[0].outcome == "1 changed"
    assert world.remotes()[0].trouble == ""


# ---- found and reached ------------------------------------------------------------------------------


@BOTH
@pytest.mark.parametrize(
    "habit", ["two-homes", "no-home", "shelf", "delegates", "other-host", "digest-only", "http-1.0"]
)
def test_all_calendars_are_found(world: World, name: str, habit: str) -> None:
    records = world.server(name).records
    records.add_collection(OFFICE, "labs", "Labs")
    records.share(records.add_collection("director", "notices", "Notices"), OFFICE, "read")
    account = connected(world, name, habit)
    assert sorted((r.name, r.owned) for r in remotes_of(world.store, account)) == [
        ("Berths", True),
        ("Labs", True),
        ("Notices", False),
    ]
    assert len(world.titles()) == 4


@BOTH
@pytest.mark.parametrize("habit", ["mkcol-only", "redirects", "no-home", "two-homes", "shelf"])
def test_a_calendar_is_made_and_written_all_the_same(world: World, name: str, habit: str) -> None:
    account = connected(world, name, habit)
    apply(world.store, calendars.propose_new(world.store, account, Description("New berths", "#aa5500")))
    world.work()
    retitle(world, "Launch 1 alongside", "Moved")
    assert world.pushed().keys() == {"pushed"}
    assert world.server(name).records.collection(OFFICE, "new-berths") is not None
    assert "Moved" in [t for text in world.there(name, "berths").values() for t in titles_in(text)]


#: By which habit of an account another one of its server shows itself; one does not show itself at all.
SHOWN = {"omits": "withholds", "any-depth": ""}


@pytest.mark.parametrize("habit", ["", *HABITS])
def test_what_a_server_was_seen_to_do_is_said_of_its_account(world: World, habit: str) -> None:
    tidewrack = world.server("tidewrack").records
    tidewrack.add_collection(OFFICE, "labs", "Labs")
    tidewrack.share(tidewrack.add_collection("director", "notices", "Notices"), OFFICE, "read")
    if habit == "lax":
        world.put("tidewrack", "berths", berth(1))
        world.server("tidewrack").lay(OFFICE, "berths")
    syncs = habit in ("stale-tokens", "no-sync")
    name = "lantern" if syncs else "tidewrack"
    account = connected(world, name, *filter(None, [habit]), entries=9)
    for title in ("first", "second"):
        retitle(world, "Launch 1 alongside" if title == "first" else "first", title)
        world.put(name, "berths", berth(3, name=title))
        world.refresh(account)
    apply(world.store, calendars.propose_new(world.store, account, Description("New berths")))
    world.work()
    seen = world.accounts()[0].habits
    expected = SHOWN.get(habit, habit)
    allowed = {"digest-only", "silent-put"} if syncs else {"silent-put"} if habit == "renames" else set()
    assert set(seen) - (allowed - {expected}) == ({expected} if expected else set())
    assert all(says(one) for one in seen)
    # None of it is trouble for anybody.
    assert {one.trouble for one in (*world.accounts(), *world.remotes())} == {""}
    assert world.pushed().keys() == {"pushed"}


# ---- what is said -----------------------------------------------------------------------------------


def trouble(world: World) -> str:
    return world.remotes()[0].trouble


def refused(world: World) -> str:
    return world.unsettled("refused")[0].message


def test_somebody_known_whose_calendars_are_nowhere_is_told_so(world: World) -> None:
    world.server("lantern").records.add_person("new", PASSWORD, "New Hand", "new@skerrow.example")
    world.server("lantern").habits.set(["no-home"])
    with pytest.raises(Unreachable) as caught:
        accounts.add(world.store, world.settings, world.hosts.address("lantern"), "new", PASSWORD)
    assert str(caught.value) == (
        "127.0.0.1 knows you, but does not say where your calendars are, and there are none at this address. Give the"
        " address of what holds your calendars, as its people or its help pages name it."
    )
    assert world.accounts() == []


def test_what_stays_withheld_is_said_and_nothing_is_removed(world: World) -> None:
    account = connected(world, "lantern")
    world.put("lantern", "berths", berth(1, name="later"))
    world.hosts.switches["lantern"].arm(
        Fault("withhold", method="REPORT", count=9), Fault("full", method="GET", count=9)
    )
    world.refresh(account)
    assert trouble(world) == ("Lantern does not hand out one of its entries just now (507). The copies here are kept.")
    assert len(world.titles()) == 4


def test_writing_that_is_sent_on_elsewhere_is_not_followed(world: World) -> None:
    connected(world, "lantern")
    world.hosts.switches["lantern"].arm(Fault("away", method="PUT", to=world.hosts.address("tidewrack"), count=9))
    retitle(world, "Launch 1 alongside", "Moved")
    assert refused(world) == "Lantern sends writing on to another place (301). Rediscover the calendars of the account."


def test_a_question_about_the_other_host_names_it(world: World) -> None:
    world.server("lantern").habits.set(["other-host"])
    with pytest.raises(Unreachable) as caught:
        addresses.look_at(world.settings, world.hosts.address("lantern"), OFFICE, PASSWORD)
    assert caught.value.origin == world.other("lantern")
    assert "have not been sent on" in str(caught.value)


def test_a_server_with_a_limit_by_the_hour_is_left_alone_until_it_is_over(world: World) -> None:
    world.connect("halyard")
    world.take("Berths", *(berth(at) for at in range(40)))
    server = world.hosts.halyard
    server.hourly = server._hour[1] + 25
    world.work()
    first = len(world.there("halyard", "berths"))
    assert 0 < first < 40
    assert "accepts no more requests" in world.remotes()[0].trouble
    asked = server._hour[1]
    world.work()
    assert server._hour[1] == asked  # nobody asked again before the hour is over
    server.hourly = 200
    with starting_at(now() + 3700):
        world.refresh(world.account_of("halyard"))
        world.work()
        there = world.there("halyard", "berths")
    assert len(there) == 40
    assert len({text.partition("SUMMARY:")[2].partition("\r")[0] for text in there.values()}) == 40
