"""Measuring servers: everything is explained, everything is taken away again, nobody is invited."""

from __future__ import annotations

import threading
from pathlib import Path

import pytest

from datebridge.core.crossing.features import MARK
from datebridge.core.crossing.probing import PLACE, SENDS
from datebridge.services.fidelity import forecasts, probes
from datebridge.services.jobs import jobs
from datebridge.standins.faults import Fault
from datebridge.standins.losses import Losses
from datebridge.store.fidelity import matrices_of
from tests.depth import LONGER
from tests.killing import work_and_die
from tests.world import OFFICE, World, berth, new_world

SERVERS = ("tidewrack", "lantern", "halyard")


@pytest.fixture
def world(tmp_path: Path):
    with new_world(tmp_path) as world:
        yield world


def left_behind(world: World, name: str) -> list[str]:
    records = world.server(name).records
    mine = [c for c, _ in records.calendars_of(OFFICE)]
    return [c.name for c in mine if c.name == PLACE] + [
        o.name for c in mine for o in records.objects(c) if o.name.startswith(MARK)
    ]


@pytest.mark.parametrize("name", SERVERS)
def test_a_probe_explains_everything_and_leaves_nothing(world: World, name: str) -> None:
    account = world.connect(name)
    before = world.there(name, "berths")
    probes.measure(world.store, account)
    job = world.work()
    assert (job.state, job.message) == ("done", "")
    assert job.result["requests"] < 400
    with world.store.session() as session:
        [row] = matrices_of(session, account)
    fidelity = forecasts.fidelity_of(row)
    assert (fidelity.unexplained, fidelity.untried) == ((), ())
    assert left_behind(world, name) == []
    assert (world.there(name, "berths"), world.mail()) == (before, [])


@pytest.mark.kills
@pytest.mark.parametrize("deaths", [(n, n + 130) for n in range(130)] if LONGER else [(5, 60), (7, 200)])
def test_killed_before_any_request_it_leaves_nothing_after_the_next_start(
    world: World, deaths: tuple[int, ...]
) -> None:
    account = world.connect("lantern")
    probes.measure(world.store, account)
    for request in deaths:
        assert work_and_die(world.settings, request=request)
        jobs.resume_interrupted(world.store)
    assert world.work().state == "done"
    assert left_behind(world, "lantern") == []
    with world.store.session() as session:
        assert len(matrices_of(session, account)) == 1


def test_stopped_it_takes_away_what_it_wrote(world: World) -> None:
    account = world.connect("lantern")
    job = probes.measure(world.store, account)
    switches = world.hosts.switches["lantern"]

    def when_written() -> None:
        while switches.requests["PUT"] < 20:
            threading.Event().wait(0.01)
        jobs.stop(world.store, job)

    thread = threading.Thread(target=when_written)
    thread.start()
    ended = world.work()
    thread.join()
    assert ended.state == "stopped"
    assert left_behind(world, "lantern") == []


def test_where_none_can_be_made_it_uses_a_calendar_and_touches_nothing_else(world: World) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    account = world.connect("tidewrack")
    records = world.server("tidewrack").records
    records.add_collection(OFFICE, "other", "Other")
    before = world.there("tidewrack", "berths")
    probes.measure(world.store, account, world.remote(account).id)
    assert world.work().state == "done"
    assert world.there("tidewrack", "berths") == before
    assert [c.name for c, _ in records.calendars_of(OFFICE)] == ["Berths", "Other"]
    with world.store.session() as session:
        [row] = matrices_of(session, account)
    verdicts = {one["feature"]: (one["verdict"], one["reason"]) for one in row.features}
    assert verdicts["uid-twice"] == ("not tried", "There is no second calendar to try it in.")


def test_it_stops_at_people_where_the_server_says_that_it_invites(world: World) -> None:
    account = world.connect("lantern")
    world.server("lantern").losses = Losses(invites=True)
    probes.measure(world.store, account)
    assert world.work().state == "done"
    with world.store.session() as session:
        [row] = matrices_of(session, account)
    people = {one["feature"]: one for one in row.features if one["feature"].startswith("attendee-")}
    assert len(people) > 10
    assert {one["reason"] for one in people.values()} == {SENDS}


@pytest.mark.parametrize("habit", ["renames", "weak-etags", "no-multiget", "withholds", "mkcol-only", "gzip"])
def test_habits_of_servers_change_nothing_of_what_is_measured(world: World, habit: str) -> None:
    account = world.connect("tidewrack")
    world.server("tidewrack").habits.set([habit])
    probes.measure(world.store, account)
    assert world.work().state == "done"
    with world.store.session() as session:
        [row] = matrices_of(session, account)
    fidelity = forecasts.fidelity_of(row)
    assert (fidelity.unexplained, fidelity.untried, len(fidelity.rules)) == ((), (), 1)
    assert left_behind(world, "tidewrack") == []


def test_where_not_even_a_plain_event_is_taken_it_says_so_and_leaves_nothing(world: World) -> None:
    account = world.connect("lantern")
    world.server("lantern").losses = Losses(kinds=("VEVENT",))
    probes.measure(world.store, account)
    job = world.work()
    assert (job.state, "Lantern does not take a plain event" in job.message) == ("failed", True)
    assert left_behind(world, "lantern") == []


def test_what_cannot_be_deleted_is_said_and_goes_with_the_next_probe(world: World) -> None:
    account = world.connect("tidewrack")
    world.hosts.switches["tidewrack"].arm(Fault("full", count=2, method="DELETE"))
    probes.measure(world.store, account)
    job = world.work()
    assert (job.state, "no space left" in str(job.result["left"])) == ("done", True)
    assert len(left_behind(world, "tidewrack")) > 0
    probes.measure(world.store, account)
    assert world.work().state == "done"
    assert left_behind(world, "tidewrack") == []
