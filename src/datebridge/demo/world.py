"""Filling the stand-ins: the old server, the new one, the feed host."""

from __future__ import annotations

from collections import defaultdict
from datetime import date

from datebridge.core.objects import take_apart
from datebridge.demo.samples import sample_calendars
from datebridge.demo.scenario import LABORATORY, OFFICE, Scenario
from datebridge.standins.feeds import Feed, FeedHost
from datebridge.standins.hosts import Hosts

PASSWORD = "kittiwake-12"  # noqa: S105  (it opens nothing but the sample accounts)
_PEOPLE = {
    OFFICE: ("Harbour Office", "harbour-office@skerrow.example"),
    "director": ("Ruth Kittow", "ruth.kittow@skerrow.example"),
    LABORATORY: ("Lab Office", "lab-office@skerrow.example"),
}
#: The feeds the demo is subscribed to.
SUBSCRIBED = ("/feeds/port-calls.ics", "/holidays/skerrow.ics")
_NORHOLM = (("Ice Sunday", 2, 2), ("Net Mending", 4, 9), ("Midsummer Row", 6, 24), ("First Dark", 11, 11))
_VESTLAND = (("Gull Day", 3, 1), ("Hay Friday", 7, 10), ("Beacon Eve", 12, 31))


def fill(hosts: Hosts, today: date) -> None:
    """Put the scenario on the stand-ins."""
    for server in (hosts.tidewrack, hosts.lantern, hosts.halyard):
        for name, (title, address) in _PEOPLE.items():
            server.records.add_person(name, PASSWORD, title, address)
    for sample in sample_calendars(today):
        server = hosts.tidewrack if sample.server == "tidewrack" else hosts.lantern
        made = server.records.add_collection(sample.owner, sample.slug, sample.name, sample.colour)
        if sample.shared_with:
            server.records.share(made, sample.shared_with, "read")
        sample_object = take_apart(sample.content)
        zones = {facts.uid: text for facts, text in sample_object.zones}
        objects: dict[str, list[str]] = defaultdict(list)
        for facts, text in sample_object.entries:
            objects[facts.uid].append(text)
        for uid, texts in objects.items():
            server.put_parts(sample.owner, sample.slug, uid, texts, zones)
    hosts.halyard.records.add_collection(LABORATORY, "wet-bench", "Wet laboratory bench", "#5f3a8b")
    _publish(hosts.breakwater, Scenario(today, 1926), hosts.address("breakwater"))


def _publish(host: FeedHost, make: Scenario, at: str) -> None:
    tides, calls, ferry = make.tides(), make.port_calls(), make.ferry()
    publish = host.publish
    publish(
        Feed("/feeds/tides.ics", "Tide tables, Skerrow Sound", "Tides", "High and low water, fifteen weeks."), tides
    )
    publish(
        Feed("/feeds/port-calls.ics", "Port calls, Breakwater", "Port calls", "Every ship that calls, six-hourly."),
        calls,
    )
    publish(Feed("/feeds/ferry.ics", "Ferry times", "Ferries", "Skerrow – Breakwater and back."), ferry)
    publish(
        Feed("/holidays/skerrow.ics", "Island holidays", "Holidays", "Public holidays of Skerrow."), make.holidays()
    )
    publish(
        Feed("/holidays/norholm.ics", "Holidays of Norholm", "Holidays", "Four of them, one with ice."),
        make.neighbours("Norholm", _NORHOLM),
    )
    publish(
        Feed("/holidays/vestland.ics", "Holidays of Vestland", "Holidays", "Three, all of them loud."),
        make.neighbours("Vestland", _VESTLAND),
    )
    publish(Feed("/old/ferry.ics", "Ferry times (old address)", manner="moved", target=f"{at}/feeds/ferry.ics"), b"")
    publish(
        Feed("/today/ferry.ics", "Ferry times (elsewhere today)", manner="redirect", target=f"{at}/feeds/ferry.ics"),
        b"",
    )
    publish(
        Feed(
            "/feeds/slow.ics", "Port calls (slow)", "Port calls", "The same from an overworked machine.", manner="slow"
        ),
        calls,
    )
    publish(Feed("/feeds/rebuilt.ics", "Weather windows", "Weather", "Being rebuilt.", manner="page"), b"")
    publish(
        Feed(
            "/feeds/watch.ics",
            "Whale watch",
            "Sea",
            "Sightings; its publisher is forgetful overnight.",
            manner="shrinking",
        ),
        make.notices(),
    )
    publish(Feed("/private/7f3kq9-duty.ics", "Duty officers (secret)", access="secret"), make.notices())
    publish(Feed("/members/berths.ics", "Berth plan for members", access="password"), make.ferry())


def publish_site(host: FeedHost, address: str) -> None:
    """A site of the partners' on the feed host, with the seminars' page put into it."""
    html = (
        '<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        "<title>Partner stations</title><style>body{font:16px/1.5 system-ui;max-width:70rem;margin:1.5rem auto;"
        "padding:0 1rem}iframe{border:1px solid #999}</style><h1>Partner stations</h1>"
        "<p>Talks at Hobart, Reykjavík and Halifax. The calendar below is Skerrow's own page, put in here.</p>"
        f'<iframe src="{address}" title="Seminars with our partners" width="100%" height="640"'
        ' sandbox="allow-scripts allow-same-origin allow-forms allow-downloads allow-popups"></iframe>'
    )
    host.publish(Feed("/site/seminars.html", "Partner stations", manner="site"), html.encode())
