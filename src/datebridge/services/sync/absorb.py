"""Following what is elsewhere: objects as fetched, compared with the entries here, become changes of a batch.

Nothing is written to any calendar until all has been fetched; then changes, objects and the calendar's new
state are kept in one transaction, so that a killed refresh has simply not happened.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field

from datebridge.connect.caldav import Resource
from datebridge.core.changes import By, Change, Details, Identity, Item, Kind, Policy, Verdict, identity_of, reconcile
from datebridge.core.ids import CalendarId, RemoteId, SetId, VersionId
from datebridge.core.index.facts import Facts
from datebridge.core.keeping import fingerprint
from datebridge.core.language.plural import counted
from datebridge.core.objects import CalendarObject, take_apart
from datebridge.core.problems import Problem
from datebridge.core.zones.meaning import Zones
from datebridge.services.sync.holding import href_of
from datebridge.store.accounts import switched_on
from datebridge.store.changesets.apply import apply_within
from datebridge.store.changesets.draft import Staging, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.following import become
from datebridge.store.entries.present import present_by_id, present_by_uid
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.entries.zones import zones_of
from datebridge.store.pushes import busy_uids
from datebridge.store.remotes import KnownObject, forget_objects, keep_objects, known_objects, known_objects_of
from datebridge.store.tables import Remote


@dataclass(slots=True)
class Counts:
    added: int = 0
    changed: int = 0
    removed: int = 0

    @property
    def any(self) -> bool:
        return bool(self.added or self.changed or self.removed)

    def count(self, verdict: Verdict) -> None:
        self.added += verdict is Verdict.ADD
        self.changed += verdict is Verdict.CHANGE
        self.removed += verdict is Verdict.REMOVE

    def words(self) -> str:
        """``3 added, 1 changed``"""
        parts = ((self.added, "added"), (self.changed, "changed"), (self.removed, "removed"))
        return ", ".join(f"{n:,} {word}" for n, word in parts if n) or "nothing changed"


@dataclass(slots=True)
class Absorbed:
    """What a refresh comes to, gathered piece by piece.

    `missed` counts objects that are there and were not handed out, by the status given for them; `renamed` those whose
    entries another object holds now; `spared` those that are not there any more, and may be among the missed.
    """

    changes: list[Change] = field(default_factory=list)
    kept: list[KnownObject] = field(default_factory=list)
    gone: list[str] = field(default_factory=list)
    missed: Counter[int] = field(default_factory=Counter)
    renamed: int = 0
    spared: int = 0
    counts: Counts = field(default_factory=Counts)
    zones: Zones = field(default_factory=Zones)

    def under_other_uids(self) -> int:
        """How many entries came of what was written from here, and have another UID."""
        return sum(change.before is None and change.source is not None for change in self.changes)


@dataclass(frozen=True, slots=True)
class Incoming:
    """A batch that follows what is elsewhere: its kind, what it is called, and whose doing it is."""

    kind: Kind
    title: str
    reason: str
    by: By
    read_only: bool = False


class Absorber:
    """Compares fetched objects of one calendar with its entries in force."""

    def __init__(self, store: Store, remote: Remote, reason: str = "") -> None:
        self.remote: RemoteId
        self.calendar: CalendarId
        self.remote, self.calendar = switched_on(remote)
        self.store, self.reason = store, reason
        self.found = Absorbed()
        self._conflicts: set[str] = set()
        self._leaving: dict[str, KnownObject] = {}
        self._claimed: set[VersionId] = set()
        self._withheld: list[KnownObject] = []  # for the first time
        self._blind = False  # what was withheld before may hold anything
        self._staging = Staging()
        with store.read() as connection:
            self.found.zones = zones_of(connection, self.calendar)
            self.busy = busy_uids(connection, self.remote)
        #: What is found under these names may be one's own, written under a UID that the server has given it.
        self.busy_names = {href_of(remote.url, uid) for uid in self.busy if uid}

    def take(self, resources: Iterable[Resource]) -> None:
        """Compare some objects; versions of what is new are stored, in no calendar yet."""
        resources = list(resources)
        objects = [(r, take_apart(r.data, self.found.zones.rulings)) for r in resources if r.data is not None]
        with self.store.write() as connection:
            self._staging.begin(connection, self.store.claim)
            objects_known = known_objects(connection, self.remote, (r.href for r in resources))
            for resource in resources:
                if resource.gone and resource.href in objects_known:
                    self._leaving[resource.href] = objects_known[resource.href]
                elif resource.data is None and not resource.gone:
                    self.found.missed[resource.status] += 1
                    seen = objects_known.get(resource.href, KnownObject(resource.href, "", "?", ()))
                    if seen.etag:
                        self._withheld.append(seen._replace(etag=""))
                    self._blind = self._blind or not seen.versions
            for resource, theirs in objects:
                before = objects_known.get(resource.href)
                if before is not None and before.uid and before.uid not in _uids(theirs):
                    self._leaving[f"{before.href}\n"] = before  # another entry under the same name
            holdings = self._holdings(connection, {uid for _, o in objects for uid in _uids(o)}, objects_known.values())
            writer = VersionWriter(connection)
            for resource, theirs in objects:
                before = objects_known.get(resource.href)
                uids = _uids(theirs)
                own_name = resource.href in self.busy_names and (before is None or not before.versions)
                if uids & self.busy or own_name or (before is not None and holdings.uids(before) & self.busy):
                    # Looked at again once one's own change has been decided on.
                    self.found.kept.append(
                        before._replace(etag="") if before else KnownObject(resource.href, _uid(theirs), "", ())
                    )
                    continue
                if before is not None and holdings.uids(before) - uids:
                    self._leaving[f"{before.href}\n"] = before
                here = holdings.of(resource.href, before, uids)
                self._compare(writer, resource, theirs, here, holdings.sent(before, theirs))
            writer.flush()

    def _holdings(self, connection: Connection, uids: set[str], objects: Iterable[KnownObject]) -> _Holdings:
        objects = list(objects)
        others = known_objects_of(connection, self.remote, {*uids, *(known_object.uid for known_object in objects), ""})
        leaving = {known_object.href for known_object in self._leaving.values()}
        staying = [other for other in others if other.href not in leaving]
        by_uid = present_by_uid(
            connection, self.calendar, {*uids, *(known_object.uid for known_object in objects)} - {""}
        )
        without_uid = {version for other in [*objects, *others] if not other.uid for version in other.versions}
        items = {item.key: item for some in by_uid.values() for item in some}
        now = become(connection, without_uid) if without_uid else {}
        items |= {item.key: item for item in present_by_id(connection, now.values())} if now else {}
        owners = {now.get(v, v): known_object.href for known_object in staying for v in known_object.versions}
        return _Holdings(items, owners, self._claimed, now)

    def take_gone(self, hrefs: Iterable[str]) -> None:
        """Note objects that are not there any more."""
        with self.store.read() as connection:
            self._leaving.update(known_objects(connection, self.remote, hrefs))

    def take_away(self, uid: str) -> None:
        """What is here of a UID goes: it never was there."""
        with self.store.read() as connection:
            for item in present_by_uid(connection, self.calendar, [uid]).get(uid, []):
                self._change(Verdict.REMOVE, item.identity, item.key, None)

    def resolve_deletions(self) -> None:
        """Decide, once all has been taken, which of the objects that are gone take their entries along.

        An entry that another object holds now was only renamed. An object that is not handed out may hold it as well:
        for the first time nothing is removed. If it goes on, only what went then stays: the rest it stood beside.
        """
        if self.found.missed:
            replaced = {known_object.href for key, known_object in self._leaving.items() if key != known_object.href}
            self.found.kept = [known_object for known_object in self.found.kept if known_object.href not in replaced]
            spared = [
                known_object
                for key, known_object in self._leaving.items()
                if key == known_object.href and (self._withheld or (self._blind and not known_object.etag))
            ]
            staying = {known_object.href for known_object in spared} | replaced
            self._leaving = {
                key: known_object for key, known_object in self._leaving.items() if known_object.href not in staying
            }
            self.found.spared = len(spared)
            self.found.kept += [known_object._replace(etag="") for known_object in (*spared, *self._withheld)]
        with self.store.read() as connection:
            holdings = self._holdings(connection, set(), self._leaving.values())
        for key, known_object in self._leaving.items():
            uids = holdings.uids(known_object)
            if key == known_object.href and uids & self.busy:
                self.found.kept.append(known_object._replace(etag=""))
                continue
            if key == known_object.href:
                self.found.gone.append(known_object.href)
                self.found.renamed += any(version in self._claimed for version in known_object.versions)
            for item in holdings.of(known_object.href, known_object, uids):
                if item.identity.uid not in self.busy:
                    self._claimed.add(item.key)
                    self._change(Verdict.REMOVE, item.identity, item.key, None)

    def _compare(
        self,
        writer: VersionWriter,
        resource: Resource,
        fetched: CalendarObject,
        here: list[Item[VersionId]],
        sent: dict[tuple[str, str], VersionId],
    ) -> None:
        versions: list[VersionId] = []
        self._zones(writer, fetched.zones)
        coming = [
            Item(identity_of(f.component, f.uid, f.recurrence_id, f.digest), f.digest, at, f.sequence, f.modified)
            for at, (f, _) in enumerate(fetched.entries)
        ]
        self._claimed.update(item.key for item in here)
        for met in reconcile(coming, here, Policy.FOLLOW):
            before = met.present.key if met.present is not None else None
            if met.verdict is Verdict.SAME and before is not None:
                versions.append(before)
            elif met.item is None:
                if met.present is not None:
                    self._change(met.verdict, met.present.identity, before, None)
            else:
                facts, text = fetched.entries[met.item.key]
                version = writer.add(facts, text, 0, fetched.invalid[met.item.key])
                versions.append(version)
                component, _, occurrence = met.item.identity
                self._change(met.verdict, met.item.identity, before, version, sent.get((component, occurrence)))
        self.found.kept.append(KnownObject(resource.href, _uid(fetched), resource.etag, tuple(versions)))

    def _zones(self, writer: VersionWriter, zones: Iterable[tuple[Facts, str]]) -> None:
        for facts, text in zones:
            there = self.found.zones.text(facts.uid)
            if not there:
                self.found.zones.add(facts.uid, text)
                version = writer.add(facts, text)
                self.found.changes.append(Change(self.calendar, "VTIMEZONE", facts.uid, "", None, version))
            elif there != text and facts.uid not in self._conflicts:
                self._conflicts.add(facts.uid)
                writer.problem(
                    Problem(
                        "zone-conflict",
                        f"“{facts.uid}” is defined in more than one way in this calendar.",
                        "The first definition stays in use.",
                        uid=facts.uid,
                    )
                )

    def _change(
        self,
        verdict: Verdict,
        identity: Identity,
        before: VersionId | None,
        after: VersionId | None,
        sent: VersionId | None = None,
    ) -> None:
        self.found.counts.count(verdict)
        component, uid, recurrence_id = identity
        occurrence = recurrence_id if uid else ""
        self.found.changes.append(
            Change(self.calendar, component, uid, occurrence, before, after, self.reason, source=sent)
        )

    def conclude(self, connection: Connection, incoming: Incoming, header: Change | None = None) -> SetId | None:
        """Keep everything in the caller's transaction; returns the batch, or None where nothing changed.

        Raises:
            CannotApply: if entries were changed here meanwhile; begin again then.
        """
        busy = busy_uids(connection, self.remote) - self.busy
        changes = [c for c in self.found.changes if c.uid not in busy]
        set_id = None
        if header is not None or changes:
            details = Details(read_only=incoming.read_only)
            with propose(
                connection, incoming.kind, incoming.by, incoming.title, incoming.reason, details=details
            ) as draft:
                draft.add(*([header] if header else []), *changes)
            set_id = draft.id
        forget_objects(connection, self.remote, self.found.gone)
        keep_objects(
            connection, self.remote, (k if k.uid not in busy else k._replace(etag="") for k in self.found.kept)
        )
        self._staging.end(connection)
        if set_id is not None:
            apply_within(connection, set_id)
        return set_id

    def give_up(self) -> None:
        """Nothing comes of it: what was stored is cleared away."""
        self._staging.give_up(self.store)


class _Holdings:
    """Which entries in force are in which objects there.

    A UID alone does not tell: servers have several objects of one, although RFC 4791 §4.1 forbids that.
    """

    def __init__(
        self,
        items: dict[VersionId, Item[VersionId]],
        owners: dict[VersionId, str],
        claimed: set[VersionId],
        now: dict[VersionId, VersionId],
    ) -> None:
        self._items, self._owners, self._claimed, self._now = items, owners, claimed, now

    def of(self, href: str, before: KnownObject | None, uids: set[str]) -> list[Item[VersionId]]:
        """The entries of some UIDs that an object may stand for: its own, and those that are in no other."""
        own = {self._now.get(version, version) for version in before.versions} if before is not None else set()
        return [
            item
            for key, item in self._items.items()
            if key not in self._claimed
            and item.identity.uid in uids
            and (key in own or (item.identity.uid and self._owners.get(key, href) == href))
        ]

    def sent(self, before: KnownObject | None, fetched: CalendarObject) -> dict[tuple[str, str], VersionId]:
        """What was written into an object, by kind and occurrence, if nobody has changed it since it was read back.

        What differs is how the server keeps it then, maybe under a UID of its own.
        """
        if before is None or not before.kept or before.kept != fingerprint(text for _, text in fetched.entries):
            return {}
        known = ((version, self._items.get(self._now.get(version, version))) for version in before.versions)
        held = [(version, item.identity) for version, item in known if item is not None]
        return {(identity.component, identity.recurrence_id): version for version, identity in held}

    def uids(self, held_object: KnownObject) -> set[str]:
        """The UIDs of what is in an object."""
        held = (self._now.get(version, version) for version in held_object.versions)
        uids = {self._items[version].identity.uid for version in held if version in self._items}
        return uids | {held_object.uid} if held_object.uid else uids


def _uids(calendar_object: CalendarObject) -> set[str]:
    return {facts.uid for facts, _ in calendar_object.entries}


def _uid(calendar_object: CalendarObject) -> str:
    """By which UID an object is known; "" where it holds several or none (see `Pusher._units`)."""
    uids = _uids(calendar_object)
    return next(iter(uids)) if len(uids) == 1 else ""


def rewrote(host: str, calendar: str, number: int) -> str:
    """What a batch is called in which a server keeps something else than it was sent."""
    return f"{host} rewrote {counted(number, 'entry', 'entries')} of {calendar} as it took them"
