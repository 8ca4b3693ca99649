"""WebDAV's XML and addresses: read whatever servers write, and nothing that XML can do besides."""

from __future__ import annotations

from email.utils import formatdate
from urllib.parse import quote

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.clock import now
from datebridge.connect import dav
from datebridge.connect.caldav import canonical
from datebridge.connect.discover import tidy
from datebridge.connect.errors import Unreachable
from datebridge.connect.judging import retry_after
from tests.depth import tries

HEAD = '<d:multistatus xmlns:d="DAV:" xmlns:x="urn:x">'
SEGMENT = st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs"]), min_size=1, max_size=12)


@tries(60, 2_000)
@given(st.lists(SEGMENT.filter(lambda s: "/" not in s and s not in (".", "..")), min_size=1, max_size=3))
def test_one_path_has_one_spelling(segments: list[str]) -> None:
    eager = "/" + "/".join(quote(s, safe="") for s in segments)
    sparing = "/" + "/".join(quote(s, safe="!$&'()*+,;=:@~") for s in segments)
    assert canonical(eager) == canonical(sparing) == canonical(canonical(eager))
    assert canonical("http://calendars.example" + eager) == canonical(eager)


def test_a_slash_inside_a_name_stays_inside_it() -> None:
    assert canonical("/home/a%2Fb.ics") != canonical("/home/a/b.ics")


def test_properties_are_known_by_their_names_whatever_their_namespace() -> None:
    body = f"""{HEAD}<d:response><d:href>/a/</d:href><d:propstat><d:prop><x:calendar-color>#112233FF</x:calendar-color>
    <d:resourcetype><d:collection/><x:calendar/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat>
    <d:propstat><d:prop><x:getctag/></d:prop><d:status>HTTP/1.1 404 Not Found</d:status></d:propstat></d:response>
    <d:response><d:href>/gone</d:href><d:status>HTTP/1.1 404 Not Found</d:status></d:response>
    <d:sync-token> t-7 </d:sync-token></d:multistatus>"""
    (found, gone), token = dav.multistatus(body.encode(), "calendars.example")
    assert (found.text("calendar-color"), found.namespace("calendar-color")) == ("#112233FF", "urn:x")
    assert found.children("resourcetype") == {"collection", "calendar"}
    assert "getctag" not in found.properties
    assert (gone.href, gone.status, token) == ("/gone", 404, "t-7")


@pytest.mark.parametrize(
    "body",
    [
        b"",
        b"<html><body>Maintenance",
        b"{}",
        b'<!DOCTYPE m [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><m>&b;</m' + b">" * 0,
    ],
)
def test_what_is_no_answer_of_a_calendar_server_is_said_to_be_none(body: bytes) -> None:
    with pytest.raises(Unreachable, match=r"calendars\.example sends an answer that"):
        dav.multistatus(body, "calendars.example")


def test_entities_are_not_opened() -> None:
    body = f'<!DOCTYPE m [<!ENTITY secret SYSTEM "file:///etc/hostname">]>{HEAD}<d:sync-token>&secret;</d:sync-token></d:multistatus>'
    assert dav.multistatus(body.encode(), "calendars.example") == ([], "")


def test_a_refusal_names_its_condition_and_the_servers_words() -> None:
    body = b'<d:error xmlns:d="DAV:"><d:quota/><d:responsedescription>Full up.</d:responsedescription></d:error>'
    assert dav.condition(body) == ("quota", "Full up.")
    assert dav.condition(b"No room here") == ("", "No room here")
    assert dav.condition(b"<html><h1>507</h1>") == ("", "")


def test_bodies_escape_what_they_are_given() -> None:
    values = {(dav.DAV, "displayname"): "Tides & <berths>\x07", ("urn:x&y", "colour"): '"#aa0"'}
    root = dav.parse(dav.settings("D:propertyupdate", values), "x")
    assert [str(t) for t in root.itertext()] == ["Tides & <berths>", '"#aa0"']
    assert root.find(".//{urn:x&y}colour") is not None
    assert b"&amp;" in dav.multiget(["/a&b.ics"])


@pytest.mark.parametrize(
    ("typed", "tried"),
    [
        ("webcal://feeds.example/t.ics", ["https://feeds.example/t.ics"]),
        (" calendars.example ", ["https://calendars.example", "http://calendars.example"]),
        ("HTTP://calendars.example", ["HTTP://calendars.example"]),
    ],
)
def test_addresses_as_people_type_them(typed: str, tried: list[str]) -> None:
    assert tidy(typed) == tried


@pytest.mark.parametrize(
    ("value", "low", "high"),
    [("7", 7, 7), ("0.5", 0.5, 0.5), (formatdate(now() + 86400, usegmt=True), 80_000, 86_401), ("-3", 0, 0)],
    ids=["seconds", "half a second", "a date", "the past"],
)
def test_how_long_a_server_asks_one_to_wait(value: str, low: float, high: float) -> None:
    seconds = retry_after(value)
    assert seconds is not None
    assert low <= seconds <= high


@pytest.mark.parametrize("value", ["", "soon"])
def test_a_server_that_does_not_say_how_long(value: str) -> None:
    assert retry_after(value) is None
