"""A place at a server in which something is tried: made for that, or one there is, in which nothing else is touched.

What is written there is taken away again, also where the process is killed: what is left is found by its mark.
"""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, field
from urllib.parse import unquote, urljoin

from datebridge.connect import dav
from datebridge.connect.attachments import manages_attachments
from datebridge.connect.caldav import Resource, writing
from datebridge.connect.errors import ALONE, Unreachable
from datebridge.connect.homes import GONE
from datebridge.connect.http import Answer as HttpAnswer
from datebridge.connect.http import WebRequest
from datebridge.core.attachments import as_handed_over, is_marked, to_send
from datebridge.core.crossing.catalogue import CATALOGUE
from datebridge.core.crossing.features import MANAGED, MARK
from datebridge.core.crossing.probing import PLACE, Answer, Answers, Trial, Trials, is_place
from datebridge.core.objects import assemble, take_apart
from datebridge.core.zones.meaning import Zones
from datebridge.services.accounts.connecting import AccountConnection
from datebridge.services.jobs.jobs import JobContext, Refused
from datebridge.services.sync.attaching import add_missing
from datebridge.services.sync.refusals import refusal

_WRITTEN = (200, 201, 204)
_NAME = (dav.DAV, "displayname")
_SECOND = "-second"
_NOT_MANAGED = Answer(not_tried="The server does not say that it keeps attachments by itself (RFC 8607).")


