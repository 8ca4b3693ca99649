"""Ways out of a loss: a second series, links for attachments and the reverse, and what is left behind."""

from __future__ import annotations

import base64

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.attachments import inline_files
from datebridge.core.bulk import CannotChange, Subject, SubjectMember, change, demand, needs_series
from datebridge.core.bulk.steps import FetchLinks, LeaveBehind, LinkAttachments, SecondSeries
from datebridge.core.bulk.subject import FetchedFile
from datebridge.core.series.proving import differences
from tests.depth import tries

UNDER = "https://files.skerrow.example/moved"


def entry(*lines: str) -> str:
    return "\n".join(["BEGIN:VEVENT", "UID:tide", *lines, "END:VEVENT"])


def series(rule: str, zone: str = ";TZID=America/Halifax") -> str:
    return entry(f"DTSTART{zone}:20261020T090000", f"DTEND{zone}:20261020T100000", f"RRULE:{rule}", "SUMMARY:Watch")


def override(day: int, to: str, *lines: str, future: bool = False, zone: str = ";TZID=America/Halifax") -> str:
    said = ";RANGE=THISANDFUTURE" if future else ""
    times = (f"RECURRENCE-ID{said}{zone}:202610{day}T090000", f"DTSTART{zone}:{to}", "DURATION:PT1H")
    return entry(*times, "SUMMARY:Watch", *lines)


def split(*texts: str) -> tuple[list[str], list[str]]:
    subject = Subject([SubjectMember(at, text) for at, text in enumerate(texts)])
    outcomes = change(subject, [SecondSeries()])
    return [one.text or "" for one in outcomes], [why for one in outcomes for why in one.why_not]


RULES = ("FREQ=DAILY;COUNT=12", "FREQ=DAILY;UNTIL=20261102T130000Z", "FREQ=DAILY", "FREQ=WEEKLY;BYDAY=TU,TH,SA")


@given(
    st.sampled_from(RULES),
    st.lists(st.sampled_from((22, 24, 27, 29, 31)), min_size=1, max_size=3, unique=True),
    st.lists(st.sampled_from((22, 24, 27, 29, 31)), max_size=2, unique=True),
    st.integers(6, 20),
)
@tries(40, 1500)
def test_as_two_series_everything_happens_when_it_did(rule: str, future: list[int], one: list[int], hour: int) -> None:
    texts = [series(rule)]
    texts += [override(day, f"202610{day}T{hour:02}3000", "X-DECK:aft", future=True) for day in future]
    texts += [override(day, f"202610{day}T150000") for day in one if day not in future]
    after, why_not = split(*texts)
    assert not why_not
    assert differences(texts, after) == []
    assert not any("THISANDFUTURE" in text for text in after)
    assert len({text.partition("UID:")[2].partition("\n")[0] for text in after}) == 1 + len(future)
    assert all(
        "X-DECK:aft" in after[at] and "RRULE" in after[at] for at in range(1, 1 + len(future)) if rule == RULES[2]
    )


def test_a_series_that_cannot_be_split_stays_as_it_is_and_says_why() -> None:
    texts = [series("FREQ=DAILY;COUNT=3"), override(20, "20261020T110000", future=True)]
    after, why_not = split(*texts)
    assert after == texts
    assert "whole series" in why_not[0]


DATA = b"Tide tables\x00" * 30
INLINE = f"ATTACH;X-SEEN=1;FMTTYPE=text/plain;FILENAME=Tides.TXT;ENCODING=BASE64;VALUE=BINARY:{base64.b64encode(DATA).decode()}"
LINK = "ATTACH;FMTTYPE=text/html;MANAGED-ID=7;SIZE=12:https://old.skerrow.example/files/chart%20one.pdf"
ALARM = "BEGIN:VALARM\nACTION:AUDIO\nTRIGGER:-PT5M\nATTACH;ENCODING=BASE64;VALUE=BINARY:AAAA\nEND:VALARM"


def done(text: str, step: object, files: dict[str, FetchedFile | str] | None = None) -> tuple[str, tuple[str, ...]]:
    [outcome] = change(Subject([SubjectMember(1, text)], files=files), [step])  # type: ignore[list-item]
    return outcome.text or "", outcome.why_not


def test_attachments_become_links_named_by_what_is_in_them() -> None:
    text = entry(INLINE, LINK, ALARM)
    [file] = inline_files(text)
    assert (file.data, file.name.endswith(".txt")) == (DATA, True)
    after, why_not = done(text, LinkAttachments(UNDER + "/", 0))
    assert (after, why_not) == (
        entry(f"ATTACH;X-SEEN=1;FMTTYPE=text/plain;FILENAME=Tides.TXT:{UNDER}/{file.name}", LINK, ALARM),
        (),
    )
    assert done(text, LinkAttachments(UNDER, 1)) == (text, ())  # it is smaller
    damaged = entry("ATTACH;ENCODING=BASE64;VALUE=BINARY:%%%")
    assert done(damaged, LinkAttachments(UNDER, 0))[0] == damaged
    assert list(inline_files(damaged)) == []


@given(st.binary(max_size=4000), st.sampled_from(("image/png", "application/x-odd", 'a"b', "")))
@tries(40, 2000)
def test_what_is_fetched_and_linked_again_is_the_same_file(data: bytes, media: str) -> None:
    url = LINK.partition(":")[2]
    within, why_not = done(entry(LINK, ALARM), FetchLinks(), {url: FetchedFile(media, data)})
    assert not why_not
    assert not any(name in within for name in ("MANAGED-ID", "SIZE="))
    [file] = inline_files(within)
    assert file.data == data
    linked, _ = done(within, LinkAttachments(UNDER, 0))
    assert (f"{UNDER}/{file.name}" in linked) is bool(data) or not data


def test_a_link_that_could_not_be_fetched_stays_and_is_told() -> None:
    text = entry(LINK)
    assert done(text, FetchLinks(), {LINK.partition(":")[2]: "It is too large."}) == (
        text,
        ("links into the old system fetched, up to 1,000 kB each: It is too large.",),
    )
    assert done(text, FetchLinks(), {}) == (text, ())  # it leads elsewhere
    assert "only for entries of an account" in done(text, FetchLinks())[1][0]


def test_what_is_left_behind_is_left_as_a_whole() -> None:
    texts = [series(RULES[0]), override(24, "20261024T150000")]
    members = [SubjectMember(at, text, chosen=at == 1) for at, text in enumerate(texts)]
    assert [(one.text, one.left) for one in change(Subject(members), [LeaveBehind()])] == [(None, True), (None, True)]
    assert needs_series([LeaveBehind()])


@pytest.mark.parametrize(
    "step",
    [
        LinkAttachments(""),
        LinkAttachments("ftp://x"),
        LinkAttachments("https://x\nX:1"),
        LinkAttachments('http://"'),
        FetchLinks(-1),
    ],
)
def test_what_could_be_done_to_no_entry_is_refused(step: object) -> None:
    with pytest.raises(CannotChange):
        demand([step])  # type: ignore[list-item]
