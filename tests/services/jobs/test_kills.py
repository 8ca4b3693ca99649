"""Every job can be begun again at every point: killed before each of its statements, it ends as if nothing had been."""

from __future__ import annotations

import io
from base64 import b64encode
from collections.abc import Callable
from itertools import count
from pathlib import Path

import pytest

from datebridge.core.changes import PERSON
from datebridge.core.choices import Form
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.sharing.terms import Detail, Terms
from datebridge.services.accounts import accounts
from datebridge.services.imports import uploads
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.services.sharing import handing, shares
from datebridge.services.sharing.shares import Wanted
from datebridge.services.transfer import transfers
from datebridge.store import comparisons, duplicates, scattered
from datebridge.store.accounts import remotes_of
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.apply import discard as discard_set
from datebridge.store.rulings import rule
from datebridge.store.shares import hosts
from datebridge.store.zone_rulings import ZONE, subject
from tests.conftest import Bench, calendar, event
from tests.depth import LONGER
from tests.killing import work_and_die
from tests.world import World, berth

pytestmark = pytest.mark.kills


SHEET = b64encode(b"uid,title,start\r\ne0,High tide,2024-01-24 08:00\r\n").decode()
#: Before which statements a job is killed: by hand before each, else before every nineteenth.
STEP = 1 if LONGER else 19


def at_every_statement(bench: Bench, queue: Callable[[int], None], check: Callable[[int], None]) -> int:
    """Queue a job, kill it before a statement, take it up again, check: from the first statement to the last.

    `queue` and `check` are told how many jobs there were before. Returns how many statements there are.
    """
    for turn, n in enumerate(count(step=STEP)):
        queue(turn)
        died = work_and_die(bench.settings, n)
        jobs.resume_interrupted(bench.store)
        worker.drain(bench.store, bench.settings)
        assert {job.state for job in bench.jobs()} == {"done"}, f"killed before statement {n}"
        check(turn)
        if not died:
            return n
    raise AssertionError


def test_reading_a_file(bench: Bench) -> None:
    text = calendar(
        event("a", "Tide"), event("odd", "Odd", "TZID=Nowhere:20261124T080000"), event("", "No UID"), "nonsense"
    ).encode()

    def check(n: int) -> None:
        assert len(bench.staged()) == 3 * (n + 1)
        assert len({(row.uid, row.summary) for row in bench.staged()}) == 3
        assert [file.state for file in bench.files()] == ["waiting"] * (n + 1)
        assert list((bench.settings.imports_dir).iterdir()) == []

    def queue(_: int) -> None:
        uploads.receive(bench.store, bench.settings, [("file.ics", io.BytesIO(text))])

    assert at_every_statement(bench, queue, check) > 20


