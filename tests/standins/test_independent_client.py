"""A client library that knows nothing of Date Bridge does its usual work on both servers."""

from __future__ import annotations

from datetime import UTC, datetime

import caldav
import pytest
from caldav.lib.error import AuthorizationError

from tests.conftest import calendar, event
from tests.world import OFFICE, PASSWORD, World

WEEKLY = event(
    "weekly@skerrow.example",
    "Tide gauge",
    "20261102T080000Z",
    "DTSTAMP:20260105T080000Z",
    "DTEND:20261102T090000Z",
    "RRULE:FREQ=WEEKLY",
)


def day(number: int) -> datetime:
    return datetime(2026, 11, number, tzinfo=UTC)


@pytest.mark.parametrize("name", ["tidewrack", "lantern"])
def test_an_independent_client_discovers_lists_creates_queries_changes_and_deletes(world: World, name: str) -> None:
    client = caldav.DAVClient(world.hosts.address(name), username=OFFICE, password=PASSWORD)
    principal = client.principal()
    assert [c.get_display_name() for c in principal.calendars()] == ["Berths"]
    made = principal.make_calendar(name="Gauges", cal_id="gauges")
    assert {c.get_display_name() for c in principal.calendars()} == {"Berths", "Gauges"}
    made.add_event(calendar(WEEKLY))
    assert len(made.search(start=day(16), end=day(17), event=True)) == 1
    assert made.search(start=day(17), end=day(18), event=True) == []
    found = made.event_by_uid("weekly@skerrow.example")
    found.data = found.data.replace("Tide gauge", "Tide gauge, read twice")
    found.save()
    assert "read twice" in made.event_by_uid("weekly@skerrow.example").data
    found.delete()
    assert made.events() == []


def test_a_sync_token_brings_what_changed_and_an_expired_one_is_refused(world: World) -> None:
    client = caldav.DAVClient(world.hosts.address("lantern"), username=OFFICE, password=PASSWORD)
    (berths,) = client.principal().calendars()
    token = berths.objects_by_sync_token().sync_token
    berths.add_event(calendar(WEEKLY))
    assert len(list(berths.objects_by_sync_token(token))) == 1
    with pytest.raises(caldav.lib.error.DAVError):
        list(berths.objects_by_sync_token("urn:lantern:1:999", load_objects=False, disable_fallback=True))


def test_a_wrong_password_does_not_get_in(world: World) -> None:
    client = caldav.DAVClient(world.hosts.address("lantern"), username=OFFICE, password=PASSWORD[::-1])
    with pytest.raises(AuthorizationError):
        client.principal()
