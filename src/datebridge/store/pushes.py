"""What batches have to push to servers: noted when a batch is applied, one a UID, and queued by account."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Literal, NamedTuple

from sqlalchemy import (
    ColumnElement,
    Connection,
    and_,
    bindparam,
    case,
    exists,
    func,
    insert,
    literal,
    or_,
    select,
    update,
)

from datebridge.clock import now
from datebridge.core.accounts import TAKING
from datebridge.core.changes import KINDS
from datebridge.core.ids import AccountId, JobId, PushId, RemoteId, SetId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.database import Store
from datebridge.store.jobs import add_job, lanes_with
from datebridge.store.remotes import LONGEST_PAUSE
from datebridge.store.sql import among
from datebridge.store.tables import ACCOUNTS, CALENDARS, CHANGES, PUSHES, REMOTES, SETS, VERSIONS, Push


class PushState(StrEnum):
    """How something fares on its way to a server."""

    WAITING = "waiting"
    SENDING = "sending"  #: its end is not known yet
    PUSHED = "pushed"
    REFUSED = "refused"
    CONFLICT = "conflict"
    DROPPED = "dropped"  #: past deciding: their state was taken, or a later batch was pushed


#: Under way; and what still has to end in one way or the other.
PENDING = (PushState.WAITING, PushState.SENDING)
TO_DECIDE = (PushState.REFUSED, PushState.CONFLICT)
OPEN = (*PENDING, *TO_DECIDE)
#: Sets of these kinds are not pushed: they follow what is elsewhere.
FOLLOWING = tuple(kind for kind, powers in KINDS.items() if powers.follows)
_ENTRY, _CALENDAR = "entry", "calendar"


def add_pushes(connection: Connection, set_id: SetId) -> None:
    """Note what a batch has to push: per UID, since a series is one object there (RFC 4791 §4.1)."""
    is_header = VERSIONS.c.component == "VCALENDAR"
    # What is there without one, against RFC 4791 §4.1, can be changed and deleted there.
    without_uid = and_(CHANGES.c.uid == "", ~is_header, CHANGES.c.before_id.is_(None))
    query = (
        select(
            CHANGES.c.set_id,
            REMOTES.c.id,
            case((is_header, _CALENDAR), else_=_ENTRY),
            CHANGES.c.uid,
            case((without_uid, PushState.REFUSED), else_=PushState.WAITING),
            case((without_uid, "It has no UID, so no server accepts it."), else_=""),
            literal(""),
            literal(""),
        )
        .distinct()
        .join(VERSIONS, VERSIONS.c.id == func.coalesce(CHANGES.c.after_id, CHANGES.c.before_id))
        .join(REMOTES, REMOTES.c.calendar_id == CHANGES.c.calendar_id)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .join(SETS, SETS.c.id == CHANGES.c.set_id)
        .join(CALENDARS, CALENDARS.c.id == CHANGES.c.calendar_id)
        .where(
            CHANGES.c.set_id == set_id,
            ~CHANGES.c.held,
            ACCOUNTS.c.kind.in_(TAKING),
            CALENDARS.c.writable,
            VERSIONS.c.component != "VTIMEZONE",
            SETS.c.kind.not_in(FOLLOWING),
        )
    )
    columns = ["set_id", "remote_id", "kind", "uid", "state", "message", "theirs", "theirs_etag"]
    connection.execute(insert(PUSHES).from_select(columns, query))


def queue_pushes(connection: Connection, remotes: Iterable[RemoteId] | None = None) -> JobId | None:
    """Queue pushing what waits, one job an account, unless that is queued already; returns one of the jobs.

    Args:
        remotes: only for these calendars.
    """
    only = set(remotes) if remotes is not None else None
    queued: set[str] | None = None
    made: JobId | None = None
    for account, own in pending(connection).items():
        those = [remote for remote in own if only is None or remote in only]
        if not those:
            continue
        if queued is None:
            queued = lanes_with(connection, JobKind.PUSH, ("queued",))
        if JobKind.PUSH.lane(account) not in queued:
            made = add_job(connection, JobKind.PUSH, "Pushing changes there", {"remotes": those}, account)
    return made


def pending(connection: Connection) -> dict[AccountId, list[RemoteId]]:
    """Calendars elsewhere for which something waits to be pushed, by account."""
    by_account: dict[AccountId, list[RemoteId]] = {}
    waiting = (
        select(REMOTES.c.account_id, REMOTES.c.id)
        .where(exists().where(PUSHES.c.remote_id == REMOTES.c.id, PUSHES.c.state.in_(PENDING)))
        .order_by(REMOTES.c.account_id, REMOTES.c.id)
    )
    for row in connection.execute(waiting):
        by_account.setdefault(AccountId(row.account_id), []).append(RemoteId(row.id))
    return by_account


def ready_to_push(connection: Connection) -> dict[RemoteId, AccountId]:
    """Calendars to which may be pushed now, with their accounts: after a failure not before they are due."""
    moment = now()
    due = or_(
        REMOTES.c.failed_since.is_(None),
        REMOTES.c.next_at.is_(None),
        REMOTES.c.next_at <= moment,
        REMOTES.c.next_at > moment + LONGEST_PAUSE,
    )
    rows = connection.execute(select(REMOTES.c.id, REMOTES.c.account_id).where(due))
    return {RemoteId(row.id): AccountId(row.account_id) for row in rows}


def counts_by(
    connection: Connection, by: Literal["remote_id", "set_id"], number: int | None = None, entries: bool = False
) -> dict[int, dict[str, int]]:
    """How many pushes are in which state, per remote calendar or per batch; of `entries`, or of calendars as well."""
    counted = select(PUSHES.c[by].label("key"), PUSHES.c.state, func.count().label("many"))
    if number is not None:
        counted = counted.where(PUSHES.c[by] == number)
    if entries:
        counted = counted.where(PUSHES.c.kind == "entry")
    counts: dict[int, dict[str, int]] = {}
    for row in connection.execute(counted.group_by(PUSHES.c[by], PUSHES.c.state)):
        counts.setdefault(row.key, {})[row.state] = row.many
    return counts


def count_by_state(connection: Connection) -> dict[str, int]:
    """How many pushes there are in each state."""
    rows = connection.execute(select(PUSHES.c.state, func.count()).group_by(PUSHES.c.state))
    return dict(rows.all())


def count_waiting(connection: Connection, remote: RemoteId) -> int:
    """How many UIDs of a calendar wait to be pushed."""
    where = and_(PUSHES.c.remote_id == remote, PUSHES.c.state.in_(PENDING))
    return int(connection.execute(select(func.count(PUSHES.c.uid.distinct())).where(where)).scalar_one())


def busy_uids(connection: Connection, remote: RemoteId) -> set[str]:
    """UIDs with changes of one's own that have not been pushed: what comes in about them must wait."""
    where = and_(PUSHES.c.remote_id == remote, PUSHES.c.kind == _ENTRY, PUSHES.c.state.in_(OPEN))
    return set(connection.execute(select(PUSHES.c.uid).distinct().where(where)).scalars())


