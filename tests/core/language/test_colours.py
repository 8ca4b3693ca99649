"""Colours that are hard to tell or to see."""

from __future__ import annotations

from datebridge.core.language.colours import contrast, warnings


def test_colours_hard_to_tell_or_to_see_are_named() -> None:
    assert [number for number, _ in warnings([(1, "#1f5f8b"), (2, "#a3262c"), (3, "#22608d"), (4, "#fff8e0")])] == [
        3,
        4,
    ]
    assert round(contrast("#000000", "#ffffff")) == 21
