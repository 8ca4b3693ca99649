"""Each check by value; what is put right has its finding no more, and nothing else is touched."""

from __future__ import annotations

import gc

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.checks import ALL, CHECKS, REVISIONS, examine
from datebridge.core.checks.census import CENSUS, Census
from datebridge.core.checks.of_series import OF_SERIES
from datebridge.core.index.facts import Mark
from datebridge.core.text.lines import escape_text
from tests.depth import tries

DIAL = "Join by telephone: +354 555 0101, pin 12345, or at https://meet.example/9"
#: For each check, lines that have it, beside an entry that is sound.
WRONG: dict[str, list[str]] = {
    "alarm-twice": [
        "DTSTART:20261124T090000Z",
        "BEGIN:VALARM",
        "UID:a",
        "TRIGGER:-PT15M",
        "ACTION:DISPLAY",
        "END:VALARM",
        "BEGIN:VALARM",
        "ACTION:DISPLAY",
        "TRIGGER:-PT15M",
        "UID:b",
        "END:VALARM",
    ],
    "bad-address": [
        "DTSTART:20261124T090000Z",
        "ORGANIZER:mailto:Ida Moe <ida@skerrow.example>",
        "ATTENDEE;CN=Bo:bo@skerrow.example",
    ],
    "bad-date": ["DTSTART:20260230T090000Z"],
    "bad-duration": ["DTSTART:20261124T090000Z", "DURATION:two hours"],
    "bad-parameter": ["DTSTART:20261124T090000Z", 'LOCATION;ALTREP="http://x:Pier'],
    "bad-rule": ["DTSTART:20261124T090000Z", "RRULE:FREQ=SOMETIMES"],
    "bad-trigger": ["DTSTART:20261124T090000Z", "BEGIN:VALARM", "ACTION:DISPLAY", "TRIGGER:soon", "END:VALARM"],
    "count-and-until": ["DTSTART:20261124T090000Z", "RRULE:FREQ=DAILY;COUNT=3;UNTIL=20261201T000000Z"],
    "damaged-text": ["DTSTART:20261124T090000Z", "SUMMARY:Fundur Ã­ ReykjavÃ­k\\, sÃ¦ti", "LOCATION;LANGUAGE=is:HÃ¶fn"],
    "duration-and-end": ["DTSTART:20261124T090000Z", "DTEND:20261124T100000Z", "DURATION:PT2H"],
    "end-before-start": ["DTSTART:20261124T090000Z", "DTEND:20261124T080000Z"],
    "exrule": ["DTSTART:20261124T090000Z", "RRULE:FREQ=DAILY;COUNT=9", "EXRULE:FREQ=WEEKLY;COUNT=2"],
    "footer-twice": [
        "DTSTART:20261124T090000Z",
        f"DESCRIPTION:Bring charts.\\n\\n{DIAL}\\n-----------\\n{DIAL}\\n\\nThanks",
    ],
    "inline-attachment": ["DTSTART:20261124T090000Z", f"ATTACH;VALUE=BINARY;ENCODING=BASE64:{'QUJD' * 10_000}"],
    "late-alarm": [
        "DTSTART:20261124T090000Z",
        "DTEND:20261124T100000Z",
        "BEGIN:VALARM",
        "ACTION:DISPLAY",
        "TRIGGER:PT2H",
        "END:VALARM",
    ],
    "loose-value": ["DTSTART:20261124T 90000Z"],
    "many-alarms": [
        "DTSTART:20261124T090000Z",
        *(line for k in range(5) for line in ("BEGIN:VALARM", "ACTION:DISPLAY", f"TRIGGER:-PT{k}M", "END:VALARM")),
    ],
    "markup": [
        "DTSTART:20261124T090000Z",
        'DESCRIPTION:<p>Bring <b>charts</b>&nbsp\\; and</p><ul><li>a <a href="https://x.example/p">plan</a></li></ul>',
    ],
    "misplaced-property": ["DTSTART:20261124T090000Z", "DUE:20261125T090000Z"],
    "misfit-rule": ["DTSTART:20261124T090000Z", "RRULE:FREQ=WEEKLY;BYDAY=1TU"],
    "incomplete-alarm": ["DTSTART:20261124T090000Z", "BEGIN:VALARM", "TRIGGER:-PT5M", "END:VALARM"],
    "mixed-types": ["DTSTART:20261124T090000Z", "DTEND;VALUE=DATE:20261125"],
    "negative-duration": ["DTSTART:20261124T090000Z", "DURATION:-PT1H"],
    "no-organizer": ["DTSTART:20261124T090000Z", "ATTENDEE:mailto:ida@skerrow.example"],
    "no-start": ["SUMMARY:Some day"],
    "no-uid": ["DTSTART:20261124T090000Z"],
    "not-a-content-line": ["DTSTART:20261124T090000Z", "and bring the charts"],
    "invalid-rule-part": ["DTSTART:20261124T090000Z", "RRULE:FREQ=DAILY;COUNT=-1"],
    "repeated-property": ["DTSTART:20261124T090000Z", "SUMMARY:One", "SUMMARY:Two"],
    "rule-too-long": ["DTSTART:20200101T000000Z", "RRULE:FREQ=HOURLY;INTERVAL=7;BYDAY=MO;BYMONTHDAY=13;COUNT=99999"],
    "unquoted-zone": ["DTSTART;TZID=GMT+01:00:20261124T090000"],
    "unresolved-zone": ["DTSTART;TZID=Harbour Time:20261124T090000"],
    "until-type": ["DTSTART:20261124T090000Z", "RRULE:FREQ=DAILY;UNTIL=20261201"],
    "value-type": ["DTSTART:20261124"],
}
#: What only shows beside a zone definition is in the tests of zones.
ELSEWHERE = {"zone-contradiction"}


