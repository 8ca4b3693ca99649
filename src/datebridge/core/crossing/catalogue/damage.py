"""Damaged entries: what a strict target refuses, a check each. They come with files from everywhere."""

from __future__ import annotations

from datebridge.core.crossing.features import DOMAIN, START, Feature, Group, event
from datebridge.core.crossing.refusals import RefuseProblems

_ORGANISER = f"ORGANIZER;SCHEDULE-AGENT=CLIENT:mailto:organiser@{DOMAIN}"
_ROWS: tuple[tuple[str, str, tuple[str, ...], tuple[str, ...]], ...] = (
    ("bad-address", "Invalid attendee address", START, (_ORGANISER, "ATTENDEE;SCHEDULE-AGENT=CLIENT:Ida")),
    ("bad-date", "Invalid date", START, ("RRULE:FREQ=DAILY;COUNT=3", "EXDATE:20261345T090000Z")),
    ("bad-duration", "Invalid length", (START[0], "DURATION:ONE HOUR"), ()),
    ("bad-rule", "Invalid repeat rule", START, ("RRULE:FREQ=SOMETIMES",)),
    (
        "bad-trigger",
        "Invalid time of a reminder",
        START,
        ("BEGIN:VALARM", "ACTION:DISPLAY", "DESCRIPTION:x", "TRIGGER:SOON", "END:VALARM"),
    ),
    ("count-and-until", "Rule with COUNT and UNTIL", START, ("RRULE:FREQ=DAILY;COUNT=3;UNTIL=20260320T090000Z",)),
    ("end-before-start", "End before the start", (START[0], "DTEND:20260301T090000Z"), ()),
    ("incomplete-alarm", "Reminder without its time", START, ("BEGIN:VALARM", "ACTION:DISPLAY", "END:VALARM")),
    ("bad-parameter", "Parameter without a closing quotation mark", START, ('LOCATION;ALTREP="open:Pier 3',)),
    ("loose-value", "Spaces in a date", ("DTSTART:20260302T 90000Z", "DURATION:PT1H"), ()),
    ("not-a-content-line", "Line that is not a property", START, ("this is no line",)),
    ("mixed-types", "Start with a time, end without", (START[0], "DTEND;VALUE=DATE:20260303"), ()),
    ("negative-duration", "Length below zero", (START[0], "DURATION:-PT1H"), ()),
    ("no-start", "Event without a start", (), ()),
    ("unquoted-zone", "Zone name that is not quoted", ("DTSTART;TZID=(UTC+01:00) Harbour:20260302T090000",), ()),
)


def _damaged(check: str, words: str, times: tuple[str, ...], lines: tuple[str, ...]) -> Feature:
    name = f"damaged-{check}"
    text = event(name, *lines, times=times)
    focus = tuple(dict.fromkeys(line.partition(":")[0].partition(";")[0] for line in (*times, *lines)))
    guesses = ((RefuseProblems(frozenset({check})),),)
    return Feature(name, words, Group.DAMAGE, "breaks", ((text,),), focus or ("SUMMARY",), guesses, ("fix",))


FEATURES = tuple(_damaged(*row) for row in _ROWS)
