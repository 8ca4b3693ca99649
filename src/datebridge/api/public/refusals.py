"""What readers are told who get nothing: why, and whom to ask."""

from __future__ import annotations

from enum import Enum
from html import escape

from datebridge.api.public.answers import Answer
from datebridge.api.public.words import language_of
from datebridge.services.sharing.addresses import KnownShare


class Refusal(Enum):
    """Why somebody gets nothing: the status, and the words for it."""

    UNKNOWN = 404, "unknown_address"
    ENDED = 410, "address_ended"
    EXPIRED = 410, "share_expired"
    NO_FORM = 404, "no_such_form"
    PASSWORD = 401, "password_wanted"


def refusal_page(why: Refusal, accepted: str, known: KnownShare | None = None) -> Answer:
    """The answer, as a small page of its own; it says what the calendar is called only to who was given it."""
    status, key = why.value
    language = language_of(accepted)
    words = [language.words[key]]
    if known is not None and status != 401:
        contact = f" ({known.contact})" if known.contact else ""
        words.append(language.words["whom_to_ask"].format(f"{known.owner}{contact}"))
    paragraphs = "".join(f"<p>{escape(word)}</p>" for word in words)
    page = (
        f'<!doctype html><html lang="{language.code}"><meta charset="utf-8"><meta name="robots" content="noindex">'
        f'<meta name="viewport" content="width=device-width"><title>{escape(words[0])}</title><main>{paragraphs}</main>'
    )
    headers = {"Cache-Control": "no-store", "Vary": "Accept-Language"}
    if status == 401:
        headers["WWW-Authenticate"] = 'Basic realm="Calendar", charset="UTF-8"'
    return Answer(status, page.encode(), "text/html; charset=utf-8", headers)
