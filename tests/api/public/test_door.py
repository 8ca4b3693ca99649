"""The readers' door, asked as programs ask it."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Coroutine, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, TypeVar

import httpx
import pytest
from starlette.testclient import TestClient

from datebridge.api.public.door import Door
from datebridge.core.choices import Form
from datebridge.core.language.filters import Selection
from datebridge.core.sharing.terms import Detail, Guarded, Terms
from datebridge.services.mend.deletion import propose_deletion
from datebridge.services.sharing import shares
from datebridge.services.sharing.shares import Wanted
from datebridge.store.changesets.apply import apply
from datebridge.store.database import Store
from datebridge.store.use import UseBook, today, use_of
from tests.conftest import Bench

T = TypeVar("T")

BERTHS = """BEGIN:VCALENDAR
VERSION:2.0
BEGIN:VEVENT
UID:one
DTSTAMP:20261101T000000Z
DTSTART:20261124T090000Z
DTEND:20261124T100000Z
SUMMARY:RV Kittiwake alongside
LOCATION:Berth 2
DESCRIPTION:Pilot: +354 555 0101
ATTENDEE;CN=Ida Moe:mailto:ida.moe@skerrow.example
END:VEVENT
BEGIN:VEVENT
UID:two
DTSTAMP:20261101T000000Z
DTSTART:20261125T090000Z
DTEND:20261125T100000Z
CLASS:PRIVATE
SUMMARY:Dentist
END:VEVENT
END:VCALENDAR
"""


class Readers:
    """A store with a share, and its door."""

    def __init__(self, bench: Bench, **settings: Any) -> None:
        self.bench = bench
        bench.bring(BERTHS, "Berths")
        self.calendar = bench.calendar().id
        self.settings = bench.settings.model_copy(update=settings)
        self.door = Door(self.settings, Store.reading(bench.settings.database), UseBook(bench.settings.use_file))
        self.client = TestClient(self.door, follow_redirects=False)

    def share(self, terms: Terms | None = None, forms: tuple[Form, ...] = tuple(Form), **wanted: Any) -> int:
        said = Wanted(
            "Berths",
            "harbour office",
            "harbour-office@skerrow.example",
            (self.calendar,),
            terms=terms or Terms(),
            forms=forms,
            **wanted,
        )
        return shares.make(self.bench.store, self.bench.ledger, said)

    def given(self, terms: Terms | None = None, **wanted: Any) -> str:
        """A share that everybody can read; its path."""
        return f"/s/{shares.add_reader(self.bench.store, self.share(terms, **wanted))[1]}/"

    def get(self, path: str, **headers: str) -> Any:
        self.door.registry._looked = 0.0  # what was just said otherwise is seen at once
        return self.client.get(path, headers={name.replace("_", "-"): value for name, value in headers.items()})


@pytest.fixture
def readers(bench: Bench) -> Iterator[Readers]:
    made = Readers(bench)
    yield made
    made.door.close()


def test_a_feed_gives_what_its_detail_says_and_no_more(readers: Readers) -> None:
    path = readers.given(Terms(Detail.TITLES, private=Guarded.BUSY))
    feed = readers.get(path + "feed.ics").text
    assert "SUMMARY:RV Kittiwake alongside" in feed
    assert "SUMMARY:Busy" in feed
    assert not [word for word in ("Ida", "555 0101", "Dentist", "skerrow.example") if word in feed]


@pytest.mark.parametrize("what", ["", "feed.ics", "feed.json", "busy.ifb", "file.ics"])
def test_a_form_that_is_not_switched_on_is_not_given(readers: Readers, what: str) -> None:
    names = {"": Form.PAGE, "feed.ics": Form.FEED, "feed.json": Form.JCAL, "busy.ifb": Form.BUSY, "file.ics": Form.FILE}
    others = tuple(form for form in Form if form is not names[what])
    path = readers.given(forms=others)
    assert readers.get(path + what).status_code == 404
    assert [readers.get(path + other).status_code for other in names if other != what] == [200] * 4


@pytest.mark.parametrize("language", ["en", "nb", "is", "de", "fr", "es"])
def test_a_page_prints_words_and_nothing_of_the_program(readers: Readers, language: str) -> None:
    path = readers.given()
    for asked in ("", "?view=month", "?view=week", "?view=day", "?view=list", "?q=berth"):
        page = readers.get(path + asked, accept_language=language)
        assert page.status_code == 200
        assert not re.search(r"built-in|0x[0-9a-f]|method|object at|None\b", re.sub(r"<[^>]*>", " ", page.text))


def test_what_is_still_the_same_is_not_sent_again(readers: Readers) -> None:
    path = readers.given() + "feed.ics"
    first = readers.get(path)
    assert readers.get(path, if_none_match=first.headers["etag"]).status_code == 304
    assert readers.get(path, if_modified_since=first.headers["last-modified"]).status_code == 304
    assert first.headers["cache-control"] == "public, max-age=3600"
    assert "REFRESH-INTERVAL;VALUE=DURATION:PT1H" in first.text


def test_a_change_is_in_the_feed_at_once_and_under_another_tag(readers: Readers) -> None:
    path = readers.given(Terms(Detail.TITLES)) + "feed.ics"
    before = readers.get(path)
    apply(readers.bench.store, propose_deletion(readers.bench.store, readers.bench.ledger, Selection("kittiwake")))
    after = readers.get(path, if_none_match=before.headers["etag"])
    assert after.status_code == 200
    assert "Kittiwake" not in after.text


def test_what_is_fixed_stays_as_it_was(readers: Readers) -> None:
    path = readers.given(Terms(Detail.TITLES), fixed=True) + "feed.ics"
    before = readers.get(path).text
    apply(readers.bench.store, propose_deletion(readers.bench.store, readers.bench.ledger, Selection()))
    assert readers.get(path).text == before
    assert "REFRESH-INTERVAL" not in before


def test_a_head_gets_the_headers_alone(readers: Readers) -> None:
    path = readers.given() + "feed.ics"
    whole, head = readers.get(path), readers.client.head(path)
    assert head.content == b""
    assert {name: head.headers[name] for name in ("etag", "content-length", "content-type")} == {
        name: whole.headers[name] for name in ("etag", "content-length", "content-type")
    }


def test_a_part_is_given_where_a_part_is_asked_for(readers: Readers) -> None:
    path = readers.given() + "feed.ics"
    whole = readers.get(path, accept_encoding="identity").content
    part = readers.get(path, range="bytes=5-14")
    assert (part.status_code, part.content) == (206, whole[5:15])
    assert part.headers["content-range"] == f"bytes 5-14/{len(whole)}"
    assert readers.get(path, range="bytes=-4").content == whole[-4:]
    assert readers.get(path, range=f"bytes={len(whole)}-").status_code == 416
    assert readers.get(path, range="bytes=0-1,3-4").status_code == 200
    assert readers.get(path, range="bytes=0-3", if_range='"another"').status_code == 200


def test_an_address_that_was_taken_back_says_whom_to_ask(readers: Readers) -> None:
    reader, token = shares.add_reader(readers.bench.store, readers.share(), "Ida Moe")
    shares.take_back(readers.bench.store, reader)
    answer = readers.get(f"/s/{token}/feed.ics")
    assert answer.status_code == 410
    assert "harbour office (harbour-office@skerrow.example)" in answer.text


def test_a_renewed_address_ends_the_old_one_and_no_other_reader_s(readers: Readers) -> None:
    share = readers.share()
    ida, first = shares.add_reader(readers.bench.store, share, "Ida Moe")
    _, other = shares.add_reader(readers.bench.store, share, "Owen Hale")
    second = shares.renew(readers.bench.store, ida)
    found = [readers.get(f"/s/{token}/feed.ics").status_code for token in (first, second, other)]
    assert found == [410, 200, 200]


def test_a_moved_address_redirects_and_keeps_the_form(readers: Readers) -> None:
    reader, token = shares.add_reader(readers.bench.store, readers.share())
    shares.send_on(readers.bench.store, readers.settings, reader, "https://lantern.example/s/new/")
    answer = readers.get(f"/s/{token}/busy.ifb")
    assert (answer.status_code, answer.headers["location"]) == (301, "https://lantern.example/s/new/busy.ifb")


def test_a_share_ends_on_its_day(readers: Readers) -> None:
    share = readers.share()
    _, token = shares.add_reader(readers.bench.store, share)
    with readers.bench.store.write() as connection:
        connection.exec_driver_sql("UPDATE share SET until = 1")
    assert readers.get(f"/s/{token}/feed.ics").status_code == 410


def test_an_entry_is_found_by_its_own_share_s_readers_alone(readers: Readers) -> None:
    first, second = (readers.given(Terms(Detail.TITLES)) for _ in range(2))
    page = readers.get(first + "?view=list&on=2026-11-20").text
    key = page.partition("open=")[2].partition(".")[0]
    assert readers.get(f"{first}entry/{key}.ics").text.count("SUMMARY:RV Kittiwake") == 1
    assert readers.get(f"{second}entry/{key}.ics").status_code == 404
    assert "RV Kittiwake" in readers.get(f"{first}?view=list&on=2026-11-20&open={key}.1795510800").text


def test_handing_over_keeps_the_addresses(readers: Readers) -> None:
    share = readers.share()
    _, token = shares.add_reader(readers.bench.store, share)
    shares.hand_over(readers.bench.store, share, "lab office", "")
    assert readers.get(f"/s/{token}/feed.ics").status_code == 200


def test_guesses_are_refused_and_soon_not_even_looked_at(bench: Bench) -> None:
    readers = Readers(bench, share_misses=5)
    found = [readers.get(f"/s/{'x' * 31}{number}/feed.ics").status_code for number in range(8)]
    assert found == [404] * 5 + [429] * 3
    readers.door.close()


def test_a_password_is_asked_for_where_there_is_one(readers: Readers) -> None:
    _, token = shares.add_reader(readers.bench.store, readers.share(), "Ida Moe", password="low-tide-7")  # noqa: S106
    path = f"/s/{token}/feed.ics"
    asked = readers.get(path)
    assert (asked.status_code, asked.headers["www-authenticate"][:5]) == (401, "Basic")
    assert readers.client.get(path, auth=("ida", "wrong")).status_code == 401
    assert readers.client.get(path, auth=("whoever", "low-tide-7")).status_code == 200


def ran(asking: Coroutine[None, None, T]) -> T:
    """What comes of it, on a thread of its own: a browser leaves a loop running on this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, asking).result()


