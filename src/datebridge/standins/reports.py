"""REPORTs: of calendars (RFC 4791 §7, RFC 6578 §3), and of people (RFC 3744 §9.4)."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from xml.sax.saxutils import escape

from lxml import etree
from starlette.responses import Response

from datebridge.standins.asking import Ask, path_of, zone_in, zone_of
from datebridge.standins.multistatus import CAL, DAV, element, error, multistatus, status
from datebridge.standins.places import Place, principal_path
from datebridge.standins.properties import token_of
from datebridge.standins.queries import BadFilter, check, matches, span_of
from datebridge.standins.reading import CUT, nothing
from datebridge.standins.records import Collection, Stored
from datebridge.standins.retrieval import busy_time, handed_out

_WITHHELD = ("403 Forbidden", "500 Internal Server Error", "507 Insufficient Storage")
_ODD_TOKENS = (400, 403, 409, 410, 412, 507)
_DATA = f"{{{CAL}}}calendar-data"


def report(ask: Ask) -> Response:
    if ask.root is None:
        return Response("A report needs a body.", 400)
    if not ask.there(ask.place):
        return nothing()
    handler, kinds = _HANDLERS.get(str(ask.root.tag), (None, ()))
    if handler is None or ask.place.kind not in kinds or _is_refused(ask, str(ask.root.tag)):
        return error(403, f"{{{DAV}}}supported-report", f"{ask.traits.name} does not know this report here.")
    try:
        return handler(ask, ask.root)
    except BadFilter as bad:
        return error(bad.status, f"{{{CAL}}}{bad.condition}", bad.why)


def _is_refused(ask: Ask, tag: str) -> bool:
    if tag == f"{{{DAV}}}sync-collection":
        return not ask.traits.sync or ask.habits.has("no-sync")
    return tag == f"{{{CAL}}}calendar-multiget" and ask.habits.has("no-multiget")


# ---- objects --------------------------------------------------------------------------------------


def _data_of(root: etree._Element) -> etree._Element | None:
    """The calendar-data element by which objects are asked for."""
    prop = root.find(f"{{{DAV}}}prop")
    return prop.find(_DATA) if prop is not None else None


def _object(ask: Ask, collection: Collection, stored: Stored, data: etree._Element | None, zone: str = "") -> str:
    properties = ask.live.object(stored.name, stored.etag, len(stored.data))
    if data is not None:
        data_given = handed_out(stored.data, data, zone)
        properties[_DATA] = escape(data_given.decode("utf-8", "replace")).replace("\r", "&#13;")
        ask.habits.count(f"read {stored.name}")
    return ask.response(ask.map.path(collection, stored.name), properties)


def _scope(ask: Ask) -> Iterable[tuple[Collection, Stored]]:
    """The objects a report is about: by place and Depth, 0 where none is given (RFC 3253 §3.6)."""
    place, depth = ask.place, ask.depth or "0"
    if place.kind == "object":
        stored = ask.stored(place)
        return [(place.collection, stored)] if stored is not None and place.collection is not None else []
    if place.kind == "calendar" and place.collection is not None:
        own = place.collection
        return ((own, stored) for stored in ask.records.objects(own)) if depth != "0" else ()
    if depth == "infinity":
        every = ask.map.calendars(place.person)
        return ((collection, stored) for collection, _ in every for stored in list(ask.records.objects(collection)))
    return ()


def _query(ask: Ask, root: etree._Element) -> Response:
    filters = root.find(f"{{{CAL}}}filter")
    if filters is None:
        raise BadFilter("valid-filter", "A query has a filter.")
    check(filters)
    data = _data_of(root)
    zone = zone_in(root.findtext(f"{{{CAL}}}timezone") or "")
    responses = [
        _object(ask, collection, stored, data, zone or zone_of(collection))
        for collection, stored in _scope(ask)
        if matches(stored.data, filters, zone or zone_of(collection))
    ]
    return multistatus(responses)


def _multiget(ask: Ask, root: etree._Element) -> Response:
    asked = [(one.text or "").strip() for one in root.findall(f"{{{DAV}}}href")]
    if ask.habits.has("small-multiget") and len(asked) > CUT:
        return Response("That is too much at once.", 413)
    data = _data_of(root)
    responses = []
    for number, address in enumerate(asked):
        place = ask.map.find(path_of(address))
        stored = ask.stored(place) if _is_below(place, ask.place) else None
        if stored is None or place.collection is None:
            responses.append(status(address, "404 Not Found"))
        elif ask.habits.has("omits") and len(asked) > 1 and number % 3 == 0:
            continue
        elif ask.habits.has("withholds") and len(asked) > 1 and number % 3 == 0:
            responses.append(status(address, _WITHHELD[ask.habits.count("withheld") % len(_WITHHELD)]))
        else:
            responses.append(_object(ask, place.collection, stored, data, zone_of(place.collection)))
    return multistatus(responses)


def _is_below(place: Place, top: Place) -> bool:
    """Whether an object is what a request is about, or in it."""
    if place.kind != "object" or place.collection is None:
        return False
    if top.collection is None:
        return place.person == top.person
    return place.collection.id == top.collection.id and top.name in ("", place.name)


def _busy(ask: Ask, root: etree._Element) -> Response:
    span = root.find(f"{{{CAL}}}time-range")
    if span is None or ask.place.collection is None:
        raise BadFilter("valid-filter", "Busy time is asked for within a span of time.")
    own = ask.place.collection
    low, high = span_of(span)
    data = busy_time((stored.data for stored in ask.records.objects(own)), low, high, zone_of(own))
    return Response(data, media_type="text/calendar")


# ---- what changed ---------------------------------------------------------------------------------


def _sync(ask: Ask, root: etree._Element) -> Response:
    own = ask.place.collection
    assert own is not None  # noqa: S101
    level = (root.findtext(f"{{{DAV}}}sync-level") or "").strip()
    right_depth = ask.depth in ("", "0") or ask.habits.has("any-depth")
    if not right_depth or level not in ("1", "infinite"):
        return Response("This report has a Depth of 0, and a sync-level of 1 or infinite.", 400)
    token = (root.findtext(f"{{{DAV}}}sync-token") or "").strip()
    revision, refusal = _revision(ask, own, token)
    if refusal is not None:
        return refusal
    rows = ask.records.since(own, revision)
    if not token:
        rows = [(changed, name, etag) for changed, name, etag in rows if etag]
        if ask.habits.has("short-listings"):
            rows = rows[: (len(rows) + 1) // 2]
    most = _most(ask, root)
    cut = most is not None and len(rows) > most
    after = rows[most - 1][0] if cut and most else own.revision
    data = _data_of(root)
    responses = [_change(ask, own, name, etag, data) for _, name, etag in rows[: most if cut else None]]
    if cut:
        responses.append(status(ask.name(ask.map.path(own)), "507 Insufficient Storage"))
    return multistatus(responses, element(f"{{{DAV}}}sync-token", token_of(ask.traits, own, after)))


def _change(ask: Ask, own: Collection, name: str, etag: str, data: etree._Element | None) -> str:
    path = ask.map.path(own, name)
    if not etag:
        return status(ask.name(path), "404 Not Found")
    stored = ask.records.object(own, name) if data is not None else None
    if stored is not None:
        return _object(ask, own, stored, data)
    return ask.response(path, ask.live.object(name, etag))


def _most(ask: Ask, root: etree._Element) -> int | None:
    """How many changes may be told at once (RFC 6578 §3.7)."""
    wanted = root.findtext(f"{{{DAV}}}limit/{{{DAV}}}nresults")
    if wanted and wanted.strip().isdigit():
        return max(1, int(wanted))
    return CUT if ask.habits.has("cut-listings") else ask.traits.page or None


def _revision(ask: Ask, own: Collection, token: str) -> tuple[int, Response | None]:
    """From where changes are told; or why a token is refused."""
    if not token:
        return 0, None
    if ask.habits.has("stale-tokens") and ask.habits.count("token asked") % 2:
        code = _ODD_TOKENS[ask.habits.count("tokens") % len(_ODD_TOKENS)]
        return 0, Response("No.", code) if code != 403 else _no_token("This token has been used.")
    prefix = token_of(ask.traits, own, 0)[:-1]
    number = token.removeprefix(prefix)
    if not token.startswith(prefix) or not (number.isascii() and number.isdigit()) or int(number) > own.revision:
        return 0, _no_token("This token is not one of ours.")
    if own.revision - int(number) > ask.traits.token_life:
        return 0, _no_token("This token has expired.")
    return int(number), None


def _no_token(why: str) -> Response:
    return error(403, f"{{{DAV}}}valid-sync-token", why)


# ---- people ---------------------------------------------------------------------------------------


#: What is told of people where a search names nothing.
_OF_PEOPLE = (f"{{{DAV}}}displayname", f"{{{CAL}}}calendar-home-set")


def _people(ask: Ask, root: etree._Element) -> Response:
    """Those of whom a property holds a text: one of several texts, or each; everybody where none is given."""
    searches = [
        ([str(child.tag) for child in prop.iterchildren("*")], (one.findtext(f"{{{DAV}}}match") or "").lower())
        for one in root.findall(f"{{{DAV}}}property-search")
        if (prop := one.find(f"{{{DAV}}}prop")) is not None
    ]
    agree = any if root.get("test") == "anyof" else all
    asked = ask.asked()[0] or list(_OF_PEOPLE)
    responses = []
    for name in ask.records.people():
        properties = ask.live.of(Place("principal", name))
        if agree(all(text in properties.get(tag, "").lower() for tag in tags) for tags, text in searches or [([], "")]):
            responses.append(ask.response(principal_path(name), properties, asked=asked))
    return multistatus(responses)


def _searchable(_ask: Ask, _root: etree._Element) -> Response:
    """By which properties people can be searched for (RFC 3744 §9.5)."""
    inner = "".join(
        f'<D:principal-search-property><D:prop>{element(name)}</D:prop><D:description xml:lang="en">{words}'
        "</D:description></D:principal-search-property>"
        for name, words in ((f"{{{DAV}}}displayname", "Name"), (f"{{{CAL}}}calendar-user-address-set", "Address"))
    )
    body = f'<D:principal-search-property-set xmlns:D="{DAV}" xmlns:C="{CAL}">{inner}</D:principal-search-property-set>'
    return Response(body, media_type="application/xml")


_CALENDARS = ("calendar", "object", "home", "shelf")
_HANDLERS: dict[str, tuple[Callable[[Ask, etree._Element], Response], tuple[str, ...]]] = {
    f"{{{CAL}}}calendar-query": (_query, _CALENDARS),
    f"{{{CAL}}}calendar-multiget": (_multiget, _CALENDARS),
    f"{{{CAL}}}free-busy-query": (_busy, ("calendar",)),
    f"{{{DAV}}}sync-collection": (_sync, ("calendar",)),
    f"{{{DAV}}}principal-property-search": (_people, ("principals", "principal", "root", "home")),
    f"{{{DAV}}}principal-search-property-set": (_searchable, ("principals", "root")),
}
