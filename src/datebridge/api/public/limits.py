"""How much may be asked: so many requests a second from one address and of one share, and few wrong guesses."""

from __future__ import annotations

import ipaddress
import time
from collections import OrderedDict


class Limit:
    """Lets so many through a second, and as many at once as come together in some seconds.

    >>> limit = Limit(rate=1, seconds=2)
    >>> [limit.take("a", now=0.0) for _ in range(3)], limit.take("a", now=1.0)
    ([True, True, False], True)
    """

    def __init__(self, rate: float, seconds: float, most: int = 10_000) -> None:
        self.rate, self.burst, self.most = rate, max(1.0, rate * seconds), most
        self._left: OrderedDict[object, tuple[float, float]] = OrderedDict()

    def take(self, key: object, now: float | None = None) -> bool:
        """Whether one more may be asked."""
        moment = time.monotonic() if now is None else now
        left = self._now(key, moment)
        self._left[key] = (left - 1, moment) if left >= 1 else (left, moment)
        self._left.move_to_end(key)
        if len(self._left) > self.most:
            self._left.popitem(last=False)
        return left >= 1

    def give_back(self, key: object) -> None:
        """What was taken did not count after all."""
        left, since = self._left.get(key, (self.burst, time.monotonic()))
        self._left[key] = min(self.burst, left + 1), since

    def _now(self, key: object, moment: float) -> float:
        left, since = self._left.get(key, (self.burst, moment))
        return min(self.burst, left + (moment - since) * self.rate)


def client_of(address: str) -> str:
    """By what a client is counted: its address, or the network an IPv6 address is in.

    >>> client_of("2001:db8:1:2:3::4"), client_of("192.0.2.7")
    ('2001:db8:1:2::/64', '192.0.2.7')
    """
    try:
        address_of = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return address[:64]
    if address_of.version == 4:
        return str(address_of)
    mapped = getattr(address_of, "ipv4_mapped", None)
    return str(mapped) if mapped else str(ipaddress.ip_network((address_of, 64), strict=False))
