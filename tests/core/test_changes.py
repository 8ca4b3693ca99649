"""Reconciling against a slow and obvious model, and batches taken back."""

from __future__ import annotations

from collections import Counter, defaultdict
from hashlib import blake2b

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.changes import (
    COMMAND,
    KINDS,
    By,
    Change,
    Details,
    Identity,
    Item,
    Kind,
    Place,
    Policy,
    Verdict,
    identity_of,
    inverse,
    reconcile,
)
from datebridge.core.ids import CalendarId, VersionId
from tests.depth import tries


def item(uid: str, content: str, age: int, key: int, component: str = "VEVENT") -> Item[int]:
    """An entry whose text follows from what it is and says, as with real ones."""
    digest = blake2b(f"{component} {uid} {content} {age}".encode(), digest_size=16).digest()
    return Item(identity_of(component, uid, "", digest), digest, key, age)


#: Few identities and few texts, so that they meet; without a UID an entry is known by its text alone.
some = st.lists(
    st.tuples(
        st.sampled_from(["a", "b", ""]), st.sampled_from("xyz"), st.integers(0, 2), st.sampled_from(["VEVENT", "VTODO"])
    ),
    max_size=9,
)


@tries(60, 2_000)
@given(some, some, st.sampled_from(Policy))
def test_every_entry_is_answered_once_and_as_the_policy_says(coming, here, policy) -> None:  # type: ignore[no-untyped-def]
    incoming = [item(uid, content, age, key, kind) for key, (uid, content, age, kind) in enumerate(coming)]
    present = [item(uid, content, age, key, kind) for key, (uid, content, age, kind) in enumerate(here)]
    answers = list(reconcile(incoming, present, policy))
    assert [met.item for met in answers if met.item] == incoming
    used = [met.present.key for met in answers if met.present]
    assert len(used) == len(set(used)), "one that is here answers for one that comes"
    # The model counts, by identity: the same texts pair off first, then whoever is left; the rest is new, or was here.
    by_identity: dict[Identity, tuple[Counter[bytes], Counter[bytes]]] = defaultdict(lambda: (Counter(), Counter()))
    for one in incoming:
        by_identity[one.identity][0][one.digest] += 1
    for one in present:
        by_identity[one.identity][1][one.digest] += 1
    for identity, (comes, stands) in by_identity.items():
        same = (comes & stands).total()
        left_in, left_here = comes.total() - same, stands.total() - same
        got = Counter(met.verdict for met in answers if (met.item or met.present).identity == identity)  # type: ignore[union-attr]
        assert got[Verdict.SAME] == same
        assert got[Verdict.CHANGE] + got[Verdict.KEEP] == min(left_in, left_here)
        assert got[Verdict.ADD] == max(0, left_in - left_here)
        assert got[Verdict.REMOVE] == (max(0, left_here - left_in) if policy is Policy.FOLLOW else 0)
    for met in answers:
        if met.verdict in (Verdict.CHANGE, Verdict.KEEP):
            takes = {Policy.KEEP: False, Policy.NEWER: met.newer}.get(policy, True)
            assert (met.verdict is Verdict.CHANGE) == takes


@tries(60, 2_000)
@given(some, some)
def test_after_following_what_is_here_is_what_came(coming, here) -> None:  # type: ignore[no-untyped-def]
    incoming = [item(uid, content, age, key, kind) for key, (uid, content, age, kind) in enumerate(coming)]
    stands = {key: item(uid, content, age, key, kind) for key, (uid, content, age, kind) in enumerate(here)}
    for met in list(reconcile(incoming, list(stands.values()), Policy.FOLLOW)):
        if met.present is not None and met.verdict is not Verdict.SAME:
            del stands[met.present.key]
        if met.item is not None and met.verdict is not Verdict.SAME:
            stands[-1 - met.item.key] = met.item
    assert Counter(one.digest for one in stands.values()) == Counter(one.digest for one in incoming)
    again = reconcile(incoming, list(stands.values()), Policy.FOLLOW)
    assert {met.verdict for met in again} <= {Verdict.SAME}


