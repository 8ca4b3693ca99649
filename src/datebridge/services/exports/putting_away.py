"""Cleaning by age: what is over before a day goes into an archive, one file a calendar, and its deletion is proposed.

A series goes only once all of it is over, with its changed occurrences. One that still runs stays as it is, unless it
is to be shortened: then its past goes into the archive as a series that has ended, and it begins on that day.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from pathlib import Path

from datebridge.clock import now
from datebridge.core.bulk import Outcome, Subject, SubjectMember, change
from datebridge.core.bulk.steps import BeginSeries, Delete, EndSeries, Step
from datebridge.core.changes import Change, Details, Kind
from datebridge.core.checks import examine
from datebridge.core.editing.writing import stamped
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.plural import counted
from datebridge.core.moments import wall_seconds_of
from datebridge.core.text.writer import write_calendar
from datebridge.core.zones.meaning import Zones
from datebridge.services.editing.edits import stamp
from datebridge.services.exports.archive import free_path, prove
from datebridge.services.exports.export import file_name, header_for, zones_for
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store.calendars import names
from datebridge.store.changesets.draft import Draft, propose
from datebridge.store.database import Connection
from datebridge.store.entries.present import Placed, begun_before, in_groups, texts_of, with_series
from datebridge.store.entries.zones import zones_of
from datebridge.store.private import open_private
from datebridge.store.sql import chunks

_AT_ONCE = 500


@dataclass(slots=True)
class _Put:
    """What of a calendar is put away: entries that go, series that are shortened, and what the archive holds."""

    calendar: CalendarId
    zones: Zones
    gone: list[VersionId] = field(default_factory=list)
    shorter: list[tuple[Placed, str | None]] = field(default_factory=list)
    texts: list[str] = field(default_factory=list)
    sources: list[VersionId] = field(default_factory=list)
    notes: Counter[str] = field(default_factory=Counter)


@performs(JobKind.PUT_AWAY)
def put_away_job(context: JobContext) -> dict[str, object]:
    """Write the archives, prove them complete, propose what goes.

    Raises:
        Refused: if nothing is over before the day, or an archive read back is not what it was to be.
    """
    before = date.fromisoformat(context.params["before"])
    store, shorten = context.store, bool(context.params["shorten"])
    with store.read() as connection:
        wanted = begun_before(connection, wall_seconds_of(before), context.params["calendars"] or None)
        groups = in_groups(connection, with_series(connection, wanted), together=True)
        called = names(connection)
    total = sum(len(unit) for units in groups.values() for unit in units)
    folder = _folder(context)
    done, put = 0, []
    for calendar, units in groups.items():
        one, done = _calendar(context, calendar, units, before, shorten, done, total)
        if one.texts:
            put.append(one)
    if not put:
        raise Refused(f"Nothing is over before {before}, or it stands where it can only be read.")
    files = [_archive(context, folder, archive, called[archive.calendar]) for archive in put]
    return _propose(context, before, put, files)


def _folder(context: JobContext) -> Path:
    """Where the archives go: the same place however often the job is begun again."""
    folder = context.settings.archive_dir
    folder.mkdir(parents=True, exist_ok=True)
    for name in context.params.get("files", ()):  # of a try that was broken off
        (folder / name).unlink(missing_ok=True)
    return folder


def _calendar(
    context: JobContext,
    calendar: CalendarId,
    units: Sequence[list[Placed]],
    before: date,
    shorten: bool,
    done: int,
    total: int,
) -> tuple[_Put, int]:
    with context.store.read() as connection:
        put = _Put(calendar, zones_of(connection, calendar))
    for some in chunks(units, _AT_ONCE):
        with context.store.read() as connection:
            texts = texts_of(connection, (entry.id for unit in some for entry in unit))
        for unit in some:
            _unit(put, [entry for entry in unit if entry.id in texts], texts, before, shorten)
            done += len(unit)
        context.progress(done, 2 * total, "entries", "Looking for past events")
    return put, done


def _unit(put: _Put, unit: list[Placed], texts: dict[VersionId, str], before: date, shorten: bool) -> None:
    def after(step: Step) -> list[Outcome]:
        members = [SubjectMember(entry.id, texts[entry.id]) for entry in unit]
        return change(Subject(members, put.zones, ""), [step])

    if all(outcome.text is None for outcome in after(Delete(before=before.isoformat()))):
        put.gone += [entry.id for entry in unit]
        put.texts += [texts[entry.id] for entry in unit]
        put.sources += [entry.id for entry in unit]
        return
    if not shorten or all(entry.recurrence_id for entry in unit):
        return
    rest = after(BeginSeries(before.isoformat()))
    put.notes.update(why.partition(": ")[2] for outcome in rest for why in outcome.why_not)
    changed = {outcome.key: outcome.text for outcome in rest if outcome.text != texts[VersionId(outcome.key)]}
    if not changed:
        return
    past = after(EndSeries((before - timedelta(days=1)).isoformat()))
    put.texts += [outcome.text for outcome in past if outcome.text is not None]
    put.sources += [entry.id for entry in unit]
    put.shorter += [(entry, changed[entry.id]) for entry in unit if entry.id in changed]


def _archive(context: JobContext, folder: Path, put: _Put, called: str) -> str:
    """Write a calendar's archive and read it back; returns its name."""
    path = free_path(folder, file_name(f"{called} archive", "ics"))
    context.remember(files=[*context.params.get("files", ()), path.name])
    context.params["files"] = [*context.params.get("files", ()), path.name]
    partial = path.with_suffix(".part")
    try:
        with context.store.read() as connection, open_private(partial) as out:
            for piece in _pieces(connection, put):
                out.write(piece)
        prove(context, partial, Counter(put.texts))
        partial.rename(path)
    finally:
        partial.unlink(missing_ok=True)
    return path.name


