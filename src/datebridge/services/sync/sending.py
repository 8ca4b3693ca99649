"""One request of a push, and what follows from its answer: written, refused, or in conflict.

A strong ETag is the condition under which something is written over. Where there is none to be had (weak ones, and
those that change by being read) the object is compared before it is written over, and read back afterwards.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from urllib.parse import urljoin

from datebridge.connect import dav
from datebridge.connect.attachments import manages_attachments
from datebridge.connect.caldav import CalDavServer, Resource, is_strong, writing
from datebridge.connect.errors import ALONE, Unreachable
from datebridge.connect.homes import GONE, calendar_gone
from datebridge.connect.http import Answer, WebRequest
from datebridge.connect.origins import host_of
from datebridge.core.attachments import as_handed_over, is_marked, to_send
from datebridge.core.ids import PushId, VersionId
from datebridge.core.invitations import silenced
from datebridge.core.keeping import contents, entries_in, fingerprint, names_in, without
from datebridge.core.objects import assemble, take_apart
from datebridge.core.text.component import Component
from datebridge.core.zones.meaning import Zones
from datebridge.services.accounts.connecting import AccountConnection
from datebridge.services.sync.attaching import add_missing
from datebridge.services.sync.holding import href_of
from datebridge.services.sync.refusals import refusal
from datebridge.store.database import Store
from datebridge.store.entries.present import texts_of
from datebridge.store.pushes import PushState
from datebridge.store.remotes import KnownObject
from datebridge.store.tables import Remote

_WRITTEN = (200, 201, 204)
#: How many objects are looked at for one that was renamed.
_MOST_RENAMED = 5


@dataclass(frozen=True, slots=True)
class Unit:
    """One object to be pushed: the entries it is to hold, and the object as last seen there.

    Attributes:
        uid: of the entries the push is about; most objects hold those of one UID.
        last: the newest push it answers for: what is applied while it is under way waits for its turn.
        siblings: how many units answer for this UID; the push ends well only if all of them do.
        seen: what somebody has seen there, and decided to write over; "" for nothing.
        moved: what it is a copy of is deleted once this one has been read back.
    """

    uid: str
    texts: tuple[str, ...]
    versions: tuple[VersionId, ...]
    known: KnownObject | None
    tell: bool
    begun: bool
    last: PushId
    siblings: int = 1
    seen: str = ""
    moved: bool = False


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a unit ended. An empty `etag` after pushing says that it has to be read back, and compared with what was
    `sent`."""

    unit: Unit
    state: PushState
    message: str = ""
    href: str = ""
    etag: str = ""
    theirs: str = ""
    sent: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Plain:
    """A unit that one request writes, with the texts as they are sent."""

    unit: Unit
    texts: tuple[str, ...]
    href: str
    asked: WebRequest


