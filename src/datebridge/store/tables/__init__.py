"""The tables: a class each for single records, and the same as expressions for everything else.

>>> CALENDARS.c.name.type, CALENDARS.name
(AutoString(), 'calendar')
"""

from __future__ import annotations

from typing import cast

from sqlalchemy import Table
from sqlmodel import SQLModel

from datebridge.store.tables.changes import ChangeRow, ChangeSetRow, ImportFile, ImportGroup, ProblemRow, StagingRow
from datebridge.store.tables.crossing import (
    Crossing,
    CutoverAct,
    Forecast,
    ForecastLoss,
    Lane,
    LaneDifference,
    LaneRuling,
    LaneSet,
    Matrix,
)
from datebridge.store.tables.elsewhere import Account, Push, Remote, ResourceRow
from datebridge.store.tables.entries import (
    Calendar,
    CheckRun,
    DensityRow,
    DuplicateMember,
    DuplicateRow,
    Entry,
    FindingRow,
    IndexColumns,
    RulingRow,
    Version,
    VersionText,
)
from datebridge.store.tables.mending import ComparedPair, ComparisonRow, ScatteredRow
from datebridge.store.tables.sharing import Reader, Role, Share, ShareAddress, ShareHeld, ShareHost
from datebridge.store.tables.work import BrowserSession, Job, Meta, Preference


def _expression(model: type[SQLModel]) -> Table:
    return cast(Table, model.__table__)  # type: ignore[attr-defined]


CALENDARS = _expression(Calendar)
VERSIONS = _expression(Version)
TEXTS = _expression(VersionText)
ENTRIES = _expression(Entry)
DENSITY = _expression(DensityRow)
FINDINGS = _expression(FindingRow)
CHECK_RUNS = _expression(CheckRun)
DUPLICATES = _expression(DuplicateRow)
DUPLICATE_MEMBERS = _expression(DuplicateMember)
COMPARISONS = _expression(ComparisonRow)
COMPARED = _expression(ComparedPair)
SCATTERED = _expression(ScatteredRow)
RULINGS = _expression(RulingRow)
SETS = _expression(ChangeSetRow)
CHANGES = _expression(ChangeRow)
FILES = _expression(ImportFile)
GROUPS = _expression(ImportGroup)
PROBLEMS = _expression(ProblemRow)
STAGING = _expression(StagingRow)
ACCOUNTS = _expression(Account)
REMOTES = _expression(Remote)
RESOURCES = _expression(ResourceRow)
PUSHES = _expression(Push)
MATRICES = _expression(Matrix)
FORECASTS = _expression(Forecast)
FORECAST_LOSSES = _expression(ForecastLoss)
CROSSINGS = _expression(Crossing)
LANES = _expression(Lane)
LANE_SETS = _expression(LaneSet)
LANE_DIFFERENCES = _expression(LaneDifference)
LANE_RULINGS = _expression(LaneRuling)
CUTOVER_ACTS = _expression(CutoverAct)
SESSIONS = _expression(BrowserSession)
JOBS = _expression(Job)
META = _expression(Meta)
PREFERENCES = _expression(Preference)
ROLES = _expression(Role)
SHARES = _expression(Share)
READERS = _expression(Reader)
ADDRESSES = _expression(ShareAddress)
HELD = _expression(ShareHeld)
SHARE_HOSTS = _expression(ShareHost)


def demand_id(number: int | None) -> int:
    """The id of a row that has been stored; before that it has none."""
    if number is None:
        raise ValueError("This row has not been stored yet.")
    return number


__all__ = [
    "ACCOUNTS",
    "ADDRESSES",
    "CALENDARS",
    "CHANGES",
    "CHECK_RUNS",
    "COMPARED",
    "COMPARISONS",
    "CROSSINGS",
    "CUTOVER_ACTS",
    "DENSITY",
    "DUPLICATES",
    "DUPLICATE_MEMBERS",
    "ENTRIES",
    "FILES",
    "FINDINGS",
    "FORECASTS",
    "FORECAST_LOSSES",
    "GROUPS",
    "HELD",
    "JOBS",
    "LANES",
    "LANE_DIFFERENCES",
    "LANE_RULINGS",
    "LANE_SETS",
    "MATRICES",
    "META",
    "PREFERENCES",
    "PROBLEMS",
    "PUSHES",
    "READERS",
    "REMOTES",
    "RESOURCES",
    "ROLES",
    "RULINGS",
    "SCATTERED",
    "SETS",
    "SHARES",
    "SHARE_HOSTS",
    "STAGING",
    "TEXTS",
    "VERSIONS",
    "Account",
    "Calendar",
    "ChangeRow",
    "ChangeSetRow",
    "CheckRun",
    "Crossing",
    "CutoverAct",
    "DensityRow",
    "Entry",
    "FindingRow",
    "Forecast",
    "ForecastLoss",
    "ImportFile",
    "ImportGroup",
    "IndexColumns",
    "Job",
    "Lane",
    "Matrix",
    "Meta",
    "Preference",
    "ProblemRow",
    "Push",
    "Reader",
    "Remote",
    "ResourceRow",
    "Role",
    "RulingRow",
    "Share",
    "ShareAddress",
    "ShareHeld",
    "ShareHost",
    "StagingRow",
    "Version",
    "VersionText",
    "demand_id",
]
