"""Refreshing a feed: fetched where it has changed, compared as a whole, held back where it would lose very much."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import replace
from hashlib import blake2b
from itertools import islice

from sqlalchemy import Connection

from datebridge.connect.feed import fetch, interval
from datebridge.connect.origins import origin_of
from datebridge.core.index.derive import derive, digest_of
from datebridge.core.text.headers import Description, described, description_of
from datebridge.core.text.reader import Reader
from datebridge.core.text.source import open_bytes
from datebridge.services.accounts.connecting import Line
from datebridge.services.accounts.secrets import seal
from datebridge.services.sync.absorb import Counts
from datebridge.settings import Settings
from datebridge.store.changesets.logbook import Proposal, StoredChange, add_changes, apply_within, close_set, open_set
from datebridge.store.database import Store
from datebridge.store.entries.versions import VersionWriter, add_text, text_of
from datebridge.store.entries.zones import zones_of
from datebridge.store.tables import Remote

#: A refresh that loses more than this share of the entries is asked about.
HELD_SHARE = 0.2
#: Feeds with fewer entries than this may lose what they like.
_FEW = 5
_BATCH = 1_000


class _Comparison:
    """A feed's content beside the calendar's entries in force."""

    def __init__(self, store: Store, calendar: int) -> None:
        self.store, self.calendar = store, calendar
        self.changes: list[StoredChange] = []
        self.counts = Counts()
        self.here: dict[tuple[str, str, str], list[tuple[int, bytes]]] = defaultdict(list)
        self.by_digest: dict[bytes, list[tuple[str, str, str]]] = defaultdict(list)
        with store.read() as connection:
            self.zones = zones_of(connection, calendar)
            for i, component, uid, recurrence_id, digest in connection.exec_driver_sql(
                "SELECT id, component, uid, recurrence_id, digest FROM entry WHERE calendar_id = ? AND listed"
                " ORDER BY id",
                (calendar,),
            ):
                key = (component, uid, recurrence_id) if uid else (component, "", digest.hex())
                self.here[key].append((i, digest))
                self.by_digest[digest].append(key)
        self.total = sum(map(len, self.here.values()))

    def read(self, reader: Reader, report: Callable[[int], None]) -> None:
        components = iter(reader)
        done = 0
        while batch := list(islice(components, _BATCH)):
            with self.store.write() as connection:
                writer = VersionWriter(connection)
                for component in batch:
                    if component.name != "VCALENDAR":
                        self._one(writer, component.name, component.text)
                writer.flush()
            done += len(batch)
            report(done)
        for (_, uid, recurrence_id), left in self.here.items():
            for i, _digest in left:
                self.counts.removed += 1
                self.changes.append(StoredChange(self.calendar, uid, recurrence_id if uid else "", i, None))

    def _one(self, writer: VersionWriter, name: str, text: str) -> None:
        digest = digest_of(text)
        for key in self.by_digest.get(digest, ()):  # unchanged: no need to read its facts
            same = next((e for e in self.here[key] if e[1] == digest), None)
            if same is not None:
                self.here[key].remove(same)
                return
        facts = derive(name, text, self.zones)
        if name == "VTIMEZONE":
            if facts.uid not in self.zones:
                self.zones.add(facts.uid, text)
                self.changes.append(StoredChange(self.calendar, facts.uid, "", None, writer.add(facts, text)))
            return
        there = self.here.get((name, facts.uid, facts.recurrence_id)) if facts.uid else None
        before = there.pop(0)[0] if there else None
        self.counts.changed += before is not None
        self.counts.added += before is None
        self.changes.append(
            StoredChange(self.calendar, facts.uid, facts.recurrence_id, before, writer.add(facts, text))
        )


def refresh_feed(
    store: Store, settings: Settings, line: Line, row: Remote, report: Callable[[int, int, str], None] | None
) -> tuple[str, int | None]:  # fmt: skip
    """Bring the copy of a feed up to date; returns the outcome in words, and the batch if there is one.

    Raises:
        Unreachable: if the feed does not answer, or not with a calendar.
    """
    assert row.id is not None  # noqa: S101
    assert row.calendar_id is not None  # noqa: S101
    got = fetch(line.web, line.address, row.etag, row.modified)
    if got.moved and line.web.signed_in and origin_of(got.moved) not in line.web.origins:
        got = replace(got, moved="")  # it is followed each time: its new place was not given the password
    if got.moved:
        with store.write() as connection:
            connection.exec_driver_sql(
                "UPDATE account SET address_sealed = ? WHERE id = ?", (seal(settings, got.moved), row.account_id)
            )
    moved = " It has moved for good; the new address is used from now on." if got.moved else ""
    if got.data is None:
        return "nothing changed" + moved, None
    digest = blake2b(got.data, digest_size=16).hexdigest()
    if row.held_set_id is not None and row.held_digest == digest and not _was_applied(store, row.held_set_id):
        return "Still held back: it would lose very much.", row.held_set_id
    comparison = _Comparison(store, row.calendar_id)
    reader = Reader(open_bytes(got.data))
    comparison.read(reader, lambda done: report(done, done + _BATCH, row.name) if report else None)
    header_text = reader.header(0)
    counts = comparison.counts
    first = comparison.total == 0 and row.refreshed_at is None
    held = comparison.total >= _FEW and counts.removed > HELD_SHARE * comparison.total
    with store.write() as connection:
        _drop_held(connection, row)
        header = _header(connection, row, header_text, first)
        set_id = None
        if header or comparison.changes:
            proposal = (
                Proposal(f"Subscribe to {row.name} ({line.account.name})", "subscribe",
                         "A feed: it follows what is published.")
                if first
                else Proposal(f"From {line.account.name}, {row.name}: {counts.words()}", "pull", "Published anew.")
            )  # fmt: skip
            proposal.details["read_only"] = True
            if held:
                proposal.reason = (
                    f"Held back: the feed has lost {counts.removed:,} of {comparison.total:,} entries since it was last"
                    " fetched. Apply it if that is right; drop it to keep what is here."
                )
            set_id = open_set(connection, proposal)
            add_changes(connection, set_id, [*([header] if header else []), *comparison.changes])
            close_set(connection, set_id)
            if not held:
                apply_within(connection, set_id)
        connection.exec_driver_sql(
            "UPDATE remote SET published_every = ?, etag = ?, modified = ?, held_set_id = ?, held_digest = ?,"
            " entries = ? WHERE id = ?",
            (interval(header_text), "" if held else got.etag, "" if held else got.modified,
              set_id if held else None, digest if held else "", None, row.id),
        )  # fmt: skip
    if held:
        return f"Held back: it would lose {counts.removed:,} of {comparison.total:,} entries.", set_id
    return (f"fetched {counts.added:,}" if first else counts.words()) + moved, set_id


def _was_applied(store: Store, set_id: int) -> bool:
    with store.read() as connection:
        state = connection.exec_driver_sql("SELECT state FROM change_set WHERE id = ?", (set_id,)).scalar()
    return state == "applied"


def _drop_held(connection: Connection, row: Remote) -> None:
    """What was held back before is out of date now."""
    if row.held_set_id is not None:
        connection.exec_driver_sql(
            "UPDATE change_set SET state = 'discarded' WHERE id = ? AND state = 'proposed'", (row.held_set_id,)
        )


def _header(connection: Connection, row: Remote, header: str, first: bool) -> StoredChange | None:
    """The feed's own calendar lines under the name the calendar has here."""
    there = connection.exec_driver_sql(
        "SELECT e.id, t.text FROM entry e JOIN version_text t ON t.id = e.id WHERE e.calendar_id = ?"
        " AND e.component = 'VCALENDAR'",
        (row.calendar_id,),
    ).one_or_none()
    if there is not None and not first:
        return None
    said = description_of(header)
    text = described(header, Description(row.name, said.tint, said.zone, said.text))
    before = there[0] if there is not None else None
    if before is not None and text_of(connection, before) == text:
        return None
    assert row.calendar_id is not None  # noqa: S101
    return StoredChange(row.calendar_id, "", "", before, add_text(connection, "VCALENDAR", text))
