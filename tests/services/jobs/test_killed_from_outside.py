"""The whole tree of processes is killed at any moment, on a slow disk: the store is whole, and all can go on."""

from __future__ import annotations

import json
import os
import random
import signal
import sqlite3
import threading
import time
from collections import Counter
from contextlib import closing, suppress
from pathlib import Path

import httpx
import pytest

from datebridge.core.changes import State
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.store.changesets.apply import recover
from datebridge.store.soundness import demand_whole
from tests.conftest import calendar, event
from tests.depth import depth
from tests.killing import slow_disk
from tests.running import application
from tests.world import World

pytestmark = pytest.mark.kills
MANY, FEW = 60, 6


class Person:
    """Somebody at work through the interface, until nobody answers any more."""

    def __init__(self, address: str, turn: int) -> None:
        self.web = httpx.Client(base_url=address, timeout=60, headers={"X-Date-Bridge": "test", "Connection": "close"})
        self.turn, self.at = turn, ""

    def work(self) -> None:
        with suppress(httpx.TransportError):
            self.at = "importing"
            batch = self.bring()
            self.at = "copying"
            self.post(
                "/api/transfers",
                chosen={"filter": f"few{self.turn}x"},
                target={"name": "", "calendar_id": self.berths()},
            )
            self.at = "deleting there"
            gone = self.delete(f"calendar:Berths few{self.turn}x day")
            self.at = "undoing there"
            self.web.post(f"/api/change-sets/{gone}/undo")
            self.at = "deleting here"
            self.delete(f"many{self.turn}x")
            self.at = "undoing here"
            self.web.post(f"/api/change-sets/{batch}/undo")
            self.at = "done"

    def berths(self) -> int:
        return next(int(one["id"]) for one in self.web.get("/api/calendars").json() if one["name"] == "Berths")

    def bring(self) -> int:
        kinds = [*(["few"] * FEW), *(["many"] * (MANY - FEW))]
        texts = [event(f"t{self.turn}-{k}", f"{kind}{self.turn}x day") for k, kind in enumerate(kinds)]
        text = calendar(*texts, "X-WR-CALNAME:Notes")
        job = self.web.post("/api/imports", files=[("files", ("notes.ics", text.encode()))]).json()["job_id"]
        while (state := self.web.get(f"/api/jobs/{job}").json())["state"] not in ("done", "failed"):
            time.sleep(0.01)
        (number,) = state["result"]["files"]
        group = self.web.get(f"/api/imports/{number}").json()["groups"][0]
        into = next((one["id"] for one in self.web.get("/api/calendars").json() if one["name"] == "Notes"), None)
        decision = {"group_id": group["id"], "name": "Notes"} | ({"calendar_id": into} if into else {})
        return self.post(f"/api/imports/{number}/take", decisions=[decision])

    def delete(self, filter: str) -> int:
        return self.post("/api/deletions", filter=filter)

    def post(self, path: str, **body: object) -> int:
        """Propose something and apply it."""
        said = self.web.post(path, json=body).json()
        set_id = said.get("set_id")
        while set_id is None and said.get("job_id"):
            job = self.web.get(f"/api/jobs/{said['job_id']}").json()
            if job["state"] in ("done", "failed"):
                set_id = job["result"].get("set_id")
                break
            time.sleep(0.01)
        if set_id:
            self.web.post(f"/api/change-sets/{set_id}/apply")
        return int(set_id or 0)


def kill_all_with(database: Path) -> int:
    """Kill every process that has a database open, but for this one; returns how many."""
    found = 0
    for process in Path("/proc").iterdir():
        if process.name.isdigit() and int(process.name) != os.getpid():
            with suppress(OSError):
                if any(link.readlink() == database for link in (process / "fd").iterdir()):
                    os.kill(int(process.name), signal.SIGKILL)
                    found += 1
    return found


def is_writing(database: Path) -> bool:
    """Whether somebody is in the middle of a transaction that writes."""
    with closing(sqlite3.connect(database, timeout=0, isolation_level=None)) as connection:
        try:
            connection.execute("BEGIN IMMEDIATE")
        except sqlite3.OperationalError:
            return True
        connection.execute("ROLLBACK")
        return False


def one_death(world: World, account: int, turn: int) -> tuple[str, bool]:
    """Work, death, taking up again, and what must hold then; at what death came, and whether within a transaction."""
    reached = {
        "DATE_BRIDGE_ALLOWED_ORIGINS": json.dumps(list(world.hosts.addresses.values())),
        "DATE_BRIDGE_PATIENCE": "1",
    }
    database = world.settings.database
    with slow_disk(database), application(world.settings.data_dir, "serve", reached) as address:
        somebody = Person(address, turn)
        person = threading.Thread(target=somebody.work, daemon=True)
        person.start()
        person.join(random.Random(turn).uniform(0.0, 4.0))  # noqa: S311
        at, within = somebody.at, is_writing(database)
        assert kill_all_with(database)
        person.join(60)
    demand_whole(database, thoroughly=True)
    recover(world.store)
    jobs.resume_interrupted(world.store)
    with world.store.write() as connection:
        connection.exec_driver_sql("UPDATE job SET not_before = 0")
    worker.drain(world.store, world.settings)
    assert State.APPLYING not in {one.state for one in world.sets()}
    counted = Counter((row.calendar_id, row.uid) for row in world.entries())
    assert set(counted.values()) <= {1}
    assert len(world.entries(f"many{turn}x")) in (0, MANY - FEW)
    world.refresh(account)
    here = {row.uid for row in world.entries("calendar:Berths")}
    there = {text.partition("UID:")[2].partition("\r")[0] for text in world.there("tidewrack", "berths").values()}
    assert here == there
    return at, within


def test_the_whole_tree_is_killed_at_any_moment(world: World) -> None:
    account = world.connect("tidewrack")
    turns = depth(10, 200)
    deaths = [one_death(world, account, turn) for turn in range(turns)]
    print(
        f"{turns} deaths, {sum(within for _, within in deaths)} within a transaction: {Counter(at for at, _ in deaths)}"
    )
    assert any(within for _, within in deaths)
