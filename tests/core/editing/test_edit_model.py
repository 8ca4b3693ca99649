"""After any edit, the occurrences differ exactly where it was asked; checked against the model of `series_model`."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from dateutil.rrule import rrulestr
from hypothesis import assume, event, given
from hypothesis import strategies as st

from datebridge.core.editing.fields import CannotEdit
from datebridge.core.editing.groups import Group, Plan, SeriesMember, fields_at
from datebridge.core.editing.series import edit, remove
from datebridge.core.editing.writing import rewritten
from datebridge.core.index.derive import derive
from datebridge.core.occurrences.expanding import timed
from datebridge.core.occurrences.series import Series
from datebridge.core.recurrence.starts import DAY
from tests.core.editing.series_model import HORIZON, Happens, expand, instant
from tests.depth import tries

TITLE = "Crane check"
STAMP = "20261125T120000Z"
ZONES = ["America/Halifax", "Australia/Hobart", "Atlantic/Reykjavik"]
RULES = [
    "FREQ=DAILY",
    "FREQ=DAILY;INTERVAL=3",
    "FREQ=WEEKLY",
    "FREQ=WEEKLY;BYDAY=MO,TH",
    "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,SU",
    "FREQ=MONTHLY",
    "FREQ=MONTHLY;BYMONTHDAY=5,20",
    "FREQ=MONTHLY;BYMONTHDAY=-1",
    "FREQ=MONTHLY;BYDAY=2TU",
    "FREQ=MONTHLY;BYDAY=-1FR",
    "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1",
    "FREQ=YEARLY",
    "FREQ=YEARLY;BYMONTH=3,10;BYDAY=-1SU",
    "FREQ=YEARLY;BYYEARDAY=60,-30",
    "FREQ=DAILY;BYHOUR=9,15",
    "FREQ=MONTHLY;INTERVAL=2",
    "FREQ=WEEKLY;BYDAY=TU;BYHOUR=8,22",
]
SHIFTS = st.sampled_from([0, 3600, -1800, 5 * 3600, DAY, -DAY, DAY + 3600, 7 * DAY, 10 * 3600, 40])


def _basic(wall: datetime) -> str:
    return f"{wall:%Y%m%dT%H%M%S}"


@st.composite
def series(draw: st.DrawFn) -> tuple[str, str]:
    """The text of a series, and its zone ("" for whole days)."""
    zone = draw(st.sampled_from([*ZONES, *ZONES, ""]))
    rule = draw(st.sampled_from(RULES))
    if not zone:
        rule = rule.replace("BYHOUR=9,15", "INTERVAL=2").replace(";BYHOUR=8,22", "")
    near = draw(
        st.sampled_from([datetime(2026, 3, 1), datetime(2026, 3, 30), datetime(2026, 10, 1), datetime(2026, 10, 28)])
    )
    hour = draw(st.sampled_from([0, 1, 2, 9, 14, 22])) if zone else 0
    near += timedelta(days=draw(st.integers(0, 12)), hours=hour, minutes=30 * draw(st.booleans()) if zone else 0)
    near += timedelta(seconds=draw(st.sampled_from([0, 0, 17]))) if zone else timedelta()
    start = rrulestr(rule, dtstart=near)[0]  # in step with its rule, as the standard wants it
    known = list(rrulestr(f"{rule};COUNT=12", dtstart=start))
    limit = draw(st.sampled_from(["", f"COUNT={draw(st.integers(1, 12))}", "UNTIL"]))
    if limit == "UNTIL":
        until = known[draw(st.integers(0, 11))]
        limit = (
            f"UNTIL={until:%Y%m%d}"
            if not zone
            else f"UNTIL={_basic(until.replace(tzinfo=ZoneInfo(zone)).astimezone(UTC))}Z"
        )
    kind = f";TZID={zone}" if zone else ";VALUE=DATE"

    def said(wall: datetime) -> str:
        return _basic(wall) if zone else f"{wall:%Y%m%d}"

    lines = ["BEGIN:VEVENT", "UID:a", "DTSTAMP:20260101T000000Z", f"DTSTART{kind}:{said(start)}"]
    long = draw(st.sampled_from([0, 3600, 8 * 3600, 26 * 3600]))
    form = draw(st.sampled_from(["DTEND", "DURATION", "NONE", "ELSEWHERE"]))
    if form == "DTEND" and (long or not zone):
        end = start + (timedelta(seconds=long) if zone else timedelta(days=2))
        lines.append(f"DTEND{kind}:{said(end)}")
    elif form == "ELSEWHERE" and zone and long:
        end = (start.replace(tzinfo=ZoneInfo(zone)).astimezone(UTC) + timedelta(seconds=long)).astimezone(
            ZoneInfo(ZONES[1])
        )
        lines.append(f"DTEND;TZID={ZONES[1]}:{_basic(end)}")
    elif form == "DURATION":
        lines.append(f"DURATION:{draw(st.sampled_from(['PT8H', 'P1D', 'P1DT2H', 'PT45M'])) if zone else 'P2D'}")
    lines.append("RRULE:" + ";".join(filter(None, [rule, limit])))
    extra = start + timedelta(days=draw(st.integers(-9, 40)), hours=5 if zone else 0)
    match draw(st.sampled_from(["", "", "RDATE", "PERIOD", "SPAN"])):
        case "RDATE":
            lines.append(f"RDATE{kind}:{said(extra)}")
        case "PERIOD" if zone:
            lines.append(f"RDATE;VALUE=PERIOD;TZID={zone}:{said(extra)}/PT3H")
        case "SPAN" if zone:
            lines.append(f"RDATE;VALUE=PERIOD;TZID={zone}:{said(extra)}/{said(extra + timedelta(hours=3))}")
    match draw(st.sampled_from(["", "", "EXDATE", "DAY", "UTC"])):
        case "EXDATE":
            lines.append(f"EXDATE{kind}:{said(known[2])}")
        case "DAY" if zone:
            lines.append(f"EXDATE;VALUE=DATE:{known[3]:%Y%m%d}")
        case "UTC" if zone:
            lines.append(f"EXDATE:{_basic(known[2].replace(tzinfo=ZoneInfo(zone)).astimezone(UTC))}Z")
    return "\n".join([*lines, f"SUMMARY:{TITLE}", "X-KEPT;ODD:as it is", "END:VEVENT"]), zone


def _texts(group: Group, plan: Plan) -> list[str]:
    changed = {e.id: e.text for e in plan.edits if e.id is not None}
    texts = [*(changed.get(m.id, m.text) for m in group.members), *(e.text for e in plan.edits if e.id is None)]
    return [text for text in texts if text]


def _by_engine(texts: list[str], zone: str) -> list[tuple[datetime, datetime, str]]:
    found = []
    high = int(HORIZON.replace(tzinfo=UTC).timestamp())
    for uid in {derive("VEVENT", text).uid for text in texts}:
        own = [text for text in texts if derive("VEVENT", text).uid == uid]
        facts = [derive("VEVENT", text) for text in own]
        entries = [t for k, one in enumerate(facts) if (t := timed(one, k))]
        for one in Series(entries, zone or "UTC").between(0, high + 3 * DAY):
            begin, end = (datetime.fromtimestamp(at, UTC) for at in (one.start, one.end))
            if not zone:
                begin, end = begin.replace(tzinfo=None), end.replace(tzinfo=None)
            found.append((begin, end, facts[one.entry].summary))
    return sorted(found)


def _within(found: Iterable[tuple[Any, ...]], zone: str) -> list[tuple[datetime, datetime, str]]:
    limit = HORIZON - timedelta(days=60)
    limit = limit.replace(tzinfo=UTC) if zone else limit
    return sorted((one[0], one[1], one[2]) for one in found if one[0] < limit)


@tries(100, 20_000)
@given(series())
def test_the_engine_agrees_with_the_model(case: tuple[str, str]) -> None:
    text, zone = case
    assert _within(_by_engine([text], zone), zone) == _within(expand([text]), zone)


@tries(150, 20_000)
@given(
    series(),
    st.integers(0, 9),
    st.sampled_from(["one", "following", "all"]),
    SHIFTS,
    st.sampled_from([0, 0, 3600, -900]),
    st.booleans(),
    st.sampled_from(["", "", "", *ZONES]),
)
def test_an_edit_changes_what_was_asked(
    case: tuple[str, str], place: int, scope: str, shift: int, longer: int, renamed: bool, other: str
) -> None:
    text, zone = case
    before = expand([text])
    slot = _slot_of(text, zone, place)
    group = Group([SeriesMember(1, text)], zone or None)
    shown = fields_at(text, slot)
    shift = shift if zone else shift // DAY * DAY
    longer = longer if zone and not shift else 0
    zone_after = other if zone and other and not shift and not longer and scope != "one" else zone
    after = replace(shown, title="Another" if renamed else TITLE, zone=zone_after)
    if shift or longer:
        begin, end = datetime.fromisoformat(shown.start), datetime.fromisoformat(shown.end)
        after.start = (begin + timedelta(seconds=shift)).isoformat()[: 19 if zone else 10]
        after.end = (end + timedelta(seconds=shift + longer)).isoformat()[: 19 if zone else 10]
        assume(after.end >= after.start)
    try:
        plan = edit(group, 1, slot, scope, after, STAMP, "b")  # type: ignore[arg-type]
    except CannotEdit as error:
        event("cannot be said")
        assert shift or zone_after != zone
        if not error.dates:
            return
        plan = edit(group, 1, slot, scope, after, STAMP, "b", listed=True)  # type: ignore[arg-type]
    texts = _texts(group, plan)
    assert all("X-KEPT;ODD:as it is" in one for one in texts)
    at = (
        instant(datetime.fromtimestamp(slot, UTC).replace(tzinfo=ZoneInfo(zone)))
        if zone
        else datetime.fromtimestamp(slot, UTC).replace(tzinfo=None)
    )
    wanted = []
    for one in before:
        asked = one.begin == at if scope == "one" else scope == "all" or one.begin >= at
        wanted.append(_edited(one, zone, zone_after, shift, longer, after.title) if asked else one)
    if longer and scope != "one":  # a PERIOD keeps its length, and a new length is that of the occurrence edited
        assume("PERIOD" not in text and "DURATION:P1D" not in text)
        assume(_settled(before, at, zone))
    if shift and scope == "one":  # of one, both times are what was typed: its length is theirs
        assume(_settled(before, at, zone))
    found = expand(texts)
    told, expected = _within(found, zone), _within(sorted(wanted), zone)
    if "DURATION:P1D" in text and (shift or zone_after != zone):  # as long in days, so not in hours
        told, expected = (sorted((begin, title) for begin, _, title in side) for side in (told, expected))  # type: ignore[misc]
    assert told == expected
    assert _within(_by_engine(texts, zone_after), zone) == _within(found, zone)


def _slot_of(text: str, zone: str, place: int) -> int:
    facts = derive("VEVENT", text)
    entry = timed(facts, 1)
    assert entry is not None
    slots = sorted({one.slot for one in Series([entry], zone or "UTC").between(0, 1_830_000_000)})
    assume(bool(slots))
    return slots[min(place, len(slots) - 1)]


def _edited(one: Happens, zone: str, zone_after: str, shift: int, longer: int, title: str) -> Happens:
    if not zone:
        return Happens(one.begin + timedelta(seconds=shift), one.end + timedelta(seconds=shift), title, one.wall)
    # The wall time moves; how long it takes stays, and so do the days of a length told in days.
    wall = one.wall + timedelta(seconds=shift)
    begin = instant(wall.replace(tzinfo=ZoneInfo(zone_after)))
    return Happens(begin, begin + (one.end - one.begin) + timedelta(seconds=longer), title, wall)


def _settled(before: list[Happens], at: datetime, zone: str) -> bool:
    own = next(one for one in before if one.begin == at)
    around = (
        [(own.begin + timedelta(days=k)).astimezone(ZoneInfo(zone)).utcoffset() for k in range(-9, 11)] if zone else [0]
    )
    return len(set(around)) == 1


@tries(100, 20_000)
@given(series(), st.integers(0, 9), st.sampled_from(["one", "following"]))
def test_a_deletion_takes_out_what_was_asked(case: tuple[str, str], place: int, scope: str) -> None:
    text, zone = case
    slot = _slot_of(text, zone, place)
    before = expand([text])
    at = (
        instant(datetime.fromtimestamp(slot, UTC).replace(tzinfo=ZoneInfo(zone)))
        if zone
        else datetime.fromtimestamp(slot, UTC).replace(tzinfo=None)
    )
    group = Group([SeriesMember(1, text)], zone or None)
    found = expand(_texts(group, remove(group, 1, slot, scope, STAMP)))  # type: ignore[arg-type]
    left = [one for one in before if (one.begin != at if scope == "one" else one.begin < at)]
    assert _within(found, zone) == _within(left, zone)


@tries(60, 10_000)
@given(series(), st.sampled_from(["title", "place", "notes", "privacy", "categories"]))
def test_what_is_no_time_changes_no_time(case: tuple[str, str], name: str) -> None:
    text, _ = case
    fields = fields_at(text, None)
    changed = rewritten(text, replace(fields, **{name: ["X"] if name == "categories" else "PRIVATE"}), STAMP)
    dated = ("DTSTART", "DTEND", "DURATION", "RRULE", "RDATE", "EXDATE", "X-KEPT")
    assert [one for one in changed.split("\n") if one.startswith(dated)] == [
        one for one in text.split("\n") if one.startswith(dated)
    ]