@dataclass
class Place:
    """Where a probe writes: a calendar made for it, or one there is, in which it touches nothing else."""

    line: AccountConnection
    context: JobContext
    home: str
    url: str = ""
    made: list[str] = field(default_factory=list)
    written: set[str] = field(default_factory=set)
    done: int = 0
    total: int = len(CATALOGUE)
    unit: str = "features"

    def open(self, url: str) -> None:
        """Make the calendar, or take the one at an address.

        Raises:
            Refused: if none can be made.
        """
        if url:
            self.url = url
            self.context.remember(place=url)
            return
        self.url = urljoin(self.home, f"{self.home.rstrip('/')}/{MARK}{uuid.uuid4().hex[:8]}/")
        self.context.remember(place=self.url)  # so that it is found whatever happens from now on
        self._make(self.url)

    def _make(self, url: str) -> None:
        self.made.append(url)
        answer = self.line.server.make_calendar(url, {_NAME: PLACE})
        if answer.status not in (200, 201):
            name, words = dav.condition(answer.body)
            self.made.remove(url)
            raise Refused(
                f"{self.line.account.name} does not make a calendar for this ({words or name or answer.status}). Choose"
                " one of its calendars to measure in: only entries of Date Bridge's own are written there, and they are"
                " deleted afterwards."
            )

    def tried(self, trials: Trials) -> Answers:
        """Write each trial, and read it back twice."""
        self.context.check()
        hrefs = [self._href(trial, number, trials) for number, trial in enumerate(trials)]
        if "" in hrefs:
            return [Answer(not_tried="There is no second calendar to try it in.") for _ in trials]
        manages = any(is_marked(trial.texts) for trial in trials) and manages_attachments(self.line.server, self.url)
        asked = [
            writing(href, assemble(to_send(trial.texts, manages), trial.zones), None)
            for href, trial in zip(hrefs, trials, strict=True)
        ]
        answers = self._sent(asked)
        if manages:
            answers = [self._completed(*one) for one in zip(trials, hrefs, answers, strict=True)]
        self.written.update(href for href, answer in zip(hrefs, answers, strict=True) if _is_written(answer))
        there = [self._read(hrefs, answers), self._read(hrefs, answers)]
        self.done += len(trials)
        self.context.progress(min(self.done, self.total), self.total, self.unit, trials[-1].feature)
        answered = [self._answer(*one) for one in zip(trials, hrefs, answers, there[0], there[1], strict=True)]
        return [
            _NOT_MANAGED if trial.feature == MANAGED and not manages else answer
            for trial, answer in zip(trials, answered, strict=True)
        ]

    def _completed(self, trial: Trial, href: str, answer: HttpAnswer | Exception) -> HttpAnswer | Exception:
        """How writing a trial ended, with the attachments that the server is to keep by itself."""
        if not _is_written(answer) or not is_marked(trial.texts):
            return answer
        self.written.add(href)
        return add_missing(self.line.server, href, trial.texts, Zones(trial.zones)) or answer

    def _href(self, trial: Trial, number: int, trials: Trials) -> str:
        """Under which address a trial is written: a limit's always under the same."""
        before = sum(other.feature == trial.feature for other in trials[:number])
        url = self.url
        if trial.second:
            if not self.made:
                return ""
            url = self.url.rstrip("/") + _SECOND + "/"
            if url not in self.made:
                self._make(url)
        return f"{url}{MARK}{trial.feature}-{before}.ics"

    def _sent(self, asked: Sequence[WebRequest]) -> list[HttpAnswer | Exception]:
        answers: list[HttpAnswer | Exception | None] = [None] * len(asked)
        self.line.web.finish(self.line.web.begin_many(asked, answers))
        failed = next((one for one in answers if isinstance(one, Exception) and not _alone(one)), None)
        if failed is not None:
            raise failed
        return [one if one is not None else Unreachable("cut", "It was not sent.") for one in answers]

    def _read(self, hrefs: Sequence[str], answers: Sequence[HttpAnswer | Exception]) -> list[Resource | None]:
        """What is at some addresses now, where something was written there."""
        wanted = [href for href, answer in zip(hrefs, answers, strict=True) if _is_written(answer)]
        got: dict[str, Resource] = {}
        for base in dict.fromkeys(urljoin(href, ".") for href in wanted):
            inside = [href for href in wanted if urljoin(href, ".") == base]
            paths = [href.partition("://")[2].partition("/")[2] for href in inside]
            resources = [one for piece in self.line.server.fetch(base, [f"/{path}" for path in paths]) for one in piece]
            got.update(zip(inside, resources, strict=True))
        return [got.get(href) for href in hrefs]

    def _answer(
        self,
        trial: Trial,
        href: str,
        answer: HttpAnswer | Exception,
        first: Resource | None,
        second: Resource | None,
    ) -> Answer:
        if isinstance(answer, Exception):
            return Answer(refused=str(answer))
        if not _is_written(answer):
            return Answer(refused=refusal(self.line.account.name, answer).removeprefix(f"{self.line.account.name}: "))
        if first is not None and first.gone:  # kept under another name
            uid = next(raw.partition(":")[2] for raw in trial.texts[0].split("\n") if raw.startswith("UID:"))
            first = self._named_otherwise(href, uid, trial.texts[0])
            second = first
        if first is None or (first.data is None and not first.gone):
            return Answer(not_tried=f"It was written, and not handed out: {first.why if first else 'nothing said'}.")
        again = _texts(second, trial) if second is not None else None
        return Answer(_texts(first, trial), again=again)

    def _named_otherwise(self, href: str, uid: str, text: str) -> Resource | None:
        """An object that its server keeps under another name than it was given."""
        base = urljoin(href, ".")
        kind = text.partition("\n")[0].removeprefix("BEGIN:")
        named = self.line.server.of_uid(base, uid, kind) or {}
        self.written.update(urljoin(base, path) for path in named)
        resources = [one for piece in self.line.server.fetch(base, list(named)) for one in piece]
        return resources[0] if resources else Resource(href, "", None, 404)

    def close(self) -> str:
        """Take away everything that was written; says why where that cannot be done, and the next probe does it."""
        self.line.web.ignore_stops()
        left = ""
        try:
            for url in reversed(self.made):
                answer = self.line.web.request("DELETE", url)
                if answer.status not in (200, 204, *GONE):
                    left = refusal(self.line.account.name, answer)
            if not self.made and self.url:
                _empty(self.line, self.url, self.written)
        except Unreachable as error:
            return error.message
        return left


def sweep(line: AccountConnection, place: str) -> str:
    """Take away what an earlier probe has left: known by its place, its name, and by the names of its objects.

    Returns:
        where calendars are made, as the server says it now.
    """
    home = line.server.discover()
    for calendar in line.server.calendars(home):
        if is_place(calendar.name, calendar.url):
            line.web.request("DELETE", calendar.url)
        elif place and calendar.url == place:
            _empty(line, place, set())
    return home.url


def _empty(line: AccountConnection, url: str, written: set[str]) -> None:
    paths = [urljoin(url, path) for path in line.server.etags(url)]
    for href in paths:
        if href in written or unquote(href.rstrip("/").rpartition("/")[2]).startswith(MARK):
            line.server.delete(href, "")


def _alone(error: Exception) -> bool:
    return isinstance(error, Unreachable) and error.trouble in ALONE


def _is_written(answer: HttpAnswer | Exception) -> bool:
    return isinstance(answer, HttpAnswer) and answer.status in _WRITTEN


def _texts(resource: Resource, trial: Trial) -> tuple[str, ...]:
    if resource.data is None:
        return ()
    return tuple(as_handed_over(trial.texts, [text for _, text in take_apart(resource.data).entries]))
