"""Shares pointed to where their calendars are now; readers keep their addresses, and the names of entries."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from datebridge.core.ids import CalendarId
from datebridge.services.crossing.plans import LaneView
from datebridge.store import shares
from datebridge.store.calendars import calendars_for_filters
from datebridge.store.database import Connection
from datebridge.store.shares import SharedRow

Moves = Mapping[CalendarId, CalendarId]


def moves_of(lanes: Iterable[LaneView]) -> dict[CalendarId, CalendarId]:
    """Where whole calendars went; what was parted by a filter is no other calendar."""
    return {
        one.source.id: one.target.id
        for one in lanes
        if one.source is not None and one.target is not None and not one.row.filter
    }


def sharing(connection: Connection, calendars: Mapping[CalendarId, object]) -> list[SharedRow]:
    """The shares that give something of calendars: by naming them, or by a filter that does."""
    names = calendars_for_filters(connection)
    terms = [one.term("calendar") for number, one in names.items() if number in calendars]
    return [
        one
        for one in shares.live_shares(connection)
        if set(one.calendars) & set(calendars) or any(_says(one.filter, term) for term in terms)
    ]


def _says(filter: str, term: str) -> bool:
    """Whether a filter holds a term as it stands, not as a part of another one."""
    return f" {term} " in f" {filter.replace('(', ' ').replace(')', ' ')} "


def point(connection: Connection, moves: Moves) -> tuple[dict[str, Any], list[str]]:
    """Have shares give the calendars that were moved to; returns what they were before, and what to look at by hand.

    What each gave is known to readers' programs by names that are made of the old calendar; they stay as they are.
    """
    before: dict[str, Any] = {}
    notes: list[str] = []
    terms = {number: one.term("calendar") for number, one in calendars_for_filters(connection).items()}
    for share in sharing(connection, moves):
        calendars = list(dict.fromkeys(int(moves.get(CalendarId(one), CalendarId(one))) for one in share.calendars))
        filter, named = share.filter, dict(share.named_as)
        for old, new in moves.items():
            is_said = old in terms and _says(share.filter, terms[old])
            if old in share.calendars or is_said:
                named[str(new)] = int(share.named_as.get(str(old), old))
            if old in share.calendars and new in share.calendars:
                notes.append(f"{share.title} gave both calendars before: look at what it gives now.")
            if is_said and new in terms:
                filter = filter.replace(terms[old], terms[new])
        now = [calendars, filter]
        before[str(share.id)] = {**share._asdict(), "now": now}
        shares.change(connection, share.id, calendars=calendars, filter=filter, named_as=named)
    return before, notes


def put_back(connection: Connection, before: Mapping[str, Any]) -> None:
    """Have shares give what they gave before, unless somebody has said it otherwise since."""
    every = {str(one.id): one for one in shares.live_shares(connection)}
    for number, was in before.items():
        share = every.get(number)
        if share is not None and [list(share.calendars), share.filter] == was["now"]:
            values = {name: was[name] for name in ("calendars", "filter", "named_as")}
            shares.change(connection, share.id, **values)
