"""Telling owners that their calendars have moved: a message each, by the mail server, each sent once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from email.message import EmailMessage

from datebridge.connect.errors import Unreachable
from datebridge.connect.mail import new_message, send
from datebridge.core.changes import PERSON, By
from datebridge.core.crossing.cutover import CutoverStep, MovedCalendar, calendars_in_words, worded
from datebridge.core.ids import AccountId, CrossingId, JobId
from datebridge.core.job_kinds import JobKind
from datebridge.services.crossing.cutover import MOVED, NotNow, Taken, owner_of, record, sources_of, view
from datebridge.services.crossing.plans import LaneView, lane_views
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.settings import Settings
from datebridge.store import cutover as stored
from datebridge.store.accounts import accounts
from datebridge.store.database import Store
from datebridge.store.tables import Account, demand_id

#: The key in `CutoverAct.before` under which it stands who has been told.
_SENT = "sent"


@dataclass(frozen=True, slots=True)
class OwnerMessage:
    """What an owner is told.

    Attributes:
        key: the owner, for as long as the crossing has these lanes.
        mail: where to; "" where nobody knows.
        values: what stands for the places of a template.
        sent: they were told already.
    """

    key: str
    name: str
    mail: str
    values: Mapping[str, str]
    sent: bool


def owner_messages(store: Store, crossing: CrossingId) -> list[OwnerMessage]:
    """The owners of a crossing's calendars, with what each is told.

    Raises:
        NoCrossing: if there is no such crossing.
    """
    plan, views = lane_views(store, crossing)
    by_id = {AccountId(demand_id(one.id)): one for one in accounts(store)}
    with store.session() as session:
        act = stored.acts_of(session, crossing).get(CutoverStep.MESSAGES)
    told = set((act.before if act is not None else {}).get(_SENT, ()))
    owners: dict[str, list[LaneView]] = {}
    for own in sources_of([one for one in views if one.row.going]).values():
        owners.setdefault(owner_of(own[0]), []).extend(own)
    target = by_id.get(AccountId(plan.account_id)) if plan.account_id is not None else None
    return [_message(key, by_id, target, lanes, told) for key, lanes in sorted(owners.items())]


def _message(
    key: str, by_id: Mapping[AccountId, Account], target: Account | None, lanes: Sequence[LaneView], told: set[str]
) -> OwnerMessage:
    number, _, owner = key.partition(" ")
    account = by_id.get(AccountId(int(number)))
    moved = [
        MovedCalendar(
            one.source.name.removesuffix(MOVED) if one.source is not None else "",
            one.target.name if one.target is not None else one.row.target_name,
            one.row.verified.get("there", 0),
            one.row.verified.get("left", 0),
        )
        for one in lanes
    ]
    name = owner or (account.user if account is not None else "")
    mail = account.addresses[0] if account is not None and account.addresses and not owner else ""
    values = {
        "name": name or "there",
        "old": account.name if account is not None else "the old place",
        "target": target.name if target is not None else "Date Bridge",
        "calendars": calendars_in_words(moved),
        "address": target.host if target is not None else "",
    }
    return OwnerMessage(key, name, mail, values, key in told)


def tell(
    store: Store, settings: Settings, crossing: CrossingId, subject: str, text: str, to: Mapping[str, str]
) -> JobId:
    """Queue telling owners, each at the address given for them.

    Raises:
        NotNow: if it is not the time, no mail server is set up, or an address is none.
    """
    state = next(one.state for one in view(store, crossing).steps if one.state.step is CutoverStep.MESSAGES)
    if state.state == "waits":
        raise NotNow(state.why)
    if not settings.mail_server:
        raise NotNow("No mail server is set up (DATE_BRIDGE_MAIL_SERVER). Tell the owners yourself, and record it.")
    wrong = next((mail for mail in to.values() if "@" not in mail.strip("@") or len(mail.split()) != 1), None)
    if wrong is not None or not to:
        raise NotNow(f"“{wrong[:80]}” is no mail address." if wrong else "Enter at least one mail address.")
    params = {"crossing": crossing, "subject": subject, "text": text, "to": dict(to)}
    return jobs.enqueue(store, JobKind.TELL_OWNERS, "Telling the owners", params)


@performs(JobKind.TELL_OWNERS)
def tell_job(context: JobContext) -> dict[str, object]:
    """Send each message, and write down at once that it was sent."""
    crossing = CrossingId(context.params["crossing"])
    to: dict[str, str] = context.params["to"]
    due = [one for one in owner_messages(context.store, crossing) if one.key in to and not one.sent]
    troubles: list[str] = []
    for done, one in enumerate(due):
        context.progress(done, len(due), "messages", one.name)
        made = message(context.settings, one, to[one.key], context.params["subject"], context.params["text"])
        settings = context.settings
        try:
            send(settings.mail_server, settings.mail_user, settings.mail_password, made)
        except Unreachable as error:
            troubles.append(f"{one.name}: {error}")
            continue
        _note(context, crossing, one.key)
    if troubles and len(troubles) == len(due):
        raise Refused(f"Nobody was told. {troubles[0]}")
    with context.store.write() as connection:
        return context.conclude(connection, {"told": len(due) - len(troubles), "trouble": len(troubles)})


def _note(context: JobContext, crossing: CrossingId, key: str) -> None:
    with context.store.session() as session:
        act = stored.acts_of(session, crossing).get(CutoverStep.MESSAGES)
    told = [*(act.before if act is not None else {}).get(_SENT, ()), key]
    left = [one.name or "An unknown owner" for one in owner_messages(context.store, crossing) if one.key not in told]
    notes = [f"{name} was not told yet." for name in left]
    with context.store.write() as connection:
        record(connection, crossing, CutoverStep.MESSAGES, Taken(before={_SENT: told}, notes=notes), context.by)


def message(settings: Settings, one: OwnerMessage, mail: str, subject: str, text: str) -> EmailMessage:
    """The message to an owner."""
    sender = ("Date Bridge", settings.mail_from or "calendar@localhost")
    made = new_message(sender, (one.name, mail.strip()), worded(subject, one.values))
    made.set_content(worded(text, one.values))
    return made


def told_otherwise(store: Store, crossing: CrossingId, by: By = PERSON) -> None:
    """Write down that the owners were told in another way.

    Raises:
        NotNow: if it is not the time for that.
    """
    state = next(one.state for one in view(store, crossing).steps if one.state.step is CutoverStep.MESSAGES)
    if state.state != "open":
        raise NotNow(state.why or "This step was taken already.")
    keys = [one.key for one in owner_messages(store, crossing)]
    with store.write() as connection:
        taken = Taken(before={_SENT: keys}, notes=["Told in another way."])
        record(connection, crossing, CutoverStep.MESSAGES, taken, by)