def test_wrong_passwords_are_few_even_at_once(bench: Bench) -> None:
    readers = Readers(bench, share_misses=3)
    _, token = shares.add_reader(readers.bench.store, readers.share(), "Ida Moe", password="low-tide-7")  # noqa: S106
    path = f"/s/{token}/feed.ics"
    tried = []
    readers.door._verify = lambda digest, password: bool(tried.append(password))  # type: ignore[method-assign]

    async def all_of_them() -> None:
        transport = httpx.ASGITransport(readers.door)
        async with httpx.AsyncClient(transport=transport, base_url="http://calendars.example") as client:
            await asyncio.gather(*(client.get(path, auth=("ida", f"guess {n}")) for n in range(20)))

    ran(all_of_them())
    assert len(tried) == 3
    readers.door.close()


def test_nothing_of_the_administrator_s_application_answers_here(readers: Readers) -> None:
    path = readers.given()
    for one in ("/", "/api/calendars", "/api/shares", "/look", "/_app/version.json", "/index.html", path + "../../api"):
        assert readers.get(one).status_code == 404, one
    assert readers.client.post(path + "feed.ics").status_code == 405
    assert readers.client.request("PROPFIND", path).status_code == 405


def test_answers_tell_no_address_and_stand_in_the_frames_that_are_named(readers: Readers) -> None:
    path = readers.given(sites=("https://intranet.skerrow.example",))
    page = readers.get(path)
    assert page.headers["referrer-policy"] == "no-referrer"
    assert page.headers["x-robots-tag"] == "noindex, nofollow"
    assert "frame-ancestors https://intranet.skerrow.example" in page.headers["content-security-policy"]
    assert "frame-ancestors 'none'" in readers.get(path + "feed.ics").headers["content-security-policy"]


