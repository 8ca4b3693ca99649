"""Feeds as publishers have them: cut short, packed in pieces, in other charsets and forms, new at each fetch."""

from __future__ import annotations

import gzip
import json
import uuid
from collections.abc import Iterator
from pathlib import Path

import pytest

from datebridge.clock import now
from datebridge.core.text.jcal import to_jcal
from datebridge.services.accounts import accounts, addresses
from tests.conftest import calendar, event
from tests.services.sync.test_third import Beside
from tests.third import Answer, Third, third_server


def twenty(*extra: str, uid: str = "watch-{}", title: str = "Watch {}") -> bytes:
    entries = [event(uid.format(n), title.format(n), f"202612{n + 1:02}T080000Z", *extra) for n in range(20)]
    return calendar(*entries).replace("\n", "\r\n").encode()


class Publisher:
    """A feed whose next answer is set by the test, and what follows it."""

    def __init__(self, folder: Path, third: Third) -> None:
        self.third, self.bench = third, Beside(folder, third)
        self.answer(twenty())
        self.account, _ = accounts.add(self.bench.store, self.bench.settings, third.address + "f.ics")
        self.bench.work()

    def answer(self, body: bytes, short: bool = False, **headers: str) -> None:
        named = {name.replace("_", "-"): value for name, value in headers.items()}
        self.third.says = {"GET /f.ics": Answer(200, body, {"Content-Type": "text/calendar", **named}, short)}

    def refreshed(self) -> str:
        self.bench.refresh(self.account)
        (row,) = self.bench.remotes()
        return row.trouble or row.outcome


@pytest.fixture
def publisher(tmp_path: Path) -> Iterator[Publisher]:
    with third_server() as third:
        made = Publisher(tmp_path / "data", third)
        yield made
        made.bench.store.close()


@pytest.mark.parametrize("share", [0.5, 0.85, 0.95, 0.999])
@pytest.mark.parametrize("announced", [True, False])
def test_a_feed_that_was_cut_short_is_no_feed(publisher: Publisher, share: float, announced: bool) -> None:
    before, data = publisher.bench.here(), twenty("LOCATION:Quay")
    publisher.answer(data[: int(len(data) * share)], True, **({"Content_Length": f"{len(data)}"} if announced else {}))
    said = publisher.refreshed()
    assert "sent only a part of this feed" in said or "was interrupted" in said
    assert publisher.bench.here() == before
    publisher.answer(data)
    assert publisher.refreshed() == "20 changed"


def test_gzip_of_several_members_is_read_to_its_end_and_padding_is_none_of_it(publisher: Publisher) -> None:
    data = twenty("LOCATION:Quay")
    packed = b"".join(gzip.compress(data[k : k + 700]) for k in range(0, len(data), 700))
    publisher.answer(packed + bytes(9), Content_Encoding="gzip")
    assert publisher.refreshed() == "20 changed"
    publisher.answer(packed[:-20], Content_Encoding="gzip")
    assert "damaged" in publisher.refreshed()


@pytest.mark.parametrize(
    ("charset", "word"),
    [
        ("windows-1251", "Прилив"),
        ("shift_jis", "潮汐表"),
        ("gb2312", "潮汐"),
        ("iso-8859-2", "Příliv"),
        ("utf-16", "Flóð"),
        ("iso-2022-jp", "潮汐表"),
        ("UTF-8", "Flóð"),
    ],
)
def test_the_charset_a_feed_is_sent_in_counts(publisher: Publisher, charset: str, word: str) -> None:
    publisher.answer(
        twenty(f"LOCATION:{word}").decode().encode(charset), Content_Type=f"text/calendar; charset={charset}"
    )
    assert publisher.refreshed() == "20 changed"
    assert {entry.location for entry in publisher.bench.entries()} == {word}


def test_a_charset_that_is_announced_in_vain_harms_nothing(publisher: Publisher) -> None:
    for charset in ("iso-8859-1", "klingon", "hex", ""):
        publisher.answer(twenty("LOCATION:Flóð"), Content_Type=f"text/calendar; charset={charset}")
        publisher.refreshed()
        assert {entry.location for entry in publisher.bench.entries()} == {"Flóð"}


def test_a_large_feed_is_added_without_being_looked_into(publisher: Publisher) -> None:
    notes = (event(f"n-{n}", f"Note {n}", "20261124", f"DESCRIPTION:{'tide ' * 50_000}") for n in range(20))
    publisher.answer(calendar(*notes, header="X-WR-CALNAME:Tide notes").encode())
    look = addresses.look_at(publisher.bench.settings, publisher.third.address + "f.ics")
    assert (look.title, look.inspection) == ("Tide notes", None)


def test_jcal_is_a_feed(publisher: Publisher) -> None:
    texts = twenty("LOCATION:Quay").decode().replace("\r\n", "\n").strip()
    publisher.answer(json.dumps(to_jcal(texts)).encode(), Content_Type="application/calendar+json")
    assert publisher.refreshed() == "20 changed"
    assert {entry.location for entry in publisher.bench.entries()} == {"Quay"}


def test_what_only_looks_new_at_each_fetch_is_no_change_and_what_is_new_is_followed(publisher: Publisher) -> None:
    before = publisher.bench.here()
    for turn in range(3):
        stamp = f"2026113{turn % 2}T0{turn}0000Z"
        publisher.answer(twenty(f"LAST-MODIFIED:{stamp}", f"CREATED:{stamp}", f"SEQUENCE:{turn}"))
        assert publisher.refreshed() == "nothing changed"
        lines = twenty().decode().replace("SUMMARY", "X-NEXT").split("\r\n")
        publisher.answer("\r\n".join(lines).replace("X-NEXT", "SUMMARY").encode())
        publisher.refreshed()
        publisher.answer(twenty(uid=f"{uuid.uuid4()}-{{}}"))
        assert publisher.refreshed() == "nothing changed"
    assert publisher.bench.here() == before
    fresh = twenty(uid=f"{uuid.uuid4()}-{{}}").replace(b"SUMMARY:Watch 7", b"SUMMARY:Watch seven")
    publisher.answer(fresh)
    assert publisher.refreshed() == "1 added, 1 removed"
    assert "Watch seven" in publisher.bench.titles()
    assert len(publisher.bench.titles()) == 20


def test_entries_that_say_the_same_are_as_many_as_there_are(publisher: Publisher) -> None:
    publisher.answer(twenty(title="Watch"))
    publisher.refreshed()
    publisher.answer(twenty(title="Watch", uid="other-{}"))
    publisher.refreshed()
    assert len(publisher.bench.titles()) == 20


def test_how_long_a_publisher_wants_to_be_left_alone_is_heeded(publisher: Publisher) -> None:
    publisher.third.says = {"GET /f.ics": Answer(503, headers={"Retry-After": "7200"})}
    publisher.refreshed()
    assert (publisher.bench.remotes()[0].next_at or 0) >= now() + 7_190
