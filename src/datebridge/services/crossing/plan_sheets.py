"""Lanes written as a sheet, and taken from one."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from datebridge.core.crossing.lanes import plain
from datebridge.core.crossing.plan_sheet import HERE, PlanRow, read_plan, write_plan
from datebridge.core.errors import CannotDo
from datebridge.core.ids import AccountId, CalendarId, CrossingId, LaneId
from datebridge.core.language.filters import parse_filter
from datebridge.core.tabular import UnreadableRow
from datebridge.store import crossings
from datebridge.store.accounts import account_name
from datebridge.store.calendars import CalendarFacts, all_facts
from datebridge.store.crossings import NewLane
from datebridge.store.database import Store
from datebridge.store.tables import demand_id


def as_sheet(store: Store, crossing: CrossingId) -> str:
    """The lanes of a crossing as CSV.

    Raises:
        NoCrossing: if there is none.
    """
    with store.session() as session:
        plan = crossings.crossing(session, crossing)
        rows = crossings.lanes_of(session, crossing)
    with store.read() as connection:
        every = all_facts(connection)
        home = account_name(connection, AccountId(plan.account_id)) if plan.account_id is not None else HERE
    sheet = []
    for row in rows:
        source, target = every.get(CalendarId(row.source_id)), every.get(CalendarId(row.target_id or 0))
        sheet.append(
            PlanRow(
                (source.account or HERE) if source is not None else "",
                source.name if source is not None else "",
                row.filter,
                (target.account or HERE) if target is not None else home,
                target.name if target is not None else row.target_name,
                row.going,
                row.options,
            )
        )
    return write_plan(sheet)


def from_sheet(store: Store, crossing: CrossingId, text: str) -> list[UnreadableRow]:
    """Put the lanes of a sheet in place of those there are; returns the rows that could not be used.

    A lane that there is already keeps what it has carried. Where any row cannot be used, nothing is changed.

    Raises:
        NoSheet: if it is no sheet of lanes.
        NoCrossing: if there is no such crossing.
    """
    sheet = read_plan(text)
    with store.session() as session:
        plan = crossings.crossing(session, crossing)
        before = crossings.lanes_of(session, crossing)
    home = AccountId(plan.account_id) if plan.account_id is not None else None
    with store.read() as connection:
        by_name = _by_name(all_facts(connection).values())
        home_name = account_name(connection, home) if home is not None else HERE
    unreadable = list(sheet.unreadable)
    lanes: list[NewLane] = []
    for row in sheet.rows:
        lane = _lane_of(row, by_name, home_name)
        if isinstance(lane, NewLane):
            lanes.append(lane)
        else:
            unreadable.append(lane)
    if unreadable or not lanes:
        return sorted(unreadable) or [UnreadableRow(2, "source calendar", "The sheet names no lane.")]
    known = {(row.source_id, row.filter, row.target_id or row.target_name): row for row in before}
    kept = {}
    fresh = []
    for lane in lanes:
        same = known.get((lane.source, lane.filter, lane.target or lane.target_name))
        if same is None:
            fresh.append(lane)
        else:
            kept[LaneId(demand_id(same.id))] = lane
    with store.write() as connection:
        crossings.remove_lanes(connection, [n for row in before if (n := LaneId(demand_id(row.id))) not in kept])
        for number, lane in kept.items():
            crossings.change_lanes(connection, [number], going=lane.going, options=dict(lane.options))
        crossings.add_lanes(connection, crossing, fresh)
    return []


def _by_name(calendars: Iterable[CalendarFacts]) -> dict[tuple[str, str], list[CalendarFacts]]:
    by_name: dict[tuple[str, str], list[CalendarFacts]] = {}
    for one in calendars:
        by_name.setdefault(((one.account or HERE).lower(), plain(one.name)), []).append(one)
    return by_name


def _lane_of(
    row: PlanRow, by_name: Mapping[tuple[str, str], list[CalendarFacts]], home: str
) -> NewLane | UnreadableRow:
    account = row.source_account.lower()
    named = [some for (own, name), some in by_name.items() if name == plain(row.source) and account in ("", own)]
    sources = [one for some in named for one in some]
    if len(sources) != 1:
        where = f" on {row.source_account}" if row.source_account else ""
        why = (
            f"Several calendars are called “{row.source}”{where}. Name the account too, or rename one."
            if sources
            else f"There is no calendar “{row.source}”{where}."
        )
        return UnreadableRow(row.number, "source calendar", why)
    if row.target_account and row.target_account.lower() != home.lower():
        return UnreadableRow(row.number, "target account", f"This crossing goes to {home}.")
    name = row.target or sources[0].name
    targets = by_name.get((home.lower(), plain(name)), [])
    if targets and targets[0].id == sources[0].id:
        return UnreadableRow(row.number, "target calendar", f"{name} cannot go to itself.")
    try:
        parse_filter(row.filter)
    except CannotDo as error:
        return UnreadableRow(row.number, "filter", str(error))
    target = targets[0].id if targets else None
    return NewLane(sources[0].id, target, name, "from a sheet", row.filter, row.options, row.going)
