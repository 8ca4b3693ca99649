"""Calendars found by what a domain says of itself, asked of a name server that answers for real."""

from __future__ import annotations

import socketserver
import threading
from collections.abc import Iterator
from urllib.parse import urlsplit

import dns.flags
import dns.message
import dns.rcode
import dns.rrset
import pytest

from datebridge.connect.errors import Unreachable
from datebridge.connect.naming import Names
from datebridge.services.accounts import accounts, addresses
from datebridge.store.accounts import remotes_of
from tests.world import OFFICE, PASSWORD, World

ZONE = {
    ("_caldavs._tcp.skerrow.example.", "SRV"): [
        "10 1 443 spare.skerrow.example.",
        "0 1 8443 Calendars.Skerrow.example.",
    ],
    ("_caldavs._tcp.skerrow.example.", "TXT"): ['"v=1" "path=/dav/"'],
    ("_caldavs._tcp.away.example.", "SRV"): ["0 0 443 calendars.elsewhere.example."],
    ("_caldavs._tcp.none.example.", "SRV"): ["0 0 0 ."],
    ("_caldav._tcp.plain.example.", "SRV"): ["0 0 80 calendars.plain.example."],
    ("_caldav._tcp.plain.example.", "TXT"): ['"path=//elsewhere.example/"'],
    ("_caldavs._tcp.odd.example.", "SRV"): [r"0 0 443 elsewhere\.com\047.odd.example."],
}


class Answering(socketserver.BaseRequestHandler):
    def handle(self) -> None:
        octets, line = self.request
        query = dns.message.from_wire(octets)
        asked = query.question[0]
        answer = dns.message.make_response(query)
        answer.flags |= dns.flags.RA
        kind = asked.rdtype.name
        records = ZONE.get((asked.name.to_text().lower(), kind), [])
        if records:
            answer.answer.append(dns.rrset.from_text(asked.name, 60, "IN", kind, *records))
        else:
            answer.set_rcode(dns.rcode.NXDOMAIN)
        line.sendto(answer.to_wire(), self.client_address)


@pytest.fixture(scope="module")
def name_server() -> Iterator[str]:
    with socketserver.ThreadingUDPServer(("127.0.0.1", 0), Answering) as server:
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        yield f"127.0.0.1:{server.server_address[1]}"
        server.shutdown()


@pytest.mark.parametrize(
    ("domain", "expected"),
    [
        (
            "skerrow.example",
            [("https://calendars.skerrow.example:8443/dav/", True), ("https://spare.skerrow.example/dav/", True)],
        ),
        ("away.example", [("https://calendars.elsewhere.example/", False)]),
        ("plain.example", [("http://calendars.plain.example/", True)]),
        ("none.example", []),
        ("odd.example", []),
        ("silent.example", []),
        ("https://skerrow.example", []),
        ("skerrow.example/dav/", []),
        ("localhost", []),
    ],
)
def test_what_a_domain_says(name_server: str, domain: str, expected: list[tuple[str, bool]]) -> None:
    assert [(place.address, place.within) for place in Names(name_server).places(domain)] == expected


def test_a_name_server_that_says_nothing_costs_nothing_but_a_moment() -> None:
    assert Names("127.0.0.1:9").places("skerrow.example") == ()


def refusal(world: World, address: str, *agreed: str) -> Unreachable:
    with pytest.raises(Unreachable) as caught:
        addresses.look_at(world.settings, address, OFFICE, PASSWORD, agreed)
    return caught.value


def test_name_and_password_follow_a_record_out_of_its_domain_only_after_a_yes(name_server: str, world: World) -> None:
    world.settings.name_server = name_server
    asked = refusal(world, "away.example")
    assert (asked.trouble, asked.origin) == ("leaves", "https://calendars.elsewhere.example")
    assert "away.example says that its calendars are at https://calendars.elsewhere.example" in asked.message
    assert refusal(world, "plain.example").origin == "http://calendars.plain.example"
    gone = refusal(world, "away.example", asked.origin)
    assert gone.message.startswith("away.example says that its calendars are at calendars.elsewhere.example. There is")


def test_an_e_mail_address_is_enough(name_server: str, world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    port = urlsplit(world.hosts.address("lantern")).port
    monkeypatch.setitem(ZONE, ("_caldav._tcp.skerrow.test.", "SRV"), [f"0 0 {port} localhost."])
    world.settings.name_server = name_server
    here = world.other("lantern")
    assert refusal(world, "harbour-office@skerrow.test").origin == here
    account, _ = accounts.add(
        world.store, world.settings, "harbour-office@skerrow.test", OFFICE, PASSWORD, agreed=[here]
    )
    assert [row.url.startswith(here) for row in remotes_of(world.store, account)] == [True]
