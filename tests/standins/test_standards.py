"""The stand-ins answer as the standards say; what Date Bridge itself never asks is asked here by hand."""

from __future__ import annotations

import re

import httpx
import pytest

from tests.conftest import calendar
from tests.standins.test_habits import CALENDAR, ETAGS, ONE, PRINCIPAL, SYNC, XML, multiget
from tests.world import OFFICE, PASSWORD, World, berth

HOME = f"/dav/calendars/{OFFICE}/"
SERIES = berth(2, "DURATION:PT1H", "RRULE:FREQ=DAILY;COUNT=5", "LOCATION;LANGUAGE=en:Berth Nine", "CLASS:PRIVATE")
TASK = "BEGIN:VTODO\nUID:task@skerrow.example\nSUMMARY:Undated\nEND:VTODO"
WINDOW = 'start="20261203T000000Z" end="20261205T000000Z"'


def query(inner: str, asked: str = "<D:getetag/>", name: str = "VEVENT") -> str:
    return (
        f'<C:calendar-query {XML}><D:prop>{asked}</D:prop><C:filter><C:comp-filter name="VCALENDAR">'
        f'<C:comp-filter name="{name}">{inner}</C:comp-filter></C:comp-filter></C:filter></C:calendar-query>'
    )


def text(value: str, how: str = "") -> str:
    return f'<C:prop-filter name="SUMMARY"><C:text-match {how}>{value}</C:text-match></C:prop-filter>'


def patch(*sets: str) -> str:
    return (
        f"<D:propertyupdate {XML}>"
        + "".join(f"<D:set><D:prop>{s}</D:prop></D:set>" for s in sets)
        + ("</D:propertyupdate>")
    )


def search(value: str) -> str:
    return (
        f"<D:principal-property-search {XML}><D:property-search><D:prop><D:displayname/></D:prop>"
        f"<D:match>{value}</D:match></D:property-search><D:prop><D:displayname/></D:prop></D:principal-property-search>"
    )


#: A query's filter, and the numbers of the entries it finds; 0 is the task.
FILTERS = [
    ('<C:time-range start="20261201T000000Z" end="20261202T000000Z"/>', {1, 2}),
    (f"<C:time-range {WINDOW}/>", {2}),
    (text("LAUNCH 1"), {1}),
    (text("LAUNCH 1", 'collation="i;octet"'), set()),
    (text("Launch 1", 'negate-condition="yes"'), {2}),
    ('<C:prop-filter name="LOCATION"><C:is-not-defined/></C:prop-filter>', {1}),
    (
        '<C:prop-filter name="LOCATION"><C:param-filter name="LANGUAGE"><C:text-match>en</C:text-match>'
        "</C:param-filter></C:prop-filter>",
        {2},
    ),
    (
        '<C:prop-filter name="LOCATION"><C:param-filter name="ALTREP"><C:is-not-defined/></C:param-filter>'
        "</C:prop-filter>",
        {2},
    ),
    ('<C:comp-filter name="VALARM"><C:is-not-defined/></C:comp-filter>', {1, 2}),
]


@pytest.fixture
def web(world: World) -> httpx.Client:
    world.put("lantern", "berths", berth(1), SERIES)
    lantern = world.server("lantern")
    lantern.records.add_collection(OFFICE, "tasks", "Tasks", components="VTODO")
    lantern.put(OFFICE, "tasks", "task.ics", calendar(TASK).encode())
    return httpx.Client(base_url=world.hosts.address("lantern"), auth=(OFFICE, PASSWORD), trust_env=False)


def ask(web: httpx.Client, method: str, path: str, body: str = "", **headers: str) -> httpx.Response:
    named = {name.replace("_", "-"): value for name, value in headers.items()}
    return web.request(method, path, content=body.encode(), headers=named)


@pytest.mark.parametrize(("inner", "numbers"), FILTERS)
def test_filters_find_what_they_describe(web: httpx.Client, inner: str, numbers: set[int]) -> None:
    answer = ask(web, "REPORT", CALENDAR, query(inner), Depth="1")
    assert answer.status_code == 207
    assert {int(n) for n in re.findall(r"berths/berth-(\d)", answer.text)} == numbers


def test_a_query_at_depth_0_asks_the_object_alone_and_undated_tasks_happen_always(web: httpx.Client) -> None:
    assert "href" not in ask(web, "REPORT", CALENDAR, query(""), Depth="0").text
    assert "berth-1" in ask(web, "REPORT", ONE, query("")).text
    tasks = ask(web, "REPORT", f"{HOME}tasks/", query(f"<C:time-range {WINDOW}/>", name="VTODO"), Depth="1")
    assert "task.ics" in tasks.text


def test_occurrences_parts_and_busy_time_are_handed_out(web: httpx.Client) -> None:
    expanded = ask(
        web,
        "REPORT",
        CALENDAR,
        query(text("Launch 2"), f"<C:calendar-data><C:expand {WINDOW}/></C:calendar-data>"),
        Depth="1",
    ).text
    assert (expanded.count("RECURRENCE-ID:"), "RRULE" in expanded) == (2, False)
    part = '<C:calendar-data><C:comp name="VCALENDAR"><C:comp name="VEVENT"><C:prop name="UID"/></C:comp></C:comp>'
    parted = ask(web, "REPORT", CALENDAR, query(text("Launch 2"), part + "</C:calendar-data>"), Depth="1").text
    assert ("UID:berth-2" in parted, "SUMMARY" in parted) == (True, False)
    busy = ask(web, "REPORT", CALENDAR, f"<C:free-busy-query {XML}><C:time-range {WINDOW}/></C:free-busy-query>")
    assert busy.text.count("\nFREEBUSY") == 2
    assert busy.text.count("20261203T080000Z/") == 1


