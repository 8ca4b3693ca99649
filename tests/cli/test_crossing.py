"""A crossing by command: planned, rehearsed, run, verified, reported, and the report checked."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.running import command as run
from tests.world import OFFICE, PASSWORD, World, berth


@pytest.mark.both_sides
def test_a_crossing_is_carried_out_by_commands(world: World, tmp_path: Path) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    settings = {
        "DATE_BRIDGE_ALLOWED_ORIGINS": json.dumps(list(world.hosts.addresses.values())),
        "DATE_BRIDGE_PASSWORD": PASSWORD,
    }
    data = ("--data", tmp_path / "cli")
    for name in ("Tidewrack", "Lantern"):
        address = world.hosts.address(name.lower())
        run("accounts", "add", address, "--user", OFFICE, "--name", name, *data, settings=settings)
    blocked = run("cross", "plan", "Too early", "--to", "Lantern", "--from", "Tidewrack", *data)
    assert (blocked.returncode, "There is no account or calendar called “Tidewrack”" in blocked.stderr) == (2, True)
    run("accounts", "on", "Berths", *data, settings=settings)
    sheet, page = tmp_path / "lanes.csv", tmp_path / "report.html"
    planned = run("cross", "plan", "Over", "--to", "Lantern", "--from", "Tidewrack", "--out", sheet, "--json", *data)
    [lane] = json.loads(planned.stdout)["lanes"]
    assert (lane["source"], lane["target"], lane["entries"]) == ("Berths", "Berths", 2)
    assert run("cross", "plan", "Over", "--sheet", sheet, *data).returncode == 0
    sheet.write_text("source calendar\nAttic\n", "utf-8")
    refused = run("cross", "plan", "Over", "--sheet", sheet, *data)
    assert (refused.returncode, "Row 2, source calendar: There is no calendar “Attic”" in refused.stderr) == (1, True)
    rehearsed = run("cross", "rehearse", "Over", "--json", *data, settings=settings)
    assert json.loads(rehearsed.stdout)["lanes"][0]["would carry"] == 2
    assert world.there("lantern", "berths") == {}
    assert run("cross", "run", "Over", *data, settings=settings).returncode == 0
    assert len(world.there("lantern", "berths")) == 2
    verified = run("cross", "verify", "Over", "--json", *data, settings=settings)
    assert (verified.returncode, json.loads(verified.stdout)["lanes"][0]["unexplained"]) == (0, 0)
    assert run("cross", "report", "Over", "--out", page, *data).returncode == 0
    checked = run("verify-report", page, "--sides", "--json", *data)
    assert (checked.returncode, json.loads(checked.stdout)["own"]) == (0, True)
    page.write_text(page.read_text("utf-8").replace("Berths", "Quays"), "utf-8")
    assert run("verify-report", page).returncode == 2
    unknown = run("cross", "run", "Under", *data)
    assert (unknown.returncode, "There are: “Over”" in unknown.stderr) == (2, True)
