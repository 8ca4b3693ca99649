"""A sample crossing: really written, read back and taken away; what it shows corrects what is foretold."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.crossing.features import Verdict
from datebridge.core.crossing.sampling import SAYS, light_of, otherwise, sample
from datebridge.services.crossing import plans, sampling
from datebridge.services.fidelity import probes
from datebridge.services.fidelity.forecasts import newest
from datebridge.services.jobs.jobs import Refused
from datebridge.standins.faults import Fault
from datebridge.standins.traits import LANTERN
from datebridge.store import crossings
from tests.depth import tries
from tests.services.crossing.test_crossing import Move
from tests.world import OFFICE, World, berth, new_world


@pytest.fixture(params=["lantern", "halyard"])
def measured(world: World, request: pytest.FixtureRequest) -> Move:
    """Berths about to cross to a server that was measured."""
    extra = ("COLOR:red", "LOCATION:Pier 3", "X-TIDE:3.1", "GEO:60.1;1.0")
    world.put("tidewrack", "berths", *(berth(at, *extra[: at % 5]) for at in range(30)))
    move = Move(world, request.param)
    probes.measure(world.store, move.account)
    world.work()
    return move


def tried(move: Move) -> dict[str, object]:
    sampling.try_sample(move.world.store, move.number)
    job = move.world.work()
    assert job.state == "done", job.message
    with move.world.store.session() as session:
        return crossings.crossing(session, move.number).sample


def calendars_there(move: Move) -> list[str]:
    records = move.world.server(move.target).records
    return [one.slug for one, _ in records.calendars_of(OFFICE)]


def test_what_is_foretold_is_what_a_sample_shows_and_nothing_of_it_stays(measured: Move) -> None:
    found = tried(measured)
    assert (found["entries"], found["otherwise"], found["corrected"], found["left"]) == (30, [], [], "")
    assert measured.texts() == {}
    assert calendars_there(measured) == ["berths"]
    measured.run()
    measured.run()
    assert tried(measured)["otherwise"] == []  # also where the same UIDs are there by now


def test_a_loss_that_was_not_foretold_is_told_and_foretold_from_then_on(measured: Move) -> None:
    server = measured.world.server(measured.target)
    server.losses = replace(server.losses, drops=(*server.losses.drops, "GEO", "LOCATION"))
    found = tried(measured)
    rows = found["otherwise"]
    assert isinstance(rows, list)
    assert {name for row in rows for name in row["why"].replace(" is gone", "").split(", ")} == {"GEO", "LOCATION"}
    matrix = newest(measured.world.store, measured.account)
    assert matrix is not None
    known = {one["feature"]: (one["verdict"], one["reason"]) for one in matrix.features}
    assert known["place"] == known["geo"] == (Verdict.DROPPED.value, SAYS)
    assert tried(measured)["otherwise"] == []
    measured.run()
    measured.run()
    assert measured.verify()["unexplained"] == 0


def test_a_sample_that_is_cut_off_leaves_nothing_behind(measured: Move) -> None:
    world = measured.world
    world.hosts.switches[measured.target].arm(Fault("cut", method="PUT", after=3, count=200))
    world.settings.patience = 0
    sampling.try_sample(world.store, measured.number)
    assert world.work().state in ("failed", "done")
    world.hosts.switches[measured.target].clear()
    tried(measured)
    assert calendars_there(measured) == ["berths"]


def test_a_crossing_that_leads_to_no_server_has_nothing_to_try(measured: Move) -> None:
    here = plans.make(measured.world.store, "Here", [measured.source], None)
    with pytest.raises(Refused):
        sampling.try_sample(measured.world.store, here)


def test_what_stands_in_the_way_is_said_before_it_does(tmp_path: Path) -> None:
    with new_world(tmp_path, replace(LANTERN, room=900)) as world:
        odd = berth(1, "SUMMARY:x").replace(
            "DTSTART:20261201T080000Z", "DTSTART;TZID=Skerrow Old Clock:20261201T080000"
        )
        world.put("tidewrack", "berths", odd, *(berth(at) for at in range(2, 12)))
        move = Move(world)
        found = tried(move)
        assert "room for 0.0 MB" in str(found["cautions"])
        [lane] = plans.lane_views(world.store, move.number)[1]
        assert "1 entry is in time zones nobody knows" in lane.cautions[0]


LINES = (
    "COLOR:red",
    "LOCATION;LANGUAGE=en:Pier",
    "RRULE:FREQ=DAILY;COUNT=9",
    "DTSTART;TZID=Europe/Oslo:20261201T080000",
)
texts_of_entries = st.lists(
    st.lists(st.sampled_from(LINES), unique=True).map(lambda some: "\n".join(["BEGIN:VEVENT", *some, "END:VEVENT"])),
    max_size=40,
)


@given(texts_of_entries, st.integers(0, 40))
@tries(60, 3000)
def test_a_sample_is_no_larger_than_asked_and_holds_each_kind_of_thing(texts: list[str], most: int) -> None:
    lights = [light_of((text,)) for text in texts]
    chosen = sample(lights, most, seed=3)
    assert chosen == sorted(set(chosen)) == sample(lights, most, seed=3)
    assert len(chosen) == min(most, len(texts))
    if most >= 12:  # as many as there are traits, with the extremes
        assert {t for at in chosen for t in lights[at].traits} == {t for one in lights for t in one.traits}


@given(texts_of_entries)
@tries(30, 1000)
def test_nothing_is_otherwise_than_itself(texts: list[str]) -> None:
    assert not otherwise(texts, list(reversed(texts)))
