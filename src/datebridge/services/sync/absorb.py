"""Following what is elsewhere: objects as fetched, compared with what is here, become changes of a batch.

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
from datebridge.core.objects import CalendarObject, take_apart
from datebridge.core.problems import Problem
from datebridge.core.words.plural import counted
from datebridge.core.zones.meaning import Zones
from datebridge.store.accounts import switched_on
from datebridge.store.changesets.apply import apply_within
from datebridge.store.changesets.draft import Staging, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.present import present_by_uid
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.entries.zones import zones_of
from datebridge.store.pushes import busy_uids
from datebridge.store.remotes import Known, forget_objects, keep_objects, known_objects, known_objects_of
from datebridge.store.tables import Remote

Here = dict[str, list[Item[VersionId]]]


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

    `missed` counts objects that are there and were not handed out, by the status given for them.
    """

    changes: list[Change] = field(default_factory=list)
    kept: list[Known] = field(default_factory=list)
    gone: list[str] = field(default_factory=list)
    missed: Counter[int] = field(default_factory=Counter)
    counts: Counts = field(default_factory=Counts)
    zones: Zones = field(default_factory=Zones)


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
        self._leaving: dict[str, Known] = {}
        self._staging = Staging()
        with store.read() as connection:
            self.found.zones = zones_of(connection, self.calendar)
            self.busy = busy_uids(connection, self.remote)

    def take(self, resources: Iterable[Resource]) -> None:
        """Compare some objects; versions of what is new are stored, in no calendar yet."""
        resources = list(resources)
        objects = [(r, take_apart(r.data, self.found.zones.rulings)) for r in resources if r.data is not None]
        with self.store.write() as connection:
            self._staging.begin(connection, self.store.claim)
            known = known_objects(connection, self.remote, (r.href for r in resources))
            uids = {o.uid for _, o in objects} | {k.uid for k in known.values()}
            here = present_by_uid(connection, self.calendar, uids - {""})
            writer = VersionWriter(connection)
            for resource, found in objects:
                before = known.get(resource.href)
                if found.uid in self.busy or (before and before.uid in self.busy):
                    # Looked at again once one's own change has been decided on.
                    self.found.kept.append(
                        before._replace(etag="") if before else Known(resource.href, found.uid, "", ())
                    )
                    continue
                if before and before.uid != found.uid:  # another entry under the same name
                    self._leaving[f"{before.href}\n{before.uid}"] = before
                self._compare(writer, resource, found, here.get(found.uid, []))
            for resource in resources:
                if resource.gone and resource.href in known:
                    self._leaving[resource.href] = known[resource.href]
                elif resource.data is None and not resource.gone:
                    self.found.missed[resource.status] += 1
            writer.flush()

    def take_gone(self, hrefs: Iterable[str]) -> None:
        """Note objects that are not there any more."""
        with self.store.read() as connection:
            self._leaving.update(known_objects(connection, self.remote, hrefs))

    def take_away(self, uid: str) -> None:
        """What is here of a UID goes: it never was there."""
        with self.store.read() as connection:
            for item in present_by_uid(connection, self.calendar, [uid]).get(uid, []):
                self._change(Verdict.REMOVE, item.identity, item.key, None)

    def settle(self) -> None:
        """Decide, once all has been taken, which of the objects that are gone take their entries along.

        An entry that another object holds now was only renamed. And while something there has not been handed out,
        it may be just that: then nothing is removed.
        """
        replaced = {one.href for key, one in self._leaving.items() if key != one.href}
        if self.found.missed:  # what holds another entry now is looked at once more
            self.found.kept = [one for one in self.found.kept if one.href not in replaced]
            return
        uids, hrefs = {one.uid for one in self._leaving.values()}, {one.href for one in self._leaving.values()}
        with self.store.read() as connection:
            here = present_by_uid(connection, self.calendar, uids)
            held = {one.uid for one in known_objects_of(connection, self.remote, uids) if one.href not in hrefs}
        held.update(one.uid for one in self.found.kept)
        for key, one in self._leaving.items():
            if one.uid not in held:
                self._remove(one, here)
            elif key == one.href:
                self.found.gone.append(one.href)

    def _remove(self, known: Known, here: Here) -> None:
        if known.uid in self.busy:
            self.found.kept.append(known._replace(etag=""))
            return
        self.found.gone.append(known.href)
        for item in here.pop(known.uid, []):
            self._change(Verdict.REMOVE, item.identity, item.key, None)

    def _compare(
        self, writer: VersionWriter, resource: Resource, found: CalendarObject, here: list[Item[VersionId]]
    ) -> None:
        versions: list[VersionId] = []
        self._zones(writer, found.zones)
        coming = [
            Item(identity_of(f.component, f.uid, f.recurrence_id, f.digest), f.digest, at, f.sequence, f.modified)
            for at, (f, _) in enumerate(found.entries)
        ]
        for met in reconcile(coming, here, Policy.FOLLOW):
            before = met.present.key if met.present is not None else None
            if met.verdict is Verdict.SAME and before is not None:
                versions.append(before)
            elif met.item is None:
                if met.present is not None:
                    self._change(met.verdict, met.present.identity, before, None)
            else:
                facts, text = found.entries[met.item.key]
                version = writer.add(facts, text, 0, found.odd[met.item.key])
                versions.append(version)
                self._change(met.verdict, met.item.identity, before, version)
        self.found.kept.append(Known(resource.href, found.uid, resource.etag, tuple(versions)))

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
                    Problem("zone-conflict", f"“{facts.uid}” is defined in more than one way in this calendar.",
                            "The first definition stays in use.", uid=facts.uid)
                )  # fmt: skip

    def _change(self, verdict: Verdict, identity: Identity, before: VersionId | None, after: VersionId | None) -> None:
        self.found.counts.count(verdict)
        component, uid, recurrence_id = identity
        self.found.changes.append(
            Change(self.calendar, component, uid, recurrence_id if uid else "", before, after, self.reason)
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


def rewrote(host: str, calendar: str, number: int) -> str:
    """What a batch is called in which a server keeps something else than it was sent."""
    return f"{host} rewrote {counted(number, 'entry', 'entries')} of {calendar} as it took them"
