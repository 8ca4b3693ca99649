"""What targets keep, as measured, and what entries are foretold to lose there."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, Column
from sqlmodel import Field, SQLModel


class Matrix(SQLModel, table=True):
    """What became of each feature at a target, on one day.

    Attributes:
        account_id: the account it was measured at; None for a system that was measured by a file.
        name: what the target is called.
        requests: how many it took.
        features: rows of `core.crossing.fidelity.Measured`.
        declared: what the server says of itself, in words, by feature.
    """

    id: int | None = Field(default=None, primary_key=True)
    account_id: int | None = Field(default=None, foreign_key="account.id", index=True)
    name: str
    made_at: int
    requests: int = 0
    features: list[dict[str, Any]] = Field(sa_column=Column(JSON, nullable=False))
    declared: dict[str, str] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))


class Forecast(SQLModel, table=True):
    """What a selection would lose at a target.

    Attributes:
        revision: of the data when it was made; a later one makes it old.
        entries, whole: how many entries were looked at, and how many of them lose nothing.
    """

    id: int | None = Field(default=None, primary_key=True)
    matrix_id: int = Field(foreign_key="matrix.id")
    revision: int
    made_at: int
    selection: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    entries: int = 0
    whole: int = 0


class ForecastLoss(SQLModel, table=True):
    """One feature that one entry loses."""

    __tablename__ = "forecast_loss"

    forecast_id: int = Field(primary_key=True, foreign_key="forecast.id")
    position: int = Field(primary_key=True)
    feature: str
    verdict: str
    version_id: int
    calendar_id: int
    reason: str = ""
