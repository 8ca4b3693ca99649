"""One data directory, one program; a job is one worker's; a full disk is told, and nobody waits for ever."""

from __future__ import annotations

import io
import multiprocessing
import os
import signal
import stat
import zipfile
from pathlib import Path

import pytest

from datebridge.core.job_kinds import JobKind
from datebridge.services.imports import files, uploads
from datebridge.services.imports.uploads import NotTaken
from datebridge.services.instance_lock import AlreadyRunning, instance_lock
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.services.running.worker import Worker
from datebridge.settings import Settings
from datebridge.store import database
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.database import CannotOpen, Store
from datebridge.store.jobs import ClaimLost
from tests.conftest import Bench, calendar, event, wait_until


def hold(settings_json: str, ready: object) -> None:
    with instance_lock(Settings.model_validate_json(settings_json)):
        ready.set()  # type: ignore[attr-defined]
        signal.pause()


def test_a_second_program_is_told_which_has_the_directory_until_that_one_dies(bench: Bench) -> None:
    context = multiprocessing.get_context("spawn")
    ready = context.Event()
    first = context.Process(target=hold, args=(bench.settings.model_dump_json(), ready))
    first.start()
    assert ready.wait(30)
    with (
        pytest.raises(AlreadyRunning, match=f"already running .* as process {first.pid}"),
        instance_lock(bench.settings),
    ):
        raise AssertionError
    first.kill()
    first.join(60)
    with instance_lock(bench.settings):
        assert (bench.settings.data_dir / "in-use.by").read_text() == str(os.getpid())


def run_worker(settings_json: str, pids: object) -> None:
    from datebridge.store.database import Store

    settings = Settings.model_validate_json(settings_json)
    kept = Worker(Store(settings.database), settings)
    kept.start()
    pids.put(list(kept.process_ids.values()))  # type: ignore[attr-defined]
    signal.pause()


@pytest.mark.kills
def test_workers_end_with_their_parent_even_in_the_middle_of_a_job(bench: Bench) -> None:
    many = calendar(*(event(f"e{k}", "Tide " * 20) for k in range(20_000)))
    uploads.receive(bench.store, bench.settings, [("many.ics", io.BytesIO(many.encode()))])
    context = multiprocessing.get_context("spawn")
    pids = context.Queue()
    parent = context.Process(target=run_worker, args=(bench.settings.model_dump_json(), pids))
    parent.start()
    workers = pids.get()
    wait_until(lambda: bench.staged())
    parent.kill()
    parent.join(60)
    wait_until(lambda: not any(Path(f"/proc/{pid}").exists() for pid in workers))
    assert [job.state for job in bench.jobs()] == ["running"]
    jobs.resume_interrupted(bench.store)
    worker.drain(bench.store, bench.settings)
    assert len(bench.staged()) == len({row.uid for row in bench.staged()}) == 20_000


def test_who_lost_the_claim_writes_nothing_any_more(bench: Bench) -> None:
    text = calendar(*(event(f"e{k}") for k in range(5_000))).encode()
    uploads.receive(bench.store, bench.settings, [("a.ics", io.BytesIO(text))])
    claimed = jobs.claim_next(bench.store, [JobKind.READ])
    assert claimed is not None
    late = jobs.JobContext(bench.store, bench.settings, claimed)
    jobs.resume_interrupted(bench.store)  # somebody took it for dead
    worker.drain(bench.store, bench.settings)
    with pytest.raises(ClaimLost):
        jobs.FUNCTIONS[JobKind.READ](late)
    with pytest.raises(ClaimLost):
        late.check()
    assert len(bench.staged()) == len({row.uid for row in bench.staged()}) == 5_000


def test_a_file_whose_reading_was_given_up_can_be_read_again_or_turned_away(bench: Bench) -> None:
    for name in ("again.ics", "away.ics"):
        uploads.receive(bench.store, bench.settings, [(name, io.BytesIO(calendar(event(name)).encode()))])
    for _ in range(3):
        assert jobs.claim_next(bench.store, [JobKind.READ])
        assert jobs.claim_next(bench.store, [JobKind.READ])
        jobs.resume_interrupted(bench.store)
    assert {job.state for job in bench.jobs()} == {"failed"}
    assert {(file.state, file.message) for file in bench.files()} == {
        ("refused", "Reading was interrupted. Read the file again, or discard it.")
    }
    uploads.read_again(bench.store, bench.settings, 1)
    worker.drain(bench.store, bench.settings)
    assert bench.files()[0].state == "waiting"
    files.turn_away(bench.store, bench.settings, 2)
    assert list(bench.settings.imports_dir.iterdir()) == []
    with pytest.raises(CannotApply, match="Import it again"):
        uploads.read_again(bench.store, bench.settings, 2)


