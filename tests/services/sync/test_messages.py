"""What is said when an account cannot be added, and when a change is not taken: the reason, wherever one is given.

``pytest -s`` prints the table of all messages.
"""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

import pytest

from datebridge.connect.errors import Unreachable
from datebridge.services.accounts import accounts
from datebridge.services.sync import conflicts
from tests.services.sync.test_third import Beside, Life, beside, entry
from tests.third import PAGE, Answer, homes, nobody, third_server

pytestmark = pytest.mark.both_sides

_CAL = 'xmlns:C="urn:ietf:params:xml:ns:caldav"'


def onward(to: str) -> Answer:
    return Answer(302, headers={"Location": to} if to else {})


def signs(how: str) -> dict[str, Answer]:
    told = Answer(401, headers={"WWW-Authenticate": how})
    return {"GET": told, "PROPFIND": told}


def because(status: int, name: str, words: str = "", space: str = "C:") -> Answer:
    said = f"<D:responsedescription>{words}</D:responsedescription>" if words else ""
    return Answer(status, f'<D:error xmlns:D="DAV:" {_CAL}><{space}{name}/>{said}</D:error>'.encode())


ADDING = {
    "home not there": ({"PROPFIND /k": Answer(404)}, "says where your calendars are, and then there is nothing"),
    "home forbidden": ({"PROPFIND /k": Answer(403)}, "says where your calendars are, and then does not let you"),
    "OPTIONS fails": ({"OPTIONS": Answer(500)}, ""),
    "XML cut short": ({"PROPFIND /me": Answer(207, b"<multistatus xmlns='DAV:'><resp")}, "is not complete XML"),
    "XML is a page": ({"PROPFIND /me": Answer(207, PAGE)}, "does not say who you are"),
    "first answer cut short": ({"PROPFIND /": Answer(207, b"<multi")}, "is not complete XML"),
    "password for programs": (
        {"PROPFIND": because(403, "need-privileges", "Use an app password.", "D:")},
        "It says: Use an app password. Many servers want a password made for programs",
    ),
    "forbidden without words": ({"PROPFIND": Answer(403)}, "Many servers want a password made for programs"),
    "fails": ({"PROPFIND": Answer(500)}, "has an internal error (500)"),
    "gateway": ({"PROPFIND": Answer(502)}, "has an internal error (502)"),
    "down": ({"PROPFIND": Answer(503)}, "is not available at present (503)"),
    "busy": ({"PROPFIND": Answer(429, headers={"Retry-After": "7"})}, "accepts no more requests at present (429)"),
    "no challenge": ({"GET": Answer(401), "PROPFIND": Answer(401)}, "does not say how one signs in"),
    "wrong password": (
        {"PROPFIND": Answer(401, headers={"WWW-Authenticate": "Basic realm=a"})},
        "does not accept this user name and password",
    ),
    "only tickets": (signs("Negotiate"), "by Negotiate only"),
    "only tokens": (signs('Bearer realm="a"'), "by Bearer only"),
    "odd digests": (signs('Digest realm="a", nonce="b", algorithm=SHA-3'), "by Digest with SHA-3 only"),
    "a page": ({"GET": Answer(200, PAGE), "PROPFIND": Answer(405)}, "the page links to none"),
    "nothing": ({"GET": Answer(404), "PROPFIND": Answer(404)}, "there is nothing at this address"),
    "principal not there": ({"PROPFIND /me": Answer(404)}, "knows you, and then there is nothing at the address it"),
    "principal forbidden": ({"PROPFIND /me": Answer(403)}, "knows you, and then does not let you look there (403)"),
    "principal fails": ({"PROPFIND /me": Answer(500)}, "has an internal error (500)"),
    "no home": ({"PROPFIND /me": nobody()}, "knows you, but does not say where your calendars are"),
    "home fails": ({"PROPFIND /k": Answer(500)}, "has an internal error (500)"),
    "home cut short": ({"PROPFIND /k": Answer(207, b"<multistatus xmlns='DAV:'><resp")}, "is not complete XML"),
    "home forbidden in the answer": ({"PROPFIND /k": homes(403)}, "and then does not let you look there (403)"),
    "home empty": ({"PROPFIND /k": homes(200)}, ""),
    "empty answer": ({"PROPFIND": Answer(207)}, "is not complete XML"),
    "answers as to a browser": (
        {"PROPFIND": Answer(200, PAGE)},
        "does not know at this address what calendar programs",
    ),
    "JSON": ({"PROPFIND": Answer(207, b'{"a": 1}')}, "is not complete XML"),
    "knows nothing of it": ({"PROPFIND": Answer(501)}, "what calendar programs ask (501)"),
    "gone": ({"GET": Answer(410), "PROPFIND": Answer(410)}, "there is nothing at this address"),
    "cut": ({"GET": Answer(0), "PROPFIND": Answer(0)}, "was interrupted"),
    "sent to a host that is not": (
        {"PROPFIND": onward("http://elsewhere.example/")},
        "redirects to another host. There is no host named elsewhere.example",
    ),
    "sent nowhere": ({"PROPFIND": onward("")}, "redirects without saying where to (302)"),
    "sent to a file": ({"PROPFIND": onward("file:///etc/hosts")}, "to something that is not a web address"),
    "busy for no time": ({"PROPFIND": Answer(429)}, "accepts no more requests at present (429)"),
    "a proxy": ({"PROPFIND": Answer(407)}, "refuses to answer calendar programs (407)"),
    "closed": ({"PROPFIND": Answer(451, b"Closed by order.")}, "It says: Closed by order."),
    "round and round": ({"PROPFIND": Answer(302, headers={"Location": "/"})}, "redirects endlessly"),
}
PUT = "PUT /k/b/berth-1.ics"
PUSHING = {
    "no reason": (Answer(403), "Third: no reason given (403)"),
    "an element of its own": (because(403, "only-on-weekdays"), "it says “only-on-weekdays” (403)"),
    "words": (because(403, "odd", "Not today."), "Not today. (403)"),
    "plain words": (Answer(400, b"No summary, no entry."), "No summary, no entry. (400)"),
    "a page": (Answer(400, PAGE), "Third: no reason given (400)"),
    "instances": (because(403, "max-instances"), "It has too many occurrences."),
    "attendees": (because(403, "max-attendees-per-instance"), "It has too many attendees."),
    "organiser": (because(403, "organizer-allowed"), "You may not be the organiser of meetings there."),
    "once": (because(403, "unique-scheduling-object-resource"), "This meeting is in another calendar there already."),
    "kind": (because(403, "supported-calendar-component"), "does not take entries of this kind."),
    "invalid": (because(403, "valid-calendar-object-resource", "DTEND before DTSTART."), "DTEND before DTSTART."),
    "size": (because(403, "max-resource-size"), "It is too large. (403)"),
    "size by status": (Answer(413), "It is too large (413)"),
    "conflict of unknown kind": (Answer(409), "no reason given (409)"),
    "conflict with words": (because(409, "odd", "Already booked."), "Already booked. (409)"),
    "full": (Answer(507), "has no space left (507)"),
    "quota": (because(403, "quota-not-exceeded", space="D:"), "There is no space left."),
    "rights": (because(403, "need-privileges", space="D:"), "You may not write this calendar."),
    "method": (Answer(405), "no reason given (405)"),
    "not there": (Answer(404), "no reason given (404)"),
    "wants words": (Answer(422, b"Room is taken."), "Room is taken. (422)"),
    "written oddly": (because(403, "supported-calendar-data"), "It takes no entries written in this way."),
    "UID elsewhere": (because(409, "no-uid-conflict"), "An entry with this UID is in another calendar there already."),
    "past": (because(403, "min-date-time"), "It is too far in the past."),
    "future": (because(403, "max-date-time"), "It is too far in the future."),
    "attendee": (because(403, "attendee-allowed"), "You may not be an attendee of meetings there."),
    "two organisers": (because(403, "same-organizer-in-all-components"), "name another organiser than the series."),
    "moved": (Answer(301, headers={"Location": "/elsewhere"}), "sends writing on to another place (301)"),
    "fails": (Answer(500), "has an internal error (500). It answers other questions"),
}
LATER = {"locked": (Answer(423), "has locked an entry for now (423)"), "put off": (Answer(202), "has put off")}
#: The rest waits with it: the host, the sign-in or the line is what fails.
WAITING = {
    "down": (Answer(503), "is not available at present (503)"),
    "password": (Answer(401, headers={"WWW-Authenticate": "Basic realm=a"}), "does not accept this user name"),
    "cut": (Answer(0), "was interrupted"),
}