def test_behind_a_proxy_under_a_path_the_same_is_given(bench: Bench) -> None:
    readers = Readers(bench, share_address="https://calendars.skerrow.example/open", share_proxy="testclient")
    path = readers.given()
    for handed_on in (path, "/open" + path):
        assert readers.get(handed_on + "feed.ics", x_forwarded_for="198.51.100.7, 192.0.2.1").status_code == 200
    page = readers.get(path, x_forwarded_for="192.0.2.1").text
    assert f'value="https://calendars.skerrow.example/open{path}feed.ics"' in page
    assert {str(key) for key in readers.door.clients._left} == {"192.0.2.1"}
    readers.door.close()


def test_a_thousand_at_once_get_one_feed_made_once(bench: Bench) -> None:
    readers = Readers(bench, share_client_rate=100_000)
    path = readers.given() + "feed.ics"
    made = []
    renderer, inner = readers.door.renderer, readers.door.renderer._make
    renderer._make = lambda *given: (made.append(1), inner(*given))[1]  # type: ignore[method-assign]

    async def ask(client: httpx.AsyncClient) -> tuple[int, str]:
        answer = await client.get(path)
        return answer.status_code, answer.headers["etag"]

    async def all_of_them() -> set[tuple[int, str]]:
        transport = httpx.ASGITransport(readers.door)
        async with httpx.AsyncClient(transport=transport, base_url="http://calendars.example") as client:
            return set(await asyncio.gather(*(ask(client) for _ in range(1_000))))

    ((status, _),) = ran(all_of_them())
    assert (status, len(made)) == (200, 1)
    readers.door.close()


