"""Running the stand-ins: all of them in one process, each on a port of its own on 127.0.0.1.

>>> with running(folder) as hosts:  # doctest: +SKIP
...     hosts.address("lantern")
'http://127.0.0.1:8142'
"""

from __future__ import annotations

import asyncio
import json
import multiprocessing
import signal
import socket
import ssl
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import uvicorn
from aiosmtpd.smtp import SMTP
from starlette.types import ASGIApp
from uvicorn.protocols.http.h11_impl import H11Protocol

from datebridge import processes
from datebridge.standins.calendars import CalendarServer
from datebridge.standins.certificates import by_authority, self_signed
from datebridge.standins.faults import Faulty, Switches
from datebridge.standins.feeds import FeedHost
from datebridge.standins.habits import Habits
from datebridge.standins.mail import MailDrop, Post, mail_app
from datebridge.standins.records import Records
from datebridge.standins.sign_on import SignOn
from datebridge.standins.traits import HALYARD, LANTERN, TIDEWRACK, Traits

HOST = "127.0.0.1"
#: The ports they have unless these are taken.
PORTS = {
    "tidewrack": 8141,
    "lantern": 8142,
    "breakwater": 8143,
    "mail": 8144,
    "lantern-tls": 8145,
    "smtp": 8146,
    "halyard": 8147,
    "halyard-tls": 8148,
    "sign-on": 8149,
}


class PortTaken(Exception):
    """A port on which these stand-ins were before is taken by another program."""


class Hosts:
    """The stand-ins with their stores. Whatever is done to them here shows at once to who asks over HTTP."""

    def __init__(
        self,
        folder: Path,
        ports: dict[str, int] | None = None,
        tidewrack: Traits = TIDEWRACK,
        lantern: Traits = LANTERN,
    ) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder = folder
        self.mail = MailDrop(folder / "mail.sqlite")
        self.tidewrack = CalendarServer(tidewrack, Records(folder / "tidewrack.sqlite"), self.mail)
        self.lantern = CalendarServer(lantern, Records(folder / "lantern.sqlite"), self.mail)
        self.halyard = CalendarServer(HALYARD, Records(folder / "halyard.sqlite"), self.mail)
        self.breakwater = FeedHost(folder / "breakwater.sqlite")
        self.switches = {name: Switches() for name in ("tidewrack", "lantern", "halyard", "breakwater")}
        self._sockets = _listen(folder / "ports.json", ports)
        self.sign_on = SignOn(self.halyard.password, folder / "sign-on.key")
        self.halyard.sign_on, self.halyard.sign_on_at = self.sign_on.tokens, self.address("sign-on")
        self._servers: list[uvicorn.Server] = []

    def address(self, name: str) -> str:
        """Where one of them is, without a slash at the end."""
        scheme = "smtp" if name == "smtp" else "https" if name.endswith("-tls") else "http"
        return f"{scheme}://{HOST}:{self._sockets[name].getsockname()[1]}"

    @property
    def addresses(self) -> dict[str, str]:
        return {name: self.address(name) for name in self._sockets}

    def _apps(self) -> dict[str, ASGIApp]:
        lantern = Faulty(self.lantern, self.switches["lantern"], self.lantern)
        halyard = Faulty(self.halyard, self.switches["halyard"], self.halyard)
        return {
            "tidewrack": Faulty(self.tidewrack, self.switches["tidewrack"], self.tidewrack),
            "halyard": halyard,
            "halyard-tls": halyard,
            "sign-on": self.sign_on,
            "lantern": lantern,
            "lantern-tls": lantern,
            "breakwater": Faulty(self.breakwater, self.switches["breakwater"]),
            "mail": mail_app(self.mail),
        }

    def _habits(self, name: str) -> Habits:
        servers = {"tidewrack": self.tidewrack, "halyard": self.halyard, "halyard-tls": self.halyard}
        server = {**servers, "lantern": self.lantern, "lantern-tls": self.lantern}.get(name)
        return server.habits if server is not None else Habits()

    async def serve(self) -> None:
        """Answer until `stop`."""
        for name, app in self._apps().items():
            config = uvicorn.Config(
                app,
                log_level="critical",
                lifespan="off",
                server_header=False,
                **self._encrypted(name),
                timeout_graceful_shutdown=1,
                timeout_keep_alive=30,
                http=_protocol(self._habits(name)),
            )
            server = uvicorn.Server(config)
            self._servers.append(server)
        names = list(self._apps())
        loop = asyncio.get_running_loop()
        post = await loop.create_server(lambda: SMTP(Post(self.mail), loop=loop), sock=self._sockets["smtp"])
        await asyncio.gather(
            *(server.serve(sockets=[self._sockets[name]]) for name, server in zip(names, self._servers, strict=True))
        )
        post.close()

    def _encrypted(self, name: str) -> dict[str, Any]:
        """How a server is encrypted: Lantern by what nobody vouches for; Halyard by an authority, which also has to
        vouch for who connects."""
        if name == "halyard-tls":
            files = by_authority(self.folder)
            required = {"ssl_ca_certs": str(files.authority), "ssl_cert_reqs": ssl.CERT_REQUIRED}
            return {"ssl_certfile": files.certificate, "ssl_keyfile": files.key, **required}
        if name.endswith("-tls"):
            certificate, key = self_signed(self.folder)
            return {"ssl_certfile": certificate, "ssl_keyfile": key}
        return {}

    def stop(self) -> None:
        for server in self._servers:
            server.should_exit = True

    def close(self) -> None:
        servers = (self.tidewrack, self.lantern, self.halyard)
        for server in servers:
            server.records.close()
        self.mail.close()
        self.breakwater.close()
        for listener in self._sockets.values():
            listener.close()


