"""Whatever makes a change set: it applies, and taking it back gives the same bytes as before."""

from __future__ import annotations

import csv
import io
from base64 import b64encode
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.checks import ALL, is_fixable
from datebridge.core.ids import SetId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.services.exports import export
from datebridge.services.jobs import jobs
from datebridge.services.mend.deletion import propose_deletion
from datebridge.services.mend.duplicates import KeepPolicy
from datebridge.services.running import worker
from datebridge.services.transfer import transfers
from datebridge.store.changesets.apply import apply
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar, event
from tests.depth import tries

ALARM = "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nEND:VALARM"
POOL = [
    event("one", "Watch", "20261201T080000Z", "DTEND:20261201T090000Z", "LOCATION:Quay", "X-A:1", ALARM),
    event("one", "Watch", "20261201T080000Z", "DTEND:20261201T100000Z", "SEQUENCE:3", ALARM, ALARM),
    event("two", "FW: Watch", "20261201T080000Z", "DTEND:20261201T090000Z", "ATTENDEE:mailto:ida@x.example"),
    event("days", "Survey", "20261201", "DTEND;VALUE=DATE:20261203", "CATEGORIES:A,B"),
    event("far", "Night", "TZID=Europe/Oslo:20261130T230000", "DURATION:PT2H", "DESCRIPTION:<b>Bring</b> boots"),
    event(
        "week",
        "Forum",
        "TZID=America/Halifax:20261102T090000",
        "DURATION:PT1H",
        "RRULE:FREQ=WEEKLY;COUNT=6;UNTIL=20270101",
    ),
    event(
        "week",
        "Forum, late",
        "TZID=America/Halifax:20261109T110000",
        "DURATION:PT1H",
        "RECURRENCE-ID;TZID=America/Halifax:20261109T090000",
    ),
    event(
        "week",
        "Forum",
        "TZID=America/Halifax:20261116T090000",
        "DURATION:PT1H",
        "RECURRENCE-ID;TZID=America/Halifax:20261116T090000",
    ),
    event(
        "again",
        "Forum",
        "TZID=America/Halifax:20261102T090000",
        "DURATION:PT1H",
        "RRULE:FREQ=WEEKLY;COUNT=6",
        "EXDATE;TZID=America/Halifax:20261117T090000",
    ),
    event("lone", "Left over", "20261110T090000Z", "RECURRENCE-ID:20261109T090000Z"),
    event("", "No UID", "20261105T090000Z", "DTEND:20261105T080000Z"),
    event(
        "odd",
        "Odd",
        "TZID=Nowhere:20261124T080000",
        "RRULE:FREQ=DAILY;COUNT=-1",
        "BEGIN:VALARM",
        "ACTION:AUDIO",
        "END:VALARM",
    ),
    "BEGIN:VTODO\nUID:todo\nSUMMARY:Paint\nDUE:20261201T120000Z\nSTATUS:NEEDS-ACTION\nEND:VTODO",
]
STEPS: list[dict[str, Any]] = [
    {"do": "shift", "minutes": 45},
    {"do": "replace", "field": "title", "find": "o", "by": "0"},
    {"do": "status", "status": "CONFIRMED"},
    {"do": "all-day"},
    {"do": "privacy", "privacy": "PRIVATE"},
    {"do": "delete", "before": "2026-11-20"},
]
CODES = sorted(code for code in ALL if is_fixable(code))
PRODUCERS = st.one_of(
    st.tuples(st.just("bulk"), st.lists(st.sampled_from(STEPS), min_size=1, max_size=2)),
    st.tuples(st.just("fix"), st.sampled_from(CODES)),
    st.tuples(st.just("duplicates"), st.none()),
    st.tuples(st.just("combine"), st.sampled_from(["inferred", "pieces", "detached", "endless"])),
    st.tuples(st.just("adjust"), st.sampled_from(["left", "right"])),
    st.tuples(st.just("sheet"), st.sampled_from(["title", "start", "attendees", "alarms", "categories"])),
    st.tuples(st.just("transfer"), st.booleans()),
    st.tuples(st.just("delete"), st.sampled_from(["", "forum", "repeats:yes"])),
)


