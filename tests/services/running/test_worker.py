"""The worker process: it does the jobs, and a killed one is replaced without losing or doubling anything."""

from __future__ import annotations

import io
import os
import signal

import pytest

from datebridge.core.job_kinds import JobKind
from datebridge.services.imports import uploads
from datebridge.services.jobs import jobs
from datebridge.services.running.worker import Worker
from tests.conftest import Bench, calendar, event, wait_until


@pytest.mark.kills
def test_a_killed_worker_is_replaced_and_the_file_is_read_once(bench: Bench) -> None:
    many = calendar(*(event(f"e{k}", "Tide " * 20) for k in range(20_000)))
    job = uploads.receive(bench.store, bench.settings, [("many.ics", io.BytesIO(many.encode()))])
    worker = Worker(bench.store, bench.settings)
    worker.start()
    try:
        wait_until(lambda: bench.staged())
        process = worker.process_ids["computing"]
        assert process is not None
        os.kill(process, signal.SIGKILL)
        wait_until(lambda: bench.job(job).state == "done")
        wait_until(lambda: not bench.jobs("queued", "running"))
    finally:
        worker.stop()
    found = jobs.get(bench.store, job)
    assert found is not None
    assert found.attempts == 2
    assert len(bench.staged()) == len({row.uid for row in bench.staged()}) == 20_000


def test_a_job_that_cannot_be_done_fails_in_words_and_the_next_is_done(bench: Bench) -> None:
    first = jobs.enqueue(bench.store, JobKind.READ, "Reading", {"nothing": "here"})
    bench.read(calendar(event("a")))
    broken = jobs.get(bench.store, first)
    assert broken is not None
    assert (broken.state, broken.message.split(";")[0]) == ("failed", "An unexpected error")
    assert bench.files()[-1].state == "waiting"


def test_a_queued_job_that_is_stopped_never_begins(bench: Bench) -> None:
    job = uploads.receive(bench.store, bench.settings, [("a.ics", io.BytesIO(calendar(event("a")).encode()))])
    jobs.stop(bench.store, job)
    assert not jobs.run_next(bench.store, bench.settings, {})
    assert [j.state for j in jobs.recent(bench.store)] == ["stopped"]
