"""Nothing of a private entry is let through, however damaged the file is: whatever could mean private is private."""

from __future__ import annotations

from io import BytesIO

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.sharing.gathering import SharedContent, gather, source_of
from datebridge.core.sharing.terms import Detail, Guarded, Terms
from datebridge.core.text.reader import Reader
from datebridge.core.zones.meaning import Zones
from tests.core.sharing.test_terms import TICKS, forms
from tests.depth import tries

_CLASSES = st.sampled_from(("CLASS:PRIVATE", "CLASS:CONFIDENTIAL", "CLASS:X-CREW", "class;X=1:private", "CLASS:"))
_HIDDEN = st.sampled_from((" ", "\t", "\0", "\ufeff", "\u200b", "\x85", "\u2028", "\v", "\x1c", "-", "Ç"))


def read(text: str) -> tuple[list[object], dict[int, Zones], dict[int, str]]:
    """The entries of a file, what its calendars define, and their own lines."""
    components = list(Reader(BytesIO(text.encode())))
    zones = {one.calendar: Zones() for one in components}
    for one in components:
        if one.name == "VTIMEZONE":
            zones[one.calendar].add("", one.text)
    headers = {one.calendar: one.text for one in components if one.name == "VCALENDAR"}
    entries = [one for one in components if one.name not in ("VTIMEZONE", "VCALENDAR")]
    return [source_of(one.name, one.text, one.calendar, zones[one.calendar]) for one in entries], zones, headers


def given_of(text: str, terms: Terms) -> SharedContent:
    sources, zones, headers = read(text)
    return gather(sources, zones, terms, b"secret", headers=headers)  # type: ignore[arg-type]


def wrapped(*lines: str) -> str:
    return "\r\n".join(["BEGIN:VCALENDAR", "VERSION:2.0", *lines, "END:VCALENDAR", ""])


def event(uid: str, word: str, *lines: str, start: str = "20261124T090000Z") -> list[str]:
    """An event that says a word in many places."""
    return [
        "BEGIN:VEVENT",
        f"UID:{uid}",
        f"DTSTART;X-WHY={word}:{start}",
        f"SUMMARY;LANGUAGE={word}:Visit {word}",
        *lines,
        f"LOCATION:{word}",
        f"DESCRIPTION:{word}",
        f"ATTENDEE;CN={word}:mailto:{word}@skerrow.example",
        f"X-NOTE;MEMBER={word}:{word}",
        "BEGIN:VALARM",
        "ACTION:DISPLAY",
        f"DESCRIPTION:{word}",
        "TRIGGER:-PT5M",
        "END:VALARM",
        "END:VEVENT",
    ]


@st.composite
def damaged(draw: st.DrawFn) -> str:
    """A file with public and private entries, the private ones saying "zq…", with damage in many places."""
    lines: list[str] = []
    for number in range(draw(st.integers(1, 3))):
        how = draw(st.sampled_from(("single", "series", "override", "nested", "public")))
        said = draw(_CLASSES)
        word, uid = f"zq{number}s", f"uid{number}"
        slot = f'RECURRENCE-ID;X-WHY="{word}":20261125T090000Z'
        if how == "public":
            lines += event(uid, "open")
        elif how == "single":
            lines += event(uid, word, said)
        elif how == "series":
            lines += event(uid, word, "RRULE:FREQ=DAILY;COUNT=3", said)
            own = draw(st.sampled_from(("CLASS:PUBLIC", "X-A:1", "CLASS:CONFIDENTIAL")))
            lines += event(uid, word, slot, own, start="20261125T100000Z")
        elif how == "override":
            lines += event(uid, "open", "RRULE:FREQ=DAILY;COUNT=3")
            lines += event(uid, word, slot, said, start="20261125T100000Z")
        else:
            inner = ["BEGIN:VALARM", *event(f"in{number}", word), "END:VALARM"]
            lines += event(uid, word, *draw(st.permutations([inner, [said]]).map(lambda two: two[0] + two[1])))
    fences = [at for at, line in enumerate(lines) if line.startswith(("BEGIN:", "END:"))]
    places = draw(st.sets(st.sampled_from([at for at in range(len(lines)) if at not in fences]), max_size=5))
    places |= draw(st.sets(st.sampled_from(fences), max_size=1))  # of two, nobody could say what stood in what
    for at in sorted(places, reverse=True):
        lines[at : at + 1] = _broken(draw, lines[at])
    return wrapped(*lines)


def _broken(draw: st.DrawFn, line: str) -> list[str]:
    """What damage makes of a line: everything but what makes an entry another, or takes away that it is private."""
    fence, identity = line.startswith(("BEGIN:", "END:")), line.startswith("UID")
    kinds = ["double", "case", "param"]
    if not identity:
        kinds += ["hidden", "cut", "colon", "glued", "quote", "open"]
    if fence:
        kinds += ["lost"]
    kind = draw(st.sampled_from(kinds))
    at = draw(st.integers(0, len(line)))
    head, _, value = line.partition(":")
    return {
        "double": [line, line],
        "case": [line.swapcase() if not identity else line],
        "param": [f"{head};X-P=1:{value}"],
        "hidden": [line[:at] + draw(_HIDDEN) + line[at:]],
        "cut": [line[:at], line[at:]],
        "colon": [draw(st.sampled_from((f"{head} :{value}", f"{head} {value}", f"{head};{value}")))],
        "glued": [f"X-BEFORE:1{line}" if not fence else f"{line} "],
        "quote": [f'{head};X-P="a:{value}":PUBLIC'],
        "open": [f'{head};X-P="a:{value}'],
        "lost": [],
    }[kind]


