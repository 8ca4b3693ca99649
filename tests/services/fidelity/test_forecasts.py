"""What is foretold is what arrives: entries copied to servers that lose things, compared with what was said before."""

from __future__ import annotations

from pathlib import Path

import pytest

from datebridge.core.attachments import as_handed_over
from datebridge.core.crossing.features import alike
from datebridge.core.ids import AccountId, FileId
from datebridge.core.keeping import entries_in
from datebridge.core.language.filters import Selection
from datebridge.services.fidelity import forecasts, probes
from datebridge.services.sync.push import push_pending
from datebridge.services.transfer.copying import Target
from datebridge.services.transfer.transfers import propose_transfer
from datebridge.standins.losses import OF_HALYARD, OF_LANTERN, Losses
from datebridge.store import fidelity as stored
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.review import warnings
from datebridge.store.fidelity import counted_losses, losing_entries
from tests.conftest import calendar, event
from tests.core.crossing.test_fidelity import ALARMS, LINES
from tests.world import World, berth, new_world

NOON = "20261201T120000Z"
SHALLOW = Losses(
    drops=("GEO", "COMMENT"), parameters=("LANGUAGE",), categories=2, title=40, confidential="PRIVATE", attendees=2
)


@pytest.fixture
def world(tmp_path: Path):
    with new_world(tmp_path) as world:
        yield world


def diary() -> list[str]:
    """An event for each line, one with all that a calendar may hold, and a series with a changed occurrence."""
    lines = [line for line in (*LINES, *ALARMS) if not line.startswith("STRANGE")]
    single = [event(f"one-{n}", f"One {n}", NOON, line) for n, line in enumerate(lines)]
    rule = "RRULE:FREQ=WEEKLY;COUNT=4"
    series = event("series", "Round", "TZID=Europe/Oslo:20260702T090000", rule)
    changed = event("series", "Round, later", NOON, "RECURRENCE-ID;TZID=Europe/Oslo:20260709T090000", "COLOR:red")
    return [*single, event("all", "All " * 20, NOON, *lines), series, changed]


@pytest.mark.parametrize(
    ("name", "losses"),
    [("tidewrack", Losses()), ("lantern", OF_LANTERN), ("halyard", OF_HALYARD), ("tidewrack", SHALLOW)],
)
def test_what_is_foretold_is_what_arrives(world: World, name: str, losses: Losses) -> None:
    world.server(name).losses = losses
    account = world.connect(name)
    probes.measure(world.store, account)
    assert world.work().state == "done"
    world.bring(calendar(*diary()), "Diary")
    forecasts.request_forecast(world.store, account, Selection("calendar:Diary"))
    number = int(str(world.work().result["forecast"]))
    row = forecasts.newest(world.store, account)
    assert row is not None
    with world.store.read() as connection:
        ids = list(world.ledger.ids(connection, Selection("calendar:Diary")))
        counted = counted_losses(connection, number)
    promised = {}
    for one in ids:
        both = forecasts.both_banks(world.store, row, one)
        assert both.certain
        promised[one] = both.right
    target = Target(calendar_id=world.remote(account).calendar_id)
    set_id = propose_transfer(world.store, world.ledger, Selection("calendar:Diary"), target)
    with world.store.read() as connection:
        said = [line for line in warnings(connection, set_id) if f" at {name.title()} in " in line]
    assert bool(said) is bool(counted)
    apply_set(world.store, set_id)
    push_pending(world.store)
    world.work()
    arrived = [text for data in world.there(name, "berths").values() for text in entries_in(data.encode())]
    foretold = ["\n".join(lines) for lines in promised.values() if lines]
    assert len(foretold) == len(arrived)
    assert alike(foretold, as_handed_over(foretold, arrived))
    for loss in counted:
        with world.store.read() as connection:
            assert losing_entries(connection, number, loss.feature, loss.verdict, 0, 10)


def test_what_a_waiting_file_would_lose_is_foretold_before_it_is_imported(world: World) -> None:
    account = AccountId(world.connect("lantern", on=False))
    probes.measure(world.store, account)
    world.work()
    file = FileId(world.read(calendar(berth(1, "COLOR:red"), berth(2), berth(3, "COLOR:blue", "CONTACT:Ida"))))
    forecasts.request_forecast_of_file(world.store, account, file)
    number = world.work().result["forecast"]
    with world.store.session() as session:
        row = stored.forecast(session, number)
        target = stored.matrix(session, row.matrix_id)
    with world.store.read() as connection:
        counted = {loss.feature: (loss.calendar, loss.entries) for loss in stored.counted_losses(connection, number)}
        [first, _] = stored.losing_entries(connection, number, "colour", "dropped", 0, 9)
    assert (row.entries, row.whole, stored.file_of(row)) == (3, 1, file)
    assert {name: entries for name, (_, entries) in counted.items()} == {"colour": 2, "contact": 1}
    both = forecasts.both_banks(world.store, target, first.version)
    assert set(both.left) - set(both.right) == {"COLOR:red"}
    assert world.calendars() == []