def _pieces(connection: Connection, put: _Put) -> Iterator[bytes]:
    zones = zones_for(connection, [put.calendar], put.sources, False)
    yield from write_calendar(header_for(connection, put.calendar), zones, put.texts)


def _propose(context: JobContext, before: date, put: list[_Put], files: list[str]) -> dict[str, object]:
    entries = sum(len(archive.texts) for archive in put)
    shorter = sum(text is not None for archive in put for _, text in archive.shorter)
    notes = [f"Archived in {counted(len(files), 'archive')}, read back and found complete."]
    if shorter:
        notes.append(f"{counted(shorter, 'series is', 'series are')} shortened and go on from {before}.")
    left = sum((archive.notes for archive in put), Counter[str]())
    notes += [f"{number:,} × {why}" for why, number in left.most_common(3)]
    details = Details(archives=tuple(files), entries=entries, read_back=now())
    result: dict[str, object] = {}

    def conclude(connection: Connection, set_id: SetId) -> None:
        result.update(context.conclude(connection, {"set_id": set_id, "archives": files, "entries": entries}))

    with propose(
        context.store,
        Kind.ARCHIVE,
        context.by,
        lambda tally: f"Archive events that ended before {before}: {tally.what} in {tally.where}",
        " ".join(notes),
        details=details,
    ) as draft:
        for archive, file in zip(put, files, strict=True):
            draft.delete(archive.gone, f"Archived in {file}.")
            _shorten(draft, archive, file)
        draft.afterwards(conclude)
    return result


def _shorten(draft: Draft, put: _Put, file: str) -> None:
    moment = stamp()
    for some in chunks(put.shorter, _AT_ONCE):
        with draft.stage() as writer:
            for here, text in some:
                place = (here.calendar, here.component, here.uid, here.recurrence_id)
                if text is None:
                    draft.add(Change(*place, here.id, None, f"Its past is archived in {file}."))
                    continue
                made = stamped(text, moment, True)
                version = writer.add(examine(here.component, made, put.zones), made)
                draft.add(Change(*place, here.id, version, f"Its past is archived in {file}."))
