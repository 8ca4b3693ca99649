"""A sample crossing: some of what goes along a crossing is really written at its target, read back, and taken away.

What comes back otherwise than foretold is told, and corrects what is known of the target.
"""

from __future__ import annotations

import time
import uuid
from collections.abc import Sequence
from typing import Any, NamedTuple

from datebridge.clock import now
from datebridge.connect.declared import declared_by
from datebridge.connect.errors import Unreachable
from datebridge.core.changes import PERSON, By
from datebridge.core.crossing.features import DOMAIN, MARK
from datebridge.core.crossing.fidelity import Measured
from datebridge.core.crossing.probing import Answer, Trial
from datebridge.core.crossing.sampling import Light, Otherwise, corrected, light_of, otherwise, sample
from datebridge.core.ids import AccountId, CrossingId, JobId
from datebridge.core.invitations import silenced
from datebridge.core.job_kinds import JobKind
from datebridge.core.keeping import contents
from datebridge.core.text.component import ComponentEditor, with_property
from datebridge.core.text.lines import unescape_text
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.crossing.lanes import LaneUnit, WorkingLane, going, units, working_lanes
from datebridge.services.fidelity.forecasts import newest
from datebridge.services.fidelity.trying import Place, sweep
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store import crossings
from datebridge.store.database import Store
from datebridge.store.fidelity import keep_matrix

#: How many objects are written at most, and how many at once.
MOST, _AT_ONCE = 100, 20
#: How many lines of an entry are kept to be shown, and how long each.
_LINES, _LONG = 200, 400


class _Taken(NamedTuple):
    """An object of the sample.

    Attributes:
        sent: what is written; foretold: what is to come back of it, none where it is to be refused.
    """

    title: str
    sent: tuple[str, ...]
    foretold: tuple[str, ...]
    zones: tuple[tuple[str, str], ...]


def try_sample(store: Store, crossing: CrossingId, by: By = PERSON) -> JobId:
    """Queue a sample crossing.

    Raises:
        NoCrossing: if there is none.
        Refused: if it leads to no server.
    """
    with store.session() as session:
        plan = crossings.crossing(session, crossing)
    if plan.account_id is None:
        raise Refused("This crossing leads to calendars that live here, where everything is kept.")
    params = {"crossing": crossing, "account": plan.account_id}
    return jobs.enqueue(store, JobKind.SAMPLE, f"Sample crossing of {plan.name}", params, plan.account_id, by)


@performs(JobKind.SAMPLE)
def sample_job(context: JobContext) -> dict[str, object]:
    """Write a sample at the target, read it back, and take it away; correct what is known of the target."""
    store, account = context.store, AccountId(context.params["account"])
    crossing = CrossingId(context.params["crossing"])
    lanes = [lane for lane in working_lanes(store, crossing) if lane.account == account]
    taken, size = _sample(context, lanes, int(crossing))
    if not taken:
        raise Refused("Nothing goes along these lanes, so there is nothing to try.")
    with connected_to(store, context.settings, account, context.check) as line:
        try:
            place = Place(line, context, sweep(line, context.params.get("place", "")))
            place.total, place.unit = len(taken), "entries"
            try:
                place.open("")
                cautions = _short_of(declared_by(line.server, place.url).room, size, line.account.name)
                sent, began = line.web.sent, time.monotonic()
                answers: list[Answer] = []
                for at in range(0, len(taken), _AT_ONCE):
                    some = taken[at : at + _AT_ONCE]
                    trials = [Trial(f"sample-{at + n}", one.sent, one.zones) for n, one in enumerate(some)]
                    answers += place.tried(trials)
                cost = {"requests": line.web.sent - sent, "seconds": round(time.monotonic() - began, 2)}
            finally:
                left = place.close()
        except Unreachable as error:
            raise Refused(error.message) from error
        name = line.account.name
    rows, gone, other = _compared(taken, answers)
    changed = _correct(store, account, name, Otherwise(frozenset(gone), frozenset(other)))
    found: dict[str, Any] = {"at": now(), "entries": len(taken), "otherwise": rows, "corrected": changed, "left": left}
    found |= {**cost, "cautions": cautions}
    with store.write() as connection:
        crossings.change_crossing(connection, crossing, sample=found)
        return context.conclude(connection, {"entries": len(taken), "otherwise": len(rows)})


