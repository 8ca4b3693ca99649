"""Who may read and write the old calendars may do so with the new ones, and these are set as the old ones are.

That is carried where the target lets one say so; what cannot be is listed, person by person and setting by setting, as
what has to be done by hand.
"""

from __future__ import annotations

from collections.abc import Sequence

from datebridge.connect.access import Access, access_of, let_in, principal_of
from datebridge.connect.calendar_settings import settings_of, take_over
from datebridge.connect.errors import Unreachable
from datebridge.core.changes import PERSON, By
from datebridge.core.crossing.cutover import CutoverStep
from datebridge.core.ids import AccountId, CrossingId, JobId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.plural import counted
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.crossing.cutover import NotNow, Taken, record, view
from datebridge.services.crossing.plans import LaneView
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store import crossings
from datebridge.store.accounts import remotes_of
from datebridge.store.database import Store


def carry_access(store: Store, crossing: CrossingId, by: By = PERSON) -> JobId:
    """Queue letting people into the new calendars as into the old ones.

    Raises:
        NotNow: if it is not the time for that.
    """
    state = next(one.state for one in view(store, crossing).steps if one.state.step is CutoverStep.ACCESS)
    if state.state != "open":
        raise NotNow(state.why or "This step was taken already.")
    with store.session() as session:
        account = crossings.crossing(session, crossing).account_id
    params = {"crossing": crossing}
    return jobs.enqueue(store, JobKind.LET_IN, "Letting people into the new calendars", params, account, by)


@performs(JobKind.LET_IN)
def let_in_job(context: JobContext) -> dict[str, object]:
    """Ask every old calendar who may read and write it, and say so at the new one."""
    crossing = CrossingId(context.params["crossing"])
    lanes = view(context.store, crossing).lanes
    notes: list[str] = []
    carried = 0
    for done, lane in enumerate(lanes):
        context.progress(done, len(lanes), "lanes", lane.row.target_name)
        try:
            people = _people(context, lane)
            if people is None:
                notes.append(f"{_source(lane)} does not tell who may read and write it: ask its owner.")
            elif people:
                number, by_hand = _let_in(context, lane, people)
                carried += number
                notes += by_hand
            notes += _settings(context, lane)
        except Unreachable as error:
            raise Refused(error.message) from error
    done_notes = [f"{counted(carried, 'person was', 'people were')} let in.", *notes] if carried or notes else []
    with context.store.write() as connection:
        record(connection, crossing, CutoverStep.ACCESS, Taken(notes=done_notes), context.by)
        return context.conclude(connection, {"carried": carried, "by_hand": len(notes)})


def _source(lane: LaneView) -> str:
    return f"“{lane.source.name}”" if lane.source is not None else "An old calendar"


def _url(store: Store, account: AccountId, calendar: int) -> str:
    return next((one.url for one in remotes_of(store, account) if one.calendar_id == calendar), "")


def _people(context: JobContext, lane: LaneView) -> list[Access] | None:
    """Who may read and write the old calendar; None where that is not told, nobody where it lives here."""
    if lane.source is None or lane.source.account_id is None:
        return []
    if lane.source.owned is False:  # only its owner is told
        return None
    with connected_to(context.store, context.settings, lane.source.account_id, context.check) as line:
        return access_of(line.server, _url(context.store, lane.source.account_id, lane.source.id))


def _let_in(context: JobContext, lane: LaneView, people: Sequence[Access]) -> tuple[int, list[str]]:
    """Let people into the new calendar; how many were, and what is left to be done by hand."""
    target = lane.target
    if target is None or target.account_id is None:
        return 0, [_by_hand(one, target.name if target is not None else "the new calendar", "") for one in people]
    with connected_to(context.store, context.settings, target.account_id, context.check) as line:
        url = _url(context.store, target.account_id, target.id)
        known = {one: principal_of(line.server, url, one.mail) if one.mail else "" for one in people}
        there = [(principal, one.writes) for one, principal in known.items() if principal]
        taken = bool(there) and let_in(line.server, url, there)
    left = [one for one, principal in known.items() if not principal or not taken]
    return len(people) - len(left), [_by_hand(one, target.name, target.account) for one in left]


def _settings(context: JobContext, lane: LaneView) -> list[str]:
    """Give the new calendar the settings of the old one; says what its server does not take."""
    source, target = lane.source, lane.target
    if source is None or target is None or source.account_id is None or target.account_id is None:
        return []
    with connected_to(context.store, context.settings, source.account_id, context.check) as line:
        wanted = settings_of(line.server, _url(context.store, source.account_id, source.id))
    with connected_to(context.store, context.settings, target.account_id, context.check) as line:
        left = take_over(line.server, _url(context.store, target.account_id, target.id), wanted)
    return [f"By hand: {target.account} does not take the {words} of “{target.name}”." for words in left]


def _by_hand(one: Access, calendar: str, account: str) -> str:
    who = " ".join(filter(None, (one.name, f"({one.mail})" if one.mail else ""))) or one.principal
    where = f" on {account}" if account else ""
    return f"By hand: let {who} {'write' if one.writes else 'read'} “{calendar}”{where}."
