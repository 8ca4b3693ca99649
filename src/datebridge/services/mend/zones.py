"""Time zones: what each name in use means and why, rulings on it, and what a year looks like on its clock."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import NamedTuple

from datebridge.core.changes import PERSON, By
from datebridge.core.errors import CannotDo
from datebridge.core.ids import CalendarId, JobId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.moments import Clock, from_wall_seconds, instant_at, wall_at
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import BY_DEFINITION, Zones
from datebridge.core.zones.usage import Named, Use, named
from datebridge.services.jobs.jobs import JobContext, performs
from datebridge.store.calendars import facts_of
from datebridge.store.database import Connection, Store
from datebridge.store.entries import zones as stored
from datebridge.store.jobs import add_job
from datebridge.store.remembered import Remembered
from datebridge.store.rulings import revoke, rule
from datebridge.store.sql import chunks, revision_now
from datebridge.store.zone_rulings import ZONE, ZoneRuling, counting, subject, zone_rulings

#: Years in which an entry without end is in use, beyond its start, as far as zones go.
_AHEAD = 5
_AT_ONCE = 1_000
_KNOWN: Remembered[list[Named]] = Remembered(2)


class CannotRule(CannotDo):
    """A zone name cannot be ruled on so; the message says why."""

    code, title, status = "cannot-rule", "This ruling is not possible", 422


def names(store: Store) -> list[Named]:
    """The zone names in use with their meanings: what is unknown first."""
    with store.read() as connection:
        rulings = zone_rulings(connection)
        key = (str(store.path), revision_now(connection), rulings[0].id if rulings else 0, len(rulings))
        return _KNOWN.get(key, lambda: named(_uses(connection, rulings)))


def _uses(connection: Connection, rulings: list[ZoneRuling]) -> list[Use]:
    defined, hints = stored.definitions(connection), stored.hints(connection)
    uses = []
    for zone in stored.in_use(connection):
        last = from_wall_seconds(zone.last).year
        if zone.endless is not None:
            last = max(last, from_wall_seconds(zone.endless).year + _AHEAD)
        hint = resolve(hints.get(zone.calendar, ""))
        uses.append(
            Use(
                zone.tzid,
                zone.calendar,
                zone.entries,
                from_wall_seconds(zone.first).year,
                last,
                defined.get((zone.calendar, zone.tzid), ""),
                hint.zone if hint.exact else "",
                counting(rulings, zone.calendar).get(zone.tzid, ""),
            )
        )
    return uses


def standing(store: Store) -> list[ZoneRuling]:
    """What was ruled, the newest first."""
    with store.read() as connection:
        return zone_rulings(connection)


# ---- rulings ----------------------------------------------------------------------------------------------


def decide(store: Store, tzid: str, verdict: str, calendar: CalendarId | None, by: By = PERSON) -> JobId:
    """Rule what a zone name means, in a calendar or everywhere; the index of what uses it is rebuilt by a job.

    Args:
        verdict: an IANA zone, or `BY_DEFINITION`.

    Raises:
        CannotRule: if it is neither, or there is no such calendar or definition.
    """
    zone = verdict if verdict == BY_DEFINITION else resolve(verdict).zone if resolve(verdict).method == "iana" else ""
    if not zone:
        raise CannotRule(f"“{verdict[:60]}” is not a time zone. Choose one like Atlantic/Reykjavik.")
    if not tzid:
        raise CannotRule("Times without a zone have no name that could mean one. Give them a zone instead.")
    with store.write() as connection:
        if calendar is not None and facts_of(connection, calendar) is None:
            raise CannotRule("This calendar no longer exists.")
        if zone == BY_DEFINITION and not any(name == tzid for _, name in stored.definitions(connection)):
            raise CannotRule("No calendar defines this name.")
        rule(connection, ZONE, subject(tzid, calendar), zone, by)
        return _queue(connection, tzid, by)


def take_back(store: Store, number: int, by: By = PERSON) -> JobId:
    """Have a ruling count no more.

    Raises:
        CannotRule: if it counts no more already.
    """
    with store.write() as connection:
        revoked = next((ruling for ruling in zone_rulings(connection) if ruling.id == number), None)
        if revoked is None:
            raise CannotRule("This ruling was withdrawn already.")
        revoke(connection, number)
        return _queue(connection, revoked.tzid, by)


def _queue(connection: Connection, tzid: str, by: By) -> JobId:
    return add_job(connection, JobKind.RULED, f"Reading “{tzid}” by the ruling", {"tzid": tzid}, by=by)


@performs(JobKind.RULED)
def ruled_job(context: JobContext) -> dict[str, object]:
    """Rebuild the index of what uses a zone name. Begun again, it does no harm."""
    tzid, store = context.params["tzid"], context.store
    with store.read() as connection:
        calendars = sorted({zone.calendar for zone in stored.in_use(connection) if zone.tzid == tzid})
        wanted = [
            (calendar, some)
            for calendar in calendars
            for some in chunks(stored.using(connection, [tzid], calendar), _AT_ONCE)
        ]
    changed = done = 0
    for calendar, some in wanted:
        with store.write() as connection:
            changed += stored.reindex_entries(connection, calendar, some)
            stored.note_reread(connection, calendar)
        done += len(some)
        context.progress(done, sum(len(some) for _, some in wanted), "entries")
    return {"changed": changed}


# ---- what it looks like -----------------------------------------------------------------------------------


class Step(NamedTuple):
    """From a day of the year on (0 for the first), clocks are so many minutes ahead of UTC."""

    day: int
    minutes: int


def year_of(clock: Clock, year: int) -> list[Step]:
    """What a clock shows over a year, to be drawn: each change of it, at most one a day."""
    steps: list[Step] = []
    begin = datetime(year, 1, 1, 12, tzinfo=UTC)
    for day in range((datetime(year + 1, 1, 1, tzinfo=UTC) - datetime(year, 1, 1, tzinfo=UTC)).days):
        at = int((begin + timedelta(days=day)).timestamp())
        minutes = (wall_at(at, clock) - at) // 60
        if not steps or steps[-1].minutes != minutes:
            steps.append(Step(day, minutes))
    return steps


def shown(instant: int, zone: str) -> int:
    """What a zone's clock shows at an instant, in wall seconds."""
    return wall_at(instant, zone or "UTC")


class Reading(NamedTuple):
    """An entry as a name has it, and as its definition has it: instants."""

    entry: VersionId
    title: str
    by_name: int
    by_definition: int


def readings(store: Store, tzid: str, calendars: Sequence[CalendarId], most: int = 40) -> tuple[list[Reading], int]:
    """Entries that use a name, as both readings have them: those that differ, and how many do not.

    Of so many entries that are looked at, the newest.
    """
    read: list[Reading] = []
    same = 0
    with store.read() as connection:
        for calendar in calendars:
            zones: Zones = stored.zones_of(connection, calendar)
            own, zone = zones.clock(tzid), resolve(tzid).zone
            if own is None or not zone:
                continue
            for entry, wall, title in stored.newest_of(connection, tzid, calendar, most):
                by_name, by_definition = instant_at(wall, zone), instant_at(wall, own)
                if by_name == by_definition:
                    same += 1
                else:
                    read.append(Reading(entry, title, by_name, by_definition))
    return read[:most], same
