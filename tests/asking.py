"""What tests ask of a store: its own questions, in short. No test knows a table or a column."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection

from sqlalchemy import func, select
from sqlmodel import SQLModel

from datebridge.core.changes import State
from datebridge.core.ids import CalendarId, FileId, SetId, VersionId
from datebridge.services.jobs import jobs
from datebridge.store import accounts, calendars, findings, imports, pushes
from datebridge.store.calendars import CalendarFacts
from datebridge.store.changesets import review
from datebridge.store.database import Store
from datebridge.store.entries import details, present
from datebridge.store.entries.details import StoredVersion
from datebridge.store.entries.ledger import EntryRow, Ledger, rows_of
from datebridge.store.entries.zones import zones_of
from datebridge.store.imports import FileProblem, Group, ListedFile
from datebridge.store.pushes import Unsettled
from datebridge.store.tables import VERSIONS, Account, ChangeSetRow, Job, Remote

_ALL = 1_000_000


class Asking:
    """Questions to a store."""

    store: Store
    ledger: Ledger

    # ---- entries and calendars

    def entries(self, filter: str = "", sort: str = "when") -> list[EntryRow]:
        return self.ledger.page(filter, sort, limit=_ALL)[1]

    def entry(self, filter: str = "") -> EntryRow:
        """The only entry that matches."""
        (found,) = self.entries(filter)
        return found

    def titles(self, filter: str = "", sort: str = "when") -> list[str]:
        return [row.summary for row in self.entries(filter, sort)]

    def twice(self) -> list[tuple[str, str]]:
        """UIDs of which an occurrence stands more than once."""
        counted = Counter((row.uid, row.recurrence_id) for row in self.entries())
        return [one for one, count in counted.items() if count > 1]

    def version(self, number: int) -> StoredVersion:
        with self.store.read() as connection:
            found = details.version(connection, VersionId(number))
        assert found is not None
        return found

    def texts(self) -> list[str]:
        """The text of each entry, in the order in which they were stored."""
        return [self.version(row.id).text for row in sorted(self.entries(), key=lambda row: row.id)]

    def calendars(self) -> list[CalendarFacts]:
        """Calendars in force, in the order in which they came."""
        with self.store.read() as connection:
            return [self.calendar(number) for number in sorted(calendars.names(connection, live=True))]

    def calendar(self, which: int | str = "") -> CalendarFacts:
        """A calendar by its number or name; the only one."""
        with self.store.read() as connection:
            known = calendars.names(connection, live=True)
            number = which if isinstance(which, int) else next(n for n, name in known.items() if which in ("", name))
            assert which or len(known) == 1
            found = calendars.facts_of(connection, CalendarId(number))
        assert found is not None
        return found

    def defined(self, calendar: int) -> dict[str, str]:
        """The definitions of zones in a calendar, by TZID."""
        with self.store.read() as connection:
            return dict(zones_of(connection, CalendarId(calendar)).items())

    # ---- change sets

    def sets(self, kind: str = "", state: State | None = None) -> list[ChangeSetRow]:
        """Change sets of a kind in a state, in the order in which they were made."""
        with self.store.read() as connection:
            states = [state] if state else list(State)
            found = [one for own in states for one in review.list_sets(connection, own, limit=_ALL)[1]]
        return sorted((one for one in found if kind in ("", one.kind)), key=lambda one: one.id or 0)

    def proposal(self, kind: str = "") -> ChangeSetRow:
        """The only proposal."""
        (found,) = self.sets(kind, State.PROPOSED)
        return found

    def set(self, number: int) -> ChangeSetRow:
        with self.store.read() as connection:
            found = review.set_row(connection, SetId(number))
        assert found is not None
        return found

    # ---- files

    def files(self) -> list[ListedFile]:
        """Files that were brought, in that order."""
        with self.store.read() as connection:
            return sorted(imports.listed(connection, _ALL), key=lambda one: one.id)

    def parts(self, file: int) -> list[Group]:
        """The parts of a file that go to one calendar each."""
        with self.store.read() as connection:
            return imports.groups_of(connection, FileId(file))

    def problems(self, file: int) -> list[FileProblem]:
        with self.store.read() as connection:
            return imports.problems(connection, FileId(file), 0, _ALL)[1]

    def staged(self) -> list[EntryRow]:
        """What all files hold, in the order in which it was stored."""
        with self.store.read() as connection:
            groups = [group.id for file in self.files() for group in imports.groups_of(connection, file.id)]
            found = [item.key for group in groups for item, listed in present.staged(connection, group) if listed]
            return rows_of(connection, sorted(found), VERSIONS)

    def findings(self) -> dict[str, int]:
        """How many there are of each kind."""
        with self.store.read() as connection:
            return findings.of_all(connection)

    def amounts(self) -> dict[str, int]:
        """How many records there are of each kind."""
        with self.store.read() as connection:
            counts = {name: select(func.count()).select_from(table) for name, table in SQLModel.metadata.tables.items()}
            return {name: connection.execute(count).scalar_one() for name, count in counts.items()}

    # ---- jobs, and what lives elsewhere

    def jobs(self, *states: str, kinds: Collection[str] = ()) -> list[Job]:
        found = jobs.recent(self.store, _ALL)
        return [job for job in found if job.state in (states or (job.state,)) and job.kind in (kinds or (job.kind,))]

    def job(self, number: int) -> Job:
        found = jobs.get(self.store, number)  # type: ignore[arg-type]
        assert found is not None
        return found

    def accounts(self) -> list[Account]:
        return accounts.accounts(self.store)

    def remotes(self) -> list[Remote]:
        """Calendars that live elsewhere, switched on or off."""
        return [one for own in self.accounts() for one in accounts.remotes_of(self.store, own.id)]  # type: ignore[arg-type]

    def unsettled(self, state: str = "") -> list[Unsettled]:
        """What was refused or met another change, the oldest first."""
        with self.store.read() as connection:
            found = pushes.unsettled(connection, 0, _ALL)[1]
        return sorted((one for one in found if state in ("", one.state)), key=lambda one: one.id)

    def pushed(self) -> dict[str, int]:
        """How many changes are in each state on their way."""
        with self.store.read() as connection:
            return pushes.count_by_state(connection)


def versions_ever(store: Store) -> list[str]:
    """The texts of all versions there are, in force, in the logbook, or only kept beside something."""
    with store.read() as connection:
        return list(connection.exec_driver_sql("SELECT text FROM version_text").scalars())
