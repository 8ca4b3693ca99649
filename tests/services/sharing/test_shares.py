"""Shares through the store and the outer world: told by mail, handed out to a host, followed and recognised."""

from __future__ import annotations

from collections.abc import Iterator
from email import message_from_bytes, policy
from pathlib import Path

import pytest

from datebridge.api.public.door import Door
from datebridge.connect.errors import Unreachable
from datebridge.core.choices import Form
from datebridge.core.language.filters import Selection
from datebridge.core.sharing.terms import Detail, Terms
from datebridge.services.accounts import statements
from datebridge.services.mend.deletion import propose_deletion
from datebridge.services.running import worker
from datebridge.services.sharing import handing, invitations, shares
from datebridge.services.sharing.addresses import address_of, token_in
from datebridge.services.sharing.plans import plan_of
from datebridge.services.sharing.render_cache import ShareRenderer
from datebridge.services.sharing.shares import CannotShare, Wanted
from datebridge.store import shares as kept
from datebridge.store.changesets import collect
from datebridge.store.changesets.apply import apply
from datebridge.store.database import Store
from datebridge.store.shares import hosts, shares_echoed
from datebridge.store.tables import Share, ShareHost
from datebridge.store.use import UseBook
from tests.api.public.test_door import BERTHS
from tests.third import Answer, third_server
from tests.world import World, new_world

MEMBER, LOW_TIDE = "member", "low-tide-7"


@pytest.fixture
def world(tmp_path: Path) -> Iterator[World]:
    with new_world(tmp_path) as made:
        made.bring(BERTHS, "Berths")
        made.settings = made.settings.model_copy(
            update={
                "mail_server": made.hosts.address("smtp"),
                "mail_from": "harbour-office@skerrow.example",
                "share_address": "http://127.0.0.1:9",
            }
        )
        yield made


def make(world: World, detail: Detail = Detail.TITLES, **more: object) -> int:
    calendar = world.calendars()[0].id
    said = {"calendars": (calendar,), **more}
    wanted = Wanted("Berths", "harbour office", terms=Terms(detail), **said)  # type: ignore[arg-type]
    return shares.make(world.store, world.ledger, wanted)


def feed_of(world: World, share: int) -> str:
    with world.store.session() as session:
        found = session.get(Share, share)
        assert found is not None
    return ShareRenderer(world.store).made(share, plan_of(found), found.changed_at, Form.FEED).body.decode()


# ---- told ------------------------------------------------------------------------------------------------


def test_a_reader_is_told_their_own_address_and_nobody_else_s(world: World) -> None:
    share = make(world)
    ida, token = shares.add_reader(world.store, share, "Ida Moe", "ida.moe@skerrow.example")
    _, other = shares.add_reader(world.store, share, "Owen Hale", "owen.hale@skerrow.example")
    subject, text = invitations.usual_text(invitations.invited(world.store, ida))
    invitations.send_invitation(world.store, world.settings, ida, token, subject, text, attach=True)
    (sent,) = world.hosts.mail.messages()
    assert sent["recipient"] == "ida.moe@skerrow.example"
    assert address_of(world.settings, token) in str(sent["body"])
    assert "[Berths.ics]" in str(sent["body"])
    with pytest.raises(CannotShare, match="not the reader's address"):
        invitations.send_invitation(world.store, world.settings, ida, other, subject, text, attach=False)


def test_an_invitation_as_a_file_holds_what_the_share_gives_and_no_line_anybody_can_add(world: World) -> None:
    share = make(world)
    ida, token = shares.add_reader(world.store, share, "Ida\nBcc: all@skerrow.example", "ida.moe@skerrow.example")
    text = "Look: {address}"
    made = invitations.message(world.store, world.settings, ida, token, "Hello\nX-Odd: yes", text, attach=True)
    read = message_from_bytes(made.as_bytes(), policy=policy.default)
    assert (read["Bcc"], read["X-Odd"]) == (None, None)
    (file,) = list(read.iter_attachments())
    given = file.get_content()
    assert "RV Kittiwake" in (given if isinstance(given, str) else given.decode())
    assert "Ida Moe" not in str(given)


