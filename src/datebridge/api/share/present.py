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
    said = _DETAILS[terms.detail]
    if busy and terms.busy_title:
        said += f", titled “{terms.busy_title}”"
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
        said += " with " + " and ".join(ticked)
    if terms.private is terms.confidential:
        said += f"; private {_GUARDED[terms.private]}"
    else:
        said += f"; private {_GUARDED[terms.private]}, confidential {_GUARDED[terms.confidential]}"
    return said + ("; to-dos too" if terms.todos else "")


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
    own = [one for one in used if one.share == share.id]
    terms = terms_of(share.terms)
    fetched = sum(one.fetched + one.unchanged for one in own)
    live = [one for one in readers if one.ended_at is None]
    lately = any(one.day > today - timedelta(days=_UNREAD) and one.fetched + one.unchanged for one in own)
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
        readers=[reader_out(one, own, elsewhere, today) for one in readers],
        hosts=[host_out(one) for one in hosts],
        bars=bars_of(own, today),
        uses=_by_form(own),
        refused=sum(one.refused for one in own),
        fetched=fetched,
        size=sum(one.size for one in own),
        unread=bool(live) and old and not lately,
    )


def _by_form(used: Sequence[Day]) -> list[FormUse]:
    """How each form was used, the most used first."""
    found: dict[str, FormUse] = {}
    for one in used:
        sum_of = found.setdefault(one.form, FormUse(form=one.form, fetched=0, unchanged=0, size=0))
        sum_of.fetched += one.fetched
        sum_of.unchanged += one.unchanged
        sum_of.size += one.size
    return sorted(
        (one for one in found.values() if one.fetched + one.unchanged), key=lambda one: -one.fetched - one.unchanged
    )


def reader_out(reader: Reader, used: Sequence[Day], elsewhere: set[int], today: date) -> ReaderOut:
    """A reader with what was counted."""
    own = [one for one in used if one.reader == reader.id]
    came = [one for one in own if one.fetched + one.unchanged]
    last = max((one.last for one in came), default=0)
    days = (today - min((one.day for one in came), default=today)).days + 1
    state: Literal["reads", "never read", "inactive", "revoked", "redirected"] = "reads"
    if reader.ended_at is not None:
        state = "revoked"
    elif reader.id in elsewhere:
        state = "redirected"
    elif not came:
        state = "never read"
    elif max(one.day for one in came) < today - timedelta(days=_STOPPED):
        state = "inactive"
    return ReaderOut(
        id=demand_id(reader.id),
        name=reader.name,
        mail=reader.mail,
        password=bool(reader.password),
        state=state,
        last=present.stamp(last) or "" if last else "",
        a_day=round(sum(one.fetched + one.unchanged for one in came) / days, 1),
        refused=sum(one.refused for one in own),
        size=sum(one.size for one in own),
        bars=bars_of(own, today),
    )


def bars_of(used: Sequence[Day], today: date) -> list[int]:
    """How often on each of the last 90 days, today the last."""
    counts: dict[date, int] = defaultdict(int)
    for one in used:
        counts[one.day] += one.fetched + one.unchanged
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
