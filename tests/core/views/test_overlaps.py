"""Overlaps, against comparing each with each."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.occurrences.expanding import Occurrence
from datebridge.core.occurrences.window import ShownEntry, Window
from datebridge.core.views.overlaps import OverlapQuery, People, overlapping, overlaps, people_in
from tests.depth import tries

SPANS = st.lists(st.tuples(st.integers(0, 60), st.integers(0, 20)).map(lambda t: (t[0], t[0] + t[1])), max_size=25)


@tries(60, 2_000)
@given(SPANS, st.integers(1, 8))
def test_overlaps_are_those_of_comparing_each_with_each(spans: list[tuple[int, int]], least: int) -> None:
    found = [(min(a, b), max(a, b), long) for a, b, long in overlaps(spans, least)]
    each = [
        (b, a, min(spans[a][1], spans[b][1]) - max(spans[a][0], spans[b][0]))
        for a in range(len(spans))
        for b in range(a)
    ]
    assert sorted(found) == sorted(one for one in each if one[2] >= least)


def _window(*rows: tuple[int, int, str, str]) -> tuple[Window, dict[int, People]]:
    """Occurrences of an entry each: start and end in hours, place, and who is invited ("a, b"; "-a" declined)."""
    found, entries, people = [], {}, {}
    for number, (start, end, place, names) in enumerate(rows, 1):
        at = (start * 3600, end * 3600)
        found.append(Occurrence(number, 0, 0, *at, *at))
        entries[number] = ShownEntry(7, f"{number}", "", "", "", 0, f"Entry {number}", place, "VEVENT", "", "", 0)
        lines = [
            f"ATTENDEE;CN={name.strip('- ')} Berg;PARTSTAT={'DECLINED' if '-' in name else 'ACCEPTED'}:"
            f"mailto:{name.strip('- ')}@skerrow.example"
            for name in names.split(",")
            if name.strip()
        ]
        people[number] = people_in("\n".join(["BEGIN:VEVENT", *lines, "END:VEVENT"]))
    return Window(found, entries), people


def _pairs(window: Window, people: dict[int, People], asked: OverlapQuery) -> list[tuple[int, int]]:
    found = overlapping(window, asked, lambda wanted: {one: people[one] for one in wanted}, {7: "Crew of Ole"})
    return [(one.first.entry, one.second.entry) for one in found.found]


def test_only_what_takes_one_persons_time_or_one_place_is_marked() -> None:
    window, people = _window(
        (9, 12, "Berth 3", "ida"),
        (10, 11, "Hall", "jonas"),
        (10, 11, " berth  3", "eva"),
        (9, 10, "", "ida, jonas"),
        (10, 12, "Lab", "-ida"),
        (15, 16, "", ""),
        (15, 17, "", ""),
        (15, 16, "Hall", "eva"),
        (15, 16, "Lab", "jonas"),
    )
    # Ida twice; the berth twice; and what names nobody and no place is whoever's calendar it is in.
    assert _pairs(window, people, OverlapQuery(shared=True)) == [(1, 4), (1, 3), (7, 6), (6, 8), (7, 8), (6, 9), (7, 9)]


def test_overlaps_of_two_people() -> None:
    window, people = _window((9, 12, "", "ida"), (10, 11, "", "jonas"), (10, 12, "", "eva, ida"), (11, 12, "", "-ida"))
    assert _pairs(window, people, OverlapQuery(people=("Ida", "jonas@skerrow"))) == [(1, 2), (3, 2)]
    assert _pairs(window, people, OverlapQuery(people=("ida",))) == [(1, 3)]
    assert len(_pairs(window, people, OverlapQuery(people=("ole", "eva")))) == 3  # the calendar is called after Ole