def is_header_on_its_way(connection: Connection, remote: RemoteId) -> bool:
    """Whether a change to a calendar itself has been made here and not arrived there, or was not wanted there."""
    query = select(PUSHES.c.id).where(
        PUSHES.c.remote_id == remote, PUSHES.c.kind == _CALENDAR, PUSHES.c.state != PushState.PUSHED
    )
    return connection.execute(query.limit(1)).first() is not None


def mark(
    connection: Connection,
    remote: RemoteId,
    kind: str,
    state: PushState,
    message: str = "",
    *,
    among_states: Iterable[PushState] = OPEN,
    uids: Iterable[str] | None = None,
    **besides: str,
) -> None:
    """Note how pushes of a calendar fare, those in some states; of all of a kind, or of some UIDs."""
    where: list[ColumnElement[bool]] = [
        PUSHES.c.remote_id == remote,
        PUSHES.c.kind == kind,
        PUSHES.c.state.in_(tuple(among_states)),
    ]
    if uids is not None:
        where.append(PUSHES.c.uid.in_(among(uids)))
    connection.execute(update(PUSHES).where(*where).values(state=state, message=message, **besides))


def drop_all(connection: Connection, remote: RemoteId, message: str) -> None:
    """Nothing of a calendar is pushed any more."""
    for kind in (_ENTRY, _CALENDAR):
        mark(connection, remote, kind, PushState.DROPPED, message)


# ---- one calendar's pushes, as they are sent ------------------------------------------------------


class Due(NamedTuple):
    """One UID that is to be pushed.

    Attributes:
        begun: it was begun before, and how that ended is not known.
        tell: a batch about it says that attendees may be told.
        last: the newest push it answers for: what is applied while it is under way waits for its turn.
        first: the oldest; UIDs are pushed in this order.
        seen: what is there, where somebody has seen it and decided to write over it.
        moved: a batch about it deletes the sources once this has been read back.
    """

    uid: str
    begun: bool
    tell: bool
    last: PushId
    first: PushId
    seen: str = ""
    moved: bool = False


