"""A crossing of many lanes: rehearsed, run, run again for ten changes, verified."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from pathlib import Path

import httpx

from bench.connecting import OFFICE, PASSWORD, bare_puts, objects_of
from bench.generate import write
from datebridge.core.ids import AccountId, CalendarId, JobId
from datebridge.core.job_kinds import JobKind
from datebridge.services.accounts import accounts
from datebridge.services.crossing import plans, running, verifying
from datebridge.services.editing import edits
from datebridge.services.fidelity import probes
from datebridge.services.imports import decide, uploads
from datebridge.services.imports.decide import Decision
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.settings import Settings
from datebridge.standins.hosts import PORTS, Hosts, apart
from datebridge.store import crossings, imports
from datebridge.store.calendars import all_facts
from datebridge.store.changesets.apply import apply
from datebridge.store.database import Store
from datebridge.store.entries.present import present

_NO_PORTS = dict.fromkeys(PORTS, 0)
LANES = 30
_CHANGES = 10
#: So many bare writings are timed, before the run and after it.
_BARE = 3_000


@dataclass(frozen=True, slots=True)
class Figures:
    """Seconds, the requests of a second run with ten changes, and differences that nobody can explain.

    `run` and `verified` without fetching both ends; `bare`: how long as many bare writings take as the run makes.
    """

    rehearsal: float
    run: float
    bare: float
    again: float
    requests: int
    verified: float
    unexplained: int


def measure(folder: Path, many: int) -> Figures:
    """Everything in one run; the sources live here, the target answers at once."""
    hosts = Hosts(folder / "standins", _NO_PORTS)
    for person in (OFFICE, "before", "after"):
        hosts.lantern.records.add_person(person, PASSWORD, person, f"{person}@skerrow.example")
    for person in ("before", "after"):
        hosts.lantern.records.add_collection(person, "many", "Many")
    hosts.close()
    with apart(folder / "standins") as at:
        settings = Settings(data_dir=folder / "crossing", allowed_origins=tuple(at.values()))
        store = Store(settings.database)
        account, _ = accounts.add(store, settings, at["lantern"], OFFICE, PASSWORD)
        worker.drain(store, settings)
        probes.measure(store, account)
        worker.drain(store, settings)
        sources = [_source(store, settings, folder, number, many // LANES) for number in range(LANES)]
        number = plans.make(store, "Over", sources, AccountId(account))
        rehearsal = _took(store, settings, running.rehearse(store, number))
        few = objects_of(folder / "bare.ics", min(many, _BARE))
        before = bare_puts(at["lantern"], few, "before")
        written = _requests(at["lantern"])
        run = _took(store, settings, running.run(store, number), JobKind.CROSS)
        written = _requests(at["lantern"]) - written
        bare = (before + bare_puts(at["lantern"], few, "after")) / 2 / len(few) * written
        _change(store, sources)
        asked = _requests(at["lantern"])
        again = _took(store, settings, running.run(store, number))
        asked = _requests(at["lantern"]) - asked
        verified = _took(store, settings, verifying.verify_lanes(store, number), JobKind.VERIFY)
        with store.session() as session:
            lanes = crossings.lanes_of(session, number)
        store.close()
    unexplained = sum(lane.verified["unexplained"] for lane in lanes)
    return Figures(rehearsal, run, bare, again, asked, verified, unexplained)


def _requests(address: str) -> int:
    """How many writings there were."""
    requests = httpx.get(f"{address}/-/requests").json()
    return sum(requests.get(method, 0) for method in ("PUT", "DELETE"))


def _source(store: Store, settings: Settings, folder: Path, number: int, many: int) -> CalendarId:
    """A calendar of its own, here."""
    path = folder / f"lane-{number}.ics"
    write(path, many, seed=40 + number)
    uploads.receive_paths(store, settings, [path])
    worker.drain(store, settings)
    with store.read() as connection:
        newest = max(imports.listed(connection), key=lambda one: one.id)
        (group,) = imports.groups_of(connection, newest.id)
    apply(store, decide.propose_import(store, [newest.id], [Decision(group.id, None, f"Lane {number}")]))
    path.unlink()
    with store.read() as connection:
        return next(one.id for one in all_facts(connection).values() if one.name == f"Lane {number}")


def _change(store: Store, sources: list[CalendarId]) -> None:
    """Somebody gives ten entries another title."""
    for source in sources[:_CHANGES]:
        with store.read() as connection:
            first = next(one.key for one in present(connection, source) if one.identity.component == "VEVENT")
            fields = edits.load(connection, edits.Target(first)).fields()
        edits.save(store, edits.Target(first), "all", replace(fields, title=f"{fields.title}, changed"))


def _took(store: Store, settings: Settings, job: JobId, kind: JobKind | None = None) -> float:
    """How long it takes; where a kind is named, without what has to be fetched before a job of that kind."""
    while kind is not None and jobs.run_next(store, settings, set(JobKind) - {kind}):
        pass
    start = time.perf_counter()
    worker.drain(store, settings)
    took = time.perf_counter() - start
    row = jobs.get(store, job)
    assert row is not None
    assert row.state == "done", row.message
    return took
