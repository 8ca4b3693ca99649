"""Findings follow what is stored, the checks as they are now, and what was ruled."""

from __future__ import annotations

from datebridge.core.changes import PERSON
from datebridge.core.ids import SetId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.services.jobs import jobs
from datebridge.services.mend.deletion import propose_deletion
from datebridge.services.running import worker
from datebridge.services.running.maintenance import queue_maintenance
from datebridge.store import findings, rulings
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar, event

SERIES = event("s", "Weekly", "20261124T080000Z", "RRULE:FREQ=WEEKLY;COUNT=9")
OVERRIDE = event("s", "Moved", "20261202T080000Z", "RECURRENCE-ID:20261201T080000Z")
LATE = event("late", "Backwards", "20261124T080000Z", "DTEND:20261124T070000Z")


def look(bench: Bench) -> None:
    """What the application does by itself, every few seconds."""
    queue_maintenance(bench.store)
    worker.drain(bench.store, bench.settings)


def counts(bench: Bench) -> dict[str, int]:
    look(bench)
    with bench.store.read() as connection:
        return findings.counts(connection)


def test_where_a_check_is_new_everything_is_looked_at_anew(bench: Bench) -> None:
    bench.bring(calendar(LATE, event("a", "Sound")))
    assert counts(bench) == {"end-before-start": 1}
    with bench.store.write() as connection:  # as a store is in which this check was not yet
        connection.exec_driver_sql("DELETE FROM finding")
        connection.exec_driver_sql("DELETE FROM check_run WHERE code = 'end-before-start'")
        connection.exec_driver_sql("UPDATE version SET marks = 0")
        connection.exec_driver_sql("UPDATE entry SET marks = 0")
    assert bench.titles("problem:end-before-start") == []
    assert counts(bench) == {"end-before-start": 1}
    assert bench.titles("problem:end-before-start") == ["Backwards"]


def test_a_changed_occurrence_stands_alone_once_its_series_is_gone(bench: Bench) -> None:
    bench.bring(calendar(SERIES, OVERRIDE))
    assert counts(bench) == {}
    deletion = propose_deletion(bench.store, bench.ledger, Selection("weekly"))
    apply_set(bench.store, deletion)
    assert counts(bench) == {"override-without-master": 1}
    assert bench.titles("problem:override-without-master") == ["Moved"]
    apply_set(bench.store, propose_undo(bench.store, deletion))
    assert counts(bench) == {}
    assert bench.titles("problem:override-without-master") == []


def test_what_was_ruled_is_not_counted_until_the_ruling_is_revoked(bench: Bench) -> None:
    bench.bring(calendar(LATE, event("other", "Backwards too", "20261124T080000Z", "DTEND:20261124T070000Z")))
    subject = rulings.finding_of("end-before-start", "VEVENT", "late")
    with bench.store.write() as connection:
        number = rulings.rule(connection, rulings.IGNORE, subject, "ignore", PERSON, "It crosses the date line.")
    assert counts(bench) == {"end-before-start": 1}
    with bench.store.write() as connection:
        (ruling,) = rulings.standing(connection, rulings.IGNORE)
        assert (ruling.by, ruling.reason) == (PERSON, "It crosses the date line.")
        rulings.revoke(connection, number)
        assert rulings.standing(connection, rulings.IGNORE) == []
    assert counts(bench) == {"end-before-start": 2}


def test_a_ruling_takes_the_place_of_an_earlier_one(bench: Bench) -> None:
    with bench.store.write() as connection:
        rulings.rule(connection, "same", "a\nb", "same", PERSON)
        rulings.rule(connection, "same", "a\nb", "not the same", PERSON)
        assert [one.verdict for one in rulings.standing(connection, "same")] == ["not the same"]
    assert bench.amounts()["ruling"] == 2


def test_what_can_be_put_right_is_proposed_and_what_is_left_out_does_not_count(bench: Bench) -> None:
    both = event("b", "Both", "20261124T080000Z", "DTEND:20261124T090000Z", "DURATION:PT3H", "X-KEEP:1")
    bench.bring(calendar(both, LATE, event("a", "Sound")))
    before = bench.texts()
    assert counts(bench) == {"duration-and-end": 1, "end-before-start": 1}
    job = jobs.enqueue(bench.store, JobKind.FIX, "Putting right", {"code": "duration-and-end"})
    worker.drain(bench.store, bench.settings)
    done = jobs.get(bench.store, job)
    assert done is not None
    set_id = SetId(int((done.result or {})["set_id"]))
    apply_set(bench.store, set_id)
    assert counts(bench) == {"end-before-start": 1}
    assert sorted(bench.texts()) == sorted(text.replace("\nDURATION:PT3H", "") for text in before)
    apply_set(bench.store, propose_undo(bench.store, set_id))
    assert sorted(bench.texts()) == sorted(before)
    with bench.store.write() as connection:
        findings.leave_out(connection, "end-before-start", PERSON)
    assert counts(bench) == {"duration-and-end": 1}
    with bench.store.write() as connection:
        assert findings.of_all(connection)["end-before-start"] == 1
        assert findings.left_out(connection) == {"end-before-start"}
        findings.take_in(connection, "end-before-start")
    assert counts(bench) == {"duration-and-end": 1, "end-before-start": 1}
    with bench.store.write() as connection:  # one entry only, whatever state it is in
        (wrong,) = findings.entries_with(connection, "end-before-start")
        assert findings.leave_out_entry(connection, "end-before-start", wrong, PERSON)
        assert findings.excepted(connection) == {"end-before-start": 1}
        assert findings.page_of(connection, "end-before-start", None, 0, 9) == (0, [])
    assert counts(bench) == {"duration-and-end": 1}
    with bench.store.write() as connection:
        findings.take_in_entries(connection, "end-before-start")
    assert counts(bench) == {"duration-and-end": 1, "end-before-start": 1}
    failed = jobs.enqueue(bench.store, JobKind.FIX, "Putting right", {"code": "end-before-start"})
    worker.drain(bench.store, bench.settings)
    assert "no automatic fix" in str(getattr(jobs.get(bench.store, failed), "message", ""))


def test_an_entry_without_a_uid_gets_one_and_is_taken_back(bench: Bench) -> None:
    bench.bring(calendar("BEGIN:VEVENT\r\nDTSTART:20261124T080000Z\r\nSUMMARY:Nobody\r\nEND:VEVENT\r\n"))
    before = bench.texts()
    jobs.enqueue(bench.store, JobKind.FIX, "Putting right", {"code": "no-uid"})
    worker.drain(bench.store, bench.settings)
    set_id = bench.sets()[-1].id
    apply_set(bench.store, set_id)
    assert "\nUID:" in bench.texts()[0]
    assert "no-uid" not in counts(bench)
    apply_set(bench.store, propose_undo(bench.store, set_id))
    assert bench.texts() == before
