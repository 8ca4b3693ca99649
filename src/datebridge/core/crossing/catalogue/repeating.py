"""Features of series: parts of rules alone and in company, further dates, exception dates, changed occurrences."""

from __future__ import annotations

from datebridge.core.crossing.features import START, Feature, Group, Harm, event, line_feature
from datebridge.core.crossing.refusals import RefuseLoneOverride, RefuseRule
from datebridge.core.crossing.rules import LeaveOut, LeaveOutParameters, LeaveOutRule, MasterOnly, Rule

_RULES = (
    ("daily", "Every day", "FREQ=DAILY;COUNT=5", "FREQ=DAILY"),
    ("weekly", "Every week", "FREQ=WEEKLY;COUNT=5", "FREQ=WEEKLY"),
    ("weekdays", "On weekdays", "FREQ=WEEKLY;BYDAY=MO,WE,FR;COUNT=9", "BYDAY"),
    ("week-start", "Start of the week", "FREQ=WEEKLY;INTERVAL=2;WKST=SU;BYDAY=MO,SU;COUNT=6", "WKST"),
    ("interval", "Every third week", "FREQ=WEEKLY;INTERVAL=3;COUNT=4", "INTERVAL"),
    ("until", "Until a moment", "FREQ=DAILY;UNTIL=20260320T090000Z", "UNTIL"),
    ("endless", "Without an end", "FREQ=WEEKLY", "ENDLESS"),
    ("month-day", "On a day of the month", "FREQ=MONTHLY;BYMONTHDAY=2;COUNT=4", "BYMONTHDAY"),
    ("month-last-day", "On the last day of the month", "FREQ=MONTHLY;BYMONTHDAY=-1;COUNT=4", "BYMONTHDAY=-"),
    ("month-weekday", "On the first Monday of the month", "FREQ=MONTHLY;BYDAY=1MO;COUNT=4", "FREQ=MONTHLY"),
    ("month-last-weekday", "On the last Friday of the month", "FREQ=MONTHLY;BYDAY=-1FR;COUNT=4", "FREQ=MONTHLY"),
    ("set-position", "On the last working day", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=4", "BYSETPOS"),
    ("yearly", "Every year", "FREQ=YEARLY;COUNT=3", "FREQ=YEARLY"),
    ("by-month", "In certain months", "FREQ=YEARLY;BYMONTH=3,9;COUNT=4", "BYMONTH="),
    ("year-weekday", "On a weekday of a month", "FREQ=YEARLY;BYMONTH=3;BYDAY=1MO;COUNT=3", "FREQ=YEARLY"),
    ("week-number", "In certain weeks", "FREQ=YEARLY;BYWEEKNO=10;BYDAY=MO;COUNT=3", "BYWEEKNO"),
    ("year-day", "On a day of the year", "FREQ=YEARLY;BYYEARDAY=61;COUNT=3", "BYYEARDAY"),
    ("hourly", "Every six hours", "FREQ=HOURLY;INTERVAL=6;COUNT=4", "FREQ=HOURLY"),
    ("by-hour", "At several hours", "FREQ=DAILY;BYHOUR=9,15;COUNT=4", "BYHOUR"),
    ("by-minute", "At several minutes", "FREQ=DAILY;BYHOUR=9;BYMINUTE=0,30;COUNT=4", "BYMINUTE"),
    ("by-second", "At several seconds", "FREQ=DAILY;BYSECOND=0,30;COUNT=4", "BYSECOND"),
    ("skip", "Skipped days moved (RFC 7529)", "RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=BACKWARD;COUNT=4", "SKIP"),
)
_DAILY = "RRULE:FREQ=DAILY;COUNT=6"
_SERIES = ("DTSTART:20260302T090000Z", "DTEND:20260302T100000Z", _DAILY)
_THIRD = "RECURRENCE-ID:20260304T090000Z"
_MASTER: tuple[tuple[Rule, ...], ...] = ((MasterOnly(),),)


def _rule(name: str, words: str, rule: str, part: str) -> Feature:
    """A series by a rule; `part` is what of it a target may not know."""
    return line_feature(
        f"rule-{name}",
        words,
        Group.RULES,
        "breaks",
        f"RRULE:{rule}",
        guesses=((RefuseRule(part),), (LeaveOutRule(part),)),
        remedies=("end-series",) if name == "endless" else (),
    )


def _changed(
    name: str,
    words: str,
    harm: Harm,
    lines: tuple[str, ...],
    focus: tuple[str, ...] = ("RECURRENCE-ID", "DTSTART", "STATUS"),
    master: tuple[str, ...] = _SERIES,
    guesses: tuple[tuple[Rule, ...], ...] = (),
    remedies: tuple[str, ...] = (),
) -> Feature:
    """A series with a changed occurrence, which has some lines of its own."""
    texts = (event(name, times=master), event(name, times=lines))
    return Feature(name, words, Group.CHANGES, harm, (texts,), focus, (*_MASTER, *guesses), remedies)


FEATURES = (
    *(_rule(*row) for row in _RULES),
    line_feature(
        "rdate",
        "Further dates",
        Group.RULES,
        "breaks",
        "RRULE:FREQ=DAILY;COUNT=3",
        "RDATE:20260315T090000Z",
        focus=("RDATE",),
    ),
    line_feature(
        "rdate-period",
        "Further dates with lengths of their own",
        Group.RULES,
        "breaks",
        "RRULE:FREQ=DAILY;COUNT=3",
        "RDATE;VALUE=PERIOD:20260316T090000Z/PT3H",
        focus=("RDATE",),
    ),
    line_feature(
        "exdate", "Exception dates", Group.RULES, "breaks", _DAILY, "EXDATE:20260303T090000Z", focus=("EXDATE",)
    ),
    line_feature(
        "exdate-day",
        "Exception dates of all-day series",
        Group.RULES,
        "breaks",
        _DAILY,
        "EXDATE;VALUE=DATE:20260303",
        times=("DTSTART;VALUE=DATE:20260302",),
        focus=("EXDATE",),
    ),
    line_feature(
        "exrule",
        "Exception rule (RFC 2445)",
        Group.RULES,
        "breaks",
        _DAILY,
        "EXRULE:FREQ=WEEKLY;COUNT=1",
        focus=("EXRULE",),
    ),
    _changed("changed", "Changed occurrence", "breaks", (_THIRD, "DTSTART:20260304T090000Z", "DTEND:20260304T113000Z")),
    _changed("moved", "Moved occurrence", "breaks", (_THIRD, "DTSTART:20260305T140000Z", "DTEND:20260305T150000Z")),
    _changed("cancelled", "Cancelled occurrence", "breaks", (_THIRD, "DTSTART:20260304T090000Z", "STATUS:CANCELLED")),
    _changed(
        "changed-day",
        "Changed occurrence of an all-day series",
        "breaks",
        ("RECURRENCE-ID;VALUE=DATE:20260304", "DTSTART;VALUE=DATE:20260307", "DTEND;VALUE=DATE:20260309"),
        master=("DTSTART;VALUE=DATE:20260302", "DTEND;VALUE=DATE:20260303", _DAILY),
    ),
    _changed(
        "this-and-future",
        "Changed from an occurrence on (RANGE)",
        "breaks",
        ("RECURRENCE-ID;RANGE=THISANDFUTURE:20260304T090000Z", "DTSTART:20260304T110000Z", "DTEND:20260304T120000Z"),
        focus=("RECURRENCE-ID;RANGE",),
        guesses=((LeaveOutParameters("RANGE", "RECURRENCE-ID"),),),
        remedies=("second-series",),
    ),
    Feature(
        "lone-override",
        "Changed occurrence without its series",
        Group.CHANGES,
        "breaks",
        ((event("lone-override", times=(_THIRD, *START)),),),
        ("RECURRENCE-ID",),
        ((RefuseLoneOverride(),), (LeaveOut("RECURRENCE-ID"),)),
    ),
    Feature(
        "many-overrides",
        "500 changed occurrences",
        Group.CHANGES,
        "breaks",
        (
            (
                event("many-overrides", times=(*START, "RRULE:FREQ=HOURLY;COUNT=600")),
                *(
                    event(
                        "many-overrides",
                        times=(f"RECURRENCE-ID:{day}T{hour:02}0000Z", f"DTSTART:{day}T{hour:02}1500Z", "DURATION:PT5M"),
                    )
                    for day in (20260303 + n for n in range(21))
                    for hour in range(24)
                ),
            ),
        ),
        ("RECURRENCE-ID",),
        _MASTER,
    ),
)
