"""Changes in bulk through the store: proposed, what cannot be changed listed, applied as one, taken back as one."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.bulk import Recipe
from datebridge.core.bulk.steps import Categories, MapAddress, Shift
from datebridge.core.cleanup_filters import CLEANUP_FILTERS, Standards
from datebridge.core.ids import SetId
from datebridge.core.job_kinds import JobKind
from datebridge.core.text.reader import Reader
from datebridge.services.jobs import jobs
from datebridge.services.mend import cleanup, recipes
from datebridge.services.mend.recipes import NoRecipe
from datebridge.services.running import worker
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, browser, calendar, event
from tests.depth import tries
from tests.world import World, berth

SERIES = [
    event("weekly", "Rota", "TZID=Atlantic/Reykjavik:20261123T090000", "DURATION:PT1H", "RRULE:FREQ=WEEKLY;COUNT=6"),
    event(
        "weekly",
        "Rota, late",
        "TZID=Atlantic/Reykjavik:20261207T110000",
        "DURATION:PT1H",
        "RECURRENCE-ID;TZID=Atlantic/Reykjavik:20261207T090000",
    ),
]


def run(bench: Bench, kind: str, **params: object) -> tuple[str, str, SetId]:
    """How a job ended, what it said, and the set it made; 0 for none."""
    job = jobs.enqueue(bench.store, JobKind(kind), "x", {"filter": "", "excluded": [], "only": None, **params})
    worker.drain(bench.store, bench.settings)
    done = jobs.get(bench.store, job)
    assert done is not None
    return done.state, done.message, SetId(int((done.result or {}).get("set_id", 0)))


def change(bench: Bench, *steps: dict[str, object], filter: str = "") -> tuple[str, str, SetId]:
    return run(bench, "bulk", filter=filter, steps=list(steps))


def row(bench: Bench, number: SetId) -> tuple[object, ...]:
    made = bench.set(number)
    return made.title, made.reason, made.updates, made.deletes, made.held


def test_it_changes_what_was_selected_says_what_it_cannot_and_is_taken_back(bench: Bench) -> None:
    bench.bring(calendar(*SERIES, event("a", "Tide"), event("day", "Lamp Day", "20261224"), event("b", "Ebb")))
    before = sorted(bench.texts())
    state, _, number = change(bench, {"do": "shift", "minutes": 30}, filter="-what:ebb")
    assert state == "done"
    title, reason, updates, deletes, held = row(bench, number)
    assert title == "30 min later: 3 events in Tides"
    assert reason == "Not changed: 1 × 30 min later: It is all-day; hours and minutes do not apply."
    assert (updates, deletes, held) == (3, 0, 1)
    apply_set(bench.store, number)
    starts = {t.split("SUMMARY:")[1].split("\n")[0]: t.split("DTSTART")[1].split("\n")[0] for t in bench.texts()}
    assert starts == {
        "Rota": ";TZID=Atlantic/Reykjavik:20261123T093000",
        "Rota, late": ";TZID=Atlantic/Reykjavik:20261207T113000",
        "Tide": ":20261124T083000Z",
        "Lamp Day": ";VALUE=DATE:20261224",
        "Ebb": ":20261124T080000Z",
    }
    apply_set(bench.store, propose_undo(bench.store, number))
    assert sorted(bench.texts()) == before


def test_a_changed_occurrence_goes_with_its_series_and_alone_where_it_alone_is_chosen(bench: Bench) -> None:
    bench.bring(calendar(*SERIES))
    _, _, number = change(bench, {"do": "shift", "days": 1}, filter="override:yes")
    assert row(bench, number)[2] == 1
    _, _, number = change(bench, {"do": "end-series", "last": "2026-12-01"}, filter="override:no")
    assert row(bench, number)[2:] == (1, 1, 0)


def test_steps_follow_one_another_and_nothing_to_change_is_said(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Tide", "20261124T080000Z", "STATUS:TENTATIVE"), event("b", "Ebb")))
    steps: list[dict[str, object]] = [
        {"do": "categories", "mode": "add", "values": ["Sea"]},
        {"do": "replace", "field": "category", "find": "sea", "by": "Ocean"},
        {"do": "status", "status": "CONFIRMED"},
    ]
    _, _, number = change(bench, *steps)
    apply_set(bench.store, number)
    assert all("CATEGORIES:Ocean\n" in text and "STATUS:CONFIRMED" in text for text in bench.texts())
    state, said, number = change(bench, {"do": "status", "status": "CONFIRMED"})
    assert (state, said, number) == ("failed", "Nothing would change. Status confirmed. 2 entries are so already.", 0)


def test_what_can_only_be_read_is_left_alone(world: World) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    world.connect("tidewrack")
    with world.store.write() as connection:
        connection.exec_driver_sql("UPDATE calendar SET writable = 0")
    state, said, _ = change(world, {"do": "busy", "busy": False})  # type: ignore[arg-type]
    assert state == "failed"
    assert "read-only" in said


def test_entries_are_changed_and_moved_in_one_go(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Tide"), event("b", "Ebb")), "Old")
    bench.bring(calendar(event("c", "Crane")), "New")
    steps: list[dict[str, object]] = [
        {"do": "categories", "mode": "add", "values": ["Moved"]},
        {"do": "calendar", "calendar": "New"},
    ]
    state, _, number = change(bench, *steps, filter="calendar:Old")
    assert state == "done"
    apply_set(bench.store, number)
    worker.drain(bench.store, bench.settings)
    assert {one.name: one.entries for one in bench.calendars() if one.entries} == {"New": 3}
    assert sum("CATEGORIES:Moved" in text for text in bench.texts()) == 2
    assert change(bench, {"do": "calendar", "calendar": "Nowhere"})[1] == "There is no calendar “Nowhere”."


# ---- recipes --------------------------------------------------------------------------------------------


def test_a_recipe_is_kept_goes_out_as_a_file_and_comes_back(bench: Bench) -> None:
    made = Recipe("After the move", [MapAddress("@old.example", "@new.example"), Shift(minutes=-60)])
    with bench.store.write() as connection:
        recipes.keep_recipe(connection, made)
        assert recipes.all_kept(connection) == [made]
        assert recipes.read_file(recipes.write_file(made), "after.recipe.json") == made
        recipes.forget_recipe(connection, made.name)
        assert recipes.all_kept(connection) == []


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "it is not JSON"),
        ("[]", "does not say that it is a recipe"),
        ('{"format": "date-bridge recipe 1", "steps": {}}', "not a list"),
        ('{"format": "date-bridge recipe 1", "steps": [{"do": "dance"}]}', "Step 1: “dance” is not a step"),
        ('{"format": "date-bridge recipe 1", "steps": [{"do": "busy", "busy": "perhaps"}]}', "Step 1 (busy): busy:"),
        ('{"format": "date-bridge recipe 1", "steps": [{"do": "shift"}]}', "Enter a duration"),
        (
            '{"format": "date-bridge recipe 1", "steps": ' + str([{"do": "all-day"}] * 99).replace("'", '"') + "}",
            "40 are the most",
        ),
    ],
)
def test_what_is_no_recipe_is_refused_in_words(text: str, said: str) -> None:
    with pytest.raises(NoRecipe, match=r"x\.json: ") as caught:
        recipes.read_file(text.encode(), "x.json")
    assert said in str(caught.value)


@tries(40, 2_000)
@given(st.binary(max_size=80))
def test_no_file_whatever_is_read_as_a_recipe_or_brings_anything_down(data: bytes) -> None:
    with pytest.raises(NoRecipe):
        recipes.read_file(data, "x")


# ---- by age ----------------------------------------------------------------------------------------------

OLD = [
    event("past", "Old tide", "20240105T080000Z"),
    event("now", "New tide", "20260105T080000Z"),
    event("ended", "Old rota", "20240101T090000Z", "RRULE:FREQ=WEEKLY;COUNT=3"),
    event("runs", "Rota", "20240101T090000Z", "DURATION:PT1H", "RRULE:FREQ=YEARLY"),
    event("runs", "Rota, moved", "20250102T090000Z", "DURATION:PT1H", "RECURRENCE-ID:20250101T090000Z"),
    event("runs", "Rota, moved later", "20270102T090000Z", "DURATION:PT1H", "RECURRENCE-ID:20270101T090000Z"),
]


@pytest.mark.parametrize("shorten", [False, True])
def test_what_is_over_goes_into_archives_and_running_series_stay_or_are_shortened(bench: Bench, shorten: bool) -> None:
    bench.bring(calendar(*OLD), "Tides")
    bench.bring(calendar(event("other", "Ancient", "20200101T080000Z")), "Crane")
    before = sorted(bench.texts())
    state, _, number = run(bench, "put-away", before="2026-01-01", calendars=[], shorten=shorten)
    assert state == "done"
    files = sorted(path.name for path in bench.settings.archive_dir.iterdir())
    assert files == ["Crane-archive.ics", "Tides-archive.ics"]
    apply_set(bench.store, number)
    kept = {"New tide", "Rota", "Rota, moved later"} | ({"Rota, moved"} if not shorten else set())
    assert set(bench.titles()) == kept
    with (bench.settings.archive_dir / "Tides-archive.ics").open("rb") as source:
        archived = [one.text for one in Reader(source) if one.name == "VEVENT"]
    titles = {text.split("SUMMARY:")[1].split("\n")[0] for text in archived}
    assert titles == {"Old tide", "Old rota"} | ({"Rota", "Rota, moved"} if shorten else set())
    if shorten:
        assert any("RRULE:FREQ=YEARLY;UNTIL=20250101T090000Z" in text for text in archived)
        assert any("DTSTART:20260101T090000Z" in text for text in bench.texts())
    apply_set(bench.store, propose_undo(bench.store, number))
    assert sorted(bench.texts()) == before


def test_where_nothing_is_over_it_says_so_and_leaves_no_file(bench: Bench) -> None:
    bench.bring(calendar(event("now", "New tide")))
    state, said, _ = run(bench, "put-away", before="2026-01-01", calendars=[], shorten=True)
    assert (state, said.startswith("Nothing is over before 2026-01-01")) == ("failed", True)
    assert list(bench.settings.archive_dir.iterdir()) == []


# ---- what is seldom wanted -----------------------------------------------------------------------------------

#: For each cleanup, what it finds, beside an entry that nothing finds.
FOUND: dict[str, list[str]] = {
    "no-title": ["DTSTART:20271124T080000Z", "DTEND:20271124T090000Z"],
    "no-length": ["SUMMARY:x", "DTSTART:20271124T080000Z", "DTEND:20271124T080000Z"],
    "too-long": ["SUMMARY:x", "DTSTART:20271124T080000Z", "DTEND:20281124T080000Z"],
    "old": ["SUMMARY:x", "DTSTART:20091124T080000Z", "DTEND:20091124T090000Z"],
    "ended-series": ["SUMMARY:x", "DTSTART:20251124T080000Z", "DTEND:20251124T090000Z", "RRULE:FREQ=DAILY;COUNT=2"],
    "cancelled": ["SUMMARY:x", "DTSTART:20271124T080000Z", "DTEND:20271124T090000Z", "STATUS:CANCELLED"],
    "tentative-past": ["SUMMARY:x", "DTSTART:20251124T080000Z", "DTEND:20251124T090000Z", "STATUS:TENTATIVE"],
    "alarm-past": [
        "SUMMARY:x",
        "DTSTART:20251124T080000Z",
        "DTEND:20251124T090000Z",
        "BEGIN:VALARM",
        "TRIGGER:-PT5M",
        "ACTION:DISPLAY",
        "END:VALARM",
    ],
    "departed": [
        "SUMMARY:x",
        "DTSTART:20271124T080000Z",
        "DTEND:20271124T090000Z",
        "ORGANIZER:mailto:ida@left.example",
    ],
    "old-links": [
        "SUMMARY:x",
        "DTSTART:20271124T080000Z",
        "DTEND:20271124T090000Z",
        "URL:https://Papers.Old.example/1",
    ],
    "unknown": ["SUMMARY:x", "DTSTART:20271124T080000Z", "DTEND:20271124T090000Z", "X-ODD:1"],
    "endless": ["SUMMARY:x", "DTSTART:20271124T080000Z", "DTEND:20271124T090000Z", "RRULE:FREQ=YEARLY"],
    "too-large": ["SUMMARY:x", "DTSTART:20271124T080000Z", "DTEND:20271124T090000Z", "COMMENT:" + "y" * 101_000],
}
BY = Standards(30, "2020-01-01", ["left.example"], ["old.example"], 100, "2029-12-31")


def test_a_sift_finds_what_it_is_for_and_no_other_does(bench: Bench) -> None:
    texts = ["\n".join(["BEGIN:VEVENT", f"UID:{code}", *lines, "END:VEVENT"]) for code, lines in FOUND.items()]
    bench.bring(calendar(*texts, event("sound", "Sound", "20271124T080000Z", "DTEND:20271124T090000Z")))
    for one_filter in CLEANUP_FILTERS:
        if one_filter.code in ("declined", "private-shared"):
            continue
        rows = bench.ledger.page(one_filter.filter(BY))[1]
        assert {row.uid for row in rows} == {one_filter.code}, one_filter.code


def test_what_depends_on_the_account_is_found_by_it(world: World) -> None:
    answer = "ATTENDEE;PARTSTAT={}:mailto:{}@skerrow.example"
    mine = berth(1, "ORGANIZER:mailto:x@y.example", answer.format("DECLINED", "harbour-office"))
    other = berth(2, "ORGANIZER:mailto:x@y.example", answer.format("DECLINED", "ida"), "CLASS:PRIVATE")
    world.put("tidewrack", "berths", mine, other)
    world.connect("tidewrack")
    found = {s.code: {row.uid for row in world.ledger.page(s.filter(BY))[1]} for s in CLEANUP_FILTERS}
    assert [uid[:8] for uid in found["declined"]] == [world.ledger.page("owner:declined")[1][0].uid[:8]]
    assert len(found["declined"]) == 1
    assert found["private-shared"] == set()
    with world.store.write() as connection:
        connection.exec_driver_sql("UPDATE remote SET owned = 0")
        connection.exec_driver_sql("UPDATE meta SET revision = revision + 1")
    assert len(world.ledger.page("private:yes shared:yes")[1]) == 1


def test_the_desk_tells_what_shows_only_of_calendars_as_wholes(bench: Bench) -> None:
    bench.bring(
        calendar(
            *(
                event(f"u{k}", "Tide", "20261124T080000Z", "CATEGORIES:Lab Work", "X-ODD;P=1:one\\, two")
                for k in range(5)
            )
        ),
        "One",
    )
    bench.bring(
        calendar(
            *(event(f"u{k}", "Tide", "20261124T080000Z", "CATEGORIES:lab-work") for k in range(4)),
            header="NAME:Two\nCOLOR:teal\nX-WR-TIMEZONE:UTC",
        ),
        "Two",
    )
    with bench.store.read() as connection:
        assert [(one.same, one.of) for one in cleanup.copies(connection)] == [(4, 4)]
        lacks = [one.lacks for one in cleanup.lacking(connection)]
        unknown, more = cleanup.unknown_properties(connection)
    assert lacks == [["colour", "zone"]]
    assert [tuple(one) for one in unknown] == [("X-ODD", 5, "one, two")]
    assert not more
    assert cleanup.spellings(bench.ledger) == [[("Lab Work", 5), ("lab-work", 4)]]


def test_the_checks_are_asked_of_one_calendar_and_by_other_standards(bench: Bench) -> None:
    from datebridge.api.app import create_app

    bench.bring(calendar(event("a", "Tide", "20240101T080000Z", "DTEND:20240101T070000Z")), "One")
    bench.bring(calendar(event("b", "Ebb", "20240101T080000Z", "DTEND:20240103T080000Z")), "Two")
    with browser(create_app(bench.settings, work=False)) as client:
        numbers = {one["name"]: one["id"] for one in client.get("/api/calendars").json()}

        def found(**query: object) -> dict[str, int]:
            rows = client.get("/api/checks", params=query).json()["found"]
            return {one["code"]: one["count"] for one in rows}

        assert found()["end-before-start"] == 1
        assert "end-before-start" not in found(calendar=numbers["Two"])
        assert "too-long" not in found()
        wanted = {**client.get("/api/checks/standards").json(), "days": 1, "older": "2024-02-01"}
        assert client.put("/api/checks/standards", json=wanted).status_code == 204
        assert found(calendar=numbers["Two"]) == {"too-long": 1, "old": 1}
        [one] = client.get("/api/checks/end-before-start/entries").json()["rows"]
        assert one["message"] == "The end is before the start."
        assert client.put("/api/checks/standards", json={**wanted, "older": "soon"}).status_code == 422


def test_categories_given_to_the_many_are_given_to_each(bench: Bench) -> None:
    bench.bring(calendar(*(event(f"e{k}", f"Tide {k}") for k in range(4_000))))
    state, _, number = change(bench, {"do": "categories", "mode": "add", "values": ["Sea"]})
    assert state == "done"
    apply_set(bench.store, number)
    assert [row.categories for row in bench.entries()].count("Sea") == 4_000
    steps = [Categories("add", ["Sea"])]
    assert recipes.read_steps(recipes.as_json(list(steps))) == steps
