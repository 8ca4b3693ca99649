"""The data itself by command: refused where it is damaged, backed up, put back, and opened by one program."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
from cryptography.fernet import Fernet

from datebridge.services.accounts.secrets import seal
from tests.conftest import Bench, calendar, event
from tests.running import application
from tests.running import command as run
from tests.world import World, berth


def fill(data: Path) -> Path:
    """A store with an account in it; returns its database."""
    bench = Bench(data)
    bench.bring(calendar(event("a")))
    with bench.store.write() as connection:
        sealed = seal(bench.settings, "https://feeds.example/a.ics")
        connection.exec_driver_sql(
            "INSERT INTO account (kind, name, host, user, address_sealed, password_sealed, principal, home, addresses,"
            " schedules, created_at, trouble, gone) VALUES ('feed', 'x', 'https://feeds.example', '', ?, x'', '', '',"
            " '[]', 0, 0, '', 0)",
            (sealed,),
        )
    bench.store.close()
    return bench.settings.database


def spoil(data: Path, how: str) -> None:
    database = fill(data)
    octets = database.read_bytes()
    if how == "empty":
        database.write_bytes(b"")
    elif how == "rubbish":
        database.write_bytes(b"rubbish" * 1000)
    elif how == "cut":
        database.write_bytes(octets[: len(octets) // 2])
    elif how == "header":
        database.write_bytes(octets[:200] + b"\xff" * 4000 + octets[4200:])
    elif how == "newer":
        with closing(sqlite3.connect(database)) as connection:
            connection.execute("UPDATE alembic_version SET version_num = '9999'")
            connection.commit()
    elif how == "key":
        (data / "secret.key").unlink()
    else:
        (data / "secret.key").write_bytes(Fernet.generate_key())


@pytest.mark.parametrize(
    ("how", "words"),
    [
        ("rubbish", "not a database"),
        ("cut", "damaged"),
        ("header", "damaged"),
        ("empty", "is empty"),
        ("newer", "newer version"),
        ("key", "--new-key"),
        ("another key", "--new-key"),
    ],
)
def test_what_cannot_be_opened_is_said_in_a_sentence_and_not_touched(tmp_path: Path, how: str, words: str) -> None:
    spoil(tmp_path / "data", how)
    before = {path.name: path.read_bytes() for path in (tmp_path / "data").iterdir() if path.is_file()}
    said = run("serve", "--data", str(tmp_path / "data"), "--port", "0")
    assert (said.returncode, said.stdout) == (2, "")
    assert words in said.stderr
    assert len(said.stderr.strip().splitlines()) == 1
    after = {path.name: path.read_bytes() for path in (tmp_path / "data").iterdir() if path.is_file()}
    assert {name: after[name] for name in before} == before


def test_data_is_backed_up_put_back_and_rescued(world: World, tmp_path: Path) -> None:
    world.bring(calendar(event("a", "High water")), "Tides")
    data, copy = ("--data", world.settings.data_dir), tmp_path / "copy.sqlite"
    assert run("backup", copy, *data).returncode == 0
    assert "exists already" in run("backup", copy, *data).stderr
    world.bring(calendar(event("b", "Low water")), "Tides")
    world.store.close()
    database = world.settings.database
    database.write_bytes(database.read_bytes()[:20_000])
    assert "date-bridge restore" in run("reindex", *data).stderr
    rescued = run("rescue", tmp_path / "rest", *data, "--json")
    assert "unreadable" in rescued.stdout or "damaged" in rescued.stderr
    assert "What was there before is" in run("restore", copy, *data).stdout
    assert run("rescue", tmp_path / "whole", *data).returncode == 0
    (file,) = (tmp_path / "whole").iterdir()
    assert file.read_text().count("SUMMARY:High water") == 1


def test_nobody_from_elsewhere_is_let_in_without_a_word(tmp_path: Path) -> None:
    said = run("serve", "--data", str(tmp_path / "data"), "--host", "0.0.0.0")
    assert (said.returncode, "--access-key" in said.stderr, (tmp_path / "data").exists()) == (2, True, False)


def test_the_command_line_has_its_jobs_done_by_the_program_that_is_running(world: World, tmp_path: Path) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.connect("tidewrack")
    world.put("tidewrack", "berths", berth(2))
    data = world.settings.data_dir
    reached = {"DATE_BRIDGE_ALLOWED_ORIGINS": json.dumps(list(world.hosts.addresses.values()))}
    with application(data, "serve", reached):
        second = run("serve", "--data", str(data), "--port", "0")
        assert (second.returncode, "already running" in second.stderr) == (2, True)
        assert "1 added" in run("pull", "--data", str(data)).stdout
    assert len(world.titles()) == 2
