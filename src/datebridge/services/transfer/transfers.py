"""Copying and moving: any selection to any calendar, whole series together, silently."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection

from datebridge.core.choices import Existing
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts
from datebridge.core.invitations import silenced
from datebridge.core.text.component import Component
from datebridge.core.text.writer import tzids_in
from datebridge.core.zones.meaning import Zones
from datebridge.services.editing.calendars import fresh_calendar
from datebridge.services.jobs.jobs import JobContext
from datebridge.store.changesets.logbook import CannotApply, Proposal, StoredChange, add_changes, close_set, open_set
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger, Selection
from datebridge.store.entries.versions import VersionWriter, add_text, bound, chunks
from datebridge.store.entries.zones import zones_of

_TEXTS = 1_000


@dataclass(frozen=True, slots=True)
class Target:
    """Where copies go: a calendar there is, or a new one called `name`, on an account or (None) here.

    Attributes:
        existing: what happens to an entry whose UID stands there already: left out, replaced if the copy
            is newer, or kept beside the copy, which then gets a new UID.
        move: delete at the source once it has been read back at the target.
        tell: let the target's server invite the attendees; by default nobody is told.
    """

    calendar_id: int | None = None
    account_id: int | None = None
    name: str = ""
    existing: Existing = "skip"
    move: bool = False
    tell: bool = False


def copy_job(context: JobContext) -> dict[str, Any]:
    """Propose a copy, as a job: tens of thousands of entries take a while."""
    params = context.params
    only = params.get("only")
    selection = Selection(
        params["filter"], tuple(params.get("excluded", ())), tuple(only) if only is not None else None
    )
    with context.store.write() as connection:
        target = Target(**params["target"])
        set_id = _propose(connection, Ledger(context.store), selection, target, context.check)
        return context.conclude(connection, {"set_id": set_id})


def propose_copy(store: Store, ledger: Ledger, selection: Selection, target: Target) -> int:
    """Propose copying (or moving) a selection; returns the change set.

    Raises:
        CannotApply: if nothing is selected, or the target may not be written.
        FilterError: if the selection's filter does not parse.
    """
    with store.write() as connection:
        return _propose(connection, ledger, selection, target)


def _propose(
    connection: Connection, ledger: Ledger, selection: Selection, target: Target,
    check: Callable[[], None] = lambda: None,
) -> int:  # fmt: skip
    ids = _with_their_series(connection, list(ledger.ids(connection, selection)))
    if not ids:
        raise CannotApply("Nothing is selected, so there is nothing to copy.")
    return _Copy(connection, target, ids, check).propose()


def _with_their_series(connection: Connection, ids: list[int]) -> list[int]:
    """The entries, and every entry that shares calendar and UID with one of them."""
    found: set[int] = set(ids)
    for chunk in chunks(ids):
        found.update(
            row[0]
            for row in connection.exec_driver_sql(
                "SELECT o.id FROM entry e JOIN entry o ON o.uid = e.uid AND o.calendar_id = e.calendar_id AND o.listed"
                f" WHERE e.uid <> '' AND e.id IN ({bound(len(chunk))})",
                tuple(chunk),
            )
        )
    return sorted(found)


class _Copy:
    def __init__(self, connection: Connection, target: Target, ids: list[int], check: Callable[[], None]) -> None:
        self.connection, self.target, self.ids, self.check = connection, target, ids, check
        self.changes: list[StoredChange] = []
        self.renamed: dict[tuple[int, str], str] = {}
        self.silent = self.skipped = self.elsewhere = 0
        self.uids: set[str] = set()

    def propose(self) -> int:
        connection, target = self.connection, self.target
        verb = "Move" if target.move else "Copy"
        set_id = open_set(connection, Proposal(verb, "copy", details={"move": target.move, "tell": target.tell}))
        calendar = target.calendar_id
        if calendar is None:
            calendar, header = fresh_calendar(connection, target.name, target.account_id)
            add_changes(connection, set_id, [header])
        row = connection.exec_driver_sql(
            "SELECT k.name, k.writable, coalesce(a.name, ''), a.id FROM calendar k LEFT JOIN remote r"
            " ON r.calendar_id = k.id LEFT JOIN account a ON a.id = r.account_id WHERE k.id = ?",
            (calendar,),
        ).one_or_none()
        if row is None:
            raise CannotApply("There is no such calendar any more.")
        if not row[1]:
            raise CannotApply(f"{row[0]} can only be read. Choose a calendar you may write.")
        self._copy(calendar, row[3])
        add_changes(connection, set_id, self.changes)
        close_set(connection, set_id)
        self._name(set_id, verb, row[0], row[2])
        return set_id

    def _copy(self, calendar: int, account: int | None) -> None:
        there = self._present(calendar)
        self.uids = {uid for uid, _ in there}
        home = self._in_home(account, calendar) if account is not None else {}
        writer = VersionWriter(self.connection)
        zones = zones_of(self.connection, calendar)
        sources: dict[int, Zones] = {}
        wanted: dict[str, int] = {}
        for done, (version, owner, component, text) in enumerate(self._entries()):
            if owner not in sources:
                sources[owner] = zones_of(self.connection, owner)
            facts = derive(component, text, sources[owner])
            if owner == calendar:
                raise CannotApply("Some of these entries are in the calendar they are to be copied to.")
            text, facts = self._prepared(owner, text, facts, home, sources[owner])
            for tzid in tzids_in(text) - set(zones):
                wanted.setdefault(tzid, owner)
            self._one(writer, calendar, version, text, facts, there, home)
            if done % _TEXTS == 0:
                writer.flush()
                self.check()
        writer.flush()
        for tzid, owner in wanted.items():
            if definition := sources[owner].text(tzid):
                version = add_text(self.connection, "VTIMEZONE", definition)
                self.changes.append(StoredChange(calendar, tzid, "", None, version))

    def _prepared(self, owner: int, text: str, facts: Facts, home: dict[str, str], zones: Zones) -> tuple[str, Facts]:
        """The text as it goes there: silent, and under a UID of its own where it needs one."""
        before = text
        if not facts.uid:
            text = Component(text).with_property("UID", f"{facts.digest.hex()}@date-bridge.example").text
        elif self.target.existing == "both" and (facts.uid in home or facts.uid in self.uids):
            uid = self.renamed.setdefault((owner, facts.uid), str(uuid.uuid4()))
            text = Component(text).with_property("UID", uid).text
        if facts.attendees and not self.target.tell:
            text = silenced(text)
            self.silent += 1
        return (text, derive(facts.component, text, zones)) if text != before else (text, facts)

    def _one(
        self, writer: VersionWriter, calendar: int, version: int, text: str, facts: Facts,
        there: dict[tuple[str, str], Any], home: dict[str, str],
    ) -> None:  # fmt: skip
        def change(before: int | None, reason: str = "", held: bool = False) -> None:
            after = writer.add(facts, text)
            self.changes.append(
                StoredChange(calendar, facts.uid, facts.recurrence_id, before, after, reason, held, version)
            )

        found = there.get((facts.uid, facts.recurrence_id))
        if found is not None:
            newer = (facts.sequence, facts.modified) > (found[1], found[2])
            if found[3] == facts.digest:
                change(found[0], "The same is there already.", True)
            elif self.target.existing == "newer" and newer:
                change(found[0], "Newer than what is there.")
                return
            else:
                change(found[0], "It is there already.", True)
            self.skipped += 1
        elif facts.uid in home:
            change(None, f"It stands in “{home[facts.uid]}” of the same account already, which takes a UID once.", True)
            self.elsewhere += 1
        else:
            change(None)

    def _entries(self) -> Iterator[tuple[int, int, str, str]]:
        for chunk in chunks(self.ids):
            yield from (
                (row[0], row[1], row[2], row[3])
                for row in self.connection.exec_driver_sql(
                    "SELECT e.id, e.calendar_id, e.component, t.text FROM entry e JOIN version_text t ON t.id = e.id"
                    f" WHERE e.id IN ({bound(len(chunk))}) ORDER BY e.start, e.id",
                    tuple(chunk),
                ).fetchall()
            )

    def _present(self, calendar: int) -> dict[tuple[str, str], Any]:
        return {
            (row[1], row[2]): (row[0], row[3], row[4], row[5])
            for row in self.connection.exec_driver_sql(
                "SELECT id, uid, recurrence_id, sequence, modified, digest FROM entry WHERE calendar_id = ? AND listed"
                " AND uid <> ''",
                (calendar,),
            )
        }

    def _in_home(self, account: int, calendar: int) -> dict[str, str]:
        """UIDs that stand in other calendars of the target's account (RFC 4791 §5.3.2.1, no-uid-conflict)."""
        return {
            row[0]: row[1]
            for row in self.connection.exec_driver_sql(
                "SELECT e.uid, k.name FROM entry e JOIN calendar k ON k.id = e.calendar_id JOIN remote r"
                " ON r.calendar_id = k.id WHERE r.account_id = ? AND r.owned AND k.id <> ? AND e.listed"
                " AND e.uid <> ''",
                (account, calendar),
            )
        }

    def _name(self, set_id: int, verb: str, name: str, account: str) -> None:
        count = sum(1 for c in self.changes if not c.held and c.source_id)
        where = f"{name} ({account})" if account else name
        notes = []
        if self.target.move:
            notes.append("Each is deleted at its source once it has been read back at the target.")
        if self.silent:
            have = "1 entry has" if self.silent == 1 else f"{self.silent:,} entries have"
            notes.append(f"{have} attendees; nobody will be told.")
        if self.skipped:
            notes.append(f"{self.skipped:,} there already.")
        if self.elsewhere:
            notes.append(f"{self.elsewhere:,} in another calendar of that account already.")
        noun = "entry" if count == 1 else "entries"
        self.connection.exec_driver_sql(
            "UPDATE change_set SET title = ?, reason = ?, details = json_set(details, '$.silent', ?) WHERE id = ?",
            (f"{verb} {count:,} {noun} to {where}", " ".join(notes), self.silent, set_id),
        )
