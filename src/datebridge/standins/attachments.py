"""Attachments that a server keeps by itself (RFC 8607): added to an object, updated, removed, and handed out."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Sequence
from email.message import Message
from urllib.parse import quote

from starlette.responses import Response

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts
from datebridge.core.objects import assemble, take_apart
from datebridge.core.text.component import ComponentEditor
from datebridge.core.text.lines import format_line
from datebridge.core.zones.meaning import Zones
from datebridge.standins.asking import Ask
from datebridge.standins.multistatus import CAL, error
from datebridge.standins.reading import nothing
from datebridge.standins.records import Attachment

#: Where attachments are handed out, beside the calendars.
PLACE = "/dav/attachments/"


def post(ask: Ask) -> Response:
    """Do to the attachments of an object what its address asks for (RFC 8607 §3.3)."""
    if not ask.traits.manages:
        return Response("This method is not known here.", 405)
    stored, own = ask.stored(ask.place), ask.place.collection
    if stored is None or own is None:
        return nothing()
    refusal = ask.may_not_write(ask.place) or ask.failed_condition(ask.live.etag(stored))
    if refusal is not None:
        return refusal
    asked = ask.request.query_params
    action, number = asked.get("action", ""), asked.get("managed-id", "")
    if action not in ("attachment-add", "attachment-update", "attachment-remove"):
        return error(403, f"{{{CAL}}}valid-action", "An attachment is added, updated or removed.")
    if action != "attachment-remove" and len(ask.body) > ask.traits.most_attached:
        most = f"The most {ask.traits.name} takes is {ask.traits.most_attached:,} bytes an attachment."
        return error(403, f"{{{CAL}}}max-attachment-size", most)
    parsed = take_apart(stored.data)
    definitions = [(facts.uid, text) for facts, text in parsed.zones]
    chosen = _chosen(parsed.entries, Zones(definitions), asked.get("rid", ""))
    if not chosen:
        return error(403, f"{{{CAL}}}valid-rid", "There is no such occurrence.")
    if action != "attachment-add" and not any(_has(text, number) for _, text in parsed.entries):
        return error(403, f"{{{CAL}}}valid-managed-id", "There is no such attachment.")
    line = "" if action == "attachment-remove" else _kept(ask, own.owner)
    texts = [_edited(text, number, line) if at in chosen else text for at, (_, text) in enumerate(parsed.entries)]
    ask.records.put(own, stored.name, assemble(texts, definitions), stored.uid, stored.component)
    kept = ask.records.object(own, stored.name)
    assert kept is not None  # noqa: S101
    headers = {"ETag": ask.live.etag(kept)}
    if line:
        headers["Cal-Managed-ID"] = _number(line)
    return Response(status_code=201 if action == "attachment-add" else 204, headers=headers)


def get(ask: Ask) -> Response:
    """Hand out an attachment to whose it is."""
    number = ask.path.removeprefix(PLACE).partition("/")[0]
    there = ask.records.attachment(number)
    if there is None or not ask.may_see(there.owner):
        return nothing()
    named = f"attachment; filename*=UTF-8''{quote(there.name, safe='')}"
    return Response(there.data, media_type=there.media, headers={"Content-Disposition": named})


def _kept(ask: Ask, owner: str) -> str:
    """Keep what was sent; returns the line by which it is known from now on."""
    head = Message()
    head["Content-Disposition"] = ask.request.headers.get("content-disposition", "")
    name = head.get_filename() or "attachment"
    media = ask.request.headers.get("content-type", "application/octet-stream").partition(";")[0].strip()
    number = hashlib.blake2b(f"{ask.path} {ask.records.count()}".encode(), digest_size=8).hexdigest()
    ask.records.attach(Attachment(number, owner, name, media, ask.body))
    url = f"{str(ask.request.base_url).rstrip('/')}{PLACE}{number}/{quote(name)}"
    params = {"MANAGED-ID": number, "FMTTYPE": media, "FILENAME": name, "SIZE": str(len(ask.body))}
    return format_line("ATTACH", url, params)


def _chosen(entries: Sequence[tuple[Facts, str]], zones: Zones, rid: str) -> set[int]:
    """Which entries of an object an address means: all of them, the series itself, or changed occurrences."""
    of = {at: derive(facts.component, text, zones).recurrence_id for at, (facts, text) in enumerate(entries)}
    if not rid:
        return set(of)
    wanted = rid.split(",")
    return {at for at, key in of.items() if (key or "M") in wanted}


def _has(text: str, number: str) -> bool:
    return any(line.param("MANAGED-ID") == number for _, line in ComponentEditor(text).own("ATTACH"))


def _edited(text: str, number: str, line: str) -> str:
    """An entry without the attachment of a number, where there is one, and with a line where there is one."""
    lines = ComponentEditor(text)
    lines.drop("ATTACH", lambda one: bool(number) and one.param("MANAGED-ID") == number)
    if line:
        lines.add(line)
    return lines.text


def _number(line: str) -> str:
    match = re.search(r"MANAGED-ID=([0-9a-f]+)", line)
    return match[1] if match else ""
