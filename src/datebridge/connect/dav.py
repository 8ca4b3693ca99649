"""WebDAV's XML, written and read (RFC 4918). Read without entities and without the network.

Properties are known by their local names alone: colours, order and tags have no standard namespace, so each
server's own is taken as it comes, and used again when such a property is set there.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from xml.sax.saxutils import escape

from lxml import etree

from datebridge.connect.errors import Unreachable

DAV = "DAV:"
CAL = "urn:ietf:params:xml:ns:caldav"
_OPEN = f'<?xml version="1.0" encoding="utf-8"?>\n<{{0}} xmlns:D="{DAV}" xmlns:C="{CAL}">'


@dataclass(frozen=True, slots=True)
class Found:
    """One response of a multistatus: its address, its own status if it has one, the properties that are there.

    `missing` is the status of those that are not; 0 where it speaks of none.
    """

    href: str
    status: int = 200
    properties: dict[str, etree._Element] = field(default_factory=dict)
    missing: int = 0

    def text(self, name: str) -> str:
        return words(self.properties.get(name))

    def hrefs(self, name: str) -> list[str]:
        element = self.properties.get(name)
        found = element.iter(f"{{{DAV}}}href") if element is not None else ()
        return [href for e in found if (href := words(e).strip())]

    @property
    def etag(self) -> str:
        """Its getetag as it can be sent back in a header; "" where there is none."""
        etag = self.text("getetag").strip()
        return etag if all(c > " " and c != "\x7f" for c in etag) else ""

    def children(self, name: str) -> set[str]:
        """Local names of everything inside a property."""
        element = self.properties.get(name)
        return {etree.QName(e).localname for e in element.iter("*")} - {name} if element is not None else set()

    def namespace(self, name: str) -> str:
        element = self.properties.get(name)
        return (etree.QName(element).namespace or "") if element is not None else ""


def words(element: etree._Element | None) -> str:
    """All the text in an element, also what stands behind a comment; "" for no element."""
    return "".join(str(t) for t in element.itertext("*", with_tail=False)) if element is not None else ""


def parse(body: bytes, host: str) -> etree._Element:
    """The root of an answer.

    Raises:
        Unreachable: if it is not XML.
    """
    try:
        parser = etree.XMLParser(
            resolve_entities=False, no_network=True, huge_tree=True, load_dtd=False, remove_comments=True,
            remove_pis=True,
        )  # fmt: skip
        return etree.fromstring(body, parser)
    except etree.XMLSyntaxError as error:
        raise Unreachable(
            "answer", f"{host} answers with something that is no whole XML, as a calendar server's answer has to be."
        ) from error


def multistatus(body: bytes, host: str) -> tuple[list[Found], str]:
    """The responses, and the sync token if there is one."""
    root = parse(body, host)
    responses = []
    for response in root.iterfind(f"{{{DAV}}}response"):
        hrefs = [words(one).strip() for one in response.iterfind(f"{{{DAV}}}href")] or [""]
        own = words(response.find(f"{{{DAV}}}status"))
        properties, missing = {}, 0
        for stat in response.iterfind(f"{{{DAV}}}propstat"):
            prop, code = stat.find(f"{{{DAV}}}prop"), _code(words(stat.find(f"{{{DAV}}}status")))
            if code >= 300:
                missing = code
            elif prop is not None:
                properties.update({etree.QName(child).localname: child for child in prop.iterchildren("*")})
        # One status for several addresses (RFC 4918 §14.24).
        responses += [Found(href, _code(own), properties, missing) for href in hrefs]
    return responses, words(root.find(f"{{{DAV}}}sync-token")).strip()


def refused(body: bytes, host: str) -> list[tuple[str, int, str]]:
    """Of a PROPPATCH's answer: the properties that were not set, with status and the server's own words.

    One that is refused has all others fail for it (424), so those are named only where nothing else is.
    """
    found = []
    for stat in parse(body, host).iter(f"{{{DAV}}}propstat"):
        code, prop = _code(words(stat.find(f"{{{DAV}}}status"))), stat.find(f"{{{DAV}}}prop")
        said = words(stat.find(f"{{{DAV}}}responsedescription")).strip()
        if code >= 300 and prop is not None:
            found += [(etree.QName(child).localname, code, said) for child in prop.iterchildren("*")]
    return [one for one in found if one[1] != 424] or found


def _code(line: str | None) -> int:
    parts = (line or "").split()
    return int(parts[1]) if len(parts) > 1 and re.fullmatch("[0-9]{3}", parts[1]) else 200


def condition(body: bytes) -> tuple[str, str]:
    """The precondition a refusal names, and the server's own words for it; "" where there are none."""
    try:
        root = etree.fromstring(body, etree.XMLParser(resolve_entities=False, no_network=True))
    except etree.XMLSyntaxError:
        return "", body.decode("utf-8", "replace").strip()[:200] if b"<" not in body else ""
    if etree.QName(root).localname != "error":  # a page, or something else that is not about us
        return "", ""
    names = [etree.QName(child).localname for child in root.iterchildren("*")]
    names = [name for name in names if name != "responsedescription"]
    words = root.findtext(f"{{{DAV}}}responsedescription") or ""
    return (names[0] if names else ""), words.strip()


