"""The live properties of what is on a calendar server (RFC 4918 §15, 3744, 4791 §5.2, 6578, 6638 §2.4)."""

from __future__ import annotations

from collections.abc import Iterable
from urllib.parse import quote
from xml.sax.saxutils import escape

from datebridge.standins.habits import Habits
from datebridge.standins.multistatus import CAL, DAV, OWN, element, href
from datebridge.standins.places import Map, Place, principal_path
from datebridge.standins.queries import COLLATIONS
from datebridge.standins.records import Collection, Records, Stored
from datebridge.standins.traits import Traits

#: What of a calendar can be set: the property, and the column it is kept in.
SETTABLE = {
    f"{{{DAV}}}displayname": "name",
    f"{{{CAL}}}calendar-description": "description",
    f"{{{CAL}}}calendar-timezone": "zone",
    f"{{{OWN}}}calendar-color": "colour",
    f"{{{OWN}}}calendar-order": "position",
}
COMPONENTS = f"{{{CAL}}}supported-calendar-component-set"
TYPE = f"{{{DAV}}}resourcetype"
#: Properties that only a PROPFIND that names them brings (RFC 4791 §5.2, RFC 4918 §9.1: allprop).
_ON_DEMAND = (
    f"{{{DAV}}}acl",
    f"{{{CAL}}}",
    f"{{{DAV}}}current-user",
    f"{{{DAV}}}supported-",
    f"{{{DAV}}}sync-token",
    f"{{{DAV}}}owner",
    f"{{{DAV}}}principal",
    f"{{{DAV}}}group",
)
Properties = dict[str, str]