def test_a_mail_server_that_does_not_answer_is_said(world: World) -> None:
    world.settings = world.settings.model_copy(update={"mail_server": "smtp://127.0.0.1:9"})
    ida, token = shares.add_reader(world.store, make(world), "Ida Moe", "ida.moe@skerrow.example")
    with pytest.raises(Unreachable, match="cannot be reached"):
        invitations.send_invitation(world.store, world.settings, ida, token, "Hello", "{address}", attach=False)


# ---- handed out ------------------------------------------------------------------------------------------


def hand(world: World, share: int, always: bool = True, password: str = LOW_TIDE, name: str = "berths.ics") -> int:
    at = world.hosts.address("breakwater") + f"/web/{name}"
    number = handing.add_host(world.store, world.settings, share, Form.FEED, at, MEMBER, password, always)
    worker.drain(world.store, world.settings)
    return number


def host(world: World, number: int) -> ShareHost:
    with world.store.session() as session:
        found = session.get(ShareHost, number)
    assert found is not None
    return found


def there(world: World, name: str = "berths.ics") -> bytes:
    return next(data for feed, data, _ in world.hosts.breakwater._feeds() if feed.path == f"/web/{name}")


def test_a_host_is_handed_what_readers_get_and_again_after_a_change(world: World) -> None:
    share = make(world)
    number = hand(world, share)
    assert there(world).decode() == feed_of(world, share)
    handing.queue_due(world.store)
    assert world.jobs("queued", kinds=["hand-out"]) == []
    apply(world.store, propose_deletion(world.store, world.ledger, Selection("kittiwake")))
    handing.queue_due(world.store)
    worker.drain(world.store, world.settings)
    assert b"Kittiwake" not in there(world)
    assert host(world, number).trouble == ""


def test_what_somebody_else_has_put_there_is_left_unless_that_is_meant(world: World) -> None:
    share = make(world)
    number = hand(world, share)
    world.hosts.breakwater.change("/web/berths.ics", b"theirs")
    apply(world.store, propose_deletion(world.store, world.ledger, Selection("kittiwake")))
    handing.queue_due(world.store)
    worker.drain(world.store, world.settings)
    assert there(world) == b"theirs"
    assert "Somebody else changed the file" in host(world, number).trouble
    handing.queue(world.store, number, over=True)
    worker.drain(world.store, world.settings)
    assert there(world).decode() == feed_of(world, share)
    assert host(world, number).trouble == ""


@pytest.mark.parametrize("answer", [Answer(200, b"theirs"), Answer(403), Answer(200, b"")])
def test_a_host_that_heeds_no_conditions_or_shows_nothing_loses_no_file(world: World, answer: Answer) -> None:
    share = make(world)
    with third_server() as third:
        origins = (*world.settings.allowed_origins, third.address)
        world.settings = world.settings.model_copy(update={"allowed_origins": origins})
        third.says = {"GET /web.ics": answer, "PUT /web.ics": Answer(204)}  # it takes whatever comes
        number = handing.add_host(
            world.store, world.settings, share, Form.FEED, third.address + "web.ics", MEMBER, LOW_TIDE, True
        )
        worker.drain(world.store, world.settings)
        assert [one for one in third.log if one.startswith("PUT")] == []
        assert "not overwritten" in host(world, number).trouble
        handing.queue(world.store, number, over=True)
        worker.drain(world.store, world.settings)
        assert [one for one in third.log if one.startswith("PUT")] == ["PUT /web.ics"]
        third.says["GET /web.ics"] = answer  # somebody else has rewritten meanwhile
        apply(world.store, propose_deletion(world.store, world.ledger, Selection("kittiwake")))
        handing.queue_due(world.store)
        worker.drain(world.store, world.settings)
        assert third.log.count("PUT /web.ics") == 1


def test_a_wrong_password_is_said_and_tried_again_later(world: World) -> None:
    number = hand(world, make(world), password="wrong")  # noqa: S106
    assert "does not accept this user name and password" in host(world, number).trouble
    handing.queue_due(world.store)
    assert world.jobs("queued", kinds=["hand-out"]) == []


