"""One request to a calendar server, answered: WebDAV's and CalDAV's methods (RFC 4918, 4791, 6578)."""

from __future__ import annotations

from collections.abc import Callable

from starlette.responses import Response

from datebridge.standins import attachments, making, reading, reports, writing
from datebridge.standins.asking import Ask
from datebridge.standins.multistatus import NotXml

_METHODS: dict[str, Callable[[Ask], Response]] = {
    "GET": reading.get,
    "HEAD": reading.get,
    "PROPFIND": reading.propfind,
    "REPORT": reports.report,
    "PUT": writing.put,
    "POST": attachments.post,
    "DELETE": writing.delete,
    "COPY": writing.copy,
    "MOVE": writing.move,
    "MKCALENDAR": making.mkcalendar,
    "MKCOL": making.mkcol,
    "PROPPATCH": making.proppatch,
    "ACL": making.acl,
}


def answer(ask: Ask) -> Response:
    if ask.request.method == "OPTIONS":
        return _options(ask)
    handler = _METHODS.get(ask.request.method)
    if handler is None:
        return Response("This method is not known here.", 405, {"Allow": _allowed(ask)})
    if ask.request.method in ("GET", "HEAD") and ask.path.startswith(attachments.PLACE):
        return attachments.get(ask)
    try:
        return handler(ask)
    except NotXml as error:
        return Response(f"This is no XML: {error}", 400)


def _allowed(ask: Ask) -> str:
    without = {"MKCALENDAR" if ask.habits.has("mkcol-only") else ""}
    without |= set() if ask.traits.mkcol or ask.habits.has("mkcol-only") else {"MKCOL"}
    without |= set() if ask.traits.acl else {"ACL"}
    without |= set() if ask.traits.manages else {"POST"}
    return ", ".join(["OPTIONS", *(name for name in _METHODS if name not in without)])


def _options(ask: Ask) -> Response:
    mkcol = ", extended-mkcol" if "MKCOL" in _allowed(ask) else ""
    managed = ", calendar-managed-attachments" if ask.traits.manages else ""
    dav = f"1, 3, access-control, calendar-access, calendar-auto-schedule{mkcol}{managed}"
    return Response(headers={"DAV": dav, "Allow": _allowed(ask)})
