"""Both sides in step with a server of a third kind: edits of every kind on both sides, and every wrong answer."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.connect.errors import Unreachable
from datebridge.connect.feed import interval
from datebridge.core.keeping import contents, entries_in
from datebridge.core.language.filters import Selection
from datebridge.core.text.component import Component, ComponentEditor
from datebridge.core.text.headers import Description
from datebridge.services.accounts import accounts
from datebridge.services.editing import calendars
from datebridge.services.mend import deletion
from datebridge.services.running import worker
from datebridge.services.sync import conflicts
from datebridge.services.sync.push import push_pending
from datebridge.services.transfer import transfers
from datebridge.services.transfer.copying import Target
from datebridge.settings import Settings
from datebridge.store.accounts import remotes_of
from datebridge.store.changesets.apply import apply
from datebridge.store.changesets.draft import CannotApply
from tests.asking import versions_ever
from tests.conftest import Bench, calendar, event
from tests.depth import tries
from tests.third import FAULTS, WRONG, Nonces, Third, third_server

pytestmark = pytest.mark.both_sides

ALARM = "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:{}\nTRIGGER:-PT15M\nEND:VALARM"
#: What of an entry somebody changes or takes away: lines that begin so go, and others come.
ASPECTS = {
    "title": ("SUMMARY", "SUMMARY:Watch {}"),
    "place": ("LOCATION", "LOCATION:Quay {}"),
    "rule": ("RRULE EXDATE", "RRULE:FREQ=WEEKLY;COUNT=9\nEXDATE:20261208T080000Z\nX-RULED:{}"),
    "people": ("ATTENDEE", "ATTENDEE;SCHEDULE-AGENT=NONE:mailto:ida{}@skerrow.example"),
    "category": ("CATEGORIES", "CATEGORIES:Tides,{}"),
    "length": ("DTEND DURATION", "DURATION:PT{}M"),
    "own": ("X-MARK", "X-MARK:{}"),
}


def entry(number: int) -> str:
    return event(
        f"berth-{number}",
        f"Watch {number}",
        "20261201T080000Z",
        "DTEND:20261201T090000Z",
        "RRULE:FREQ=WEEKLY;COUNT=5",
        "EXDATE:20261215T080000Z",
        "LOCATION:Quay",
        "CATEGORIES:Tides",
        "X-MARK:0",
        "ATTENDEE;SCHEDULE-AGENT=NONE:mailto:ruth@skerrow.example",
        ALARM.format(number),
    )


def changed(text: str, aspect: str, said: str) -> str:
    """An entry with one thing of it changed; taken away where nothing is `said`."""
    if aspect == "alarm":
        head = text.partition("\nBEGIN:VALARM")[0].removesuffix("\nEND:VEVENT")
        return "\n".join([head, *([ALARM.format(said)] if said else []), "END:VEVENT"])
    names, line = ASPECTS[aspect]
    head, mark, rest = without(text, names.split()).partition("\nBEGIN:VALARM")
    head = head if mark else head.removesuffix("\nEND:VEVENT")
    return "\n".join([head, *([line.format(said)] if said else [])]) + (mark + rest if mark else "\nEND:VEVENT")


class Beside(Bench):
    """A store beside the third server."""

    def __init__(self, folder: Path, third: Third) -> None:
        super().__init__(folder)
        self.third = third
        self.settings = Settings(data_dir=folder, allowed_origins=(third.address,), patience=0)
        self.seen: Counter[bytes] = Counter()
        self.said = 0

    def work(self) -> None:
        worker.drain(self.store, self.settings)

    def connect(self) -> int:
        account, _ = accounts.add(self.store, self.settings, self.third.address, "office", "tern-4", "Third")
        self.work()
        accounts.switch_on(self.store, [r.id for r in remotes_of(self.store, account) if r.id is not None])
        self.work()
        return account

    def refresh(self, account: int) -> None:
        accounts.refresh_account(self.store, account)
        self.work()

    def push(self) -> None:
        push_pending(self.store)
        self.work()

    def here(self) -> Counter[bytes]:
        return contents(self.texts())

    def there(self) -> Counter[bytes]:
        return contents(text for kept in self.third.objects.values() for text in entries_in(kept.data))


@contextmanager
def beside(*entries: str, drops: tuple[str, ...] = ()) -> Iterator[tuple[Beside, Third, int]]:
    with TemporaryDirectory() as folder, third_server() as third:
        third.drops = drops
        for one in entries:
            third.put(f"{Component(one).first('UID').value}.ics", calendar(one).encode())  # type: ignore[union-attr]
        bench = Beside(Path(folder) / "data", third)
        try:
            yield bench, third, bench.connect()
        finally:
            bench.store.close()


class Life:
    def __init__(self, bench: Beside, third: Third, account: int) -> None:
        self.bench, self.third, self.account = bench, third, account
        self.shown: Counter[bytes] = Counter()

    def happen(self, what: str, number: int, aspect: str, said: str) -> None:
        if what in FAULTS:
            self.third.faults[what] = 1 + number % 2
        else:
            getattr(self, what)(number, aspect, said)

    def edit_here(self, number: int, aspect: str, said: str) -> None:
        texts = [text for text in self.bench.texts() if f"UID:berth-{number}\n" in text]
        text = changed(texts[0], aspect, said) if texts else entry(number)
        try:
            self.bench.bring(calendar(text), into=self.bench.calendar("Berths").id, existing="replace")
        except CannotApply:  # it says that already
            return

    def edit_there(self, number: int, aspect: str, said: str) -> None:
        """Somebody else opens an entry there, changes one thing, and saves."""
        name = next(
            (
                n
                for n, kept in self.third.objects.items()
                if f"UID:berth-{number}\r\n".encode() in kept.data or f"UID:berth-{number}\n".encode() in kept.data
            ),
            None,
        )
        text = entries_in(self.third.objects[name].data)[0] if name else entry(number)
        data = calendar(changed(text, aspect, said)).encode()
        self.third.put((name or f"berth-{number}.ics".encode()).decode("latin-1"), data)

    def delete_here(self, number: int, *_: str) -> None:
        try:
            apply(
                self.bench.store,
                deletion.propose_deletion(self.bench.store, self.bench.ledger, Selection(f"uid:berth-{number}")),
            )
        except CannotApply:
            return

    def delete_there(self, number: int, *_: str) -> None:
        self.third.remove(f"berth-{number}.ics")

    def ill(self, number: int, *_: str) -> None:
        """From now on the server fails over one entry; over none, once in a while."""
        self.third.ill = f"berth-{number}.ics".encode() if number % 2 else b""

    def refresh(self, *_: object) -> None:
        self.bench.refresh(self.account)

    def push(self, *_: object) -> None:
        self.bench.push()

    def mine(self, *_: object) -> None:
        self.decide("mine", 1)

    def theirs(self, *_: object) -> None:
        self.decide("theirs", 1)

    def decide(self, how: str, most: int) -> None:
        for one in self.bench.unsettled()[:most]:
            try:
                shown = conflicts.demand_unsettled(self.bench.store, one.id).theirs
                self.shown += contents(entries_in(shown.encode())) if shown else Counter()
                if how == "theirs":
                    conflicts.take_theirs(self.bench.store, self.bench.settings, one.id)
                else:
                    conflicts.take_mine(self.bench.store, one.id)
            except (CannotApply, Unreachable):  # decided together with another one; or it is withheld just now
                continue

    def resolve_deletions(self) -> None:
        self.third.faults.clear()
        self.third.ill = b""
        for how in ("mine", "theirs", "theirs", "theirs"):
            self.push()
            self.refresh()
            self.decide(how, 99)
            if not {"waiting", "sending", "refused", "conflict"} & self.bench.pushed().keys():
                break
        self.push()
        self.refresh()


def without(text: str, names: Sequence[str]) -> str:
    lines = ComponentEditor(text)
    for name in names:
        lines.drop(name)
    return lines.text


NUMBERS, SAID = st.integers(1, 4), st.one_of(st.just(""), st.sampled_from(["7", "8", "9"]))
ASPECT = st.sampled_from([*ASPECTS, "alarm"])
HAPPENINGS = st.one_of(
    st.tuples(st.sampled_from(["edit_here", "edit_there"]), NUMBERS, ASPECT, SAID),
    st.tuples(st.sampled_from(["edit_here", "edit_there"]), NUMBERS, ASPECT, SAID),
    st.tuples(st.sampled_from(["delete_here", "delete_there"]), NUMBERS, st.just(""), st.just("")),
    st.tuples(st.sampled_from([*FAULTS, "ill"]), NUMBERS, st.just(""), st.just("")),
    st.tuples(st.sampled_from(["refresh", "push", "push", "mine", "theirs"]), NUMBERS, st.just(""), st.just("")),
)


@pytest.mark.parametrize("drops", [(), ("X-MARK",), ("CATEGORIES", "X-RULED")])
@tries(9, 700)
@given(st.lists(HAPPENINGS, min_size=4, max_size=18))
def test_no_edit_of_a_person_is_lost_whatever_a_third_server_answers(
    drops: tuple[str, ...], happenings: list[tuple[str, int, str, str]]
) -> None:
    with beside(*map(entry, (1, 2, 3)), drops=drops) as (bench, third, account):
        life = Life(bench, third, account)
        for happening in happenings:
            life.happen(*happening)
        life.resolve_deletions()
        assert bench.here() == bench.there()
        assert not {"waiting", "sending", "refused", "conflict"} & bench.pushed().keys()
        ever = versions_ever(bench.store)
        # What the server made of a version that was sent is known too, also where it could not be read back.
        known = contents([*ever, *(without(text, drops) for text in ever)])
        for data in third.overwritten:
            for digest in contents(entries_in(data)):
                assert digest in known or digest in life.shown, data.decode()


# ---- one point each -----------------------------------------------------------------------------------


@pytest.mark.parametrize("aspect", [*ASPECTS, "alarm"])
def test_what_somebody_took_out_there_is_not_written_over(aspect: str) -> None:
    with beside(entry(1), entry(2)) as (bench, third, account):
        life = Life(bench, third, account)
        before = dict(third.objects)
        for number in (1, 2):
            life.edit_there(number, aspect, "")
        life.edit_here(1, "length" if aspect == "title" else "title", "17")
        life.delete_here(2)
        bench.push()
        assert bench.pushed() == {"conflict": 2}
        assert third.overwritten == []
        assert third.objects.keys() == before.keys()


def test_an_edit_that_never_arrived_is_sent_although_somebody_saved_anew() -> None:
    with beside(entry(1)) as (bench, third, account):
        third.faults = {"cut before": 1}
        Life(bench, third, account).edit_here(1, "place", "7")
        bench.push()
        assert bench.pushed() == {"sending": 1}
        (kept,) = third.objects.values()
        third.put("berth-1.ics", kept.data.replace(b"UID:", b"DTSTAMP:20261130T000000Z\r\nUID:"))
        bench.push()
        assert bench.pushed() == {"pushed": 1}
        assert b"LOCATION:Quay 7" in next(iter(third.objects.values())).data


@pytest.mark.parametrize("drops", [(), ("X-MARK",)])
def test_an_edit_whose_answer_was_lost_is_no_conflict(drops: tuple[str, ...]) -> None:
    with beside(entry(1), entry(2), drops=drops) as (bench, third, account):
        life = Life(bench, third, account)
        third.faults = {"cut after": 2}
        life.edit_here(1, "place", "7")
        life.delete_here(2)
        bench.push()
        for _ in range(2):
            bench.push()
        assert bench.pushed() == {"pushed": 2}
        assert bench.here() == bench.there()


@pytest.mark.parametrize("fault", WRONG)
def test_an_answer_that_is_no_entry_removes_nothing_and_hides_nothing(fault: str) -> None:
    with beside(entry(1), entry(2)) as (bench, third, account):
        Life(bench, third, account).edit_there(1, "place", "7")
        third.put("new%E4.ics", calendar(entry(3)).encode())
        third.faults = {fault: 9}
        for _ in range(3):
            bench.refresh(account)
            assert sum(bench.here().values()) >= 2
        third.faults = {}
        for _ in range(2):
            bench.refresh(account)
        assert bench.here() == bench.there()
        assert sum(bench.here().values()) == 3


@pytest.mark.parametrize("fault", WRONG)
def test_a_first_fetch_that_was_answered_wrongly_is_made_up_for(fault: str) -> None:
    with third_server() as third, TemporaryDirectory() as folder:
        third.put("berth-1.ics", calendar(entry(1)).encode())
        bench = Beside(Path(folder) / "data", third)
        account, _ = accounts.add(bench.store, bench.settings, third.address, "office", "tern-4", "Third")
        bench.work()
        third.faults = {fault: 9}
        accounts.switch_on(bench.store, [r.id for r in remotes_of(bench.store, account) if r.id is not None])
        bench.work()
        assert [bool(one.trouble) for one in bench.remotes()] == [not bench.texts()]
        third.faults = {}
        bench.refresh(account)
        assert bench.here() == bench.there() != Counter()
        bench.store.close()


def test_one_entry_that_fails_stops_no_other_and_no_deletion() -> None:
    with beside(*map(entry, range(1, 9))) as (bench, third, account):
        life = Life(bench, third, account)
        third.ill = b"berth-3"
        for number in range(1, 9):
            life.edit_here(number, "place", "7")
        bench.push()
        assert bench.pushed() == {"pushed": 7, "refused": 1}
        assert "has an internal error (500)" in bench.unsettled()[0].message
        third.put("berth-9.ics", calendar(entry(9)).encode())
        life.edit_there(3, "title", "9")
        bench.refresh(account)
        third.remove("berth-5.ics")
        for _ in range(2):
            bench.refresh(account)
        uids = {Component(text).first("UID").value for text in bench.texts()}  # type: ignore[union-attr]
        assert uids == {f"berth-{n}" for n in (1, 2, 3, 4, 6, 7, 8, 9)}


@pytest.mark.parametrize("fault", ["keeps nothing", "keeps something else"])
def test_a_move_deletes_nothing_that_the_target_does_not_keep(fault: str) -> None:
    with beside() as (bench, third, _):
        bench.bring(calendar(entry(1), entry(2)), calendar="Old")
        third.faults = {fault: 1}
        target = Target(calendar_id=bench.calendar("Berths").id, move=True)
        apply(bench.store, transfers.propose_transfer(bench.store, bench.ledger, Selection("calendar:Old"), target))
        for _ in range(3):
            bench.push()
        assert len(bench.entries("calendar:Old")) == 1
        assert "stay at the source" in bench.sets("transfer")[0].note


def test_a_name_that_is_not_taken_is_not_called_pushed() -> None:
    with beside(entry(1)) as (bench, _, account):
        wanted = Description("Quays", "", "", "")
        apply(bench.store, calendars.propose_description(bench.store, bench.calendar("Berths").id, wanted))
        bench.push()
        assert bench.pushed() == {"refused": 1}
        assert bench.unsettled()[0].message == "Third does not take the name: no reason given (403)."
        bench.refresh(account)
        assert bench.calendar("Quays").entries == 1


def test_however_seldom_a_publisher_wants_to_be_asked_it_is_once_a_week() -> None:
    assert interval("BEGIN:VCALENDAR\nREFRESH-INTERVAL;VALUE=DURATION:P3650D\nEND:VCALENDAR") == 7 * 86_400
    assert interval("BEGIN:VCALENDAR\nX-PUBLISHED-TTL:PT1H\nEND:VCALENDAR") == 3600


def test_where_a_nonce_is_good_for_one_request_all_of_many_arrive() -> None:
    many = 40
    with beside() as (bench, third, _):
        third.nonces = Nonces()
        text = calendar(*(entry(number) for number in range(many)))
        bench.bring(text, into=bench.calendar("Berths").id)
        bench.push()
        assert bench.pushed() == {"pushed": many}
        assert third.nonces.stale > 0
        assert bench.here() == bench.there()
        assert bench.remotes()[0].trouble == ""