class Live:
    """The live properties as one person sees them; XML by name."""

    def __init__(self, traits: Traits, records: Records, habits: Habits, where: Map, host: str) -> None:
        self.traits, self.records, self.habits, self.map, self.host = traits, records, habits, where, host
        self.person = where.person

    @property
    def syncs(self) -> bool:
        """Whether it says that it knows sync-collection."""
        return self.traits.sync or self.habits.has("no-sync")

    def of(self, place: Place) -> Properties:
        """Those of a place that is there, objects and messages aside."""
        if place.kind == "principal":
            return self._principal(place.person)
        if place.kind == "group":
            return self._group(place.person)
        if place.collection is not None:
            return self._calendar(place.collection, place.access)
        if place.kind in ("inbox", "outbox"):
            type_ = element(f"{{{DAV}}}collection") + element(f"{{{CAL}}}schedule-{place.kind}")
            privilege = "schedule-deliver" if place.kind == "inbox" else "schedule-send"
            may = element(f"{{{DAV}}}privilege", element(f"{{{CAL}}}{privilege}"))
            return {
                **self._any(),
                TYPE: type_,
                f"{{{DAV}}}displayname": place.kind.title(),
                f"{{{DAV}}}current-user-privilege-set": _privileges(("read", "unbind")) + may,
            }
        names = {"home": "Calendars", "shelf": "Shelf", "principals": "People"}
        return {
            **self._any(),
            TYPE: element(f"{{{DAV}}}collection"),
            f"{{{DAV}}}displayname": escape(names.get(place.kind, self.traits.name)),
        }

    def _any(self) -> Properties:
        return {
            f"{{{DAV}}}current-user-principal": href(f"{self.traits.principals_at}{principal_path(self.person)}"),
            f"{{{DAV}}}principal-collection-set": href("/dav/principals/"),
        }

    def _principal(self, name: str) -> Properties:
        _, _, title, address = self.records.person(name) or ("", "", "", "")
        properties = {
            **self._any(),
            TYPE: element(f"{{{DAV}}}collection") + element(f"{{{DAV}}}principal"),
            f"{{{DAV}}}displayname": escape(title),
            f"{{{DAV}}}principal-URL": href(principal_path(name)),
            f"{{{CAL}}}calendar-user-address-set": href(f"mailto:{address}"),
            f"{{{CAL}}}calendar-user-type": "INDIVIDUAL",
        }
        homes = self._homes(name)
        if homes:
            properties[f"{{{CAL}}}calendar-home-set"] = homes
        if name == self.person:
            groups = "".join(href(f"{principal_path(owner)}group/") for owner in self.map.groups())
            properties[f"{{{DAV}}}group-membership"] = groups
            for box in ("inbox", "outbox"):
                path = f"/dav/calendars/{quote(name)}/{box}/"
                properties[f"{{{CAL}}}schedule-{box}-URL"] = href(path)
        return properties

    def _group(self, owner: str) -> Properties:
        title = (self.records.person(owner) or ("", "", "", ""))[2]
        return {
            **self._any(),
            TYPE: element(f"{{{DAV}}}principal"),
            f"{{{DAV}}}displayname": escape(f"Those who may see the calendars of {title}"),
            f"{{{CAL}}}calendar-home-set": self._homes(owner),
        }

    def _homes(self, owner: str) -> str:
        if self.habits.has("no-home"):
            return ""
        at = self.host if self.habits.has("other-host") else ""
        return "".join(href(at + path) for path in self.map.homes(owner))

    def _calendar(self, collection: Collection, access: str) -> Properties:
        may = (
            ("read", "read-current-user-privilege-set")
            + (("write", "write-content", "bind", "unbind") if access in ("own", "write") else ())
            + (("write-properties", "all") if access == "own" else ())
        )
        parts = "".join(f'<C:comp name="{escape(c)}"/>' for c in collection.components.split(","))
        collations = "".join(element(f"{{{CAL}}}supported-collation", name) for name in COLLATIONS)
        properties = {
            **self._any(),
            TYPE: element(f"{{{DAV}}}collection") + element(f"{{{CAL}}}calendar"),
            f"{{{DAV}}}displayname": escape(collection.name),
            f"{{{DAV}}}owner": href(principal_path(collection.owner)),
            f"{{{DAV}}}current-user-privilege-set": _privileges(may),
            f"{{{DAV}}}supported-report-set": _reports(self.syncs),
            COMPONENTS: parts,
            f"{{{CAL}}}supported-calendar-data": '<C:calendar-data content-type="text/calendar" version="2.0"/>',
            f"{{{CAL}}}supported-collation-set": collations,
            f"{{{CAL}}}calendar-description": escape(collection.description),
            f"{{{CAL}}}calendar-timezone": escape(collection.zone),
            f"{{{CAL}}}max-resource-size": str(self.traits.most_bytes),
            f"{{{OWN}}}calendar-color": escape(collection.colour),
            f"{{{OWN}}}calendar-order": str(collection.position),
            f"{{{OWN}}}getctag": f"{collection.id}-{collection.revision}",
        }
        if access == "own":
            properties[f"{{{DAV}}}acl"] = "".join(
                _ace(person, may) for person, may in self.records.shared_with(collection)
            )
        if self.traits.room:
            properties[f"{{{DAV}}}quota-available-bytes"] = str(self.traits.room)
        if self.syncs:
            properties[f"{{{DAV}}}sync-token"] = token_of(self.traits, collection)
        return properties

    # ---- objects ---------------------------------------------------------------------------------

    def etag(self, stored: Stored) -> str:
        """An object's ETag as it is shown."""
        return self._shown(stored.name, stored.etag)

    def _shown(self, name: str, etag: str) -> str:
        if self.habits.has("restless-etags"):
            etag = f'{etag[:-1]}-{self.habits.times[f"read {name}"]}"'
        return f"W/{etag}" if self.habits.has("weak-etags") else etag

    def object(self, name: str, etag: str, size: int | None = None) -> Properties:
        """Those of an object; its size where that is known."""
        properties = {
            f"{{{DAV}}}getetag": escape(self._shown(name, etag)),
            f"{{{DAV}}}getcontenttype": "text/calendar; charset=utf-8",
            TYPE: "",
        }
        return properties if size is None else {**properties, f"{{{DAV}}}getcontentlength": str(size)}


def _ace(person: str, access: str) -> str:
    """What somebody else may do with a calendar (RFC 3744 §5.5)."""
    may = ("read", "write") if access == "write" else ("read",)
    granted = "".join(element(f"{{{DAV}}}privilege", element(f"{{{DAV}}}{name}")) for name in may)
    principal = element(f"{{{DAV}}}principal", href(principal_path(person)))
    return element(f"{{{DAV}}}ace", principal + element(f"{{{DAV}}}grant", granted))


def on_demand(name: str) -> bool:
    """Whether a property comes only where it is named."""
    return name.startswith(_ON_DEMAND)


def token_of(traits: Traits, collection: Collection, revision: int | None = None) -> str:
    return f"urn:{traits.name.lower()}:{collection.id}:{collection.revision if revision is None else revision}"


def _privileges(names: Iterable[str]) -> str:
    return "".join(element(f"{{{DAV}}}privilege", element(f"{{{DAV}}}{name}")) for name in names)


def _reports(sync: bool) -> str:
    names = [
        f"{{{CAL}}}calendar-query",
        f"{{{CAL}}}calendar-multiget",
        f"{{{CAL}}}free-busy-query",
        f"{{{DAV}}}principal-property-search",
        *([f"{{{DAV}}}sync-collection"] if sync else []),
    ]
    inner = (element(f"{{{DAV}}}report", element(name)) for name in names)
    return "".join(element(f"{{{DAV}}}supported-report", one) for one in inner)
