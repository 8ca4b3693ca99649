"""What every calendar says of itself: live or snapshot, read only or writable, which way changes flow, how often."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest

from datebridge.core.ids import CalendarId
from datebridge.core.moments import wall_seconds_of
from datebridge.services.accounts.statements import Statement, interval_of, kinds, of_calendars, span
from datebridge.services.sync.push import push_pending
from datebridge.standins.faults import Fault
from datebridge.standins.feeds import Feed
from tests.conftest import Bench, calendar, event
from tests.world import World, berth


def said(bench: Bench) -> dict[str, Statement]:
    """The statements by label."""
    with bench.store.read() as connection:
        names = {
            CalendarId(int(str(number))): (str(name), bool(writable))
            for number, name, writable in ((one.id, one.name, one.writable) for one in bench.calendars())
        }
        found = of_calendars(connection, bench.settings, names)
    return {one.label: one for one in found.values()}


def test_a_file_is_a_snapshot_that_stays_here(bench: Bench) -> None:
    bench.bring(calendar(event("a")), "Old lab diary")
    one = said(bench)["Old lab diary"]
    assert (one.state, one.flow, one.interval) == ("snapshot · writable here", "local only", "")
    assert (one.remote, one.to_push, one.to_decide) == (None, 0, 0)
    assert one.term == 'calendar:"Old lab diary"'


def test_a_calendar_on_a_server_flows_both_ways_and_says_what_waits(world: World) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    world.connect("tidewrack")
    one = said(world)["Berths"]
    assert (one.state, one.flow, one.to_push) == ("live 15 min · writable", "both ways with Tidewrack", 0)
    world.delete("launch 1")
    assert said(world)["Berths"].to_push == 1
    world.hosts.switches["tidewrack"].arm(Fault("meddle", method="DELETE"))
    push_pending(world.store)
    world.work()
    after = said(world)["Berths"]
    assert (after.to_push, after.to_decide) == (0, 1)


def test_what_can_only_be_read_says_so_and_where_it_comes_from(world: World) -> None:
    world.hosts.breakwater.publish(
        Feed("/ferry.ics", "Ferries"), calendar(event("f", "Ferry"), header="X-WR-CALNAME:Ferries").encode()
    )
    world.subscribe("/ferry.ics")
    (one,) = [one for label, one in said(world).items() if label == "Ferries"]
    assert (one.state, one.flow) == ("live 6 h · read only", "from Breakwater only")


def test_two_of_one_name_are_told_apart_by_their_account(world: World) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.connect("tidewrack")
    world.bring(calendar(event("a")), "berths")
    found = said(world)
    assert set(found) == {"Berths · Tidewrack", "berths · here"}
    assert found["berths · here"].term == "account:here calendar:berths"
    for label, titles in (("Berths · Tidewrack", ["Launch 1 alongside"]), ("berths · here", ["Tide"])):
        assert world.titles(found[label].term) == titles


@pytest.mark.parametrize(
    ("every", "published", "seconds", "words"),
    [
        (0, 0, 900, "every 15 min"),
        (3600, 0, 3600, "every 1 h, as you set it"),
        (300, 7200, 7200, "every 2 h, as the publisher asks"),  # never more often than the publisher wants
        (86400, 7200, 86400, "every 1 d, as you set it"),
    ],
)
def test_how_often_and_who_wants_it_so(world: World, every: int, published: int, seconds: int, words: str) -> None:
    world.connect("tidewrack")
    there = said(world)["Berths"].remote
    assert there is not None
    there.remote.every, there.remote.published_every = every, published
    assert interval_of(world.settings, replace(there)) == (seconds, words)


def test_spans_and_kinds_in_words() -> None:
    day = date(2026, 11, 24)
    first, last = wall_seconds_of(day), wall_seconds_of(day.replace(year=2027))
    assert span(first, last, False) == "2026-11-24 – 2027-11-24"
    assert span(first, last, True) == "2026-11-24 – no end"
    assert span(None, None, False) == ""
    assert kinds("VEVENT,VTODO,X-TIDE") == "events, to-dos, X-TIDE"