def test_a_full_disk_is_told_and_the_job_goes_on_when_there_is_room(bench: Bench) -> None:
    job = uploads.receive(
        bench.store, bench.settings, [("a.ics", io.BytesIO(calendar(*(event(f"e{k}") for k in range(3_000))).encode()))]
    )
    bench.store.engine.dispose()
    room = [bench.settings.database.stat().st_size // 4096 + 40]  # in pages

    from sqlalchemy import event as on

    @on.listens_for(bench.store.engine, "begin")
    def _bounded(connection) -> None:  # type: ignore[no-untyped-def]
        connection.exec_driver_sql(f"PRAGMA max_page_count = {room[0]}")

    worker.drain(bench.store, bench.settings)
    found = jobs.get(bench.store, job)
    assert found is not None
    assert (found.state, found.message, found.attempts) == ("queued", jobs.FULL, 0)
    assert [file.state for file in bench.files()] == ["reading"]
    room[0] = 1 << 30
    with bench.store.write() as connection:
        connection.exec_driver_sql("UPDATE job SET not_before = 0")
    worker.drain(bench.store, bench.settings)
    assert [file.state for file in bench.files()] == ["waiting"]
    assert len(bench.staged()) == 3_000


def test_nothing_is_begun_on_a_full_disk(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.store.close()
    monkeypatch.setattr(database, "room_left", lambda _: 1 << 20)
    with pytest.raises(CannotOpen, match=r"is full\. Make room"):
        Store(bench.settings.database)


@pytest.mark.parametrize("what", ["a folder", "a file in place of the folder"])
def test_what_cannot_be_written_is_said(tmp_path: Path, what: str) -> None:
    path = tmp_path / "data" / "date-bridge.sqlite"
    if what == "a folder":
        path.mkdir(parents=True)
    else:
        path.parent.write_text("no folder")
    with pytest.raises(CannotOpen, match=r"cannot be opened|may not be written"):
        Store(path)


def test_all_that_is_kept_is_its_owners_alone_whatever_the_umask(tmp_path: Path) -> None:
    before = os.umask(0)
    try:
        bench = Bench(tmp_path / "data")
        bench.read(calendar(event("a")))
        uploads.receive(bench.store, bench.settings, [("b.ics", io.BytesIO(calendar(event("b")).encode()))])
        bench.bring(calendar(event("old", "Old")))
        jobs.enqueue(bench.store, JobKind.ARCHIVE, "x", {"filter": "old", "name": "old"})
        from datebridge.services.access import new_key
        from datebridge.services.accounts.secrets import seal

        seal(bench.settings, "secret")
        new_key(bench.settings)
        with instance_lock(bench.settings):
            worker.drain(bench.store, bench.settings)
            found = {path: stat.S_IMODE(path.stat().st_mode) for path in (tmp_path / "data").rglob("*")}
        assert stat.S_IMODE((tmp_path / "data").stat().st_mode) == 0o700
        assert {path.name for path in found} > {"date-bridge.sqlite", "date-bridge.sqlite-wal", "secret.key", "in-use"}
        odd = {str(path): oct(mode) for path, mode in found.items() if mode != (0o700 if path.is_dir() else 0o600)}
        assert odd == {}
        bench.store.close()
    finally:
        os.umask(before)


def archive(*names: str) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as packed:
        for name in names:
            packed.writestr(name, calendar(event(name)))
    return made.getvalue()


def damaged(data: bytes) -> bytes:
    return data[:60] + bytes(reversed(data[60:90])) + data[90:]


NESTED = b"MIME-Version: 1.0\nX: y\n" + b"".join(
    b'Content-Type: multipart/mixed; boundary="b%d"\n\n--b%d\n' % (k, k) for k in range(3_000)
)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("both.ics", calendar(event("a")).encode() + archive("b.ics"), "two things at once: a calendar"),
        ("both.jpg", b"\xff\xd8\xff" + archive("b.ics"), "two things at once: another file"),
        ("damaged.zip", damaged(archive("a.ics")), "cannot be unpacked"),
        ("nested.eml", NESTED, "cannot be read|without a calendar part"),
    ],
)
def test_what_cannot_be_opened_is_named_and_nothing_of_it_is_kept(
    bench: Bench, name: str, data: bytes, words: str
) -> None:
    with pytest.raises(NotTaken, match=words):
        uploads.receive(bench.store, bench.settings, [(name, io.BytesIO(data))])
    assert list(bench.settings.imports_dir.iterdir()) == []
    assert bench.files() == []
