"""Features of times: plain ones first, then time zones, whole days, lengths, far dates; and UIDs."""

from __future__ import annotations

from datebridge.core.crossing.features import (
    DOMAIN,
    MARK,
    START,
    UID_TWICE,
    Feature,
    Group,
    Harm,
    event,
    line_feature,
)
from datebridge.core.crossing.refusals import RefuseKind
from datebridge.core.crossing.rules import Another, InUtc, LeaveOut, NewUid, Rule
from datebridge.core.zones.defined import define

#: A name for a zone that is in no database, and goes by its definition.
OWN_ZONE = "Skerrow Harbour Clock"
_UTC: tuple[tuple[Rule, ...], ...] = ((InUtc(),),)


def _times(name: str, words: str, harm: Harm, *lines: str, group: Group = Group.TIMES) -> Feature:
    return line_feature(name, words, group, harm, times=lines, focus=("DTSTART", "DTEND", "DURATION"), guesses=_UTC)


def _uid(name: str, words: str, *uids: str) -> Feature:
    objects = tuple((event(name, uid=uid),) for uid in uids)
    return Feature(name, words, Group.UIDS, "alters", objects, ("UID",), ((NewUid(),),))


FEATURES = (
    Feature(
        "plain",
        "Plain event in UTC",
        Group.TIMES,
        "breaks",
        ((event("plain"),),),
        ("DTSTART", "DTEND", "SUMMARY"),
        ((NewUid(),), (LeaveOut("DTEND"),)),
    ),
    Feature("uid", "UID", Group.UIDS, "alters", ((event("uid"),),), ("UID",), ((NewUid(),),)),
    _uid("uid-characters", "UID with spaces and slashes", f"{MARK}a b/c?d#{DOMAIN}"),
    _uid("uid-long", "UID of 1 kB", f"{MARK}{'x' * 1000}@{DOMAIN}"),
    _uid("uid-case", "UIDs that differ in upper and lower case", f"{MARK}Case@{DOMAIN}", f"{MARK}case@{DOMAIN}"),
    Feature(UID_TWICE, "The same UID in two calendars", Group.UIDS, "breaks", ((event("plain"),),), ()),
    line_feature("created", "Date of creation", Group.TIMES, "untidy", "CREATED:20200102T030405Z"),
    line_feature("last-modified", "Date of the last change", Group.TIMES, "untidy", "LAST-MODIFIED:20200102T030405Z"),
    line_feature("sequence", "Revision number", Group.TIMES, "untidy", "SEQUENCE:7"),
    _times(
        "zone",
        "Time in a zone of the database",
        "breaks",
        "DTSTART;TZID=Europe/Oslo:20260702T090000",
        "DTEND;TZID=Europe/Oslo:20260702T100000",
        group=Group.ZONES,
    ),
    Feature(
        "zone-own",
        "Time in a zone with a definition of its own",
        Group.ZONES,
        "breaks",
        ((event("zone-own", times=(f"DTSTART;TZID={OWN_ZONE}:20260702T090000", "DURATION:PT1H")),),),
        ("DTSTART",),
        ((InUtc(defined=True),),),
        (),
        ((OWN_ZONE, define(OWN_ZONE, "America/Halifax", 2026, 2027)),),
    ),
    _times(
        "zone-unknown",
        "Time in a zone that nobody knows",
        "breaks",
        "DTSTART;TZID=Nowhere/Nobody:20260702T090000",
        "DTEND;TZID=Nowhere/Nobody:20260702T100000",
        group=Group.ZONES,
    ),
    _times(
        "floating", "Floating time", "breaks", "DTSTART:20260302T090000", "DTEND:20260302T100000", group=Group.ZONES
    ),
    _times("all-day", "All-day event", "breaks", "DTSTART;VALUE=DATE:20260302", "DTEND;VALUE=DATE:20260303"),
    _times("all-day-open", "All-day event without an end", "breaks", "DTSTART;VALUE=DATE:20260302"),
    _times(
        "days", "All-day event of several days", "breaks", "DTSTART;VALUE=DATE:20260302", "DTEND;VALUE=DATE:20260330"
    ),
    _times("nights", "Event over several days", "breaks", "DTSTART:20260302T090000Z", "DTEND:20260305T100000Z"),
    _times("duration", "Length by DURATION", "breaks", "DTSTART:20260302T090000Z", "DURATION:PT90M"),
    _times("duration-days", "Length in days", "breaks", "DTSTART:20260302T090000Z", "DURATION:P2D"),
    _times("zero-length", "Event of no length", "alters", "DTSTART:20260302T090000Z", "DTEND:20260302T090000Z"),
    _times("no-end", "Event without an end", "alters", "DTSTART:20260302T090000Z"),
    _times("year-1890", "Date in 1890", "breaks", "DTSTART:18900302T090000Z", "DTEND:18900302T100000Z"),
    _times("year-2190", "Date in 2190", "breaks", "DTSTART:21900302T090000Z", "DTEND:21900302T100000Z"),
    line_feature(
        "todo",
        "To-do",
        Group.KINDS,
        "breaks",
        times=(),
        kind="VTODO",
        focus=("VTODO",),
        guesses=((RefuseKind("VTODO"),),),
    ),
    line_feature("todo-start", "To-do with a start", Group.KINDS, "alters", START[0], times=(), kind="VTODO"),
    line_feature(
        "todo-due", "To-do with a due date", Group.KINDS, "breaks", "DUE:20260302T100000Z", times=(), kind="VTODO"
    ),
    line_feature(
        "todo-percent", "Progress of a to-do", Group.KINDS, "alters", "PERCENT-COMPLETE:40", times=(), kind="VTODO"
    ),
    line_feature(
        "todo-completed",
        "To-do that was completed",
        Group.KINDS,
        "alters",
        "COMPLETED:20260302T100000Z",
        "STATUS:COMPLETED",
        times=(),
        kind="VTODO",
        guesses=((Another("STATUS", "COMPLETED"),),),
    ),
    line_feature(
        "todo-sub-task",
        "Sub-task of a to-do",
        Group.KINDS,
        "alters",
        f"RELATED-TO;RELTYPE=PARENT:{MARK}todo@{DOMAIN}",
        times=(),
        kind="VTODO",
    ),
    line_feature(
        "journal",
        "Journal",
        Group.KINDS,
        "breaks",
        times=("DTSTART;VALUE=DATE:20260302",),
        kind="VJOURNAL",
        focus=("VJOURNAL",),
        guesses=((RefuseKind("VJOURNAL"),),),
    ),
)
