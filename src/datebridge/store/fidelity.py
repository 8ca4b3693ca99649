"""Matrices of what targets keep, and forecasts laid upon entries: kept, and read in pages."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from sqlalchemy import Connection, Table, delete, func, insert, select
from sqlmodel import Session, col
from sqlmodel import select as records

from datebridge.clock import now
from datebridge.core.crossing.fidelity import Measured
from datebridge.core.errors import CannotDo
from datebridge.core.ids import AccountId, CalendarId, FileId, GroupId, VersionId
from datebridge.store.sql import revision_now
from datebridge.store.tables import (
    CALENDARS,
    FORECAST_LOSSES,
    FORECASTS,
    GROUPS,
    MATRICES,
    VERSIONS,
    Forecast,
    Matrix,
)

#: How many matrices of one target are kept, and how many forecasts of all.
_MATRICES, _FORECASTS = 4, 12
_INSERT = (
    "INSERT INTO forecast_loss (forecast_id, position, feature, verdict, version_id, calendar_id, reason)"
    " VALUES (?, ?, ?, ?, ?, ?, ?)"
)


class NotMeasured(CannotDo):
    """What a target keeps was not measured, or there is no such matrix or forecast; the message says which."""

    code, title, status = "not-measured", "What is kept there is not known", 404


class ForetoldLoss(NamedTuple):
    """A feature that an entry loses, with the entry's title and calendar for whoever looks."""

    feature: str
    verdict: str
    version: VersionId
    calendar: CalendarId | GroupId
    reason: str = ""


def keep_matrix(
    connection: Connection,
    account: AccountId | None,
    name: str,
    measured: Iterable[Measured],
    declared: Mapping[str, str],
    requests: int,
) -> int:
    """Keep what was measured; the oldest of this target go. Returns its number."""
    row = insert(MATRICES).values(
        account_id=account,
        name=name,
        made_at=now(),
        requests=requests,
        features=[one.row() for one in measured],
        declared=dict(declared),
    )
    number = int(connection.execute(row.returning(MATRICES.c.id)).scalar_one())
    same = (MATRICES.c.account_id == account) if account is not None else MATRICES.c.account_id.is_(None)
    query = select(MATRICES.c.id).where(same, MATRICES.c.name == name).order_by(MATRICES.c.id.desc()).offset(_MATRICES)
    old = list(connection.execute(query).scalars())
    _drop_forecasts(connection, select(FORECASTS.c.id).where(FORECASTS.c.matrix_id.in_(old)))
    connection.execute(delete(MATRICES).where(MATRICES.c.id.in_(old)))
    return number


def matrix(session: Session, number: int) -> Matrix:
    """A matrix by its number.

    Raises:
        NotMeasured: if there is none.
    """
    row = session.get(Matrix, number)
    if row is None:
        raise NotMeasured("This matrix does not exist any more. Measure again.")
    return row


def matrices_of(session: Session, account: AccountId) -> list[Matrix]:
    """What was measured at an account, the newest first."""
    return list(session.exec(records(Matrix).where(Matrix.account_id == account).order_by(col(Matrix.id).desc())))


def newest_matrices(session: Session) -> list[Matrix]:
    """The newest matrix of each target."""
    newest = select(func.max(MATRICES.c.id)).group_by(MATRICES.c.account_id, MATRICES.c.name)
    return list(session.exec(records(Matrix).where(col(Matrix.id).in_(newest)).order_by(col(Matrix.name))))


def keep_forecast(
    connection: Connection,
    number: int,
    selection: Mapping[str, Any],
    entries: int,
    whole: int,
    losses: Sequence[ForetoldLoss],
) -> int:
    """Keep what is foretold by a matrix; the oldest forecasts go. Returns its number."""
    row = insert(FORECASTS).values(
        matrix_id=number,
        revision=revision_now(connection),
        made_at=now(),
        selection=dict(selection),
        entries=entries,
        whole=whole,
    )
    forecast = int(connection.execute(row.returning(FORECASTS.c.id)).scalar_one())
    if losses:
        rows = [(forecast, at, *loss[:4], loss.reason) for at, loss in enumerate(losses)]
        connection.exec_driver_sql(_INSERT, rows)
    _drop_forecasts(connection, select(FORECASTS.c.id).order_by(FORECASTS.c.id.desc()).offset(_FORECASTS))
    return forecast


def _drop_forecasts(connection: Connection, which: Any) -> None:
    old = list(connection.execute(which).scalars())
    connection.execute(delete(FORECAST_LOSSES).where(FORECAST_LOSSES.c.forecast_id.in_(old)))
    connection.execute(delete(FORECASTS).where(FORECASTS.c.id.in_(old)))


def forecast(session: Session, number: int) -> Forecast:
    """A forecast by its number.

    Raises:
        NotMeasured: if there is none.
    """
    row = session.get(Forecast, number)
    if row is None:
        raise NotMeasured("This forecast does not exist any more. Make it again.")
    return row


def file_of(forecast: Forecast) -> FileId | None:
    """The waiting file a forecast is about; None where it is about entries in force."""
    file = forecast.selection.get("file")
    return FileId(file) if file is not None else None


def _places(connection: Connection, number: int) -> Table:
    """Where the entries of a forecast are: calendars, or parts of a file."""
    selection = connection.execute(select(FORECASTS.c.selection).where(FORECASTS.c.id == number)).scalar()
    return GROUPS if "file" in (selection or {}) else CALENDARS


class CountedLoss(NamedTuple):
    """How many entries of a calendar lose a feature, and how."""

    feature: str
    verdict: str
    calendar: str
    entries: int


def counted_losses(connection: Connection, number: int) -> list[CountedLoss]:
    """The losses of a forecast, by feature and calendar, or part of a file."""
    losses, places = FORECAST_LOSSES.c, _places(connection, number)
    name = func.coalesce(places.c.name, "not here any more")  # a loss stays one, also of a file that was discarded
    rows = connection.execute(
        select(losses.feature, losses.verdict, name, func.count(losses.version_id.distinct()))
        .outerjoin(places, places.c.id == losses.calendar_id)
        .where(losses.forecast_id == number)
        .group_by(losses.feature, losses.verdict, losses.calendar_id)
    )
    return [CountedLoss(*row) for row in rows]


class LosingEntry(NamedTuple):
    """An entry that loses something."""

    version: VersionId
    title: str
    calendar: str
    reason: str


def losing_entries(
    connection: Connection, number: int, feature: str, verdict: str, offset: int, limit: int
) -> list[LosingEntry]:
    """The entries that lose a feature in one way, a page."""
    losses, places = FORECAST_LOSSES.c, _places(connection, number)
    rows = connection.execute(
        select(VERSIONS.c.id, VERSIONS.c.summary, places.c.name, losses.reason)
        .join(VERSIONS, VERSIONS.c.id == losses.version_id)
        .join(places, places.c.id == losses.calendar_id)
        .where(losses.forecast_id == number, losses.feature == feature, losses.verdict == verdict)
        .order_by(losses.position)
        .offset(offset)
        .limit(limit)
    )
    return [LosingEntry(*row) for row in rows]
