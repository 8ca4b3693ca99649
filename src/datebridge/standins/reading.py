"""What is read of a calendar server: GET and PROPFIND (RFC 4918 §9.1)."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import quote

from starlette.responses import Response

from datebridge.standins.asking import Ask
from datebridge.standins.multistatus import DAV, error, multistatus, status
from datebridge.standins.places import SHELF, Place, principal_path

#: How many entries a listing names where the habit is to cut it.
CUT = 2


def get(ask: Ask) -> Response:
    if ask.place.kind == "notice":
        data = dict(ask.records.notices(ask.place.person)).get(ask.place.name)
        return Response(data, media_type="text/calendar") if data is not None else nothing()
    stored = ask.stored(ask.place)
    if stored is None:
        return nothing() if not ask.there(ask.place) else Response("This is a collection.", 405, {"Allow": "PROPFIND"})
    etag = ask.live.etag(stored)
    ask.habits.count(f"read {stored.name}")
    return ask.failed_condition(etag) or Response(stored.data, headers={"ETag": etag}, media_type="text/calendar")


def nothing() -> Response:
    return Response("There is nothing here.", 404)


def propfind(ask: Ask) -> Response:
    depth = ask.depth or "infinity"
    if depth not in ("0", "1", "infinity"):
        return Response("The depth is 0, 1 or infinity.", 400)
    if ask.root is not None and ask.root.tag != f"{{{DAV}}}propfind":
        return Response("This is no propfind.", 400)
    if not ask.there(ask.place):
        return nothing()
    if depth == "infinity" and not ask.traits.whole_depth:
        return error(403, f"{{{DAV}}}propfind-finite-depth", "Only depths of 0 and 1 are answered here.")
    if depth != "0" and ask.place.kind == "calendar" and ask.habits.has("no-listing"):
        return Response("Calendars are not listed here.", 403)
    return multistatus(_responses(ask, ask.place, _path(ask, ask.place), {"0": 0, "1": 1}.get(depth, 9)))


def _path(ask: Ask, place: Place) -> str:
    """The address of a place."""
    if place.collection is not None:
        return ask.map.path(place.collection, place.name)
    path = f"/dav/{place.home}/{quote(place.person)}/"
    if place.kind in ("principal", "group"):
        return principal_path(place.person) + ("group/" if place.kind == "group" else "")
    if place.kind in ("inbox", "outbox"):
        return f"{path}{place.kind}/"
    if place.kind == "notice":
        return f"{path}inbox/{place.name}"
    return {"root": "/dav/", "principals": "/dav/principals/", "shelf": f"{path}{SHELF}/"}.get(place.kind, path)


def _responses(ask: Ask, place: Place, path: str, depth: int) -> Iterator[str]:
    """A place, and what is in it down to a depth."""
    if place.kind == "object":
        stored = ask.stored(place)
        if stored is not None:
            yield ask.response(path, ask.live.object(stored.name, stored.etag, len(stored.data)))
        return
    if place.kind == "notice":
        yield ask.response(path, {f"{{{DAV}}}resourcetype": "", f"{{{DAV}}}getcontenttype": "text/calendar"})
        return
    dead = ask.records.dead(place.collection) if place.collection is not None else None
    yield ask.response(path, ask.live.of(place), dead)
    if depth == 0:
        return
    if place.kind == "calendar" and place.collection is not None:
        yield from _listing(ask, place, path)
        return
    for inner in _children(ask, place):
        yield from _responses(ask, inner, _path(ask, inner), depth - 1)


def _listing(ask: Ask, place: Place, path: str) -> Iterator[str]:
    assert place.collection is not None  # noqa: S101
    every = ask.records.etags(place.collection)
    shown = every
    if ask.habits.has("cut-listings"):
        shown = every[:CUT]
    elif ask.habits.has("short-listings"):
        shown = every[: (len(every) + 1) // 2]
    for name, etag in shown:
        yield ask.response(ask.map.path(place.collection, name), ask.live.object(name, etag))
    if len(shown) < len(every) and ask.habits.has("cut-listings"):
        yield status(ask.name(path), "507 Insufficient Storage")


def _children(ask: Ask, place: Place) -> list[Place]:
    if place.kind == "principals":
        return [Place("principal", name) for name in ask.records.people()]
    if place.kind == "root":
        return [Place("principals"), *(_in_home(ask, ask.person) if ask.habits.has("no-home") else [])]
    if place.kind == "inbox":
        return [Place("notice", place.person, name=name) for name, _ in ask.records.notices(place.person)]
    if place.kind not in ("home", "shelf"):
        return []
    places = [Place("calendar", place.person, c, access) for c, access in ask.map.listed(place)]
    if place.kind == "home" and ask.habits.has("shelf"):
        places.append(Place("shelf", place.person, home=place.home))
    if place.kind == "home" and place.person == ask.person and place.home == "calendars":
        places += [Place("inbox", place.person), Place("outbox", place.person)]
    return places


def _in_home(ask: Ask, person: str) -> list[Place]:
    return [Place("calendar", person, c, access) for c, access in ask.map.calendars(person)]
