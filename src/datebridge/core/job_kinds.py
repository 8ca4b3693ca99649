"""What kinds of long work there are, who does them, and which of them take turns.

>>> JobKind.PUSH.lane(3) == JobKind.PULL.lane(3), JobKind.READ.lane()
(True, '')
"""

from __future__ import annotations

from enum import StrEnum


class Role(StrEnum):
    """The two workers: one computes, the other talks to other systems."""

    COMPUTING = "computing"
    TALKING = "talking"


class JobKind(StrEnum):
    """A kind of job; the value is how it is stored."""

    READ = "read"
    ARCHIVE = "archive"
    PUT_AWAY = "put-away"
    SHEET = "sheet"
    TRANSFER = "transfer"
    BULK = "bulk"
    FIX = "fix"
    RULED = "ruled"
    DUPLICATES = "duplicates"
    COMBINE = "combine"
    COMPARE = "compare"
    ADJUST = "adjust"
    MATCH = "match"
    SCATTERED = "scattered"
    SEASONS = "seasons"
    COUNT = "count"
    CHECK = "check"
    COLLECT = "collect"
    PULL = "pull"
    PUSH = "push"
    SURVEY = "survey"
    PROBE = "probe"
    FORECAST = "forecast"
    REHEARSE_CROSSING = "rehearse-crossing"
    CROSS = "cross"
    VERIFY = "verify"
    SEND_BACK = "send-back"
    TELL_OWNERS = "tell-owners"
    SAMPLE = "sample"
    CROSS_FILES = "cross-files"
    LET_IN = "let-in"
    CLOSE = "close"
    HAND_OUT = "hand-out"

    @property
    def role(self) -> Role:
        """The worker that does it."""
        return Role.TALKING if self in _ACCOUNTS or self is JobKind.HAND_OUT else Role.COMPUTING

    def lane(self, about: int | None = None) -> str:
        """The lane of a job about an account, a host or a calendar: of one lane, one job at a time is done.

        "" for a kind that is made for people: such jobs wait for each other only where one worker does them.
        """
        if self in _ACCOUNTS:
            return f"account {about}"
        if self in _CROSSINGS:
            return "crossings"
        if self is JobKind.HAND_OUT or self in _INDEXES:
            return self.value if about is None else f"{self.value} {about}"
        return ""


_ACCOUNTS = frozenset(
    {JobKind.PULL, JobKind.PUSH, JobKind.SURVEY, JobKind.PROBE, JobKind.SAMPLE, JobKind.LET_IN, JobKind.CLOSE}
)
#: One at a time: two that carry the same entries would carry them twice.
_CROSSINGS = frozenset({JobKind.REHEARSE_CROSSING, JobKind.CROSS, JobKind.VERIFY, JobKind.SEND_BACK})
#: What is rebuilt in the background.
_INDEXES = frozenset({JobKind.MATCH, JobKind.SCATTERED, JobKind.SEASONS, JobKind.COUNT, JobKind.CHECK, JobKind.COLLECT})
