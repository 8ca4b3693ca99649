"""Every kind of job is done by somebody, and nobody has to be named twice."""

from datebridge.core.job_kinds import JobKind
from datebridge.services.jobs.jobs import FUNCTIONS
from datebridge.services.running import performing


def test_every_kind_of_job_has_its_function_in_a_module_that_is_imported() -> None:
    assert set(FUNCTIONS) == set(JobKind)
    assert {function.__module__ for function in FUNCTIONS.values()} == {
        getattr(performing, name).__name__ for name in performing.__all__
    }
