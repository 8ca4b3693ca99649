"""Change sets in the store: apply as one, undo what is unchanged, say what is not, survive a kill."""

from __future__ import annotations

import multiprocessing
import os
import signal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Connection

from datebridge.core.changes import PERSON, Change, Kind
from datebridge.core.index.derive import derive
from datebridge.core.language.filters import Selection
from datebridge.services.exports import export
from datebridge.services.mend.deletion import propose_deletion
from datebridge.settings import Settings
from datebridge.store.changesets import apply as applying
from datebridge.store.changesets import review
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.apply import discard as discard_set
from datebridge.store.changesets.apply import recover
from datebridge.store.changesets.draft import CannotApply, propose
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.reindex import reindex
from datebridge.store.entries.versions import text_of
from tests.conftest import Bench, calendar, event
from tests.depth import tries

SERIES = event("s", "Weekly", "20261124T080000Z", "RRULE:FREQ=WEEKLY", "ATTENDEE:mailto:a@x.example")
OVERRIDE = event("s", "Moved", "20261202T080000Z", "RECURRENCE-ID:20261201T080000Z")


def delete(bench: Bench, filter: str) -> int:
    set_id = propose_deletion(bench.store, bench.ledger, Selection(filter))
    apply_set(bench.store, set_id)
    return set_id


def undo(bench: Bench, set_id: int, force: bool = False) -> int:
    back = propose_undo(bench.store, set_id, force)
    apply_set(bench.store, back)
    return back


def edit(bench: Bench, title: str, summary: str) -> int:
    """Apply a change set that renames the entry titled `title`."""
    (row,) = (row for row in bench.entries() if row.summary == title)
    with propose(bench.store, Kind.EDIT, PERSON, "Rename") as draft, draft.stage() as writer:
        text = text_of(writer.connection, row[0])  # type: ignore[arg-type]
        version = writer.add_text("VEVENT", text.replace(f"SUMMARY:{title}", f"SUMMARY:{summary}"))
        draft.add(Change(row[1], "VEVENT", row[2], "", row[0], version))  # type: ignore[arg-type]
    set_id = draft.id
    apply_set(bench.store, set_id)
    return set_id


def test_a_proposal_changes_nothing_until_it_is_applied(bench: Bench) -> None:
    bench.bring(calendar(event("a"), event("b")))
    set_id = propose_deletion(bench.store, bench.ledger, Selection())
    assert len(bench.titles()) == 2
    apply_set(bench.store, set_id)
    assert bench.titles() == []


def test_undo_brings_back_the_same_texts_and_redo_takes_them_again(bench: Bench) -> None:
    bench.bring(calendar(event("a", "One"), event("b", "Two", "20261125T080000Z")))
    before = bench.texts()
    back = undo(bench, delete(bench, "one"))
    assert bench.texts() == before
    undo(bench, back)
    assert bench.titles() == ["Two"]


