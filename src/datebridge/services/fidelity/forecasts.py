"""What entries, or those of a waiting file, would lose at a target: made in the background, kept, read in pages."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from datebridge.core.crossing.fidelity import Fidelity, Measured, learn
from datebridge.core.crossing.forecast import Entries, foretold
from datebridge.core.ids import AccountId, CalendarId, FileId, GroupId, JobId, VersionId
from datebridge.core.invitations import silenced
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.zones.meaning import Zones
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store import imports
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.present import Placed, in_groups, staged, texts_of, with_series
from datebridge.store.entries.zones import zones_of, zones_of_group
from datebridge.store.fidelity import ForetoldLoss, NotMeasured, keep_forecast, matrices_of, matrix
from datebridge.store.findings import breaking
from datebridge.store.sql import chunks
from datebridge.store.tables import Matrix, demand_id

#: How many objects are looked at between two reports.
_AT_ONCE = 500


def fidelity_of(row: Matrix) -> Fidelity:
    """What a matrix says of what is kept; learning it takes longer than foretelling a few hundred entries."""
    return _learned(json.dumps(row.features))


@lru_cache(maxsize=16)
def _learned(features: str) -> Fidelity:
    return learn(Measured.read(one) for one in json.loads(features))


def newest(store: Store, account: AccountId) -> Matrix | None:
    """What was last measured at an account; None where nothing was."""
    with store.session() as session:
        return next(iter(matrices_of(session, account)), None)


def request_forecast(store: Store, account: AccountId, selection: Selection) -> JobId:
    """Queue foretelling what a selection would lose at an account.

    Raises:
        NotMeasured: if nobody knows what is kept there.
    """
    row = newest(store, account)
    if row is None:
        raise NotMeasured("What this account keeps has not been measured yet. Measure it first.")
    params = {"matrix": row.id, **selection.as_params()}
    return jobs.enqueue(store, JobKind.FORECAST, f"Losses at {row.name}", params)


def request_forecast_of_file(store: Store, account: AccountId, file: FileId) -> JobId:
    """Queue foretelling what a file that waits to be imported would lose at an account.

    Raises:
        NotMeasured: if nobody knows what is kept there, or there is no such file.
    """
    row = newest(store, account)
    with store.read() as connection:
        listed = imports.one(connection, file)
    if row is None or listed is None:
        raise NotMeasured("What this account keeps has not been measured yet, or the file is not there any more.")
    params = {"matrix": row.id, "file": file}
    return jobs.enqueue(store, JobKind.FORECAST, f"Losses of {listed.name} at {row.name}", params)


@performs(JobKind.FORECAST)
def forecast_job(context: JobContext) -> dict[str, object]:
    """Foretell what a selection, or a file, loses, and keep it."""
    store, file = context.store, context.params.get("file")
    with store.session() as session:
        row = matrix(session, context.params["matrix"])
    fidelity = fidelity_of(row)
    if file is not None:
        chosen: dict[str, object] = {"file": file}
        count, units = _in_file(store, FileId(file))
    else:
        selection = Selection.read(context.params)
        chosen = selection.as_params()
        with store.read() as connection:
            ids = with_series(connection, Ledger(store).ids(connection, selection))
        count, units = len(ids), _objects(store, ids)
    if not count:
        raise Refused("Nothing is selected, so there is nothing to foretell.")
    losses: list[ForetoldLoss] = []
    for done, some in enumerate(chunks(units, _AT_ONCE)):
        context.progress(min(count, done * _AT_ONCE), count, "entries")
        losses += _losses(fidelity, some)
    losing = len({loss.version for loss in losses})
    with store.write() as connection:
        number = keep_forecast(connection, demand_id(row.id), chosen, count, count - losing, losses)
        return context.conclude(connection, {"forecast": number})


def _in_file(store: Store, file: FileId, uid: str | None = None) -> tuple[int, Iterator[_Unit]]:
    """How many entries wait in a file, and these as they would be sent; `uid`: only those of one UID."""
    units: dict[tuple[GroupId, str, str], list[VersionId]] = {}
    with store.read() as connection:
        for group in imports.groups_of(connection, file):
            for item, is_entry in staged(connection, group.id):
                if is_entry and uid in (None, item.identity.uid):
                    known = item.identity.uid or f"{item.key}\n"  # what has no UID is an object of its own
                    units.setdefault((group.id, item.identity.component, known), []).append(item.key)
    return sum(map(len, units.values())), _waiting(store, units)


def _waiting(store: Store, units: Mapping[tuple[GroupId, str, str], list[VersionId]]) -> Iterator[_Unit]:
    zones: dict[GroupId, Zones] = {}
    for some in chunks(units.items(), _AT_ONCE):
        with store.read() as connection:
            texts = texts_of(connection, [key for _, keys in some for key in keys])
            zones |= {group: zones_of_group(connection, group) for (group, *_), _ in some if group not in zones}
        for (group, *_), keys in some:
            members = [(key, silenced(texts[key])) for key in keys if key in texts]
            yield _Unit(group, Entries(members, zones[group], False))


@dataclass(frozen=True, slots=True)
class _Unit:
    """The entries of one object, and the calendar, or the part of a file, that they are in."""

    calendar: CalendarId | GroupId
    entries: Entries[VersionId]


def _losses(fidelity: Fidelity, units: Sequence[_Unit]) -> list[ForetoldLoss]:
    return [
        ForetoldLoss(loss.feature, loss.verdict.value, loss.key, unit.calendar, loss.reason)
        for unit in units
        for loss in foretold(fidelity, [unit.entries])
    ]


def _objects(store: Store, ids: Sequence[VersionId]) -> Iterator[_Unit]:
    """Entries as they would be sent: those of one UID together, silent, with what their calendar defines."""
    with store.read() as connection:
        groups = in_groups(connection, ids, together=True)
        broken = breaking(connection, ids)
    for calendar, units in groups.items():
        with store.read() as connection:
            zones = zones_of(connection, calendar)
        for some in chunks(units, _AT_ONCE):
            with store.read() as connection:
                texts = texts_of(connection, [one.id for unit in some for one in unit])
            for unit in some:
                yield _Unit(calendar, _entries(unit, texts, zones, broken))


def _entries(
    unit: Sequence[Placed], texts: dict[VersionId, str], zones: Zones, broken: set[VersionId]
) -> Entries[VersionId]:
    members = [(one.id, silenced(texts[one.id])) for one in unit if one.id in texts]
    return Entries(members, zones, not any(one.id in broken for one in unit))


@dataclass(frozen=True, slots=True)
class BothBanks:
    """An entry as it is and as it will arrive, line by line; nothing on the right where it is refused."""

    left: list[str]
    right: list[str]
    refused: str
    certain: bool
    losses: list[str]


def both_banks(store: Store, row: Matrix, entry: VersionId) -> BothBanks:
    """What becomes of one entry, together with the others of its UID.

    Raises:
        NotMeasured: if the entry is not in force any more.
    """
    fidelity = fidelity_of(row)
    for unit in _together(store, entry):
        keys = [key for key, _ in unit.entries.members]
        if entry not in keys:
            continue
        texts = [text for _, text in unit.entries.members]
        at = keys.index(entry)
        arrival = fidelity.arrival(texts, unit.entries.zones, unit.entries.sound)
        mine = [loss for loss in arrival.losses if loss.at == at]
        refused = next((loss.reason for loss in mine if not arrival.texts), "")
        right = arrival.texts[arrival.places.index(at)] if at in arrival.places else ""
        names = list(dict.fromkeys(loss.feature for loss in mine))
        with store.read() as connection:
            before = texts_of(connection, [entry])[entry]
        return BothBanks(before.split("\n"), right.split("\n") if right else [], refused, arrival.certain, names)
    raise NotMeasured("This entry was changed or deleted meanwhile. Make the forecast again.")


def _together(store: Store, entry: VersionId) -> Iterator[_Unit]:
    """The object an entry is in, whether it is in force or waits in a file."""
    with store.read() as connection:
        part = imports.part_of(connection, entry)
        ids = with_series(connection, [entry]) if part is None else []
    return _objects(store, ids) if part is None else _in_file(store, part.file, part.uid)[1]
