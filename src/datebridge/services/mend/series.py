"""Series: what is scattered combined, single series split, ended, taken apart or restarted, as proposals."""

from __future__ import annotations

from collections import defaultdict
from datetime import date, timedelta
from typing import Literal

from datebridge.clock import this_day
from datebridge.core.changes import PERSON, By, Kind
from datebridge.core.editing.fields import CannotEdit
from datebridge.core.editing.groups import Edit, Group, Plan, fields_at
from datebridge.core.editing.series import edit, remove
from datebridge.core.errors import CannotDo
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.plural import counted
from datebridge.core.matching.titles import words
from datebridge.core.moments import from_wall_seconds, wall_seconds_of
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.recurrence.rules import parse_rule
from datebridge.core.recurrence.starts import DAY
from datebridge.core.recurrence.words import describe
from datebridge.core.series.inferring import Inferred, Single, infer
from datebridge.core.series.phrasing import Phrase
from datebridge.core.series.pieces import SeriesShape, attachments, pieces
from datebridge.core.series.proving import NotTheSame
from datebridge.core.series.shaping import attach_override, detach, explode, fresh_uid, gather, join, reanchor
from datebridge.services.editing.edits import stamp
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.services.mend.plans import put
from datebridge.store import comparisons, scattered
from datebridge.store.calendars import names
from datebridge.store.changesets.draft import propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.present import texts_of
from datebridge.store.entries.series import groups_of, masters_of, orphans_in, series_in, untouched
from datebridge.store.entries.zones import zones_of
from datebridge.store.scattered import Scattered
from datebridge.store.sql import chunks, revision_now

_AT_ONCE = 200
#: A series without end that was not changed for so long before this year may have been forgotten.
_UNTOUCHED = timedelta(days=730)
_ONE = {
    "inferred": "Combine “{}” into one series",
    "pieces": "Join the parts of “{}”",
    "detached": "Attach a changed occurrence to “{}”",
    "endless": "End “{}”",
}
Shape = Literal["split", "end", "explode", "reanchor"]


class CannotShape(CannotDo):
    """A series cannot be given this shape; the message says why."""

    code, title, status = "cannot-shape", "The series cannot be changed this way", 422


# ---- what is scattered ------------------------------------------------------------------------------------


@performs(JobKind.SCATTERED)
def scattered_job(context: JobContext) -> dict[str, object]:
    """Look for what belongs to one series, in each calendar."""
    store, series = context.store, list[Scattered]()
    with store.read() as connection:
        revision = revision_now(connection)
        calendars = list(names(connection, live=True))
        free = _holidays(connection)
    for number, calendar in enumerate(calendars):
        context.progress(number, len(calendars), "calendars")
        with store.read() as connection:
            series += _of_calendar(connection, calendar, free, context)
    with store.write() as connection:
        scattered.keep(connection, series, revision)
        return context.conclude(connection, {"found": len(series)})


def _holidays(connection: Connection) -> set[int]:
    """Days on which nothing is expected: those of calendars of holidays."""
    free: set[int] = set()
    for calendar in comparisons.holidays(connection):
        for item in comparisons.items_in(connection, calendar):
            if item.timed is not None and item.all_day and not item.is_series:
                first, last = item.timed.start_wall // DAY, (item.timed.end_wall - 1) // DAY
                free.update(range(first, min(last, first + 31) + 1))
    return free


def _of_calendar(connection: Connection, calendar: CalendarId, free: set[int], context: JobContext) -> list[Scattered]:
    items = comparisons.items_in(connection, calendar)
    singles = [
        Single(
            item.key,
            item.timed.start_wall,
            item.length,
            (item.component, words(item.title), item.timed.tzid, item.all_day, item.no_clock),
            item.all_day,
        )
        for item in items
        if item.timed is not None and not item.is_series and not item.recurrence_id and words(item.title)
    ]
    titles = {item.key: item.title for item in items}
    found = [_inferred(calendar, series, titles) for series in infer(singles, free, context.check)]
    shapes = [master.known for master in series_in(connection, calendar)]
    by_key = {one.key: one for one in shapes}
    for run in pieces(shapes):
        first = by_key[run[0]]
        description = f"{len(run)} consecutive parts"
        found.append(Scattered(0, "pieces", calendar, first.title, description, 0.9, list(run), {}))
    found += _forgotten(connection, calendar, by_key)
    orphans = [orphan.known for orphan in orphans_in(connection, calendar)]
    for attachment in attachments(shapes, orphans):
        home = by_key[attachment.series]
        at = from_wall_seconds(attachment.slot)
        description = f"a changed occurrence of {at:%Y-%m-%d %H:%M}, and a series that happens then"
        data = {"slot": attachment.slot}
        sure = 0.95 if attachment.sure else 0.75
        found.append(
            Scattered(
                0, "detached", calendar, home.title, description, sure, [attachment.series, attachment.orphan], data
            )
        )
    return found


