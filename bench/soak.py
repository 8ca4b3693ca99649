"""A soak: faults switched on and off, the clock moved, kills, two browsers and the command line at once.

    python -m bench.soak 30      (minutes)

At its end both sides must be in step, no job may be stuck, and no process may have grown.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import random
import shutil
import signal
import socket
import statistics
import subprocess
import sys
import tempfile
import time
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

import httpx
from playwright.sync_api import Error, sync_playwright

from bench.application import FLAGS
from datebridge.core.index.derive import digest_of
from datebridge.core.objects import take_apart
from datebridge.standins.faults import Fault
from datebridge.standins.feeds import Feed
from datebridge.standins.hosts import PORTS, Hosts, running
from datebridge.standins.traits import Traits
from datebridge.store.database import Store

OFFICE, PASSWORD = "harbour-office", "tern-4"
#: Read by every Python that is started with it: the clock of the application is what a file says.
_CLOCK = """
import os, time
_real, _file = time.time, os.environ.get("SOAK_CLOCK", "")
def _moved():
    try:
        with open(_file) as file:
            return _real() + float(file.read() or 0)
    except (OSError, ValueError):
        return _real()
if _file:
    time.time = _moved
"""
FAULTS = (
    "latency",
    "throttle",
    "unavailable",
    "cut",
    "full",
    "meddle",
    "drip",
    "endless",
    "nonsense",
    "marks",
    "damage",
    "twice",
    "withhold",
)


def text_of(number: int, title: str) -> str:
    day = 1 + number % 28
    return (
        f"BEGIN:VEVENT\nUID:berth-{number}@skerrow.example\nDTSTAMP:20261101T120000Z\n"
        f"DTSTART:202612{day:02d}T080000Z\nSUMMARY:{title}\nEND:VEVENT"
    )


def calendar(*entries: str) -> bytes:
    return "\n".join(["BEGIN:VCALENDAR", "VERSION:2.0", *entries, "END:VCALENDAR", ""]).encode()


class Application:
    """The application as a process with a clock that can be moved; killed and started again at will."""

    def __init__(self, folder: Path, hosts: Hosts) -> None:
        self.folder, self.data, self.clock = folder, folder / "data", folder / "clock"
        (folder / "site").mkdir()
        (folder / "site" / "sitecustomize.py").write_text(_CLOCK)
        self.clock.write_text("0")
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.environment = {
            **os.environ,
            "PYTHONPATH": f"{folder / 'site'}{os.pathsep}{os.environ.get('PYTHONPATH', '')}",
            "SOAK_CLOCK": str(self.clock),
            "DATE_BRIDGE_ALLOWED_ORIGINS": json.dumps(list(hosts.addresses.values())),
            "DATE_BRIDGE_REFRESH_EVERY": "20",
            "DATE_BRIDGE_FEED_EVERY": "30",
            "DATE_BRIDGE_PATIENCE": "5",
            "DATE_BRIDGE_PASSWORD": PASSWORD,
        }
        self.log = (folder / "log").open("ab")
        self.process = self._start()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def _start(self) -> subprocess.Popen[bytes]:
        command = [
            sys.executable,
            "-c",
            "from datebridge.cli.main import main; main()",
            "serve",
            "--port",
            str(self.port),
        ]
        process = subprocess.Popen(
            [*command, "--data", str(self.data)], env=self.environment, stdout=self.log, stderr=self.log
        )
        for _ in range(600):
            try:
                httpx.get(f"{self.address}/api/jobs", timeout=5)
                return process
            except httpx.HTTPError:
                time.sleep(0.1)
        raise RuntimeError("the application does not start; see the log")

    def cli(self, *arguments: str) -> int:
        command = [
            sys.executable,
            "-c",
            "from datebridge.cli.main import main; main()",
            *arguments,
            "--data",
            str(self.data),
        ]
        return subprocess.run(command, env=self.environment, capture_output=True, timeout=300, check=False).returncode

    def children(self) -> list[int]:
        tasks = Path(f"/proc/{self.process.pid}/task").glob("*/children")
        return [int(pid) for task in tasks for pid in task.read_text().split()]

    def kill_all(self) -> None:
        self.process.kill()
        self.process.wait()
        self.process = self._start()

    def end(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self.process.wait(30)


def browse(address: str, until: float, seed: int, results: Any) -> None:
    """Somebody at a browser: looks here and there, and notes what went wrong."""
    draw, bad = random.Random(seed), Counter[str]()
    pages = 0
    with sync_playwright() as playwright:
        chromium = os.environ.get("CHROMIUM") or shutil.which("chromium")
        page = playwright.chromium.launch(executable_path=chromium, args=FLAGS).new_page()
        page.on("pageerror", lambda error: bad.update([f"script: {error}"[:200]]))
        page.on(
            "response", lambda r: bad.update([f"{r.status} {r.url.split('?')[0][-60:]}"] if r.status >= 500 else [])
        )
        while time.time() < until:
            try:
                page.goto(address + draw.choice(("/connect", "/look", "/look/time?view=week", "/mend", "/logbook")))
                page.wait_for_timeout(1500)
                pages += 1
            except Error:  # it was killed just now
                time.sleep(1)
    results.put((pages, dict(bad)))


class Soak:
    def __init__(self, folder: Path, hosts: Hosts, draw: random.Random) -> None:
        self.hosts, self.draw = hosts, draw
        self.servers = {"tidewrack": hosts.tidewrack, "lantern": hosts.lantern}
        for server in self.servers.values():
            server.records.add_person(OFFICE, PASSWORD, "Harbour Office", "harbour-office@skerrow.example")
            server.records.add_collection(OFFICE, "berths", "Berths")
            for number in range(40):
                server.put(OFFICE, "berths", f"berth-{number}.ics", calendar(text_of(number, "alongside")))
        hosts.breakwater.publish(Feed("/tides.ics", "Tides"), calendar(*(text_of(k, "tide") for k in range(30))))
        self.app = Application(folder, hosts)
        self.web = httpx.Client(base_url=self.app.address, timeout=60, headers={"X-Date-Bridge": "soak"})
        self.done: Counter[str] = Counter()
        self.samples: dict[tuple[int, str], list[tuple[float, int]]] = defaultdict(list)
        for name in self.servers:
            body = {"address": hosts.address(name), "user": OFFICE, "password": PASSWORD, "name": name.title()}
            self.web.post("/api/accounts", json=body).raise_for_status()
        self.web.post("/api/accounts", json={"address": hosts.address("breakwater") + "/tides.ics"}).raise_for_status()
        off = [r["id"] for a in self.web.get("/api/accounts").json() for r in a["remotes"] if not r["on"]]
        for remote in off:
            self.web.post("/api/remotes", json={"remotes": [remote]}).raise_for_status()
        self.settle()

    def step(self) -> None:
        kinds = ("there", "here", "fault", "well", "feed", "cli", "worker", "kill", "clock", "sign")
        kind = self.draw.choices(kinds, (9, 9, 5, 5, 3, 2, 1, 0.7, 1, 1))[0]
        try:
            getattr(self, kind)()
            self.done[kind] += 1
        except httpx.HTTPError:  # it was killed just now
            self.done["cut"] += 1

    def there(self) -> None:
        server = self.servers[self.draw.choice(list(self.servers))]
        number = self.draw.randrange(60)
        collection = server.records.collection(OFFICE, "berths")
        assert collection is not None
        name = f"berth-{number}.ics"
        if self.draw.random() < 0.2:
            if server.records.object(collection, name):
                server.records.delete(collection, name)
            return
        where = server.records.where_uid(OFFICE, f"berth-{number}@skerrow.example")
        server.put(OFFICE, "berths", where[0][1] if where else name, calendar(text_of(number, f"there {time.time()}")))

    def here(self) -> None:
        own = [c for c in self.web.get("/api/calendars").json() if c["name"] == "Berths"]
        if not own:
            return
        if self.draw.random() < 0.3:
            number = self.draw.randrange(60)
            said = self.web.post(
                "/api/deletions", json={"filter": f"uid:berth-{number}@skerrow.example calendar:Berths"}
            )
            if said.status_code == 200:
                self.web.post(f"/api/change-sets/{said.json()['set_id']}/apply")
            return
        texts = [text_of(self.draw.randrange(60), f"here {time.time()}")]
        job = self.web.post("/api/imports", files=[("files", ("a.ics", calendar(*texts)))]).json()["job_id"]
        for _ in range(100):
            said: dict[str, Any] = self.web.get(f"/api/jobs/{job}").json()
            if said["state"] not in ("queued", "running"):
                break
            time.sleep(0.1)
        for number in said["result"].get("files", []):
            groups = self.web.get(f"/api/imports/{number}").json().get("groups", [])
            into = self.draw.choice(own)["id"]
            decisions = [{"group_id": group["id"], "calendar_id": into, "existing": "replace"} for group in groups]
            body = {"decisions": decisions}
            taken = self.web.post(f"/api/imports/{number}/take", json=body) if groups else None
            if taken is not None and taken.status_code == 200:
                self.web.post(f"/api/change-sets/{taken.json()['set_id']}/apply")

    def fault(self) -> None:
        name = self.draw.choice((*self.servers, "breakwater"))
        kind = self.draw.choice(FAULTS)
        self.hosts.switches[name].arm(Fault(kind, count=self.draw.randrange(1, 8), seconds=self.draw.random() * 2))  # type: ignore[arg-type]

    def well(self) -> None:
        for switches in self.hosts.switches.values():
            switches.clear()

    def feed(self) -> None:
        count = self.draw.randrange(28, 34)
        self.hosts.breakwater.change("/tides.ics", calendar(*(text_of(k, f"tide {time.time()}") for k in range(count))))

    def cli(self) -> None:
        self.app.cli(*self.draw.choice((("pull",), ("push",), ("accounts", "--json"))))

    def worker(self) -> None:
        for pid in self.draw.sample(self.app.children(), 1):
            os.kill(pid, signal.SIGKILL)

    def kill(self) -> None:
        self.app.kill_all()

    def clock(self) -> None:
        self.app.clock.write_text(str(self.draw.choice((0, 0, 7200, -3600, 400 * 86400))))

    def sign(self) -> None:
        self.hosts.switches["lantern"].arm(Fault("password", count=2))

    def sample(self) -> None:
        for pid in (self.app.process.pid, *self.app.children()):
            try:
                status = Path(f"/proc/{pid}/status").read_text()
                resident = next(int(x.split()[1]) / 1024 for x in status.splitlines() if x.startswith("VmRSS"))
                name = "main" if pid == self.app.process.pid else "worker"
                self.samples[pid, name].append((resident, len(list(Path(f"/proc/{pid}/fd").iterdir()))))
            except (OSError, StopIteration):
                continue

    def settle(self, minutes: float = 8) -> None:
        """All is well from now on: whatever waits is done, and what waits for a decision is decided."""
        self.well()
        self.app.clock.write_text("0")
        until = time.time() + minutes * 60
        while time.time() < until:
            accounts = self.web.get("/api/accounts").json()
            for account in accounts:
                if account["trouble"] and account["kind"] == "server":
                    self.web.post(f"/api/accounts/{account['id']}/sign-in", json={"user": OFFICE, "password": PASSWORD})
                self.web.post(f"/api/accounts/{account['id']}/refresh")
            self.app.cli("push")
            for one in self.web.get("/api/conflicts?limit=500").json()["rows"]:
                self.web.post(f"/api/conflicts/{one['id']}/theirs")
            for held in self.web.get("/api/change-sets?state=proposed").json()["rows"]:
                if held["kind"] == "pull":
                    self.web.post(f"/api/change-sets/{held['id']}/apply")
            time.sleep(2)
            states = {job["state"] for job in self.web.get("/api/jobs").json()}
            route = self.web.get("/api/route").json()
            if (
                not states & {"queued", "running"}
                and not route["to_push"]
                and not route["to_decide"]
                and not self.apart()
            ):
                return
        print((self.app.folder / "log").read_text()[-6000:])
        raise AssertionError(f"not in step: {self.apart()[:5]}, {self.web.get('/api/jobs').json()[:5]}")

    def apart(self) -> list[str]:
        """What one side has and the other has not."""
        store = Store(self.app.data / "date-bridge.sqlite")
        with store.read() as connection:
            rows = connection.exec_driver_sql(
                "SELECT lower(a.name), e.uid, e.digest FROM entry e JOIN remote r ON r.calendar_id = e.calendar_id"
                " JOIN account a ON a.id = r.account_id WHERE e.listed AND a.kind = 'server'"
            ).fetchall()
        store.close()
        here = Counter((row[0], row[1], bytes(row[2])) for row in rows)
        there: Counter[tuple[str, str, bytes]] = Counter()
        for name, server in self.servers.items():
            collection = server.records.collection(OFFICE, "berths")
            assert collection is not None
            for stored in server.records.objects(collection):
                there.update((name, facts.uid, digest_of(text)) for facts, text in take_apart(stored.data).entries)
        return [f"{name} {uid}" for name, uid, _ in ((here - there) + (there - here))]


def _grown(values: list[tuple[float, int]]) -> str:
    """Memory and descriptors in the first and in the last third of a process's life."""
    third = len(values) // 3
    said = []
    for place, what in enumerate(("MB", "descriptors")):
        early, late = (statistics.median(v[place] for v in part) for part in (values[:third], values[-third:]))
        said.append(f"{early:.0f} → {late:.0f} {what}")
    return ", ".join(said)


