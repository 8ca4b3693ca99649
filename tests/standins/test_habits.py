"""Habits: each shows itself to who asks over HTTP, and is gone when it is switched off."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import httpx
import pytest

from datebridge.standins.habits import HABITS
from tests.conftest import calendar
from tests.world import OFFICE, PASSWORD, World, berth

pytestmark = pytest.mark.both_sides

CALENDAR = f"/dav/calendars/{OFFICE}/berths/"
ONE = f"{CALENDAR}berth-1@skerrow.example.ics"
XML = 'xmlns:D="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"'
ETAGS = f"<D:propfind {XML}><D:prop><D:getetag/></D:prop></D:propfind>"
KINDS = f"<D:propfind {XML}><D:prop><D:resourcetype/></D:prop></D:propfind>"
HOMES = f"<D:propfind {XML}><D:prop><C:calendar-home-set/><D:group-membership/></D:prop></D:propfind>"
SYNC = (
    f"<D:sync-collection {XML}><D:sync-token>{{}}</D:sync-token><D:sync-level>1</D:sync-level>"
    "<D:prop><D:getetag/></D:prop></D:sync-collection>"
)
PRINCIPAL = f"/dav/principals/{OFFICE}/"


def multiget(*names: str) -> str:
    hrefs = "".join(f"<D:href>{CALENDAR}{name}</D:href>" for name in names)
    return f"<C:calendar-multiget {XML}><D:prop><C:calendar-data/></D:prop>{hrefs}</C:calendar-multiget>"


FOUR = multiget(*(f"berth-{n}@skerrow.example.ics" for n in range(4)))


@dataclass
class Asker:
    """Asks a server over HTTP, and gives what a test looks at."""

    web: httpx.Client

    def ask(self, method: str, path: str, body: str | bytes = b"", **headers: str) -> httpx.Response:
        named = {name.replace("_", "-"): value for name, value in headers.items()}
        return self.web.request(method, path, content=body, headers=named)

    def status(self, method: str, path: str, body: str | bytes = b"", **headers: str) -> int:
        return self.ask(method, path, body, **headers).status_code

    def text(self, method: str, path: str, body: str | bytes = b"", **headers: str) -> str:
        return self.ask(method, path, body, **headers).text

    def listed(self) -> int:
        return self.text("PROPFIND", CALENDAR, ETAGS, Depth="1").count("<D:getetag>")

    def put(self, name: str, *entries: str) -> httpx.Response:
        return self.ask("PUT", CALENDAR + name, calendar(*entries).encode())

    def etag(self) -> str:
        return self.ask("GET", ONE).headers["etag"]

    def token_twice(self) -> int:
        found = re.search("<D:sync-token>(.*?)</D:sync-token>", self.text("REPORT", CALENDAR, SYNC.format("")))
        assert found is not None
        self.ask("REPORT", CALENDAR, SYNC.format(found[1]))
        return self.status("REPORT", CALENDAR, SYNC.format(found[1]))


#: What is seen without a habit, and with it.
SEEN: dict[str, tuple[Callable[[Asker], object], object, object]] = {
    "weak-etags": (lambda a: a.etag().startswith("W/"), False, True),
    "restless-etags": (lambda a: a.etag() == a.etag(), True, False),
    "silent-put": (lambda a: "etag" in a.put("new.ics", berth(9)).headers, True, False),
    "renames": (
        lambda a: (a.put("new.ics", berth(9)).status_code, a.status("GET", CALENDAR + "new.ics")),
        (201, 200),
        (201, 404),
    ),
    "withholds": (lambda a: len(re.findall("HTTP/1.1 (?:403|500|507)", a.text("REPORT", CALENDAR, FOUR))), 0, 2),
    "omits": (lambda a: a.text("REPORT", CALENDAR, FOUR).count("<D:response>"), 4, 2),
    "cut-listings": (
        lambda a: ("507" in a.text("PROPFIND", CALENDAR, ETAGS, Depth="1"), a.listed()),
        (False, 5),
        (True, 2),
    ),
    "short-listings": (Asker.listed, 5, 3),
    "absolute-hrefs": (lambda a: "<D:href>http://" in a.text("PROPFIND", CALENDAR, ETAGS, Depth="1"), False, True),
    "escapes": (lambda a: "%62%65%72%74%68%73" in a.text("PROPFIND", CALENDAR, ETAGS, Depth="1"), False, True),
    "other-host": (lambda a: "localhost" in a.text("PROPFIND", PRINCIPAL, HOMES, Depth="0"), False, True),
    "two-homes": (lambda a: a.text("PROPFIND", PRINCIPAL, HOMES, Depth="0").count("/dav/more/"), 0, 1),
    "no-home": (lambda a: "/dav/calendars/" in a.text("PROPFIND", PRINCIPAL, HOMES, Depth="0"), True, False),
    "shelf": (lambda a: a.text("PROPFIND", f"/dav/calendars/{OFFICE}/", KINDS, Depth="1").count("/shelf/<"), 0, 1),
    "delegates": (lambda a: "director" in a.text("PROPFIND", PRINCIPAL, HOMES, Depth="0"), False, True),
    "lax": (lambda a: a.put("new.ics", "BEGIN:VEVENT\nDTSTART:20261201T080000Z\nEND:VEVENT").status_code, 403, 201),
    "mkcol-only": (lambda a: a.status("MKCALENDAR", f"/dav/calendars/{OFFICE}/new/"), 201, 501),
    "digest-only": (lambda a: a.status("GET", ONE), 200, 401),
    "redirects": (lambda a: a.status("PUT", ONE, calendar(berth(1)).encode()) in (307, 308), False, True),
    "stale-tokens": (lambda a: a.token_twice() in (400, 403, 409, 410, 412, 507), False, True),
    "no-sync": (lambda a: a.status("REPORT", CALENDAR, SYNC.format("")), 207, 403),
    "no-multiget": (lambda a: a.status("REPORT", CALENDAR, FOUR), 207, 403),
    "small-multiget": (lambda a: a.status("REPORT", CALENDAR, FOUR), 207, 413),
    "no-listing": (lambda a: a.status("PROPFIND", CALENDAR, ETAGS, Depth="1"), 207, 403),
    "http-1.0": (lambda a: a.ask("GET", ONE).http_version, "HTTP/1.1", "HTTP/1.0"),
    "gzip": (lambda a: a.ask("GET", ONE).headers.get("content-encoding", ""), "", "gzip"),
    # A quick answer among several: the machine itself may be slow now and then.
    "slow": (lambda a: all(a.ask("GET", ONE).elapsed.total_seconds() >= 0.2 for _ in range(8)), False, True),
    "any-depth": (lambda a: a.status("REPORT", CALENDAR, SYNC.format(""), Depth="1"), 400, 207),
}


def test_every_habit_is_looked_at_and_told_of() -> None:
    assert set(SEEN) == set(HABITS)
    told = (Path(__file__).parents[2] / "docs" / "servers.md").read_text()
    assert re.findall(r"^\| `(.+?)` \|", told, re.MULTILINE) == list(HABITS)


@pytest.mark.parametrize("habit", sorted(HABITS))
def test_a_habit_shows_itself_until_it_is_switched_off(world: World, habit: str) -> None:
    lantern = world.server("lantern")
    lantern.records.share(lantern.records.add_collection("director", "tides", "Tides"), OFFICE, "read")
    world.put("lantern", "berths", *map(berth, range(5)))
    look, without, within = SEEN[habit]
    url = world.hosts.address("lantern")
    with httpx.Client(base_url=url, auth=(OFFICE, PASSWORD), trust_env=False) as web:
        assert web.post("/-/habits", json=[habit]).json() == [habit]
        assert look(Asker(web)) == within
        assert f"{habit} · on" in web.get("/-/").text
        web.post("/-/", content=f"habit={habit}")
        assert web.get("/-/habits").json() == []
        for collection, name in lantern.records.where_uid(OFFICE, "berth-9@skerrow.example"):
            lantern.records.delete(collection, name)
        world.put("lantern", "berths", *map(berth, range(5)))
        assert look(Asker(web)) == without
