"""Where a domain says its calendars are: SRV and TXT records (RFC 6764 §3–§6, RFC 2782).

>>> Names("").places("127.0.0.1"), Names("").places("https://calendars.example/")
((), ())
"""

from __future__ import annotations

import ipaddress
import re
from dataclasses import dataclass
from typing import Any

import dns.exception
import dns.name
import dns.resolver

from datebridge.connect.origins import origin_of

_DOMAIN = re.compile(r"(?:[^\s/@:?#.]+\.)+[^\s/@:?#.]+\.?")
#: Names of hosts; a record may hold anything.
_HOST = re.compile(r"[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)*")
#: The services, those with encryption first; with the scheme they are spoken in.
_SERVICES = (("_caldavs._tcp", "https"), ("_caldav._tcp", "http"))
#: How long the answers to all questions may take, in seconds, and how many places are worth trying.
_SECONDS, _MOST = 2.0, 3


@dataclass(frozen=True, slots=True)
class Place:
    """Where calendars of a domain are served. `within`: by a host of that same domain (RFC 6764 §8)."""

    address: str
    within: bool

    @property
    def origin(self) -> str:
        return origin_of(self.address)


class Names:
    """What the domain name system knows; `server` is the name server to ask, ``address`` or ``address:port``, else the
    machine's own."""

    def __init__(self, server: str) -> None:
        self._server = server

    def places(self, address: str) -> tuple[Place, ...]:
        """Where the calendars of a bare domain are served, the best first; nothing where it does not say, where the
        question gets no answer in time, or where the address is more than a domain."""
        if not _DOMAIN.fullmatch(address) or _is_number(address):
            return ()
        try:
            resolver = self._resolver()
            domain = dns.name.from_text(address.rstrip("."), idna_codec=dns.name.IDNA_2003)
            for service, scheme in _SERVICES:
                name = dns.name.from_text(service, origin=None) + domain
                hosts = _hosts(_records(resolver, name, "SRV"))
                if hosts:
                    path = _path(_records(resolver, name, "TXT"))
                    return tuple(_place(scheme, host, port, path, domain) for host, port in hosts[:_MOST])
        except (dns.exception.DNSException, OSError, UnicodeError, ValueError):
            return ()
        return ()

    def _resolver(self) -> dns.resolver.Resolver:
        resolver = dns.resolver.Resolver(configure=not self._server)
        if self._server:
            host, _, port = self._server.partition(":")
            resolver.nameservers, resolver.port = [host], int(port or 53)
        resolver.lifetime = _SECONDS
        return resolver


def _records(resolver: dns.resolver.Resolver, name: dns.name.Name, kind: str) -> list[object]:
    try:
        return list(resolver.resolve(name, kind, search=False))
    except (dns.resolver.NXDOMAIN, dns.resolver.NoAnswer):
        return []


def _hosts(records: list[Any]) -> list[tuple[dns.name.Name, int]]:
    """Targets and ports in the order they are to be tried; a target of "." says that there is none (RFC 2782)."""
    ordered = sorted(records, key=lambda r: (r.priority, -r.weight, r.target, r.port))
    return [(r.target, r.port) for r in ordered if _HOST.fullmatch(r.target.to_text(omit_final_dot=True))]


def _path(records: list[Any]) -> str:
    """The path that TXT names (RFC 6764 §4), "/" if none does."""
    for record in records:
        for part in record.strings:
            key, _, value = part.decode("utf-8", "replace").partition("=")
            if key.lower() == "path" and value.startswith("/") and not value.startswith("//"):
                return str(value)
    return "/"


def _place(scheme: str, host: dns.name.Name, port: int, path: str, domain: dns.name.Name) -> Place:
    usual = {"https": 443, "http": 80}[scheme]
    name = host.to_text(omit_final_dot=True).lower()
    return Place(f"{scheme}://{name}" + ("" if port == usual else f":{port}") + path, host.is_subdomain(domain))


def _is_number(address: str) -> bool:
    try:
        ipaddress.ip_address(address)
    except ValueError:
        return False
    return True
