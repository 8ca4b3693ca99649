"""Exporting and archiving: what leaves is what was there, read by an independent library."""

from __future__ import annotations

import io
import zipfile
from collections import Counter

import icalendar
import pytest

from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.services.exports import export
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.store.changesets.apply import apply as apply_set
from tests.conftest import Bench, calendar, event, prepared

OWN_ZONE = "BEGIN:VTIMEZONE\nTZID:Harbour clock\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0000\nTZOFFSETTO:+0000\nEND:STANDARD\nEND:VTIMEZONE"


@prepared
def filled(bench: Bench) -> None:
    bench.bring(
        calendar(
            OWN_ZONE,
            event("a", "Höft inspection " * 9, "TZID=Harbour clock:20261124T080000", 'X-KEEP;P="q:r":yes'),
            event("b", "Call", "TZID=Australia/Hobart:20261124T150000", "RRULE:FREQ=WEEKLY"),
            event("c", "=SUM(A1)", "20200101T080000Z"),
            header="X-WR-CALNAME:Tides\nX-ODD:kept\nCOLOR:teal",
        ),
        "Tides",
    )
    bench.bring(calendar(event("d", "Berth", "20200202T080000Z")), "Berths")


def out(
    bench: Bench, form: export.Format = "ics", filter: str = "", calendar: int | None = None, zone: str = ""
) -> bytes:
    return b"".join(export.write(bench.store, bench.ledger, Selection(filter), calendar, form, zone))


def test_a_whole_calendar_leaves_with_its_header_and_its_zones(filled: Bench) -> None:
    data = out(filled, calendar=1)
    text = data.decode().replace("\r\n ", "")
    assert "X-ODD:kept\r\nCOLOR:teal" in text
    read = icalendar.Calendar.from_ical(data)
    assert {str(z["TZID"]) for z in read.walk("VTIMEZONE")} == {"Harbour clock", "Australia/Hobart"}
    assert {str(e["UID"]) for e in read.walk("VEVENT")} == {"a", "b", "c"}
    assert OWN_ZONE.replace("\n", "\r\n") in data.decode()


def test_what_leaves_and_comes_back_is_identical(filled: Bench) -> None:
    number = filled.read(out(filled, calendar=1))
    with filled.store.read() as connection:
        from datebridge.store.imports import compare

        rows = compare(connection, number)
    assert [(r.calendar, r.identical, r.different) for r in rows] == [("Tides", 3, 0)]
    assert out(filled, calendar=1) == out(filled, calendar=1)


def test_a_selection_takes_only_the_zones_it_uses(filled: Bench) -> None:
    read = icalendar.Calendar.from_ical(out(filled, filter="call"))
    assert [str(z["TZID"]) for z in read.walk("VTIMEZONE")] == ["Australia/Hobart"]


def test_a_zip_has_one_file_per_calendar(filled: Bench) -> None:
    with zipfile.ZipFile(io.BytesIO(out(filled, "zip"))) as packed:
        counts = {n: len(icalendar.Calendar.from_ical(packed.read(n)).walk("VEVENT")) for n in packed.namelist()}
    assert counts == {"Tides.ics": 3, "Berths.ics": 1}


def test_a_spreadsheet_is_in_order_of_time_with_formulas_defused(filled: Bench) -> None:
    data = out(filled, "csv", zone="Atlantic/Reykjavik")
    assert data.startswith(b"\xef\xbb\xbf")
    lines = data.decode("utf-8-sig").split("\r\n")
    assert [line.split(",")[1] for line in lines[1:5]] == ["c", "d", "b", "a"]
    assert "'=SUM(A1)" in lines[1]


def test_cautions_name_what_others_may_refuse(bench: Bench) -> None:
    bench.bring(
        calendar("BEGIN:VEVENT\nSUMMARY:x\nbroken line\nEND:VEVENT", event("z", "Z", "TZID=Nowhere:20261124T080000"))
    )
    with bench.store.read() as connection:
        said = export.cautions(connection, export.gather(connection, bench.ledger, Selection()))
    assert [s.split(" exported ")[1].split(";")[0] for s in said] == [
        "without a start",
        "without a UID",
        "with lines that are not iCalendar",
        "in unknown time zones",
    ]


def archive(bench: Bench, filter: str) -> jobs.Job:
    job = jobs.enqueue(bench.store, JobKind.ARCHIVE, "x", {"filter": filter, "name": "old things"})
    worker.drain(bench.store, bench.settings)
    found = jobs.get(bench.store, job)
    assert found is not None
    return found


def test_putting_away_writes_reads_back_and_only_then_proposes(filled: Bench) -> None:
    before = Counter(filled.texts())
    job = archive(filled, "before:2021")
    assert Counter(filled.texts()) == before
    kept = filled.settings.archive_dir / job.result["archive"]
    assert {str(e["UID"]) for e in icalendar.Calendar.from_ical(kept.read_bytes()).walk("VEVENT")} == {"c", "d"}
    apply_set(filled.store, job.result["set_id"])
    assert len(filled.titles()) == 2


def test_an_incomplete_archive_proposes_nothing(filled: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    written = export.write_ics
    monkeypatch.setattr(
        "datebridge.services.exports.archive.write_ics", lambda *a: (p.replace(b"UID:c", b"UID:x") for p in written(*a))
    )
    job = archive(filled, "before:2021")
    assert job.state == "failed"
    assert "lacks 1 entries" in job.message
    assert filled.sets("archive") == []
    assert list(filled.settings.archive_dir.iterdir()) == []


def test_a_second_archive_never_overwrites_the_first(filled: Bench) -> None:
    names = [archive(filled, "before:2021").result["archive"] for _ in range(2)]
    assert names == ["old-things.ics", "old-things-2.ics"]


def test_nothing_selected_is_said(filled: Bench) -> None:
    assert archive(filled, "before:1900").message == "Nothing is selected, so there is nothing to archive."
