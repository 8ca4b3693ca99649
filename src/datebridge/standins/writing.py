"""Objects written: PUT, DELETE, COPY, MOVE (RFC 4791 §5.3, RFC 4918 §9.6 to §9.9), and the messages that follow."""

from __future__ import annotations

import hashlib

from starlette.responses import Response

from datebridge.core.checks import severity_of
from datebridge.core.objects import CalendarObject, take_apart
from datebridge.standins.asking import Ask, path_of
from datebridge.standins.delivering import deliver
from datebridge.standins.losses import new_uid
from datebridge.standins.multistatus import CAL, DAV, error, href
from datebridge.standins.places import Place
from datebridge.standins.reading import nothing
from datebridge.standins.records import Collection, Stored


def put(ask: Ask) -> Response:
    place = ask.place
    if place.kind not in ("object", "nowhere"):
        return Response("A collection cannot be written over.", 405)
    refusal = ask.may_not_write(place)
    if refusal is not None:
        return refusal
    stored = ask.stored(place)
    unmet = ask.failed_condition(ask.live.etag(stored) if stored is not None else None)
    if unmet is not None:
        return unmet
    own = place.collection
    assert own is not None  # noqa: S101
    parsed = take_apart(ask.body)
    wrong = None if ask.habits.has("lax") else _wrong(ask, own, place.name, parsed, stored)
    if wrong is not None:
        return wrong
    data = ask.losses.of_object(ask.body, parsed)
    name = place.name
    if ask.habits.has("renames"):
        given = f"{place.name} {ask.habits.count('renamed')}"
        name = f"{hashlib.blake2b(given.encode(), digest_size=8).hexdigest()}.ics"
        if stored is not None:
            ask.records.delete(own, place.name)
    kind = parsed.entries[0][0].component if parsed.entries else ""
    uid = new_uid(parsed.uid) if ask.losses.new_uids else parsed.uid
    ask.records.put(own, name, data, uid, kind)
    deliver(ask, take_apart(stored.data) if stored else None, parsed)
    # Where what is kept is not what was sent, no ETag may be given (RFC 4791 §5.3.4).
    kept = ask.records.object(own, name)
    quiet = data != ask.body or name != place.name or ask.habits.has("silent-put") or kept is None
    return Response(
        status_code=204 if stored else 201, headers={} if quiet or kept is None else {"ETag": ask.live.etag(kept)}
    )


def _wrong(
    ask: Ask, own: Collection, name: str, parsed: CalendarObject, stored: Stored | None, moved: Stored | None = None
) -> Response | None:
    """Why an object cannot be kept in a calendar under a name (RFC 4791 §5.3.2.1)."""
    if ask.request.headers.get("content-type", "text/calendar").partition(";")[0].strip().lower() != "text/calendar":
        return error(403, f"{{{CAL}}}supported-calendar-data", "Only text/calendar is kept here.")
    if len(ask.body) > ask.traits.most_bytes:
        most = f"The most {ask.traits.name} takes is {ask.traits.most_bytes:,} bytes an entry."
        return error(403, f"{{{CAL}}}max-resource-size", most)
    if not parsed.entries:
        return error(403, f"{{{CAL}}}valid-calendar-data", "There is no entry in it.")
    if reason := ask.losses.refusal(parsed):
        return error(403, f"{{{CAL}}}valid-calendar-object-resource", reason)
    same = len({(facts.uid, facts.component) for facts, _ in parsed.entries}) == 1
    if not same or not parsed.uid or parsed.method:
        why = "An object holds the entries of one UID and one kind, without METHOD."
        return error(403, f"{{{CAL}}}valid-calendar-object-resource", why)
    if parsed.entries[0][0].component not in own.components.split(","):
        kind = parsed.entries[0][0].component
        return error(403, f"{{{CAL}}}supported-calendar-component", f"This calendar does not take a {kind}.")
    of_entries = (q for facts, _ in parsed.entries for q in facts.problems)
    problems = (*parsed.problems, *of_entries, *(q for some in parsed.invalid for q in some))
    broken = [p for p in problems if severity_of(p.code) == "breaks"]
    if ask.traits.strict and broken:
        return error(403, f"{{{CAL}}}valid-calendar-data", broken[0].message)
    if stored is not None and stored.uid and stored.uid not in (parsed.uid, new_uid(parsed.uid)):
        why = "The entry here has another UID, and an entry keeps its UID."
        return error(403, f"{{{CAL}}}no-uid-conflict", why, href(ask.map.path(own, name)))
    return _taken(ask, own, name, parsed.uid, moved)


