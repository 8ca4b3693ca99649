"""Changes in bulk: a selection and steps become a proposal, with what cannot be changed listed, and why."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from datebridge.core.bulk import Step, needs_series, step_in_words
from datebridge.core.bulk.steps import MoveTo
from datebridge.core.changes import Change, Kind
from datebridge.core.ids import GroupId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.language.plural import counted
from datebridge.core.zones.meaning import Zones
from datebridge.services.editing.edits import stamp
from datebridge.services.imports.deriving import Deriving
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.services.mend.changing import Changed, Changing, Unchanged
from datebridge.services.mend.link_fetching import LinkFetching
from datebridge.services.mend.recipes import read_steps
from datebridge.services.transfer.copying import Target
from datebridge.services.transfer.transfers import transfer_changed
from datebridge.store.calendars import calendars_for_filters
from datebridge.store.changesets.draft import Draft, propose
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.present import Placed, in_groups, texts_of, with_series
from datebridge.store.entries.zones import zones_of
from datebridge.store.sql import chunks

_AT_ONCE = 500
#: About as many bytes has an entry; it decides whether reading many on other cores is worth while.
_OCTETS = 700
_NOTHING = "Nothing is selected, so there is nothing to change."
#: How many reasons why something cannot be changed are told in a set's own words; the rest are beside the entries.
_REASONS = 4


@dataclass(slots=True)
class _Tally:
    """What it came to, for the set's own words."""

    same: int = 0
    left: Counter[str] = field(default_factory=Counter)

    def told(self, steps: Sequence[Step]) -> str:
        """In words; the steps first, unless they are none."""
        parts = [f"{_first_large('; '.join(step_in_words(step) for step in steps))}."] if steps else []
        if self.same:
            parts.append(f"{counted(self.same, 'entry is', 'entries are')} so already.")
        if self.left:
            most = [f"{number:,} × {reason}" for reason, number in self.left.most_common(_REASONS)]
            more = " And other reasons." if len(self.left) > _REASONS else ""
            parts.append(f"Not changed: {' '.join(most)}{more}")
        return " ".join(parts)


@performs(JobKind.BULK)
def bulk_job(context: JobContext) -> dict[str, object]:
    """Propose the selected entries as steps make them."""
    selection, steps = Selection.read(context.params), read_steps(context.params["steps"])
    name = str(context.params.get("name") or "")
    with context.store.read() as connection:
        ids = list(Ledger(context.store).ids(connection, selection))
    if not ids:
        raise Refused(_NOTHING)
    moves = [step for step in steps if isinstance(step, MoveTo)]
    rest = [step for step in steps if not isinstance(step, MoveTo)]
    if len(moves) > 1:
        raise Refused("Entries can be moved to one calendar only; the recipe names several.")
    if moves:
        return _move(context, ids, rest, moves[0])
    tally = _Tally()
    with (
        Deriving(len(ids) * _OCTETS) as deriving,
        propose(context.store, Kind.BULK, context.by, "", nothing=None) as draft,
    ):
        draft.afterwards(context.conclude_with_set)
        pieces = ((piece, piece.work, {piece.work.group: piece.zones}) for piece in _pieces(context, ids, rest))
        for piece, changed in deriving.each(pieces):
            _add(draft, piece, changed, tally)
        if not any(not change.held for change in draft.changes):
            raise Refused(f"Nothing would change. {tally.told(rest)}")
        what = name or _first_large(
            "; ".join(step_in_words(step) for step in rest[:3]) + ("; …" if len(rest) > 3 else "")
        )
        draft.title = lambda counts: f"{what}: {counts.what} in {counts.where}"
        draft.reason = tally.told(rest if name or len(rest) > 3 else [])
    return {"set_id": draft.id}


def _first_large(text: str) -> str:
    return text[:1].upper() + text[1:]


@dataclass(frozen=True, slots=True)
class _Piece:
    """Some entries of a calendar: where they stand, and what is to become of them."""

    placed: dict[VersionId, Placed]
    zones: Zones
    work: Changing


def _pieces(context: JobContext, ids: list[VersionId], steps: Sequence[Step]) -> Iterator[_Piece]:
    """What is to be done, calendar by calendar, a series with its changes where a step concerns both."""
    chosen, moment = set(ids), stamp()
    together = needs_series(steps)
    with context.store.read() as connection:
        wanted = with_series(connection, ids) if together else ids
        groups = in_groups(connection, wanted, together)
    done, fetching = 0, LinkFetching(context, steps)
    for calendar, units in groups.items():
        with context.store.read() as connection:
            zones = zones_of(connection, calendar)
        for some in chunks(units, _AT_ONCE):
            placed = {entry.id: entry for unit in some for entry in unit}
            with context.store.read() as connection:
                texts = texts_of(connection, placed)
            units_now = [
                [
                    Unchanged(entry.id, entry.component, texts[entry.id], entry.id in chosen)
                    for entry in unit
                    if entry.id in texts
                ]
                for unit in some
            ]
            done += len(placed)
            context.progress(done, len(wanted), "entries")
            files = fetching.of(calendar, (one.text for unit in units_now for one in unit if one.chosen))
            yield _Piece(placed, zones, Changing(GroupId(calendar), units_now, steps, moment, files))


def _add(draft: Draft, piece: _Piece, changed: Changed, tally: _Tally) -> None:
    with draft.stage() as writer:
        for outcome, row in changed:
            number = VersionId(outcome.key)
            here = piece.placed[number]
            tally.left.update(outcome.why_not)
            place = (here.calendar, here.component, here.uid, here.recurrence_id)
            why = " ".join((*outcome.notes, *outcome.why_not))
            if outcome.left:
                tally.left["left behind."] += 1
                draft.add(Change(*place, number, number, "Left behind.", held=True))
            elif outcome.text is None:
                draft.add(Change(*place, number, None, why or "Deleted."))
            elif row is not None:
                version = writer.add_row(row, outcome.text)
                draft.add(Change(here.calendar, here.component, row.uid, row.recurrence_id, number, version, why))
            elif outcome.why_not:  # listed, and not applied
                draft.add(Change(*place, number, number, why, held=True))
            else:
                tally.same += 1


def _move(context: JobContext, ids: list[VersionId], steps: Sequence[Step], to: MoveTo) -> dict[str, object]:
    """Changed and moved at once: copies as the steps make them, deleted at the source once they have arrived."""
    with context.store.read() as connection:
        fitting = [
            number
            for number, one in calendars_for_filters(connection).items()
            if one.value == to.calendar and to.account in ("", one.account)
        ]
    if len(fitting) != 1:
        raise Refused(f"There is {'no' if not fitting else 'more than one'} calendar “{to.calendar}”.")
    changed: dict[VersionId, str | None] = {}
    tally = _Tally()
    if steps:
        for piece in _pieces(context, ids, steps):
            for outcome in piece.work.outcomes(piece.zones):
                changed[VersionId(outcome.key)] = outcome.text
                tally.left.update(["left behind."] if outcome.left else ())
                tally.left.update(outcome.why_not)
    target = Target(calendar_id=fitting[0], move=True)
    words = tally.told(steps) if steps else ""
    set_id = transfer_changed(context, ids, target, changed, words)
    return {"set_id": set_id}
