"""Certificates of an account count at its own origins, are sealed, and what cannot be read is said."""

from __future__ import annotations

import pytest

from datebridge.connect.errors import Unreachable
from datebridge.connect.trust import Trust, context_of
from datebridge.services.accounts import accounts
from datebridge.services.accounts.addresses import look_at
from datebridge.standins.certificates import by_authority
from datebridge.store.accounts import account as account_of
from tests.world import OFFICE, PASSWORD, World


def harbour(world: World) -> Trust:
    files = by_authority(world.hosts.folder)
    return Trust(files.authority.read_text(), files.client.read_text())


def test_an_authority_and_a_certificate_of_ones_own_let_one_in(world: World) -> None:
    address, trust = world.hosts.address("halyard-tls"), harbour(world)
    number, _ = accounts.add(world.store, world.settings, address, OFFICE, PASSWORD, "Halyard", trust=trust)
    assert world.work().state == "done"
    row = account_of(world.store, number)
    assert b"PRIVATE KEY" not in row.certificate_sealed
    assert row.authority == trust.authority
    accounts.switch_on(world.store, [world.remote(number).id])  # type: ignore[list-item]
    assert world.work().result["results"][0]["outcome"] == "fetched 0"  # type: ignore[index]


@pytest.mark.parametrize("without", ["authority", "certificate"])
def test_one_alone_is_not_enough(world: World, without: str) -> None:
    trust = harbour(world)._replace(**{without: ""})
    with pytest.raises(Unreachable) as refused:
        look_at(world.settings, world.hosts.address("halyard-tls"), OFFICE, PASSWORD, trust=trust)
    assert refused.value.trouble in ("certificate", "cut", "refused")


def test_certificates_count_at_their_own_origins_alone(world: World) -> None:
    with pytest.raises(Unreachable) as refused:
        look_at(world.settings, world.hosts.address("lantern-tls"), OFFICE, PASSWORD, trust=harbour(world))
    assert refused.value.trouble == "certificate"


@pytest.mark.parametrize(
    "trust", [Trust(authority="none"), Trust(certificate="none"), Trust("-----BEGIN CERTIFICATE-----")]
)
def test_what_is_no_certificate_is_said(trust: Trust) -> None:
    with pytest.raises(Unreachable, match="cannot be read"):
        context_of(trust)
