"""Telling readers of a share: a message with their own address, sent by mail or taken as a file."""

from __future__ import annotations

import re
from dataclasses import dataclass
from email.message import EmailMessage

from datebridge.connect.mail import new_message, send
from datebridge.core.choices import Form
from datebridge.core.sharing.formats import FORMATS
from datebridge.services.sharing.addresses import address_of
from datebridge.services.sharing.plans import plan_of
from datebridge.services.sharing.render_cache import ShareRenderer
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
        row = session.get(Reader, reader)
        share = session.get(Share, row.share_id) if row is not None else None
        owner = session.get(Role, share.role_id) if share is not None else None
    if row is None or share is None or owner is None or row.ended_at is not None or share.ended_at is not None:
        raise NoShare("This reader no longer exists.")
    return Invited(share, row, owner)


def usual_text(about: Invited) -> tuple[str, str]:
    """The subject and the text that are offered, the address still to be put in."""
    share, reader = about.share, about.reader
    page = ""
    if Form.PAGE in share.forms:
        page = "\n\nOr look at it as a page:\n\n{page}"
    words = _USUAL.format(
        name=f" {reader.name}" if reader.name else "",
        title=share.title,
        feed=HERE,
        page=page,
        password=" A password is required; you get it separately." if reader.password else "",
        owner=about.owner.name,
    )
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
        raise CannotShare(
            "This is not the reader's address. Renew the address, and invite the reader with the new one."
        )
    if not about.reader.mail:
        raise CannotShare("Enter the reader's email address.")
    page = address_of(settings, token)
    feed = page + FORMATS[Form.FEED].path if Form.FEED in about.share.forms else page
    if HERE not in text and "{page}" not in text:
        raise CannotShare(f"The text must contain {HERE}, which stands for the reader's address.")
    sender = (about.owner.name, settings.mail_from or "calendar@localhost")
    made = new_message(sender, (about.reader.name, about.reader.mail), subject)
    made.set_content(text.replace(HERE, feed).replace("{page}", page))
    if attach:
        share = about.share
        renderer = ShareRenderer(store)
        data = renderer.made(demand_id(share.id), plan_of(share), "", Form.FILE).body
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
        raise CannotShare("No mail server is set up. Save the message as a file, or set DATE_BRIDGE_MAIL_SERVER.")
    made = message(store, settings, reader, token, subject, text, attach)
    send(settings.mail_server, settings.mail_user, settings.mail_password, made)