@tries(60, 2_000)
@given(damaged(), st.sampled_from(Detail), st.sampled_from((Guarded.LEAVE_OUT, Guarded.BUSY)), TICKS)
def test_no_damage_lets_anything_of_a_private_entry_through(
    text: str, detail: Detail, private: Guarded, ticks: dict[str, bool]
) -> None:
    terms = Terms(detail, private=private, confidential=Guarded.LEAVE_OUT, todos=True, **ticks)
    for name, said in forms(given_of(text, terms)).items():
        assert "zq" not in said.casefold(), (name, text)


@pytest.mark.parametrize(
    "lines",
    [
        ["CLASS :PRIVATE"],
        ["CLASS PRIVATE"],
        ['CLASS;X="a:PRIVATE":PUBLIC'],
        ['CLASS;X="a:PRIVATE'],
        ["CLA", "SS:PRIVATE"],
        ["CLASS:PRI", "VATE"],
        ["BEGIN:VALARM", "CLASS:PRIVATE"],
        ["BEGIN;X=1:X-NOTE", "CLASS:PRIVATE"],
        ["CLASS:PUBLIC", "CLASS:X-CREW"],
        ["X-BEFORE:1CLASS:PRIVATE"],
        ["\u0421LASS:PRIVATE"],
        ["X-SENSITIVITY:private"],
        [
            "BEGIN:VALARM",
            "BEGIN:VEVENT",
            "UID:2",
            "SUMMARY:zq",
            "DTSTART:20261124T090000Z",
            "END:VEVENT",
            "END:VALARM",
            "CLASS:PRIVATE",
        ],
    ],
    ids=lambda lines: lines[-1],
)
def test_what_could_mean_private_is_private(lines: list[str]) -> None:
    text = wrapped("BEGIN:VEVENT", "UID:1", "DTSTART:20261124T090000Z", "SUMMARY:zq", *lines, "END:VEVENT")
    assert not given_of(text, Terms(Detail.EVERYTHING, unknown=True)).entries


def test_words_that_only_look_so_are_public() -> None:
    lines = "SUMMARY:Yoga class: beginners (private)", "CLASS: public ", "CATEGORIES:Private"
    text = wrapped("X-WR-CALNAME:Private", "BEGIN:VEVENT", "UID:1", "DTSTART:20261124T090000Z", *lines, "END:VEVENT")
    assert given_of(text, Terms(Detail.EVERYTHING)).in_words == "1 of 1 entry"


@pytest.mark.parametrize(
    ("series", "own", "left"), [("CONFIDENTIAL", "PRIVATE", 2), ("PRIVATE", "PUBLIC", 0), ("PUBLIC", "CONFIDENTIAL", 1)]
)
def test_the_stricter_of_a_series_and_its_override_counts(series: str, own: str, left: int) -> None:
    text = wrapped(
        *event("1", "watch", f"CLASS:{series}", "RRULE:FREQ=DAILY;COUNT=3"),
        *event("1", "own", f"CLASS:{own}", "RECURRENCE-ID:20261125T090000Z", start="20261125T100000Z"),
    )
    found = given_of(text, Terms(Detail.TITLES, private=Guarded.AS_OTHERS))
    assert sum(found.left_out.values()) == left


def test_a_left_out_date_says_nothing_of_what_it_stands_for() -> None:
    slot = 'RECURRENCE-ID;TZID="Clinic of Dr Zq";X-WHY=surgery:20261125T090000'
    zone = [
        "BEGIN:VTIMEZONE",
        "TZID:Clinic of Dr Zq",
        "BEGIN:STANDARD",
        "DTSTART:19700101T000000",
        "TZOFFSETFROM:+0000",
        "TZOFFSETTO:+0000",
        "END:STANDARD",
        "END:VTIMEZONE",
    ]
    text = wrapped(
        *zone,
        *event("1", "watch", "RRULE:FREQ=DAILY;COUNT=3"),
        *event("1", "own", "CLASS:PRIVATE", slot, start="20261125T100000Z"),
    )
    for detail in Detail:
        every = forms(given_of(text, Terms(detail, unknown=True)))
        assert "EXDATE" in every["ics"]
        assert not [form for form, said in every.items() if "Zq" in said or "surgery" in said]


def test_parameters_say_only_what_is_listed() -> None:
    lines = "SUMMARY;LANGUAGE=en-GB-x-zq:Berth", "X-NOTE;CN=zq;MEMBER=zq;X-A=1:fine", "X-WHO:mailto:zq@skerrow.example"
    text = wrapped("BEGIN:VEVENT", "UID:1", "DTSTART:20261124T090000Z", *lines, "END:VEVENT")
    for detail in (Detail.WITHOUT_PEOPLE, Detail.TITLES):
        every = forms(given_of(text, Terms(detail, unknown=True)))
        assert "SUMMARY;LANGUAGE=en-GB:Berth" in every["ics"]
        assert "X-NOTE;X-A=1:fine" in every["ics"]
        assert not [form for form, said in every.items() if "zq" in said]
