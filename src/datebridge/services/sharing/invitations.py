"""Telling readers of a share: a message with their own address, sent by mail or taken as a file."""

from __future__ import annotations

import re
from dataclasses import dataclass
from email.message import EmailMessage
from email.utils import formataddr, formatdate, make_msgid

from datebridge.clock import now
from datebridge.connect.mail import send
from datebridge.services.sharing.addresses import address_of
from datebridge.services.sharing.made import Giver
from datebridge.services.sharing.plans import Form, plan_of
from datebridge.services.sharing.shares import CannotShare, NoShare, is_address_of
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.tables import Reader, Role, Share, demand_id

#: Where the address goes in a text that somebody has edited.
HERE = "{address}"
_USUAL = """Hello{name},

you can follow “{title}” in your own calendar program. This is the address:

{feed}

Give it to your program where it asks for a calendar to subscribe to, or to add one by its address. It then looks again
by itself.{page}

The address is yours alone, and whoever has it can read the calendar: please do not pass it on.{password}

{owner}
"""


@dataclass(frozen=True, slots=True)
class Invited:
    """Who is told of what."""

    share: Share
    reader: Reader
    owner: Role


def invited(store: Store, reader: int) -> Invited:
    """A reader with the share they were given.

    Raises:
        NoShare: if there is no such reader any more.
    """
    with store.session() as session:
        found = session.get(Reader, reader)
        share = session.get(Share, found.share_id) if found is not None else None
        owner = session.get(Role, share.role_id) if share is not None else None
    if found is None or share is None or owner is None or found.ended_at is not None or share.ended_at is not None:
        raise NoShare("There is no such reader any more.")
    return Invited(share, found, owner)


def usual_text(about: Invited) -> tuple[str, str]:
    """The subject and the text that are offered, the address still to be put in."""
    share, reader = about.share, about.reader
    page = ""
    if Form.PAGE in share.forms:
        page = "\n\nOr look at it as a page:\n\n{page}"
    words = _USUAL.format(
        name=f" {reader.name}" if reader.name else "", title=share.title, feed=HERE, page=page,
        password=" Your program will ask for a password; you get it separately." if reader.password else "",
        owner=about.owner.name,
    )  # fmt: skip
    return f"A calendar for you: {share.title}", words


def message(
    store: Store, settings: Settings, reader: int, token: str, subject: str, text: str, attach: bool
) -> EmailMessage:
    """The message to a reader, with their own address in it and nobody else's.

    Args:
        token: what their address holds; only they are told, so it has to be given here again.
        attach: whether what the share gives goes along as a file.

    Raises:
        CannotShare: if that is not the address of this reader, or the text does not say it.
    """
    about = invited(store, reader)
    if not is_address_of(store, reader, token):
        raise CannotShare("This is not the address of that reader. Renew it, and invite them with the new one.")
    if not about.reader.mail:
        raise CannotShare("Say the reader's mail address first.")
    page = address_of(settings, token)
    feed = page + "feed.ics" if Form.FEED in about.share.forms else page
    if HERE not in text and "{page}" not in text:
        raise CannotShare(f"The text has to say {HERE}: that is where the reader's address is put in.")
    made = EmailMessage()
    made["From"] = formataddr((_line(about.owner.name), settings.mail_from or "calendar@localhost"))
    made["To"] = formataddr((_line(about.reader.name), about.reader.mail))
    made["Subject"] = _line(subject)[:200]
    made["Date"] = formatdate(now(), usegmt=True)
    made["Message-ID"] = make_msgid(domain=(settings.mail_from.rpartition("@")[2] or "localhost"))
    made.set_content(text.replace(HERE, feed).replace("{page}", page))
    if attach:
        share = about.share
        giver = Giver(store)
        data = giver.made(demand_id(share.id), plan_of(share), "", Form.FILE).body
        name = re.sub(r"[^A-Za-z0-9.-]+", "-", share.title).strip("-.")[:80] or "calendar"
        made.add_attachment(data, "text", "calendar", filename=f"{name}.ics")
    return made


def send_invitation(
    store: Store, settings: Settings, reader: int, token: str, subject: str, text: str, attach: bool
) -> None:
    """Send it.

    Raises:
        CannotShare: where no mail server is set up, or as in `message`.
        Unreachable: if the mail server does not take it.
    """
    if not settings.mail_server:
        raise CannotShare("No mail server is set up. Take the message as a file, or set DATE_BRIDGE_MAIL_SERVER.")
    made = message(store, settings, reader, token, subject, text, attach)
    send(settings.mail_server, settings.mail_user, settings.mail_password, made)


def _line(text: str) -> str:
    return " ".join(text.split())
