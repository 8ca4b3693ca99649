"""Whatever happens in whatever order on both sides and on the way, they end in step: nothing lost, nothing doubled."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.services.accounts import leaving
from datebridge.services.editing import edits
from datebridge.services.sync import conflicts
from datebridge.services.sync.push import push_pending
from datebridge.standins.faults import Fault
from datebridge.standins.habits import HABITS
from datebridge.store.changesets.draft import CannotApply
from tests.conftest import calendar
from tests.depth import tries
from tests.world import OFFICE, World, berth, new_world

pytestmark = pytest.mark.both_sides
NUMBERS = st.integers(1, 6)
WHERE = st.sampled_from(["here", "there"])
#: Something that happens: a change of one entry on one side, a fault that waits, a refresh, a push, a decision.
HAPPENINGS = st.one_of(
    st.tuples(st.just("write"), WHERE, NUMBERS, st.sampled_from(["a", "b", "c"])),
    st.tuples(st.just("delete"), WHERE, NUMBERS, st.just("")),
    st.tuples(st.just("fault"), st.sampled_from(["cut", "unavailable", "meddle", "full"]), NUMBERS, st.just("")),
    st.tuples(st.just("retitle"), st.just(""), NUMBERS, st.sampled_from(["a", "b", "c"])),
    st.tuples(st.sampled_from(["refresh", "push", "theirs", "mine", "rename"]), st.just(""), st.just(0), st.just("")),
)


class Life:
    """Both sides of one calendar, and what happens to them."""

    def __init__(self, world: World, name: str, habits: Sequence[str] = ()) -> None:
        self.world, self.name = world, name
        self.server = world.server(name)
        world.put(name, "berths", *(berth(n) for n in (1, 2, 3)))
        self.server.habits.set(habits)
        if "lax" in habits:
            self.server.lay(OFFICE, "berths")
        self.account = world.connect(name, agreed=[world.other(name)])
        world.settings.patience = 0

    def happen(self, what: str, where: str, number: int, title: str) -> None:
        if what in ("write", "delete"):
            getattr(self, f"{what}_{where}")(number, title)
        elif what == "fault":
            method = "DELETE" if number % 2 else "PUT"
            self.world.hosts.switches[self.name].arm(Fault(where, method=method))  # type: ignore[arg-type]
        elif what == "refresh":
            self.world.refresh(self.account)
        elif what == "push":
            push_pending(self.world.store)
            self.world.work()
        elif what == "rename":
            self.server.rename()
        elif what == "retitle":
            self.retitle_here(number, title)
        else:
            self.decide(what, 1)

    def write_here(self, number: int, title: str) -> None:
        try:
            self.world.bring(calendar(berth(number, name=title)), into=self.world.calendar().id, existing="replace")
        except CannotApply:  # it says that already
            return

    def delete_here(self, number: int, _: str) -> None:
        try:
            self.world.delete(f"uid:berth-{number}@skerrow.example")
        except CannotApply:  # it is not there
            return

    def retitle_here(self, number: int, title: str) -> None:
        """Edit whichever entry comes at a place in the table: also those that only a lax server takes."""
        ids = [row.id for row in sorted(self.world.entries(), key=lambda row: (row.summary, row.id))]
        if ids:
            target = edits.Target(ids[number % len(ids)])
            with self.world.store.read() as connection:
                fields = edits.load(connection, target).fields()
            try:
                edits.save(self.world.store, target, "all", replace(fields, title=f"{fields.title[:20]} {title}"))
            except CannotApply:  # it has that title
                return

    def write_there(self, number: int, title: str) -> None:
        """Write over the object that holds this UID, whatever it is called."""
        uid = f"berth-{number}@skerrow.example"
        name = next((name for _, name in self.server.records.where_uid(OFFICE, uid)), f"{uid}.ics")
        self.server.put(OFFICE, "berths", name, calendar(berth(number, name=title)).encode())

    def delete_there(self, number: int, _: str) -> None:
        for collection, name in self.server.records.where_uid(OFFICE, f"berth-{number}@skerrow.example"):
            self.server.records.delete(collection, name)

    def decide(self, how: str, most: int) -> None:
        for number in [one.id for one in self.world.unsettled()[:most]]:
            try:
                if how == "theirs":
                    conflicts.take_theirs(self.world.store, self.world.settings, int(str(number)))
                else:
                    conflicts.take_mine(self.world.store, int(str(number)))
            except CannotApply:  # decided together with another one
                continue

    def resolve_deletions(self) -> None:
        """Everything goes well from now on, and whatever waits for a decision is decided."""
        self.world.hosts.switches[self.name].clear()
        for how in ("mine", "theirs", "theirs", "theirs"):
            push_pending(self.world.store)
            self.world.work()
            self.world.refresh(self.account)
            self.decide(how, 99)
        push_pending(self.world.store)
        self.world.work()
        self.world.refresh(self.account)

    def both_sides(self) -> tuple[list[str], list[str]]:
        texts = self.world.there(self.name, "berths").values()
        there = [line for text in texts for line in text.replace("\r\n ", "").splitlines()]  # unfolded
        return sorted(self.world.titles()), sorted(
            line.removeprefix("SUMMARY:") for line in there if line.startswith("SUMMARY:")
        )


def lives_through(name: str, habits: Sequence[str], happenings: list[tuple[str, str, int, str]]) -> None:
    """Whatever happens, both sides end equal; nothing is lost, doubled, or left undecided."""
    with tempfile.TemporaryDirectory() as folder, new_world(Path(folder)) as world:
        life = Life(world, name, habits)
        for happening in happenings:
            life.happen(*happening)
        life.resolve_deletions()
        mine, theirs = life.both_sides()
        assert mine == theirs
        assert [one for one in world.twice() if one[0].startswith("berth-")] == []
        assert not {"waiting", "sending", "refused", "conflict"} & world.pushed().keys()


@pytest.mark.parametrize("name", ["tidewrack", "lantern"])
@tries(5, 500)
@given(st.lists(HAPPENINGS, max_size=14))
def test_any_order_of_changes_on_both_sides_ends_in_step(
    name: str, happenings: list[tuple[str, str, int, str]]
) -> None:
    lives_through(name, (), happenings)


@pytest.mark.parametrize("habit", sorted(HABITS))
@tries(2, 100)
@given(st.sampled_from(["tidewrack", "lantern"]), st.lists(HAPPENINGS, min_size=3, max_size=12))
def test_it_does_under_every_habit_of_servers(
    habit: str, name: str, happenings: list[tuple[str, str, int, str]]
) -> None:
    lives_through(name, [habit], happenings)


@tries(5, 500)
@given(
    st.sampled_from(["tidewrack", "lantern"]),
    st.lists(st.sampled_from(sorted(HABITS)), min_size=2, max_size=2, unique=True),
    st.lists(HAPPENINGS, min_size=3, max_size=12),
)
def test_it_does_under_pairs_of_habits(
    name: str, habits: list[str], happenings: list[tuple[str, str, int, str]]
) -> None:
    lives_through(name, habits, happenings)


def test_switching_off_with_changes_on_their_way_says_what_became_of_them(world: World) -> None:
    life = Life(world, "lantern")
    life.delete_here(1, "")
    number = world.remote(life.account).id
    assert number is not None
    leaving.switch_off(world.store, number, "snapshot")
    world.work()
    assert world.pushed() == {"dropped": 1}
    assert len(world.there("lantern", "berths")) == 3