def test_a_to_do_and_an_event_of_one_uid_are_two() -> None:
    (met,) = reconcile([item("a", "x", 0, 1, "VTODO")], [item("a", "x", 0, 2)], Policy.REPLACE)
    assert met.verdict is Verdict.ADD


# ---- taking back ------------------------------------------------------------------------------------

PLACES = [Place(CalendarId(1), "VEVENT", uid, "") for uid in "abcd"]
State = dict[Place, VersionId]
states = st.dictionaries(st.sampled_from(PLACES), st.integers(1, 5).map(VersionId))


def leading(before: State, after: State) -> list[Change]:
    """A batch that makes the one state of the other; each version is used in one place only."""
    return [
        Change(*place, before=before.get(place), after=after.get(place))
        for place in PLACES
        if before.get(place) != after.get(place)
    ]


def applied(state: State, changes: list[Change]) -> State:
    result = dict(state)
    for change in changes:
        if not change.held:
            result.pop(change.place, None)
            if change.after is not None:
                result[change.place] = change.after
    return result


def numbered(state: State, generation: int) -> State:
    """The same, with version numbers that stand nowhere else."""
    return {p: VersionId(1000 * generation + 100 * PLACES.index(p) + v) for p, v in state.items()}


@tries(60, 2_000)
@given(states, states, states, st.sets(st.sampled_from(PLACES)), st.booleans())
def test_a_batch_taken_back_leaves_what_was_changed_since(
    first: State, second: State, third: State, touched: set[Place], force: bool
) -> None:
    before, after = numbered(first, 1), numbered(second, 2)
    batch = leading(before, after)
    later = numbered(third, 3)
    now = {p: v for p, v in after.items() if p not in touched} | {p: later[p] for p in touched if p in later}
    since = {p: v for p, v in now.items() if v != after.get(p)}
    back = inverse(batch, set(now.values()), since, force)
    result = applied(now, back)
    for place in PLACES:
        concerned = any(change.place == place for change in batch)
        changed_since = now.get(place) != after.get(place)
        if not concerned:
            assert result.get(place) == now.get(place), "what the batch did not touch stays"
        elif not changed_since:
            assert result.get(place) == before.get(place)
        elif not force:
            assert result.get(place) == now.get(place)
        elif place in now or place in before:
            assert result.get(place) == before.get(place)


@tries(60, 2_000)
@given(states, states)
def test_taking_the_taking_back_back_is_the_batch(first: State, second: State) -> None:
    before, after = numbered(first, 1), numbered(second, 2)
    batch = leading(before, after)
    back = inverse(batch, set(after.values()), {})
    assert applied(after, back) == before
    again = inverse(back, set(before.values()), {})
    assert [(c.place, c.before, c.after) for c in again] == [(c.place, c.before, c.after) for c in batch]


# ---- what is remembered of a set ---------------------------------------------------------------------


@pytest.mark.parametrize(
    "details",
    [
        Details(),
        Details(files=("a.ics", "b.ics"), skipped=3),
        Details(archive="old.ics", entries=7, read_back=1),
        Details(move=True, moved=0),
    ],
)
def test_details_are_read_as_they_were_written(details: Details) -> None:
    assert Details.read(details.as_dict()) == details
    assert Details.read(details.as_dict() | {"from a later version": 1}) == details


def test_every_kind_has_its_powers_and_only_followers_may_touch_what_is_read() -> None:
    assert set(KINDS) == set(Kind)
    assert {kind for kind, powers in KINDS.items() if powers.follows} == {Kind.SUBSCRIBE, Kind.PULL, Kind.LEAVE}


def test_by_whom_is_read_as_it_was_written() -> None:
    assert By.read(str(By("key", "back:up"))) == By("key", "back:up")
    assert By.read(str(COMMAND)) == COMMAND