def next_due(connection: Connection, remote: RemoteId, after: PushId, most: int) -> list[Due]:
    """The next UIDs to be pushed, marked as being sent before anything is."""
    first = func.min(PUSHES.c.id)
    tell = func.coalesce(func.json_extract(SETS.c.details, "$.tell"), 0)
    moved = func.coalesce(func.json_extract(SETS.c.details, "$.move"), 0)
    begun = PUSHES.c.state == PushState.SENDING
    rows = connection.execute(
        select(
            PUSHES.c.uid,
            func.max(begun),
            func.max(tell),
            func.max(PUSHES.c.id),
            first,
            func.max(PUSHES.c.theirs),
            func.max(moved),
        )
        .join(SETS, SETS.c.id == PUSHES.c.set_id)
        .where(PUSHES.c.remote_id == remote, PUSHES.c.kind == _ENTRY, PUSHES.c.state.in_(PENDING))
        .group_by(PUSHES.c.uid)
        .having(first > after)
        .order_by(first)
        .limit(most)
    )
    objects = [
        Due(uid, bool(begun), bool(tell), PushId(last), PushId(first), theirs, bool(moved))
        for uid, begun, tell, last, first, theirs, moved in rows
    ]
    mark_up_to(connection, remote, ((due.uid, due.last) for due in objects), PushState.SENDING)
    return objects


def mark_up_to(connection: Connection, remote: RemoteId, units: Iterable[tuple[str, PushId]], state: PushState) -> None:
    """Note how all pending pushes of UIDs fare, up to some; what came later waits."""
    rows = [{"own_uid": uid, "last": last} for uid, last in units]
    if rows:
        own = (
            PUSHES.c.remote_id == remote,
            PUSHES.c.kind == _ENTRY,
            PUSHES.c.uid == bindparam("own_uid"),
            PUSHES.c.id <= bindparam("last"),
            or_(*(PUSHES.c.state == pending for pending in PENDING)),
        )
        connection.execute(update(PUSHES).where(*own).values(state=state, message=""), rows)


def end_sending(
    connection: Connection, remote: RemoteId, uid: str, state: PushState, message: str, theirs: str, etag: str
) -> None:
    """What was being sent of a UID ended, and not well; with what is there instead."""
    own = (
        PUSHES.c.remote_id == remote,
        PUSHES.c.kind == _ENTRY,
        PUSHES.c.uid == uid,
        PUSHES.c.state == PushState.SENDING,
    )
    values = {"state": state, "message": message, "theirs": theirs, "theirs_etag": etag if theirs else ""}
    connection.execute(update(PUSHES).where(*own).values(values))


def past_deciding(connection: Connection, remote: RemoteId, kind: str, uids: Iterable[str] | None = None) -> None:
    """What waited for a decision need not be decided any more once a later batch has been pushed."""
    message = "A later batch was pushed."
    mark(connection, remote, kind, PushState.DROPPED, message, among_states=TO_DECIDE, uids=uids)


# ---- pushes that need a decision ------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Unsettled:
    """A push that was refused, or is in conflict, with what it is about; no version: the calendar itself."""

    id: PushId
    state: str
    message: str
    uid: str
    kind: str
    set_id: SetId
    calendar: str
    account: str
    batch: str
    version_id: VersionId | None


def demand_unsettled(store: Store, push_id: PushId) -> Push:
    """A push that needs a decision.

    Raises:
        CannotApply: if it has been decided already.
    """
    with store.session() as session:
        push = session.get(Push, push_id)
    if push is None or push.state not in TO_DECIDE:
        raise CannotApply("This has been decided already.")
    return push


def _unsettled() -> Any:
    shown = func.coalesce(CHANGES.c.after_id, CHANGES.c.before_id)
    version = (
        select(VERSIONS.c.id)
        .select_from(CHANGES)
        .join(VERSIONS, VERSIONS.c.id == shown)
        .where(CHANGES.c.set_id == PUSHES.c.set_id, CHANGES.c.uid == PUSHES.c.uid, VERSIONS.c.listed)
        .order_by(CHANGES.c.recurrence_id)
        .limit(1)
        .correlate(PUSHES)
        .scalar_subquery()
    )
    own = ("id", "state", "message", "uid", "kind", "set_id")
    return (
        select(*(PUSHES.c[name] for name in own), REMOTES.c.name, ACCOUNTS.c.name, SETS.c.title, version)
        .select_from(PUSHES)
        .join(REMOTES, REMOTES.c.id == PUSHES.c.remote_id)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .join(SETS, SETS.c.id == PUSHES.c.set_id)
        .where(PUSHES.c.state.in_(TO_DECIDE))
    )


def unsettled(connection: Connection, offset: int, limit: int) -> tuple[int, list[Unsettled]]:
    """What was refused or is in conflict; conflicts first. And how many there are."""
    total = connection.execute(select(func.count()).where(PUSHES.c.state.in_(TO_DECIDE))).scalar_one()
    page = _unsettled().order_by(PUSHES.c.state, PUSHES.c.id.desc()).limit(limit).offset(offset)
    return int(total), [Unsettled(*row) for row in connection.execute(page)]


