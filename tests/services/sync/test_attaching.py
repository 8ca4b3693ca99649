"""Attachments that a server keeps by itself: added once each, whatever happens on the way, and told as they arrive."""

from __future__ import annotations

import base64

import pytest

from datebridge.connect.gate import Gate
from datebridge.connect.http import Web
from datebridge.core.attachments import MARK
from datebridge.core.bulk.steps import KeepByServer
from datebridge.core.ids import AccountId
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.fidelity import matrices, probes
from datebridge.services.jobs import jobs
from datebridge.services.sync.push import push_pending
from datebridge.standins.faults import Fault
from datebridge.store.changesets.apply import recover
from tests.conftest import event
from tests.killing import work_and_die
from tests.services.crossing.test_crossing import Move
from tests.world import World, berth

PLAN = b"Mooring plan\r\n" * 30


def attached(name: str = "plan.txt", data: bytes = PLAN, by_server: bool = True) -> str:
    mark = f";{MARK}=SERVER" if by_server else ""
    value = base64.b64encode(data).decode()
    return f"ATTACH{mark};FILENAME={name};FMTTYPE=text/plain;ENCODING=BASE64;VALUE=BINARY:{value}"


def kept(world: World, name: str = "halyard") -> list[dict[str, str]]:
    """The parameters of each attachment that an object of the server has, with its address."""
    unfolded = "".join(world.there(name, "berths").values()).replace("\r\n ", "")
    lines = [line for line in unfolded.splitlines() if line.startswith("ATTACH")]
    heads = [line.partition(":http") for line in lines]
    return [dict(p.split("=", 1) for p in head.split(";")[1:]) | {"": colon[1:] + url} for head, colon, url in heads]


def test_an_attachment_is_kept_beside_its_entry_and_known_here_by_the_server_s_link(world: World) -> None:
    account = AccountId(world.connect("halyard"))
    world.take("Berths", berth(1, attached(), attached("chart.txt", b"Chart")))
    world.work()
    there = kept(world)
    assert [(one["FILENAME"], one["SIZE"], one["FMTTYPE"]) for one in there] == [
        ("plan.txt", str(len(PLAN)), "text/plain"),
        ("chart.txt", "5", "text/plain"),
    ]
    with connected_to(world.store, world.settings, account, lambda: None) as line:
        assert line.web.request("GET", there[0][""]).body == PLAN
    with Web(Gate(world.settings.allowed_origins)) as nobody, pytest.raises(Exception, match="password"):
        nobody.request("GET", there[0][""])
    [here] = world.texts()
    assert MARK not in here
    assert there[0][""] in here.replace("\r\n ", "")
    before = world.hosts.switches["halyard"].requests["PUT"]
    push_pending(world.store)
    world.refresh(account)
    assert world.hosts.switches["halyard"].requests["PUT"] == before


def test_of_a_series_each_changed_occurrence_has_its_own(world: World) -> None:
    world.connect("halyard")
    rule, zoned = "RRULE:FREQ=WEEKLY;COUNT=6", "TZID=Europe/Oslo:20261209T{}0000".format
    series = event("series", "Round", "TZID=Europe/Oslo:20261202T090000", rule, attached("all.txt"))
    changed = event("series", "Later", zoned(11), f"RECURRENCE-ID;{zoned('09')}", attached("once.txt"))
    world.take("Berths", series, changed)
    world.work()
    [text] = world.there("halyard", "berths").values()
    of = {one.partition("SUMMARY:")[2].splitlines()[0]: one for one in text.split("BEGIN:VEVENT")[1:]}
    assert "all.txt" in of["Round"]
    assert "once.txt" not in of["Round"]
    assert "once.txt" in of["Later"]
    assert "all.txt" not in of["Later"]


def test_where_a_server_keeps_none_by_itself_they_go_within_the_entry(world: World) -> None:
    world.connect("lantern")
    world.take("Berths", berth(1, attached()))
    world.work()
    [text] = world.there("lantern", "berths").values()
    assert "VALUE=BINARY" in text
    assert MARK not in text


def test_one_that_is_not_taken_refuses_the_entry_with_the_server_s_reason(world: World) -> None:
    world.connect("halyard")
    world.take("Berths", berth(1, attached(data=bytes(10_000_001))))
    world.work()
    [waiting] = world.unsettled()
    assert "10,000,000 bytes an attachment" in waiting.message
    assert world.there("halyard", "berths") == {}


@pytest.mark.kills
@pytest.mark.parametrize("when", range(9))
def test_killed_before_any_request_each_attachment_is_there_once(world: World, when: int) -> None:
    world.connect("halyard")
    world.take("Berths", berth(1, attached(), attached("chart.txt", b"Chart")))
    work_and_die(world.settings, request=when)
    recover(world.store)
    jobs.resume_interrupted(world.store)
    world.work()
    assert [one["FILENAME"] for one in kept(world)] == ["plan.txt", "chart.txt"]
    assert not world.unsettled()


@pytest.mark.parametrize("fault", ["cut", "unavailable", "throttle"])
def test_an_answer_that_is_lost_adds_nothing_twice(world: World, fault: str) -> None:
    account = world.connect("halyard")
    world.hosts.switches["halyard"].arm(Fault(fault, method="POST"))  # type: ignore[arg-type]
    world.take("Berths", berth(1, attached(), attached("chart.txt", b"Chart")))
    world.work()
    push_pending(world.store)
    world.work()
    world.refresh(account)
    assert [one["FILENAME"] for one in kept(world)] == ["plan.txt", "chart.txt"]
    assert not world.unsettled()


def test_it_is_a_way_out_on_the_way_and_what_arrived_is_what_was_foretold(world: World) -> None:
    world.put("tidewrack", "berths", berth(1, attached(by_server=False)), berth(2))
    move = Move(world, "halyard")
    probes.measure(world.store, move.account)
    assert world.work().state == "done"
    move.options(remedies={"attachment-inline": [{"do": KeepByServer().do}]})
    move.run()
    assert [one["FILENAME"] for one in kept(world)] == ["plan.txt"]
    assert move.unexplained() == []
    before = world.hosts.switches["halyard"].requests["PUT"]
    move.run()
    assert (move.unexplained(), world.hosts.switches["halyard"].requests["PUT"]) == ([], before)
    world.put("tidewrack", "berths", berth(1, attached(by_server=False), "LOCATION:Quay 4"))
    move.run()
    assert [one["FILENAME"] for one in kept(world)] == ["plan.txt"]
    assert move.unexplained() == []


def test_a_server_that_keeps_them_is_known_by_its_probe(world: World) -> None:
    for name, verdict in (("halyard", "kept"), ("lantern", "not tried")):
        account = AccountId(world.connect(name, on=False))
        probes.measure(world.store, account)
        assert world.work().state == "done"
        rows = {row.feature.name: row for row in matrices.of_account(world.store, account).rows}
        assert rows["attachment-managed"].verdict == verdict
