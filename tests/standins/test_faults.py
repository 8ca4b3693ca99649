"""The switches: each strikes whom it is meant for, as often as it says, and nothing else."""

from __future__ import annotations

import httpx
import pytest

from datebridge.standins.faults import Fault, Switches
from tests.world import OFFICE, PASSWORD, World, berth


def client(world: World, name: str = "tidewrack") -> httpx.Client:
    return httpx.Client(base_url=world.hosts.address(name), auth=(OFFICE, PASSWORD), trust_env=False)


def test_a_fault_waits_for_its_turn_and_its_method_and_is_used_up() -> None:
    switches = Switches()
    switches.arm(Fault("throttle", count=2, after=1, method="PUT"))
    struck = [bool(switches.take(method)) for method in ("PUT", "GET", "PUT", "GET", "PUT", "PUT")]
    assert struck == [False, False, True, False, True, False]
    assert switches.armed == []


@pytest.mark.parametrize(
    ("kind", "status"), [("throttle", 429), ("unavailable", 503), ("full", 507), ("password", 401)]
)
def test_refusals_have_the_status_the_standards_give_them(world: World, kind: str, status: int) -> None:
    with client(world) as web:
        web.post("/-/faults", json=[{"kind": kind, "seconds": 3}])
        answer = web.get("/dav/")
        assert answer.status_code == status
        assert answer.headers.get("Retry-After", "3") == "3"
        assert web.get("/-/faults").json() == []


def test_a_cut_does_what_was_asked_before_it_cuts(world: World) -> None:
    with client(world) as web:
        web.post("/-/faults", json=[{"kind": "cut"}])
        with pytest.raises(httpx.RemoteProtocolError):
            web.put(f"/dav/calendars/{OFFICE}/berths/a.ics", content=_object())
    assert list(world.there("tidewrack", "berths")) == ["a.ics"]


def _object() -> bytes:
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\n{berth(1)}\r\nEND:VCALENDAR\r\n".encode()


def test_the_panel_in_the_browser_arms_stirs_and_clears(world: World) -> None:
    world.put("tidewrack", "berths", *map(berth, range(5)))
    with client(world) as web:
        assert web.post("/-/", content="press=throttle").status_code == 303
        assert "throttle × 3" in web.get("/-/").text
        web.post("/-/", content="press=well")
        assert "Waiting to go wrong: nothing" in web.get("/-/").text
        web.post("/-/", content="press=stir")
    assert len([t for t in world.there("tidewrack", "berths").values() if "edited elsewhere" in t]) == 3


@pytest.mark.parametrize(
    ("slug", "entry", "condition"),
    [
        ("berths", "BEGIN:VEVENT\nDTSTART:20261201T080000Z\nEND:VEVENT", "valid-calendar-object-resource"),
        ("berths", "BEGIN:VEVENT\nUID:a\nDTSTART:20260230T080000Z\nEND:VEVENT", "valid-calendar-data"),
        ("tasks", "BEGIN:VEVENT\nUID:a\nDTSTART:20261201T080000Z\nEND:VEVENT", "supported-calendar-component"),
        ("berths", "nothing", "valid-calendar-data"),
    ],
)
def test_a_strict_server_names_the_precondition(world: World, slug: str, entry: str, condition: str) -> None:
    world.hosts.lantern.records.add_collection(OFFICE, "tasks", "Tasks", components="VTODO")
    body = f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\n{entry}\r\nEND:VCALENDAR\r\n"
    with client(world, "lantern") as web:
        answer = web.put(f"/dav/calendars/{OFFICE}/{slug}/a.ics", content=body)
    assert answer.status_code == 403
    assert condition in answer.text


def test_a_strict_server_keeps_one_alarm_two_attachments_and_nothing_unknown(world: World) -> None:
    alarm = ["BEGIN:VALARM", "ACTION:DISPLAY", "TRIGGER:-PT5M", "END:VALARM"]
    text = berth(1, *(f"ATTACH:https://papers.skerrow.example/{n}" for n in range(4)), "X-ODD:1", *alarm, *alarm)
    with client(world, "lantern") as web:
        answer = web.put(
            f"/dav/calendars/{OFFICE}/berths/a.ics",
            content=f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\n{text}\r\nEND:VCALENDAR\r\n",
        )
    assert (answer.status_code, answer.headers.get("etag")) == (201, None)
    (kept,) = world.there("lantern", "berths").values()
    assert (kept.count("ATTACH"), kept.count("BEGIN:VALARM"), "X-ODD" in kept) == (2, 1, False)


def test_who_may_only_read_cannot_write(world: World) -> None:
    records = world.hosts.tidewrack.records
    shared = records.add_collection("director", "notices", "Notices")
    records.share(shared, OFFICE, "read")
    with client(world) as web:
        answer = web.put(f"/dav/calendars/{OFFICE}/shared-{shared.id}/a.ics", content=_object())
        assert (answer.status_code, "need-privileges" in answer.text) == (403, True)
        assert web.get("/dav/calendars/director/notices/a.ics").status_code == 404
