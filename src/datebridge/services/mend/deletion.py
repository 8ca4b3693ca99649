"""Deleting what is selected: a proposal like any other, to be looked at before it is applied."""

from __future__ import annotations

from datebridge.core.changes import PERSON, By, Kind
from datebridge.core.ids import SetId
from datebridge.core.language.filters import Selection
from datebridge.store.changesets.draft import propose
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger


def propose_deletion(store: Store, ledger: Ledger, selection: Selection, reason: str = "", by: By = PERSON) -> SetId:
    """Propose deleting the selected entries; returns the change set's id.

    Raises:
        CannotApply: if nothing is selected, or only what can only be read.
        FilterError: if the selection's filter does not parse.
    """
    with store.read() as connection:
        ids = list(ledger.ids(connection, selection))
    reason = reason or (f"All matches of {selection.filter}" if selection.only is None else "Selected by hand.")
    nothing = "Nothing is selected, so there is nothing to delete."
    with propose(
        store, Kind.DELETE, by, lambda tally: f"Delete {tally.what} from {tally.where}", reason, nothing=nothing
    ) as draft:
        draft.delete(ids, "Chosen for deletion.")
    return draft.id
