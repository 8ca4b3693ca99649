"""Changes in bulk: each step changes what it says and nothing else, and says what it cannot do."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.bulk import CannotChange, Subject, SubjectMember, change, demand
from datebridge.core.bulk.steps import (
    Alarms,
    AllDay,
    BeginSeries,
    Busy,
    Categories,
    CategoryInTitle,
    Delete,
    DropPeople,
    EndSeries,
    Fix,
    MapAddress,
    OneAlarm,
    PlainNotes,
    Privacy,
    Property,
    Replace,
    SayInNotes,
    Shift,
    Status,
    Step,
    Strip,
    Timed,
    step_in_words,
)
from datebridge.core.bulk.wording import replacing
from datebridge.core.checks import ALL, is_fixable
from datebridge.core.editing.writing import stamped, touched
from datebridge.core.text.component import ComponentEditor
from tests.conftest import event
from tests.depth import tries

FULL = """BEGIN:VEVENT
UID:tide
DTSTART;TZID=Atlantic/Reykjavik;X-SEEN=1:20261124T090000
DTEND;TZID=Atlantic/Reykjavik:20261124T100000
SUMMARY:Fwd: Tide tables\\, north
LOCATION;LANGUAGE=en:Wet lab
DESCRIPTION:See http://tidewrack.example/plan
X-ALT-DESC;FMTTYPE=text/html:<b>See</b>
CATEGORIES:Lab,lab visit
CATEGORIES;X-P=2:Tides
ORGANIZER;CN="Ida, of the lab";SENT-BY="mailto:desk@old.example":mailto:ida@old.example
ATTENDEE;PARTSTAT=ACCEPTED:MAILTO:Ruth@Old.example
ATTENDEE;PARTSTAT=NEEDS-ACTION:mailto:ruth@new.example
ATTENDEE;CN=Bo:mailto:bo@notold.example
ATTACH:http://tidewrack.example/chart.pdf
X-BUSY-STATE:AWAY
X-KEEP;A=b:me
BEGIN:VALARM
ACTION:EMAIL
TRIGGER:-PT30M
ATTENDEE:mailto:ida@old.example
SUMMARY:Fwd: Tide tables
DESCRIPTION:Soon
END:VALARM
END:VEVENT"""


def done(text: str, *steps: Step) -> tuple[str | None, tuple[str, ...]]:
    """The text after some steps, without new stamps, and what could not be done."""
    [outcome] = change(Subject([SubjectMember(1, text)]), steps)
    return outcome.text, outcome.why_not


def changed(text: str, step: Step) -> list[str]:
    """The lines that a step took out, then those it put in."""
    after, why_not = done(text, step)
    assert not why_not
    before, now = text.split("\n"), (after or "").split("\n")
    return [f"-{line}" for line in before if line not in now] + [f"+{line}" for line in now if line not in before]


@pytest.mark.parametrize(
    ("step", "lines"),
    [
        (
            Categories("add", ["LAB", "Moved, twice"]),
            ["-CATEGORIES;X-P=2:Tides", "+CATEGORIES;X-P=2:Tides,Moved\\, twice"],
        ),
        (Categories("remove", ["lab"]), ["-CATEGORIES:Lab,lab visit", "+CATEGORIES:lab visit"]),
        (Categories("remove", ["tides"]), ["-CATEGORIES;X-P=2:Tides"]),
        (Categories("set", ["Lab", "lab visit", "Tides"]), []),
        (Replace("title", "fwd: "), ["-SUMMARY:Fwd: Tide tables\\, north", "+SUMMARY:Tide tables\\, north"]),
        (Replace("title", "FWD", cases=True), []),
        (
            Replace("title", r"^(\w+): (.*), (\w+)$", r"\2 (\3)", pattern=True),
            ["-SUMMARY:Fwd: Tide tables\\, north", "+SUMMARY:Tide tables (north)"],
        ),
        (
            Replace("place", "(w)et", r"Höll \1 \\", pattern=True),
            ["-LOCATION;LANGUAGE=en:Wet lab", r"+LOCATION;LANGUAGE=en:Höll W \\ lab"],
        ),
        (Replace("place", "wet", "Dry"), ["-LOCATION;LANGUAGE=en:Wet lab", "+LOCATION;LANGUAGE=en:Dry lab"]),
        (
            Replace("notes", "tidewrack", "lantern"),
            [
                "-DESCRIPTION:See http://tidewrack.example/plan",
                "-X-ALT-DESC;FMTTYPE=text/html:<b>See</b>",
                "+DESCRIPTION:See http://lantern.example/plan",
            ],
        ),
        (Replace("category", "lab visit", "Visits"), ["-CATEGORIES:Lab,lab visit", "+CATEGORIES:Lab,Visits"]),
        (Busy(True), []),
        (Busy(False), ["+TRANSP:TRANSPARENT"]),
        (Privacy("PRIVATE"), ["+CLASS:PRIVATE"]),
        (Status("TENTATIVE"), ["+STATUS:TENTATIVE"]),
        (Strip("attachments"), ["-ATTACH:http://tidewrack.example/chart.pdf"]),
        (Strip("unknown", ["x-keep"]), ["-X-KEEP;A=b:me"]),
        (Strip("place"), ["-LOCATION;LANGUAGE=en:Wet lab"]),
        (Property("X-BUSY-STATE", "TRANSP", {"away": "OPAQUE"}), ["-X-BUSY-STATE:AWAY", "+TRANSP:OPAQUE"]),
        (Property("X-BUSY-STATE", "X-STATE", keep=True), ["+X-STATE:AWAY"]),
        (
            Alarms("strip"),
            [
                "-BEGIN:VALARM",
                "-ACTION:EMAIL",
                "-TRIGGER:-PT30M",
                "-ATTENDEE:mailto:ida@old.example",
                "-SUMMARY:Fwd: Tide tables",
                "-DESCRIPTION:Soon",
                "-END:VALARM",
            ],
        ),
        (
            Alarms("add", 10, "end"),
            ["+ACTION:DISPLAY", "+DESCRIPTION:Fwd: Tide tables\\, north", "+TRIGGER;RELATED=END:-PT10M"],
        ),
        (
            DropPeople(["@new.example", "bo@notold.example"]),
            ["-ATTENDEE;PARTSTAT=NEEDS-ACTION:mailto:ruth@new.example", "-ATTENDEE;CN=Bo:mailto:bo@notold.example"],
        ),
        (
            AllDay(),
            [
                "-DTSTART;TZID=Atlantic/Reykjavik;X-SEEN=1:20261124T090000",
                "-DTEND;TZID=Atlantic/Reykjavik:20261124T100000",
                "+DTSTART;X-SEEN=1;VALUE=DATE:20261124",
                "+DTEND;VALUE=DATE:20261125",
            ],
        ),
        (
            SayInNotes(),
            [
                "-DESCRIPTION:See http://tidewrack.example/plan",
                r"+DESCRIPTION:See http://tidewrack.example/plan\nBusy state: AWAY\nKeep: me",
            ],
        ),
        (
            SayInNotes(["attach", "LOCATION"]),
            [
                "-DESCRIPTION:See http://tidewrack.example/plan",
                r"+DESCRIPTION:See http://tidewrack.example/plan\nLocation: Wet lab"
                r"\nAttachment: http://tidewrack.example/chart.pdf",
            ],
        ),
        (OneAlarm(), []),
        (
            CategoryInTitle(),
            ["-SUMMARY:Fwd: Tide tables\\, north", "+SUMMARY:[Lab] [lab visit] [Tides] Fwd: Tide tables\\, north"],
        ),
        (Delete("no-title"), []),
        (EndSeries("2026-01-01"), []),
        (Delete(before="2026-11-24"), []),
    ],
    ids=lambda value: step_in_words(value) if not isinstance(value, list) else "",
)
def test_a_step_changes_the_lines_it_is_about(step: Step, lines: list[str]) -> None:
    found = changed(FULL, step)
    if isinstance(step, AllDay):  # how short an end of one day is said is the editor's business
        lines = [line for line in lines if not line.startswith("+DTEND")]
        found = [line for line in found if not line.startswith("+DTEND")]
    assert found == lines


def test_of_several_alarms_the_last_before_the_start_is_kept_or_the_first() -> None:
    def alarm(trigger: str) -> str:
        return f"BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER{trigger}\nEND:VALARM"

    alarms = [alarm(one) for one in (":-P1D", ":-PT10M", ":PT5M", ";RELATED=END:-PT1M", ";VALUE=DATE-TIME:20260101T0Z")]
    text = "\n".join(["BEGIN:VEVENT", "UID:1", "SUMMARY:x", *alarms, "END:VEVENT"])
    for keep, trigger in (("last", "TRIGGER:-PT10M"), ("first", "TRIGGER:-P1D")):
        after, _ = done(text, OneAlarm(keep))  # type: ignore[arg-type]
        assert [line for line in (after or "").split("\n") if line.startswith("TRIGGER")] == [trigger]


def test_formatted_notes_become_plain_ones_where_none_say_otherwise() -> None:
    styled = "BEGIN:VEVENT\nUID:1\nSUMMARY:x\nSTYLED-DESCRIPTION;FMTTYPE=text/html:<p>One</p><p>Two</p>\nEND:VEVENT"
    assert changed(styled, PlainNotes())[-1] == r"+DESCRIPTION:One\n\nTwo"
    _, why_not = done(styled.replace("SUMMARY:x", "DESCRIPTION:Three"), PlainNotes())
    assert why_not == ("plain notes: There are plain notes already, which say something else.",)


@tries(30, 1_000)
@given(
    st.lists(st.sampled_from(["X-A:1", "CONTACT:Ida", "X-B;P=q:two\\, three", "GEO:1;2", "CATEGORIES:a,b"]), max_size=6)
)
def test_remedies_done_twice_are_done_once_and_take_nothing_away(lines: list[str]) -> None:
    text = "\n".join(["BEGIN:VEVENT", "UID:1", "SUMMARY:x", *lines, "END:VEVENT"])
    for step in (SayInNotes(), SayInNotes(["CONTACT", "GEO"]), CategoryInTitle(), OneAlarm(), PlainNotes()):
        once, _ = done(text, step)
        twice, _ = done(once or "", step)
        kept = [line for line in text.split("\n") if not line.startswith("SUMMARY")]
        assert once == twice
        assert [line for line in (once or "").split("\n") if line in kept] == kept


def test_addresses_are_mapped_everywhere_and_nobody_is_invited_twice() -> None:
    assert changed(FULL, MapAddress("@old.example", "@new.example")) == [
        '-ORGANIZER;CN="Ida, of the lab";SENT-BY="mailto:desk@old.example":mailto:ida@old.example',
        "-ATTENDEE;PARTSTAT=ACCEPTED:MAILTO:Ruth@Old.example",
        "-ATTENDEE;PARTSTAT=NEEDS-ACTION:mailto:ruth@new.example",
        "-ATTENDEE:mailto:ida@old.example",
        '+ORGANIZER;CN="Ida, of the lab";SENT-BY="mailto:desk@new.example":mailto:ida@new.example',
        "+ATTENDEE;PARTSTAT=ACCEPTED:MAILTO:Ruth@new.example",
        "+ATTENDEE:mailto:ida@new.example",
    ]
    one = changed(FULL, MapAddress("ida@old.example", "office@new.example"))
    assert [line for line in one if "desk@" in line and line[0] == "+"] == [
        '+ORGANIZER;CN="Ida, of the lab";SENT-BY="mailto:desk@old.example":mailto:office@new.example'
    ]


@pytest.mark.parametrize(
    ("text", "step", "why"),
    [
        (FULL, Replace("title", ".*", "", pattern=True), "The title would be empty"),
        (FULL, Status("COMPLETED"), "An event cannot be completed"),
        (FULL, Property("X-BUSY-STATE", "TRANSP", {"HERE": "OPAQUE"}), "which the map does not name"),
        (FULL, Property("X-BUSY-STATE", "TRANSP"), "TRANSP cannot be “AWAY”"),
        (FULL, Property("X-KEEP", "LOCATION"), "There is a LOCATION already"),
        (FULL.replace("VEVENT", "VTODO"), Busy(False), "A to-do is neither busy nor free"),
        ("BEGIN:VEVENT\nDTSTART;VALUE=DATE:20261124\nEND:VEVENT", Shift(minutes=60), "hours and minutes do not apply"),
        ("BEGIN:VEVENT\nDTSTART:99991231T090000Z\nEND:VEVENT", Shift(days=9), "outside the supported years"),
        ("BEGIN:VEVENT\nSUMMARY:x\nEND:VEVENT", Shift(days=1), "start cannot be read"),
        (
            "BEGIN:VEVENT\nDTSTART:20261124T090000Z\nRRULE:FREQ=DAILY\nEND:VEVENT",
            EndSeries("2026-01-01"),
            "starts after",
        ),
        (
            "BEGIN:VEVENT\nDTSTART:20261124T090000Z\nRRULE:FREQ=DAILY;COUNT=3\nEND:VEVENT",
            BeginSeries("2027-01-01"),
            "ends before",
        ),
    ],
)
def test_what_does_not_apply_is_left_as_it_is_and_said(text: str, step: Step, why: str) -> None:
    after, why_not = done(text, step)
    assert after == text
    assert why in " ".join(why_not)


@pytest.mark.parametrize(
    "steps",
    [
        [],
        [Shift()],
        [Replace("title", "")],
        [Replace("title", "(", pattern=True)],
        [Replace("title", "a", r"\7", pattern=True)],
        [MapAddress("@a.example", "b@a.example")],
        [MapAddress("here", "@there.example")],
        [Categories("add", [" "])],
        [DropPeople([])],
        [Property("UID", "X-UID")],
        [Property("SUMMARY", "LOCATION")],
        [Fix("no-start")],
        [Delete()],
        [Delete(before="soon")],
        [EndSeries("2026-02-30")],
        [Timed(at="25:00")],
        [Timed(zone="Nowhere/Land")],
    ],
)
def test_steps_that_could_be_done_to_nothing_are_refused(steps: list[Step]) -> None:
    with pytest.raises(CannotChange):
        demand(steps)


@pytest.mark.parametrize(
    "pattern",
    ["a{10000000}", "(a{500}){500}", "(?R)?a", "(a)(?1)", "(" * 1_000, "((" * 40 + "a" + "))" * 40, "a" * 5_000],
)
def test_a_pattern_that_would_take_room_without_end_is_refused_in_words(pattern: str) -> None:
    with pytest.raises(CannotChange, match=r"\.$"):
        replacing(pattern, "", True, True)


def test_a_pattern_that_would_take_for_ever_does_not() -> None:
    text = f"BEGIN:VEVENT\nSUMMARY:{'a' * 5_000}\nEND:VEVENT"
    after, why_not = done(text, Replace("title", "(a|aa)+b", pattern=True))
    assert after == text
    assert not why_not or "takes too long" in why_not[0]


def test_what_is_changed_says_when_and_people_are_told_only_where_times_move() -> None:
    text = "BEGIN:VEVENT\nUID:1\nDTSTART:20261124T090000Z\nSEQUENCE:4\nEND:VEVENT"
    for step, sequence in ((Categories("add", ["A"]), "4"), (Shift(days=1), "5"), (Busy(True), "4")):
        [outcome] = change(Subject([SubjectMember(1, text)], stamp="20261126T120000Z"), [step])
        assert outcome.text is not None
        assert f"SEQUENCE:{sequence}" in outcome.text
        assert ("LAST-MODIFIED:20261126T120000Z" in outcome.text) == (outcome.text != text)


STAMPS = [
    "DTSTAMP:20200101T000000Z",
    "dtstamp:20200101T000000Z",
    "DTSTAMP;X-A=1:20200101T000000Z",
    "LAST-MODIFIED:20200101T000000Z",
    "SEQUENCE:7",
    "SEQUENCE:many",
    "SEQUENCE;X=1:2",
    "SUMMARY:DTSTAMP:no",
    "X-DTSTAMP:keep",
]
NESTED = ["BEGIN:VALARM", "DTSTAMP:20200101T000000Z", "SEQUENCE:3", "END:VALARM"]


@tries(60, 2_000)
@given(st.lists(st.sampled_from(STAMPS), unique=True, max_size=5), st.booleans(), st.integers(0, 5), st.booleans())
def test_the_quick_way_of_stamping_says_what_the_slow_one_says(
    lines: list[str], nested: bool, at: int, tell: bool
) -> None:
    own = [*lines[:at], *(NESTED if nested else []), *lines[at:]]
    text = "\n".join(["BEGIN:VEVENT", "UID:1", *own, "END:VEVENT"])
    slow = ComponentEditor(text)
    touched(slow, "20261126T120000Z", tell)
    assert sorted(stamped(text, "20261126T120000Z", tell).split("\n")) == sorted(slow.text.split("\n"))
    assert stamped(text, "20261126T120000Z", tell).split("\n")[-1] == "END:VEVENT"


@pytest.mark.parametrize("code", [code for code in ALL if is_fixable(code)])
def test_whatever_check_says_can_be_put_right_a_recipe_can(code: str) -> None:
    demand([Fix(code)])


def test_what_is_wrong_with_a_series_is_put_right_with_all_of_it_and_only_where_it_was_chosen() -> None:
    master = event("a", "Watch", "20261201T080000Z", "RRULE:FREQ=DAILY;COUNT=3;UNTIL=20261204T080000Z", "DURATION:PT1H")
    same = event("a", "Watch", "20261202T080000Z", "RECURRENCE-ID:20261202T080000Z", "DURATION:PT1H")
    members = [SubjectMember(1, master), SubjectMember(2, same)]
    found = {one.key: one.text for one in change(Subject(members, stamp="20261130T000000Z"), [Fix("override-same")])}
    assert found == {1: master, 2: None}
    (both,) = change(Subject([SubjectMember(1, master)], stamp="20261130T000000Z"), [Fix("count-and-until")])
    assert both.text is not None
    assert ("COUNT" in both.text) != ("UNTIL" in both.text)
    left = change(
        Subject([SubjectMember(1, master), SubjectMember(2, same, chosen=False)], stamp="20261130T000000Z"),
        [Fix("override-same")],
    )
    assert [one.text for one in left] == [master]
