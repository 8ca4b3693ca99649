"""Commands that start the application, the sample scenario, or its stand-ins; and one that rebuilds the index."""

from __future__ import annotations

# What a command needs is imported when it runs, so that --help and a look into a file start at once.
import json
import os
from collections.abc import Iterable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from datebridge.cli.output import CANNOT, OK, PROBLEMS, error, progress, say

if TYPE_CHECKING:
    import socket

    from datebridge.settings import Settings

app = typer.Typer()
#: What the processes beside the application run.
_BESIDES = ("datebridge.services.running.worker", "datebridge.api.public.door", "datebridge.standins.hosts")
DataDir = Annotated[
    Path | None, typer.Option("--data", help="Where the data is kept.", show_default="the user's data folder")
]
Port = Annotated[int | None, typer.Option(help="The port to listen on.", show_default="8137, or the next free one")]
Host = Annotated[str | None, typer.Option(help="The address to listen on.", show_default="127.0.0.1")]
Key = Annotated[
    bool, typer.Option("--access-key", help="Let in clients with the access key; the first start prints it.")
]
Proxy = Annotated[str | None, typer.Option(help="Let in clients through the reverse proxy at this address.")]
Names = Annotated[
    list[str] | None, typer.Option("--name", help="A host name under which clients reach the application.")
]
Share = Annotated[
    str | None,
    typer.Option("--share", help="ADDRESS:PORT for readers of shares, separate from the application."),
]
ShareAddress = Annotated[
    str | None,
    typer.Option("--share-address", help="The public address for readers, for example of a proxy."),
]
NewKey = Annotated[
    bool, typer.Option("--new-key", help="Start with a new key for stored passwords; accounts must be added again.")
]


@app.command()
def reindex(data: DataDir = None, as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False) -> None:
    """Rebuild the index columns from the entries' texts. Exit code 1 if any of them differed."""
    from datebridge.services.instance_lock import instance_lock
    from datebridge.store.database import Store
    from datebridge.store.entries.reindex import reindex as run
    from datebridge.store.soundness import demand_whole

    settings = settings_of(data)
    if not settings.database.is_file():
        error(f"There is no data in {settings.data_dir}.")
        raise SystemExit(CANNOT)
    with instance_lock(settings):
        demand_whole(settings.database)
        store = Store(settings.database)
        with progress("Reindexing") as report, store.write() as connection:
            changed = run(connection, report)
    if as_json:
        print(json.dumps({"changed": changed}))
    else:
        say(f"{changed:,} entries had an outdated index." if changed else "The index was up to date.")
    raise SystemExit(PROBLEMS if changed else OK)


@app.command()
def serve(
    data: DataDir = None,
    host: Host = None,
    port: Port = None,
    key: Key = False,
    proxy: Proxy = None,
    name: Names = None,
    share: Share = None,
    share_address: ShareAddress = None,
    new_key: NewKey = False,
) -> None:
    """Start the application."""
    settings = settings_of(data, host, port, key, proxy, name, share, share_address)
    with _alone(settings):
        _serve(settings, "Date Bridge", new_key=new_key)


@app.command()
def demo(
    data: DataDir = None,
    host: Host = None,
    port: Port = None,
    fresh: Annotated[bool, typer.Option("--fresh", help="Start again with fresh sample data.")] = False,
    key: Key = False,
    proxy: Proxy = None,
    name: Names = None,
    share: Share = None,
    share_address: ShareAddress = None,
) -> None:
    """Start the application with the sample scenario: the Skerrow Marine Observatory."""
    from datebridge.demo.setup import standins as simulated
    from datebridge.demo.setup import with_standins

    settings = _demo_settings(data, host, port, key, proxy, name, share or "127.0.0.1:8138", share_address)
    with _alone(settings), _prepared(settings, fresh), simulated(settings) as addresses:
        _serve(
            with_standins(settings),
            f"Date Bridge with sample data (files in {settings.data_dir / 'sample-files'})",
            _say_standins(addresses),
            flexible=share is None,
        )


@app.command("standins")
def run_standins(
    data: DataDir = None,
    fresh: Annotated[bool, typer.Option("--fresh", help="Start again with fresh sample data.")] = False,
) -> None:
    """Run the simulated servers of the sample scenario alone, for other programs to connect to."""
    import time

    from datebridge.demo.setup import standins as simulated
    from datebridge.services.instance_lock import instance_lock

    settings = _demo_settings(data)
    with instance_lock(settings):
        _prepare(settings, fresh)
    with simulated(settings) as addresses:
        say(_say_standins(addresses))
        say("Ctrl+C stops them.")
        try:
            while True:
                time.sleep(3600)
        except KeyboardInterrupt:
            return


def _say_standins(addresses: dict[str, str]) -> str:
    from datebridge.demo.scenario import OFFICE
    from datebridge.demo.world import PASSWORD

    rows = [f"  {name:12} {address}/" for name, address in addresses.items()]
    return "\n".join([f"Simulated servers (user {OFFICE}, password {PASSWORD}):", *rows])


def _demo_settings(data: Path | None, *given: Any) -> Settings:
    settings = settings_of(data, *given)
    return settings if data is not None else settings.model_copy(update={"data_dir": settings.data_dir / "demo"})


def _prepare(settings: Settings, fresh: bool) -> None:
    from datebridge.demo.setup import prepare

    with progress("Preparing the sample scenario") as report:
        prepare(settings, fresh, report)


