"""A crossing as files: everything that goes is in them, nothing twice, parted as asked, and what is left is listed."""

from __future__ import annotations

import csv
import io
import zipfile

import pytest

from datebridge.core.ids import LaneId
from datebridge.core.inspection import inspect
from datebridge.core.keeping import entries_in
from datebridge.core.text.source import open_bytes
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.services.crossing import filing, plans
from datebridge.services.fidelity.matrices import from_export, probe_as_file
from datebridge.standins.losses import OF_LANTERN
from datebridge.store.fidelity import NotMeasured
from tests.conftest import calendar, event
from tests.services.crossing.test_crossing import Move
from tests.world import World, berth

OLD = "TZID=/old.example/1/Atlantic/Reykjavik"


def written(move: Move, number: int = 0, entries: int = 0, octets: int = 0) -> dict[str, bytes]:
    filing.write_files(move.world.store, move.number, number, entries, octets)
    job = move.world.work()
    assert job.state == "done", job.message
    with zipfile.ZipFile(filing.file_of(move.world.settings, move.number)) as files:
        return {name: files.read(name) for name in files.namelist()}


@pytest.fixture
def move(world: World) -> Move:
    world.put("tidewrack", "berths", *(berth(at, "X-TIDE:3", f"CATEGORIES:K{at % 2}") for at in range(9)))
    rule = "RRULE:FREQ=WEEKLY;COUNT=6"
    series = [event("series", "Round", f"{OLD}:20261202T090000", rule)]
    series.append(event("series", "late", f"{OLD}:20261209T110000", f"RECURRENCE-ID;{OLD}:20261209T090000"))
    world.server("tidewrack").put("harbour-office", "berths", "series.ics", calendar(*series).encode())
    return Move(world)


@pytest.mark.parametrize(("entries", "octets"), [(0, 0), (4, 0), (1, 0), (0, 700), (3, 1)])
def test_everything_is_in_the_files_once_and_no_series_is_parted(move: Move, entries: int, octets: int) -> None:
    files = written(move, entries=entries, octets=octets)
    left = files.pop(filing.LEFT)
    assert list(csv.reader(io.StringIO(left.decode()))) == [["calendar", "uid", "title", "why"]]
    uids: list[str] = []
    for name, data in files.items():
        read = inspect(open_bytes(data), keep=True)
        own = [one for one in read.components if one.name == "VEVENT"]
        assert {one.code for one in read.problems} <= {"no-dtstamp"}  # as at the source
        in_file = {one.text.partition("UID:")[2].partition("\n")[0] for one in own}
        assert len(own) <= max(entries, 2) or not entries, name
        uids += sorted(in_file)
        if "series" in in_file:
            assert len([one for one in own if "UID:series" in one.text]) == 2
            assert "VTIMEZONE" in {one.name for one in read.components}
    assert sorted(uids) == sorted([*(f"berth-{at}@skerrow.example" for at in range(9)), "series"])
    assert (len(files) == 1) is (not entries and not octets)


def test_what_the_system_does_not_keep_is_remedied_and_what_is_left_behind_is_listed(move: Move) -> None:
    kept = [one for text in entries_in(probe_as_file()) if (one := OF_LANTERN.of_entry(text))]
    export = b"".join(write_calendar(new_header("Export"), [], kept)).decode()
    number = from_export(move.world.store, "Paper almanac", export)
    move.options(remedies={"unknown-properties": [{"do": "say-in-notes", "names": []}]})
    wanted = plans.LaneChange(filter="category:K1")
    plans.change_lanes(move.world.store, move.number, [LaneId(move.lane.id or 0)], wanted)
    files = written(move, number)
    text = files["Berths.ics"].decode()
    assert text.count("DESCRIPTION:Tide: 3") == text.count("BEGIN:VEVENT") == 4
    rows = list(csv.DictReader(io.StringIO(files[filing.LEFT].decode())))
    assert {row["why"] for row in rows} == {"it goes another way"}
    assert len(rows) == 7
    with pytest.raises(NotMeasured):
        filing.write_files(move.world.store, move.number, 99)
