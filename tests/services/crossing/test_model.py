"""Whatever happens at both ends and on the way, in whatever order: nothing is lost, nothing is there twice."""

from __future__ import annotations

import tempfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.ids import AccountId, CalendarId, LaneId
from datebridge.services.crossing import deciding, plans, running, verifying
from datebridge.services.jobs import jobs
from datebridge.services.sync.push import push_pending
from datebridge.standins.faults import Fault
from datebridge.store import crossings, lanes_verified
from datebridge.store.changesets.apply import recover
from tests.conftest import calendar, event
from tests.depth import tries
from tests.killing import work_and_die
from tests.world import OFFICE, World, new_world

pytestmark = pytest.mark.both_sides
NUMBERS = st.integers(1, 5)
#: Something that happens: at the source, at the target, on the way; or a run, or one that dies before a statement.
HAPPENINGS = st.one_of(
    st.tuples(st.just("write"), NUMBERS),
    st.tuples(st.just("remove"), NUMBERS),
    st.tuples(st.sampled_from(["place", "retitle", "delete there"]), NUMBERS),
    st.tuples(st.sampled_from(["cut", "unavailable", "throttle"]), st.just(0)),
    st.tuples(st.just("run"), st.just(0)),
    st.tuples(st.just("die at a statement"), st.integers(0, 400)),
    st.tuples(st.just("die at a request"), st.integers(0, 25)),
)


class Crossed:
    """A calendar of each of two servers, a lane between them, and what people did at both ends.

    Attributes:
        titles: of the source's entries, by number.
        own: what a person said at the target of an entry that stood there: its place, its title.
    """

    def __init__(self, world: World, target: str) -> None:
        self.world, self.target = world, target
        self.titles: dict[int, str] = {}
        self.own: dict[int, dict[str, str]] = {}
        self.count = 0
        for number in (1, 2, 3):
            self.write(number)
        source = world.remote(world.connect("tidewrack")).calendar_id
        account = AccountId(world.connect(target))
        world.settings.patience = 0
        self.number = plans.make(world.store, "Over", [CalendarId(source or 0)], account)
        with world.store.session() as session:
            self.lane = LaneId(crossings.lanes_of(session, self.number)[0].id or 0)

    def happen(self, what: str, number: int) -> None:
        if what in ("cut", "unavailable", "throttle"):
            method = "PUT" if self.count % 2 else "DELETE"
            self.world.hosts.switches[self.target].arm(Fault(what, method=method))  # type: ignore[arg-type]
        elif what.startswith("die"):
            self.die(what, number)
        else:
            getattr(self, what.replace(" ", "_"))(number)
        self.count += 1

    def write(self, number: int) -> None:
        self.titles[number] = f"Launch {number}, {self.count}"
        words = event(f"launch-{number}", self.titles[number], "20261201T080000Z", f"DESCRIPTION:number {number}")
        self.world.server("tidewrack").put(OFFICE, "berths", f"launch-{number}.ics", calendar(words).encode())
        self.count += 1

    def remove(self, number: int) -> None:
        if self.titles.pop(number, None) is not None:
            self.world.take_away("tidewrack", "berths", f"launch-{number}")

    def there(self) -> dict[int, list[tuple[str, dict[str, str]]]]:
        """What the target has, by number: the name of each object, and what it says."""
        found: dict[int, list[tuple[str, dict[str, str]]]] = {}
        for name, text in self.world.there(self.target, "berths").items():
            said = {line.partition(":")[0]: line.partition(":")[2] for line in text.replace("\r\n ", "").splitlines()}
            found.setdefault(int(said["DESCRIPTION"].split()[1]), []).append((name, said | {"": text}))
        return found

    def place(self, number: int) -> None:
        self._edit(number, "LOCATION", f"Quay {self.count}")

    def retitle(self, number: int) -> None:
        self._edit(number, "SUMMARY", f"Renamed {self.count}")

    def _edit(self, number: int, field: str, value: str) -> None:
        """A person changes an entry at the target."""
        for name, said in self.there().get(number, []):
            lines = [line for line in said[""].splitlines() if not line.startswith(field)]
            lines.insert(lines.index("END:VEVENT"), f"{field}:{value}")
            self.world.server(self.target).put(OFFICE, "berths", name, "\r\n".join(lines).encode())
            self.own.setdefault(number, {})[field] = value

    def delete_there(self, number: int) -> None:
        for name, _ in self.there().get(number, []):
            self.world.take_away(self.target, "berths", name.removesuffix(".ics"))
            self.own.pop(number, None)

    def run(self, _: int = 0) -> None:
        running.run(self.world.store, self.number)
        self.world.work()

    def die(self, what: str, when: int) -> None:
        running.run(self.world.store, self.number)
        if what.endswith("statement"):
            work_and_die(self.world.settings, statement=when)
        else:
            work_and_die(self.world.settings, request=when)
        recover(self.world.store)
        jobs.resume_interrupted(self.world.store)
        self.world.work()

    def settle(self) -> None:
        """All goes well from now on."""
        self.world.hosts.switches[self.target].clear()
        for _ in range(2):
            push_pending(self.world.store)
            self.world.work()
            self.world.refresh(self.world.account_of(self.target))
            self.run()

    def check(self) -> None:
        there = self.there()
        assert all(len(some) == 1 for some in there.values()), "something is there twice"
        waiting = {one.title for one in deciding.undecided(self.world.store, self.number)}
        conflicts = len(self.world.unsettled())
        for number, own in self.own.items():
            for field, value in own.items():
                assert there[number][0][1].get(field) == value, f"an edit of {number} is lost"
        for number, title in self.titles.items():
            said = there[number][0][1] if number in there else {}
            if said.get("SUMMARY") != title and not conflicts:
                own_title = "SUMMARY" in self.own.get(number, {})
                assert not said or own_title or title in waiting, f"{number} is neither there nor told"
        for number in there.keys() - self.titles.keys():
            assert number in self.own or conflicts, f"{number} was deleted at the source"
        self.check_verified(there)

    def check_verified(self, there: dict[int, list[tuple[str, dict[str, str]]]]) -> None:
        """What verifying says differs, differs, and nothing else does."""
        verifying.verify_lanes(self.world.store, self.number)
        assert self.world.work().state == "done"
        with self.world.store.read() as connection:
            rows = lanes_verified.differences_of(connection, [self.lane])
        told = {one.title for one in rows if one.verdict in ("changed", "missing")}
        differing = {
            title
            for number, title in self.titles.items()
            if number not in there or there[number][0][1]["SUMMARY"] != title or there[number][0][1].get("LOCATION", "")
        }
        assert told == differing, f"{told} told, {differing} differ"
        before = self.world.hosts.switches[self.target].requests.copy()
        self.run()
        after = self.world.hosts.switches[self.target].requests
        assert (after["PUT"], after["DELETE"]) == (before["PUT"], before["DELETE"]), "a quiet lane writes"


@pytest.mark.parametrize("target", ["lantern", "halyard"])
@tries(6, 400)
@given(st.lists(HAPPENINGS, max_size=12))
def test_nothing_is_lost_and_nothing_is_there_twice(target: str, happenings: list[tuple[str, int]]) -> None:
    with tempfile.TemporaryDirectory() as folder, new_world(Path(folder)) as world:
        crossed = Crossed(world, target)
        for happening in happenings:
            crossed.happen(*happening)
        crossed.settle()
        crossed.check()
