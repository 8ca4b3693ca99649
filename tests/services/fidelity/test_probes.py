"""Measuring servers: everything is explained, everything is taken away again, nobody is invited."""

from __future__ import annotations

from pathlib import Path

import pytest

from datebridge.core.crossing.features import MARK
from datebridge.core.crossing.probing import PLACE
from datebridge.services.fidelity import forecasts, probes
from datebridge.store.fidelity import matrices_of
from tests.world import OFFICE, World, new_world

SERVERS = ("tidewrack", "lantern")


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
