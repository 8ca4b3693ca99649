"""What every router needs: the store, the settings, the ledger."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, cast

from fastapi import Depends, Request

from datebridge.api.shapes import SelectionIn
from datebridge.core.errors import NotValid
from datebridge.core.language.filters import Selection
from datebridge.core.tzids import resolve
from datebridge.services.accounts.sign_on import Errands
from datebridge.services.sharing.seeing import Seeing
from datebridge.settings import Settings
from datebridge.store.change_feed import AsOfNow, Marks
from datebridge.store.database import Store
from datebridge.store.entries.density import Density
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.occurrences import OccurrenceReader
from datebridge.store.stages import Stages


@dataclass(slots=True)
class App:
    store: Store
    settings: Settings
    ledger: Ledger
    occurrences: OccurrenceReader
    density: Density
    change_feed: AsOfNow[Marks]
    stages: AsOfNow[Stages]
    seeing: Seeing
    errands: Errands = field(default_factory=Errands)
    notices: list[str] = field(default_factory=list)


def _app(request: Request) -> App:
    return cast(App, request.app.state.app)


AppDep = Annotated[App, Depends(_app)]


def selection(given: SelectionIn) -> Selection:
    """What is meant by a selection that was sent."""
    return Selection(given.filter, tuple(given.excluded), tuple(given.only) if given.only is not None else None)


def zone_of(name: str) -> str:
    """The IANA zone of a name; UTC where none is given."""
    if not name:
        return "UTC"
    resolution = resolve(name)
    if resolution.method != "iana":
        raise NotValid(f"“{name}” is not a time zone.")
    return resolution.zone
