"""Ways out of losses through the store: what links lead to, what is left behind, attachments as files."""

from __future__ import annotations

import io
import zipfile

from datebridge.core.attachments import inline_files
from datebridge.core.ids import SetId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.services.exports.export import write
from datebridge.services.jobs import jobs
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.undo import changes_of
from tests.world import OFFICE, World, berth

FETCH = {"do": "fetch-links", "most": 2}


def propose(world: World, steps: list[dict[str, object]]) -> int:
    params = {**Selection("").as_params(), "steps": steps}
    jobs.enqueue(world.store, JobKind.BULK, "Changing", params)
    done = world.work()
    assert done.state == "done", done.message
    return int(str(done.result["set_id"]))


def test_links_into_the_old_system_are_fetched_with_its_credentials_and_no_others(world: World) -> None:
    old, elsewhere = world.hosts.address("tidewrack"), world.hosts.address("breakwater")
    world.put("tidewrack", "berths", berth(0))
    within = f"{old}/dav/calendars/{OFFICE}/berths/berth-0@skerrow.example.ics"
    links = (within, f"{old}/dav/nothing.pdf", f"{elsewhere}/members/berths.ics", f"{old}/", "mailto:x@y.example")
    world.put("tidewrack", "berths", *(berth(at, f"ATTACH:{url}") for at, url in enumerate(links, 1)))
    world.put("tidewrack", "berths", berth(9, "DESCRIPTION:" + "long " * 600, f"ATTACH:{within}"))
    world.put(
        "tidewrack", "berths", berth(8, f"ATTACH:{old}/dav/calendars/{OFFICE}/berths/berth-9@skerrow.example.ics")
    )
    world.connect("tidewrack")
    set_id = propose(world, [FETCH])
    with world.store.read() as connection:
        reasons = {one.uid.partition("@")[0]: one.reason for one in changes_of(connection, SetId(set_id))}
    assert reasons.keys() == {"berth-1", "berth-2", "berth-4", "berth-8", "berth-9"}
    assert "answered 404" in reasons["berth-2"]
    assert "a web page" in reasons["berth-4"]
    assert "could not be fetched" in reasons["berth-8"]
    apply_set(world.store, set_id)
    [file, _] = (file for text in world.texts() for file in inline_files(text))
    assert b"Launch 0" in file.data
    packed = b"".join(write(world.store, world.ledger, Selection(""), None, "files", ""))
    with zipfile.ZipFile(io.BytesIO(packed)) as files:
        assert files.namelist() == [file.name]  # the same file in two entries is one
        assert files.read(file.name) == file.data


def test_what_is_left_behind_is_told_and_stays_where_it_is(world: World) -> None:
    for name in ("tidewrack", "lantern"):
        world.put(name, "berths", *(berth(at) for at in range(3) if name == "tidewrack"))
        world.connect(name)
    there = world.there("tidewrack", "berths")
    move = {"do": "calendar", "calendar": "Berths", "account": "Lantern"}
    for more, said in (([], "3 × left behind"), ([move], "Nothing would change")):
        params = {**Selection("account:Tidewrack").as_params(), "steps": [{"do": "leave-behind"}, *more]}
        job = jobs.enqueue(world.store, JobKind.BULK, "Changing", params)
        world.work()
        assert said in world.job(job).message
    assert (world.there("tidewrack", "berths"), world.there("lantern", "berths")) == (there, {})
