"""Imports: what is read, what is here already, where it goes, and what a stop or kill leaves."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import pytest

from datebridge.core.ids import FileId
from datebridge.core.job_kinds import JobKind
from datebridge.services.imports import decide, files, uploads
from datebridge.services.imports.decide import Decision
from datebridge.services.imports.uploads import NotTaken
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.store import imports
from datebridge.store.changesets import review
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar, event

STAMPED = "LAST-MODIFIED:2026{:02d}01T000000Z"


def here(bench: Bench, number: int) -> list[tuple[str, int, int, int, int]]:
    with bench.store.read() as connection:
        rows = imports.compare(connection, number)
    return [(r.calendar, r.identical, r.newer, r.older, r.different) for r in rows]


def test_nothing_is_in_a_calendar_before_it_is_taken_in(bench: Bench) -> None:
    bench.read(calendar(event("a")))
    assert bench.titles() == []
    assert bench.calendars() == []


def test_calendars_of_one_name_are_one_and_others_their_own(bench: Bench) -> None:
    named = "X-WR-CALNAME:{}".format
    number = bench.read(
        calendar(event("a"), header=named("Tides"))
        + calendar(event("b"), header=named("Berths"))
        + calendar(event("c"))
        + calendar(event("d"), header=named("Tides") + "\nX-SECOND:1")
        + calendar(event("e")),
        name="export.ics",
    )
    groups = [(group.name, group.summary["events"]) for group in bench.parts(number)]
    assert groups == [("Tides", 2), ("Berths", 1), ("export", 2)]
    assert ("several-calendars", "X-SECOND:1") in [(one.code, one.text) for one in bench.problems(number)]


def test_what_is_here_already_is_told_apart(bench: Bench) -> None:
    old, new = STAMPED.format(1), STAMPED.format(2)
    at = "20261124T080000Z"
    bench.bring(
        calendar(
            event("same", "s", at, old),
            event("newer", "n", at, old),
            event("older", "o", at, new),
            event("other", "x", at, old),
        ),
        "Tides",
    )
    number = bench.read(
        calendar(
            event("same", "s", at, old),
            event("newer", "n2", at, new),
            event("older", "o2", at, old),
            event("other", "x2", at, old),
            event("fresh"),
        )
    )
    assert here(bench, number) == [("Tides", 1, 1, 1, 1)]


@pytest.mark.parametrize(
    ("existing", "titles", "skipped"),
    [("newer", ["n2", "o", "s"], 2), ("keep", ["n", "o", "s"], 3), ("replace", ["n2", "o2", "s"], 1)],
)
def test_entries_that_are_there_are_treated_by_rule(
    bench: Bench, existing: str, titles: list[str], skipped: int
) -> None:
    at = "20261124T080000Z"
    first, second = STAMPED.format(1), STAMPED.format(2)
    bench.bring(calendar(event("s", "s"), event("n", "n", at, first), event("o", "o", at, second)))
    text = calendar(event("s", "s"), event("n", "n2", at, second), event("o", "o2", at, first), event("f", "fresh"))
    number = bench.read(text)
    decision = Decision(bench.groups(number)[0], 1, existing=existing)  # type: ignore[arg-type]
    outcome = decide.rehearse_import(bench.store, [number], [decision])
    apply_set(bench.store, decide.propose_import(bench.store, [number], [decision]))
    assert sorted(bench.titles()) == sorted([*titles, "fresh"])
    assert (outcome.creates, outcome.updates, outcome.skipped) == (1, 3 - skipped, skipped)


def test_importing_twice_adds_nothing_the_second_time(bench: Bench) -> None:
    text = calendar(event("a"), "BEGIN:VEVENT\nSUMMARY:no uid\nEND:VEVENT")
    bench.bring(text)
    number = bench.read(text)
    with pytest.raises(CannotApply, match="exist already"):
        decide.propose_import(bench.store, [number], [Decision(bench.groups(number)[0], 1)])


def test_identical_entries_elsewhere_can_be_left_out(bench: Bench) -> None:
    bench.bring(calendar(event("a")), "One")
    bench.bring(calendar(event("a"), event("b", "New")), "Two", skip_elsewhere=True)
    assert bench.titles("calendar:Two") == ["New"]


def test_a_fresh_calendar_keeps_the_header_and_gets_the_name(bench: Bench) -> None:
    bench.bring(
        calendar(event("a"), header="X-WR-CALNAME:Tides\nX-ODD:kept\nREFRESH-INTERVAL;VALUE=DURATION:P1D"), "Sound"
    )
    number = bench.calendar().header
    assert number is not None
    header = bench.version(number).text
    assert "X-ODD:kept\nREFRESH-INTERVAL;VALUE=DURATION:P1D" in header
    assert "X-WR-CALNAME:Sound" in header
    assert bench.calendar().name == "Sound"


def test_another_definition_of_a_zone_is_reported_and_does_not_replace_the_first(bench: Bench) -> None:
    zone = "BEGIN:VTIMEZONE\nTZID:Harbour\nX-V:{}\nEND:VTIMEZONE".format
    bench.bring(calendar(zone(1), event("a")))
    bench.bring(calendar(zone(2), event("b")), into=1)
    assert "X-V:1" in bench.defined(1)["Harbour"]
    assert "zone-conflict" in [one.code for file in bench.files() for one in bench.problems(file.id)]


def test_problems_carry_the_line_of_the_file(bench: Bench) -> None:
    number = bench.read(
        "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nDESCRIPTION:one\n two\nDTSTART:20261399\nEND:VEVENT\nEND:VCALENDAR\n"
    )
    assert [(one.code, one.line, one.uid) for one in bench.problems(number)] == [("bad-date", 6, "a")]


def test_a_file_without_calendar_data_is_refused_in_words(bench: Bench) -> None:
    bench.read("just text")
    (file,) = bench.files()
    assert (file.state, file.message) == ("refused", "There is no calendar data in this file.")


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, data in files.items():
            packed.writestr(name, data)
    return out.getvalue()


def test_a_zip_is_read_file_by_file_and_nothing_is_written_outside(bench: Bench) -> None:
    bench.read(
        zipped({"a.ics": calendar(event("a")).encode(), "../../b.ics": calendar(event("b")).encode(), "x.txt": b"-"}),
        "all.zip",
    )
    assert [(file.name, file.state) for file in bench.files()] == [("a.ics", "waiting"), ("b.ics", "waiting")]
    assert not (bench.settings.data_dir.parent / "b.ics").exists()


@pytest.mark.parametrize(
    ("setting", "data", "message"),
    [
        ({"max_archive_files": 1}, zipped({"a.ics": b"a", "b.ics": b"b"}), "more than 1 files"),
        ({"max_archive_octets": 1000}, zipped({"a.ics": b"x" * 5000}), "larger than"),
        ({"max_archive_ratio": 2}, zipped({"a.ics": b"x" * 50_000_000}), "larger than"),
        ({}, zipped({"a.txt": b"a"}), "no .ics file"),
        ({"max_file": 10}, b"x" * 11, "larger than"),
        ({}, zipped({"a.ics": b"BEGIN:VCALENDAR" * 99})[:-60] + b"PK\x05\x06" + b"\0" * 18, "no .ics file|unpacked"),
    ],
    ids=["count", "bytes", "ratio", "nothing in it", "one file", "damaged"],
)
def test_bounds_are_kept_and_nothing_stays_behind(
    bench: Bench, setting: dict[str, int], data: bytes, message: str
) -> None:
    settings = bench.settings.model_copy(update=setting)
    with pytest.raises(NotTaken, match=message):
        uploads.receive(bench.store, settings, [("x.zip", io.BytesIO(data))])
    assert list(settings.imports_dir.iterdir()) == []


def test_a_file_turned_away_leaves_nothing(bench: Bench) -> None:
    number = bench.read(calendar(event("a")))
    files.turn_away(bench.store, bench.settings, number)
    worker.drain(bench.store, bench.settings)  # what nothing holds is cleared away in the background
    assert {name: count for name, count in bench.amounts().items() if count}.keys() == {"check_run", "job", "meta"}
    assert list(bench.settings.imports_dir.iterdir()) == []


def test_a_file_that_was_taken_in_cannot_be_turned_away_until_it_is_taken_back(bench: Bench) -> None:
    bench.bring(calendar(event("a")))
    with pytest.raises(CannotApply, match="is imported"):
        files.turn_away(bench.store, bench.settings, 1)


def test_a_stopped_reading_leaves_nothing_of_the_file(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    many = calendar(*(event(f"e{k}") for k in range(5000)))
    job = uploads.receive(bench.store, bench.settings, [("many.ics", io.BytesIO(many.encode()))])
    report = jobs.JobContext.progress

    def stop_at_the_first(self: jobs.JobContext, *said: object) -> None:
        jobs.stop(bench.store, job)
        report(self, *said)  # type: ignore[arg-type]

    monkeypatch.setattr(jobs.JobContext, "progress", stop_at_the_first)
    worker.drain(bench.store, bench.settings)
    assert [job.state for job in bench.jobs(kinds=["read"])] == ["stopped"]
    assert (bench.staged(), bench.files()) == ([], [])
    assert list(bench.settings.imports_dir.iterdir()) == []


def test_a_reading_whose_process_died_is_taken_up_again_without_doubles(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    many = calendar(*(event(f"e{k}") for k in range(5000)))
    uploads.receive(bench.store, bench.settings, [("many.ics", io.BytesIO(many.encode()))])

    def die(self: jobs.JobContext, *_: object) -> None:
        raise SystemExit

    with monkeypatch.context() as broken:
        broken.setattr(jobs.JobContext, "progress", die)
        broken.setattr(
            "datebridge.services.imports.read._abandon", lambda *_: None
        )  # a killed process does not clear up
        with pytest.raises(SystemExit):
            worker.drain(bench.store, bench.settings)
    assert len(bench.staged()) > 0
    assert jobs.resume_interrupted(bench.store) == ["“Reading many.ics” was interrupted and continues."]
    worker.drain(bench.store, bench.settings)
    assert len(bench.staged()) == 5000
    assert [file.state for file in bench.files()] == ["waiting"]


def test_a_job_that_always_kills_its_process_is_given_up(bench: Bench) -> None:
    job = jobs.enqueue(bench.store, JobKind.READ, "Reading x", {"files": []})
    with bench.store.write() as connection:
        connection.exec_driver_sql("UPDATE job SET state = 'running', attempts = 3 WHERE id = ?", (job,))
    assert "was given up" in jobs.resume_interrupted(bench.store)[0]


def test_every_component_of_a_damaged_file_is_stored_or_reported(bench: Bench) -> None:
    from datetime import date

    from datebridge.demo.damaged import damaged_log

    data = damaged_log(date(2026, 11, 24))
    number = bench.read(data, "log.ics")
    said = [bench.version(row.id).text for row in bench.staged()] + [one.text for one in bench.problems(number)]
    kept = "\n".join([*said, *(part.header for part in bench.parts(number))])
    for line in data.decode("latin-1").split("\r\n"):
        assert line in kept, line
    assert Path(bench.settings.imports_dir).is_dir()


def test_only_the_newest_decision_about_a_file_waits_and_none_is_applied_twice(bench: Bench) -> None:
    number = bench.read(calendar(event("a")))
    decision = Decision(bench.groups(number)[0], None, "Tides")
    first = decide.propose_import(bench.store, [number], [decision])
    second = decide.propose_import(bench.store, [number], [decision])
    with pytest.raises(CannotApply, match="is discarded"):
        apply_set(bench.store, first)
    with bench.store.write() as connection:
        connection.exec_driver_sql("UPDATE change_set SET state = 'proposed' WHERE id = ?", (first,))
    apply_set(bench.store, second)
    with pytest.raises(CannotApply, match="changed since"):
        apply_set(bench.store, first)
    assert bench.titles() == ["Tide"]


def test_a_file_taken_back_can_be_turned_away_and_its_batch_still_be_looked_at(bench: Bench) -> None:
    batch = bench.bring(calendar(event("a", "Looked at")))
    apply_set(bench.store, propose_undo(bench.store, batch))
    files.turn_away(bench.store, bench.settings, 1)
    with bench.store.read() as connection:
        assert imports.listed(connection) == []
        _, changes = review.changes_page(connection, batch, 0, 10)
    assert [c.after.summary for c in changes] == ["Looked at"]


#: A zone of the station's own, so many hours behind.
STATION = (
    "BEGIN:VTIMEZONE",
    "TZID:Station",
    "BEGIN:STANDARD",
    "DTSTART:19700101T000000",
    "TZOFFSETFROM:-0{}00",
    "TZOFFSETTO:-0{}00",
    "END:STANDARD",
    "END:VTIMEZONE",
)


@pytest.mark.parametrize("existing", [False, True])
def test_several_files_go_into_one_calendar_each_entry_once(bench: Bench, existing: bool) -> None:
    def zone(hours: int) -> str:
        return "\n".join(STATION).format(hours, hours)

    into = None
    if existing:
        bench.bring(calendar(event("b", "Known already", "20261202T090000")), "All")
        into = bench.calendar("All").id
    texts = [
        [zone(3), event("a", "Old", "20261201T090000", "SEQUENCE:1")],
        [
            zone(4),
            event("a", "New", "20261201T090000", "SEQUENCE:2"),
            event("b", "Second", "20261202T090000", "SEQUENCE:1"),
            event("", "No UID", "20261203T090000"),
        ],
        [event("b", "Second", "20261202T090000", "SEQUENCE:1"), event("c", "Third", "20261204")],
    ]
    read = [FileId(bench.read(calendar(*entries))) for entries in texts]
    with bench.store.read() as connection:
        decisions = files.joined_decisions(connection, read, into, "All")
    set_id = decide.propose_import(bench.store, read, decisions)
    apply_set(bench.store, set_id)
    assert [one.name for one in bench.calendars()] == ["All"]
    assert sorted(bench.titles()) == ["New", "No UID", "Second", "Third"]
    assert any("“Station” is defined in another way" in one.message for one in bench.problems(read[0]))
    apply_set(bench.store, propose_undo(bench.store, set_id))
    assert bench.titles() == (["Known already"] if existing else [])
