"""What every calendar says about itself: live or snapshot, read only or writable, which way, since and until when."""

from __future__ import annotations

from dataclasses import dataclass

from datebridge.core.accounts import reach_of
from datebridge.core.ids import CalendarId
from datebridge.core.language.filters import FilterContext
from datebridge.core.language.kinds import KINDS
from datebridge.core.moments import from_wall_seconds
from datebridge.settings import Settings
from datebridge.store.calendars import calendars_for_filters
from datebridge.store.database import Connection
from datebridge.store.pushes import PENDING, TO_DECIDE, counts_by
from datebridge.store.remotes import Elsewhere, statements
from datebridge.store.shares import shares_echoed
from datebridge.store.tables import demand_id


@dataclass(frozen=True, slots=True)
class Statement:
    """What is said of one calendar in force, beside its row in the ledger; `echo`: the share it came of."""

    label: str
    term: str
    state: str
    flow: str
    interval: str
    remote: Elsewhere | None
    to_push: int
    to_decide: int
    echo: str = ""


def length(seconds: int) -> str:
    """A length of time in words: ``15 min``, ``6 h``, ``1 d``.

    >>> length(900), length(21600), length(86400)
    ('15 min', '6 h', '1 d')
    """
    for unit, size in (("d", 86400), ("h", 3600)):
        if seconds >= size and seconds % size == 0:
            return f"{seconds // size} {unit}"
    return f"{max(1, round(seconds / 60))} min"


def interval_of(settings: Settings, there: Elsewhere) -> tuple[int, str]:
    """How often a calendar is refreshed in seconds, and who wants it so."""
    own, published = there.remote.every, there.remote.published_every
    seconds = max(own or settings.usual_interval(there.account_kind), published)
    if published and seconds == published:
        return seconds, f"every {length(seconds)}, as the publisher asks"
    return seconds, f"every {length(seconds)}" + (", as you set it" if own else "")


def of_calendars(
    connection: Connection, settings: Settings, names: dict[CalendarId, tuple[str, bool]]
) -> dict[CalendarId, Statement]:
    """The statement of each calendar; `names`: name, and whether one may write, by id."""
    remotes = {r.remote.calendar_id: r for r in statements(connection) if r.remote.calendar_id is not None}
    pushing = counts_by(connection, "remote_id")
    alike = calendars_for_filters(connection)
    echoes = shares_echoed(connection)
    stated = {}
    for calendar, (name, writable) in names.items():
        remote = remotes.get(calendar)
        account = remote.account_name if remote else ""
        may = "writable" if writable else "read only"
        own = alike.get(calendar, FilterContext(name))
        label, term = own.label, own.term("calendar")
        if remote is None:
            stated[calendar] = Statement(
                label,
                term,
                f"snapshot · {may} here",
                "local only",
                "",
                None,
                0,
                0,
                echoes.get(calendar, ""),
            )
            continue
        seconds, interval = interval_of(settings, remote)
        both = writable and reach_of(remote.account_kind).takes
        flow = f"both ways with {account}" if both else f"from {account} only"
        counts = pushing.get(demand_id(remote.remote.id), {})
        stated[calendar] = Statement(
            label,
            term,
            f"live {length(seconds)} · {may}",
            flow,
            interval,
            remote,
            sum(counts.get(state, 0) for state in PENDING),
            sum(counts.get(state, 0) for state in TO_DECIDE),
            echoes.get(calendar, ""),
        )
    return stated


def span(first: int | None, last: int | None, endless: bool) -> str:
    """First and last day in words; "" where there is none."""
    if first is None:
        return ""
    end = "no end" if endless or last is None else f"{from_wall_seconds(last):%Y-%m-%d}"
    return f"{from_wall_seconds(first):%Y-%m-%d} – {end}"


def kinds(components: str) -> str:
    """The kinds of entries a calendar takes, in words."""
    return ", ".join(KINDS.get(c, c) for c in components.split(",") if c)