def test_who_asks_too_much_waits(bench: Bench) -> None:
    readers = Readers(bench, share_client_rate=1)
    path = readers.given() + "feed.ics"
    found = [readers.get(path) for _ in range(12)]
    assert [one.status_code for one in found] == [200] * 10 + [429] * 2
    assert found[-1].headers["retry-after"] == "5"
    readers.door.close()


def test_uses_are_counted_by_reader_and_form(readers: Readers) -> None:
    share = readers.share(forms=(Form.FEED,))
    ida, token = shares.add_reader(readers.bench.store, share, "Ida Moe")
    first = readers.get(f"/s/{token}/feed.ics")
    readers.get(f"/s/{token}/feed.ics", if_none_match=first.headers["etag"])
    readers.get(f"/s/{token}/")
    readers.get("/s/nobody/feed.ics")
    readers.door.book.write_down()
    found = {
        (one.reader, one.form): (one.fetched, one.unchanged, one.refused)
        for one in use_of(readers.settings.use_file, today())
    }
    assert found == {(ida, "feed"): (1, 1, 0), (ida, "page"): (0, 0, 1), (0, ""): (0, 0, 1)}


def test_addresses_are_kept_as_digests_alone(readers: Readers) -> None:
    _, token = shares.add_reader(readers.bench.store, readers.share())
    readers.door.book.write_down()
    kept = [path.read_bytes() for path in Path(readers.settings.data_dir).iterdir() if path.is_file()]
    assert not any(token.encode() in data for data in kept)
    assert len(token) == 32