def main() -> None:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 30
    draw = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 20261126)
    ports = dict.fromkeys(PORTS, 0)
    with (
        tempfile.TemporaryDirectory() as name,
        running(
            Path(name) / "standins", ports, Traits("Tidewrack"), Traits("Lantern", sync=True, strict=True)
        ) as hosts,
    ):
        soak = Soak(Path(name), hosts, draw)
        until, context = time.time() + minutes * 60, multiprocessing.get_context("spawn")
        results = context.Queue()
        people = [context.Process(target=browse, args=(soak.app.address, until, k, results)) for k in range(2)]
        for one in people:
            one.start()
        sampled = 0.0
        while time.time() < until:
            soak.step()
            if time.time() - sampled > 10:
                soak.sample()
                sampled = time.time()
            time.sleep(draw.random())
        seen = [results.get() for _ in people]
        soak.settle()
        soak.sample()
        print("done:", dict(soak.done))
        print("browsers: pages", [pages for pages, _ in seen], "went wrong", [bad for _, bad in seen])
        for (pid, what), values in soak.samples.items():
            if len(values) >= 9:
                print(f"{what} {pid}, {len(values)} samples: {_grown(values)}")
        jobs = soak.web.get("/api/jobs").json()
        print("jobs stuck:", [job for job in jobs if job["state"] in ("queued", "running")])
        print("apart:", soak.apart())
        soak.app.end()
        print("in step")


if __name__ == "__main__":
    main()
