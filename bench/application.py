"""The application as its users start it, for measuring and for the tests that need it running."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

#: What Chromium needs to run without a screen, a sandbox or the network.
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@contextmanager
def application(data: Path, command: str = "serve") -> Iterator[str]:
    """The running application's address; it is stopped as by Ctrl+C at the end."""
    start = [sys.executable, "-u", "-c", "from datebridge.cli.main import main; main()", command, "--port", "0"]
    environment = {**os.environ, "COLUMNS": "200"}
    with subprocess.Popen([*start, "--data", str(data)], stdout=subprocess.PIPE, text=True, env=environment) as process:
        assert process.stdout is not None
        found = None
        while found is None:
            line = process.stdout.readline()
            assert line, "the application did not start"
            found = re.search(r"http://[\d.]+:\d+", line)
        try:
            yield found[0]
        finally:
            process.send_signal(signal.SIGINT)
            try:
                process.wait(60)
            finally:
                process.kill()  # where it has not ended, nobody is to wait for it for ever