def _forgotten(
    connection: Connection, calendar: CalendarId, shapes: dict[VersionId, SeriesShape[VersionId]]
) -> list[Scattered]:
    """Series without end that nobody has changed for years: what they are about may have ended. Yearly days may not."""
    series = []
    limit = this_day().replace(month=1, day=1) - _UNTOUCHED
    for key, modified in untouched(connection, calendar, wall_seconds_of(limit)):
        one = shapes.get(key)
        if one is None or any(rule.freq == "YEARLY" for rule in pattern(one.timed.recurrence).rules):
            continue
        began, changed = (from_wall_seconds(moment) for moment in (one.timed.start_wall, modified))
        text = f"without end since {began:%Y-%m-%d}, last changed on {changed:%Y-%m-%d}"
        series.append(Scattered(0, "endless", calendar, one.title, text, 0.6, [key], {"last": str(this_day())}))
    return series


def _inferred(calendar: CalendarId, inferred: Inferred[VersionId], titles: dict[VersionId, str]) -> Scattered:
    phrase = inferred.phrase
    rule = describe(parse_rule(phrase.rule), from_wall_seconds(phrase.start))
    more = [
        f"{counted(len(inferred.left_out), 'date')} left out" if inferred.left_out else "",
        f"{inferred.explained:,} of them on holidays" if inferred.explained else "",
        counted(len(phrase.extra), "extra date") if phrase.extra else "",
        f"{counted(len(inferred.moved), 'occurrence')} moved" if inferred.moved else "",
    ]
    data = {
        "phrase": _plain(phrase),
        "keys": list(inferred.keys),
        "moved": [list(pair) for pair in inferred.moved],
        "explained": inferred.explained,
    }
    entries = [*inferred.keys, *(key for _, key in inferred.moved)]
    words_ = "; ".join([rule, *filter(None, more)])
    return Scattered(0, "inferred", calendar, titles[inferred.keys[0]], words_, inferred.confidence, entries, data)


def _plain(phrase: Phrase) -> dict[str, object]:
    return {name: list(value) if isinstance(value, tuple) else value for name, value in phrase._asdict().items()}


def _read_inferred(row: Scattered) -> Inferred[int]:
    stored_phrase = row.data["phrase"]
    phrase = Phrase(
        stored_phrase["rule"],
        stored_phrase["start"],
        *(tuple(stored_phrase[name]) for name in ("hits", "left_out", "extra")),
    )
    moved = tuple((int(slot), int(key)) for slot, key in row.data["moved"])
    return Inferred(phrase, tuple(row.data["keys"]), moved, row.data["explained"], row.confidence)


@performs(JobKind.COMBINE)
def combine_job(context: JobContext) -> dict[str, object]:
    """Propose putting together what is scattered: some of it, or all of a kind that is sure enough."""
    parameters, store = context.params, context.store
    with store.read() as connection:
        if parameters["ids"]:
            chosen = scattered.some(connection, parameters["ids"])
        else:
            chosen = [
                series
                for series in scattered.page(connection, parameters["kind"], 0, None, parameters.get("calendar"))[1]
                if series.confidence >= parameters["least"]
            ]
    if not chosen:
        raise Refused("These entries have changed. Search again.")
    used: set[VersionId] = set()
    left: list[str] = []
    with propose(store, Kind.SERIES, context.by, "", nothing=None) as draft:
        draft.afterwards(context.conclude_with_set)
        done = 0
        for some in chunks(chosen, _AT_ONCE):
            context.progress(done, len(chosen), "series")
            done += len(some)
            with draft.stage() as writer:
                for series in some:
                    if used & set(series.entries):
                        continue
                    used.update(series.entries)
                    zones = zones_of(writer.connection, series.calendar)
                    try:
                        texts, plan = _plan(writer.connection, series)
                    except (CannotEdit, NotTheSame) as refused:
                        left.append(f"“{series.title}”: {refused}")
                        continue
                    put(draft, writer, series.calendar, texts, plan, zones)
        if not draft.changes:
            raise Refused(f"None of it can be combined. {' '.join(left[:4])}")
        draft.title = lambda tally: f"{_verb(chosen)}: {tally.what} in {tally.where}"
        kept = "" if any(series.kind == "endless" for series in chosen) else "All occurrences stay the same."
        if kept and any(series.kind == "detached" for series in chosen):
            kept = "Each attached occurrence replaces the one of its series. All other occurrences stay the same."
        draft.reason = f"Unchanged: {' '.join(left[:4])}" if left else kept
    return {"set_id": draft.id}


