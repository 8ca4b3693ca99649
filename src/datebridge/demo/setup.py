"""Preparing the demo: the stand-ins filled, accounts connected, feeds subscribed, files imported, one waiting."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from contextlib import AbstractContextManager, closing
from dataclasses import replace
from datetime import date
from pathlib import Path

from datebridge.clock import this_day
from datebridge.core.changes import COMMAND
from datebridge.core.ids import RemoteId
from datebridge.demo.samples import SampleFile, sample_calendars, sample_files
from datebridge.demo.scenario import HALIFAX, HOBART, HOME, LABORATORY, OFFICE, OLD_DOMAIN
from datebridge.demo.sharing import DOOR, share
from datebridge.demo.world import PASSWORD, SUBSCRIBED, fill
from datebridge.services.accounts import accounts
from datebridge.services.crossing import plans as crossings
from datebridge.services.imports import decide, uploads
from datebridge.services.imports.decide import Decision
from datebridge.services.mend.cleanup import keep_standards, standards
from datebridge.services.running import worker
from datebridge.settings import Settings
from datebridge.standins.hosts import Hosts, apart
from datebridge.standins.traits import TIDEWRACK
from datebridge.store import calendars, imports
from datebridge.store.accounts import remotes_of
from datebridge.store.changesets.apply import apply
from datebridge.store.database import Store
from datebridge.store.preferences import keep
from datebridge.store.tables import demand_id

#: The old server as people know it: slow, and soon out of breath.
OLD = replace(TIDEWRACK, pace=150, latency=0.01)
_STEPS = 10


def standins_folder(settings: Settings) -> Path:
    return settings.data_dir / "standins"


_SETS = {
    "Ships": ("Vessel berths", "Expeditions", "Port calls, Breakwater"),
    "Laboratory": ("Instrument bookings", "Old lab diary", "Workshop"),
}


def with_standins(settings: Settings) -> Settings:
    """The settings with which the stand-ins of a prepared demo may be reached."""
    ports: dict[str, int] = json.loads((standins_folder(settings) / "ports.json").read_text())
    origins = tuple(
        f"http{'s' if name.endswith('-tls') else ''}://127.0.0.1:{port}"
        for name, port in ports.items()
        if name != "smtp"
    )
    post = f"smtp://127.0.0.1:{ports['smtp']}"
    catalogue = f"http://127.0.0.1:{ports['breakwater']}/catalogue.json"
    return settings.model_copy(
        update={
            "allowed_origins": origins,
            "catalogue": catalogue,
            "mail_server": post,
            "mail_from": "harbour-office@skerrow.example",
            "share_listen": settings.share_listen or f"127.0.0.1:{DOOR}",
        }
    )


def prepare(
    settings: Settings,
    fresh: bool = False,
    report: Callable[[int, int], None] | None = None,
    ports: dict[str, int] | None = None,
) -> None:
    """Fill an empty data folder with the scenario; leave a filled one alone unless `fresh`.

    Args:
        ports: where the simulated servers listen, instead of their usual ports.

    Raises:
        OSError: if the folder holds data that is not the scenario's.
    """
    marker = standins_folder(settings) / "ready"
    own = standins_folder(settings).is_dir() or (settings.data_dir / "sample-files").is_dir()
    if settings.database.is_file() and not own and not fresh:
        raise OSError(
            f"{settings.data_dir} holds data of its own, which is left alone. Choose another folder for the demo."
        )
    if settings.database.is_file() and (fresh or not marker.is_file()):  # only what is ours
        for path in (*settings.data_dir.glob(settings.database.name + "*"), settings.key_file):
            path.unlink(missing_ok=True)
        for folder in (settings.imports_dir, settings.archive_dir, settings.data_dir / "sample-files"):
            shutil.rmtree(folder, ignore_errors=True)
        shutil.rmtree(standins_folder(settings), ignore_errors=True)
    if settings.database.is_file():
        return
    today = this_day()
    shutil.rmtree(standins_folder(settings), ignore_errors=True)
    store = Store(settings.database)
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        if report:
            report(done, _STEPS)

    with closing(Hosts(standins_folder(settings), ports)) as hosts:
        fill(hosts, today)
    step()
    # They answer from a process of their own, so that both ends are at work at once.
    with apart(standins_folder(settings)) as addresses:
        settings = with_standins(settings)
        _connect(store, settings, addresses, today, step)
        for file in sample_files(today):
            _bring(store, settings, file)
            step()
    _look(store)
    _plan(store)
    share(store, settings)
    marker.touch()
    store.close()


def _look(store: Store) -> None:
    """The clocks of the station and its partners, two sets of layers, and what the checks go by."""
    clocks = [
        {"zone": zone, "name": name, "from": "08:00", "to": "17:00"}
        for zone, name in ((HOME, "Skerrow"), (HOBART, "Hobart"), (HALIFAX, "Halifax"))
    ]
    with store.write() as connection:
        ids = {name: number for number, name in calendars.names(connection, live=True).items()}
        keep_standards(connection, replace(standards(connection), departed=[OLD_DOMAIN], hosts=[OLD_DOMAIN]))
        keep(connection, "looking", "now", {"clocks": clocks, "off": [ids["Berths, as exported"]]})
        for name, layers in _SETS.items():
            keep(connection, "layers", name, {"on": [ids[layer] for layer in layers if layer in ids]})


def _plan(store: Store) -> None:
    """The station's move to the new server, and a laboratory's to the third, planned and not begun."""
    with store.read() as connection:
        every = list(calendars.all_facts(connection).values())
    account = next(one.account_id for one in every if one.account == "Lantern")
    sources = [one.id for one in every if one.account == "Tidewrack"]
    crossings.make(store, "Skerrow to Lantern", sources, account)
    laboratory = next(one.account_id for one in every if one.account == "Halyard")
    diary = next(one.id for one in every if one.name == "Old lab diary")
    crossings.make(store, "Laboratory to Halyard", [diary], laboratory)


def _connect(
    store: Store, settings: Settings, addresses: dict[str, str], today: date, step: Callable[[], None]
) -> None:
    on = {(sample.server, sample.name) for sample in sample_calendars(today) if sample.on}
    for server, name in (("tidewrack", "Tidewrack"), ("lantern", "Lantern")):
        account, _ = accounts.add(store, settings, addresses[server], OFFICE, PASSWORD, name)
        remotes = [RemoteId(demand_id(r.id)) for r in remotes_of(store, account) if (server, r.name) in on]
        accounts.switch_on(store, remotes)
        worker.drain(store, settings)
        step()
    for path in SUBSCRIBED:
        accounts.add(store, settings, addresses["breakwater"] + path, publisher="Breakwater")
        worker.drain(store, settings)
        step()
    laboratory, _ = accounts.add(store, settings, addresses["halyard"], LABORATORY, PASSWORD, "Halyard")
    accounts.switch_on(store, [RemoteId(demand_id(r.id)) for r in remotes_of(store, laboratory)])
    worker.drain(store, settings)
    step()


def _bring(store: Store, settings: Settings, file: SampleFile) -> None:
    folder = settings.data_dir / "sample-files"
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / file.name
    path.write_bytes(file.content)
    if file.calendar is None:
        return
    uploads.receive_paths(store, settings, [path])
    worker.drain(store, settings)
    if not file.calendar:
        return
    with store.read() as connection:
        newest = max(imports.listed(connection), key=lambda one: one.id)
        (group,) = imports.groups_of(connection, newest.id)
        called = {name: number for number, name in calendars.names(connection, live=True).items()}
    set_id = decide.propose_import(
        store, [newest.id], [Decision(group.id, called.get(file.calendar), file.calendar)], COMMAND
    )
    apply(store, set_id)
    worker.drain(store, settings)


def standins(settings: Settings) -> AbstractContextManager[dict[str, str]]:
    """The stand-ins of a prepared demo in a process of their own; gives their addresses."""
    return apart(standins_folder(settings), tidewrack=OLD)
