"""The application and its commands in processes of their own, fresh for each test and there in a moment.

They are forked from a server that has everything imported. `bench.application` starts it as its users do.
"""

from __future__ import annotations

import multiprocessing
import os
import re
import signal
import subprocess
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext
from pathlib import Path
from tempfile import TemporaryDirectory

from datebridge import clock
from datebridge.cli.main import main

#: What the application imports only when it needs it, and what tests have forked.
LOADED = (
    "datebridge.cli.commands",
    "datebridge.api.app",
    "datebridge.demo.setup",
    "datebridge.services.running.worker",
    "datebridge.api.public.door",
    "datebridge.standins.hosts",
    "alembic.command",
    "tests.running",
    "tests.killing",
    "tests.warm",
)


def forks() -> ForkServerContext:
    """How processes are forked from the one that has everything imported."""
    return multiprocessing.get_context("forkserver")


# Before anything is forked (`conftest` imports this). By names: one that is wrong would not fail, only be slow.
forkserver.set_forkserver_preload(list(LOADED))


def _run(
    arguments: list[str], streams: Mapping[int, str | Connection], settings: Mapping[str, str], ahead: float
) -> None:
    """Be the program, with these files or pipes as its standard streams."""
    # Processes beside the application come from the server that this one comes from, which outlives it.
    forkserver.ensure_running = forkserver._forkserver.ensure_running = lambda: None  # type: ignore
    for number, stream in streams.items():
        flags = os.O_RDONLY if number == 0 else os.O_WRONLY
        os.dup2(os.open(stream, flags) if isinstance(stream, str) else stream.fileno(), number)
    sys.stdin, sys.stdout, sys.stderr = os.fdopen(0), os.fdopen(1, "w", 1), os.fdopen(2, "w", 1)
    signal.signal(signal.SIGINT, signal.default_int_handler)
    clock.set_ahead(ahead)
    os.environ.update({"COLUMNS": "200", **settings})
    sys.argv = ["date-bridge", *arguments]
    main()


def command(
    *arguments: str | Path, settings: Mapping[str, str] | None = None, answer: str = ""
) -> subprocess.CompletedProcess[str]:
    """What a command says and how it ends; `answer` is what somebody types meanwhile."""
    said = list(map(str, arguments))
    with TemporaryDirectory() as folder:
        files = {number: str(Path(folder, str(number))) for number in range(3)}
        for path in files.values():
            Path(path).touch()
        Path(files[0]).write_text(answer)
        process = forks().Process(target=_run, args=(said, files, settings or {}, clock.ahead()))
        process.start()
        process.join(120)
        process.kill()
        assert process.exitcode is not None, said
        out, error = (Path(files[number]).read_text() for number in (1, 2))
    return subprocess.CompletedProcess(said, process.exitcode, out, error)


@contextmanager
def application(
    data: Path, name: str = "serve", settings: Mapping[str, str] | None = None, port: int = 0
) -> Iterator[str]:
    """The running application's address; it is stopped as by Ctrl+C at the end."""
    here, there = multiprocessing.Pipe(duplex=False)
    arguments = [name, "--port", str(port), "--data", str(data)]
    process = forks().Process(target=_run, args=(arguments, {1: there}, settings or {}, clock.ahead()))
    process.start()
    there.close()
    with here, os.fdopen(os.dup(here.fileno())) as lines:
        found = next((m for m in (re.search(r"http://[\d.]+:\d+", line) for line in lines) if m), None)
        assert found, "the application did not start"
        try:
            yield found[0]
        finally:
            assert process.pid is not None
            with suppress(ProcessLookupError):  # a test may have killed it
                os.kill(process.pid, signal.SIGINT)
            process.join(60)
            process.kill()  # where it has not ended, nobody is to wait for it for ever