@pytest.mark.parametrize(
    ("method", "path", "body", "headers", "status", "holds"),
    [
        ("PROPFIND", CALENDAR, "<no", {"Depth": "0"}, 400, ""),
        ("PROPFIND", HOME, ETAGS, {}, 403, "propfind-finite-depth"),
        ("PROPFIND", HOME, ETAGS, {"Depth": "2"}, 400, ""),
        ("REPORT", f"{HOME}nowhere/", query(""), {"Depth": "1"}, 404, ""),
        ("REPORT", CALENDAR, query('<C:time-range start="noon"/>'), {"Depth": "1"}, 400, "valid-filter"),
        ("REPORT", CALENDAR, query(text("x", 'collation="i;odd"')), {"Depth": "1"}, 403, "supported-collation"),
        ("REPORT", CALENDAR, multiget("../tasks/task.ics"), {"Depth": "1"}, 207, "404 Not Found"),
        ("REPORT", "/dav/principals/", search("kittow"), {"Depth": "0"}, 207, "Ruth Kittow"),
        ("PUT", ONE, calendar(berth(7)), {}, 403, "no-uid-conflict"),
        ("PUT", ONE, calendar(berth(1)), {"If-Match": '"a", "b"'}, 412, ""),
        ("GET", f"{HOME}inbox/", "", {}, 405, ""),
        (
            "PROPFIND",
            f"{HOME}outbox/",
            f"<D:propfind {XML}><D:allprop/></D:propfind>",
            {"Depth": "0"},
            207,
            "schedule-outbox",
        ),
        (
            "PROPFIND",
            PRINCIPAL,
            f"<D:propfind {XML}><D:prop><C:schedule-inbox-URL/></D:prop></D:propfind>",
            {"Depth": "0"},
            207,
            f"{HOME}inbox/",
        ),
    ],
)
def test_questions_that_are_odd_get_the_answer_the_standards_give(
    web: httpx.Client, method: str, path: str, body: str, headers: dict[str, str], status: int, holds: str
) -> None:
    answer = ask(web, method, path, body, **headers)
    assert answer.status_code == status, answer.text
    assert holds in answer.text


def test_properties_are_set_all_or_none(web: httpx.Client) -> None:
    answer = ask(web, "PROPPATCH", CALENDAR, patch("<D:displayname>New</D:displayname>", "<D:getetag>x</D:getetag>"))
    assert ("424" in answer.text, "cannot-modify-protected-property" in answer.text) == (True, True)
    named = ask(
        web, "PROPFIND", CALENDAR, f"<D:propfind {XML}><D:prop><D:displayname/></D:prop></D:propfind>", Depth="0"
    )
    assert "Berths" in named.text
    dead = '<X:mark xmlns:X="urn:skerrow">nine</X:mark>'
    assert "200 OK" in ask(web, "PROPPATCH", CALENDAR, patch(dead)).text
    kept = ask(
        web,
        "PROPFIND",
        CALENDAR,
        f'<D:propfind {XML}><D:prop><X:mark xmlns:X="urn:skerrow"/></D:prop></D:propfind>',
        Depth="0",
    )
    assert "nine" in kept.text


def test_conditions_lists_of_etags_and_304(web: httpx.Client) -> None:
    etag = web.get(ONE).headers["etag"]
    assert web.get(ONE, headers={"If-None-Match": f'"x", {etag}'}).status_code == 304
    new = calendar(berth(1, name="moved")).encode()
    assert web.put(ONE, content=new, headers={"If-Match": f'"x", {etag}'}).status_code in (200, 204)


def test_objects_are_copied_and_moved(web: httpx.Client) -> None:
    url = str(web.base_url).rstrip("/")
    there = {"Destination": f"{url}{CALENDAR}moved.ics"}
    assert web.request("MOVE", ONE, headers=there).status_code == 201
    assert (web.get(ONE).status_code, web.get(f"{CALENDAR}moved.ics").status_code) == (404, 200)
    twice = web.request("COPY", f"{CALENDAR}moved.ics", headers={"Destination": f"{url}{CALENDAR}again.ics"})
    assert (twice.status_code, "no-uid-conflict" in twice.text) == (403, True)
    kept = web.request(
        "MOVE",
        f"{CALENDAR}moved.ics",
        headers={"Destination": f"{url}{CALENDAR}berth-2@skerrow.example.ics", "Overwrite": "F"},
    )
    assert kept.status_code == 412


def test_what_changed_is_told_in_as_many_pieces_as_asked_for(web: httpx.Client) -> None:
    limited = SYNC.format("").replace("<D:prop>", "<D:limit><D:nresults>1</D:nresults></D:limit><D:prop>")
    first = ask(web, "REPORT", CALENDAR, limited)
    assert ("507" in first.text, first.text.count("<D:getetag>")) == (True, 1)
    token = re.search("<D:sync-token>(.*?)</D:sync-token>", first.text)
    assert token is not None
    assert ask(web, "REPORT", CALENDAR, SYNC.format(token[1])).text.count("<D:getetag>") == 1


def test_a_calendar_is_made_by_mkcol_where_that_is_offered(web: httpx.Client) -> None:
    body = (
        f"<D:mkcol {XML}><D:set><D:prop><D:resourcetype><D:collection/><C:calendar/></D:resourcetype>"
        "<D:displayname>Made</D:displayname></D:prop></D:set></D:mkcol>"
    )
    offered = "extended-mkcol" in web.options(HOME).headers["dav"]
    assert ask(web, "MKCOL", f"{HOME}made/", body).status_code == (201 if offered else 501)
    assert ask(web, "MKCALENDAR", CALENDAR).status_code in (403, 405)