def test_undoing_an_import_takes_exactly_it_back_and_its_calendar(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Mine")), "Mine")
    before = [(row.id, row.calendar_id) for row in bench.entries()]
    batch = bench.bring(calendar(event("b", "Wrong")), "Wrong")
    undo(bench, batch)
    assert [(row.id, row.calendar_id) for row in bench.entries()] == before
    assert bench.calendar().name == "Mine"


def test_a_calendar_stays_while_it_holds_entries_that_came_later(bench: Bench) -> None:
    first = bench.bring(calendar(event("a", "First")), "Tides")
    bench.bring(calendar(event("b", "Later")), into=1)
    undo(bench, first)
    assert bench.titles() == ["Later"]
    assert bench.calendar().name == "Tides"


def test_entries_brought_back_without_their_import_still_have_a_calendar(bench: Bench) -> None:
    first = bench.bring(calendar(event("a", "First")), "Tides")
    gone = delete(bench, "first")
    undo(bench, first)
    assert bench.calendars() == []
    undo(bench, gone)
    assert bench.titles("calendar:Tides") == ["First"]
    out = b"".join(export.write(bench.store, bench.ledger, None, 1, "ics", ""))
    assert b"X-WR-CALNAME:Tides\r\n" in out


def test_what_changed_since_is_left_alone_unless_told_otherwise(bench: Bench) -> None:
    batch = bench.bring(calendar(event("a", "Kept"), event("b", "Gone")))
    edit(bench, "Kept", "Edited")
    proposal = propose_undo(bench.store, batch)
    with bench.store.read() as connection:
        row = review.set_row(connection, proposal)
        _, changes = review.changes_page(connection, proposal, 0, 10)
    assert row is not None
    assert (row.deletes, row.held) == (1, 1)
    assert [(c.before.summary, c.change.held) for c in changes] == [("Edited", True), ("Gone", False)]
    apply_set(bench.store, proposal)
    assert bench.titles() == ["Edited"]


def test_told_otherwise_undo_takes_the_changed_ones_too(bench: Bench) -> None:
    batch = bench.bring(calendar(event("a", "Kept")))
    edit(bench, "Kept", "Edited")
    undo(bench, batch, force=True)
    assert bench.titles() == []


def test_undo_does_not_put_a_second_entry_in_a_place_taken_since(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Old")))
    gone = delete(bench, "old")
    bench.bring(calendar(event("a", "New")), into=1)
    undo(bench, gone)
    assert bench.titles() == ["New"]


def test_a_twin_that_was_there_all_along_does_not_hinder_undo(bench: Bench) -> None:
    bench.bring(calendar(event("a", "One"), event("a", "Two")))
    undo(bench, delete(bench, "one"))
    assert sorted(bench.titles()) == ["One", "Two"]


def test_a_stale_proposal_applies_nothing(bench: Bench) -> None:
    bench.bring(calendar(event("a", "One"), event("b", "Two")))
    stale = propose_deletion(bench.store, bench.ledger, Selection())
    delete(bench, "one")
    with pytest.raises(CannotApply, match="1 of these entries was changed"):
        apply_set(bench.store, stale)
    assert bench.titles() == ["Two"]
    assert bench.set(stale).state == "proposed"


def test_nothing_is_applied_or_undone_twice(bench: Bench) -> None:
    batch = bench.bring(calendar(event("a")))
    with pytest.raises(CannotApply, match="is applied"):
        apply_set(bench.store, batch)
    undo(bench, batch)
    with pytest.raises(CannotApply, match="was undone before"):
        propose_undo(bench.store, batch)
    with pytest.raises(CannotApply, match="is applied"):
        discard_set(bench.store, batch)


def test_warnings_say_what_a_deletion_takes_along(bench: Bench) -> None:
    bench.bring(calendar(SERIES, OVERRIDE))

    def said(filter: str) -> list[str]:
        with bench.store.read() as connection:
            return review.warnings(connection, propose_deletion(bench.store, bench.ledger, Selection(filter)))

    assert said("weekly") == [
        "Deletes 1 series with all their occurrences; 1 has no end date.",
        "Leaves 1 changed occurrence without a series.",
        "The attendees of 1 entry are not notified.",
    ]
    assert said("moved") == [
        "Deletes 1 changed occurrence of series that stay: those dates show the unchanged occurrence again."
    ]


def test_a_set_is_counted_by_calendar_year_and_kind(bench: Bench) -> None:
    bench.bring(calendar(SERIES, OVERRIDE, event("x", "Old", "20200101")))
    with bench.store.read() as connection:
        counts = review.breakdown(connection, propose_deletion(bench.store, bench.ledger, Selection()))
    assert counts["calendar"] == [("Tides", 3)]
    assert counts["year"] == [("2020", 1), ("2026", 2)]
    assert dict(counts["kind"]) == {"whole series": 1, "changed occurrences": 1, "single events": 1}


STEPS = st.lists(st.tuples(st.sampled_from(["import", "delete", "undo", "edit"]), st.integers(0, 9)), max_size=8)


@tries(20, 1_000)
@given(STEPS)
def test_undoing_every_batch_in_reverse_ends_where_it_began(
    tmp_path_factory: pytest.TempPathFactory, steps: list[tuple[str, int]]
) -> None:
    bench = Bench(tmp_path_factory.mktemp("undo"))
    states: list[tuple[int, list[str]]] = []
    for kind, number in steps:
        before = sorted(bench.texts())
        titles = bench.titles()
        if kind == "import":
            batch = bench.bring(
                calendar(event(f"n{number}", f"Entry{number}"), event(f"m{number}", f"Other{number}")), "C"
            )
        elif kind == "delete" and titles:
            batch = delete(bench, titles[number % len(titles)])
        elif kind == "edit" and titles and titles.count(titles[number % len(titles)]) == 1:
            batch = edit(bench, titles[number % len(titles)], f"Edit{len(states)}")
        elif kind == "undo" and states:
            batch, before = undo(bench, states.pop()[0]), sorted(bench.texts())
            continue
        else:
            continue
        states.append((batch, before))
    for batch, before in reversed(states):
        undo(bench, batch)
        assert sorted(bench.texts()) == before
    bench.store.close()


def test_reindexing_changes_nothing_that_was_right_and_mends_what_was_not(bench: Bench) -> None:
    bench.bring(calendar(SERIES, OVERRIDE, event("t"), event("t", "Twin"), "BEGIN:VEVENT\nSUMMARY:no uid\nEND:VEVENT"))
    before = sorted(bench.entries())
    with bench.store.write() as connection:
        assert reindex(connection) == 0
        connection.exec_driver_sql("UPDATE entry SET summary = 'spoilt', marks = 0")
        connection.exec_driver_sql("UPDATE version SET summary = 'spoilt', marks = 0 WHERE listed")
        assert reindex(connection) == 6
    assert sorted(bench.entries()) == before
    assert bench.titles("weekly") == ["Weekly"]


def _apply_and_die(data_dir: str, set_id: int) -> None:
    """Apply a set, but be killed in the middle of its transaction."""
    settings = Settings(data_dir=data_dir)  # type: ignore[arg-type]
    whole = applying.refresh_calendar

    def die(connection: Connection, calendar: int) -> None:
        whole(connection, calendar)
        os.kill(os.getpid(), signal.SIGKILL)

    applying.refresh_calendar = die
    apply_set(Store(settings.database), set_id)


@pytest.mark.kills
def test_a_kill_in_the_middle_of_an_apply_leaves_nothing_of_it_and_the_next_start_says_so(bench: Bench) -> None:
    bench.bring(calendar(*(event(f"e{k}") for k in range(50))))
    set_id = propose_deletion(bench.store, bench.ledger, Selection())
    process = multiprocessing.get_context("spawn").Process(
        target=_apply_and_die, args=(str(bench.settings.data_dir), set_id)
    )
    process.start()
    process.join(60)
    assert process.exitcode == -signal.SIGKILL
    assert len(bench.titles()) == 50
    assert recover(bench.store) == [
        f"Batch {set_id} (Delete 50 events from Tides) was interrupted: nothing of it was applied."
    ]
    apply_set(bench.store, set_id)
    assert bench.titles() == []


def test_the_ledger_sees_a_batch_at_once(bench: Bench) -> None:
    ledger = Ledger(bench.store)
    assert ledger.page()[0] == 0
    bench.bring(calendar(event("a")))
    assert ledger.page()[0] == 1
    assert derive("VEVENT", bench.texts()[0]).uid == "a"


def test_an_entry_is_changed_once_in_a_set(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Berth"), event("b", "Crane")))
    berth, crane = bench.entry("berth"), bench.entry("crane")
    place = (berth.calendar_id, "VEVENT", "a", "")
    gone, kept = Change(*place, berth.id, None, "One."), Change(*place, berth.id, crane.id, "Another.")
    with (
        pytest.raises(CannotApply, match="change the same entry, “Berth”"),
        propose(bench.store, Kind.EDIT, PERSON, "x") as draft,
    ):
        draft.add(gone, kept)
    with propose(bench.store, Kind.DELETE, PERSON, "Twice") as draft:
        draft.add(gone, gone)
        draft.delete([berth.id, crane.id], "Chosen.")
        draft.delete([crane.id], "Chosen again.")
    assert bench.set(draft.id).deletes == 2
    before = bench.texts()
    apply_set(bench.store, draft.id)
    apply_set(bench.store, propose_undo(bench.store, draft.id))
    assert bench.texts() == before
