"""Where one's own change met somebody else's: both banks, and taking theirs, mine, or field by field."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from urllib.parse import urljoin

from datebridge.connect.errors import Unreachable
from datebridge.core.changes import PERSON, By, Change, Kind
from datebridge.core.ids import PushId, RemoteId, SetId, VersionId
from datebridge.core.merge import Differing, Side, combined, differing, merge_sides
from datebridge.core.objects import take_apart
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.sync.absorb import Absorber, Incoming
from datebridge.services.sync.holding import objects_holding
from datebridge.settings import Settings
from datebridge.store.accounts import remote, switched_on
from datebridge.store.changesets.apply import apply_within
from datebridge.store.changesets.draft import CannotApply, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.present import present_by_uid, texts_of
from datebridge.store.pushes import (
    PushState,
    demand_unsettled,
    mark,
    queue_pushes,
    seen_there,
    set_waiting,
    title_of,
    try_refused,
    wait_again,
)
from datebridge.store.remotes import forget_objects, keep_objects
from datebridge.store.tables import Push, demand_id

Key = tuple[str, str]


@dataclass(frozen=True, slots=True)
class ConflictSides:
    """One entry of a conflict: as it is here and as it is there ("" where it is not), and where they differ.

    Attributes:
        sides: whose state of a field counts by itself, where it is known what both began from: only one of the two
            changed it, or both put in or took out parts of it (`core.merge`).
        base: what both began from; "" where that is not known, or it was not there.
    """

    recurrence_id: str
    component: str
    mine: str
    theirs: str
    fields: tuple[Differing, ...]
    sides: Mapping[str, Side]
    base: str = ""

    def made(self, mine: Collection[str], both: Collection[str]) -> str:
        """What becomes of it, with the named fields as here, or of both part by part; "" where it is gone.

        What one side has taken away and the other left as it was is gone; what the other changed stays.
        """
        if self.mine and self.theirs:
            return combined(self.mine, self.theirs, mine, both, self.base or None)
        merged = merge_sides(self.base or None, self.mine or None, self.theirs or None)
        return (self.mine or self.theirs) if merged.conflicts else merged.text or ""


def both_banks(store: Store, push_id: PushId) -> list[ConflictSides]:
    """What is here beside what is there, entry by entry."""
    one = demand_unsettled(store, push_id)
    with store.read() as connection:
        mine = _mine(store, connection, one)
        base = _base(connection, one)
    theirs = {
        (f.component, f.recurrence_id): text for f, text in take_apart(one.theirs.encode()).entries if f.uid == one.uid
    }
    pairs = []
    for key in dict.fromkeys([*mine, *theirs]):
        here, there = mine.get(key, ("", VersionId(0)))[0], theirs.get(key, "")
        both = key in mine and key in theirs
        sides = merge_sides(base[key], here, there).sides if both and key in base else {}
        fields = tuple(differing(here, there)) if both else ()
        pairs.append(ConflictSides(key[1], key[0], here, there, fields, sides, base.get(key, "")))
    return pairs


def outcome(
    pairs: Sequence[ConflictSides], mine: Mapping[str, list[str]], parts: Mapping[str, list[str]]
) -> list[tuple[ConflictSides, str]]:
    """What becomes of each entry, see `ConflictSides.made`; a series does not go where an occurrence of it stays."""
    made = [(pair, pair.made(mine.get(pair.recurrence_id, ()), parts.get(pair.recurrence_id, ()))) for pair in pairs]
    left = {pair.component for pair, text in made if text and pair.recurrence_id}
    return [
        (one, text or (one.mine or one.theirs if one.component in left and not one.recurrence_id else ""))
        for one, text in made
    ]


def _mine(store: Store, connection: Connection, push: Push) -> dict[Key, tuple[str, VersionId]]:
    _, calendar = switched_on(remote(store, RemoteId(push.remote_id)))
    items = present_by_uid(connection, calendar, [push.uid]).get(push.uid, [])
    texts = texts_of(connection, (item.key for item in items))
    return {(i.identity.component, i.identity.recurrence_id): (texts[i.key], i.key) for i in items}


def _base(connection: Connection, push: Push) -> dict[Key, str]:
    """What stood here when the object there was seen last: what both sides began from."""
    known_objects = objects_holding(connection, RemoteId(push.remote_id), [push.uid]).get(push.uid, [])
    texts = texts_of(connection, (v for each in known_objects for v in each.versions)).values()
    taken = [entry for text in texts for entry in take_apart(text.encode()).entries]
    return {(facts.component, facts.recurrence_id): text for facts, text in taken if facts.uid == push.uid}


def take_theirs(store: Store, settings: Settings, push_id: PushId, by: By = PERSON) -> SetId | None:
    """Follow what is there now; returns the batch. One's own change about this entry is not pushed.

    Raises:
        Unreachable: if the server cannot be asked.
    """
    one = demand_unsettled(store, push_id)
    row = remote(store, RemoteId(one.remote_id))
    with store.read() as connection:
        known_objects = objects_holding(connection, RemoteId(one.remote_id), [one.uid]).get(one.uid, [])
        title = title_of(connection, one)
    with connected_to(store, settings, row.account_id, waiting=True) as line:
        there = [line.server.get(urljoin(row.url, href)) for href in (each.href for each in known_objects)]
    for resource in there:
        if resource.data is None and not resource.gone:
            host = line.account.name
            raise Unreachable(
                "answer", f"{host} does not hand the entry out just now ({resource.why}). Try again later."
            )
    absorber = Absorber(store, row, "Taken from the server.")
    absorber.busy -= {one.uid}
    try:
        absorber.take([resource for resource in there if resource.data is not None])
        absorber.take_gone([resource.href for resource in there if resource.gone])
        if not there:
            absorber.take_away(one.uid)
        absorber.resolve_deletions()
        with store.write() as connection:
            _end(connection, one, "Their version was used.")
            incoming = Incoming(Kind.PULL, f"Use the version of {line.account.name}: {title}", "", by)
            return absorber.conclude(connection, incoming)
    except BaseException:
        absorber.give_up()
        raise


def take_mine(store: Store, push_id: PushId) -> None:
    """Write what is here over what is there, or try again what was refused."""
    one = demand_unsettled(store, push_id)
    with store.write() as connection:
        wait_again(connection, one)
        _see(connection, one)
        queue_pushes(connection)


def try_again(store: Store, remote_id: RemoteId | None = None, message: str | None = None) -> int:
    """Try again what was refused: everything, of one calendar, for one reason. Conflicts stay; returns how many."""
    with store.write() as connection:
        number = try_refused(connection, remote_id, message)
        queue_pushes(connection)
    return number


def take_merged(
    store: Store,
    push_id: PushId,
    mine: Mapping[str, list[str]],
    by: By = PERSON,
    parts: Mapping[str, list[str]] | None = None,
) -> SetId | None:
    """Rewrite each entry from both sides: theirs, with the named fields of mine (by recurrence id).

    Args:
        parts: the fields, likewise, that are made of both sides part by part.

    Returns:
        the batch, which is pushed like any other; None where all is to be as it is here, which is pushed then.

    Raises:
        CannotApply: if it cannot be told which entry there belongs to which here.
    """
    one = demand_unsettled(store, push_id)
    pairs = both_banks(store, push_id)
    _, calendar = switched_on(remote(store, RemoteId(one.remote_id)))
    with store.write() as connection:
        here = _mine(store, connection, one)
        if not one.uid or len(present_by_uid(connection, calendar, [one.uid]).get(one.uid, [])) > len(here):
            raise CannotApply(
                "Its server keeps this without a UID, or more than once under one. It can only be taken as it is there,"
                " or as it is here."
            )
        made = [(pair, text) for pair, text in outcome(pairs, mine, parts or {}) if text != pair.mine]
        set_id = None
        if made:
            title = f"Merge both sides: {title_of(connection, one)}"
            with propose(connection, Kind.MERGE, by, title, "Merged field by field.") as draft, draft.stage() as writer:
                for pair, text in made:
                    key = (pair.component, pair.recurrence_id)
                    before = here[key][1] if key in here else None
                    version = writer.add_text(pair.component, text) if text else None
                    draft.add(Change(calendar, pair.component, one.uid, pair.recurrence_id, before, version, "Merged."))
            set_id = draft.id
        _end(connection, one, f"Merged in batch {set_id}." if set_id else "Merged: all as it is here.")
        if set_id is not None:
            apply_within(connection, set_id)
        else:
            set_waiting(connection, PushId(demand_id(one.id)))
        _see(connection, one)
        queue_pushes(connection)
    return set_id


def _see(connection: Connection, push: Push) -> None:
    """From now on the server's state is known: the next writing goes over it."""
    if push.state != PushState.CONFLICT or push.kind != "entry":
        return
    remote_id = RemoteId(push.remote_id)
    known_objects = objects_holding(connection, remote_id, [push.uid]).get(push.uid, [])
    if len(known_objects) == 1 and known_objects[0].uid:
        if push.theirs:
            keep_objects(connection, remote_id, [known_objects[0]._replace(etag=push.theirs_etag)])
        else:
            forget_objects(connection, remote_id, [known_objects[0].href])
    seen_there(connection, push)


def _end(connection: Connection, push: Push, message: str) -> None:
    mark(connection, RemoteId(push.remote_id), push.kind, PushState.DROPPED, message, uids=[push.uid])
