"""Two sides joined."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.views.mirror import Side, pair
from tests.depth import tries


def _side(number: int, key: str, title: str, start: int, length: int = 60, place: str = "") -> Side:
    return Side(number, key, title, start * 3600, start * 3600 + length * 60, False, place)


def test_pairs_are_found_by_what_they_are_then_by_title_and_time() -> None:
    left = [
        _side(0, "a", "Crane", 8),
        _side(1, "b", "Lamp", 9),
        _side(2, "c", "Lamp", 14),
        _side(3, "d", "Tide", 9),
        _side(4, "e", "Boat", 9, 60, "Berth 1"),
    ]
    right = [
        _side(0, "a", "Crane", 10),
        _side(1, "x", "Lamp", 15),
        _side(2, "y", "Lamp", 9),
        _side(3, "z", "Fish", 9),
        _side(4, "e", "Boat", 9, 60, "Berth 2"),
    ]
    assert {(p.left, p.right, p.verdict, p.moved // 3600) for p in pair(left, right)} == {
        (0, 0, "moved", 2),
        (1, 2, "same", 0),
        (2, 1, "moved", 1),
        (3, None, "alone", 0),
        (None, 3, "alone", 0),
        (4, 4, "changed", 0),
    }


@tries(60, 2_000)
@given(st.lists(st.builds(_side, st.integers(), st.text("ab", max_size=1), st.sampled_from("XY"), st.integers(0, 40))))
def test_a_side_against_itself_is_the_same(sides: list[Side]) -> None:
    sides = [side._replace(number=k) for k, side in enumerate(sides)]
    assert sorted(p.left for p in pair(sides, sides) if p.left is not None) == list(range(len(sides)))
    assert all(
        p.verdict == "same"
        for p in pair([s._replace(key=s.number) for s in sides], [s._replace(key=s.number) for s in sides])
    )
