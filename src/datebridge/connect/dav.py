"""WebDAV's XML, written and read (RFC 4918). Read without entities and without the network.

Properties are known by their local names alone: colours, order and tags have no standard namespace, so each
server's own is taken as it comes, and used again when such a property is set there.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from lxml import etree
from lxml.builder import ElementMaker

from datebridge.connect.errors import Unreachable

DAV = "DAV:"
CAL = "urn:ietf:params:xml:ns:caldav"
_NAMES = {"D": DAV, "C": CAL}
_D, _C = ElementMaker(namespace=DAV, nsmap=_NAMES), ElementMaker(namespace=CAL, nsmap=_NAMES)
_MAKERS = {"D": _D, "C": _C}
_NOT_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


@dataclass(frozen=True, slots=True)
class DavResponse:
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
        elements = element.iter(f"{{{DAV}}}href") if element is not None else ()
        return [href for e in elements if (href := words(e).strip())]

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
            resolve_entities=False,
            no_network=True,
            huge_tree=True,
            load_dtd=False,
            remove_comments=True,
            remove_pis=True,
        )
        return etree.fromstring(body, parser)
    except etree.XMLSyntaxError as error:
        raise Unreachable(
            "answer", f"{host} sends an answer that is not complete XML, as a calendar server's answer must be."
        ) from error


def multistatus(body: bytes, host: str) -> tuple[list[DavResponse], str]:
    """The responses, and the sync token if there is one."""
    root = parse(body, host)
    responses = []
    for response in root.iterfind(f"{{{DAV}}}response"):
        hrefs = [words(element).strip() for element in response.iterfind(f"{{{DAV}}}href")] or [""]
        own = words(response.find(f"{{{DAV}}}status"))
        properties, missing = {}, 0
        for stat in response.iterfind(f"{{{DAV}}}propstat"):
            prop, code = stat.find(f"{{{DAV}}}prop"), _code(words(stat.find(f"{{{DAV}}}status")))
            if code >= 300:
                missing = code
            elif prop is not None:
                properties.update({etree.QName(child).localname: child for child in prop.iterchildren("*")})
        # One status for several addresses (RFC 4918 §14.24).
        responses += [DavResponse(href, _code(own), properties, missing) for href in hrefs]
    return responses, words(root.find(f"{{{DAV}}}sync-token")).strip()


def refused(body: bytes, host: str) -> list[tuple[str, int, str]]:
    """Of a PROPPATCH's answer: the properties that were not set, with status and the server's own words.

    Where one is refused, all others fail for it (424), so those are named only where nothing else is.
    """
    refusals = []
    for stat in parse(body, host).iter(f"{{{DAV}}}propstat"):
        code, prop = _code(words(stat.find(f"{{{DAV}}}status"))), stat.find(f"{{{DAV}}}prop")
        text = words(stat.find(f"{{{DAV}}}responsedescription")).strip()
        if code >= 300 and prop is not None:
            refusals += [(etree.QName(child).localname, code, text) for child in prop.iterchildren("*")]
    return [refusal for refusal in refusals if refusal[1] != 424] or refusals


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
    """A PROPFIND body: the named properties, or all there are and the named ones besides (RFC 4918 §9.1).

    Args:
        names: each with its prefix, ``D:`` or ``C:``.
    """
    wanted = [_MAKERS[prefix](name) for prefix, _, name in (whole.partition(":") for whole in names)]
    inner = [_D.allprop(), _D.include(*wanted)] if everything else [_D.prop(*wanted)]
    return _written(_D.propfind(*inner))


def people_with(mail: str) -> bytes:
    """A search for people by their mail address (RFC 3744 §9.4)."""
    of = _C("calendar-user-address-set")
    search = _D("property-search", _D.prop(of), _D.match(_text(mail)))
    wanted = _D.prop(_D.displayname(), _C("calendar-user-address-set"))
    return _written(_D("principal-property-search", search, wanted))


def acl(people: Iterable[tuple[str, bool]]) -> bytes:
    """Who may read (or, True, write too) what this is sent to (RFC 3744 §8.1)."""
    aces = []
    for principal, writes in people:
        may = [_D.privilege(_D(name)) for name in (("read", "write") if writes else ("read",))]
        aces.append(_D.ace(_D.principal(_D.href(_text(principal))), _D.grant(*may)))
    return _written(_D.acl(*aces))


def sync_collection(token: str) -> bytes:
    """A sync-collection report from a token on (RFC 6578 §3.2)."""
    prop = _D.prop(_D.getetag(), _D.resourcetype())
    return _written(_D("sync-collection", _D("sync-token", _text(token)), _D("sync-level", "1"), prop))


def multiget(hrefs: Iterable[str], data: bool = True) -> bytes:
    """A calendar-multiget: whole objects, or only whether they are there (RFC 4791 §7.9)."""
    asked = [_D.getetag(), _C("calendar-data")] if data else [_D.getetag()]
    return _written(_C("calendar-multiget", _D.prop(*asked), *(_D.href(_text(href)) for href in hrefs)))


def everything() -> bytes:
    """A calendar-query that passes whatever is in a calendar (RFC 4791 §7.8)."""
    return _query()


def with_uid(uid: str, kind: str) -> bytes:
    """A calendar-query for the entries of a kind, such as ``VEVENT``, whose UID holds a text."""
    match = _C("text-match", _text(uid), collation="i;octet")
    return _query(_C("comp-filter", _C("prop-filter", match, name="UID"), name=kind))


def _query(*inner: etree._Element) -> bytes:
    passes = _C.filter(_C("comp-filter", *inner, name="VCALENDAR"))
    return _written(_C("calendar-query", _D.prop(_D.getetag()), passes))


def settings(root: str, values: Mapping[tuple[str, str], str | etree._Element], calendar: bool = False) -> bytes:
    """A body that sets properties, by (namespace, name): of MKCALENDAR (RFC 4791 §5.3.1) or PROPPATCH; or of MKCOL,
    which has to say that a `calendar` is meant (RFC 5689 §3). `root` is the outermost element, with its prefix."""
    kind = [_D.resourcetype(_D.collection(), _C.calendar())] if calendar else []
    own = [
        ElementMaker(namespace=space, nsmap={"N": space})(name, _text(value) if isinstance(value, str) else value)
        for (space, name), value in values.items()
    ]
    prefix, _, name = root.partition(":")
    return _written(_MAKERS[prefix](name, _D.set(_D.prop(*kind, *own))))


def empty(name: str) -> etree._Element:
    """An element of CalDAV with nothing in it, as the value of a property."""
    element: etree._Element = _C(name)
    return element


def _text(value: str) -> str:
    """Text without what XML cannot hold (XML 1.0 §2.2)."""
    return _NOT_XML.sub("", value)


def _written(root: etree._Element) -> bytes:
    return etree.tostring(root, xml_declaration=True, encoding="utf-8")