def propfind(names: Iterable[str] = (), everything: bool = False) -> bytes:
    """A PROPFIND body: the named properties, or all there are and the named ones besides (RFC 4918 §9.1)."""
    inner = "".join(f"<{name}/>" for name in names)
    inner = f"<D:allprop/><D:include>{inner}</D:include>" if everything else f"<D:prop>{inner}</D:prop>"
    return f"{_OPEN.format('D:propfind')}{inner}</D:propfind>".encode()


def sync_collection(token: str) -> bytes:
    inner = f"<D:sync-token>{escape(token)}</D:sync-token><D:sync-level>1</D:sync-level>"
    inner += "<D:prop><D:getetag/><D:resourcetype/></D:prop>"
    return f"{_OPEN.format('D:sync-collection')}{inner}</D:sync-collection>".encode()


#: What a multiget asks for: an object's octets; or only whether it is there.
DATA, IS_THERE = "<D:getetag/><C:calendar-data/>", "<D:getetag/>"


def multiget(hrefs: Iterable[str], prop: str = DATA) -> bytes:
    inner = "".join(f"<D:href>{escape(href)}</D:href>" for href in hrefs)
    return f"{_OPEN.format('C:calendar-multiget')}<D:prop>{prop}</D:prop>{inner}</C:calendar-multiget>".encode()


def everything() -> bytes:
    """A calendar-query that passes whatever is in a calendar (RFC 4791 §7.8)."""
    return _query("")


def with_uid(uid: str, kind: str) -> bytes:
    """A calendar-query for the entries of a kind, such as ``VEVENT``, whose UID holds a text."""
    match = f'<C:text-match collation="i;octet">{escape(uid)}</C:text-match>'
    return _query(f'<C:comp-filter name="{kind}"><C:prop-filter name="UID">{match}</C:prop-filter></C:comp-filter>')


def _query(inner: str) -> bytes:
    asked = f'<C:filter><C:comp-filter name="VCALENDAR">{inner}</C:comp-filter></C:filter>'
    return f"{_OPEN.format('C:calendar-query')}<D:prop>{IS_THERE}</D:prop>{asked}</C:calendar-query>".encode()


def settings(
    root: str, values: dict[tuple[str, str], str], components: Iterable[str] = (), calendar: bool = False
) -> bytes:
    """A body that sets properties, by (namespace, name): of MKCALENDAR (RFC 4791 §5.3.1) or PROPPATCH; or of MKCOL,
    which has to say that a `calendar` is meant (RFC 5689 §3)."""
    inner = "".join(
        f'<N:{name} xmlns:N="{escape(space)}">{escape(value)}</N:{name}>' for (space, name), value in values.items()
    )
    kinds = "".join(f'<C:comp name="{kind}"/>' for kind in components)
    if kinds:
        inner += f"<C:supported-calendar-component-set>{kinds}</C:supported-calendar-component-set>"
    if calendar:
        inner = f"<D:resourcetype><D:collection/><C:calendar/></D:resourcetype>{inner}"
    return f"{_OPEN.format(root)}<D:set><D:prop>{inner}</D:prop></D:set></{root}>".encode()
