"""Changes in bulk of series, against the occurrences they have before and after."""

from __future__ import annotations

import io
import re
from datetime import date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.bulk import Subject, SubjectMember, change
from datebridge.core.bulk.steps import AllDay, BeginSeries, Delete, EndSeries, Shift, Step, Timed
from datebridge.core.text.reader import RawComponent, Reader
from datebridge.core.views.expansion import expand
from tests.depth import tries

FIRST = date(2026, 3, 2)
RULES = st.sampled_from(
    [
        "FREQ=WEEKLY;BYDAY=MO,TH",
        "FREQ=DAILY;COUNT=40",
        "FREQ=MONTHLY;BYMONTHDAY=2",
        "FREQ=WEEKLY;INTERVAL=2;UNTIL=20261220T090000Z",
        "FREQ=MONTHLY;BYDAY=1MO",
    ]
)


@st.composite
def series(draw: st.DrawFn) -> list[str]:
    """A series at nine, with left-out and extra dates, and changed occurrences of it."""
    rule = draw(RULES)
    begin = "DTSTART;TZID=Europe/Oslo:20260302T090000"
    probe = f"BEGIN:VEVENT\nUID:s\n{begin}\nDURATION:PT1H\nRRULE:{rule}\nEND:VEVENT"
    days = [one[0][:10].replace("-", "") for one in happening([probe])][:30]
    chosen = draw(st.lists(st.sampled_from(days[1:]), unique=True, max_size=4))
    out, moved = chosen[:2], chosen[2:]
    lines = [f"EXDATE;TZID=Europe/Oslo:{day}T090000" for day in out]
    lines += ["RDATE;TZID=Europe/Oslo:20260304T170000"] if draw(st.booleans()) else []
    master = "\n".join(
        ["BEGIN:VEVENT", "UID:s", begin, "DURATION:PT1H", f"RRULE:{rule}", *lines, "X-KEEP:1", "END:VEVENT"]
    )
    return [
        master,
        *(
            f"BEGIN:VEVENT\nUID:s\nRECURRENCE-ID;TZID=Europe/Oslo:{day}T090000\nDTSTART;TZID=Europe/Oslo:{day}T113000\n"
            f"DURATION:PT2H\nSUMMARY:Moved\nEND:VEVENT"
            for day in moved
        ),
    ]


def happening(texts: list[str]) -> list[tuple[str, str]]:
    """When all that happens on the clocks of Oslo, to the minute, over three years."""
    components = [RawComponent("VEVENT", text, 1, 0) for text in texts]
    low = (date(2025, 1, 1) - date(1970, 1, 1)).days * 86400
    found, _, _ = expand(components, low, low + 3 * 366 * 86400, "Europe/Oslo")
    return [(one.start[:16], one.end[:16]) for one in found]


def after(texts: list[str], step: Step) -> list[str]:
    outcomes = change(Subject([SubjectMember(k, text) for k, text in enumerate(texts)]), [step])
    assert not [why for one in outcomes for why in one.why_not], outcomes
    return [one.text for one in outcomes if one.text is not None]


def later(when: str, minutes: int) -> str:
    return (datetime.fromisoformat(when) + timedelta(minutes=minutes)).isoformat()[:16]


@tries(60, 2_000)
@given(series(), st.sampled_from([-60, 60, 30, 1440, -1440, 7 * 1440]))
def test_shifting_moves_every_occurrence_and_shifting_back_undoes_it(texts: list[str], minutes: int) -> None:
    subject = Subject([SubjectMember(k, text) for k, text in enumerate(texts)])
    outcomes = change(subject, [Shift(minutes=minutes)])
    if any(one.why_not for one in outcomes):  # no rule says it
        assert [one.text for one in outcomes] == texts
        return
    moved = [one.text or "" for one in outcomes]
    wanted = sorted((later(a, minutes), later(b, minutes)) for a, b in happening(texts))
    assert [one for one in sorted(happening(moved)) if one[0] < "2027"] == [one for one in wanted if one[0] < "2027"]
    back = change(Subject([SubjectMember(k, text) for k, text in enumerate(moved)]), [Shift(minutes=-minutes)])
    assert sorted(happening([one.text or "" for one in back])) == sorted(happening(texts))
    assert "X-KEEP:1" in moved[0]


