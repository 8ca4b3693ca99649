"""What is wrong with entries and files."""

from __future__ import annotations

from datebridge.api import present
from datebridge.api.context import AppDep
from datebridge.api.kinds import FileNo, Limit, Offset
from datebridge.api.routing import new_router
from datebridge.api.shapes import (
    ProblemCount,
    ProblemPage,
)
from datebridge.store import findings, imports

router = new_router("/api", "findings")


@router.get("/problems")
def problem_counts(app: AppDep) -> list[ProblemCount]:
    """What is wrong with the entries in the calendars, by kind of problem, the worst first."""
    with app.store.read() as connection:
        return present.problem_counts(findings.counts(connection))


@router.get("/imports/{file_id}/problems")
def file_problems(app: AppDep, file_id: FileNo, offset: Offset = 0, limit: Limit = 100) -> ProblemPage:
    """The problems found in a file, in the order of its lines."""
    with app.store.read() as connection:
        total, rows = imports.problems(connection, file_id, offset, limit)
    return ProblemPage(total=total, rows=[present.problem(row) for row in rows])