@contextmanager
def running(
    folder: Path, ports: dict[str, int] | None = None, tidewrack: Traits = TIDEWRACK, lantern: Traits = LANTERN
) -> Iterator[Hosts]:
    """The stand-ins, answering from a thread of this process until the end of the block."""
    hosts = Hosts(folder, ports, tidewrack, lantern)
    thread = threading.Thread(target=lambda: asyncio.run(hosts.serve()), name="stand-ins", daemon=True)
    thread.start()
    try:
        yield hosts
    finally:
        hosts.stop()
        thread.join(10)
        hosts.close()


@contextmanager
def apart(
    folder: Path, ports: dict[str, int] | None = None, tidewrack: Traits = TIDEWRACK, lantern: Traits = LANTERN
) -> Iterator[dict[str, str]]:
    """The same in a process of its own; gives their addresses.

    Raises:
        OSError: if they cannot be started; the message says why.
    """
    here, there = multiprocessing.Pipe()
    process = processes.start("stand-ins", _apart, folder, ports, tidewrack, lantern, there)
    there.close()
    try:
        text = here.recv()
        if isinstance(text, str):
            raise OSError(text)
        yield text
    finally:
        process.terminate()
        process.join(5)


def _apart(folder: Path, ports: dict[str, int] | None, tidewrack: Traits, lantern: Traits, pipe: Connection) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # who started it ends it
    processes.end_with_parent()
    try:
        with running(folder, ports, tidewrack, lantern) as hosts:
            pipe.send(hosts.addresses)
            threading.Event().wait()
    except Exception as error:
        pipe.send(str(error))


def _protocol(habits: Habits) -> type[asyncio.Protocol]:
    """HTTP as uvicorn speaks it, or one version older where that is the habit."""

    class _Older(H11Protocol):
        def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
            super().connection_made(_Aged(transport, habits))  # type: ignore[arg-type]

    return _Older


class _Aged:
    """A transport whose answers say HTTP/1.0 where that is the habit."""

    def __init__(self, transport: asyncio.Transport, habits: Habits) -> None:
        self._transport, self._habits = transport, habits

    def write(self, data: bytes) -> None:
        if self._habits.has("http-1.0") and data.startswith(b"HTTP/1.1 "):
            data = b"HTTP/1.0 " + data[9:]
        self._transport.write(data)

    def __getattr__(self, name: str) -> object:
        return getattr(self._transport, name)


def _listen(kept: Path, wanted: dict[str, int] | None) -> dict[str, socket.socket]:
    """A listening socket for each, on the ports they had before: accounts remember addresses.

    Raises:
        PortTaken: if one of those ports is taken now.
    """
    before: dict[str, int] = json.loads(kept.read_text()) if kept.is_file() else {}
    sockets: dict[str, socket.socket] = {}
    for name, usual in {**PORTS, **(wanted or {})}.items():
        # Said to be TCP, or asyncio leaves Nagle's algorithm on and every answer waits 40 ms for an acknowledgement.
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((HOST, before.get(name, usual)))
        except OSError as error:
            if name in before:
                raise PortTaken(
                    f"Port {before[name]}, on which {name} was, is taken by another program. Stop that program, or"
                    " begin again with --fresh."
                ) from error
            listener.bind((HOST, 0))
        listener.listen(128)
        sockets[name] = listener
    kept.write_text(json.dumps({name: s.getsockname()[1] for name, s in sockets.items()}))
    return sockets