@tries(60, 2_000)
@given(series(), st.integers(0, 400))
def test_a_series_cut_at_either_end_happens_just_as_before_between(texts: list[str], days: int) -> None:
    """An override belongs where its series puts it, so a cut counts by that."""
    day = FIRST + timedelta(days=days)
    slots = {
        m[1]: re.search(r"DTSTART[^:]*:(\d{8})", t)
        for t in texts[1:]
        if (m := re.search(r"RECURRENCE-ID[^:]*:(\d{8})", t))
    }
    assert all(found is not None and found[1] == slot for slot, found in slots.items())  # they stay on their day here
    before = happening(texts)
    first = [one for one in before if one[0][:10] <= day.isoformat()]
    assert happening(after(texts, EndSeries(day.isoformat()))) == first
    rest = [one for one in before if one[0][:10] >= day.isoformat()]
    if rest:
        assert happening(after(texts, BeginSeries(day.isoformat()))) == rest


@tries(60, 2_000)
@given(series())
def test_hours_become_days_and_days_hours(texts: list[str]) -> None:
    whole = change(Subject([SubjectMember(k, text) for k, text in enumerate(texts)]), [AllDay()])
    if any(one.why_not for one in whole):
        return
    days = [one.text or "" for one in whole]
    assert [a for a, _ in happening(days)] == sorted({a[:10] for a, _ in happening(texts)})
    again = after(days, Timed("09:00", 60, "Europe/Oslo"))
    assert [a[:10] for a, _ in happening(again)] == [a for a, _ in happening(days)]
    assert all(a[11:] == "09:00" and b[11:] == "10:00" for a, b in happening(again))


@tries(60, 2_000)
@given(series(), st.integers(0, 900))
def test_what_is_over_goes_only_as_a_whole(texts: list[str], days: int) -> None:
    day = FIRST + timedelta(days=days)
    outcomes = change(
        Subject([SubjectMember(k, text) for k, text in enumerate(texts)]), [Delete(before=day.isoformat())]
    )
    over = all(end[:16] <= f"{day}T00:00" for _, end in happening(texts)) and (
        "COUNT" in texts[0] or "UNTIL" in texts[0]
    )
    assert {one.text is None for one in outcomes} == {over}


@pytest.mark.parametrize("minutes", [60, -60, 1440, 7 * 1440])
@pytest.mark.parametrize("told", [";TZID=Europe/Oslo:20260329T023000", ":20260329T013000Z"])
def test_a_change_of_an_hour_that_the_clocks_skip_is_shifted_with_its_series(told: str, minutes: int) -> None:
    master = "\n".join(
        [
            "BEGIN:VEVENT",
            "UID:1",
            "DTSTART;TZID=Europe/Oslo:20260301T023000",
            "DURATION:PT1H",
            "RRULE:FREQ=WEEKLY;COUNT=9",
            "END:VEVENT",
        ]
    )
    own = "\n".join(
        [
            "BEGIN:VEVENT",
            "UID:1",
            f"RECURRENCE-ID{told}",
            "DTSTART;TZID=Europe/Oslo:20260329T120000",
            "DURATION:PT1H",
            "END:VEVENT",
        ]
    )
    subject = Subject([SubjectMember(1, master), SubjectMember(2, own)])
    change(subject, [Shift(minutes=minutes)])
    slot = datetime(2026, 3, 29, 2, 30) + timedelta(minutes=minutes)
    assert f"RECURRENCE-ID;TZID=Europe/Oslo:{slot:%Y%m%dT%H%M%S}" in (subject.members[1].text or "")


@pytest.mark.parametrize("minutes", [60, -60, 1440, 7 * 1440, -30 * 1440])
def test_occurrences_stay_as_long_as_the_first_though_that_one_crosses_the_clocks(minutes: int) -> None:
    text = "\n".join(
        [
            "BEGIN:VEVENT",
            "UID:1",
            "DTSTART;TZID=Europe/Oslo:20261025T013000",
            "DTEND;TZID=Europe/Oslo:20261025T033000",
            "RRULE:FREQ=WEEKLY;COUNT=9",
            "END:VEVENT",
        ]
    )
    subject = Subject([SubjectMember(1, text)])
    change(subject, [Shift(minutes=minutes)])
    data = f"BEGIN:VCALENDAR\n{subject.members[0].text}\nEND:VCALENDAR\n".encode()
    found = expand(Reader(io.BytesIO(data)), 1_780_000_000, 1_810_000_000, "UTC").happening
    lengths = {datetime.fromisoformat(one.end) - datetime.fromisoformat(one.start) for one in found}
    assert (len(found), lengths) == (9, {timedelta(hours=3)})
