"""Talking to servers, beside the same writings and nothing else: pulling, copying, refreshing."""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass
from pathlib import Path

import httpx

from bench import generate
from datebridge.connect.caldav import FETCH
from datebridge.core.language.filters import Selection
from datebridge.core.objects import assemble, take_apart
from datebridge.services.accounts import accounts
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.services.transfer import transfers
from datebridge.services.transfer.copying import Target
from datebridge.settings import Settings
from datebridge.standins.hosts import PORTS, Hosts, apart
from datebridge.store.accounts import remotes_of
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger

OFFICE, PASSWORD = "office", "bench"
MANY = 10_000
#: Requests that must be for a calendar: as it is now, and what is in it or has changed.
_STATE, _LISTING = 1, 1
_NO_PORTS = dict.fromkeys(PORTS, 0)


@dataclass(frozen=True, slots=True)
class Figures:
    """Seconds, and requests sent where they are counted.

    `care` is what carefulness costs where a server behaves: requests beyond those that must be, for a thousand entries
    of the calendar. Of the first fetch; of a refresh with ten changes that are told by listing, and by token.
    """

    bare: float
    pull: float
    pull_requests: int
    copy: float
    copy_requests: int
    unchanged_requests: int
    ten_of_many: float
    ten_of_few: float
    care: tuple[float, float, float]


def measure(folder: Path, many: int = MANY) -> Figures:
    """Everything in one run: the servers in a process of their own, the same entries throughout."""
    objects = objects_of(folder / "ten-thousand.ics", many)
    hosts = Hosts(folder / "standins", _NO_PORTS)
    for server in (hosts.tidewrack, hosts.lantern):
        for person in (OFFICE, "before", "after"):
            server.records.add_person(person, PASSWORD, person, f"{person}@skerrow.example")
    hosts.tidewrack.records.add_collection(OFFICE, "many", "Many")
    for person in ("before", "after"):
        hosts.lantern.records.add_collection(person, "many", "Many")
    hosts.lantern.records.add_collection(OFFICE, "few", "Few")
    for uid, texts in objects.items():
        hosts.tidewrack.put_parts(OFFICE, "many", uid, texts, {})
    hosts.close()
    with apart(folder / "standins") as at:
        settings = Settings(data_dir=folder / "connecting", allowed_origins=tuple(at.values()))
        store = Store(settings.database)
        pull, asked, fetching = _first(store, settings, at["tidewrack"])
        tidewrack, lantern = 1, _connect(store, settings, at["lantern"])
        target = Target(account_id=lantern, name="Copied")
        # Before and after, since a machine is not as quick all the time.
        before = bare_puts(at["lantern"], objects, "before")
        copy, copied = _timed(store, settings, at["lantern"], lambda: _copy(store, settings, target))
        bare = (before + bare_puts(at["lantern"], objects, "after")) / 2
        unchanged = _timed(store, settings, at["lantern"], lambda: _refresh(store, settings, lantern))[1]
        texts = list(objects.items())
        ten_of_many, by_token = _ten(store, settings, at["lantern"], lantern, "copied", texts[:10])
        few = [(f"few-{u}", t) for u, t in texts[:10]]
        ten_of_few, _ = _ten(store, settings, at["lantern"], lantern, "few", few)
        _, by_listing = _ten(store, settings, at["tidewrack"], tidewrack, "many", texts[:10])
        store.close()
    beyond = (
        fetching - _STATE - _LISTING - -(-len(objects) // FETCH),
        by_listing - _STATE - _LISTING - 1,
        by_token - 2 * _STATE - _LISTING - 1,  # of both calendars of the account
    )
    first, listed, told = (requests * 1000 / len(objects) for requests in beyond)
    care = first, listed, told
    return Figures(bare, pull, asked, copy, copied, unchanged // 2, ten_of_many, ten_of_few, care)


def objects_of(path: Path, many: int) -> dict[str, list[str]]:
    generate.write(path, many, seed=17)
    objects: dict[str, list[str]] = {}
    for facts, text in take_apart(path.read_bytes()).entries:
        objects.setdefault(facts.uid, []).append(text)
    return objects


def bare_puts(address: str, objects: dict[str, list[str]], person: str) -> float:
    """The same writings and nothing else, over as many connections as an account has."""
    bodies = iter([(uid, assemble(texts, [])) for uid, texts in objects.items()])
    connections = Settings.model_fields["connections"].default

    async def written() -> None:
        limits = httpx.Limits(max_connections=connections)
        async with httpx.AsyncClient(
            base_url=address, auth=(person, PASSWORD), trust_env=False, limits=limits
        ) as client:

            async def some() -> None:
                for uid, body in bodies:
                    url = f"/dav/calendars/{person}/many/{uid}.ics"
                    (await client.put(url, content=body, headers={"If-None-Match": "*"})).raise_for_status()

            await asyncio.gather(*(some() for _ in range(connections)))

    start = time.perf_counter()
    asyncio.run(written())
    return time.perf_counter() - start


def _requests(address: str) -> int:
    return sum(httpx.get(f"{address}/-/requests").json().values())


def _timed(store: Store, settings: Settings, address: str, work: object) -> tuple[float, int]:
    before, start = _requests(address), time.perf_counter()
    work()  # type: ignore[operator]
    took = time.perf_counter() - start
    assert not [job for job in jobs.recent(store) if job.state == "failed"]
    return took, _requests(address) - before


def _first(store: Store, settings: Settings, address: str) -> tuple[float, int, int]:
    """Connecting and fetching everything: seconds, all requests, and those of the fetching alone."""
    start = time.perf_counter()
    before = _requests(address)
    account, _ = accounts.add(store, settings, address, OFFICE, PASSWORD)
    worker.drain(store, settings)
    found = _requests(address)
    accounts.switch_on(store, [r.id for r in remotes_of(store, account) if r.id is not None])
    worker.drain(store, settings)
    took, ended = time.perf_counter() - start, _requests(address)
    return took, ended - before, ended - found


def _connect(store: Store, settings: Settings, address: str) -> int:
    account, _ = accounts.add(store, settings, address, OFFICE, PASSWORD)
    accounts.switch_on(store, [r.id for r in remotes_of(store, account) if r.id is not None])
    worker.drain(store, settings)
    return account


def _copy(store: Store, settings: Settings, target: Target) -> None:
    set_id = transfers.propose_transfer(store, Ledger(store), Selection("calendar:Many"), target)
    apply_set(store, set_id)
    worker.drain(store, settings)


def _refresh(store: Store, settings: Settings, account: int) -> None:
    accounts.refresh_account(store, account)
    worker.drain(store, settings)


def _ten(
    store: Store, settings: Settings, address: str, account: int, slug: str, chosen: list[tuple[str, list[str]]]
) -> tuple[float, int]:
    """How long a refresh takes after ten changes in one calendar, and with how many requests."""
    with httpx.Client(base_url=address, auth=(OFFICE, PASSWORD), trust_env=False) as client:
        for uid, texts in chosen:
            changed = [
                t.replace("\nSUMMARY:", "\nSUMMARY:Shifted ").replace(f"UID:{uid[4:]}\n", f"UID:{uid}\n")
                if slug == "few"
                else t.replace("\nSUMMARY:", "\nSUMMARY:Shifted ")
                for t in texts
            ]
            name = "".join(c if c.isalnum() else "-" for c in uid) if slug == "many" else uid
            client.put(f"/dav/calendars/{OFFICE}/{slug}/{name}.ics", content=assemble(changed, [])).raise_for_status()
    return _timed(store, settings, address, lambda: _refresh(store, settings, account))
