"""What Skerrow shares: the berths, the rota, the seminars, the director's busy times; and how it was read so far."""

from __future__ import annotations

import random
from contextlib import closing
from datetime import timedelta
from pathlib import Path

from datebridge.clock import now
from datebridge.core.choices import Form
from datebridge.core.ids import CalendarId
from datebridge.core.sharing.terms import Detail, Guarded, Terms
from datebridge.demo.world import publish_site
from datebridge.services.sharing import shares
from datebridge.services.sharing.shares import Wanted
from datebridge.settings import Settings
from datebridge.standins.feeds import FeedHost
from datebridge.store import calendars
from datebridge.store import shares as kept
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.use import GIVEN, SAME, UseBook, today

#: The port on which readers of the demo come in, unless it is taken.
DOOR = 8138
_HOME = "Atlantic/Reykjavik"
_OFFICE, _CONTACT = "harbour office", "harbour-office@skerrow.example"
_READERS = (
    ("Ida Moe", "ida.moe@skerrow.example"),
    ("Tormod Vik", "tormod.vik@skerrow.example"),
    ("Pála Strand", "pala.strand@skerrow.example"),
    ("Owen Hale", "owen.hale@skerrow.example"),
)


def share(store: Store, settings: Settings) -> None:
    """Make the shares of the scenario, with their readers and ninety days of use."""
    ledger = Ledger(store)
    with store.read() as connection:
        ids = {name: number for number, name in calendars.names(connection, live=True).items()}

    def make(title: str, calendar: str, terms: Terms, forms: tuple[Form, ...], **more: object) -> int:
        owner = {"owner": _OFFICE, "contact": _CONTACT, "zone": _HOME, **more}
        wanted = Wanted(title, calendars=(CalendarId(ids[calendar]),), terms=terms, forms=forms, **owner)  # type: ignore[arg-type]
        return shares.make(store, ledger, wanted)

    berths = make(
        "Berths at Skerrow",
        "Vessel berths",
        Terms(Detail.TITLES, back=90, ahead=400),
        (Form.FEED, Form.PAGE, Form.BUSY, Form.FILE),
    )
    rota = make(
        "Duty rota", "Duty officer rota", Terms(Detail.WITHOUT_PEOPLE, back=30), (Form.FEED,), interval=6 * 3600
    )
    seminars = make(
        "Seminars with our partners",
        "Partner seminars",
        Terms(Detail.WITHOUT_PEOPLE, private=Guarded.BUSY),
        (Form.FEED, Form.PAGE, Form.FILE),
        sites=(_site(settings),),
    )
    make_busy = Terms(Detail.BUSY, busy_title="Ruth is busy", private=Guarded.BUSY, confidential=Guarded.BUSY)
    director = make(
        "When the director is busy",
        "Station notices",
        make_busy,
        (Form.BUSY, Form.PAGE),
        owner="director's office",
        contact="directors-office@skerrow.example",
    )
    old = make("Berths (address of last year)", "Vessel berths", Terms(Detail.TITLES, back=90), (Form.FEED,))

    with store.write() as connection:  # it has been there for a while, and nobody came
        kept.change(connection, director, made_at=now() - 75 * 86_400)
    everybody, token = shares.add_reader(store, berths)
    page, site_token = shares.add_reader(store, seminars)
    shares.add_reader(store, director)
    moved, _ = shares.add_reader(store, old)
    shares.send_on(store, settings, moved, f"http://127.0.0.1:{DOOR}/s/{token}/")
    named = [shares.add_reader(store, rota, *reader)[0] for reader in _READERS]
    shares.take_back(store, named[-1])
    with closing(FeedHost(settings.data_dir / "standins" / "breakwater.sqlite")) as host:
        publish_site(host, f"{{door}}/s/{site_token}/")
    _use(settings.use_file, {berths: (everybody, 40), seminars: (page, 12)}, rota, named, old, moved)


def _site(settings: Settings) -> str:
    """The origin of the site on Breakwater that the seminars' page is put into."""
    import json

    ports: dict[str, int] = json.loads((settings.data_dir / "standins" / "ports.json").read_text())
    return f"http://127.0.0.1:{ports['breakwater']}"


def _use(path: Path, often: dict[int, tuple[int, int]], rota: int, named: list[int], old: int, moved: int) -> None:
    """How it was read: much and little, by one who stopped, and still at the old address."""
    book, chance, moment = UseBook(path), random.Random(1926), now()

    def read(back: int, share: int, reader: int, form: Form, times: int, size: int) -> None:
        at = moment - back * 86_400
        for number in range(times):
            book.count(at, share, reader, str(form), GIVEN if number % 4 == 0 else SAME, size if number % 4 == 0 else 0)

    for back in range(88, -1, -1):
        weekend = (today() - timedelta(days=back)).weekday() > 4
        for share, (reader, times) in often.items():
            read(back, share, reader, Form.FEED, chance.randrange(times // 2, times) // (3 if weekend else 1), 61_000)
            read(back, share, reader, Form.PAGE, chance.randrange(0, times // 4), 9_000)
        read(back, rota, named[0], Form.FEED, 4, 210_000)
        if back > 24:
            read(back, rota, named[1], Form.FEED, 3, 210_000)
        if back > 10:
            read(back, rota, named[3], Form.FEED, 4, 210_000)
        read(back, old, moved, Form.FEED, chance.randrange(0, 3), 0)
    book.write_down()
