"""What zone names mean."""

from __future__ import annotations

import pytest

from datebridge.core.tzids import resolve


@pytest.mark.parametrize(
    ("tzid", "zone", "method"),
    [
        ("Australia/Hobart", "Australia/Hobart", "iana"),
        ("australia/hobart", "Australia/Hobart", "iana"),
        ("Atlantic Standard Time", "America/Halifax", "cldr"),
        ("/vendor.example/2011_1/Atlantic/Reykjavik", "Atlantic/Reykjavik", "path"),
        ("/vendor.example/America/Argentina/Ushuaia", "America/Argentina/Ushuaia", "path"),
        ("Harbour clock", "", "unresolved"),
        ("/vendor.example/GMT", "", "unresolved"),
    ],
)
def test_what_a_zone_name_means(tzid: str, zone: str, method: str) -> None:
    found = resolve(tzid)
    assert (found.zone, found.method) == (zone, method)
