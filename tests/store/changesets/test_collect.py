"""Nothing leaks: what nothing holds is cleared away, and nothing else."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.changes import PERSON, Change, Kind
from datebridge.core.ids import CalendarId
from datebridge.core.language.filters import Selection
from datebridge.services.imports import decide, files
from datebridge.services.mend.deletion import propose_deletion
from datebridge.services.running import worker
from datebridge.services.running.maintenance import queue_maintenance
from datebridge.services.transfer.copying import Target
from datebridge.services.transfer.transfers import propose_transfer
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.apply import discard
from datebridge.store.changesets.collect import collect, is_wanted
from datebridge.store.changesets.draft import CannotApply, propose
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar, event
from tests.depth import tries

#: Records of what was done, which stay.
PASSING = {"job", "change_set", "meta", "density"}
HUNDRED = [event(f"u{n}", f"Berth {n}", f"202611{n % 28 + 1:02}T080000Z") for n in range(100)]


def amounts(bench: Bench) -> dict[str, object]:
    return {name: count for name, count in bench.amounts().items() if name not in PASSING}


def found(bench: Bench, word: str) -> object:
    """How many versions the index of words knows, in force or not."""
    with bench.store.read() as connection:
        return connection.exec_driver_sql("SELECT count(*) FROM search WHERE search MATCH ?", (word,)).scalar_one()


def work(bench: Bench) -> None:
    queue_maintenance(bench.store)
    worker.drain(bench.store, bench.settings)


def test_a_discarded_copy_leaves_nothing_behind(bench: Bench) -> None:
    bench.bring(calendar(*HUNDRED))
    before, words = amounts(bench), found(bench, "berth")
    set_id = propose_transfer(bench.store, bench.ledger, Selection(), Target(name="Elsewhere"))
    assert amounts(bench)["version_text"] >= 200
    discard(bench.store, set_id)
    work(bench)
    after = amounts(bench)
    assert {**after, "calendar": 1} == before  # the newest one's number is kept until there is a newer one
    assert found(bench, "berth") == words
    bench.bring(calendar(event("later")), "Later")
    discard(bench.store, propose_deletion(bench.store, bench.ledger, Selection("tide")))
    work(bench)
    assert amounts(bench)["calendar"] == len(bench.calendars())
    assert set_id not in [one.id for one in bench.sets()]


def test_a_file_turned_away_leaves_nothing_behind(bench: Bench) -> None:
    bench.bring(calendar(event("kept")))
    before = amounts(bench)
    file = bench.read(calendar(event("a", "Wrongly sent"), event("b", "when?", "20260230T080000Z")))
    assert found(bench, "wrongly") == 1
    files.turn_away(bench.store, bench.settings, file)
    work(bench)
    assert amounts(bench) == before
    assert found(bench, "wrongly") == 0


def test_what_waits_is_not_cleared_away(bench: Bench) -> None:
    file = bench.read(calendar(event("a", "Waiting")))
    proposal = decide.propose_import(bench.store, [file], [decide.Decision(bench.groups(file)[0], None, "Tides")])
    collect(bench.store)
    apply_set(bench.store, proposal)
    assert bench.titles() == ["Waiting"]


def test_what_is_just_being_staged_is_not_cleared_away(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Old")))
    with propose(bench.store, Kind.EDIT, PERSON, "Add one") as draft:
        with draft.stage() as writer:
            version = writer.add_text("VEVENT", event("new", "New"))
        collect(bench.store)
        draft.add(Change(CalendarId(1), "VEVENT", "new", "", None, version))
    apply_set(bench.store, draft.id)
    assert sorted(bench.titles()) == ["New", "Old"]


def test_what_was_staged_for_a_set_that_never_came_is_cleared_away(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Old")))
    before = amounts(bench)
    with pytest.raises(CannotApply, match="Nothing would change"):
        stage_and_add_nothing(bench)
    work(bench)
    assert amounts(bench) == before


def stage_and_add_nothing(bench: Bench) -> None:
    with propose(bench.store, Kind.EDIT, PERSON, "Nothing") as draft, draft.stage() as writer:
        writer.add_text("VEVENT", event("new", "New"))


def test_what_a_killed_job_has_staged_is_cleared_away(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Old")))
    before = amounts(bench)
    killed = bench.store.demanding(lambda _: None, "1-claim-of-a-job-that-is-gone")
    drafting = propose(killed, Kind.EDIT, PERSON, "Killed")
    draft = drafting.__enter__()  # and never left, as by a kill
    with draft.stage() as writer:
        writer.add_text("VEVENT", event("new", "New"))
    with bench.store.read() as connection:
        assert is_wanted(connection)
    collect(bench.store)
    assert amounts(bench) == before


@tries(8, 300)
@given(st.data())
def test_clearing_away_changes_nothing_that_can_be_seen_or_taken_back(
    tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    bench = Bench(tmp_path_factory.mktemp("collect"))
    first = bench.bring(calendar(*(event(f"u{n}", f"Tide {n}") for n in range(3))))
    batches = [first]

    def delete() -> None:
        batches.append(
            propose_deletion(bench.store, bench.ledger, Selection(data.draw(st.sampled_from(bench.titles()))))
        )
        apply_set(bench.store, batches[-1])

    def drop() -> None:
        discard(bench.store, propose_deletion(bench.store, bench.ledger, Selection("tide")))

    def add() -> None:
        uid = f"more{len(batches)}"
        batches.append(bench.bring(calendar(event(uid, f"Tide {uid}")), into=1))

    for step in data.draw(st.lists(st.sampled_from(["delete", "drop", "add"]), max_size=4)):
        if step == "add":
            add()
        elif bench.titles():
            (delete if step == "delete" else drop)()
    texts, batch = bench.texts(), batches[-1]
    collect(bench.store)
    assert bench.texts() == texts
    back = propose_undo(bench.store, batch, force=True)
    apply_set(bench.store, back)
    apply_set(bench.store, propose_undo(bench.store, back, force=True))
    assert sorted(bench.texts()) == sorted(texts)
    bench.store.close()