@dataclass(frozen=True, slots=True)
class Refusals:
    """Changes that were refused for one reason, of one calendar."""

    remote_id: int
    calendar: str
    account: str
    message: str
    count: int


def refusals(connection: Connection) -> list[Refusals]:
    """What was refused, by calendar and reason; the most first."""
    many = func.count(PUSHES.c.uid.distinct())
    rows = connection.execute(
        select(PUSHES.c.remote_id, REMOTES.c.name, ACCOUNTS.c.name, PUSHES.c.message, many)
        .join(REMOTES, REMOTES.c.id == PUSHES.c.remote_id)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .where(PUSHES.c.state == PushState.REFUSED)
        .group_by(PUSHES.c.remote_id, PUSHES.c.message)
        .order_by(many.desc(), PUSHES.c.remote_id, PUSHES.c.message)
    )
    return [Refusals(*row) for row in rows]


def try_refused(connection: Connection, remote: RemoteId | None = None, message: str | None = None) -> int:
    """Let what was refused wait to be pushed once more: all, of one calendar, for one reason; how many UIDs."""
    own: list[ColumnElement[bool]] = [PUSHES.c.state == PushState.REFUSED]
    own += [PUSHES.c.remote_id == remote] if remote is not None else []
    own += [PUSHES.c.message == message] if message is not None else []
    several = select(PUSHES.c.remote_id, PUSHES.c.kind, PUSHES.c.uid).where(*own).distinct().subquery()
    number = int(connection.execute(select(func.count()).select_from(several)).scalar_one())
    connection.execute(update(PUSHES).where(*own).values(state=PushState.WAITING, message=""))
    return number


def one_unsettled(connection: Connection, push_id: PushId) -> Unsettled | None:
    row = connection.execute(_unsettled().where(PUSHES.c.id == push_id)).one_or_none()
    return Unsettled(*row) if row is not None else None


def title_of(connection: Connection, push: Push) -> str:
    """What a push is about, in quotes."""
    name = connection.execute(
        select(VERSIONS.c.summary)
        .select_from(CHANGES)
        .join(VERSIONS, VERSIONS.c.id == func.coalesce(CHANGES.c.after_id, CHANGES.c.before_id))
        .where(CHANGES.c.set_id == push.set_id, CHANGES.c.uid == push.uid)
        .order_by(CHANGES.c.recurrence_id)
        .limit(1)
    ).scalar()
    return f"“{name or push.uid}”"


def wait_again(connection: Connection, push: Push) -> None:
    """Let what needed a decision wait to be pushed once more; with a calendar go its entries.

    What is in conflict has to be looked at: it does not wait because something else was tried again.
    """
    own = and_(PUSHES.c.uid == push.uid, PUSHES.c.kind == push.kind)
    if push.kind == _CALENDAR:
        own = or_(own, PUSHES.c.set_id == push.set_id)
    states = TO_DECIDE if push.state == PushState.CONFLICT else (PushState.REFUSED,)
    waiting = update(PUSHES).where(PUSHES.c.remote_id == push.remote_id, PUSHES.c.state.in_(states), own)
    connection.execute(waiting.values(state=PushState.WAITING, message=""))


def seen_there(connection: Connection, push: Push) -> None:
    """Whoever decided has seen what is there: what waits of this UID is written over that."""
    own = (
        PUSHES.c.remote_id == push.remote_id,
        PUSHES.c.kind == push.kind,
        PUSHES.c.uid == push.uid,
        PUSHES.c.state == PushState.WAITING,
    )
    connection.execute(update(PUSHES).where(*own).values(theirs=push.theirs, theirs_etag=push.theirs_etag))


def set_waiting(connection: Connection, push_id: PushId) -> None:
    """Have one push wait for its turn."""
    connection.execute(update(PUSHES).where(PUSHES.c.id == push_id).values(state=PushState.WAITING))


def planned_url(connection: Connection, remote: RemoteId) -> str:
    """Where a calendar was going to be made when that was begun; "" if it was not."""
    query = select(PUSHES.c.theirs).where(
        PUSHES.c.remote_id == remote,
        PUSHES.c.kind == _CALENDAR,
        PUSHES.c.state == PushState.SENDING,
        PUSHES.c.theirs != "",
    )
    return str(connection.execute(query.limit(1)).scalar() or "")


def is_calendar_waiting(connection: Connection, remote: RemoteId) -> bool:
    """Whether a change to a calendar itself waits to be pushed."""
    query = select(PUSHES.c.id).where(
        PUSHES.c.remote_id == remote, PUSHES.c.kind == _CALENDAR, PUSHES.c.state.in_(PENDING)
    )
    return connection.execute(query.limit(1)).first() is not None