def test_putting_away(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Old tide"), event("b", "Old ebb"), event("c", "New")))

    def queue(_: int) -> None:
        jobs.enqueue(bench.store, JobKind.ARCHIVE, "x", {"filter": "old", "name": "old"})

    def check(n: int) -> None:
        made = bench.proposal("archive")
        assert made.deletes == 2
        discard_set(bench.store, made.id)
        archives = sorted(path.name for path in bench.settings.archive_dir.iterdir())
        assert len(archives) == n + 1
        assert all(name.endswith(".ics") for name in archives)

    assert at_every_statement(bench, queue, check) > 10


def test_copying(bench: Bench) -> None:
    bench.bring(calendar(*(event(f"e{k}", "Tide") for k in range(3))))

    def queue(n: int) -> None:
        target = {"calendar_id": None, "account_id": None, "name": f"Copy {n}"}
        jobs.enqueue(bench.store, JobKind.TRANSFER, "x", {"filter": "calendar:Tides", "target": target})

    def check(n: int) -> None:
        apply_set(bench.store, bench.proposal("transfer").id)
        assert len(bench.titles(f'calendar:"Copy {n}"')) == 3

    assert at_every_statement(bench, queue, check) > 10


def test_looking_for_duplicates_and_removing_them(bench: Bench) -> None:
    same = ("20261124T080000Z", "LOCATION:Pier")
    bench.bring(calendar(event("a", "Crane check", *same), event("b", "FW: Crane check", *same, "X-MORE:1")))

    def queue(_: int) -> None:
        jobs.enqueue(bench.store, JobKind.MATCH, "x", {})
        params = {"kind": "", "least": 0.5, "policy": ["writable"], "order": []}
        jobs.enqueue(bench.store, JobKind.DUPLICATES, "x", params)

    def check(_: int) -> None:
        with bench.store.read() as connection:
            assert [more for *_, more in duplicates.counts(connection)] == [1]  # beside the first
        made = bench.proposal("duplicates")
        assert (made.updates, made.deletes) == (1, 1)
        discard_set(bench.store, made.id)

    assert at_every_statement(bench, queue, check) > 15


def test_putting_right(bench: Bench) -> None:
    bench.bring(
        calendar(
            *(event(f"e{k}", "Tide", "20261124T080000Z", "DTEND:20261124T090000Z", "DURATION:PT3H") for k in range(3))
        )
    )

    def queue(_: int) -> None:
        jobs.enqueue(bench.store, JobKind.FIX, "x", {"code": "duration-and-end"})

    def check(_: int) -> None:
        made = bench.proposal("fix")
        assert made.updates == 3
        discard_set(bench.store, made.id)

    assert at_every_statement(bench, queue, check) > 10


@pytest.mark.parametrize(
    ("kind", "params", "updates"),
    [
        ("bulk", {"filter": "", "excluded": [], "only": None, "steps": [{"do": "shift", "minutes": 30}]}, 3),
        ("sheet", {"name": "t.csv", "data": SHEET, "order": ""}, 1),
        ("put-away", {"before": "2026-01-01", "calendars": [], "shorten": True}, 1),
    ],
)
def test_changing_many(bench: Bench, kind: str, params: dict[str, object], updates: int) -> None:
    bench.bring(
        calendar(
            event("e0", "Tide", "20240124T080000Z"),
            event("e1", "Tide", "20261124T080000Z"),
            event("e2", "Rota", "20240124T080000Z", "RRULE:FREQ=WEEKLY"),
        )
    )

    def queue(_: int) -> None:
        jobs.enqueue(bench.store, JobKind(kind), "x", params)

    def check(n: int) -> None:
        made = bench.proposal()
        assert made.updates == updates
        discard_set(bench.store, made.id)
        if kind == "put-away":
            assert len(list(bench.settings.archive_dir.iterdir())) == n + 1

    assert at_every_statement(bench, queue, check) > 10


@pytest.mark.parametrize("kind", ["ruled", "scattered", "compare", "seasons"])
def test_looking_at_time(bench: Bench, kind: str) -> None:
    weekly = [event(f"w{k}", "Watch", f"TZID=Station:202611{2 + 7 * k:02d}T080000") for k in range(4)]
    bench.bring(calendar(*weekly, event("m", "Watch", "TZID=Station:20261130T080000"), event("o", "Tide")), "Plan")
    bench.bring(calendar(event("o", "Tide", "20261124T090000Z"), event("p", "Ebb")), "Copy")
    with bench.store.write() as connection:
        rule(connection, ZONE, subject("Station", None), "Australia/Hobart", PERSON)
    left, right = (calendar.id for calendar in bench.calendars())
    params = {"tzid": "Station", "left": left, "right": right, "low": 0, "high": 2_000_000_000}

    def queue(_: int) -> None:
        jobs.enqueue(bench.store, JobKind(kind), "x", params)

    def check(_: int) -> None:
        if kind == "ruled":
            assert {row.zone for row in bench.entries() if row.tzid == "Station"} == {"Australia/Hobart"}
        if kind == "scattered":
            with bench.store.read() as connection:
                assert scattered.counts(connection) == {"inferred": 1}
        if kind == "compare":
            with bench.store.read() as connection:
                (made,) = comparisons.comparisons(connection)
                assert comparisons.tallies(connection, made.id).verdicts == {"extra": 1, "missing": 5, "moved": 1}

    assert at_every_statement(bench, queue, check) > 5


@pytest.mark.parametrize("kind", ["combine", "adjust"])
def test_setting_time_right(bench: Bench, kind: str) -> None:
    weekly = [event(f"w{k}", "Watch", f"202611{2 + 7 * k:02d}T080000Z") for k in range(4)]
    bench.bring(calendar(*weekly, event("m", "Watch", "20261130T080000Z"), event("o", "Tide")), "Plan")
    bench.bring(calendar(event("o", "Tide", "20261124T090000Z")), "Copy")
    left, right = (calendar.id for calendar in bench.calendars())
    jobs.enqueue(bench.store, JobKind.SCATTERED, "x", {})
    jobs.enqueue(bench.store, JobKind.COMPARE, "x", {"left": left, "right": right, "low": 0, "high": 2_000_000_000})
    worker.drain(bench.store, bench.settings)
    params = {
        "ids": [],
        "kind": "inferred",
        "least": 0.0,
        "comparison": 1,
        "to": "right",
        "asked": ["", "", ""],
        "pairs": [],
    }

    def queue(_: int) -> None:
        jobs.enqueue(bench.store, JobKind(kind), "x", params)

    def check(_: int) -> None:
        made = bench.proposal()
        assert (made.creates, made.deletes) == ((1, 5) if kind == "combine" else (5, 0))
        discard_set(bench.store, made.id)

    assert at_every_statement(bench, queue, check) > 10


@pytest.mark.parametrize("name", ["tidewrack", "lantern"])
def test_refreshing_and_looking_through(world: World, name: str) -> None:
    world.put(name, "berths", berth(1), berth(2))
    account = world.connect(name)

    def queue(n: int) -> None:
        world.put(name, "berths", berth(1, name=f"moved {n}"), berth(100 + n))
        if name == "lantern":
            accounts.survey(world.store, account)
        accounts.refresh_account(world.store, account)

    def check(n: int) -> None:
        assert len(world.titles()) == len(world.there(name, "berths")) == 3 + n
        assert f"Launch 1 moved {n}" in world.titles()
        assert world.twice() == []

    assert at_every_statement(world, queue, check) > 30


def test_handing_out(world: World) -> None:
    world.bring(calendar(event("a", "Tide")), "Tides")
    own = world.calendars()[-1].id
    wanted = Wanted("Tides", "harbour office", calendars=(own,), terms=Terms(Detail.TITLES))
    share = shares.make(world.store, world.ledger, wanted)
    at = world.hosts.address("breakwater") + "/web/tides.ics"
    host = handing.add_host(world.store, world.settings, share, Form.FEED, at, "member", "low-tide-7", always=True)
    worker.drain(world.store, world.settings)

    def queue(n: int) -> None:
        world.bring(calendar(event(f"n{n}", f"Tide {n}")), into=own)
        handing.queue(world.store, host)

    def check(n: int) -> None:
        there = next(data for feed, data, _ in world.hosts.breakwater._feeds() if feed.path == "/web/tides.ics")
        assert f"SUMMARY:Tide {n}\r\n".encode() in there
        with world.store.session() as session:
            assert [at.trouble for at in hosts(session)] == [""]

    assert at_every_statement(world, queue, check) > 10


@pytest.mark.parametrize("name", ["tidewrack", "lantern"])
def test_carrying(world: World, name: str) -> None:
    world.put(name, "berths", berth(1), berth(2))
    account = world.connect(name)

    def queue(n: int) -> None:
        world.take("Berths", berth(1, name=f"moved {n}"), berth(100 + n), existing="replace")

    def check(n: int) -> None:
        world.refresh(account)
        there = "".join(world.there(name, "berths").values())
        assert there.count("BEGIN:VEVENT") == len(world.titles()) == 3 + n
        assert f"SUMMARY:Launch 1 moved {n}" in there
        assert world.pushed().keys() == {"pushed"}

    assert at_every_statement(world, queue, check) > 30


def test_moving_to_a_calendar_that_is_made_there(world: World, tmp_path: Path) -> None:
    account = world.connect("lantern")
    made = world.hosts.lantern.records

    def queue(n: int) -> None:
        world.bring(calendar(berth(n)), calendar=f"From {n}")
        target = transfers.Target(None, account, f"To {n}", move=True)
        set_id = transfers.propose_transfer(world.store, world.ledger, Selection(f'calendar:"From {n}"'), target)
        apply_set(world.store, set_id)

    def check(n: int) -> None:
        world.work()
        assert [len(world.titles(f'calendar:"{side} {n}"')) for side in ("From", "To")] == [0, 1]
        names = [c.name for c, _ in made.calendars_of("harbour-office")]
        assert names.count(f"To {n}") == 1
        assert len(world.there("lantern", f"to-{n}")) == 1
        assert [r.name for r in remotes_of(world.store, account)].count(f"To {n}") == 1

    assert at_every_statement(world, queue, check) > 40
