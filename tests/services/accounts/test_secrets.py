"""What works like a password stays secret: in the data, the log, all answers; and a lost key can be got over."""

from __future__ import annotations

import re
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.api.app import schema
from datebridge.connect.errors import Unreachable
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.services.accounts import accounts, secrets
from datebridge.services.accounts.secrets import KeyLost, demand_key, seal, start_over, unseal
from datebridge.services.jobs import jobs
from datebridge.services.logs import mask, set_up
from datebridge.settings import Settings
from datebridge.standins.faults import Fault
from datebridge.standins.feeds import Feed
from datebridge.store.accounts import remotes_of
from tests.api.connect.test_accounts import client  # noqa: F401
from tests.conftest import calendar
from tests.depth import tries
from tests.world import OFFICE, PASSWORD, World, berth

SECRET = "8f2c-hidden-as-a-password"  # noqa: S105


@pytest.fixture
def log(capfd: pytest.CaptureFixture[str]) -> pytest.CaptureFixture[str]:
    set_up()
    return capfd


def walk(world: World, page) -> str:  # type: ignore[no-untyped-def]
    """Everything that is done with a feed behind a secret address, well and badly; all that was answered."""
    path = f"/private/{SECRET}/calendar.ics?key={SECRET}"
    world.hosts.breakwater.publish(Feed(path.partition("?")[0], "x"), calendar(berth(1)).encode())
    address = world.hosts.address("breakwater") + path
    said = [page.post("/api/accounts", json={"address": address})]
    account = int(str(said[0].json()["account_id"]))
    world.work()
    faults: list[Fault] = [Fault(kind, count=9) for kind in ("nonsense", "damage", "unavailable", "cut", "twice")]  # type: ignore[arg-type]
    for fault in faults:
        world.settings.patience = 0
        world.hosts.switches["breakwater"].arm(fault)
        world.refresh(account)
        said.append(page.post("/api/accounts/discover", json={"address": address + "0"}))
        world.hosts.switches["breakwater"].clear()
    said.append(page.post("/api/accounts", json={"address": address}))  # connected already
    jobs.enqueue(world.store, JobKind.PULL, "x", {"remotes": None})  # fails in a way nobody foresaw
    world.work()
    world.refresh(account)
    endless = "/api/revisions"  # it names topics, and no more
    paths = [p for p, item in schema()["paths"].items() if "get" in item and "{" not in p and p != endless]
    said += [page.get(path, params={"first": "2026-12-01", "calendar": 1, "by": "calendar"}) for path in paths]
    for number in range(1, 30):
        said += [page.get(f"/api/{kind}/{number}") for kind in ("entries", "change-sets", "jobs", "imports")]
    said += [page.post("/api/exports", json={}, params={"format": form}) for form in ("ics", "csv")]
    return "\n".join(one.text for one in said)


def test_a_secret_address_is_in_no_answer_no_log_and_no_file(world: World, client, log) -> None:  # type: ignore[no-untyped-def]  # noqa: F811
    said = walk(world, client)
    assert SECRET not in said
    told = log.readouterr()
    assert "job failed" in told.err  # there is something that could have told it
    assert SECRET not in told.err + told.out
    assert "locals" not in told.err
    kept = [path for path in world.settings.data_dir.rglob("*") if path.is_file()]
    assert [path.name for path in kept if SECRET.encode() in path.read_bytes()] == []
    (name,) = (one.name for one in world.remotes())
    assert re.fullmatch(r"127\.0\.0\.1 1", name)


@pytest.mark.parametrize(
    ("text", "masked"),
    [
        ("at https://me:pw@feeds.example:8/s/8f2c?key=1, line 2", "at https://feeds.example:8/… line 2"),
        ("webcal://feeds.example/8f2c.ics", "webcal://feeds.example/…"),
        ("https://feeds.example", "https://feeds.example"),
        ("'http://[::1]:80/x'", "'http://[::1]:80/…'"),
        ("a/b and c", "a/b and c"),
    ],
)
def test_the_log_shows_no_more_of_an_address_than_its_host(text: str, masked: str) -> None:
    assert mask(text) == masked


def test_with_the_key_lost_the_account_can_be_added_again_and_its_calendars_stay(world: World) -> None:
    world.put("tidewrack", "berths", berth(1))
    account = world.connect("tidewrack")
    Path(world.settings.key_file).unlink()
    with pytest.raises(KeyLost, match="--new-key"):
        secrets.demand_key(world.store, world.settings)
    secrets.start_over(world.settings)
    assert "Add the account again" in world.refresh(account).message
    with pytest.raises(Unreachable):
        accounts.add(world.store, world.settings, world.hosts.address("tidewrack"), OFFICE, "guess")
    again, _ = accounts.add(world.store, world.settings, world.hosts.address("tidewrack"), OFFICE, PASSWORD)
    assert again == account
    world.put("tidewrack", "berths", berth(2))
    world.work()
    world.refresh(account)
    assert len(list(world.ledger.ids(world.store.engine.connect(), Selection("")))) == 2
    assert [r.trouble for r in remotes_of(world.store, account)] == [""]
    secrets.demand_key(world.store, world.settings)


@tries(60, 2_000)
@given(st.text(min_size=1))
def test_what_was_sealed_is_opened_again_and_cannot_be_read(
    tmp_path_factory: pytest.TempPathFactory, secret: str
) -> None:
    settings = Settings(data_dir=tmp_path_factory.getbasetemp())
    sealed = seal(settings, secret)
    assert unseal(settings, sealed) == secret
    assert secret.encode() not in sealed or len(secret) < 4
    assert sealed != seal(settings, secret), "the same secret looks different each time"
    assert settings.key_file.stat().st_mode & 0o077 == 0


def test_many_at_once_make_one_key(tmp_path: Path) -> None:
    settings = Settings(data_dir=tmp_path)
    with ThreadPoolExecutor(8) as pool:
        sealed = list(pool.map(lambda n: seal(settings, f"tern-{n}"), range(8)))
    begin = [unseal(settings, one) for one in sealed]
    assert begin == [f"tern-{n}" for n in range(8)]
    assert [path.name for path in tmp_path.iterdir()] == [settings.key_file.name]


def test_with_another_key_nothing_opens_and_it_says_what_to_do(world: World) -> None:
    world.connect("tidewrack")
    demand_key(world.store, world.settings)
    start_over(world.settings)
    seal(world.settings, "something new")
    with pytest.raises(KeyLost, match="Restore it; or start with --new-key"):
        demand_key(world.store, world.settings)
    world.settings.key_file.with_suffix(".old").replace(world.settings.key_file)
    begin = world.settings.key_file.read_bytes()
    secrets._box.cache_clear()
    demand_key(world.store, world.settings)
    assert world.settings.key_file.read_bytes() == begin