def test_what_was_written_and_not_answered_is_recognised(world: World) -> None:
    share = make(world)
    hand(world, share)
    with world.store.write() as connection:  # as if the process had died before it could note it
        connection.exec_driver_sql("UPDATE share_host SET etag = '', digest = '', seen = ''")
    apply(world.store, propose_deletion(world.store, world.ledger, Selection("kittiwake")))
    with world.store.session() as session:
        (number,) = (host.id for host in hosts(session))
    handing.queue(world.store, number)
    worker.drain(world.store, world.settings)
    assert (host(world, number).trouble, host(world, number).outcome[:9]) == ("", "0 entries")
    assert b"Kittiwake" not in there(world)


# ---- followed, held, collected ---------------------------------------------------------------------------


def test_an_echo_is_recognised_and_never_shared_again(world: World) -> None:
    share = make(world, Detail.BUSY)
    world.bring(feed_of(world, share), "Followed")
    echo = world.calendars()[-1].id
    with world.store.read() as connection:
        assert shares_echoed(connection) == {echo: "Berths"}
        said = statements.of_calendars(connection, world.settings, {echo: ("Followed", True)})
    assert said[echo].echo == "Berths"
    with pytest.raises(CannotShare, match="return endlessly"):
        make(world, calendars=(echo,))
    everything = make(world, calendars=(), filter="after:2000")
    assert feed_of(world, everything).count("BEGIN:VEVENT") == 1


def test_a_share_of_a_filter_gives_what_matches_and_no_more_of_its_series(world: World) -> None:
    series = BERTHS.replace("END:VCALENDAR\n", "") + (
        "BEGIN:VEVENT\nUID:watch\nDTSTAMP:20261101T000000Z\nDTSTART:20261124T200000Z\nRRULE:FREQ=DAILY;COUNT=3\n"
        "SUMMARY:Watch\nEND:VEVENT\nBEGIN:VEVENT\nUID:watch\nDTSTAMP:20261101T000000Z\n"
        "RECURRENCE-ID:20261125T200000Z\nDTSTART:20261125T220000Z\nSUMMARY:Party\nEND:VEVENT\nEND:VCALENDAR\n"
    )
    world.bring(series.replace("UID:", "UID:x-"), "More")
    share = make(world, calendars=(), filter="what:watch")
    feed = feed_of(world, share)
    fixed = feed_of(world, make(world, calendars=(), filter="what:watch", fixed=True))
    for one in (feed, fixed):
        assert one.count("BEGIN:VEVENT") == 1
        assert "EXDATE:20261125T200000Z" in one
        assert "Party" not in one


def test_what_is_fixed_outlives_the_collector_until_the_share_ends(world: World) -> None:
    share = make(world, fixed=True)
    before = feed_of(world, share)
    apply(world.store, propose_deletion(world.store, world.ledger, Selection()))
    with world.store.write() as connection:  # nothing else speaks of what was deleted any more
        connection.exec_driver_sql("DELETE FROM change")
        connection.exec_driver_sql("UPDATE import_file SET state = 'gone'")
    collect.collect(world.store, lambda: None)
    assert feed_of(world, share) == before
    shares.end(world.store, share)
    collect.collect(world.store, lambda: None)
    assert world.amounts()["version"] == world.amounts()["entry"]  # and then it is cleared away


def test_the_door_can_write_nothing(world: World) -> None:
    door = Door(world.settings, Store.reading(world.settings.database), UseBook(world.settings.use_file))
    with pytest.raises(Exception, match="readonly"), door.store.write() as connection:
        connection.exec_driver_sql("DELETE FROM share")
    door.close()


def test_a_share_that_makes_no_sense_is_refused_in_words(world: World) -> None:
    for more, words in (
        ({"calendars": ()}, "Choose the calendars"),
        ({"zone": "Nowhere"}, "not a time zone"),
        ({"interval": 1}, "five minutes"),
        ({"sites": ("not a site/;*",)}, "no address of a site"),
        ({"calendars": (999,)}, "no longer exists"),
    ):
        with pytest.raises(CannotShare, match=words):
            make(world, **more)
    assert token_in("https://calendars.skerrow.example/open/s/" + "a" * 32 + "/feed.ics") == "a" * 32
    with world.store.session() as session:
        assert kept.shares(session) == []