def settings_of(
    data: Path | None,
    host: str | None = None,
    port: int | None = None,
    key: bool = False,
    proxy: str | None = None,
    names: list[str] | None = None,
    share: str | None = None,
    share_address: str | None = None,
) -> Settings:
    from datebridge.settings import Settings

    given = {
        "data_dir": data,
        "host": host,
        "port": port,
        "access_key": key or None,
        "proxy": proxy,
        "names": tuple(names) if names else None,
        "share_listen": share,
        "share_address": share_address,
    }
    return Settings(**{name: value for name, value in given.items() if value is not None})  # type: ignore[arg-type]


@contextmanager
def _alone(settings: Settings) -> Iterator[None]:
    """Have the data directory for oneself, and let in from elsewhere only who is meant to come in."""
    from datebridge import processes
    from datebridge.connect.origins import is_this_machine
    from datebridge.services.instance_lock import instance_lock
    from datebridge.store.soundness import demand_whole

    if not (is_this_machine(settings.host) or settings.access_key or settings.proxy):
        error(
            f"Listening on {settings.host} would let in everyone who can reach it. Add --access-key to "
            "require a key from other addresses, or --proxy ADDRESS if a reverse proxy authenticates users."
        )
        raise SystemExit(CANNOT)
    os.umask(0o077)
    processes.begin(*_BESIDES)
    with instance_lock(settings):
        demand_whole(settings.database)
        yield


@contextmanager
def _prepared(settings: Settings, fresh: bool) -> Iterator[None]:
    _prepare(settings, fresh)
    yield


def _serve(settings: Settings, what: str, besides: str = "", new_key: bool = False, flexible: bool = False) -> None:
    import uvicorn

    from datebridge.api.app import WEB, create_app
    from datebridge.api.connections import configured
    from datebridge.connect.origins import is_this_machine
    from datebridge.services import access
    from datebridge.services.accounts import secrets
    from datebridge.store.database import Store

    if new_key:
        secrets.start_over(settings)
    elif settings.database.is_file():
        with closing(Store(settings.database)) as store:
            secrets.demand_key(store, settings)
    if not (WEB / "index.html").is_file():
        error("The pages are not built; only the programming interface answers. Run “make build”.")
    door, settings = _door(settings, flexible)
    api = create_app(settings)
    listener = _listener(settings)
    address = f"http://{settings.host}:{listener.getsockname()[1]}/"
    say(f"{what} is at {address}  (Ctrl+C stops it)")
    if door is not None:
        from datebridge.services.sharing.addresses import door as readers_come_in

        say(f"Readers of shares connect to {readers_come_in(settings)}/")
    if besides:
        say(besides)
    if not is_this_machine(settings.host) and settings.access_key and (made := access.new_key(settings)):
        say(f"Access key, shown this once: {made}\nEvery other address needs it. Without https it travels readable.")
    server = uvicorn.Server(configured(api, [settings.proxy] if settings.proxy else []))
    if door is None:
        server.run(sockets=[listener])
        return
    from datebridge.api.public.serve import readers_door

    with readers_door(settings, door):
        server.run(sockets=[listener])


def _door(settings: Settings, flexible: bool = False) -> tuple[socket.socket | None, Settings]:
    """A socket for readers, and the settings that say where it is; None where they have no door.

    Args:
        flexible: any other port will do where that one is taken.

    Raises:
        SystemExit: if that address makes no sense, or is taken.
    """
    if not settings.share_listen:
        return None, settings
    host, _, port = settings.share_listen.rpartition(":")
    host = host.strip("[]") or "127.0.0.1"
    if not port.isascii() or not port.isdigit() or int(port) > 65_535:
        error(f"“{settings.share_listen}” is not an address with a port, such as 0.0.0.0:8138.")
        raise SystemExit(CANNOT)
    ports = (int(port), *range(int(port) + 1, int(port) + 20), 0) if flexible else (int(port),)
    listener = _bound(host, ports)
    if listener is None:
        error(f"{settings.share_listen}, the address for readers, is in use by another program.")
        raise SystemExit(CANNOT)
    place = f"[{host}]" if ":" in host else host
    own = settings.model_copy(update={"share_listen": f"{place}:{listener.getsockname()[1]}"})
    from datebridge.services.sharing.addresses import door

    if flexible:  # the demo follows its own shares, and the site of its stand-in shows one
        own = own.model_copy(update={"allowed_origins": (*own.allowed_origins, door(own))})
        (own.data_dir / "standins" / "door.txt").write_text(door(own))
    return listener, own


def _listener(settings: Settings) -> socket.socket:
    """A socket on the wanted port, or on the next free one if that port is taken."""
    listener = _bound(settings.host, (settings.port, *range(settings.port + 1, settings.port + 20), 0))
    if listener is None:
        raise OSError(f"no port is free on {settings.host}")
    return listener


def _bound(host: str, ports: Iterable[int]) -> socket.socket | None:
    import socket

    for port in ports:
        # Said to be TCP, or asyncio leaves Nagle's algorithm on and every answer waits 40 ms for an acknowledgement.
        family = socket.AF_INET6 if ":" in host else socket.AF_INET
        listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, port))
            listener.listen(2_048)  # so that who reads the address can connect at once
        except OSError:
            listener.close()
            continue
        return listener
    return None