def text_of(lines: list[str], uid: str = "UID:1") -> str:
    return "\n".join(["BEGIN:VEVENT", *([uid] if uid else []), *lines, "END:VEVENT"])


def codes(text: str) -> set[str]:
    return {problem.code for problem in examine("VEVENT", text).problems}


def test_every_check_has_its_example() -> None:
    assert set(WRONG) | ELSEWHERE == set(CHECKS)
    assert set(ALL) == set(CHECKS) | {check.code for check in (*CENSUS, *OF_SERIES)} == set(REVISIONS)


@pytest.mark.parametrize("code", sorted(WRONG))
def test_a_check_finds_what_it_is_for_at_its_line(code: str) -> None:
    text = text_of(WRONG[code], "" if code == "no-uid" else "UID:1")
    facts = examine("VEVENT", text)
    assert code in {problem.code for problem in facts.problems}
    assert facts.marks & Mark.PROBLEM
    for problem in facts.problems:
        assert problem.message.endswith(".")
        assert 0 <= problem.line <= text.count("\n") + 1


def test_nothing_is_wrong_with_what_is_sound() -> None:
    sound = text_of(["DTSTART:20261124T090000Z", "DTEND:20261124T100000Z", "RRULE:FREQ=WEEKLY;COUNT=3", "SUMMARY:Tide"])
    assert codes(sound) == set()
    assert not examine("VEVENT", sound).marks & Mark.PROBLEM


FIXED = {
    "alarm-twice": WRONG["alarm-twice"][:6],
    "bad-address": [
        "DTSTART:20261124T090000Z",
        "ORGANIZER:mailto:ida@skerrow.example",
        "ATTENDEE;CN=Bo:mailto:bo@skerrow.example",
    ],
    "damaged-text": ["DTSTART:20261124T090000Z", "SUMMARY:Fundur í Reykjavík\\, sæti", "LOCATION;LANGUAGE=is:Höfn"],
    "footer-twice": [
        "DTSTART:20261124T090000Z",
        f"DESCRIPTION:{escape_text(f'Bring charts.{chr(10) * 2}{DIAL}{chr(10) * 2}Thanks')}",
    ],
    "markup": ["DTSTART:20261124T090000Z", "DESCRIPTION:Bring charts  and\\n\\n- a plan (https://x.example/p)"],
    "duration-and-end": ["DTSTART:20261124T090000Z", "DTEND:20261124T100000Z"],
    "loose-value": ["DTSTART:20261124T090000Z"],
    "unquoted-zone": ['DTSTART;TZID="GMT+01:00":20261124T090000'],
    "value-type": ["DTSTART;VALUE=DATE:20261124"],
}


def test_what_can_be_put_right_is_tried_here() -> None:
    assert {code for code, check in CHECKS.items() if check.fix} == {*FIXED, "no-uid"}