def _verb(chosen: list[Scattered]) -> str:
    kinds = {series.kind for series in chosen}
    if len(chosen) == 1:
        return _ONE[chosen[0].kind].format(chosen[0].title)
    if kinds == {"inferred"}:
        return f"Put {counted(len(chosen), 'scattered series', 'scattered series')} together"
    if kinds == {"pieces"}:
        return f"Join the parts of {counted(len(chosen), 'series', 'series')}"
    if kinds == {"endless"}:
        return f"End {counted(len(chosen), 'forgotten series', 'forgotten series')}"
    return f"Give back {counted(len(chosen), 'changed occurrence')}" if kinds == {"detached"} else "Combine series"


def _plan(connection: Connection, series: Scattered) -> tuple[dict[int, str], Plan]:
    """What putting together does, with the texts of what it is about."""
    zones = zones_of(connection, series.calendar)
    if series.kind == "inferred":
        texts = {int(key): text for key, text in texts_of(connection, series.entries).items()}
        return texts, gather(texts, _read_inferred(series), stamp(), zones)
    own = masters_of(connection, series.entries)
    if series.kind == "pieces":
        groups = groups_of(connection, series.calendar, [master for _, master in own], zones)
        texts = {member.id: member.text for group in groups for member in group.members}
        return texts, join(groups, stamp())
    if series.kind == "endless":
        [group] = groups_of(connection, series.calendar, [own[0][1]], zones)
        plan, _ = _shaped(group, series.entries[0], "end", series.data["last"])
        return {member.id: member.text for member in group.members}, plan
    [home] = groups_of(connection, series.calendar, [own[0][1]], zones)
    orphan = series.entries[1]
    text = texts_of(connection, [orphan])[orphan]
    attached = attach_override(text, home, series.data["slot"], stamp())
    return {int(orphan): text}, Plan([Edit(orphan, attached, "Attached to its series.")])


# ---- fixed --------------------------------------------------------------------------------------------


def orphans_alone(store: Store, ids: list[VersionId], by: By = PERSON) -> SetId:
    """Propose making changed occurrences without their series entries of their own.

    Raises:
        CannotShape: if they are not there any more.
    """
    with store.read() as connection:
        own = masters_of(connection, ids)
        texts = texts_of(connection, ids)
    if not own:
        raise CannotShape("These entries no longer exist.")
    by_calendar: defaultdict[CalendarId, list[VersionId]] = defaultdict(list)
    for calendar, master in own:
        by_calendar[calendar].append(master.id)
    with propose(store, Kind.SERIES, by, lambda tally: f"Detach {tally.what} in {tally.where}") as draft:
        for calendar, some in by_calendar.items():
            with draft.stage() as writer:
                zones = zones_of(writer.connection, calendar)
                plan = Plan([Edit(key, detach(texts[key], stamp()), "Stands alone.") for key in some])
                put(draft, writer, calendar, {int(key): texts[key] for key in some}, plan, zones)
    return draft.id


# ---- one series -------------------------------------------------------------------------------------------


def shape(store: Store, entry: VersionId, how: Shape, day: str = "", by: By = PERSON) -> SetId:
    """Propose another shape for a series.

    Args:
        day: of a split the day from which on it is a series of its own; of an end the last day.

    Raises:
        CannotShape: if it is no series, or cannot be given the shape.
    """
    with store.read() as connection:
        own = masters_of(connection, [entry])
        if not own or not own[0][1].known.is_master:
            raise CannotShape("This series no longer exists.")
        calendar, master = own[0]
        zones = zones_of(connection, calendar)
        [group] = groups_of(connection, calendar, [master], zones)
    texts = {member.id: member.text for member in group.members}
    try:
        plan, verb = _shaped(group, master.id, how, day)
    except (CannotEdit, NotTheSame) as refused:
        raise CannotShape(str(refused)) from refused
    title = f"{verb} “{master.known.title or 'a series'}”"
    with propose(store, Kind.SERIES, by, title, " ".join(plan.notes)) as draft, draft.stage() as writer:
        put(draft, writer, calendar, texts, plan, zones)
    return draft.id


def _shaped(group: Group, key: int, how: Shape, day: str) -> tuple[Plan, str]:
    series = group.series
    if series is None or group.master is None:
        raise CannotEdit("This is not a series.")
    if how == "explode":
        return explode(group, stamp()), "Convert to single events:"
    if how == "reanchor":
        return reanchor(group, stamp()), "Begin again"
    wall = wall_seconds_of(_day_of(day)) + (DAY if how == "end" else 0)
    slot = next(series.shape.each(series.begin, wall, 1 << 40), None)
    if slot is None:
        raise CannotEdit("It ends before that day.")
    if next(series.shape.each(series.begin, -(1 << 40), wall), None) is None:
        raise CannotEdit("It starts after that day.")
    if how == "end":
        return remove(group, key, slot, "following", stamp()), f"End on {day}:"
    fresh = fresh_uid(group.master.text, slot)
    same = fields_at(group.master.text, slot, group.zones)
    return edit(group, key, slot, "following", same, stamp(), fresh), f"Split on {day}:"


def _day_of(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise CannotEdit(f"“{text[:20]}” is not a date. Write 2026-12-31.") from None
