"""Following what is elsewhere: objects as fetched, compared with what is here, become changes of a batch.

Nothing is written to any calendar until all has been fetched; then changes, objects and the calendar's new
state are kept in one transaction, so that a killed refresh has simply not happened.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field

from sqlalchemy import Connection

from datebridge.connect.caldav import Resource
from datebridge.core.index.facts import Facts
from datebridge.core.index.objects import CalendarObject, take_apart
from datebridge.core.problems import Problem
from datebridge.core.zones.meaning import Zones
from datebridge.store.changesets.logbook import Proposal, StoredChange, add_changes, apply_within, close_set, open_set
from datebridge.store.database import Store
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.entries.zones import zones_of
from datebridge.store.remotes import (
    InForce,
    Known,
    busy_uids,
    forget_objects,
    in_force,
    keep_objects,
    known_objects,
    known_objects_of,
)
from datebridge.store.tables import Remote


@dataclass(slots=True)
class Counts:
    added: int = 0
    changed: int = 0
    removed: int = 0

    @property
    def any(self) -> bool:
        return bool(self.added or self.changed or self.removed)

    def words(self) -> str:
        """``3 added, 1 changed``"""
        parts = ((self.added, "added"), (self.changed, "changed"), (self.removed, "removed"))
        return ", ".join(f"{n:,} {word}" for n, word in parts if n) or "nothing changed"


@dataclass(slots=True)
class Absorbed:
    """What a refresh comes to, gathered piece by piece.

    `missed` counts objects that are there and were not handed out, by the status given for them.
    """

    changes: list[StoredChange] = field(default_factory=list)
    kept: list[Known] = field(default_factory=list)
    gone: list[str] = field(default_factory=list)
    missed: Counter[int] = field(default_factory=Counter)
    counts: Counts = field(default_factory=Counts)
    zones: Zones = field(default_factory=Zones)


class Absorber:
    """Compares fetched objects of one calendar with its entries in force."""

    def __init__(self, store: Store, remote: Remote, reason: str = "") -> None:
        assert remote.id is not None  # noqa: S101
        assert remote.calendar_id is not None  # noqa: S101
        self.store, self.reason = store, reason
        self.remote: int = remote.id
        self.calendar: int = remote.calendar_id
        self.found = Absorbed()
        self._conflicts: set[str] = set()
        self._leaving: dict[str, Known] = {}
        with store.read() as connection:
            self.found.zones = zones_of(connection, self.calendar)
            self.busy = busy_uids(connection, self.remote)

    def take(self, resources: Iterable[Resource]) -> None:
        """Compare some objects; versions of what is new are stored, in no calendar yet."""
        resources = list(resources)
        objects = [(r, take_apart(r.data)) for r in resources if r.data is not None]
        with self.store.write() as connection:
            known = known_objects(connection, self.remote, (r.href for r in resources))
            uids = {o.uid for _, o in objects} | {k.uid for k in known.values()}
            here = in_force(connection, self.calendar, uids - {""})
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

    def settle(self) -> None:
        """Decide, once all has been taken, which of the objects that are gone take their entries along.

        An entry that another object holds now was only renamed. And while something there has not been handed out,
        it may be just that: then nothing is removed.
        """
        replaced = {one.href for key, one in self._leaving.items() if key != one.href}
        if self.found.missed:  # what holds another entry now is looked at once more
            self.found.kept = [one for one in self.found.kept if one.href not in replaced]
            return
        uids, hrefs = ({getattr(one, name) for one in self._leaving.values()} for name in ("uid", "href"))
        with self.store.read() as connection:
            here = in_force(connection, self.calendar, uids)
            held = {one.uid for one in known_objects_of(connection, self.remote, uids) if one.href not in hrefs}
        held.update(one.uid for one in self.found.kept)
        for key, one in self._leaving.items():
            if one.uid not in held:
                self._remove(one, here)
            elif key == one.href:
                self.found.gone.append(one.href)

    def _remove(self, known: Known, here: dict[str, list[InForce]]) -> None:
        if known.uid in self.busy:
            self.found.kept.append(known._replace(etag=""))
            return
        self.found.gone.append(known.href)
        for entry in here.pop(known.uid, []):
            self._change(entry.uid, entry.recurrence_id, entry.id, None)

    def _compare(
        self, writer: VersionWriter, resource: Resource, found: CalendarObject, here: list[InForce]
    ) -> None:  # fmt: skip
        left = list(here)
        versions = []
        self._zones(writer, found.zones)
        for (facts, text), odd in zip(found.entries, found.odd, strict=True):
            same = next(
                (e for e in left if (e.component, e.recurrence_id) == (facts.component, facts.recurrence_id)), None
            )
            if same is not None:
                left.remove(same)
                if same.digest == facts.digest:
                    versions.append(same.id)
                    continue
            version = writer.add(facts, text, 0, odd)
            versions.append(version)
            self._change(facts.uid, facts.recurrence_id, same.id if same else None, version)
        for entry in left:
            self._change(entry.uid, entry.recurrence_id, entry.id, None)
        self.found.kept.append(Known(resource.href, found.uid, resource.etag, tuple(versions)))

    def _zones(self, writer: VersionWriter, zones: Iterable[tuple[Facts, str]]) -> None:
        for facts, text in zones:
            there = self.found.zones.text(facts.uid)
            if not there:
                self.found.zones.add(facts.uid, text)
                version = writer.add(facts, text)
                self.found.changes.append(StoredChange(self.calendar, facts.uid, "", None, version))
            elif there != text and facts.uid not in self._conflicts:
                self._conflicts.add(facts.uid)
                writer.problem(
                    Problem("zone-conflict", f"“{facts.uid}” is defined in more than one way in this calendar.",
                            "The first definition stays in use.", uid=facts.uid)
                )  # fmt: skip

    def _change(self, uid: str, recurrence_id: str, before: int | None, after: int | None) -> None:
        counts = self.found.counts
        if before is None:
            counts.added += 1
        elif after is None:
            counts.removed += 1
        else:
            counts.changed += 1
        self.found.changes.append(StoredChange(self.calendar, uid, recurrence_id, before, after, self.reason))

    def conclude(self, connection: Connection, proposal: Proposal, header: StoredChange | None = None) -> int | None:
        """Keep everything in the caller's transaction; returns the batch, or None where nothing changed.

        Raises:
            CannotApply: if entries were changed here meanwhile; begin again then.
        """
        busy = busy_uids(connection, self.remote) - self.busy
        changes = [c for c in self.found.changes if c.uid not in busy]
        set_id = None
        if header is not None or changes:
            set_id = open_set(connection, proposal)
            add_changes(connection, set_id, [*([header] if header else []), *changes])
            close_set(connection, set_id)
            apply_within(connection, set_id)
        forget_objects(connection, self.remote, self.found.gone)
        keep_objects(
            connection, self.remote, (k if k.uid not in busy else k._replace(etag="") for k in self.found.kept)
        )
        return set_id