def job(bench: Bench, which: str, **params: Any) -> dict[str, Any]:
    """What a job came to; nothing where it refused, which it says in words."""
    number = jobs.enqueue(bench.store, JobKind(which), which, params)
    worker.drain(bench.store, bench.settings)
    done = jobs.get(bench.store, number)
    assert done is not None
    assert "unexpected" not in done.message, (which, params)
    return dict(done.result or {}) if done.state == "done" else {}


def produce(bench: Bench, kind: str, how: Any) -> list[SetId]:
    """Have one producer propose; the sets it made."""
    left, right = (bench.calendar(name).id for name in ("Left", "Right"))
    everything = Selection().as_params()
    if kind == "delete":
        return [propose_deletion(bench.store, bench.ledger, Selection(how))]
    if kind == "transfer":
        target = transfers.Target(calendar_id=right, move=how)
        return [transfers.propose_transfer(bench.store, bench.ledger, Selection("calendar:Left"), target)]
    if kind == "sheet":
        rows = list(
            csv.DictReader(
                io.StringIO(
                    b"".join(export.write(bench.store, bench.ledger, Selection(), None, "csv", "")).decode("utf-8-sig"),
                    newline="",
                )
            )
        )
        new = {
            "title": "Edited",
            "start": "2026-12-05 10:00",
            "attendees": "bo@x.example",
            "alarms": "-PT9M",
            "categories": "C",
        }
        out = io.StringIO()
        csv.writer(out).writerows([rows[0], *({**row, how: new[how]}.values() for row in rows)])
        data = b64encode(out.getvalue().encode()).decode()
        return made(job(bench, "sheet", name="t.csv", data=data, order=""))
    if kind == "adjust":
        found = job(bench, "compare", left=left, right=right, low=1_793_000_000, high=1_798_800_000)
        return made(job(bench, "adjust", comparison=found["comparison"], to=how, asked=["", "", ""], pairs=[]))
    if kind == "duplicates":
        job(bench, "match")
        return made(job(bench, "duplicates", kind="", least=0.5, policy=list(KeepPolicy().policy), order=[]))
    if kind == "combine":
        job(bench, "scattered")
        return made(job(bench, "combine", ids=[], kind=how, least=0))
    if kind == "fix":
        job(bench, "check")
        return made(job(bench, "fix", code=how, calendar=None, entry=None))
    return made(job(bench, "bulk", steps=how, **everything))


def made(result: dict[str, Any]) -> list[SetId]:
    return [SetId(int(result["set_id"]))] if result.get("set_id") else []


@tries(6, 300)
@given(
    st.lists(st.sampled_from(POOL), min_size=1, max_size=8),
    st.lists(st.sampled_from(POOL), min_size=1, max_size=8),
    st.lists(PRODUCERS, min_size=3, max_size=6),
)
def test_every_set_applies_and_is_taken_back_to_the_byte(
    left: list[str], right: list[str], producers: list[tuple[str, Any]]
) -> None:
    with TemporaryDirectory() as folder:
        bench = Bench(Path(folder) / "data")
        bench.bring(calendar(*left), "Left")
        bench.bring(calendar(*right), "Right")
        for kind, how in producers:
            before = sorted(bench.texts())
            try:
                sets = produce(bench, kind, how)
            except CannotApply:  # it says that there is nothing to do
                continue
            for number in sets:
                apply(bench.store, number)
                after = sorted(bench.texts())
                if after == before:  # all of it was there already
                    continue
                apply(bench.store, propose_undo(bench.store, number))
                assert sorted(bench.texts()) == before, (kind, how)
                again = propose_undo(bench.store, SetId(max(one.id for one in bench.sets())))
                apply(bench.store, again)
                assert sorted(bench.texts()) == after, (kind, how)
                apply(bench.store, propose_undo(bench.store, again))
                assert sorted(bench.texts()) == before, (kind, how)
        bench.store.close()
