"""What is at an address, as somebody typed it."""

from __future__ import annotations

import pytest

from datebridge.connect.errors import Unreachable
from datebridge.connect.feed import interval
from datebridge.services.accounts import addresses
from datebridge.standins.faults import Fault
from datebridge.standins.feeds import Feed
from tests.conftest import calendar, event
from tests.world import OFFICE, PASSWORD, World

TIDES = calendar(event("a", "High water", "20261201T080000Z"), header="X-PUBLISHED-TTL:PT6H\nX-WR-CALNAME:Tides")


def publish(world: World, path: str, **more: object) -> str:
    world.hosts.breakwater.publish(Feed(path, "Tides", "Tides", **more), TIDES.encode())  # type: ignore[arg-type]
    return world.hosts.address("breakwater") + path


def refusal(world: World, address: str, user: str = "", password: str = "") -> Unreachable:
    with pytest.raises(Unreachable) as caught:
        addresses.look_at(world.settings, address, user, password)
    return caught.value


def test_a_server_asks_who_one_is_and_then_shows_its_calendars(world: World) -> None:
    address = world.hosts.address("lantern")
    locked = addresses.look_at(world.settings, address)
    assert (locked.found.kind, locked.found.locked) == ("server", True)
    seen = addresses.look_at(world.settings, address, OFFICE, PASSWORD)
    assert [(c.name, c.writable, c.colour) for c in seen.found.calendars] == [("Berths", True, "#1f5f8b")]
    assert seen.found.home is not None
    assert seen.found.home.addresses == ("harbour-office@skerrow.example",)
    assert seen.found.home.schedules


def test_a_calendars_own_address_leads_to_its_server(world: World) -> None:
    address = f"{world.hosts.address('tidewrack')}/dav/calendars/{OFFICE}/berths/"
    assert addresses.look_at(world.settings, address, OFFICE, PASSWORD).found.kind == "server"


def test_a_wrong_password_gets_a_clear_answer(world: World) -> None:
    error = refusal(world, world.hosts.address("lantern"), OFFICE, "guess")
    assert (error.trouble, error.message) == ("password", "127.0.0.1 does not accept this user name and password.")


def test_a_feed_shows_what_is_in_it(world: World) -> None:
    seen = addresses.look_at(world.settings, publish(world, "/tides.ics"))
    assert (seen.found.kind, seen.title) == ("feed", "Tides")
    assert seen.inspection is not None
    assert seen.inspection.summary.events == 1


def test_a_feed_behind_a_password_asks_for_it(world: World) -> None:
    address = publish(world, "/members/tides.ics", access="password")
    assert addresses.look_at(world.settings, address).found.locked
    host = world.hosts.breakwater
    assert addresses.look_at(world.settings, address, host.user, host.password).found.kind == "feed"
    assert refusal(world, address, host.user, "guess").trouble == "password"
    inside = address.replace("http://", f"http://{host.user}:{host.password}@")
    assert not addresses.look_at(world.settings, inside).found.locked


def test_a_page_shows_the_calendars_it_links_to(world: World) -> None:
    address = publish(world, "/tides.ics")
    found = addresses.look_at(world.settings, world.hosts.address("breakwater") + "/").found
    assert (found.kind, found.links) == ("page", (("Tides", address),))


def test_a_feed_that_moved_for_good_is_found_at_its_new_address(world: World) -> None:
    target = publish(world, "/tides.ics")
    old = publish(world, "/old.ics", manner="moved", target=target)
    today = publish(world, "/today.ics", manner="redirect", target=target)
    assert addresses.look_at(world.settings, old).found.address == target
    assert addresses.look_at(world.settings, today).found.address == today


def test_what_is_no_calendar_is_said_to_be_none(world: World) -> None:
    assert "no calendar" in refusal(world, publish(world, "/page.ics", manner="page")).message
    assert refusal(world, world.hosts.address("breakwater") + "/nothing.ics").trouble == "missing"
    assert refusal(world, "http://127.0.0.1:9/").trouble == "forbidden"


def test_a_certificate_that_proves_nothing_ends_it(world: World) -> None:
    error = refusal(world, world.hosts.address("lantern-tls"), OFFICE, PASSWORD)
    assert error.trouble == "certificate"
    assert not world.hosts.switches["lantern"].requests


def test_trouble_is_said_in_words(world: World) -> None:
    address = publish(world, "/tides.ics")
    for kind, trouble in (("unavailable", "down"), ("throttle", "throttled"), ("cut", "cut")):
        world.hosts.switches["breakwater"].arm(Fault(kind, seconds=7))  # type: ignore[arg-type]
        error = refusal(world, address)
        assert error.trouble == trouble
        assert "127.0.0.1" in error.message
        assert "tides.ics" not in error.message


@pytest.mark.parametrize(
    ("line", "seconds"),
    [
        ("REFRESH-INTERVAL;VALUE=DURATION:P1D", 86400),
        ("X-PUBLISHED-TTL:PT6H", 21600),
        ("X-PUBLISHED-TTL:soon", 0),
        ("X-NOTHING:1", 0),
    ],
)
def test_a_publishers_interval(line: str, seconds: int) -> None:
    assert interval(f"BEGIN:VCALENDAR\n{line}\nEND:VCALENDAR") == seconds
