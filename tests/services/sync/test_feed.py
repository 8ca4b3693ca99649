"""Following feeds: conditional, at the publisher's pace, held back where they would lose very much."""

from __future__ import annotations

import pytest

from datebridge.core.changes import State
from datebridge.core.text.headers import Description
from datebridge.services.accounts import accounts, addresses
from datebridge.services.editing import calendars
from datebridge.standins.feeds import Feed
from datebridge.store.accounts import NotConnected
from datebridge.store.calendars import own_lines
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.apply import discard as discard_set
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import calendar
from tests.world import World, berth

PATH = "/private/k3yz-calls.ics"


def feed(*numbers: int, name: str = "calls") -> bytes:
    header = "REFRESH-INTERVAL;VALUE=DURATION:P1D\nX-WR-CALNAME:Port calls"
    return calendar(*(berth(n, name=name) for n in numbers), header=header).encode()


def subscribed(world: World, *numbers: int) -> int:
    world.hosts.breakwater.publish(Feed(PATH, "Port calls", access="secret"), feed(*numbers))
    return world.subscribe(PATH)


def colours(world: World) -> dict[str, str]:
    with world.store.read() as connection:
        return {world.calendar(number).name: lines.own_colour for number, lines in own_lines(connection).items()}


def change(world: World, account: int, data: bytes) -> str:
    world.hosts.breakwater.change(PATH, data)
    world.refresh(account)
    return world.remote(account).outcome


def test_a_feed_follows_what_is_published_and_can_only_be_read(world: World) -> None:
    account = subscribed(world, *range(10))
    assert (world.calendar().name, world.calendar().writable) == ("Port calls", False)
    assert change(world, account, feed(*range(1, 11), name="calls")) == "1 added, 1 removed"
    assert [one.title for one in world.sets("pull")] == ["From Breakwater, Port calls: 1 added, 1 removed"]


def test_an_unchanged_feed_is_one_request_and_no_batch(world: World) -> None:
    account = subscribed(world, 1, 2)
    world.hosts.switches["breakwater"].requests.clear()
    world.refresh(account)
    assert sum(world.hosts.switches["breakwater"].requests.values()) == 1
    assert world.remote(account).outcome == "nothing changed"
    assert len(world.sets()) == 1


def test_new_stamps_alone_are_no_change(world: World) -> None:
    account = subscribed(world, 1)
    stamped = feed(1).replace(b"SUMMARY", b"DTSTAMP:20261125T000000Z\nSUMMARY")
    assert change(world, account, stamped) == "nothing changed"


def test_the_publishers_interval_is_kept_to_and_ones_own_may_be_longer(world: World) -> None:
    account = subscribed(world, 1)
    row = world.remote(account)
    assert row.id is not None
    for own, seconds in ((0, 86400), (3600, 86400), (604800, 604800)):
        accounts.set_interval(world.store, row.id, own)
        world.refresh(account)
        fresh = world.remote(account)
        assert fresh.next_at is not None
        assert fresh.refreshed_at is not None
        assert fresh.next_at - fresh.refreshed_at == seconds


def test_a_feed_that_shrinks_is_held_back_until_somebody_decides(world: World) -> None:
    account = subscribed(world, *range(10))
    assert change(world, account, feed(*range(7))) == "Held back: 3 of 10 entries would be deleted."
    assert len(world.titles()) == 10
    held = world.remote(account).held_set_id
    assert held is not None
    discard_set(world.store, held)
    world.refresh(account)
    assert len(world.titles()) == 10
    assert world.sets(state=State.PROPOSED) == []
    assert change(world, account, feed(*range(6))).startswith("Held back")
    again = world.remote(account).held_set_id
    assert again is not None
    apply_set(world.store, again)
    assert len(world.titles()) == 6
    world.refresh(account)
    assert (world.remote(account).outcome, len(world.titles())) == ("nothing changed", 6)


def test_a_feed_that_shrinks_to_nothing_overnight_is_held_back(world: World) -> None:
    world.hosts.breakwater.publish(Feed(PATH, "Port calls", manner="shrinking"), feed(*range(10)))
    account = world.subscribe(PATH)
    world.hosts.breakwater.age(PATH, 2 * 86400)
    world.refresh(account)
    assert world.remote(account).outcome == "Held back: 10 of 10 entries would be deleted."
    assert len(world.titles()) == 10


def test_a_feed_that_turns_into_a_page_keeps_what_was_there(world: World) -> None:
    account = subscribed(world, 1, 2)
    world.hosts.breakwater.publish(Feed(PATH, "Port calls", manner="page"), b"")
    world.refresh(account)
    assert len(world.titles()) == 2
    assert world.remote(account).trouble == "127.0.0.1 answers with a web page instead of a calendar."


def test_a_feed_that_moves_for_good_is_followed_to_its_new_address(world: World) -> None:
    account = subscribed(world, 1)
    at = world.hosts.address("breakwater")
    world.hosts.breakwater.publish(Feed("/new.ics", "Port calls"), feed(1, 2))
    world.hosts.breakwater.publish(Feed(PATH, "Port calls", manner="moved", target=f"{at}/new.ics"), b"")
    world.refresh(account)
    row = world.remote(account)
    assert row.id is not None
    assert accounts.address_of(world.store, world.settings, row.id) == f"{at}/new.ics"
    assert len(world.titles()) == 2


def test_the_address_is_sealed_and_shown_only_on_request(world: World) -> None:
    account = subscribed(world, 1)
    row = world.remote(account)
    assert row.id is not None
    assert accounts.address_of(world.store, world.settings, row.id).endswith(PATH)
    world.store.close()
    kept = b"".join(p.read_bytes() for p in world.settings.data_dir.glob("date-bridge.sqlite*"))
    assert PATH.encode() not in kept


def test_a_feed_is_called_and_coloured_here_as_one_likes(world: World) -> None:
    account = subscribed(world, 1)
    number = world.calendar().id
    set_id = calendars.propose_description(world.store, number, Description("Ships", "#16684a"))
    apply_set(world.store, set_id)
    assert change(world, account, feed(1, 2)) == "1 added"
    assert colours(world) == {"Ships": "#16684a"}
    apply_set(world.store, propose_undo(world.store, set_id))
    assert colours(world) == {"Port calls": ""}


def test_the_same_feed_is_not_subscribed_to_twice(world: World) -> None:
    subscribed(world, 1)
    with pytest.raises(NotConnected, match="Already connected"):
        world.subscribe(PATH)
    assert len(world.accounts()) == 1


def test_the_catalogue_lists_open_feeds_by_subject(world: World) -> None:
    world.hosts.breakwater.publish(Feed("/tides.ics", "Tides", "Sea", "High and low"), feed(1))
    subscribed(world, 1)
    assert [(row["subject"], row["title"]) for row in addresses.catalogue(world.settings)] == [("Sea", "Tides")]