@pytest.mark.parametrize("code", sorted(FIXED))
def test_a_fix_rewrites_what_is_wrong(code: str) -> None:
    fix = CHECKS[code].fix
    assert fix is not None
    assert fix(text_of(WRONG[code])) == text_of(FIXED[code])


def test_a_uid_that_is_given_is_always_the_same() -> None:
    fix = CHECKS["no-uid"].fix
    assert fix is not None
    bare = text_of(WRONG["no-uid"], "")
    given_one = fix(bare)
    assert given_one is not None
    assert given_one == fix(bare)
    assert "no-uid" not in codes(given_one)
    assert fix(given_one) is None


BESIDES = [
    "SUMMARY:Tide at the pier",
    "X-BERTH;X-SIDE=port:12:20",
    "DESCRIPTION:DTSTART:20261124",
    "CATEGORIES:a,b",
    "BEGIN:VALARM",
    "ACTION:DISPLAY",
    "DURATION:PT5M",
    "REPEAT:2",
    "TRIGGER:-PT15M",
    "END:VALARM",
]


@tries(60, 2_000)
@given(st.sampled_from(sorted(FIXED)), st.integers(0, 4), st.lists(st.sampled_from(sorted(WRONG)), max_size=2))
def test_a_fix_takes_its_finding_away_and_touches_nothing_else(code: str, at: int, others: list[str]) -> None:
    fix = CHECKS[code].fix
    assert fix is not None
    lines = [*BESIDES[:at], *WRONG[code], *BESIDES[4:]]
    lines += [line for other in others if other != code for line in WRONG[other] if not line.startswith("DTSTART")]
    text = text_of(lines)
    result = fix(text)
    if result is None:  # what another one says stands in the way, and is put right first
        assert code not in codes(text) or others
        return
    assert code not in codes(result)
    assert fix(result) is None
    names = {line.partition(":")[0].partition(";")[0] for line in WRONG[code]}
    kept = [line for line in text.split("\n") if line.partition(":")[0].partition(";")[0] not in names]
    stays = [line for line in result.split("\n") if line.partition(":")[0].partition(";")[0] not in names]
    assert stays == kept


@tries(60, 2_000)
@given(
    st.lists(st.tuples(st.sampled_from("ab"), st.sampled_from(["", "1", "2"]), st.sampled_from(["VEVENT", "VTODO"])))
)
def test_the_census_says_who_stands_twice_and_who_stands_alone(entries: list[tuple[str, str, str]]) -> None:
    census: Census[int] = Census()
    for key, (uid, recurrence, component) in enumerate(entries):
        census.add(component, uid, recurrence, key)
    expected = set()
    for key, (uid, recurrence, component) in enumerate(entries):
        masters = sum(1 for other in entries if other == (uid, "", component))
        if recurrence and not masters:
            expected.add((key, "override-without-master"))
        elif not recurrence and masters > 1:
            expected.add((key, "two-masters"))
    assert {(key, problem.code) for key, problem in census.problems()} == expected


def test_reading_an_entry_leaves_nothing_that_only_a_search_for_cycles_would_free() -> None:
    texts = ["\n".join(["BEGIN:VEVENT", "UID:a", *lines, "END:VEVENT"]) for lines in WRONG.values()]
    for text in texts:
        examine("VEVENT", text)  # what is made once and kept has been made
    gc.collect()
    gc.disable()
    try:
        for text in texts:
            examine("VEVENT", text)
        assert gc.collect() == 0
    finally:
        gc.enable()


@pytest.mark.parametrize(
    ("notes", "left"),
    [
        ("Join <https://meet.example/abc> or ask <ida@x.example>", None),
        ("a<b then c>d\\, <Name of guest>", None),
        ("<p>Join <https://meet.example/abc></p> if a<b then c>d", "Join <https://meet.example/abc>\\nif a<b then c>d"),
        ("<b>Ask</b> <ida@x.example> &amp; <Name of guest>", "Ask <ida@x.example> & <Name of guest>"),
        ("Left <i> here", None),
    ],
)
def test_only_elements_are_markup(notes: str, left: str | None) -> None:
    text = f"BEGIN:VEVENT\nUID:1\nDESCRIPTION:{notes}\nEND:VEVENT"
    fixed = CHECKS["markup"].fix(text)
    assert (fixed and fixed.split("\n")[2].partition(":")[2]) == left
