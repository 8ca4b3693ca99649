"""Reports: as they were signed, or refused; nothing in a title makes anything of the page; both ends are looked at."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.crossing.cutover import CutoverStep
from datebridge.core.crossing.report_page import as_page
from datebridge.core.ids import CalendarId
from datebridge.services.crossing import cutover, plans, reports, telling
from datebridge.services.crossing.reports import NoReport
from datebridge.settings import Settings
from datebridge.store.accounts import remotes_of
from tests.depth import tries
from tests.services.crossing.test_crossing import Move
from tests.world import OFFICE, World, berth

EVIL = "Launch </script><script>alert(1)</script> & <b>"


def test_a_report_is_checked_anywhere_and_says_which_end_has_changed(world: World) -> None:
    world.put("tidewrack", "berths", berth(1, name=EVIL), berth(2))
    move = Move(world)
    move.run()
    move.verify()
    document = reports.make(world.store, world.settings, move.number)
    page = as_page(document)
    assert "<script>alert" not in page
    assert page.count("<script") == 1
    assert reports.read(page.encode()) == json.loads(json.dumps(document))
    checked = reports.check(page.encode(), world.store, world.settings)
    assert (checked.lanes, checked.unexplained, checked.own) == (1, 0, True)
    assert checked.sides == [{"lane": "Berths", "source": "as signed", "target": "as signed"}]
    world.put("tidewrack", "berths", berth(2, name="at sea"))
    world.refresh(move.source_account)
    changed = reports.check(page.encode(), world.store, world.settings)
    assert changed.sides == [{"lane": "Berths", "source": "changed since", "target": "as signed"}]


def test_each_owner_has_a_report_of_what_is_theirs_with_the_steps_of_the_cutover(world: World) -> None:
    records = world.server("tidewrack").records
    other = records.add_collection("director", "diary", "Diary", "#123456")
    records.share(other, OFFICE, "write")
    world.put("tidewrack", "berths", berth(1))
    move = Move(world)
    diary = next(one.calendar_id for one in remotes_of(world.store, move.source_account) if one.name == "Diary")
    plans.add_sources(world.store, move.number, [CalendarId(diary or 0)])
    move.run()
    move.run()
    move.verify()
    cutover.take(world.store, move.number, CutoverStep.NOTICE)
    owners = [one.key for one in telling.owner_messages(world.store, move.number)]
    documents = [reports.make(world.store, world.settings, move.number, owner) for owner in owners]
    assert [(one["owner"], [lane["source"]["calendar"] for lane in one["lanes"]]) for one in documents] == [
        ("Tidewrack", ["Berths"]),
        ("Ruth Kittow", ["Diary"]),
    ]
    assert documents[0]["cutover"][0]["step"] == "notice"
    assert reports.check(as_page(documents[1]).encode()).lanes == 1
    with pytest.raises(NoReport):
        reports.make(world.store, world.settings, move.number, "99 nobody")


@pytest.fixture(scope="module")
def signed(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    lane = {"counts": {"unexplained": 0}, "source": {"calendar": EVIL}}
    settings = Settings(data_dir=tmp_path_factory.mktemp("signed"))
    return reports.sign(settings, {"format": reports.FORMAT, "name": "Over", "made": "now", "lanes": [lane]})


@tries(60, 3_000)
@given(data=st.data())
def test_whatever_is_changed_in_a_report_is_noticed(signed: dict[str, Any], data: st.DataObject) -> None:
    text = json.dumps(signed)
    assert reports.check(text.encode()).lanes == 1
    at = data.draw(st.integers(0, len(text) - 1))
    other = data.draw(st.characters(codec="ascii", exclude_categories=["Cc"]))
    changed = text[:at] + other + text[at + 1 :]
    try:
        same = json.loads(changed) == signed
    except ValueError:
        same = False
    if same:
        return
    with pytest.raises(NoReport):
        reports.check(changed.encode())


@pytest.mark.parametrize(
    "data", [b"", b"{}", b"[1]", b"\xff\x00", b'{"format": "date-bridge report 1"}', b"[" * 100_000]
)
def test_what_is_no_report_is_refused_in_words(data: bytes) -> None:
    with pytest.raises(NoReport):
        reports.check(data)
