"""Lanes and their sheets: every source has one, new names are free, and a sheet comes back as it went."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.crossing.again import put_together
from datebridge.core.crossing.lanes import Side, plain, propose
from datebridge.core.crossing.plan_sheet import PlanRow, read_plan, write_plan
from datebridge.core.text.component import Component
from tests.conftest import event
from tests.depth import tries

NAMES = st.sampled_from(["Berths", "berths ", "Tide tables", "Lab", "Lab 2", ""])
CELLS = st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=10).map(str.strip)


@tries(100, 5_000)
@given(st.lists(NAMES, max_size=6), st.lists(NAMES, max_size=5), st.data())
def test_every_source_has_one_lane_and_new_names_are_free(
    sources: list[str], targets: list[str], data: st.DataObject
) -> None:
    here = [Side(number, name) for number, name in enumerate(sources, 1)]
    there = [Side(number, name) for number, name in enumerate(targets, 101)]
    pairs = [(one.id, other.id) for one in here for other in there]
    shared = {pair: data.draw(st.integers(0, 10)) for pair in pairs}
    lanes = propose(here, there, shared, dict.fromkeys([one.id for one in here], 10))
    assert [lane.source for lane in lanes] == [one.id for one in here]
    new = [plain(lane.name) for lane in lanes if lane.target is None]
    assert len(set(new)) == len(new)
    assert not set(new) & {plain(name) for name in targets}
    for lane in lanes:
        most = max((shared[lane.source, other.id] for other in there), default=0)
        if most >= 5:  # half of it
            assert lane.target is not None
            assert shared[lane.source, lane.target] == most


ROWS = st.builds(
    PlanRow,
    CELLS,
    CELLS.filter(bool),
    CELLS,
    CELLS,
    CELLS,
    st.booleans(),
    st.fixed_dictionaries(
        {},
        optional={
            "since": st.dates().map(lambda day: day.isoformat()),
            "kinds": st.lists(st.sampled_from(["VEVENT", "VTODO", "VJOURNAL"]), min_size=1, max_size=3, unique=True),
            "standing": st.sampled_from(["ask", "keep", "newer", "replace"]),
            "private": st.sampled_from(["carry", "leave"]),
        },
    ),
)


@tries(80, 5_000)
@given(st.lists(ROWS, max_size=6))
def test_a_sheet_comes_back_as_it_went(rows: list[PlanRow]) -> None:
    sheet = read_plan(write_plan(rows))
    assert not sheet.unreadable
    assert [(row.source, row.filter, row.target, row.going, row.options) for row in sheet.rows] == [
        (row.source, row.filter, row.target, row.going, row.options) for row in rows
    ]


def test_cells_that_cannot_be_used_are_named() -> None:
    sheet = read_plan("source,since,kinds\nBerths,soon,\n,,\nLab,,tides\nQuay,2026-01-01,events\n,2026-01-01,\n")
    assert [(one.row, one.column) for one in sheet.unreadable] == [
        (2, "since"),
        (4, "kinds"),
        (6, "source calendar"),
    ]
    assert [row.source for row in sheet.rows] == ["Quay"]


FIELDS = {"SUMMARY": "Tide", "LOCATION": "Pier", "DESCRIPTION": "Notes", "STATUS": "CONFIRMED"}
EDITS = st.dictionaries(st.sampled_from(list(FIELDS)), st.sampled_from(["one", "two", ""]), max_size=3)


@tries(100, 5_000)
@given(EDITS, EDITS, st.sets(st.sampled_from(["STATUS", "DESCRIPTION"])))
def test_edits_at_both_ends_are_kept_and_what_the_target_drops_is_no_edit(
    source: dict[str, str], target: dict[str, str], drops: set[str]
) -> None:
    def entry(fields: dict[str, str]) -> str:
        return event(
            "1", fields["SUMMARY"], "20261201T120000Z", *(f"{k}:{v}" for k, v in fields.items() if k != "SUMMARY" and v)
        )

    sent, now = entry(FIELDS), entry({**FIELDS, **source})
    kept = {name: "" if name in drops else value for name, value in FIELDS.items()}
    agreed, there = entry(kept), entry({**kept, **target})
    both = put_together(sent, now, agreed, there)
    conflicts = {one.name for one in both.conflicts}
    said = {name: line.value if (line := Component(both.text).first(name)) else "" for name in FIELDS}
    for name in FIELDS:
        mine, theirs = source.get(name, FIELDS[name]), target.get(name, kept[name])
        changed_here, changed_there = mine != FIELDS[name], theirs != kept[name]
        if changed_here and changed_there and mine not in (theirs, kept[name]):
            assert name in conflicts
        elif changed_there:
            assert said[name] == theirs
        elif changed_here:
            assert said[name] == mine
        else:
            assert said[name] == kept[name]
