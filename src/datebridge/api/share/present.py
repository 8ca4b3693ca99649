"""Shares as they are shown: with their readers, their hosts, and what was counted."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from typing import Literal

from datebridge.api import present
from datebridge.api.share.shapes import FormUse, HostOut, ReaderOut, ShareOut, TermsIO
from datebridge.clock import now
from datebridge.core.choices import Form
from datebridge.core.sharing.terms import Detail, Guarded, Terms
from datebridge.services.sharing.plans import day_in, terms_of
from datebridge.store.tables import Reader, Role, Share, ShareHost, demand_id
from datebridge.store.use import KEPT_DAYS, Day

#: A reader who came, and has not for so many days, has stopped; a share nobody came to for as long is not read.
_STOPPED = 14
_UNREAD = 30
_DETAILS = {
    Detail.EVERYTHING: "everything",
    Detail.WITHOUT_PEOPLE: "without people",
    Detail.TITLES: "titles, times and places",
    Detail.BUSY: "only busy",
}
_GUARDED = {Guarded.LEAVE_OUT: "left out", Guarded.BUSY: "as busy", Guarded.AS_OTHERS: "like all others"}


def in_words(terms: Terms) -> str:
    """What is given, in a line.

    >>> in_words(Terms(Detail.BUSY, busy_title="At sea"))
    'only busy, titled “At sea”; private left out'
    """
    busy = terms.detail is Detail.BUSY
    text = _DETAILS[terms.detail]
    if busy and terms.busy_title:
        text += f", titled “{terms.busy_title}”"
    ticked = (
        []
        if busy
        else [
            name
            for name, on in (
                ("attachments", terms.attachments),
                ("alarms", terms.alarms),
                ("conference addresses", terms.conferences),
                ("unknown properties", terms.unknown),
            )
            if on
        ]
    )
    if ticked:
        text += " with " + " and ".join(ticked)
    if terms.private is terms.confidential:
        text += f"; private {_GUARDED[terms.private]}"
    else:
        text += f"; private {_GUARDED[terms.private]}, confidential {_GUARDED[terms.confidential]}"
    return text + ("; to-dos too" if terms.todos else "")


def share_out(
    share: Share,
    owner: Role,
    readers: Sequence[Reader],
    hosts: Sequence[ShareHost],
    names: Mapping[int, str],
    used: Sequence[Day],
    elsewhere: set[int],
    today: date,
) -> ShareOut:
    """A share with all that belongs to it."""
    own = [day for day in used if day.share == share.id]
    terms = terms_of(share.terms)
    fetched = sum(day.fetched + day.unchanged for day in own)
    live = [reader for reader in readers if reader.ended_at is None]
    lately = any(day.day > today - timedelta(days=_UNREAD) and day.fetched + day.unchanged for day in own)
    old = now() - share.made_at > _UNREAD * 86_400
    return ShareOut(
        id=demand_id(share.id),
        title=share.title,
        owner=owner.name,
        contact=owner.contact,
        calendars=share.calendars,  # type: ignore[arg-type]
        names=[names[number] for number in share.calendars if number in names],
        filter=share.filter,
        terms=TermsIO.model_validate(terms, from_attributes=True),
        forms=[Form(form) for form in share.forms],
        zone=share.zone,
        interval=share.interval,
        fixed_at=present.stamp(share.fixed_at) or "",
        until=day_in(share.until - 1, share.zone).isoformat() if share.until else "",
        over=bool(share.until and share.until <= now()),
        sites=share.sites,
        indexed=share.indexed,
        made=present.stamp(share.made_at) or "",
        says=in_words(terms),
        readers=[reader_out(reader, own, elsewhere, today) for reader in readers],
        hosts=[host_out(host) for host in hosts],
        bars=bars_of(own, today),
        uses=_by_form(own),
        refused=sum(day.refused for day in own),
        fetched=fetched,
        size=sum(day.size for day in own),
        unread=bool(live) and old and not lately,
    )


def _by_form(used: Sequence[Day]) -> list[FormUse]:
    """How each form was used, the most used first."""
    uses: dict[str, FormUse] = {}
    for day in used:
        sum_of = uses.setdefault(day.form, FormUse(form=day.form, fetched=0, unchanged=0, size=0))
        sum_of.fetched += day.fetched
        sum_of.unchanged += day.unchanged
        sum_of.size += day.size
    return sorted(
        (use for use in uses.values() if use.fetched + use.unchanged), key=lambda use: -use.fetched - use.unchanged
    )


def reader_out(reader: Reader, used: Sequence[Day], elsewhere: set[int], today: date) -> ReaderOut:
    """A reader with what was counted."""
    own = [day for day in used if day.reader == reader.id]
    came = [day for day in own if day.fetched + day.unchanged]
    last = max((day.last for day in came), default=0)
    days = (today - min((day.day for day in came), default=today)).days + 1
    state: Literal["reads", "never read", "inactive", "revoked", "redirected"] = "reads"
    if reader.ended_at is not None:
        state = "revoked"
    elif reader.id in elsewhere:
        state = "redirected"
    elif not came:
        state = "never read"
    elif max(day.day for day in came) < today - timedelta(days=_STOPPED):
        state = "inactive"
    return ReaderOut(
        id=demand_id(reader.id),
        name=reader.name,
        mail=reader.mail,
        password=bool(reader.password),
        state=state,
        last=present.stamp(last) or "" if last else "",
        a_day=round(sum(day.fetched + day.unchanged for day in came) / days, 1),
        refused=sum(day.refused for day in own),
        size=sum(day.size for day in own),
        bars=bars_of(own, today),
    )


def bars_of(used: Sequence[Day], today: date) -> list[int]:
    """How often on each of the last 90 days, today the last."""
    counts: dict[date, int] = defaultdict(int)
    for day in used:
        counts[day.day] += day.fetched + day.unchanged
    return [counts[today - timedelta(days=back)] for back in range(KEPT_DAYS - 1, -1, -1)]


def host_out(host: ShareHost) -> HostOut:
    return HostOut(
        id=demand_id(host.id),
        host=host.host,
        user=host.user,
        form=Form(host.form),
        always=host.always,
        outcome=host.outcome,
        trouble=host.trouble,
        last=present.stamp(host.done_at) or "" if host.done_at else "",
    )
