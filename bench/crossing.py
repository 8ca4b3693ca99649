"""A crossing of many lanes: rehearsed, run, run again for ten changes, verified."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from pathlib import Path

import httpx

from bench.connecting import OFFICE, PASSWORD
from bench.generate import write
from datebridge.core.ids import AccountId, CalendarId, JobId
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


@dataclass(frozen=True, slots=True)
class Figures:
    """Seconds, the requests of a second run with ten changes, and differences that nobody can explain."""

    rehearsal: float
    run: float
    again: float
    requests: int
    verified: float
    unexplained: int


def measure(folder: Path, many: int) -> Figures:
    """Everything in one run; the sources live here, the target answers at once."""
    hosts = Hosts(folder / "standins", _NO_PORTS)
    hosts.lantern.records.add_person(OFFICE, PASSWORD, OFFICE, f"{OFFICE}@skerrow.example")
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
        run = _took(store, settings, running.run(store, number))
        _change(store, sources)
        before = httpx.get(f"{at['lantern']}/-/requests").json()
        again = _took(store, settings, running.run(store, number))
        after = httpx.get(f"{at['lantern']}/-/requests").json()
        verified = _took(store, settings, verifying.verify_lanes(store, number))
        with store.session() as session:
            lanes = crossings.lanes_of(session, number)
        store.close()
    unexplained = sum(lane.verified["unexplained"] for lane in lanes)
    wrote = sum(after.get(method, 0) - before.get(method, 0) for method in ("PUT", "DELETE"))
    return Figures(rehearsal, run, again, wrote, verified, unexplained)


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


def _took(store: Store, settings: Settings, job: JobId) -> float:
    start = time.perf_counter()
    worker.drain(store, settings)
    took = time.perf_counter() - start
    row = jobs.get(store, job)
    assert row is not None
    assert row.state == "done", row.message
    return took
