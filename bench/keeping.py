"""What a target keeps: a probe of a server that answers in 20 ms, and its matrix laid upon many entries."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from pathlib import Path

from bench.connecting import OFFICE, PASSWORD
from bench.generate import write
from bench.importing import take_in
from datebridge.core.language.filters import Selection
from datebridge.services.accounts import accounts
from datebridge.services.fidelity import forecasts, probes
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.settings import Settings
from datebridge.standins.hosts import PORTS, Hosts, apart
from datebridge.standins.traits import LANTERN
from datebridge.store.database import Store
from datebridge.store.tables import Job

_NO_PORTS = dict.fromkeys(PORTS, 0)


@dataclass(frozen=True, slots=True)
class Figures:
    """Seconds, and requests of the probe."""

    probe: float
    requests: int
    forecast: float


def measure(folder: Path, many: int) -> Figures:
    """Both in one run."""
    hosts = Hosts(folder / "standins", _NO_PORTS)
    hosts.lantern.records.add_person(OFFICE, PASSWORD, OFFICE, f"{OFFICE}@skerrow.example")
    hosts.close()
    with apart(folder / "standins", lantern=replace(LANTERN, latency=0.02)) as at:
        settings = Settings(data_dir=folder / "keeping", allowed_origins=tuple(at.values()))
        store = Store(settings.database)
        account, _ = accounts.add(store, settings, at["lantern"], OFFICE, PASSWORD)
        worker.drain(store, settings)
        probes.measure(store, account)
        probe, measured = _done(store, settings)
    path = folder / "kept.ics"
    write(path, many, seed=23)
    take_in(store, settings, path)
    forecasts.request_forecast(store, account, Selection())
    forecast, _ = _done(store, settings)
    store.close()
    return Figures(probe, int(str(measured.result["requests"])), forecast)


def _done(store: Store, settings: Settings) -> tuple[float, Job]:
    start = time.perf_counter()
    worker.drain(store, settings)
    took, job = time.perf_counter() - start, jobs.recent(store)[0]
    assert job.state == "done", job.message
    return took, job
