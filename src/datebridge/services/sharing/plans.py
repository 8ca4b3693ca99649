"""What a share gives, as a plan: which entries, under which terms, under which title."""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields
from datetime import date, datetime
from enum import StrEnum
from typing import Any
from zoneinfo import ZoneInfo

from datebridge.clock import this_moment
from datebridge.core.ids import CalendarId
from datebridge.core.language.filters import Selection
from datebridge.core.moments import wall_seconds_of
from datebridge.core.sharing.forms import Cover, bounds_of
from datebridge.core.sharing.gathering import SharedContent, gather
from datebridge.core.sharing.terms import Detail, Guarded, Terms
from datebridge.store import calendars
from datebridge.store.database import Connection
from datebridge.store.entries import rendering
from datebridge.store.entries.ledger import Ledger
from datebridge.store.tables import Share, demand_id


@dataclass(frozen=True, slots=True)
class Plan:
    """What is given, to whomever.

    Attributes:
        calendars: those that are given, whole; none where `filter` says what is.
        mark, secret: as in `tables.Share`.
        named_as: calendars with those under whose names they are given.
        held: the share that holds what was so then; None for what is so now.
    """

    title: str
    terms: Terms
    calendars: tuple[CalendarId, ...] = ()
    filter: str = ""
    zone: str = "UTC"
    interval: int = 3600
    mark: str = ""
    secret: bytes = b"not kept"
    held: int | None = None
    named_as: tuple[tuple[int, int], ...] = ()

    @property
    def cover(self) -> Cover:
        """What is said on top; what does not change any more tells nobody to look again."""
        return Cover(self.title, 0 if self.held is not None else self.interval, self.mark)


def plan_of(share: Share) -> Plan:
    """What a share gives."""
    return Plan(
        share.title,
        terms_of(share.terms),
        tuple(CalendarId(number) for number in share.calendars),
        share.filter,
        share.zone,
        share.interval,
        share.mark,
        share.secret,
        demand_id(share.id) if share.fixed_at is not None else None,
        tuple((int(calendar), was) for calendar, was in share.named_as.items()),
    )


def terms_of(kept: dict[str, Any]) -> Terms:
    """Terms as they were kept; what a later version said besides is passed over."""
    field_names = {field.name for field in fields(Terms)}
    values = {name: value for name, value in kept.items() if name in field_names}
    values["detail"] = Detail(values.get("detail", Detail.BUSY))
    for name in ("private", "confidential"):
        values[name] = Guarded(values.get(name, Guarded.LEAVE_OUT))
    return Terms(**values)


def kept_terms(terms: Terms) -> dict[str, object]:
    """Terms as they are kept."""
    return {name: str(value) if isinstance(value, StrEnum) else value for name, value in asdict(terms).items()}


def day_in(instant: int, zone: str) -> date:
    """The day of an instant on the clock of a zone."""
    return datetime.fromtimestamp(instant, ZoneInfo(zone)).date()


def today_in(zone: str) -> date:
    """Today on the clock of a zone."""
    return this_moment().astimezone(ZoneInfo(zone)).date()


def content_of(connection: Connection, ledger: Ledger, plan: Plan, today: date) -> SharedContent:
    """What a plan gives, as of now or as it was fixed."""
    low, high = bounds_of(plan.terms, wall_seconds_of(today))
    if plan.held is not None:
        zones = rendering.zones_held(connection, plan.held)
        headers = rendering.headers_held(connection, plan.held)
        return gather(rendering.held(connection, plan.held), zones, plan.terms, plan.secret, low, high, headers)
    chosen = list(giving_calendars(connection, plan))
    if plan.filter.strip():
        ids = ledger.ids(connection, Selection(plan.filter))
        without = rendering.echoes(connection)
        sources = rendering.chosen(connection, ids, without)
    else:
        sources = rendering.in_force(connection, chosen)
    zones, headers = rendering.zones_in_force(connection, chosen), rendering.headers_in_force(connection, chosen)
    return gather(sources, zones, plan.terms, plan.secret, low, high, headers, dict(plan.named_as))


def giving_calendars(connection: Connection, plan: Plan) -> list[CalendarId]:
    """The calendars a plan gives something of: never what came of a share, or it would come back for ever."""
    echoes = rendering.echoes(connection)
    calendar_names = calendars.names(connection, live=True)
    wanted = (
        calendar_names
        if plan.filter.strip()
        else [calendar for calendar in plan.calendars if calendar in calendar_names]
    )
    return [one for one in wanted if one not in echoes]


def names_of(connection: Connection, plan: Plan) -> dict[int, str]:
    """The names of the calendars, where readers may know them."""
    if plan.terms.detail is Detail.BUSY:
        return {}
    calendar_names = calendars.names(connection)
    wanted = rendering.calendars_held(connection, plan.held) if plan.held else giving_calendars(connection, plan)
    return {int(calendar): calendar_names[calendar] for calendar in wanted if calendar in calendar_names}
