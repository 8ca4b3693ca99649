"""Mail handed to the server that the settings name (SMTP, RFC 5321)."""

from __future__ import annotations

import asyncio
from email.message import EmailMessage
from email.utils import formataddr, formatdate, make_msgid
from urllib.parse import urlsplit

import aiosmtplib

from datebridge.clock import now
from datebridge.connect.errors import Unreachable
from datebridge.connect.waiting import wait

#: A message has left within so many seconds, or it is said that it has not.
_WHOLE = 20.0
_SCHEMES = {"smtp": (25, False, False), "smtp+starttls": (587, False, True), "smtps": (465, True, False)}


def new_message(sender: tuple[str, str], recipient: tuple[str, str], subject: str) -> EmailMessage:
    """A message without a body: sender and recipient as name and address, each header on one line (RFC 5322 §3.6)."""
    made = EmailMessage()
    made["From"] = formataddr((one_line(sender[0]), sender[1]))
    made["To"] = formataddr((one_line(recipient[0]), recipient[1]))
    made["Subject"] = one_line(subject)[:200]
    made["Date"] = formatdate(now(), usegmt=True)
    made["Message-ID"] = make_msgid(domain=sender[1].rpartition("@")[2] or "localhost")
    return made


def one_line(text: str) -> str:
    """Text as a header can hold it."""
    return " ".join(text.split())


def send(server: str, user: str, password: str, message: EmailMessage) -> None:
    """Hand a message over.

    Args:
        server: ``smtp://host:port``, ``smtp+starttls://host`` or ``smtps://host``.

    Raises:
        Unreachable: if it was not taken; the message says why.
    """
    parts = urlsplit(server)
    if parts.scheme not in _SCHEMES or not parts.hostname:
        raise Unreachable("address", "The mail server must be given as smtp://host:port, smtp+starttls:// or smtps://.")
    usual, tls, starttls = _SCHEMES[parts.scheme]
    client = aiosmtplib.SMTP(
        hostname=parts.hostname,
        port=parts.port or usual,
        use_tls=tls,
        start_tls=starttls,
        timeout=_WHOLE / 2,
        username=user or None,
        password=password or None,
    )

    async def hand_over() -> None:
        async with asyncio.timeout(_WHOLE), client:
            await client.send_message(message)

    host = parts.hostname
    try:
        wait(hand_over())
    except aiosmtplib.SMTPAuthenticationError as error:
        raise Unreachable("password", f"{host} does not accept the user name and password for mail.") from error
    except aiosmtplib.SMTPRecipientsRefused as error:
        raise Unreachable("answer", f"{host} does not take mail for that address.") from error
    except aiosmtplib.SMTPResponseException as error:
        raise Unreachable("answer", f"{host} did not take the message ({error.code}).") from error
    except (aiosmtplib.SMTPException, OSError, TimeoutError) as error:
        raise Unreachable("refused", f"{host}, the mail server, cannot be reached.") from error
