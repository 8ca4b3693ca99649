"""One request to a calendar server, answered: WebDAV's and CalDAV's methods (RFC 4918, 4791, 6578)."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import quote, unquote
from xml.sax.saxutils import escape

from lxml import etree
from starlette.requests import Request
from starlette.responses import Response

from datebridge.core.checks import severity_of
from datebridge.core.objects import CalendarObject, take_apart
from datebridge.standins.mail import MailDrop
from datebridge.standins.multistatus import CAL, DAV, OWN, element, error, found, href, multistatus, read, status
from datebridge.standins.objects import keep_to_limits, matches
from datebridge.standins.records import Collection, Records, Stored
from datebridge.standins.scheduling import messages

_METHODS = "OPTIONS, GET, HEAD, PUT, DELETE, PROPFIND, PROPPATCH, REPORT, MKCALENDAR"


@dataclass(frozen=True, slots=True)
class Traits:
    """How a server differs from another.

    Attributes:
        sync: knows sync-collection (RFC 6578); otherwise a client compares tags and ETags.
        strict: refuses what is not valid and a UID that stands elsewhere in the home, and drops what
            it has no place for: unknown properties, all alarms but the first, attachments beyond two.
        token_life: how many changes back a sync token reaches.
        most_octets: the largest object taken.
        pace: requests a second before it says 429; 0 for no limit.
        latency: seconds added to every answer.
        principals_at: the origin at which people are said to be; "" for its own.
    """

    name: str
    sync: bool = False
    strict: bool = False
    token_life: int = 50_000
    most_octets: int = 1 << 20
    pace: int = 0
    latency: float = 0.0
    principals_at: str = ""


class Answer:
    """One authenticated request."""

    def __init__(
        self, traits: Traits, records: Records, drop: MailDrop, request: Request, body: bytes, person: str
    ) -> None:
        self.traits, self.records, self.drop = traits, records, drop
        self.request, self.body, self.person = request, body, person
        self.parts = [unquote(p) for p in request.url.path.strip("/").split("/")]
        self.collection: Collection | None = None
        self.access = ""
        if len(self.parts) >= 4 and self.parts[:2] == ["dav", "calendars"]:
            self._find_collection()

    def _find_collection(self) -> None:
        if self.parts[2] != self.person:
            return
        for collection, access in self.records.calendars_of(self.person):
            if self._slug(collection) == self.parts[3]:
                self.collection, self.access = collection, access

    def _slug(self, collection: Collection) -> str:
        return collection.slug if collection.owner == self.person else f"shared-{collection.id}"

    def _path(self, collection: Collection, name: str = "") -> str:
        return f"/dav/calendars/{quote(self.person)}/{quote(self._slug(collection))}/{quote(name)}"

    def respond(self) -> Response:
        handler = getattr(self, f"_{self.request.method.lower()}", None)
        if handler is None:
            return Response("This method is not known here.", 405, {"Allow": _METHODS})
        response: Response = handler()
        return response

    def _options(self) -> Response:
        schedule = ", calendar-auto-schedule"
        dav = f"1, 3, access-control, calendar-access{schedule}" + (", extended-mkcol" if self.traits.strict else "")
        return Response(headers={"DAV": dav, "Allow": _METHODS})

    # ---- reading ---------------------------------------------------------------------------------

    def _get(self) -> Response:
        stored = self._stored()
        if stored is None:
            return Response("There is nothing here.", 404)
        return Response(stored.data, headers={"ETag": stored.etag}, media_type="text/calendar")

    _head = _get

    def _stored(self) -> Stored | None:
        if self.collection is None or len(self.parts) != 5:
            return None
        return self.records.object(self.collection, self.parts[4])

    def _propfind(self) -> Response:
        root = read(self.body)
        asked = None  # all properties
        if root is not None and (prop := root.find(f"{{{DAV}}}prop")) is not None:
            asked = [str(child.tag) for child in prop]
        included = root.find(f"{{{DAV}}}include") if root is not None else None
        extra = [str(child.tag) for child in included] if included is not None else []
        deep = self.request.headers.get("depth", "infinity") != "0"
        kind = self.parts[1] if len(self.parts) > 1 else ""
        if self.parts in (["dav"], [""], ["dav", "principals"]):
            return multistatus([self._response(self.request.url.path, self._root_properties(), asked)])
        if kind == "principals" and len(self.parts) == 3:
            path = f"/dav/principals/{quote(self.parts[2])}/"
            return multistatus([self._response(path, self._principal_properties(self.parts[2]), asked)])
        if kind == "calendars" and len(self.parts) == 3 and self.parts[2] == self.person:
            responses = [self._response(f"/dav/calendars/{quote(self.person)}/", self._root_properties(), asked)]
            if deep:
                responses += [
                    self._response(self._path(c), self._properties(c, access, extra), asked)
                    for c, access in self.records.calendars_of(self.person)
                ]
            return multistatus(responses)
        if self.collection is not None and len(self.parts) == 4:
            own = self._properties(self.collection, self.access, extra)
            responses = [self._response(self._path(self.collection), own, asked)]
            if deep:
                responses += [
                    self._response(self._path(self.collection, name), _object_properties(etag), asked)
                    for name, etag in self.records.etags(self.collection)
                ]
            return multistatus(responses)
        stored = self._stored()
        if stored is not None and self.collection is not None:
            path = self._path(self.collection, stored.name)
            return multistatus([self._response(path, _object_properties(stored.etag), asked)])
        return Response("There is nothing here.", 404)

    def _response(self, path: str, properties: dict[str, str], asked: list[str] | None) -> str:
        if asked is None:
            return found(path, (element(name, inner) for name, inner in properties.items()))
        return found(
            path,
            (element(name, properties[name]) for name in asked if name in properties),
            (name for name in asked if name not in properties),
        )

    def _root_properties(self) -> dict[str, str]:
        return {
            f"{{{DAV}}}resourcetype": element(f"{{{DAV}}}collection"),
            f"{{{DAV}}}displayname": escape(self.traits.name),
            f"{{{DAV}}}current-user-principal": href(
                f"{self.traits.principals_at}/dav/principals/{quote(self.person)}/"
            ),
        }

    def _principal_properties(self, name: str) -> dict[str, str]:
        known = self.records.person(name)
        if known is None:
            return {}
        properties = {
            f"{{{DAV}}}resourcetype": element(f"{{{DAV}}}principal"),
            f"{{{DAV}}}displayname": escape(known[2]),
            f"{{{DAV}}}current-user-principal": href(f"/dav/principals/{quote(self.person)}/"),
            f"{{{CAL}}}calendar-user-address-set": href(f"mailto:{known[3]}"),
        }
        if name == self.person:
            properties[f"{{{CAL}}}calendar-home-set"] = href(f"/dav/calendars/{quote(name)}/")
        return properties

    def _properties(self, collection: Collection, access: str, extra: list[str]) -> dict[str, str]:
        may = ("read", "read-current-user-privilege-set") + (
            ("write", "write-content", "bind", "unbind") if access in ("own", "write") else ()
        ) + (("write-properties", "all") if access == "own" else ())  # fmt: skip
        privileges = "".join(element(f"{{{DAV}}}privilege", element(f"{{{DAV}}}{p}")) for p in may)
        parts = "".join(f'<C:comp name="{c}"/>' for c in collection.components.split(","))
        properties = {
            f"{{{DAV}}}resourcetype": element(f"{{{DAV}}}collection") + element(f"{{{CAL}}}calendar"),
            f"{{{DAV}}}displayname": escape(collection.name),
            f"{{{DAV}}}current-user-principal": href(f"/dav/principals/{quote(self.person)}/"),
            f"{{{DAV}}}owner": href(f"/dav/principals/{quote(collection.owner)}/"),
            f"{{{DAV}}}current-user-privilege-set": privileges,
            f"{{{CAL}}}supported-calendar-component-set": parts,
            f"{{{CAL}}}calendar-description": escape(collection.description),
            f"{{{CAL}}}calendar-timezone": escape(collection.zone),
            f"{{{CAL}}}max-resource-size": str(self.traits.most_octets),
            f"{{{OWN}}}calendar-color": escape(collection.colour),
            f"{{{OWN}}}calendar-order": str(collection.position),
            f"{{{OWN}}}getctag": f"{collection.id}-{collection.revision}",
        }
        if self.traits.sync:
            report = element(f"{{{DAV}}}report", element(f"{{{DAV}}}sync-collection"))
            properties[f"{{{DAV}}}sync-token"] = self._token(collection)
            properties[f"{{{DAV}}}supported-report-set"] = element(f"{{{DAV}}}supported-report", report)
        return properties

    def _token(self, collection: Collection) -> str:
        return f"urn:{self.traits.name.lower()}:{collection.id}:{collection.revision}"

    def _report(self) -> Response:
        root = read(self.body)
        if root is None or self.collection is None:
            return error(400, f"{{{DAV}}}supported-report", "A report needs a calendar and a body.")
        asked = root.find(f"{{{DAV}}}prop")
        data = asked is not None and asked.find(f"{{{CAL}}}calendar-data") is not None
        kind = etree.QName(root).localname
        if kind == "sync-collection" and self.traits.sync:
            return self._sync(self.collection, root, data)
        if kind == "calendar-multiget":
            return self._multiget(self.collection, root, data)
        if kind == "calendar-query":
            filters = root.find(f"{{{CAL}}}filter")
            chosen = [s for s in self.records.objects(self.collection) if filters is None or matches(s, filters)]
            return multistatus(self._object(self.collection, s, data) for s in chosen)
        return error(403, f"{{{DAV}}}supported-report", f"{self.traits.name} does not know this report.")

    def _object(self, collection: Collection, stored: Stored, data: bool) -> str:
        properties = _object_properties(stored.etag)
        if data:
            properties[f"{{{CAL}}}calendar-data"] = escape(stored.data.decode("utf-8", "replace")).replace(
                "\r", "&#13;"
            )
        return found(self._path(collection, stored.name), (element(name, inner) for name, inner in properties.items()))

    def _sync(self, collection: Collection, root: etree._Element, data: bool) -> Response:
        token = (root.findtext(f"{{{DAV}}}sync-token") or "").strip()
        revision = 0
        if token:
            prefix = f"urn:{self.traits.name.lower()}:{collection.id}:"
            number = token.removeprefix(prefix)
            if not token.startswith(prefix) or not number.isdigit():
                return error(403, f"{{{DAV}}}valid-sync-token", "This token is not one of ours.")
            revision = int(number)
            if collection.revision - revision > self.traits.token_life or revision > collection.revision:
                return error(403, f"{{{DAV}}}valid-sync-token", "This token has expired.")
        changed, gone = self.records.since(collection, revision)
        after = element(f"{{{DAV}}}sync-token", self._token(collection))
        responses = []
        for name, etag in changed:
            stored = self.records.object(collection, name) if data else None
            path = self._path(collection, name)
            if stored:
                responses.append(self._object(collection, stored, True))
            else:
                responses.append(found(path, [element(f"{{{DAV}}}getetag", escape(etag))]))
        if token:
            responses += [status(self._path(collection, name), "404 Not Found") for name in gone]
        return multistatus(responses, after)

    def _multiget(self, collection: Collection, root: etree._Element, data: bool) -> Response:
        responses = []
        for asked in root.findall(f"{{{DAV}}}href"):
            path = (asked.text or "").strip()
            stored = self.records.object(collection, unquote(path.rsplit("/", 1)[-1]))
            responses.append(self._object(collection, stored, data) if stored else status(path, "404 Not Found"))
        return multistatus(responses)

    # ---- writing ---------------------------------------------------------------------------------

    def _refused(self, stored: Stored | None) -> Response | None:
        """Why this write may not be: access, or a condition that does not hold."""
        if self.collection is None:
            return Response("There is no such calendar.", 409 if self.request.method == "PUT" else 404)
        if self.access == "read":
            privilege = element(f"{{{DAV}}}resource", href(self.request.url.path))
            return error(403, f"{{{DAV}}}need-privileges", "You may only read this calendar.", privilege)
        match = self.request.headers.get("if-match")
        none_match = self.request.headers.get("if-none-match")
        if (match and (stored is None or match not in ("*", stored.etag))) or (none_match == "*" and stored):
            return Response("It was changed meanwhile.", 412, {"ETag": stored.etag} if stored else {})
        return None

    def _put(self) -> Response:
        stored = self._stored()
        refusal = self._refused(stored)
        if refusal is not None:
            return refusal
        assert self.collection is not None  # noqa: S101
        if len(self.body) > self.traits.most_octets:
            most = f"The most {self.traits.name} takes is {self.traits.most_octets:,} octets an entry."
            return error(403, f"{{{CAL}}}max-resource-size", most)
        parsed = take_apart(self.body)
        wrong = self._wrong(self.collection, parsed)
        if wrong is not None:
            return wrong
        data = keep_to_limits(self.body, parsed) if self.traits.strict else self.body
        before = take_apart(stored.data) if stored else None
        name = self.parts[4]
        etag = self.records.put(self.collection, name, data, parsed.uid, parsed.entries[0][0].component)
        self._send(before, parsed)
        # Where what is kept is not what was sent, no ETag may be given (RFC 4791 §5.3.4).
        return Response(status_code=204 if stored else 201, headers={"ETag": etag} if data == self.body else {})

    def _wrong(self, collection: Collection, parsed: CalendarObject) -> Response | None:
        if not parsed.entries:
            return error(403, f"{{{CAL}}}valid-calendar-data", "There is no entry in it.")
        if len({facts.uid for facts, _ in parsed.entries}) > 1 or not parsed.uid or parsed.method:
            return error(
                403,
                f"{{{CAL}}}valid-calendar-object-resource",
                "An object holds the entries of one UID, without METHOD.",
            )
        if parsed.entries[0][0].component not in collection.components.split(","):
            kind = parsed.entries[0][0].component
            return error(403, f"{{{CAL}}}supported-calendar-component", f"This calendar does not take a {kind}.")
        of_entries = (q for facts, _ in parsed.entries for q in facts.problems)
        found = (*parsed.problems, *of_entries, *(q for some in parsed.odd for q in some))
        broken = [p for p in found if severity_of(p.code) == "breaks"]
        if self.traits.strict and broken:
            return error(403, f"{{{CAL}}}valid-calendar-data", broken[0].message)
        here = [
            (c, name)
            for c, name in self.records.where_uid(collection.owner, parsed.uid)
            if (self.traits.strict or c.id == collection.id) and (c.id, name) != (collection.id, self.parts[4])
        ]
        if here:
            other, name = here[0]
            return error(
                403, f"{{{CAL}}}no-uid-conflict", f"An entry with this UID is in “{other.name}” already.",
                href(self._path(other, name)),
            )  # fmt: skip
        return None

    def _delete(self) -> Response:
        if self.collection is not None and len(self.parts) == 4:
            if self.access != "own":
                return error(403, f"{{{DAV}}}need-privileges", "Only its owner may delete a calendar.")
            self.records.drop_collection(self.collection)
            return Response(status_code=204)
        stored = self._stored()
        if stored is None:
            return Response("There is nothing here.", 404)
        refusal = self._refused(stored)
        if refusal is not None:
            return refusal
        assert self.collection is not None  # noqa: S101
        self.records.delete(self.collection, stored.name)
        self._send(take_apart(stored.data), None)
        return Response(status_code=204)

    def _send(self, before: CalendarObject | None, after: CalendarObject | None) -> None:
        known = self.records.person(self.person)
        assert known is not None  # noqa: S101
        replies = self.request.headers.get("schedule-reply", "T").upper() != "F"
        for m in messages(known[3], before, after, replies):
            body = (self.body or b"").decode("utf-8", "replace") if after else ""
            self.drop.keep(self.traits.name, m.method, m.sender, m.recipient, m.subject, m.uid, body)

    def _mkcalendar(self) -> Response:
        if len(self.parts) != 4 or self.parts[2] != self.person:
            return Response("Calendars are made in one's own home.", 403)
        if self.collection is not None:
            return error(405, f"{{{DAV}}}resource-must-be-null", "There is a calendar here already.")
        made = self.records.add_collection(self.person, self.parts[3], self.parts[3])
        self._set(made, read(self.body))
        return Response(status_code=201)

    def _proppatch(self) -> Response:
        if self.collection is None or len(self.parts) != 4:
            return Response("There is no such calendar.", 404)
        if self.access != "own":
            return error(403, f"{{{DAV}}}need-privileges", "Only its owner may change a calendar.")
        names = self._set(self.collection, read(self.body))
        return multistatus([found(self._path(self.collection), [element(name) for name in names] or [""])])

    def _set(self, collection: Collection, root: etree._Element | None) -> list[str]:
        """Set what a MKCALENDAR or PROPPATCH names; returns the properties that were known."""
        columns = {
            f"{{{DAV}}}displayname": "name", f"{{{CAL}}}calendar-description": "description",
            f"{{{CAL}}}calendar-timezone": "zone", f"{{{OWN}}}calendar-color": "colour",
        }  # fmt: skip
        values, names = {}, []
        for prop in root.iter(f"{{{DAV}}}prop") if root is not None else ():
            for child in prop:
                if str(child.tag) in columns:
                    values[columns[str(child.tag)]] = "".join(str(t) for t in child.itertext()).strip()
                    names.append(str(child.tag))
                elif str(child.tag) == f"{{{CAL}}}supported-calendar-component-set":
                    values["components"] = ",".join(c.get("name", "") for c in child)
        if values:
            self.records.set_properties(collection, values)
        return names


def _object_properties(etag: str) -> dict[str, str]:
    return {
        f"{{{DAV}}}getetag": escape(etag),
        f"{{{DAV}}}getcontenttype": "text/calendar; charset=utf-8",
        f"{{{DAV}}}resourcetype": "",
    }
