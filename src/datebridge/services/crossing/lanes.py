"""A lane as it is worked with: what goes along it, what is left behind and why, and what happens on the way."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from datebridge.core.bulk.steps import ZoneNames
from datebridge.core.changes import Item
from datebridge.core.crossing.cutover import is_notice
from datebridge.core.crossing.on_the_way import OnTheWay
from datebridge.core.crossing.options import NoPlan, Options
from datebridge.core.errors import CannotDo
from datebridge.core.ids import AccountId, CalendarId, CrossingId, LaneId, VersionId
from datebridge.core.language.filters import FilterContext, Selection
from datebridge.core.zones.meaning import Zones
from datebridge.services.editing.edits import stamp
from datebridge.services.fidelity.forecasts import fidelity_of, newest
from datebridge.services.mend.recipes import read_steps
from datebridge.store import crossings, lanes_carried
from datebridge.store.accounts import account
from datebridge.store.calendars import calendars_for_filters, facts_of
from datebridge.store.database import Connection, Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.present import in_groups, present, texts_of, with_series
from datebridge.store.entries.zones import zones_of
from datebridge.store.findings import breaking
from datebridge.store.sql import chunks
from datebridge.store.tables import Crossing, Lane, demand_id

_AT_ONCE = 500


@dataclass(frozen=True, slots=True)
class WorkingLane:
    """A lane with what holds for it.

    Attributes:
        id, source, target: the lane, and its calendars; no target where it has yet to be made.
        account: where its target lives, or will; None here.
        filter: what goes along it, besides what its options say.
    """

    id: LaneId
    crossing: CrossingId
    source: CalendarId
    target: CalendarId | None
    target_name: str
    account: AccountId | None
    filter: str
    options: Options
    way: OnTheWay


def working_lanes(store: Store, number: CrossingId, only: Iterable[LaneId] | None = None) -> list[WorkingLane]:
    """The lanes of a crossing that are going, or those of them that are named.

    Raises:
        NoCrossing: if there is no such crossing.
        NoPlan: if the options of one cannot be.
    """
    wanted = set(only) if only is not None else None
    settle_targets(store, number)
    with store.session() as session:
        plan = crossings.crossing(session, number)
        rows = [row for row in crossings.lanes_of(session, number) if row.going]
    rows = [row for row in rows if wanted is None or row.id in wanted]
    ways: dict[str, OnTheWay] = {}
    return [_working(store, plan, row, ways) for row in rows]


def settle_targets(store: Store, crossing: CrossingId) -> None:
    """Lanes lead to what was made for them, and to nothing that is gone again (`store.lanes_carried`)."""
    with store.read() as connection:
        unsettled = lanes_carried.is_unsettled(connection, crossing)
    if unsettled:
        with store.write() as connection:
            lanes_carried.settle_targets(connection, crossing)


def _working(store: Store, plan: Crossing, row: Lane, ways: dict[str, OnTheWay]) -> WorkingLane:
    options = Options.read(plan.options).with_exceptions(row.options)
    home = AccountId(plan.account_id) if plan.account_id is not None else None
    if row.target_id is not None:
        with store.read() as connection:
            facts = facts_of(connection, CalendarId(row.target_id))
        home = facts.account_id if facts is not None else home
    known = f"{home} {options.as_dict()}"
    if known not in ways:
        ways[known] = way_to(store, home, options)
    return WorkingLane(
        LaneId(demand_id(row.id)),
        CrossingId(row.crossing_id),
        CalendarId(row.source_id),
        CalendarId(row.target_id) if row.target_id is not None else None,
        row.target_name,
        home,
        row.filter,
        options,
        ways[known],
    )


def way_to(store: Store, home: AccountId | None, options: Options) -> OnTheWay:
    """What happens on the way to an account.

    Raises:
        NoPlan: if a step cannot be.
    """
    matrix = newest(store, home) if home is not None else None
    try:
        steps = read_steps([*options.steps]) if options.steps else []
        steps = [*([ZoneNames()] if options.zones == "database" else []), *steps]
        remedies = {feature: read_steps([*some]) for feature, some in options.remedies.items() if some}
    except CannotDo as error:
        raise NoPlan(f"The steps of this crossing: {error}") from error
    return OnTheWay(
        steps,
        remedies,
        fidelity_of(matrix) if matrix is not None else None,
        account(store, home).name if home is not None else "",
        options.tell,
        stamp(),
    )


@dataclass(frozen=True, slots=True)
class Going:
    """What goes along a lane.

    Attributes:
        items: everything that stands at the source.
        ids: what goes, series whole.
        behind: what is left behind, with the reason.
    """

    items: list[Item[VersionId]]
    ids: list[VersionId]
    behind: dict[VersionId, str]


def going(store: Store, lane: WorkingLane) -> Going:
    """What goes along a lane now.

    Raises:
        NoPlan: if its source is not there any more.
        FilterError: if its filter does not parse.
    """
    ledger = Ledger(store)
    with store.read() as connection:
        names = calendars_for_filters(connection)
        if lane.source not in names:
            raise NoPlan("The calendar this lane comes from is not there any more.")
        items = [item for item in present(connection, lane.source) if _goes(item)]
        every = {item.key for item in items}
        here = names[lane.source]
        terms = [(lane.filter, "it goes another way")] if lane.filter.strip() else []
        behind: dict[VersionId, str] = {}
        for term, why in (*terms, *lane.options.criteria()):
            left = every - _matching(ledger, connection, here, term, every)
            behind |= {version: why for version in left if version not in behind}
        # A series goes as a whole: where any of it goes, all of it does.
        ids = with_series(connection, every - behind.keys()) if behind else sorted(every)
    for version in ids:
        behind.pop(version, None)
    return Going(items, [version for version in ids if version in every], behind)


def _goes(item: Item[VersionId]) -> bool:
    """Whether something is an entry that can go; notices of the cutover stay at the source."""
    return item.identity.component != "VTIMEZONE" and not is_notice(item.identity.uid)


def _matching(
    ledger: Ledger, connection: Connection, here: FilterContext, term: str, every: set[VersionId]
) -> set[VersionId]:
    return every.intersection(ledger.ids(connection, Selection(f"{here.term('calendar')} {term}")))


@dataclass(frozen=True, slots=True)
class LaneUnit:
    """The entries of one UID of a lane's source, with what their calendar defines."""

    members: list[tuple[VersionId, str]]
    zones: Zones
    sound: bool


def units(store: Store, lane: WorkingLane, ids: Iterable[VersionId]) -> Iterator[list[LaneUnit]]:
    """Entries of the source, those of one UID together, some at a time."""
    with store.read() as connection:
        groups = in_groups(connection, ids, together=True).get(lane.source, [])
        broken = breaking(connection, [one.id for unit in groups for one in unit])
        zones = zones_of(connection, lane.source)
    for some in chunks(groups, _AT_ONCE):
        with store.read() as connection:
            texts = texts_of(connection, [one.id for unit in some for one in unit])
        yield [
            LaneUnit(
                [(one.id, texts[one.id]) for one in unit if one.id in texts],
                zones,
                not any(one.id in broken for one in unit),
            )
            for unit in some
        ]