@pytest.mark.parametrize("case", ADDING)
def test_why_an_account_cannot_be_added_is_said(case: str) -> None:
    says, expected = ADDING[case]
    with third_server() as third, TemporaryDirectory() as folder:
        third.says = says
        bench = Beside(Path(folder) / "data", third)
        message = ""
        try:
            accounts.add(bench.store, bench.settings, third.address, "office", "tern-4", "Third")
        except Unreachable as error:
            message = error.message
        bench.store.close()
    print(f"adding  | {case:28} | {message}")
    assert expected in message
    assert bool(expected) is bool(message)


@pytest.mark.parametrize("case", PUSHING)
def test_why_a_change_is_not_taken_is_said_and_it_can_be_tried_again(case: str) -> None:
    with beside(entry(1)) as (bench, third, account):
        third.says = {PUT: PUSHING[case][0]}
        Life(bench, third, account).edit_here(1, "place", "7")
        bench.push()
        (one,) = bench.unsettled("refused")
        print(f"pushing | {case:28} | {one.message}")
        assert PUSHING[case][1] in one.message
        job = bench.jobs(kinds=("push",))[0]
        assert (job.state, one.message in job.message) == ("failed", True)
        third.says = {}
        assert conflicts.try_again(bench.store) == 1
        bench.push()
        assert bench.here() == bench.there()


