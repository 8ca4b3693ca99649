"""Mail handed to the server that the settings name (SMTP, RFC 5321)."""

from __future__ import annotations

import asyncio
from email.message import EmailMessage
from urllib.parse import urlsplit

import aiosmtplib

from datebridge.connect.errors import Unreachable
from datebridge.connect.waiting import wait

#: A message has left within so many seconds, or it is said that it has not.
_WHOLE = 20.0
_SCHEMES = {"smtp": (25, False, False), "smtp+starttls": (587, False, True), "smtps": (465, True, False)}


def send(server: str, user: str, password: str, message: EmailMessage) -> None:
    """Hand a message over.

    Args:
        server: ``smtp://host:port``, ``smtp+starttls://host`` or ``smtps://host``.

    Raises:
        Unreachable: if it was not taken; the message says why.
    """
    parts = urlsplit(server)
    if parts.scheme not in _SCHEMES or not parts.hostname:
        raise Unreachable("address", "The mail server is not said as smtp://host:port, smtp+starttls:// or smtps://.")
    usual, tls, starttls = _SCHEMES[parts.scheme]
    client = aiosmtplib.SMTP(
        hostname=parts.hostname, port=parts.port or usual, use_tls=tls, start_tls=starttls, timeout=_WHOLE / 2,
        username=user or None, password=password or None,
    )  # fmt: skip

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
