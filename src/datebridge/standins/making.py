"""Calendars made and described: MKCALENDAR, extended MKCOL, PROPPATCH (RFC 4791 §5.3.1, RFC 5689, RFC 4918 §9.2)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from lxml import etree
from starlette.responses import Response

from datebridge.standins.asking import Ask, path_of
from datebridge.standins.multistatus import CAL, DAV, element, error, multistatus, stats
from datebridge.standins.nodes import tree
from datebridge.standins.properties import COMPONENTS, SETTABLE, TYPE
from datebridge.standins.reading import nothing
from datebridge.standins.records import Collection

_KINDS = ("VEVENT", "VTODO", "VJOURNAL")
_FAILED = {403: "403 Forbidden", 424: "424 Failed Dependency"}


@dataclass(slots=True)
class _Wanted:
    """What a request sets and removes: columns and dead properties; and which of its properties cannot be had."""

    columns: dict[str, str] = field(default_factory=dict)
    dead: dict[str, str | None] = field(default_factory=dict)
    names: list[str] = field(default_factory=list)
    wrong: dict[str, str] = field(default_factory=dict)
    calendar: bool = False


def mkcalendar(ask: Ask) -> Response:
    if ask.habits.has("mkcol-only"):
        return Response("This method is not known here.", 501)
    if ask.root is not None and ask.root.tag != f"{{{CAL}}}mkcalendar":
        return Response("This is no mkcalendar.", 415)
    return _make(ask, calendar=True)


def mkcol(ask: Ask) -> Response:
    """A collection is made only where it is a calendar."""
    if not (ask.traits.mkcol or ask.habits.has("mkcol-only")):
        return Response("Collections are not made here.", 405)
    if ask.root is not None and ask.root.tag != f"{{{DAV}}}mkcol":
        return Response("This is no mkcol.", 415)
    return _make(ask, calendar=False)


def _make(ask: Ask, calendar: bool) -> Response:
    place = ask.place
    if ask.there(place):
        return error(405, f"{{{DAV}}}resource-must-be-null", "There is something here already.")
    if place.kind != "nowhere" or place.person != ask.person or not place.name:
        where = f"{{{CAL}}}calendar-collection-location-ok"
        return error(403, where, "Calendars are made in one's own home.")
    wanted = _wanted(ask.root, made=True, kept=ask.traits.settings)
    if not (calendar or wanted.calendar):
        return error(403, f"{{{DAV}}}valid-resourcetype", "Only calendars are made here.")
    if wanted.wrong:
        return _told(ask, wanted, 403)
    made = ask.records.add_collection(ask.person, place.name, place.name)
    _apply(ask, made, wanted)
    return Response(status_code=201, headers={"Cache-Control": "no-cache"})


def proppatch(ask: Ask) -> Response:
    place = ask.place
    if not ask.there(place):
        return nothing()
    if ask.root is None or ask.root.tag != f"{{{DAV}}}propertyupdate":
        return Response("This is no propertyupdate.", 400)
    if place.collection is None or place.kind != "calendar":
        return error(403, f"{{{DAV}}}cannot-modify-protected-property", "Nothing can be set here.")
    if place.access != "own":
        return error(403, f"{{{DAV}}}need-privileges", "Only its owner may change a calendar.")
    wanted = _wanted(ask.root, made=False, protected=set(ask.live.of(place)), kept=ask.traits.settings)
    if not wanted.wrong:
        _apply(ask, place.collection, wanted)
    return _told(ask, wanted, 207)


def _told(ask: Ask, wanted: _Wanted, code: int) -> Response:
    """How each property fared: all of them together (RFC 4918 §9.2)."""
    by_status: dict[str, list[str]] = {}
    for name in wanted.names:
        failed = _FAILED[403 if name in wanted.wrong else 424] if wanted.wrong else "200 OK"
        by_status.setdefault(failed, []).append(element(name))
    why = {_FAILED[403]: next(iter(wanted.wrong.values()), "")}
    answer = multistatus([stats(ask.name(ask.path), by_status, why)])
    answer.status_code = code
    return answer


def _apply(ask: Ask, collection: Collection, wanted: _Wanted) -> None:
    if wanted.columns:
        ask.records.set_properties(collection, wanted.columns)
    for name, value in wanted.dead.items():
        ask.records.set_dead(collection, name, value)


def _updates(root: etree._Element | None) -> Iterator[tuple[bool, etree._Element]]:
    """The properties a request sets (true) or removes, in its order."""
    for step in root.iterchildren(f"{{{DAV}}}set", f"{{{DAV}}}remove") if root is not None else ():
        for prop in step.iterchildren(f"{{{DAV}}}prop"):
            for child in prop.iterchildren("*"):
                yield step.tag == f"{{{DAV}}}set", child


def _wanted(
    root: etree._Element | None,
    made: bool,
    protected: frozenset[str] | set[str] = frozenset(),
    kept: Sequence[str] = (),
) -> _Wanted:
    wanted = _Wanted()
    for sets, child in _updates(root):
        name = str(child.tag)
        wanted.names.append(name)
        value = "".join(str(t) for t in child.itertext()).strip() if sets else ""
        if name in SETTABLE:
            wrong = _wrong(SETTABLE[name], value)
            wanted.columns[SETTABLE[name]] = value
            if wrong:
                wanted.wrong[name] = wrong
        elif made and name == COMPONENTS:
            kinds = [c.get("name", "").upper() for c in child.iterchildren(f"{{{CAL}}}comp")]
            wanted.columns["components"] = ",".join(kinds)
            if not kinds or set(kinds) - set(_KINDS):
                wanted.wrong[name] = f"{{{CAL}}}supported-calendar-component"
        elif made and name == TYPE:
            wanted.calendar = child.find(f"{{{CAL}}}calendar") is not None
        elif name.removeprefix(f"{{{CAL}}}") in kept:
            wanted.dead[name] = _as_written(child) if sets else None
        elif name in protected or name.startswith((f"{{{DAV}}}", f"{{{CAL}}}")):
            wanted.wrong[name] = f"{{{DAV}}}cannot-modify-protected-property"
        else:
            wanted.dead[name] = _as_written(child) if sets else None
    return wanted


def _as_written(child: etree._Element) -> str:
    return etree.tostring(child, encoding="unicode", with_tail=False)


def _wrong(column: str, value: str) -> str:
    """The precondition that a value offends; "" for none."""
    if column == "position" and not (value.isascii() and value.isdigit() and len(value) < 9):
        return f"{{{DAV}}}cannot-modify-protected-property"
    if column == "zone" and value:
        zones = [child for child in tree(value.encode()).children if child.name == "VTIMEZONE"]
        if len(zones) != 1:
            return f"{{{CAL}}}valid-calendar-data"
    return ""


def acl(ask: Ask) -> Response:
    """Who else may read and write one's calendar (RFC 3744 §8.1): those who are named, and nobody else."""
    place = ask.place
    if not ask.traits.acl:
        return Response("This method is not known here.", 405)
    if place.kind != "calendar" or place.collection is None or place.access != "own":
        return error(403, f"{{{DAV}}}need-privileges", "Only the owner of a calendar says who may see it.")
    shares: dict[str, str] = {}
    for ace in ask.root.iterfind(f"{{{DAV}}}ace") if ask.root is not None else ():
        href = (ace.findtext(f"{{{DAV}}}principal/{{{DAV}}}href") or "").strip()
        found = ask.map.find(path_of(href))
        if found.kind != "principal":
            return error(403, f"{{{DAV}}}recognized-principal", "There is nobody of that name.")
        writes = ace.find(f"{{{DAV}}}grant/{{{DAV}}}privilege/{{{DAV}}}write") is not None
        shares[found.person] = "write" if writes else "read"
    ask.records.share_alone(place.collection, shares)
    return Response(status_code=200)
