"""Accounts by command, without a browser."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from datebridge.standins.faults import Fault
from datebridge.standins.signing import token_of
from tests.running import command as run
from tests.world import OFFICE, PASSWORD, World, berth

pytestmark = pytest.mark.both_sides


@pytest.fixture
def reached(world: World, tmp_path: Path) -> Callable[..., subprocess.CompletedProcess[str]]:
    """The command line with the stand-ins in its reach and a data folder of its own."""
    settings = {
        "DATE_BRIDGE_ALLOWED_ORIGINS": json.dumps(list(world.hosts.addresses.values())),
        "DATE_BRIDGE_PASSWORD": PASSWORD,
        "DATE_BRIDGE_PATIENCE": "0",
    }

    def call(*arguments: str, answer: str = "") -> subprocess.CompletedProcess[str]:
        return run(*arguments, "--data", tmp_path / "cli", settings=settings, answer=answer)

    return call


def test_accounts_are_added_switched_on_pulled_copied_and_pushed_without_a_browser(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    world.put("tidewrack", "berths", *map(berth, range(20)))
    for name in ("tidewrack", "lantern"):
        added = reached(
            "accounts", "add", world.hosts.address(name), "--user", OFFICE, "--name", name.title(), "--json"
        )
        assert json.loads(added.stdout)["calendars"] == ["Berths"]
    assert "not" not in reached("accounts").stdout
    assert "20" in reached("accounts", "on", "Berths").stdout
    world.put("tidewrack", "berths", berth(99))
    pulled = json.loads(reached("pull", "--json").stdout)["results"]
    assert sorted(r["outcome"] for r in pulled) == ["1 added", "nothing changed"]
    proposed = reached("copy", "account:Tidewrack", "--to", "Moved in", "--account", "lantern")
    assert "Copy 21 entries to Moved in (Lantern)" in proposed.stdout
    assert "--apply" in proposed.stdout
    done = reached("copy", "account:Tidewrack", "--to", "Moved in", "--account", "lantern", "--apply", "--json")
    assert json.loads(done.stdout)["creates"] == 21
    assert len(world.there("lantern", "moved-in")) == 21
    assert reached("push").returncode == 0
    listed = json.loads(reached("accounts", "--json").stdout)["calendars"]
    assert [(c["account"], c["calendar"], c["on"]) for c in listed] == [
        ("Tidewrack", "Berths", True),
        ("Lantern", "Berths", True),
        ("Lantern", "Moved in", True),
    ]


def test_what_cannot_be_reached_ends_with_two_and_what_was_refused_with_one(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    wrong = reached("accounts", "add", world.hosts.address("lantern"), "--user", "nobody")
    assert (wrong.returncode, "does not accept" in wrong.stderr) == (2, True)
    assert reached("accounts", "add", "http://192.168.7.7/feed.ics").returncode == 2
    assert reached("pull").returncode == 2
    world.put("tidewrack", "berths", berth(1))
    for name in ("tidewrack", "lantern"):
        reached("accounts", "add", world.hosts.address(name), "--user", OFFICE, "--name", name.title())
    reached("accounts", "on", "Berths")
    world.hosts.switches["lantern"].arm(Fault("full", method="PUT"))
    assert reached("copy", "launch", "--to", "Fresh", "--account", "Lantern", "--apply").returncode == 1
    pushed = reached("push", "--json")
    assert (pushed.returncode, json.loads(pushed.stdout)["refused"]) == (1, 1)
    again = reached("push", "--again", "--json")
    assert (again.returncode, "refused" in json.loads(again.stdout)) == (0, False)
    listed = json.loads(reached("accounts", "--json").stdout)["calendars"]
    assert {(one["account"], one["calendar"], one["entries"]) for one in listed} >= {("Lantern", "Fresh", 1)}
    world.hosts.switches["tidewrack"].arm(Fault("unavailable", count=9))
    assert reached("pull").returncode == 1
    assert reached("copy", "launch", "--to", "X", "--account", "Nowhere").returncode == 2


def test_a_calendar_that_was_left_off_is_found_and_asked_about(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.put("lantern", "berths", berth(2))
    for name in ("tidewrack", "lantern"):
        reached("accounts", "add", world.hosts.address(name), "--user", OFFICE, "--name", name.title())
    nothing = reached("push")
    assert (nothing.returncode, nothing.stdout) == (0, "No pending changes.\n")
    reached("accounts", "on", "Berths")
    reached("accounts", "off", "Berths", "--keep", "nothing")  # the first of that name: Tidewrack's
    asked = ("copy", "account:Lantern", "--to", "berths", "--account", "Tidewrack", "--apply")
    unsure = reached(*asked)
    assert (unsure.returncode, unsure.stdout.strip()) == (2, "")
    assert "“berths” is on Tidewrack, and switched off" in unsure.stderr
    assert "Nothing was copied" in unsure.stderr
    done = reached(*asked, answer="y\n")
    assert done.returncode == 0, done.stderr
    assert len(world.there("tidewrack", "berths")) == 2
    assert len(json.loads(reached("accounts", "--json").stdout)["calendars"]) == 2


def test_what_cannot_be_read_yet_is_added_whole_and_said(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    world.put("lantern", "berths", berth(1))
    world.hosts.switches["lantern"].arm(Fault("unavailable", method="REPORT", count=9))
    added = reached("accounts", "add", world.hosts.address("lantern"), "--user", OFFICE, "--name", "Lantern")
    assert (added.returncode, added.stdout) == (1, "Added, with Berths.\n")
    assert "Their contents could not be read yet: 127.0.0.1 is not available at present (503)." in added.stderr
    assert "Traceback" not in added.stderr
    world.hosts.switches["lantern"].clear()
    assert "fetched 1" in reached("accounts", "on", "Berths").stdout


def test_accounts_come_by_a_sheet_and_what_cannot_be_added_is_named(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]], tmp_path: Path
) -> None:
    sheet = tmp_path / "accounts.csv"
    lines = ["name,address,user,password,token", f"Tidewrack,{world.hosts.address('tidewrack')},{OFFICE},{PASSWORD},"]
    lines += [f"Halyard,{world.hosts.address('halyard')},,,{token_of(OFFICE, PASSWORD)}", "Nobody,,x,y,"]
    lines += [f"Wrong,{world.hosts.address('lantern')},{OFFICE},gull-0,"]
    sheet.write_text("\n".join(lines))
    done = reached("accounts", "import", str(sheet), "--json")
    rows = json.loads(done.stdout)["rows"]
    assert done.returncode == 1
    assert [(row["row"], row["added"]) for row in rows] == [(2, True), (3, True), (4, False), (5, False)]
    assert (rows[2]["why"], "does not accept" in rows[3]["why"]) == ("address: Enter an address.", True)
    assert PASSWORD not in done.stdout
    listed = json.loads(reached("accounts", "--json").stdout)["calendars"]
    assert [one["account"] for one in listed] == ["Tidewrack", "Halyard"]
    assert not any(PASSWORD.encode() in path.read_bytes() for path in (tmp_path / "cli").glob("*.sqlite*"))
