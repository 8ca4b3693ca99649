"""Edits: only the lines of what differs are changed, and a series does afterwards what was asked of it."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.checks import examine
from datebridge.core.editing.fields import Alarm, CannotEdit, Fields, Person, read_fields
from datebridge.core.editing.groups import Group, Plan, SeriesMember, fields_at
from datebridge.core.editing.moving import Move, move_rule
from datebridge.core.editing.series import Scope, edit, remove
from datebridge.core.editing.writing import as_event, new_event, rewritten
from datebridge.core.moments import Moment, from_wall_seconds, parse_moment
from datebridge.core.occurrences.expanding import timed
from datebridge.core.occurrences.series import Series
from tests.depth import tries

STAMP = "20261125T120000Z"
ZONE = "America/Halifax"
KEPT = ["X-TIDEWRACK-SHIFT;FOO=bar:DAY", "X-ODD", "COMMENT:as it was", "GEO:44.1;-63.2"]
MASTER = "\n".join(
    [
        "BEGIN:VEVENT",
        "UID:a",
        "DTSTAMP:20260101T000000Z",
        KEPT[0],
        f"DTSTART;TZID={ZONE}:20261102T090000",
        f"DTEND;TZID={ZONE}:20261102T100000",
        "RRULE:FREQ=WEEKLY;BYDAY=MO;COUNT=8",
        f"EXDATE;TZID={ZONE}:20261109T090000",
        "SUMMARY:Crane check",
        *KEPT[1:],
        'ATTENDEE;X-NOTE=7;CN="Moe, Ida";PARTSTAT=ACCEPTED:mailto:ida@skerrow.example',
        "ATTACH;FILENAME=plan.pdf:https://skerrow.example/plan.pdf",
        "BEGIN:VALARM",
        "ACTION:AUDIO",
        "TRIGGER:-PT15M",
        "X-SOUND:bell",
        "END:VALARM",
        "END:VEVENT",
    ]
)
OVERRIDE = "\n".join(
    [
        "BEGIN:VEVENT",
        "UID:a",
        f"RECURRENCE-ID;TZID={ZONE}:20261130T090000",
        f"DTSTART;TZID={ZONE}:20261201T110000",
        f"DTEND;TZID={ZONE}:20261201T113000",
        "SUMMARY:Crane check, late",
        "END:VEVENT",
    ]
)
GROUP = Group([SeriesMember(1, MASTER), SeriesMember(2, OVERRIDE)], ZONE)


def _slot(month: int, day: int) -> int:
    return parse_moment(f"2026{month:02d}{day:02d}T090000").wall_seconds


def _happens(*texts: str | None) -> list[str]:
    entries = [t for k, text in enumerate(texts) if text and (t := timed(examine("VEVENT", text), k))]
    found = Series(entries, ZONE).between(0, 1 << 32)
    return [f"{from_wall_seconds(o.shown_start):%m-%d %H:%M}" for o in found]


def _after(plan: Plan) -> list[str]:
    """The texts there are once a plan is carried out, by UID."""
    changed = {e.id: e.text for e in plan.edits if e.id is not None}
    kept = [changed.get(m.id, m.text) for m in GROUP.members]
    return [t for t in (*kept, *(e.text for e in plan.edits if e.id is None)) if t]


def _by_uid(plan: Plan) -> list[list[str]]:
    groups: dict[str, list[str]] = {}
    for text in _after(plan):
        groups.setdefault(examine("VEVENT", text).uid, []).append(text)
    return [_happens(*texts) for texts in groups.values()]


def _at(slot: int | None, **changes: object) -> Fields:
    return replace(fields_at(MASTER, slot), **changes)  # type: ignore[arg-type]


def test_what_is_not_touched_keeps_its_bytes() -> None:
    assert rewritten(MASTER, read_fields(MASTER), STAMP) == MASTER
    fields = read_fields(MASTER)
    fields.title, fields.notes, fields.privacy = "Crane, check; twice", "two\nlines", "PRIVATE"
    changed = rewritten(MASTER, fields, STAMP)
    gone = set(MASTER.split("\n")) - set(changed.split("\n"))
    assert gone == {"SUMMARY:Crane check", "DTSTAMP:20260101T000000Z"}
    assert read_fields(changed) == fields


@tries(60, 2_000)
@given(
    st.fixed_dictionaries(
        {},
        optional={
            "title": st.text(min_size=1).map(str.strip).filter(lambda t: t and t.isprintable()),
            "place": st.text().map(str.strip).filter(str.isprintable),
            "busy": st.booleans(),
            "categories": st.lists(st.sampled_from(["LAB", "a,b", "c;d"]), unique=True),
            "travel": st.integers(0, 300),
            "alarms": st.lists(
                st.builds(Alarm, st.sampled_from(["start", "end"]), st.integers(-3000, 20000)), max_size=3
            ),
            "attendees": st.lists(
                st.builds(
                    Person,
                    st.just("A B"),
                    st.sampled_from(["a@x.example", "b@x.example"]),
                    st.sampled_from(["", "DECLINED"]),
                ),
                max_size=2,
                unique_by=lambda p: p.address,
            ),
            "attachments": st.just([]),
            "start": st.just("2026-11-02T08:30"),
            "rule": st.just("FREQ=DAILY;COUNT=3"),
        },
    )
)
def test_what_is_written_is_read_back_and_unknown_lines_survive(changes: dict[str, object]) -> None:
    wanted = replace(read_fields(MASTER), **changes)  # type: ignore[arg-type]
    changed = rewritten(MASTER, wanted, STAMP)
    found = read_fields(changed)
    for place, alarm in enumerate(wanted.alarms):
        alarm.place = place
    assert found == wanted
    assert [line for line in changed.split("\n") if line in KEPT] == KEPT
    assert rewritten(changed, found, STAMP) == changed


def test_one_occurrence_becomes_an_override_and_the_rest_stays() -> None:
    plan = edit(
        GROUP, 1, _slot(11, 16), "one", _at(_slot(11, 16), start="2026-11-17T08:00", end="2026-11-17T09:00"), STAMP, "b"
    )
    assert _by_uid(plan) == [
        ["11-02 09:00", "11-17 08:00", "11-23 09:00", "12-01 11:00", "12-07 09:00", "12-14 09:00", "12-21 09:00"]
    ]
    assert all(line in _after(plan)[-1] for line in KEPT)
    assert f"RECURRENCE-ID;TZID={ZONE}:20261116T090000" in _after(plan)[-1]


def test_all_move_with_their_left_out_and_changed_occurrences() -> None:
    plan = edit(
        GROUP, 1, _slot(11, 16), "all", _at(_slot(11, 16), start="2026-11-17T10:00", end="2026-11-17T11:30"), STAMP, "b"
    )
    assert _by_uid(plan) == [
        ["11-03 10:00", "11-17 10:00", "11-24 10:00", "12-01 11:00", "12-08 10:00", "12-15 10:00", "12-22 10:00"]
    ]
    assert plan.notes == ["1 changed occurrence keeps what was changed, and when."]


def test_changed_occurrences_that_no_longer_fall_in_the_series_are_named() -> None:
    plan = edit(GROUP, 1, _slot(11, 2), "all", _at(_slot(11, 2), rule="FREQ=WEEKLY;BYDAY=MO;COUNT=2"), STAMP, "b")
    assert _by_uid(plan) == [["11-02 09:00"]]
    assert plan.notes == ["1 changed occurrence no longer falls in the series and will be deleted."]


def test_this_and_all_after_begin_a_series_of_their_own() -> None:
    plan = edit(
        GROUP,
        1,
        _slot(11, 23),
        "following",
        _at(_slot(11, 23), title="New crane", start="2026-11-23T14:00", end="2026-11-23T15:00"),
        STAMP,
        "b",
    )
    assert _by_uid(plan) == [
        ["11-02 09:00", "11-16 09:00"],
        ["11-23 14:00", "12-01 11:00", "12-07 14:00", "12-14 14:00", "12-21 14:00"],
    ]


@pytest.mark.parametrize(
    ("scope", "left"),
    [
        ("one", ["11-02 09:00", "11-23 09:00", "12-01 11:00", "12-07 09:00", "12-14 09:00", "12-21 09:00"]),
        ("following", ["11-02 09:00"]),
        ("all", []),
    ],
)
def test_taking_occurrences_out(scope: Scope, left: list[str]) -> None:
    assert _happens(*_after(remove(GROUP, 1, _slot(11, 16), scope, STAMP))) == left


def test_deleting_a_changed_occurrence_does_not_bring_the_original_back() -> None:
    assert "12-01 11:00" not in _happens(*_after(remove(GROUP, 2, None, "one", STAMP)))
    assert "11-30 09:00" not in _happens(*_after(remove(GROUP, 2, None, "one", STAMP)))


def test_a_series_in_another_zone_keeps_its_left_out_dates() -> None:
    plan = edit(GROUP, 1, _slot(11, 2), "all", _at(_slot(11, 2), zone="Atlantic/Reykjavik"), STAMP, "b")
    assert "EXDATE;TZID=Atlantic/Reykjavik:20261109T090000" in _after(plan)[0]
    assert _by_uid(plan)[0][:2] == ["11-02 05:00", "11-16 05:00"]


@pytest.mark.parametrize(
    ("rule", "before", "after", "moved"),
    [
        ("FREQ=MONTHLY;BYDAY=2MO", (11, 9), (11, 10), "FREQ=MONTHLY;BYDAY=TU;BYMONTHDAY=9,10,11,12,13,14,15"),
        ("FREQ=MONTHLY;BYDAY=-1FR", (11, 27), (11, 28), "FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=-6,-5,-4,-3,-2,-1,1"),
        ("FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,SU", (11, 9), (11, 10), "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU,MO;WKST=TU"),
        ("FREQ=MONTHLY;BYMONTHDAY=9", (11, 9), (11, 10), "FREQ=MONTHLY;BYMONTHDAY=10"),
        ("FREQ=MONTHLY;BYMONTHDAY=-1", (11, 30), (12, 1), "FREQ=MONTHLY;BYMONTHDAY=1"),
        ("FREQ=YEARLY;BYYEARDAY=-3", (12, 29), (12, 30), "FREQ=YEARLY;BYYEARDAY=-2"),
        ("FREQ=DAILY;UNTIL=20261120T090000", (11, 9), (11, 10), "FREQ=DAILY;UNTIL=20261121T090000"),
        ("FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1", (11, 30), (12, 1), None),
        ("FREQ=MONTHLY;BYMONTHDAY=28", (11, 28), (11, 29), None),
        ("FREQ=MONTHLY", (1, 31), (2, 1), None),
    ],
)
def test_a_rule_goes_along_or_it_is_said_that_none_does(
    rule: str, before: tuple[int, int], after: tuple[int, int], moved: str | None
) -> None:
    assert move_rule(rule, Move(Moment(datetime(2026, *before)), Moment(datetime(2026, *after)))) == moved


@pytest.mark.parametrize(
    ("rule", "hours", "moved"),
    [
        ("FREQ=DAILY;BYHOUR=9,15", 1, "FREQ=DAILY;BYHOUR=10,16"),
        ("FREQ=DAILY;BYHOUR=9,15", 10, "FREQ=DAILY;BYHOUR=1,19"),
        ("FREQ=WEEKLY;BYDAY=MO;BYHOUR=9,15", 10, None),
        ("FREQ=DAILY;BYHOUR=9,15", 15, "FREQ=DAILY;BYHOUR=0,6"),
        ("FREQ=HOURLY;BYHOUR=9,10", 14, "FREQ=HOURLY;BYHOUR=0,23"),
    ],
)
def test_hours_of_a_rule_go_along(rule: str, hours: int, moved: str | None) -> None:
    begin = datetime(2026, 11, 9, 9)
    assert move_rule(rule, Move(Moment(begin), Moment(begin + timedelta(hours=hours)))) == moved


def test_until_is_written_as_the_standard_wants_it() -> None:
    fields = Fields(
        title="x", start="2026-11-02T09:00", end="2026-11-02T10:00", zone=ZONE, rule="FREQ=DAILY;UNTIL=20261105"
    )
    assert "RRULE:FREQ=DAILY;UNTIL=20261106T035959Z" in new_event("u", fields, STAMP)
    whole = replace(fields, whole=True, start="2026-11-02", end="2026-11-03", zone="")
    text = new_event("u", whole, STAMP)
    assert "DTEND;VALUE=DATE:20261104" in text
    assert "RRULE:FREQ=DAILY;UNTIL=20261105" in text


@pytest.mark.parametrize(
    "wrong",
    [
        {"title": " "},
        {"end": "2026-11-02T08:00"},
        {"start": "soon"},
        {"zone": "Skerrow/Nowhere"},
        {"rule": "FREQ=NEVER"},
        {"attendees": [Person("", "nobody")]},
    ],
)
def test_what_makes_no_event_is_refused_in_words(wrong: dict[str, object]) -> None:
    fields = Fields(title="x", start="2026-11-02T09:00", end="2026-11-02T10:00", zone=ZONE)
    with pytest.raises(CannotEdit, match=r"\w+ \w+"):
        new_event("u", replace(fields, **wrong), STAMP)  # type: ignore[arg-type]


def test_a_todo_becomes_an_event_and_loses_nothing() -> None:
    text = "\n".join(
        [
            "BEGIN:VTODO",
            "UID:t",
            "SUMMARY:Paint",
            "DESCRIPTION:Two coats",
            "PERCENT-COMPLETE:40",
            "DUE;VALUE=DATE:20261130",
            "X-KEEP:me",
            "END:VTODO",
        ]
    )
    made = as_event(
        text,
        replace(read_fields(text), whole=False, start="2026-11-30T09:00", end="2026-11-30T11:00", zone=ZONE),
        STAMP,
    )
    assert made.startswith("BEGIN:VEVENT\nUID:t\n")
    assert {"DESCRIPTION:Two coats", "X-KEEP:me"} <= set(made.split("\n"))
    assert "percent-complete 40" in made
    assert not examine("VEVENT", made).problems


# ---- whatever is edited, the rest stays -------------------------------------------------------------------


@st.composite
def occurrences(draw: st.DrawFn) -> tuple[Group, list[int], int]:
    """A series of some rule without overrides, all its slots, and one of them."""
    rule = draw(
        st.sampled_from(
            [
                "FREQ=DAILY;COUNT=7",
                "FREQ=WEEKLY;BYDAY=MO,TH;COUNT=8",
                "FREQ=MONTHLY;COUNT=4",
                "FREQ=MONTHLY;BYDAY=1MO;UNTIL=20270401T120000Z",
            ]
        )
    )
    text = MASTER.replace("FREQ=WEEKLY;BYDAY=MO;COUNT=8", rule)
    entry = timed(examine("VEVENT", text), 1)
    assert entry is not None
    slots = [one.slot for one in Series([entry], ZONE).between(0, 1 << 32)]
    return Group([SeriesMember(1, text)], ZONE), slots, draw(st.sampled_from(slots))


def _slots_after(group: Group, plan: Plan) -> list[int]:
    changed = {e.id: e.text for e in plan.edits if e.id is not None}
    texts = [*(changed.get(m.id, m.text) for m in group.members), *(e.text for e in plan.edits if e.id is None)]
    by_uid: dict[str, list[str]] = {}
    for text in filter(None, texts):
        by_uid.setdefault(examine("VEVENT", text).uid, []).append(text)
    found = []
    for group_of in by_uid.values():
        entries = [t for k, text in enumerate(group_of) if (t := timed(examine("VEVENT", text), k))]
        found += [o.shown_start for o in Series(entries, ZONE).between(0, 1 << 32)]
    return sorted(found)


def _by_hours(group: Group, slot: int, hours: int) -> Fields:
    fields = fields_at(group.members[0].text, slot)
    start, end = (from_wall_seconds(slot + 3600 * (hours + k)) for k in (0, 1))
    return replace(fields, start=f"{start:%Y-%m-%dT%H:%M}", end=f"{end:%Y-%m-%dT%H:%M}")


@tries(60, 2_000)
@given(occurrences(), st.integers(-30, 60).filter(bool))
def test_moving_one_moves_nothing_else(case: tuple[Group, list[int], int], hours: int) -> None:
    group, slots, slot = case
    plan = edit(group, 1, slot, "one", _by_hours(group, slot, hours), STAMP, "b")
    assert _slots_after(group, plan) == sorted([s for s in slots if s != slot] + [slot + hours * 3600])


@tries(60, 2_000)
@given(occurrences(), st.integers(-8, 14).filter(bool))
def test_moving_following_ones_leaves_those_before(case: tuple[Group, list[int], int], hours: int) -> None:
    group, slots, slot = case
    plan = edit(group, 1, slot, "following", _by_hours(group, slot, hours), STAMP, "b")
    assert _slots_after(group, plan) == sorted(s if s < slot else s + hours * 3600 for s in slots)


@tries(60, 2_000)
@given(occurrences(), st.integers(-8, 14).filter(bool))
def test_moving_all_moves_all(case: tuple[Group, list[int], int], hours: int) -> None:
    group, slots, slot = case
    plan = edit(group, 1, slot, "all", _by_hours(group, slot, hours), STAMP, "b")
    assert _slots_after(group, plan) == [s + hours * 3600 for s in slots]


@tries(60, 2_000)
@given(occurrences(), st.sampled_from(["one", "following"]))
def test_deleting_takes_out_what_it_says(case: tuple[Group, list[int], int], scope: Scope) -> None:
    group, slots, slot = case
    left = [s for s in slots if (s != slot if scope == "one" else s < slot)]
    assert _slots_after(group, remove(group, 1, slot, scope, STAMP)) == left
