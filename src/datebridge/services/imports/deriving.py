"""Work on many entries at once, on all cores: texts go to helper processes, rows for the store come back.

A helper is this module run as a program. It reads batches from its standard input and ends when that is closed, so
it never outlives the process that started it, however that ends.
"""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from collections import deque
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from queue import SimpleQueue
from types import TracebackType
from typing import Any, NamedTuple, Protocol, TypeVar

from datebridge import cores
from datebridge.core.checks import examine
from datebridge.core.ids import GroupId
from datebridge.core.index.summary import Summary
from datebridge.core.inspection import needs_definition
from datebridge.core.zones.meaning import Zones
from datebridge.store.entries.rows import Row, row_of

#: Smaller files are read quicker by one process alone.
_WORTHWHILE = 2 << 20
_MOST_HELPERS = 3
Piece = TypeVar("Piece")
Result = TypeVar("Result")
Result_co = TypeVar("Result_co", covariant=True)
#: Definitions by TZID, and what was ruled of zone names, by group.
_Defined = dict[GroupId, tuple[list[tuple[str, str]], dict[str, str]]]


class Text(NamedTuple):
    """One component to be read: its name, its text, and the group whose definitions are beside it."""

    group: GroupId
    name: str
    text: str


@dataclass(slots=True)
class Batch:
    """What texts come to, in their order, and their summaries by group.

    `late` holds the places of those whose zones may still be defined further on; they are in no summary.
    """

    rows: list[Row] = field(default_factory=list)
    summaries: dict[GroupId, Summary] = field(default_factory=dict)
    late: set[int] = field(default_factory=set)


def batch_of(texts: Iterable[Text], zones: dict[GroupId, Zones]) -> Batch:
    """Read texts here and now."""
    batch = Batch()
    for place, (group, name, text) in enumerate(texts):
        own = zones.setdefault(group, Zones())
        facts = examine(name, text, own)
        batch.rows.append(row_of(facts))
        if needs_definition(facts) and not all(tzid in own for tzid in facts.tzids):
            batch.late.add(place)
        else:
            batch.summaries.setdefault(group, Summary()).add(facts)
    return batch


class Work(Protocol[Result_co]):
    """What is done here or in a helper process, by the definitions of the groups it concerns.

    It is pickled, so what it is made of imports neither a database nor the web.
    """

    @property
    def groups(self) -> set[GroupId]: ...

    def do(self, zones: dict[GroupId, Zones]) -> Result_co: ...


@dataclass(frozen=True, slots=True)
class Reading:
    """Texts to be read."""

    texts: Sequence[Text]

    @property
    def groups(self) -> set[GroupId]:
        return {text.group for text in self.texts}

    def do(self, zones: dict[GroupId, Zones]) -> Batch:
        return batch_of(self.texts, zones)


class _Helper:
    """One helper process, and which definitions it has been told."""

    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "datebridge.services.imports.deriving"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
        )
        self._told: dict[GroupId, set[str]] = {}

    def ask(self, work: Work[Result], zones: _Defined) -> Result:
        assert self.process.stdin is not None  # noqa: S101
        assert self.process.stdout is not None  # noqa: S101
        fresh = {}
        for group, (definitions, rulings) in zones.items():
            told = self._told.setdefault(group, set())
            fresh[group] = [definition for definition in definitions if definition[0] not in told], rulings
            told.update(tzid for tzid, _ in definitions)
        pickle.dump((work, fresh), self.process.stdin, pickle.HIGHEST_PROTOCOL)
        self.process.stdin.flush()
        result: Result = pickle.load(self.process.stdout)  # noqa: S301  (from this very program)
        return result

    def end(self) -> None:
        self.process.kill()
        self.process.wait()
        for stream in (self.process.stdin, self.process.stdout):
            if stream is not None:
                stream.close()


class Deriving(AbstractContextManager["Deriving"]):
    """Has work done, on other cores where there is enough of it."""

    def __init__(self, size: int) -> None:
        number = min(_MOST_HELPERS, cores.usable() - 1) if size >= _WORTHWHILE else 0
        self._helpers: SimpleQueue[_Helper] = SimpleQueue()
        self._all = [_Helper() for _ in range(number)]
        for helper in self._all:
            self._helpers.put(helper)
        self._threads = ThreadPoolExecutor(number) if number else None

    @property
    def ahead(self) -> int:
        """How many batches are worth having under way at once."""
        return 2 * len(self._all) + 1 if self._all else 0

    def begin(self, work: Work[Result], zones: dict[GroupId, Zones]) -> Future[Result]:
        """Begin some work; the definitions are those known by now."""
        if self._threads is None:
            return _done(work, zones)
        zones_by_group = {
            group: (list(zones[group].items()), zones[group].rulings) for group in work.groups if group in zones
        }
        return self._threads.submit(self._ask, work, zones_by_group)

    def each(
        self, pieces: Iterable[tuple[Piece, Work[Result], dict[GroupId, Zones]]]
    ) -> Iterator[tuple[Piece, Result]]:
        """Do the work of pieces one after the other, some ahead; each comes back with what came of it."""
        under_way: deque[tuple[Piece, Future[Result]]] = deque()
        for piece, work, zones in pieces:
            result = self.begin(work, zones)
            if under_way and len(under_way) >= self.ahead and not under_way[0][1].done() and result.cancel():
                result = _done(work, zones)  # no helper has begun it: this process does it
            under_way.append((piece, result))
            while len(under_way) > self.ahead:
                first, future = under_way.popleft()
                yield first, future.result()
        for first, future in under_way:
            yield first, future.result()

    def _ask(self, work: Work[Result], zones: _Defined) -> Result:
        helper = self._helpers.get()
        try:
            return helper.ask(work, zones)
        finally:
            self._helpers.put(helper)

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        for helper in self._all:
            helper.end()
        if self._threads is not None:
            self._threads.shutdown(wait=True, cancel_futures=True)


def _done(work: Work[Result], zones: dict[GroupId, Zones]) -> Future[Result]:
    done: Future[Result] = Future()
    done.set_result(work.do(zones))
    return done


def _requests() -> Iterator[tuple[Work[Any], _Defined]]:
    while True:
        try:
            yield pickle.load(sys.stdin.buffer)  # noqa: S301  (from the process that started this one)
        except EOFError:
            return


def _serve() -> None:
    zones: dict[GroupId, Zones] = {}
    with os.fdopen(os.dup(sys.stdout.fileno()), "wb", buffering=1 << 20) as out:  # whatever Python was told of buffers
        for work, fresh in _requests():
            for group, (definitions, rulings) in fresh.items():
                own = zones.setdefault(group, Zones(rulings=rulings))
                for tzid, text in definitions:
                    own.add(tzid, text)
            pickle.dump(work.do(zones), out, pickle.HIGHEST_PROTOCOL)
            out.flush()


if __name__ == "__main__":
    # Under its own name, so that what is pickled here is known there.
    from datebridge.services.imports import deriving

    deriving._serve()
