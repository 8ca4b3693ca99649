"""Signing in: the strongest way that is offered, and none weaker afterwards where somebody could listen."""

from __future__ import annotations

from contextlib import suppress

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.connect.errors import Unreachable
from datebridge.connect.signing import Signing, strongest
from datebridge.services.accounts.addresses import look_at
from datebridge.standins.signing import token_of
from tests.depth import tries
from tests.world import OFFICE, PASSWORD, World

BASIC = 'Basic realm="Berths"'
DIGEST = 'Digest realm="Berths", qop="auth", algorithm=SHA-256, nonce="1f"'


def asked(signing: Signing, url: str, *offered: str) -> list[str]:
    """Which schemes one request was sent with, while the server goes on offering these."""
    request = httpx.Request("PROPFIND", url)
    flow = signing.auth_flow(request)
    sent = [next(flow).headers.get("authorization", "")]
    for header in offered:
        try:
            again = flow.send(httpx.Response(401, headers=[(b"www-authenticate", header.encode())], request=request))
        except StopIteration:
            break
        sent.append(again.headers["authorization"])
    with suppress(StopIteration):
        flow.send(httpx.Response(207, request=request))
    return [one.partition(" ")[0] for one in sent]


@pytest.mark.parametrize(
    ("offered", "taken"),
    [
        (f"{BASIC}, {DIGEST}", "digest"),
        (f"{DIGEST}, {BASIC}", "digest"),
        (BASIC, "basic"),
        (f"Negotiate, {BASIC}", "basic"),
        ('Digest realm="a", nonce="1", algorithm=ODD-1', None),
        ('Digest realm="a", nonce="1", qop="auth-int"', None),
        ('Bearer realm="Basic, Digest nonce=1"', None),
        ("", None),
    ],
)
def test_the_strongest_way_that_is_known_is_taken(offered: str, taken: str | None) -> None:
    best = strongest(offered)
    assert (best[0] if best else None) == taken


def test_what_was_learned_is_used_at_once_and_refused_only_once() -> None:
    signing = Signing("ida", "tern")
    assert asked(signing, "https://berths.example/", DIGEST) == ["", "Digest"]
    assert asked(signing, "https://berths.example/") == ["Digest"]
    basic = Signing("ida", "tern")
    assert asked(basic, "https://berths.example/", "") == [""]
    assert asked(basic, "https://berths.example/", BASIC, BASIC) == ["", "Basic"]


def test_a_nonce_that_is_good_once_is_asked_for_anew_as_often_as_need_be() -> None:
    signing, stale = Signing("ida", "tern"), f"{DIGEST}, stale=true"
    assert asked(signing, "https://berths.example/", DIGEST) == ["", "Digest"]
    assert asked(signing, "https://berths.example/", stale, stale, stale) == ["Digest"] * 4
    assert asked(signing, "https://berths.example/", *[stale] * 99) == ["Digest"] * 11
    assert asked(signing, "https://berths.example/", stale, DIGEST, DIGEST) == ["Digest"] * 2


PIECES = st.sampled_from(
    [
        "Digest ",
        "Basic ",
        "Negotiate",
        'realm="a"',
        "realm=",
        'nonce="1"',
        "nonce",
        'qop="auth"',
        'qop="auth-int,auth"',
        "algorithm=MD5-sess",
        "algorithm=SHA-256",
        "algorithm=",
        'opaque="',
        ",",
        ", ",
        " ",
        "=",
        '"',
        "ü",
        "stale=true",
    ]
)


@tries(60, 2_000)
@given(st.lists(PIECES, max_size=12).map("".join))
def test_whatever_is_offered_it_is_signed_or_not(offered: str) -> None:
    assert asked(Signing("ida", "tern"), "https://berths.example/", offered) in ([""], ["", "Basic"], ["", "Digest"])


def test_digest_is_left_for_basic_only_where_nobody_can_listen() -> None:
    signing = Signing("ida", "tern")
    asked(signing, "http://berths.example/", DIGEST)
    with pytest.raises(Unreachable) as caught:
        asked(signing, "http://berths.example/", BASIC)
    assert str(caught.value) == (
        "berths.example let one in by Digest before, and now takes Basic only, by which everybody on the way could read"
        " the password. It was not sent. If who runs it says that this is meant, sign in again."
    )
    assert asked(signing, "https://berths.example/", BASIC) == ["Digest", "Basic"]


def test_a_password_without_a_user_name_is_a_token_where_tokens_are_taken(world: World) -> None:
    token = token_of(OFFICE, PASSWORD)
    found = look_at(world.settings, world.hosts.address("halyard"), "", token)
    assert [one.name for one in found.found.calendars] == ["Berths"]
    with pytest.raises(Unreachable) as refused:
        look_at(world.settings, world.hosts.address("halyard"), "", "another." + token)
    assert refused.value.trouble == "password"
    with pytest.raises(Unreachable):
        look_at(world.settings, world.hosts.address("lantern"), "", token)


def test_a_token_goes_only_where_tokens_are_asked_for() -> None:
    for header, way in (('Basic realm="a"', "Basic "), ('Bearer realm="a"', "Bearer "), ("Negotiate", "Bearer ")):
        flow = Signing("", "token").auth_flow(httpx.Request("GET", "https://a.example/"))
        assert "authorization" not in next(flow).headers
        signed = flow.send(httpx.Response(401, headers={"www-authenticate": header}))
        assert signed.headers["authorization"].startswith(way)
