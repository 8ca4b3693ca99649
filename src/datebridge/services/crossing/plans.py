"""Plans of crossings: made from sources and a target, their lanes proposed, changed by hand or by a sheet, shown."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from datebridge.core.crossing.lanes import Side, propose
from datebridge.core.crossing.options import NoPlan, Options
from datebridge.core.ids import AccountId, CalendarId, CrossingId, JobId, LaneId, SetId
from datebridge.core.language.filters import Selection, parse_filter, quote
from datebridge.core.language.plural import counted
from datebridge.services.crossing.lanes import settle_targets
from datebridge.services.fidelity.forecasts import request_forecast
from datebridge.services.mend.recipes import read_steps
from datebridge.store import crossings, lanes_carried
from datebridge.store.accounts import kinds_taken, names_off, takes_changes
from datebridge.store.calendars import CalendarFacts, all_facts, facts_of
from datebridge.store.changesets.review import set_row
from datebridge.store.crossings import Contents, NewLane
from datebridge.store.database import Connection, Store
from datebridge.store.lanes_carried import Refusal
from datebridge.store.tables import ChangeSetRow, Crossing, Lane, demand_id

MOST_LANES = 1_000


def make(store: Store, name: str, sources: Sequence[CalendarId], account: AccountId | None) -> CrossingId:
    """A crossing of calendars to an account (or, None, to calendars that live here), with its lanes proposed.

    Raises:
        NoPlan: if it has no name, no source, or its target takes nothing.
        NameTaken: if there is one of this name.
    """
    name = _demand_name(name)
    with store.write() as connection:
        if account is not None and not takes_changes(connection, account):
            raise NoPlan("This account takes no entries. Choose one on a server.")
        number = crossings.add_crossing(connection, name, account, {})
        _add_proposed(connection, number, sources, account)
    return number


def add_sources(store: Store, crossing: CrossingId, sources: Sequence[CalendarId]) -> None:
    """More lanes, proposed; calendars that have one already are left out.

    Raises:
        NoPlan: if there are too many.
    """
    with store.session() as session:
        plan = crossings.crossing(session, crossing)
        there = {row.source_id for row in crossings.lanes_of(session, crossing)}
    home = AccountId(plan.account_id) if plan.account_id is not None else None
    with store.write() as connection:
        _add_proposed(connection, crossing, [one for one in sources if one not in there], home)


def copy_lane(store: Store, crossing: CrossingId, lane: LaneId) -> None:
    """Another lane from the same calendar, to a new one, so that a part of it goes there by its own filter.

    Raises:
        NoCrossing: if there is no such lane in this crossing.
    """
    with store.session() as session:
        row = crossings.lane(session, lane)
    if row.crossing_id != crossing:
        raise crossings.NoCrossing(f"Crossing {crossing} has no lane {lane}.")
    with store.write() as connection:
        source = CalendarId(row.source_id)
        copy = NewLane(source, None, f"{row.target_name}, part", "new", row.filter, row.options, row.going)
        crossings.add_lanes(connection, crossing, [copy])


def _add_proposed(
    connection: Connection, crossing: CrossingId, sources: Sequence[CalendarId], account: AccountId | None
) -> None:
    every = all_facts(connection)
    wanted = [one for one in dict.fromkeys(sources) if one in every and every[one].account_id != account]
    if not wanted:
        raise NoPlan("Choose at least one calendar that is not at the target already.")
    if len(wanted) > MOST_LANES:
        raise NoPlan(f"These are {len(wanted):,} calendars; {MOST_LANES:,} are the most in one crossing.")
    targets = [one for one in every.values() if one.account_id == account and one.writable]
    contents = crossings.contents_of(connection, wanted)
    shared = crossings.shared_entries(connection, wanted, [one.id for one in targets])
    lanes = propose(
        [Side(one, every[one].name) for one in wanted],
        [Side(one.id, one.name) for one in targets],
        shared,
        {one: held.entries for one, held in contents.items()},
    )
    crossings.add_lanes(
        connection,
        crossing,
        [
            NewLane(
                CalendarId(lane.source),
                CalendarId(lane.target) if lane.target is not None else None,
                lane.name,
                lane.why,
            )
            for lane in lanes
        ],
    )


def _demand_name(name: str) -> str:
    name = " ".join(name.split())
    if not name:
        raise NoPlan("A crossing needs a name.")
    return name[:120]


def rename(store: Store, crossing: CrossingId, name: str) -> None:
    """Give a crossing another name.

    Raises:
        NoPlan, NameTaken: if it cannot be called so.
    """
    name = _demand_name(name)
    with store.write() as connection:
        crossings.change_crossing(connection, crossing, name=name)


def set_options(store: Store, crossing: CrossingId, values: Mapping[str, Any]) -> None:
    """Say what happens on the way along all lanes.

    Raises:
        NoPlan: if something of it cannot be.
    """
    options = _checked(values)
    with store.write() as connection:
        crossings.change_crossing(connection, crossing, options=options.as_dict())


def _checked(values: Mapping[str, Any]) -> Options:
    options = Options.read(values)
    for some in (options.steps, *options.remedies.values()):
        if some:
            read_steps([*some])
    return options


@dataclass(frozen=True, slots=True)
class LaneChange:
    """What is to be changed of some lanes; None leaves it.

    Attributes:
        target: a calendar; or with `target_name` a new one.
        options: those in which they differ from their crossing, in place of what they were; what is as usual is left.
    """

    target: CalendarId | None = None
    target_name: str | None = None
    going: bool | None = None
    filter: str | None = None
    options: Mapping[str, Any] | None = None


def change_lanes(store: Store, crossing: CrossingId, lanes: Sequence[LaneId], change: LaneChange) -> None:
    """Change some lanes alike.

    Raises:
        NoPlan: if it cannot be: a calendar to itself, or one that cannot be written.
        FilterError: if the filter does not parse.
    """
    values: dict[str, Any] = {}
    if change.going is not None:
        values["going"] = change.going
    if change.filter is not None:
        parse_filter(change.filter)
        values["filter"] = change.filter.strip()
    with store.session() as session:
        own = {demand_id(row.id): row for row in crossings.lanes_of(session, crossing)}
        usual = Options.read(crossings.crossing(session, crossing).options)
    if change.options is not None:
        options = _checked(change.options)
        said = [name for name in change.options if hasattr(options, name)]
        values["options"] = {
            name: getattr(options, name) for name in said if getattr(options, name) != getattr(usual, name)
        }
    chosen = [own[lane] for lane in lanes if lane in own]
    with store.write() as connection:
        if change.target is not None:
            values |= _demand_target(connection, chosen, change.target)
        elif change.target_name is not None:
            name = " ".join(change.target_name.split())
            if not name:
                raise NoPlan("The new calendar needs a name.")
            values |= {"target_id": None, "target_name": name, "why": "new"}
        if values:
            crossings.change_lanes(connection, [LaneId(demand_id(row.id)) for row in chosen], **values)


def _demand_target(connection: Connection, lanes: Sequence[Lane], target: CalendarId) -> dict[str, Any]:
    facts = facts_of(connection, target)
    if facts is None or not facts.live:
        raise NoPlan("This calendar is not there any more.")
    if not facts.writable:
        raise NoPlan(f"{facts.name} is read-only. Choose a writable calendar.")
    if any(row.source_id == target for row in lanes):
        raise NoPlan(f"{facts.name} cannot go to itself.")
    return {"target_id": target, "target_name": facts.name, "why": "chosen"}


def foretell(store: Store, crossing: CrossingId) -> JobId:
    """Queue foretelling what all lanes lose at the target.

    Raises:
        NoPlan: if it leads to no account, or nothing goes.
        NotMeasured: if nobody knows what is kept there.
    """
    with store.session() as session:
        plan = crossings.crossing(session, crossing)
        sources = {CalendarId(row.source_id) for row in crossings.lanes_of(session, crossing) if row.going}
    if plan.account_id is None:
        raise NoPlan("This crossing leads to calendars that live here, where everything is kept.")
    with store.read() as connection:
        facts = [one for one in all_facts(connection).values() if one.id in sources]
    if not facts:
        raise NoPlan("Nothing goes along these lanes.")
    names = ",".join(dict.fromkeys(quote(one.name) for one in facts))
    accounts = ",".join(dict.fromkeys(quote(one.account or "here") for one in facts))
    return request_forecast(store, AccountId(plan.account_id), Selection(f"account:{accounts} calendar:{names}"))


# ---- shown ----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class LaneView:
    """A lane with what is known of both ends.

    Attributes:
        source, target: its calendars; no target where it has yet to be made.
        shared: how many of its entries stand at the target already.
        proposal: what a rehearsal would carry.
        batches: what carried it; `ways`: how many UIDs of that are on their way, by state; `refusals`: why not.
        blocks: what will keep it from being carried; cautions: what to mend first.
    """

    row: Lane
    source: CalendarFacts | None
    target: CalendarFacts | None
    contents: Contents
    shared: int
    proposal: ChangeSetRow | None
    batches: list[SetId]
    ways: dict[str, int] = field(default_factory=dict)
    refusals: list[Refusal] = field(default_factory=list)
    blocks: list[str] = field(default_factory=list)
    cautions: list[str] = field(default_factory=list)


_EMPTY = Contents(0, 0, None, None)


def lane_views(store: Store, crossing: CrossingId) -> tuple[Crossing, list[LaneView]]:
    """A crossing and its lanes, with what is known of both ends.

    Raises:
        NoCrossing: if there is none.
    """
    settle_targets(store, crossing)
    with store.session() as session:
        plan = crossings.crossing(session, crossing)
        rows = crossings.lanes_of(session, crossing)
    lanes = [LaneId(demand_id(row.id)) for row in rows]
    with store.read() as connection:
        every = all_facts(connection)
        sources = [CalendarId(row.source_id) for row in rows]
        targets = [CalendarId(row.target_id) for row in rows if row.target_id is not None]
        contents = crossings.contents_of(connection, sources)
        shared = crossings.shared_entries(connection, sources, targets)
        waiting = lanes_carried.proposals_of(connection, lanes)
        proposals = {lane: set_row(connection, number) for lane, number in waiting.items()}
        batches = lanes_carried.batches_of(connection, lanes)
        ways: dict[int, Counter[str]] = {}
        for way in lanes_carried.under_way(connection, lanes):
            ways.setdefault(way.lane, Counter())[way.state] += way.number
        refusals: dict[int, list[Refusal]] = {}
        for refusal in lanes_carried.refusals(connection, lanes):
            refusals.setdefault(refusal.lane, []).append(refusal)
        broken = crossings.breaking_in(connection, sources)
        kinds = kinds_taken(connection, set(targets))
        home = AccountId(plan.account_id) if plan.account_id is not None else None
        taken = {
            one.name.lower(): f"There is a calendar “{one.name}” at the target already. Lead this lane to it."
            for one in every.values()
            if one.account_id == home
        }
        for name in names_off(connection, home) if home is not None else ():
            taken[name.lower()] = f"The target's calendar “{name}” is switched off. Switch it on under Connect first."
    views = []
    for row, lane in zip(rows, lanes, strict=True):
        source, target = every.get(CalendarId(row.source_id)), every.get(CalendarId(row.target_id or 0))
        views.append(
            LaneView(
                row,
                source,
                target,
                contents.get(CalendarId(row.source_id), _EMPTY),
                shared.get((row.source_id, row.target_id or 0), 0),
                proposals.get(lane),
                batches.get(lane, []),
                dict(ways.get(lane, {})),
                refusals.get(lane, []),
                _blocks(row, source, target, kinds, taken),
                _cautions(contents.get(CalendarId(row.source_id), _EMPTY), broken.get(CalendarId(row.source_id), 0)),
            )
        )
    return plan, views


def _blocks(
    row: Lane,
    source: CalendarFacts | None,
    target: CalendarFacts | None,
    kinds: Mapping[CalendarId, Iterable[str]],
    names_taken: Mapping[str, str],
) -> list[str]:
    """What will keep a lane from being carried."""
    blocks = []
    if source is None:
        blocks.append("The calendar it comes from is not there any more.")
    if row.target_id is None and row.target_name.lower() in names_taken:
        blocks.append(names_taken[row.target_name.lower()])
    if row.target_id is not None and target is None:
        blocks.append("The calendar it goes to is not there any more.")
    if target is not None and not target.writable:
        blocks.append(f"{target.name} is read-only.")
    if target is not None and (taken := list(kinds.get(target.id, ()))) and "VEVENT" not in taken:
        blocks.append(f"{target.name} takes no events.")
    return blocks


def _cautions(contents: Contents, broken: int) -> list[str]:
    """What should be mended before a lane is carried."""
    cautions = []
    if contents.unresolved:
        many = counted(contents.unresolved, "entry is", "entries are")
        cautions.append(f"{many} in time zones nobody knows, so the target may show another hour. Set them under Mend.")
    if broken:
        many = counted(broken, "entry has", "entries have")
        cautions.append(f"{many} findings that break: the target may refuse them. Fix them under Mend.")
    return cautions
