"""Measuring and foretelling by command; the second without any store."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from datebridge.core.keeping import entries_in
from datebridge.core.objects import assemble, take_apart
from datebridge.standins.losses import OF_LANTERN
from tests.conftest import calendar, event
from tests.running import command as run
from tests.world import OFFICE, PASSWORD, World


@pytest.mark.both_sides
def test_an_account_is_measured_and_what_it_loses_is_foretold_of_a_file(world: World, tmp_path: Path) -> None:
    settings = {
        "DATE_BRIDGE_ALLOWED_ORIGINS": json.dumps(list(world.hosts.addresses.values())),
        "DATE_BRIDGE_PASSWORD": PASSWORD,
    }
    data = ("--data", tmp_path / "cli")
    address = world.hosts.address("lantern")
    run("accounts", "add", address, "--user", OFFICE, "--name", "Lantern", *data, settings=settings)
    probed = run("probe", "Lantern", "--json", *data, settings=settings)
    matrix = json.loads(probed.stdout)
    verdicts = {row["feature"]: row["verdict"] for row in matrix["features"]}
    assert (probed.returncode, matrix["account"], verdicts["colour"], verdicts["plain"]) == (
        1,
        "Lantern",
        "dropped",
        "kept",
    )
    path, file = tmp_path / "lantern.json", tmp_path / "diary.ics"
    path.write_text(probed.stdout)
    tide = event("tide", "Tide", "20261201T080000Z", "COLOR:red", "X-DEPTH:4")
    file.write_text(calendar(tide, event("ebb")))
    foretold = run("forecast", file, "--fidelity", path, "--json")
    only = [{"uid": "tide", "recurrence_id": ""}]
    assert foretold.returncode == 1
    assert json.loads(foretold.stdout) == {
        "losses": [
            {"feature": "unknown-properties", "verdict": "dropped", "entries": only},
            {"feature": "colour", "verdict": "dropped", "entries": only},
        ]
    }
    nobody = run("probe", "Nobody", *data, settings=settings)
    assert (nobody.returncode, "no account called" in nobody.stderr) == (2, True)


def test_a_system_that_only_takes_files_is_measured_by_one(tmp_path: Path) -> None:
    probe, export = tmp_path / "probe.ics", tmp_path / "export.ics"
    assert run("probe", "--file", probe).returncode == 0
    kept = [OF_LANTERN.of_entry(text) for text in entries_in(probe.read_bytes())]
    zones = [(facts.uid, text) for facts, text in take_apart(probe.read_bytes()).zones]
    again = [text.replace("UID:date-bridge-probe", "UID:given-anew", 1) for text in kept if "Probe journal" not in text]
    export.write_bytes(assemble(again, zones))
    read = run("probe", "--read", export, "--json")
    features = {row["feature"]: row for row in json.loads(read.stdout)["features"]}
    assert read.returncode == 1
    assert features["colour"]["verdict"] == "dropped"
    assert features["uid"]["verdict"] == "rewritten"
    assert features["journal"]["verdict"] == "refused"
    assert features["limit-attachments"]["got"] == "2 first"


@pytest.mark.parametrize(
    "text", ["", "[]", '{"features": [{"feature": 1}]}', '{"features": [{"feature": "x", "verdict": "?"}]}']
)
def test_what_is_no_matrix_is_refused_in_words(tmp_path: Path, text: str) -> None:
    matrix, file = tmp_path / "m.json", tmp_path / "a.ics"
    matrix.write_text(text)
    file.write_text(calendar(event("tide")))
    refused = run("forecast", file, "--fidelity", matrix)
    assert refused.returncode == 2
    assert "matrix" in refused.stderr
    assert "Traceback" not in refused.stderr