@pytest.mark.parametrize("case", WAITING)
def test_where_the_server_itself_fails_nothing_is_refused_and_the_job_says_so(case: str) -> None:
    with beside(entry(1)) as (bench, third, account):
        third.says = {PUT: WAITING[case][0]}
        Life(bench, third, account).edit_here(1, "place", "7")
        bench.push()
        job = bench.jobs(kinds=("push",))[0]
        print(f"waiting | {case:28} | {job.message}")
        assert (job.state, bench.pushed()) == ("failed", {"sending": 1})
        assert WAITING[case][1] in job.message
        assert WAITING[case][1] in bench.remotes()[0].trouble


@pytest.mark.parametrize("case", LATER)
def test_what_is_only_put_off_waits_and_is_tried_again(case: str) -> None:
    with beside(entry(1), entry(2)) as (bench, third, account):
        third.says = {PUT: LATER[case][0]}
        life = Life(bench, third, account)
        for number in (1, 2):
            life.edit_here(number, "place", "7")
        bench.push()
        assert bench.pushed() == {"sending": 1, "pushed": 1}
        assert LATER[case][1] in bench.remotes()[0].trouble
        third.says = {}
        bench.push()
        assert bench.here() == bench.there()


def test_refused_changes_are_tried_again_by_reason() -> None:
    with beside(*map(entry, (1, 2, 3))) as (bench, third, account):
        third.says = {PUT: Answer(507), "PUT /k/b/berth-2.ics": Answer(403), "PUT /k/b/berth-3.ics": Answer(403)}
        life = Life(bench, third, account)
        for number in (1, 2, 3):
            life.edit_here(number, "place", "7")
        bench.push()
        third.says = {}
        assert conflicts.try_again(bench.store, message="Third: no reason given (403)") == 2
        bench.push()
        assert bench.pushed() == {"pushed": 2, "refused": 1}
        assert conflicts.try_again(bench.store) == 1
