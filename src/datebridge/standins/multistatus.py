"""Answers and questions in WebDAV's XML (RFC 4918), as the stand-ins write and read them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from xml.sax.saxutils import escape

from lxml import etree
from starlette.responses import Response

DAV = "DAV:"
CAL = "urn:ietf:params:xml:ns:caldav"
#: Colours, order and tags have no standard; these servers keep them under a namespace of their own.
OWN = "http://skerrow.example/ns/"
_HEAD = f'<?xml version="1.0" encoding="utf-8"?>\n<D:multistatus xmlns:D="{DAV}" xmlns:C="{CAL}" xmlns:S="{OWN}">'
_PREFIX = {DAV: "D", CAL: "C", OWN: "S"}


class NotXml(ValueError):
    """A body that is no well-formed XML."""


def read(body: bytes) -> etree._Element | None:
    """The root of a request's body; None where it is empty. Entities are not resolved.

    Raises:
        NotXml: if it cannot be read.
    """
    if not body.strip():
        return None
    try:
        return etree.fromstring(body, etree.XMLParser(resolve_entities=False, no_network=True))
    except etree.XMLSyntaxError as error:
        raise NotXml(str(error)) from error


def tag(name: str) -> str:
    """``{DAV:}href`` as ``D:href``; a name of a namespace nobody here knows comes back with its own."""
    space, _, local = name[1:].partition("}")
    return f"{_PREFIX[space]}:{local}" if space in _PREFIX else f'X:{local} xmlns:X="{escape(space)}"'


def element(name: str, inner: str = "") -> str:
    opened = tag(name)
    return f"<{opened}>{inner}</{opened.split(' ')[0]}>" if inner else f"<{opened}/>"


def href(path: str) -> str:
    return f"<D:href>{escape(path)}</D:href>"


def propstats(path: str, properties: Iterable[str], missing: Iterable[str] = ()) -> str:
    """One response of a multistatus: the properties there are (as XML), and the names of those there are not."""
    have = "".join(properties)
    lacking = "".join(element(name) for name in missing)
    stats = f"<D:propstat><D:prop>{have}</D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat>" if have else ""
    if lacking or not have:
        stats += f"<D:propstat><D:prop>{lacking}</D:prop><D:status>HTTP/1.1 404 Not Found</D:status></D:propstat>"
    return f"<D:response>{href(path)}{stats}</D:response>"


def stats(path: str, by_status: Mapping[str, Iterable[str]], why: Mapping[str, str]) -> str:
    """One response of a multistatus: properties (as XML) by how they fared, and the precondition a status is for."""
    parts = ""
    for line, properties in by_status.items():
        condition = f"<D:error>{element(why[line])}</D:error>" if why.get(line) else ""
        inner = "".join(properties)
        parts += f"<D:propstat><D:prop>{inner}</D:prop><D:status>HTTP/1.1 {line}</D:status>{condition}</D:propstat>"
    return f"<D:response>{href(path)}{parts}</D:response>"


def status(path: str, line: str) -> str:
    return f"<D:response>{href(path)}<D:status>HTTP/1.1 {line}</D:status></D:response>"


def multistatus(responses: Iterable[str], after: str = "") -> Response:
    return Response(f"{_HEAD}{''.join(responses)}{after}</D:multistatus>", 207, media_type="application/xml")


def error(code: int, condition: str, words: str = "", inner: str = "") -> Response:
    """A refused precondition (RFC 4918 §16): its element, and a sentence for people."""
    text = f"<D:responsedescription>{escape(words)}</D:responsedescription>" if words else ""
    body = f'<D:error xmlns:D="{DAV}" xmlns:C="{CAL}">{element(condition, inner)}{text}</D:error>'
    return Response(body, code, media_type="application/xml")
