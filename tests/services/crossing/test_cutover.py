"""The cutover list: each step in its turn, what it does at both ends, and taken back."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from urllib.parse import quote

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.clock import now, starting_at, this_day
from datebridge.connect import dav
from datebridge.connect.calendar_settings import settings_of
from datebridge.core.changes import State
from datebridge.core.crossing.cutover import PLACES, TEXT, Act, CutoverStep, Facts, states, worded
from datebridge.core.ids import AccountId, CalendarId
from datebridge.core.sharing.terms import Detail, Terms
from datebridge.services.accounts import accounts
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.crossing import cutover, letting_in, plans, running, telling, verifying
from datebridge.services.crossing.cutover import NotNow
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import Refused
from datebridge.services.sharing import shares
from datebridge.services.sharing.plans import content_of, plan_of
from datebridge.services.sharing.shares import Wanted
from datebridge.standins.faults import Fault
from datebridge.store.shares import shares as stored_shares
from tests.depth import tries
from tests.killing import work_and_die
from tests.services.crossing.test_crossing import Move
from tests.world import OFFICE, PASSWORD, World, berth

Step = CutoverStep
DAY = 86_400


@pytest.fixture
def moved(world: World) -> Move:
    """Berths carried to Lantern, and verified."""
    world.put("tidewrack", "berths", *(berth(number) for number in range(3)))
    move = Move(world)
    move.run()
    move.run()  # so that nothing is on its way
    assert move.verify()["unexplained"] == 0
    return move


def take(move: Move, step: Step, **more: int) -> None:
    cutover.take(move.world.store, move.number, step, **more)
    move.world.work()
    move.world.refresh(move.source_account)


def state_of(move: Move, step: Step) -> tuple[str, str]:
    view = cutover.view(move.world.store, move.number)
    one = next(one.state for one in view.steps if one.state.step is step)
    return one.state, one.why


def name_there(move: Move) -> str:
    collection = move.world.server("tidewrack").records.collection("harbour-office", "berths")
    assert collection is not None
    return collection.name


def titles_there(move: Move) -> list[str]:
    texts = move.world.there("tidewrack", "berths").values()
    return sorted(text.partition("SUMMARY:")[2].splitlines()[0] for text in texts)


def test_nothing_is_offered_before_every_lane_is_verified(world: World) -> None:
    world.put("tidewrack", "berths", berth(1))
    move = Move(world)
    for step in (Step.MARK, Step.NOTICE, Step.SHARES, Step.REST, Step.ARCHIVE, Step.RETIRE):
        assert state_of(move, step)[0] == "waits"
        with pytest.raises(NotNow):
            cutover.take(world.store, move.number, step)
    with pytest.raises(NotNow):
        telling.told_otherwise(world.store, move.number)
    move.run()
    assert state_of(move, Step.VERIFY) == ("open", "1 lane is not verified.")


def test_the_old_calendar_says_where_it_is_now_and_no_longer_when_that_is_taken_back(moved: Move) -> None:
    take(moved, Step.MARK)
    take(moved, Step.NOTICE)
    assert name_there(moved) == "Berths (moved)"
    assert "This calendar has moved to “Berths” on Lantern" in titles_there(moved)[-1]
    with pytest.raises(NotNow):  # pressed twice
        cutover.take(moved.world.store, moved.number, Step.MARK)
    moved.run()  # neither goes along the lane, nor is it a difference
    assert moved.titles() == ["Launch 0 alongside", "Launch 1 alongside", "Launch 2 alongside"]
    assert moved.unexplained() == []
    assert cutover.view(moved.world.store, moved.number).since == {}
    for step in (Step.NOTICE, Step.MARK):
        cutover.take_back(moved.world.store, moved.number, step)
    moved.world.work()
    assert name_there(moved) == "Berths"
    assert len(titles_there(moved)) == 3
    with pytest.raises(NotNow):
        cutover.take_back(moved.world.store, moved.number, Step.MARK)


def test_a_server_that_does_not_let_its_calendar_be_marked_is_named_with_the_step(moved: Move) -> None:
    cutover.take(moved.world.store, moved.number, Step.MARK)
    view = cutover.view(moved.world.store, moved.number)
    assert "1 change is on the way." in next(one.notes for one in view.steps if one.state.step is Step.MARK)
    moved.world.hosts.switches["tidewrack"].arm(Fault("full", method="PROPPATCH", count=9))
    moved.world.work()
    view = cutover.view(moved.world.store, moved.number)
    notes = next(one.notes for one in view.steps if one.state.step is Step.MARK)
    assert "1 change was not taken there: Tidewrack: There is no room left. (507)" in notes


def test_two_who_press_at_once_mark_the_calendars_once(moved: Move) -> None:
    def press(_: int) -> bool:
        try:
            cutover.take(moved.world.store, moved.number, Step.MARK)
        except NotNow:
            return False
        return True

    with ThreadPoolExecutor(4) as threads:
        assert sum(threads.map(press, range(4))) == 1
    moved.world.work()
    assert name_there(moved) == "Berths (moved)"


@pytest.mark.parametrize("by_filter", [False, True])
@pytest.mark.parametrize("detail", [Detail.EVERYTHING, Detail.TITLES, Detail.BUSY])
def test_readers_of_a_share_do_not_notice_that_it_was_pointed_elsewhere(
    moved: Move, detail: Detail, by_filter: bool
) -> None:
    world = moved.world
    filter = "what:Launch account:Tidewrack calendar:Berths" if by_filter else ""
    calendars = () if by_filter else (moved.source,)
    wanted = Wanted("Berths", "harbour office", calendars=calendars, filter=filter, terms=Terms(detail))
    shares.make(world.store, world.ledger, wanted)

    def given() -> list[str]:
        with world.store.session() as session:
            plan = plan_of(stored_shares(session)[0])
        with world.store.read() as connection:
            content = content_of(connection, world.ledger, plan, this_day())
        lines = [one.redacted.text.split("\n") for one in content.entries]
        own = ("UID", "DTSTART", "SUMMARY")
        return sorted("\n".join(line for line in some if line.startswith(own)) for some in lines)

    before = given()
    assert len(before) == 3
    take(moved, Step.SHARES)
    assert given() == before
    world.put("lantern", "berths", berth(7))
    world.refresh(moved.account)
    assert len(given()) == 4
    cutover.take_back(world.store, moved.number, Step.SHARES)
    assert given() == before


def test_what_changes_at_the_old_side_while_it_rests_is_noticed_and_can_be_carried(moved: Move) -> None:
    world = moved.world
    take(moved, Step.REST, days=7)
    assert state_of(moved, Step.REST)[0] == "under way"
    with starting_at(now() + 60):
        world.put("tidewrack", "berths", berth(1, name="aground"), berth(8))
        world.take_away("tidewrack", "berths", "berth-0@skerrow.example")
        world.refresh(moved.source_account)
        assert list(cutover.view(world.store, moved.number).since.values()) == [3]
    with starting_at(now() + 8 * DAY):  # what was not carried is not deleted
        assert state_of(moved, Step.ARCHIVE) == (
            "waits",
            "3 changes at the old side would be lost there: carry and verify first.",
        )
    with starting_at(now() + 120):
        moved.run()
        assert cutover.view(world.store, moved.number).since == {}
        assert moved.titles() == ["Launch 1 aground", "Launch 2 alongside", "Launch 8 alongside"]


def test_the_old_side_is_deleted_only_after_its_rest_and_comes_back_with_the_lane(moved: Move) -> None:
    world = moved.world
    take(moved, Step.REST, days=7)
    for step in (Step.ARCHIVE, Step.RETIRE):
        assert state_of(moved, step)[0] == "waits"
    with starting_at(now() + 8 * DAY):
        take(moved, Step.ARCHIVE)
        assert len(titles_there(moved)) == 3
        assert state_of(moved, Step.ARCHIVE) == ("done", "")
        cutover.take_back(world.store, moved.number, Step.ARCHIVE)
        assert not world.sets("archive", State.PROPOSED)
        take(moved, Step.ARCHIVE)
        take(moved, Step.RETIRE)
        with pytest.raises(NotNow, match="Take that back first"):
            cutover.take_back(world.store, moved.number, Step.ARCHIVE)
        assert titles_there(moved) == []
        assert len(moved.titles()) == 3
        with pytest.raises(Refused, match="was retired"):  # a run would delete at the target what is gone here
            running.run(world.store, moved.number)
        assert len(list(world.settings.archive_dir.glob("*.ics"))) == 2
        running.send_back(world.store, moved.number)
        world.work()
        assert (len(titles_there(moved)), moved.titles()) == (3, [])
        assert state_of(moved, Step.MARK)[0] == "waits"


def test_each_owner_is_told_once_at_the_address_that_was_given(moved: Move) -> None:
    world = moved.world
    world.settings.mail_server = world.hosts.address("smtp")
    [owner] = telling.owner_messages(world.store, moved.number)
    assert owner.mail == "harbour-office@skerrow.example"
    for to in ({}, {owner.key: "two addresses@x"}, {owner.key: "nobody"}):
        with pytest.raises(NotNow):
            telling.tell(world.store, world.settings, moved.number, "", "", to)
    for _ in range(2):
        telling.tell(
            world.store,
            world.settings,
            moved.number,
            "Moved\r\nBcc: x@y",
            "{calendars} {name} {odd}",
            {owner.key: "ruth@skerrow.example"},
        )
        world.work()
    [mail] = world.hosts.mail.messages()
    assert mail["recipient"] == "ruth@skerrow.example"
    assert state_of(moved, Step.MESSAGES)[0] == "done"
    with pytest.raises(NotNow, match="were sent"):
        cutover.take_back(world.store, moved.number, Step.MESSAGES)


@pytest.mark.parametrize("target", ["lantern", "halyard"])
def test_people_are_let_in_where_the_target_takes_that_and_else_are_listed(world: World, target: str) -> None:
    world.put("tidewrack", "berths", berth(1))
    old = world.server("tidewrack").records
    old.add_person("ida", PASSWORD, "Ida Moe", "ida.moe@skerrow.example")  # nobody at the new place
    berths = old.collection(OFFICE, "berths")
    assert berths is not None
    old.share(berths, "director", "write")
    old.share(berths, "ida", "read")
    move = Move(world, target)
    move.run()
    move.run()
    move.verify()
    letting_in.carry_access(world.store, move.number)
    assert world.work().state == "done"
    new = world.server(target).records
    there = new.collection(OFFICE, "berths")
    assert there is not None
    takes = target == "lantern"
    assert new.shared_with(there) == ([("director", "write")] if takes else [])
    notes = next(one.notes for one in cutover.view(world.store, move.number).steps if one.state.step is Step.ACCESS)
    ida = f"By hand: let Ida Moe (ida.moe@skerrow.example) read “Berths” on {target.title()}."
    assert ida in notes
    assert len(notes) == (2 if takes else 3)
    with pytest.raises(NotNow):
        letting_in.carry_access(world.store, move.number)
    assert sorted(old.shared_with(berths)) == [("director", "write"), ("ida", "read")]


@given(st.text(max_size=40), st.dictionaries(st.sampled_from([one[1:-1] for one in PLACES]), st.text(max_size=20)))
@tries(30, 2000)
def test_a_template_says_what_is_filled_in_and_nothing_of_it_is_a_template_again(
    text: str, values: dict[str, str]
) -> None:
    whole = f"{text}{{name}}|{{odd}}"
    assert worded(whole, values).endswith(values.get("name", "{name}") + "|{odd}")
    plain = text.replace("{", "")
    assert worded(plain, values) == plain
    assert worded(TEXT, {}) == TEXT


@given(
    st.integers(0, 4),
    st.integers(0, 4),
    st.integers(0, 3),
    st.dictionaries(
        st.sampled_from(list(Step)),
        st.builds(Act, st.integers(0, 9), st.just("person"), st.none() | st.integers(0, 99), st.booleans()),
    ),
    st.integers(0, 99),
)
@tries(100, 5000)
def test_nothing_that_deletes_is_ever_open_before_verification_and_rest(
    lanes: int, verified: int, undecided: int, acts: dict[Step, Act], moment: int
) -> None:
    facts = Facts(lanes, lanes, min(lanes, verified), undecided, acts)
    found = {one.step: one.state for one in states(facts, moment)}
    rest = acts.get(Step.REST)
    rested = rest is not None and (rest.until is None or rest.until <= moment)
    for step in (Step.ARCHIVE, Step.RETIRE):
        if found[step] == "open":
            assert facts.verified == lanes > 0
            assert rested
    if found[Step.RETIRE] == "open":
        assert acts[Step.ARCHIVE].ended


@pytest.mark.parametrize("target", ["lantern", "halyard"])
def test_the_new_calendar_is_set_as_the_old_one_was_and_what_is_not_taken_is_listed(world: World, target: str) -> None:
    move = Move(world, target)
    bell = "BEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT15M\r\nEND:VALARM"
    with connected_to(world.store, world.settings, AccountId(move.source_account), lambda: None) as line:
        url = world.remote(move.source_account).url
        values = {
            ("http://skerrow.example/ns/", "calendar-order"): "7",
            (dav.CAL, "schedule-calendar-transp"): dav.empty("transparent"),
            (dav.CAL, "default-alarm-vevent-datetime"): bell,
        }
        assert not dav.refused(line.server.set_properties(url, values).body, line.server.host)
    world.put("tidewrack", "berths", berth(1))
    move.run()
    move.run()
    move.verify()
    letting_in.carry_access(world.store, move.number)
    assert world.work().state == "done"
    with connected_to(world.store, world.settings, move.account, lambda: None) as line:
        there = settings_of(line.server, world.remote(move.account).url)
    assert (there.order, there.blocking, there.reminders) == ("7", "transparent", ())
    notes = next(one.notes for one in cutover.view(world.store, move.number).steps if one.state.step is Step.ACCESS)
    assert f"By hand: {target.title()} does not take the default reminder of events of “Berths”." in notes


def test_a_feed_that_ends_with_the_old_side_is_named_when_shares_are_pointed(moved: Move) -> None:
    world = moved.world
    name = next(iter(world.there("tidewrack", "berths")))
    address = f"{world.hosts.address('tidewrack')}/dav/calendars/{OFFICE}/berths/{quote(name)}"
    accounts.add(world.store, world.settings, address, OFFICE, PASSWORD, "Berth board", publisher="Harbour")
    world.work()
    take(moved, Step.SHARES)
    [step] = [one for one in cutover.view(world.store, moved.number).steps if one.state.step is Step.SHARES]
    assert [note for note in step.notes if "ends with it" in note] == [
        "“Harbour” is a feed of Tidewrack, and ends with it: subscribe to the new calendar instead."
    ]


@pytest.mark.kills
@pytest.mark.parametrize("dies", [None, 0, 2, 3, 4, 6])
def test_the_old_side_is_read_only_where_it_lets_one_say_so_until_that_is_taken_back(
    world: World, dies: int | None
) -> None:
    old = world.server("lantern").records
    berths = old.collection(OFFICE, "berths")
    assert berths is not None
    old.add_person("ida", PASSWORD, "Ida Moe", "ida.moe@skerrow.example")
    old.share(berths, "director", "write")
    old.share(berths, "ida", "read")
    world.put("lantern", "berths", berth(1))
    source = world.remote(world.connect("lantern")).calendar_id
    number = plans.make(world.store, "Back", [CalendarId(source or 0)], AccountId(world.connect("halyard")))
    running.run(world.store, number)
    world.work()
    running.run(world.store, number)
    world.work()
    verifying.verify_lanes(world.store, number)
    world.work()
    cutover.take(world.store, number, Step.MARK)
    if dies is not None:
        work_and_die(world.settings, request=dies)
        jobs.resume_interrupted(world.store)
    world.work()
    assert old.shared_with(berths) == [("director", "read"), ("ida", "read")]
    cutover.take_back(world.store, number, Step.MARK)
    world.work()
    assert old.shared_with(berths) == [("director", "write"), ("ida", "read")]


@pytest.mark.parametrize("answer", ["before it is done", "lost", "refused again"])
def test_people_can_write_again_however_soon_the_mark_is_taken_back(world: World, answer: str) -> None:
    old = world.server("lantern").records
    berths = old.collection(OFFICE, "berths")
    assert berths is not None
    old.share(berths, "director", "write")
    world.put("lantern", "berths", berth(1))
    source = world.remote(world.connect("lantern")).calendar_id
    number = plans.make(world.store, "Back", [CalendarId(source or 0)], AccountId(world.connect("halyard")))
    world.settings.patience = 0
    for _ in range(2):
        running.run(world.store, number)
        world.work()
    verifying.verify_lanes(world.store, number)
    world.work()
    cutover.take(world.store, number, Step.MARK)
    if answer == "lost":
        world.hosts.switches["lantern"].arm(Fault("cut", method="ACL"))
    if answer != "before it is done":
        world.work()
        assert old.shared_with(berths) == [("director", "read")]
    if answer == "refused again":
        world.hosts.switches["lantern"].arm(Fault("unavailable", method="ACL"))
    cutover.take_back(world.store, number, Step.MARK)
    world.work()
    if answer == "refused again":
        [failed] = [job for job in world.jobs("failed") if job.kind == "close"]
        assert "can only read what they could write" in failed.message
    else:
        assert old.shared_with(berths) == [("director", "write")]
