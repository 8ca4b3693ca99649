"""Which addresses may be reached: never this machine or a private network, unless that origin was allowed.

>>> Gate(["http://127.0.0.1:8141"]).pinned(httpx.URL("http://127.0.0.1:8141/dav/"))
>>> Gate([]).pinned(httpx.URL("http://192.168.1.9/"))
Traceback (most recent call last):
datebridge.connect.errors.Unreachable: 192.168.1.9 is in a private network. Date Bridge goes there only if ...
"""

from __future__ import annotations

import asyncio
import ipaddress
import socket
from collections.abc import Collection, Iterable
from concurrent.futures import ThreadPoolExecutor
from urllib.request import getproxies, proxy_bypass

import httpx

from datebridge.connect.errors import Unreachable
from datebridge.connect.origins import is_this_machine, origin_of
from datebridge.connect.sending import Sending
from datebridge.connect.trust import Trust, context_of

_ANY = ipaddress.IPv4Address | ipaddress.IPv6Address
#: The only part of IPv6 that IANA has given out for the open internet ("IPv6 Global Unicast Address Space").
_GLOBAL_UNICAST = ipaddress.ip_network("2000::/3")
#: IPv6 addresses that stand for an IPv4 one in their last 32 bits (RFC 6052 §2.1).
_NAT64 = ipaddress.ip_network("64:ff9b::/96")
#: Blocks of IANA's registries of special-purpose addresses that are not reachable from everywhere, and that the
#: `ipaddress` of some Python 3.11 to 3.13 does not know yet.
_SPECIAL = tuple(
    ipaddress.ip_network(block)
    for block in (
        "192.0.0.0/24",
        "192.88.99.0/24",
        "64:ff9b:1::/48",
        "100::/64",
        "100:0:0:1::/64",
        "2001::/23",
        "2001:db8::/32",
        "3fff::/20",
        "5f00::/16",
    )
)
#: Looking a name up blocks; so many may be looked up at once.
_LOOKUPS = ThreadPoolExecutor(16, "lookup")


class Gate:
    """Looks every name up itself, looks at every address it stands for, and pins the connection to one of them.

    Redirects go through it again, and a name cannot mean one thing when it is checked and another when
    it is used.
    """

    def __init__(self, allowed: Iterable[str]) -> None:
        """`allowed`: origins such as ``http://127.0.0.1:8141`` that may be reached wherever they are."""
        self.allowed = {_origin(httpx.URL(origin)) for origin in allowed}

    def allows(self, url: httpx.URL) -> bool:
        """Whether an origin may be reached wherever it is."""
        return _origin(url) in self.allowed

    def pinned(self, url: httpx.URL) -> str | None:
        """The address to connect to instead of the name; None where the origin is allowed as it is.

        Raises:
            Unreachable: if the address is not of the web, has no host, leads to a private network, or is unknown.
        """
        if url.scheme not in ("http", "https") or not url.host:
            raise Unreachable("address", "This is not a web address. It should start with https:// or http://.")
        if self.allows(url):
            return None
        try:
            answers = socket.getaddrinfo(url.host, url.port or 443, type=socket.SOCK_STREAM)
        except (OSError, UnicodeError, OverflowError) as error:
            raise Unreachable(
                "name", f"There is no host named {url.host}. Check the spelling of the address."
            ) from error
        addresses = [str(entry[4][0]).partition("%")[0] for entry in answers]
        if not all(is_public(ipaddress.ip_address(address)) for address in addresses):
            where = "is" if url.host in addresses else "leads into"
            raise Unreachable(
                "forbidden",
                f"{url.host} {where}{' in' if where == 'is' else ''} a private network. Date Bridge goes there only if"
                " its settings allow it.",
            )
        return addresses[0]


def is_public(address: _ANY) -> bool:
    """Whether an address is one of the open internet, also where an IPv4 address hides in an IPv6 one."""
    if isinstance(address, ipaddress.IPv6Address):
        inner = address.ipv4_mapped or address.sixtofour or (address.teredo[1] if address.teredo else None)
        if inner is None and address in _NAT64:
            inner = ipaddress.IPv4Address(int(address) & 0xFFFFFFFF)
        if inner is not None:
            return is_public(inner)
        if address not in _GLOBAL_UNICAST:
            return False
    if any(address.version == block.version and address in block for block in _SPECIAL):
        return False
    return address.is_global and not address.is_multicast


def _origin(url: httpx.URL) -> tuple[str, str, int]:
    return url.scheme, url.host, url.port or (443 if url.scheme == "https" else 80)


def proxy_for(url: httpx.URL) -> str | None:
    """The proxy that the environment names for an address (``HTTPS_PROXY``, ``HTTP_PROXY``, ``NO_PROXY``); this machine
    is never asked through one."""
    proxy = getproxies().get(url.scheme) if not is_this_machine(url.host) else None
    return proxy if proxy and not proxy_bypass(url.host) else None


class GuardedTransport(httpx.AsyncBaseTransport):
    """Sends a request only where the gate lets it, to the very address the gate has looked at."""

    def __init__(self, gate: Gate, connections: int, trust: Trust = Trust(), own: Collection[str] = ()) -> None:
        """`trust`: certificates that count at the origins in `own` alone."""
        self.gate = gate
        self._connections, self._trust, self._own = connections, trust, own
        self._by_host: dict[tuple[str, str], Sending] = {}

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        pinned, proxy = None, proxy_for(request.url)
        if not self.gate.allows(request.url):
            loop = asyncio.get_running_loop()
            try:
                pinned = await loop.run_in_executor(_LOOKUPS, self.gate.pinned, request.url)
            except Unreachable as error:
                if proxy is None or error.trouble != "name":  # only the proxy may know names from outside
                    raise
        if proxy is not None:
            request.extensions = {**request.extensions, "proxy": proxy}
            pinned = None  # the proxy does the looking up, where its owner lets it
        name = request.url.scheme, request.url.netloc.decode("ascii", "replace")
        transport = self._by_host.get(name)
        if transport is None:  # one pool a name: names that share an address must not share a TLS connection
            own = self._trust if origin_of(str(request.url)) in self._own else Trust()
            transport = Sending(self._connections, context_of(own) if name[0] == "https" else None)
            self._by_host[name] = transport
        if pinned is not None:
            extensions = {**request.extensions, "sni_hostname": request.url.host}
            request = httpx.Request(
                request.method,
                request.url.copy_with(host=pinned),
                headers=request.headers,
                stream=request.stream,
                extensions=extensions,
            )
        return await transport.handle_async_request(request)

    async def aclose(self) -> None:
        for transport in self._by_host.values():
            await transport.aclose()