def _taken(ask: Ask, own: Collection, name: str, uid: str, moved: Stored | None) -> Response | None:
    """Whether an UID stands elsewhere: in the calendar, or for a strict server in the home."""
    for other, there in ask.records.where_uid(own.owner, uid):
        is_itself = (other.id, there) == (own.id, name) or (moved is not None and there == moved.name)
        if (ask.traits.strict or other.id == own.id) and not is_itself:
            why = f"An entry with this UID is in “{other.name}” already."
            return error(403, f"{{{CAL}}}no-uid-conflict", why, href(ask.map.path(other, there)))
    return None


def delete(ask: Ask) -> Response:
    place = ask.place
    if not ask.there(place):
        return nothing()
    if place.kind == "notice":
        ask.records.take_out(place.person, place.name)
        return Response(status_code=204)
    if place.kind == "calendar" and place.collection is not None:
        if place.access != "own":
            return error(403, f"{{{DAV}}}need-privileges", "Only its owner may delete a calendar.")
        ask.records.drop_collection(place.collection)
        return Response(status_code=204)
    stored = ask.stored(place)
    if stored is None or place.collection is None:
        return Response("This cannot be deleted.", 403)
    refusal = ask.may_not_write(place) or ask.failed_condition(ask.live.etag(stored))
    if refusal is not None:
        return refusal
    ask.records.delete(place.collection, stored.name)
    deliver(ask, take_apart(stored.data), None)
    return Response(status_code=204)


def copy(ask: Ask) -> Response:
    return _to(ask, moves=False)


def move(ask: Ask) -> Response:
    return _to(ask, moves=True)


def _to(ask: Ask, moves: bool) -> Response:
    """Copy or move one object (RFC 4918 §9.8, §9.9); calendars stay where they are."""
    stored, source = ask.stored(ask.place), ask.place
    if stored is None or source.collection is None:
        return Response("Only entries are copied and moved here.", 403) if ask.there(source) else nothing()
    target = ask.map.find(path_of(ask.request.headers.get("destination", "")))
    refusal = ask.may_not_write(target) or (ask.may_not_write(source) if moves else None)
    if refusal is not None or target.kind != "object" or target.collection is None:
        return refusal or Response("An entry goes into a calendar.", 403)
    if (target.collection.id, target.name) == (source.collection.id, source.name):
        return Response("It is there already.", 403)
    there = ask.stored(target)
    if there is not None and ask.request.headers.get("overwrite", "T").upper() == "F":
        return Response("There is something there already.", 412)
    taken = None if ask.habits.has("lax") else _arrives(ask, target, stored, there, moves)
    if taken is not None:
        return taken
    ask.records.put(target.collection, target.name, stored.data, stored.uid, stored.component)
    if moves:
        ask.records.delete(source.collection, source.name)
    return Response(status_code=204 if there is not None else 201)


def _arrives(ask: Ask, target: Place, stored: Stored, there: Stored | None, moves: bool) -> Response | None:
    assert target.collection is not None  # noqa: S101
    if stored.component not in target.collection.components.split(","):
        return error(403, f"{{{CAL}}}supported-calendar-component", "This calendar does not take entries of this kind.")
    if there is not None and there.uid != stored.uid:
        why = "The entry there has another UID."
        return error(403, f"{{{CAL}}}no-uid-conflict", why, href(ask.map.path(target.collection, target.name)))
    return _taken(ask, target.collection, target.name, stored.uid, stored if moves else None)