class Sender:
    """Sends the units of one calendar. Safe to use from several threads."""

    def __init__(self, store: Store, line: AccountConnection, row: Remote) -> None:
        self.store, self.line, self.row = store, line, row
        self.server: CalDavServer = line.server
        self.zones = Zones()
        self._restless = False
        self._manages: bool | None = None

    def send(self, unit: Unit) -> Outcome:
        """Bring one object there to the state it has here. Trouble with it alone is how it ends.

        Raises:
            Unreachable: if that cannot be tried, or its end is not known.
        """
        return self._alone(unit, lambda: self._with_files(unit, self._send(unit)))

    def _with_files(self, unit: Unit, outcome: Outcome) -> Outcome:
        """Add what the server is to keep by itself, once the entry is there. An entry that could only be made without
        it is taken back."""
        if outcome.state is not PushState.PUSHED or not self._adds(unit.texts):
            return outcome
        refused = add_missing(self.server, self._url(outcome.href), unit.texts, self.zones)
        if refused is None:
            return replace(outcome, etag="", sent=unit.texts)
        if unit.known is None:
            self.server.delete(self._url(outcome.href), "")
        return Outcome(unit, PushState.REFUSED, self._reason(refused), outcome.href)

    def _adds(self, texts: Sequence[str]) -> bool:
        """Whether attachments of entries are added after these are written."""
        if not is_marked(texts):
            return False
        if self._manages is None:
            self._manages = manages_attachments(self.server, self.row.url)
        return self._manages

    def plain(self, unit: Unit) -> Plain | None:
        """The one request that writes a unit, where nothing has to be looked at first; None where it is not that plain.

        `answered` says how it ended.
        """
        known_object = unit.known
        lasting = known_object is None or (is_strong(known_object.etag) and not self._restless)
        if not unit.texts or not lasting or not unit.uid or self._has_object(unit) or is_marked(unit.texts):
            return None
        texts = unit.texts if known_object is not None or unit.tell else tuple(silenced(text) for text in unit.texts)
        href = known_object.href if known_object is not None else self._new_href(unit.uid)
        etag = known_object.etag if known_object is not None else ""
        return Plain(unit, texts, href, writing(self._url(href), self._data(texts), etag))

    def answered(self, plain: Plain, answer: Answer | Exception) -> Outcome:
        """How a plain request ended. Asks for more where it was not simply written.

        Raises:
            Unreachable: if its end is not known.
        """

        def ended() -> Outcome:
            if isinstance(answer, Exception):
                raise answer
            unit = plain.unit
            return self._put_ended(unit, unit.known, plain.texts, plain.href, answer, True)

        return self._alone(plain.unit, ended)

    @staticmethod
    def is_written(answer: Answer | Exception | None) -> bool:
        """Whether nothing has to be asked any more."""
        return isinstance(answer, Answer) and answer.status in _WRITTEN

    def _alone(self, unit: Unit, work: Callable[[], Outcome]) -> Outcome:
        """Trouble with one entry is how it ends, if its calendar answers."""
        try:
            return work()
        except Unreachable as error:
            if error.trouble not in ALONE:
                raise
            self.server.exists(self.row.url)  # where the calendar does not answer either, that is what is raised
            if error.trouble != "failing":
                raise
            why = f"{error.message} It answers other questions; try this entry again later."
            return Outcome(unit, PushState.REFUSED, why)

    def _send(self, unit: Unit) -> Outcome:
        known_object = unit.known
        if known_object is not None and self._has_object(unit):
            return Outcome(unit, PushState.PUSHED, "", known_object.href, known_object.etag)
        etag: str | None = known_object.etag if known_object is not None else ""
        if known_object is not None and (self._restless or not is_strong(known_object.etag)):
            looked = self._looked_at(unit, known_object)
            if isinstance(looked, Outcome):
                return looked
            known_object = looked
            etag = (
                ""
                if known_object is None
                else known_object.etag
                if is_strong(known_object.etag) and not self._restless
                else None
            )
        if unit.texts:
            return self._put(unit, known_object, etag)
        return self._delete(unit, known_object, etag or "")

    @staticmethod
    def _has_object(unit: Unit) -> bool:
        """Whether what is to be written is what is known to be there."""
        known_object = unit.known
        same = known_object is not None and unit.versions and set(known_object.versions) == set(unit.versions)
        return bool(same and known_object is not None and known_object.etag and not unit.seen)

    def _looked_at(self, unit: Unit, known: KnownObject) -> Outcome | KnownObject | None:
        """The object as it is now, if it may be written over; None where it is not there."""
        there = self.server.get(self._url(known.href))
        if there.data is None and not there.gone:
            return self._withheld(unit, known.href, there)
        if there.gone:
            moved = self._elsewhere(unit, known)
            if moved is None and unit.texts:
                return Outcome(unit, PushState.CONFLICT, "It was deleted there in the meantime.", known.href)
            if moved is None:
                return None
            there = moved
        if not self._ours(unit, there.data or b"", known) and not (unit.begun and self._is_mine(there, unit.texts)):
            return self._in_conflict(unit, there.href, there)
        return known._replace(href=there.href, etag=there.etag)

    # ---- writing ---------------------------------------------------------------------------------

    def _put(self, unit: Unit, known: KnownObject | None, etag: str | None) -> Outcome:
        texts = unit.texts if known is not None or unit.tell else tuple(silenced(text) for text in unit.texts)
        if not unit.uid and known is None:
            return Outcome(unit, PushState.REFUSED, "It has no UID, so no server accepts it.")
        href = known.href if known is not None else self._new_href(unit.uid)
        answer = self.server.put(self._url(href), self._data(texts), etag)
        return self._put_ended(unit, known, texts, href, answer, etag is not None)

    def _put_ended(
        self, unit: Unit, known: KnownObject | None, texts: tuple[str, ...], href: str, answer: Answer, lasts: bool
    ) -> Outcome:
        """How a writing ended; `lasts`: an ETag stands for what is there."""
        if answer.status in _WRITTEN:
            return self._written(unit, texts, href, answer if lasts else None)
        if answer.status == 412 or (known is not None and answer.status in GONE):
            return self._already_there(unit, known, href, texts)
        if known is None and dav.condition(answer.body)[0] == "no-uid-conflict":
            there = self._elsewhere(unit, None)
            if there is None:
                self.line.web.note("once-a-home")
            if there is not None:  # it is there, under a name that is not known here yet
                return self._compared(unit, None, there, texts)
        return Outcome(unit, PushState.REFUSED, self._reason(answer), href)

    def _written(self, unit: Unit, texts: tuple[str, ...], href: str, answer: Answer | None) -> Outcome:
        """It is there; read back where something else was sent than stands here, where no ETag can be trusted, and
        where something is deleted elsewhere because it is there."""
        if answer is not None and not answer.header("etag"):
            self.line.web.note("silent-put")
        etag = self._lasting(unit, texts, answer.etag) if answer is not None and not unit.moved else ""
        return Outcome(unit, PushState.PUSHED, "", href, etag, sent=texts)

    def _lasting(self, unit: Unit, texts: tuple[str, ...], etag: str) -> str:
        """The ETag to be kept; "" where what is there has to be read back."""
        return etag if texts == unit.texts and not unit.seen and not self._restless else ""

    def _already_there(self, unit: Unit, known: KnownObject | None, href: str, texts: tuple[str, ...]) -> Outcome:
        """What is there instead: one's own earlier writing whose answer was lost, the same under another name or
        ETag, or somebody else's change."""
        there = self.server.get(self._url(href))
        if there.data is None and not there.gone:
            return self._withheld(unit, href, there)
        if there.gone:
            moved = self._elsewhere(unit, known)
            if moved is None:
                return Outcome(unit, PushState.CONFLICT, "It was deleted there in the meantime.", href)
            there = moved
        if known is None and take_apart(there.data or b"").uid != unit.uid:
            # Its answer may have been lost, and this server give UIDs of its own.
            same = _same_in(there.data or b"", self._data(texts)) if unit.begun else 0
            if same > 1:
                return Outcome(unit, PushState.PUSHED, "", there.href, "", sent=texts)
            if same:
                return self._in_conflict(unit, there.href, there)
            # The name is somebody else's.
            href = self._new_href(f"{unit.uid}\n{take_apart(there.data or b'').uid}")
            answer = self.server.put(self._url(href), self._data(texts), "")
            if answer.status in _WRITTEN:
                return self._written(unit, texts, href, None)
            return Outcome(unit, PushState.REFUSED, self._reason(answer), href)
        return self._compared(unit, known, there, texts)

    def _compared(self, unit: Unit, known: KnownObject | None, there: Resource, texts: tuple[str, ...]) -> Outcome:
        if contents(self._theirs(there, texts)) == contents(entries_in(self._data(texts))):
            return Outcome(unit, PushState.PUSHED, "", there.href, self._lasting(unit, texts, there.etag))
        if known is None or not self._ours(unit, there.data or b"", known):
            if unit.begun and self._is_mine(there, texts):
                return Outcome(unit, PushState.PUSHED, "", there.href, "", sent=texts)
            return self._in_conflict(unit, there.href, there)
        condition = self._condition(there)
        answer = self.server.put(self._url(there.href), self._data(texts), condition)
        if answer.status in _WRITTEN:
            return self._written(unit, texts, there.href, answer if condition is not None else None)
        if answer.status == 412:
            return self._in_conflict(unit, there.href, there)
        return Outcome(unit, PushState.REFUSED, self._reason(answer), there.href)

    def _is_mine(self, there: Resource, texts: tuple[str, ...]) -> bool:
        """Whether what is there is what was being written when no answer came, but for what this server was seen to
        leave out, and for ``X-`` properties, which nobody takes out by hand."""
        drops = set(self.row.drops.split())
        mine, theirs = entries_in(self._data(texts)), self._theirs(there, texts)
        left = {name for text in mine for name in names_in(text)} - {name for text in theirs for name in names_in(text)}
        left = {name for name in left if name in drops or name.startswith("X-")}
        return contents(without(text, left) for text in mine) == contents(theirs)

    def _theirs(self, there: Resource, texts: tuple[str, ...]) -> list[str]:
        """The entries that are there, without those of their attachments that were added after they were written."""
        entries = entries_in(there.data or b"")
        return to_send(as_handed_over(texts, entries), manages=True) if is_marked(texts) else entries

    def _condition(self, there: Resource) -> str | None:
        """Under which ETag an object that has not been changed can be written; None where ETags do not last."""
        if is_strong(there.etag) and not self._restless:
            if self.server.etag_of(self._url(there.href)) == there.etag:
                return there.etag
            self._restless = True
            self.line.web.note("restless-etags")
        return None

    # ---- deleting --------------------------------------------------------------------------------

    def _delete(self, unit: Unit, known: KnownObject | None, etag: str) -> Outcome:
        if known is None:
            return self._not_there(unit) if unit.known is not None else Outcome(unit, PushState.PUSHED)
        answer = self.server.delete(self._url(known.href), etag)
        if answer.status in (200, 204):
            return Outcome(unit, PushState.PUSHED)
        if answer.status not in (404, 410, 412):
            return Outcome(unit, PushState.REFUSED, self._reason(answer), known.href)
        there = self.server.get(self._url(known.href))
        if there.data is None and not there.gone:
            return self._withheld(unit, known.href, there)
        if there.gone:
            moved = self._elsewhere(unit, known)
            if moved is None:
                return self._not_there(unit)
            there = moved
        if not self._ours(unit, there.data or b"", known):
            return self._in_conflict(unit, there.href, there)
        answer = self.server.delete(self._url(there.href), self._condition(there) or "")
        if answer.status in (200, 204):
            return Outcome(unit, PushState.PUSHED)
        return Outcome(unit, PushState.REFUSED, self._reason(answer), there.href)

    def _not_there(self, unit: Unit) -> Outcome:
        """What was to be deleted is not there: well, if its calendar is."""
        if not self.server.exists(self.row.url):
            raise calendar_gone(host_of(self.row.url))
        return Outcome(unit, PushState.PUSHED)

    # ---- what is there ---------------------------------------------------------------------------

    def _elsewhere(self, unit: Unit, known: KnownObject | None) -> Resource | None:
        """The object that holds this UID under another name than was known."""
        if not unit.uid:
            return None
        objects = self.server.of_uid(self.row.url, unit.uid, self._kind(unit, known)) or {}
        for href in [one for one in objects if known is None or one != known.href][:_MOST_RENAMED]:
            there = self.server.get(self._url(href))
            if any(facts.uid == unit.uid for facts, _ in take_apart(there.data or b"").entries):
                self.line.web.note("renames")
                return there
        return None

    def _kind(self, unit: Unit, known: KnownObject | None) -> str:
        texts = unit.texts
        if not texts and known is not None:
            with self.store.read() as connection:
                texts = tuple(texts_of(connection, known.versions).values())
        return Component(texts[0]).kind if texts else "VEVENT"

    def _ours(self, unit: Unit, data: bytes, known: KnownObject) -> bool:
        """Whether what is there is the state last agreed: what was written from here last, what the server was seen
        to keep of it just afterwards, or what somebody has seen there and decided about. All else is a change."""
        if unit.seen and _alike(data, unit.seen.encode()):
            return True
        there = entries_in(data)
        if known.kept and fingerprint(there) == known.kept:
            return True
        with self.store.read() as connection:
            written = texts_of(connection, known.versions).values()
        return bool(known.versions) and contents(there) == contents(written)

    def _in_conflict(self, unit: Unit, href: str, there: Resource) -> Outcome:
        theirs = (there.data or b"").decode("utf-8", "replace")
        return Outcome(unit, PushState.CONFLICT, "It was changed there in the meantime.", href, there.etag, theirs)

    def _withheld(self, unit: Unit, href: str, there: Resource) -> Outcome:
        """It is there, and is not handed out: whether it may be written over cannot be known."""
        why = f"{self.line.account.name} does not return the present version ({there.why})."
        return Outcome(unit, PushState.REFUSED, why, href)

    def _data(self, texts: Sequence[str]) -> bytes:
        if is_marked(texts):
            texts = to_send(texts, self._adds(texts))
        return assemble(texts, self.zones.items(), self.zones.rulings)

    def _url(self, href: str) -> str:
        """The whole address of an object: where its calendar is."""
        return urljoin(self.row.url, href)

    def _new_href(self, uid: str) -> str:
        return href_of(self.row.url, uid)

    def _reason(self, answer: Answer) -> str:
        """Why something is not taken, in words.

        Raises:
            Unreachable: ``locked`` where the answer is not the last word: it is tried again then.
        """
        host = self.line.account.name
        if answer.status == 423:
            raise Unreachable("locked", f"{host} has locked an entry for now (423).")
        if answer.status == 202:
            raise Unreachable("locked", f"{host} has put off what it was asked, and does not say until when (202).")
        if answer.status in (404, 409) and not dav.condition(answer.body)[0] and not self.server.exists(self.row.url):
            return str(calendar_gone(host))
        return refusal(host, answer)


def _alike(one: bytes, other: bytes) -> bool:
    """Whether two objects hold the same entries."""
    return contents(entries_in(one)) == contents(entries_in(other))


def _same_in(one: bytes, other: bytes) -> int:
    """In how many of two ways two objects hold the same meetings: by their titles, and by their times."""
    mine, theirs = ([facts for facts, _ in take_apart(data).entries] for data in (one, other))
    titled = [Counter((facts.component, facts.summary) for facts in some) for some in (mine, theirs)]
    placed = [Counter((facts.component, facts.start) for facts in some) for some in (mine, theirs)]
    return (titled[0] == titled[1]) + (placed[0] == placed[1])
