"""The readers' door in a process of its own, so that however many come, the administrator's pages stay quick."""

from __future__ import annotations

import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from multiprocessing.process import BaseProcess

import structlog

from datebridge import processes
from datebridge.settings import Settings

log = structlog.get_logger()
#: How often what was counted is written down, in seconds.
_WRITE = 2.0
_DAILY = 43_200


def _main(settings_json: str, listener: socket.socket) -> None:
    import uvicorn

    from datebridge.api.connections import configured
    from datebridge.api.public.door import Door
    from datebridge.services.jobs.repeating import Repeating
    from datebridge.services.logs import set_up
    from datebridge.store.database import Store
    from datebridge.store.use import UseBook, today

    processes.end_with_parent()
    set_up()
    settings = Settings.model_validate_json(settings_json)
    book = UseBook(settings.use_file)
    door = Door(settings, Store.reading(settings.database), book)
    besides = [
        Repeating("use", _WRITE, book.write_down),
        Repeating("forgetting", _DAILY, lambda: book.write_down(today())),
    ]
    book.write_down(today())
    threading.Thread(target=warm, name="warming", daemon=True).start()
    for task in besides:
        task.start()
    trusted = [settings.share_proxy] if settings.share_proxy else []
    config = configured(door, trusted, lifespan="off", h11_max_incomplete_event_size=16_384)
    uvicorn.Server(config).run(sockets=[listener])
    for task in besides:
        task.stop()
    door.close()


def warm() -> None:
    """Have ready what the first reader would wait for: the template, and how dates are written."""
    from datetime import date

    from datebridge.api.public.pages import Offer, look_of, render
    from datebridge.core.sharing.gathering import SharedContent
    from datebridge.core.sharing.page_data import PageData
    from datebridge.core.sharing.terms import Terms

    day = date(2026, 11, 24)
    for language in ("en", "de", "fr", "nb", "es"):
        for view in ("week", "month"):
            look = look_of({"view": view}, day)
            render(PageData(SharedContent(Terms()), b"none", {}), look, Offer("", "UTC"), day, language)


@contextmanager
def readers_door(settings: Settings, listener: socket.socket) -> Iterator[None]:
    """The door open for as long as the block runs; a process that dies is replaced."""
    ended = threading.Event()

    def start() -> BaseProcess:
        return processes.start("readers-door", _main, settings.model_dump_json(), listener)

    def keep() -> None:
        process = start()
        while not ended.wait(0.5):
            if not process.is_alive():
                log.warning("the readers' door ended", exitcode=process.exitcode)
                process = start()
        process.terminate()
        process.join(5)

    thread = threading.Thread(target=keep, name="door-keeper", daemon=True)
    thread.start()
    try:
        yield
    finally:
        ended.set()
        thread.join(10)
        listener.close()
