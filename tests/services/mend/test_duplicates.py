"""Duplicates through the store: found, proposed, applied, taken back, ruled upon."""

from __future__ import annotations

from collections import Counter, defaultdict
from datetime import date

import pytest

from datebridge.core.changes import PERSON
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.matching import Alike
from datebridge.demo.samples import sample_calendars, sample_files
from datebridge.demo.twice import TWICE
from datebridge.services.jobs import jobs
from datebridge.services.mend import duplicates
from datebridge.services.mend.deletion import propose_deletion
from datebridge.services.mend.duplicates import KeepPolicy
from datebridge.services.running import worker
from datebridge.store import duplicates as stored
from datebridge.store.changesets.apply import apply
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar, event
from tests.labelled import labelled

WHEN = ("20261124T090000Z", "DTEND:20261124T100000Z", "LOCATION:Wet lab")


def _look(bench: Bench) -> list[stored.DuplicateGroup]:
    jobs.enqueue(bench.store, JobKind.MATCH, "Looking", {})
    worker.drain(bench.store, bench.settings)
    with bench.store.read() as connection:
        assert not stored.outdated(connection)
        return stored.page(connection, None, 0, 0, None)[1]


def _propose(bench: Bench, kind: str = "", least: float = 0.5) -> int:
    params = {"kind": kind, "least": least, "policy": list(KeepPolicy().policy), "order": []}
    job = jobs.enqueue(bench.store, JobKind.DUPLICATES, "Removing", params)
    worker.drain(bench.store, bench.settings)
    done = jobs.get(bench.store, job)
    assert done is not None
    assert done.state == "done", done.message
    return int((done.result or {})["set_id"])


