"""A world of stand-ins beside a store: servers with people and calendars, a feed host, a mail drop."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from datebridge.core.language.filters import Selection
from datebridge.services.accounts import accounts
from datebridge.services.jobs import jobs
from datebridge.services.mend import deletion
from datebridge.services.running import worker
from datebridge.services.sync.push import push_pending
from datebridge.settings import Settings
from datebridge.standins.calendars import CalendarServer
from datebridge.standins.hosts import PORTS, Hosts, running
from datebridge.standins.traits import LANTERN, Traits
from datebridge.store.accounts import accounts as stored_accounts
from datebridge.store.accounts import remotes_of
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.tables import Job, Remote
from tests.conftest import Bench, calendar, event

OFFICE, PASSWORD = "harbour-office", "tern-4"
ADDRESS = "harbour-office@skerrow.example"
#: A meeting of the account's owner with somebody who would be told.
MEETING = (f"ORGANIZER:mailto:{ADDRESS}", "ATTENDEE:mailto:ida.moe@skerrow.example")


class World(Bench):
    """The application's store with the stand-ins it may reach."""

    def __init__(self, folder: Path, hosts: Hosts) -> None:
        super().__init__(folder)
        self.hosts = hosts
        self.settings = Settings(
            data_dir=folder,
            allowed_origins=(*hosts.addresses.values(), *map(self.other, hosts.addresses)),
            patience=5,
            catalogue=hosts.address("breakwater") + "/catalogue.json",
        )

    def other(self, name: str) -> str:
        """The same host under another name."""
        return self.hosts.address(name).replace("127.0.0.1", "localhost")

    def server(self, name: str) -> CalendarServer:
        servers = {"tidewrack": self.hosts.tidewrack, "lantern": self.hosts.lantern, "halyard": self.hosts.halyard}
        return servers[name]

    def put(self, name: str, slug: str, *entries: str) -> None:
        """Put each entry on a server as an object of its own, without its noticing who."""
        for entry in entries:
            uid = entry.partition("UID:")[2].partition("\n")[0]
            self.server(name).put(OFFICE, slug, f"{uid}.ics", calendar(entry).encode())

    def take_away(self, name: str, slug: str, uid: str) -> None:
        """Delete an object on a server, without its noticing who."""
        records = self.server(name).records
        collection = records.collection(OFFICE, slug)
        assert collection is not None
        records.delete(collection, f"{uid}.ics")

    def there(self, name: str, slug: str) -> dict[str, str]:
        """What a server keeps in a calendar: text by object name."""
        collection = self.server(name).records.collection(OFFICE, slug)
        assert collection is not None
        return {o.name: o.data.decode() for o in self.server(name).records.objects(collection)}

    def connect(self, name: str, on: bool = True, agreed: Sequence[str] = ()) -> int:
        account, _ = accounts.add(
            self.store, self.settings, self.hosts.address(name), OFFICE, PASSWORD, name.title(), agreed=agreed
        )
        self.work()
        if on:
            accounts.switch_on(self.store, [r.id for r in remotes_of(self.store, account) if r.id is not None])
            self.work()
        return account

    def subscribe(self, path: str) -> int:
        account, _ = accounts.add(
            self.store, self.settings, self.hosts.address("breakwater") + path, publisher="Breakwater"
        )
        self.work()
        return account

    def work(self) -> Job:
        """Do all jobs; returns the last."""
        worker.drain(self.store, self.settings)
        return jobs.recent(self.store)[0]

    def refresh(self, account: int) -> Job:
        accounts.refresh_account(self.store, account)
        return self.work()

    def account_of(self, name: str) -> int:
        """The account that was connected at a server."""
        return next(one.id for one in stored_accounts(self.store) if one.name == name.title() and one.id is not None)

    def remote(self, account: int) -> Remote:
        return remotes_of(self.store, account)[0]

    def delete(self, filter: str) -> int:
        """Delete what matches, here; pushed with the next `work`."""
        set_id = deletion.propose_deletion(self.store, self.ledger, Selection(filter))
        apply_set(self.store, set_id)
        return set_id

    def take(self, calendar_name: str, *entries: str, existing: str = "newer") -> int:
        """Take entries into a calendar there is, as from a file."""
        set_id = self.bring(calendar(*entries), into=self.calendar(calendar_name).id, existing=existing)
        push_pending(self.store)
        return set_id

    def mail(self) -> list[tuple[object, object]]:
        return [(m["method"], m["recipient"]) for m in self.hosts.mail.messages()]


@contextmanager
def new_world(folder: Path, lantern: Traits = LANTERN) -> Iterator[World]:
    """Stand-ins on free ports, each server with the harbour office and its berths."""
    with running(folder / "standins", dict.fromkeys(PORTS, 0), lantern=lantern) as hosts:
        for server in (hosts.tidewrack, hosts.lantern, hosts.halyard):
            server.records.add_person(OFFICE, PASSWORD, "Harbour Office", ADDRESS)
            server.records.add_person("director", PASSWORD, "Ruth Kittow", "ruth.kittow@skerrow.example")
            server.records.add_collection(OFFICE, "berths", "Berths", "#1f5f8b")
        world = World(folder / "data", hosts)
        yield world
        world.store.close()


def berth(number: int, *extra: str, name: str = "alongside") -> str:
    return event(f"berth-{number}@skerrow.example", f"Launch {number} {name}", "20261201T080000Z", *extra)
