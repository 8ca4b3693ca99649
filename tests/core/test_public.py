"""What the core offers to others is there, under its name."""

from __future__ import annotations

import pytest

import datebridge.core as core


@pytest.mark.parametrize("name", core.__all__)
def test_each_name_leads_to_something_described(name: str) -> None:
    assert getattr(core, name).__doc__


def test_nothing_else_is_made_up() -> None:
    assert sorted(core._HOME_OF) == sorted(core.__all__)
    with pytest.raises(AttributeError):
        core.something  # noqa: B018