def _twice(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Crane check", *WHEN, "CATEGORIES:LAB"), event("z", "Lamp", *WHEN)), "Lab")
    bench.bring(calendar(event("b", "FW: Crane check", *WHEN, "DESCRIPTION:Bring gloves", "CATEGORIES:Ship")), "Ships")


def test_what_is_twice_is_removed_and_taken_back(bench: Bench) -> None:
    _twice(bench)
    before = bench.texts()
    (group,) = _look(bench)
    assert (group.kind, len(group.members)) == (Alike.SAME_TIME, 2)
    batch, _ = duplicates.accept(bench.store, group.id, KeepPolicy(policy=("order",), order=(1,)))
    (kept, _) = sorted(bench.texts(), key=lambda text: "UID:a" not in text)
    assert "DESCRIPTION:Bring gloves" in kept
    assert "CATEGORIES:Ship" in kept
    assert len(bench.texts()) == 2
    apply(bench.store, propose_undo(bench.store, batch))
    assert bench.texts() == before


def test_read_only_copies_are_never_the_ones_to_go(bench: Bench) -> None:
    _twice(bench)
    with bench.store.write() as connection:
        connection.exec_driver_sql("UPDATE calendar SET writable = 0 WHERE name = 'Lab'")
    (group,) = _look(bench)
    with bench.store.read() as connection:
        made = duplicates.plan(connection, group.id, KeepPolicy())
    assert made is not None
    assert (made.keep.calendar_name, made.why, made.goes) == ("Ships", "it is writable", ())
    assert [one.calendar_name for one in made.stays] == ["Lab"]
    with pytest.raises(CannotApply, match="read-only calendars"):
        duplicates.accept(bench.store, group.id, KeepPolicy())


def test_what_was_ruled_two_is_not_found_again_until_the_ruling_is_revoked(bench: Bench) -> None:
    _twice(bench)
    (group,) = _look(bench)
    with bench.store.write() as connection:
        assert stored.rule_apart(connection, group, PERSON) == 1
        stored.drop(connection, group.id)
    assert _look(bench) == []
    with bench.store.read() as connection:
        (ruled,) = stored.ruled_apart(connection)
    assert {ruled.left, ruled.right} == {"Crane check", "FW: Crane check"}
    with bench.store.write() as connection:
        stored.revoke_apart(connection, ruled.ruling)
    assert len(_look(bench)) == 1


def test_a_series_goes_with_its_changed_occurrences(bench: Bench) -> None:
    series = (
        event("s1", "Forum", *WHEN, "RRULE:FREQ=WEEKLY;COUNT=5"),
        event("s1", "Forum", "20261201T120000Z", "DTEND:20261201T130000Z", "RECURRENCE-ID:20261201T090000Z"),
    )
    bench.bring(calendar(*series), "Lab")
    bench.bring(calendar(*series), "Ships")
    (group,) = _look(bench)
    duplicates.accept(bench.store, group.id, KeepPolicy())
    assert len(bench.texts()) == 2
    assert len({row.calendar_id for row in bench.entries()}) == 1


def test_a_series_that_stays_takes_over_the_changed_occurrences_of_the_one_that_goes(bench: Bench) -> None:
    weekly = ("DURATION:PT1H", "RRULE:FREQ=WEEKLY;COUNT=6", "LOCATION:Wet lab")
    bench.bring(calendar(event("one", "Forum", "20261102T090000Z", *weekly)), "Lab")
    moved = event("two", "Forum", "20261109T110000Z", "RECURRENCE-ID:20261109T090000Z", "LOCATION:Deck")
    bench.bring(calendar(event("two", "Forum", "20261102T090000Z", *weekly, "EXDATE:20261123T090000Z"), moved), "Ships")
    before = sorted(bench.texts())
    (group,) = _look(bench)
    with bench.store.read() as connection:
        plan = duplicates.plan(connection, group.id, KeepPolicy(policy=("order",), order=(1,)))
    assert plan is not None
    assert (plan.joined.more, plan.joined.fewer) == (("2026-11-23 09:00",), ())
    batch, _ = duplicates.accept(bench.store, group.id, KeepPolicy(policy=("order",), order=(1,)))
    assert sorted((row.uid, row.recurrence_id) for row in bench.entries()) == [("one", ""), ("one", "20261109T090000Z")]
    assert moved.replace("UID:two", "UID:one") in bench.texts()
    apply(bench.store, propose_undo(bench.store, batch))
    assert sorted(bench.texts()) == before


def test_parts_of_a_series_that_is_gone_are_no_duplicates_of_each_other(bench: Bench) -> None:
    single = [event(f"x{k}", "Forum", f"202611{24 + k}T090000Z", *WHEN[1:2], "LOCATION:Wet lab") for k in (0, 1)]
    single = [text.replace("DTEND:20261124", f"DTEND:202611{24 + k}") for k, text in enumerate(single)]
    bench.bring(calendar(event("series@skerrow.example", "Forum", *WHEN, "RRULE:FREQ=DAILY;COUNT=5"), *single), "Lab")
    (group,) = _look(bench)
    assert (group.kind, len(group.members)) == (Alike.PARTS, 3)
    with bench.store.read() as connection:
        made = duplicates.plan(connection, group.id, KeepPolicy(), group.members[1])
    assert made is not None
    assert (made.keep.id, made.choices) == (group.members[0], ())  # a part cannot stay for the whole
    apply(bench.store, propose_deletion(bench.store, bench.ledger, Selection("repeats:yes")))
    with bench.store.read() as connection:
        assert stored.one(connection, group.id) is None
        assert stored.page(connection, None, 0, 0, None) == (0, [])
        assert stored.counts(connection) == []
    with pytest.raises(CannotApply, match="has changed"):
        duplicates.accept(bench.store, group.id, KeepPolicy())
    assert len(bench.texts()) == 2


def test_a_change_its_series_does_not_know_goes_only_where_a_person_says_so(bench: Bench) -> None:
    moved = event("series@skerrow.example_2", "Forum", "20261125T120000Z", "DTEND:20261125T130000Z", "LOCATION:Wet lab")
    moved = moved.replace("UID:series@skerrow.example_2@skerrow.example", "UID:series@skerrow.example_2")
    bench.bring(calendar(event("series@skerrow.example", "Forum", *WHEN, "RRULE:FREQ=DAILY;COUNT=5"), moved), "Lab")
    (group,) = _look(bench)
    whole, loose = group.members
    with bench.store.read() as connection:
        left, chosen, other = (
            duplicates.plan(connection, group.id, KeepPolicy(), keep) for keep in (None, whole, loose)
        )
    assert left is not None
    assert chosen is not None
    assert other is not None
    assert (group.kind, left.goes, left.choices) == (Alike.LOOSE, (), (whole,))
    assert [one.id for one in chosen.goes] == [loose]
    assert other.goes == ()  # the series never goes for one of its occurrences


def test_removing_all_of_a_labelled_set_leaves_one_of_each_and_what_is_alone(bench: Bench) -> None:
    made = labelled(6, 3)
    by = defaultdict(list)
    for entry in made.entries:
        by[entry.calendar].append(made.texts[entry.key])
    for number, texts in by.items():
        bench.bring(calendar(*(text.replace("\n", "\r\n") for text in texts)), f"Calendar {number}")
    before = bench.texts()
    _look(bench)
    batch = _propose(bench)
    apply(bench.store, batch)
    # A change that its series does not know is left for a person to decide.
    loose = sum(kind is Alike.LOOSE for kind in made.truth.values())
    assert len(bench.texts()) == len(before) - (len(made.truth) - loose)
    assert [group.kind for group in _look(bench)] == [Alike.LOOSE] * loose
    apply(bench.store, propose_undo(bench.store, batch))
    assert sorted(bench.texts()) == sorted(before)


def test_the_scenario_knows_how_many_came_twice(bench: Bench) -> None:
    today = date(2026, 11, 26)
    for one in sample_calendars(today):
        bench.bring(one.content, one.name)
    before = Counter(group.kind for group in _look(bench) for _ in group.members[1:])
    (file,) = (one for one in sample_files(today) if one.calendar is None)
    bench.bring(file.content, "Partner office")
    found = Counter(group.kind for group in _look(bench) for _ in group.members[1:])
    assert found - before == Counter(TWICE)