def _sample(context: JobContext, lanes: Sequence[WorkingLane], seed: int) -> tuple[list[_Taken], int]:
    """The objects of a sample, as they are sent and as they are foretold; and how large all is, in characters."""
    lights: list[Light] = []
    places: list[tuple[WorkingLane, int]] = []
    for lane in lanes:
        context.check()
        for some in units(context.store, lane, going(context.store, lane).ids):
            for unit in some:
                lights.append(light_of([text for _, text in unit.members]))
                places.append((lane, unit.members[0][0]))
    chosen = sample(lights, MOST, seed)
    wanted: dict[int, set[int]] = {}
    for at in chosen:
        lane, first = places[at]
        wanted.setdefault(lane.id, set()).add(first)
    taken: list[_Taken] = []
    for lane in lanes:
        own = wanted.get(lane.id, set())
        ids = going(context.store, lane).ids if own else []
        for some in units(context.store, lane, ids):
            ready = (_on_the_way(lane, unit) for unit in some if unit.members[0][0] in own)
            taken += [one for one in ready if one is not None]
    return taken, sum(one.size for one in lights)


def _on_the_way(lane: WorkingLane, unit: LaneUnit) -> _Taken | None:
    sent = [one for one in lane.way.planned(unit.members, unit.zones, unit.sound) if one.text is not None]
    if not sent:
        return None
    # Under a UID of their own: some servers take one only once in all calendars.
    uid = f"{MARK}{uuid.uuid4().hex}@{DOMAIN}"
    sent = [one._replace(text=with_property(one.text or "", "UID", uid)) for one in sent]
    arriving = lane.way.arriving(sent, unit.zones, unit.sound)
    texts = tuple(silenced(one.text or "") for one in sent)
    title = unescape_text(ComponentEditor(texts[0]).value("SUMMARY")) or "Untitled"
    foretold = tuple(silenced(one.text) for one in arriving if one.text is not None)
    return _Taken(title, texts, foretold, tuple(unit.zones.items()))


def _short_of(room: int, size: int, name: str) -> list[str]:
    """That there is no room for everything, where a server says how much there is (RFC 4331)."""
    if not room or room >= size:
        return []
    return [f"{name} has room for {room / 1e6:,.1f} MB, and this crossing is about {size / 1e6:,.1f} MB."]


def _compared(taken: Sequence[_Taken], answers: Sequence[Answer]) -> tuple[list[dict[str, Any]], set[str], set[str]]:
    """What came back otherwise than foretold, to be shown; what of it is gone, and what says something else."""
    rows: list[dict[str, Any]] = []
    gone: set[str] = set()
    other: set[str] = set()
    for one, answer in zip(taken, answers, strict=True):
        if contents(one.foretold) == contents(answer.got) or answer.not_tried:
            continue
        seen = otherwise(one.foretold, answer.got)
        if answer.refused and one.foretold:
            why = f"Refused: {answer.refused}"
        elif seen and not answer.refused:
            gone |= seen.dropped
            other |= seen.rewritten
            why = ", ".join([*(f"{name} is gone" for name in sorted(seen.dropped)), *sorted(seen.rewritten)])
        else:
            continue
        rows.append({"title": one.title, "why": why, "left": _shown(one.foretold), "right": _shown(answer.got)})
    return rows, gone, other


def _shown(texts: Sequence[str]) -> list[str]:
    lines = [line for text in texts for line in text.split("\n")]
    return [line if len(line) <= _LONG else f"{line[:_LONG]}…" for line in lines[:_LINES]]


def _correct(store: Store, account: AccountId, name: str, seen: Otherwise) -> list[str]:
    """Put what a sample showed into what is known of a target; returns the features this is about."""
    matrix = newest(store, account)
    if matrix is None or not seen:
        return []
    rows, changed = corrected((Measured.read(one) for one in matrix.features), seen)
    if changed:
        with store.write() as connection:
            keep_matrix(connection, account, name, rows, matrix.declared, 0)
    return changed
