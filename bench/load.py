"""Load: several processes ask a running application at once, each independently of the others.

>>> percentiles = loaded(data, clients=8, seconds=30)  # doctest: +SKIP
>>> percentiles["week"]  # doctest: +SKIP
0.081
"""

from __future__ import annotations

import multiprocessing
import random
import re
import statistics
import time
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import httpx

from bench.application import application

#: What an administrator's screens ask for; {word} and {day} are drawn each time, so that little is remembered.
ASKED: dict[str, str] = {
    "page": "/api/entries?sort={sort}&offset={offset}",
    "words": "/api/entries?filter={word}%20{other}&sort={sort}",
    "before:": "/api/entries?filter=before:{day}&sort={sort}",
    "facets": "/api/facets?by={facet}&filter={word}",
    "week": "/api/days?first={day}&count=7{calendars}",
    "year": "/api/days?first={year}-01-01&count=365&most=0{calendars}",
}
#: What is asked for first is made ready within this time after the start, in each process that answers, in seconds.
_READY = 45
_WORDS = ("berth", "crane", "pilot", "survey", "survey", "harbour", "meeting", "winch", "tide", "buoy", "gauge", "crew")


def _url(kind: str, draw: random.Random, calendars: str) -> str:
    day = date(2026, 1, 1) + timedelta(days=draw.randrange(-700, 700))
    return ASKED[kind].format(
        sort=draw.choice(("when", "what", "where", "calendar", "repeats")),
        offset=draw.randrange(0, 5000, 100),
        word=draw.choice(_WORDS),
        other=draw.choice(_WORDS),
        day=day,
        year=day.year,
        facet=draw.choice(("calendar", "year", "kind", "zone", "category", "status", "marks")),
        calendars=calendars,
    )


def _client(address: str, seed: int, until: float, results: Any) -> None:
    draw = random.Random(seed)
    times: list[tuple[str, float]] = []
    with httpx.Client(base_url=address, timeout=120) as client:
        ids = [calendar["id"] for calendar in client.get("/api/calendars").json()]
        calendars = "".join(f"&calendar={number}" for number in ids)
        while time.time() < until:
            kind = draw.choice(list(ASKED))
            start = time.perf_counter()
            client.get(_url(kind, draw, calendars)).raise_for_status()
            times.append((kind, time.perf_counter() - start))
            time.sleep(draw.random() * 0.2)  # who reads a screen does not ask at once for the next
    results.put(times)


def loaded(data: Path, clients: int, seconds: float) -> tuple[dict[str, float], list[float]]:
    """The 95th percentile of each kind of question in seconds, and the memory of the main process in MB over time."""
    context = multiprocessing.get_context("spawn")
    results = context.Queue()
    found: dict[str, list[float]] = {}
    memory: list[float] = []
    with application(data) as address:
        httpx.get(f"{address}/api/calendars", timeout=120)
        time.sleep(_READY)
        until = time.time() + seconds
        askers = [context.Process(target=_client, args=(address, k, until, results)) for k in range(clients)]
        for asker in askers:
            asker.start()
        process = _process_of(address)
        while time.time() < until:
            memory.append(_resident(process))
            time.sleep(seconds / 20)
        for _ in askers:
            for kind, took in results.get():
                found.setdefault(kind, []).append(took)
        for asker in askers:
            asker.join()
    return {kind: statistics.quantiles(times, n=20)[18] for kind, times in found.items() if len(times) > 1}, memory


def _process_of(address: str) -> int:
    """The process that listens at an address of this machine."""
    port = int(address.rsplit(":", 1)[1].strip("/"))
    sockets = {
        row.split()[9]
        for row in Path("/proc/net/tcp").read_text().splitlines()[1:]
        if row.split()[3] == "0A" and int(row.split()[1].split(":")[1], 16) == port
    }
    for folder in Path("/proc").glob("[0-9]*/fd"):
        try:
            if any(
                (m := re.match(r"socket:\[(\d+)\]", str(fd.readlink()))) and m[1] in sockets for fd in folder.iterdir()
            ):
                return int(folder.parent.name)
        except OSError:
            continue
    raise LookupError(f"nothing listens at {address}")


def _resident(process: int) -> float:
    line = next(x for x in Path(f"/proc/{process}/status").read_text().splitlines() if x.startswith("VmRSS"))
    return int(line.split()[1]) / 1024
