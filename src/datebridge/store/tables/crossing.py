"""What targets keep, as measured; what entries are foretold to lose there; and crossings with their lanes."""

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


class Crossing(SQLModel, table=True):
    """A planned move.

    Attributes:
        account_id: the account it goes to; None for calendars that live only here.
        options: of all its lanes (`core.crossing.options.Options`).
        sample: what its sample crossing came to (`services.crossing.sampling`); empty where there was none.
    """

    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(unique=True)
    account_id: int | None = Field(default=None, foreign_key="account.id")
    options: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    created_at: int
    sample: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False, server_default="{}"))


class Lane(SQLModel, table=True):
    """One calendar going to another, or a part of it.

    Attributes:
        source_id: the calendar it comes from; `filter` parts it where only some of it goes this way.
        target_id: where it goes; None for a calendar that has yet to be made, called `target_name`.
        why: why it goes there, where that was proposed.
        options: those in which it differs from its crossing.
        going: false where it is left out.
        state: what was done with it last: "", ``run``, ``failed`` (the reason is in `message`), or sent ``back``.
        ran_at: when it was run last; None before.
        archive: where what is over was put away last: `name`, `entries`, and a `mark` of them; empty where nowhere.
        verified_at, verified: when both ends were compared last, and what that came to (`Verified`).
    """

    id: int | None = Field(default=None, primary_key=True)
    crossing_id: int = Field(foreign_key="crossing.id", index=True)
    position: int
    source_id: int = Field(foreign_key="calendar.id")
    filter: str = ""
    target_id: int | None = Field(default=None, foreign_key="calendar.id")
    target_name: str = ""
    why: str = ""
    options: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    going: bool = True
    state: str = ""
    message: str = ""
    ran_at: int | None = None
    archive: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False, server_default="{}"))
    verified_at: int | None = None
    verified: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))


class LaneSet(SQLModel, table=True):
    """A change set that carries a lane's entries: a rehearsal while it is proposed, a run once it is applied."""

    __tablename__ = "lane_set"

    lane_id: int = Field(primary_key=True, foreign_key="lane.id")
    set_id: int = Field(primary_key=True, foreign_key="change_set.id", index=True)


class LaneDifference(SQLModel, table=True):
    """What a verification found otherwise than it stands at the source.

    Attributes:
        verdict: ``missing``, ``extra`` or ``changed``; ``left`` for what was left behind.
        source_id, there_id: the states at both ends; None where there is none.
        cause: why it is so: ``plan``, ``loss``, ``since``, ``decided``, ``ruled``; "" where nobody knows.
        reason: the same in words.
    """

    __tablename__ = "lane_difference"

    lane_id: int = Field(primary_key=True, foreign_key="lane.id")
    position: int = Field(primary_key=True)
    verdict: str
    source_id: int | None = None
    there_id: int | None = None
    title: str = ""
    fields: str = ""
    occurrences: int = 0
    moved_by: int = 0
    cause: str = ""
    reason: str = ""


class LaneRuling(SQLModel, table=True):
    """A difference that somebody ruled to be right; `digest` is of both its states, so another one is asked about."""

    __tablename__ = "lane_ruling"

    lane_id: int = Field(primary_key=True, foreign_key="lane.id")
    digest: bytes = Field(primary_key=True)


class CutoverAct(SQLModel, table=True):
    """A step of a crossing's cutover list that was taken.

    Attributes:
        step: a `core.crossing.cutover.CutoverStep`.
        until: when it ends by itself, in UTC seconds.
        sets: what it has changed, change sets by lane; jobs: what it has queued, by lane.
        before: what it has found of shares, so that it can be taken back, by share.
        notes: what could not be done, in words.
    """

    __tablename__ = "cutover_act"

    crossing_id: int = Field(primary_key=True, foreign_key="crossing.id")
    step: str = Field(primary_key=True)
    at: int
    by_whom: str
    until: int | None = None
    sets: dict[str, int] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    jobs: dict[str, int] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    before: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    notes: list[str] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
