"""What only shows of a series with all entries of its UID; found, and fixed, by `core.series.health`."""

from __future__ import annotations

from datebridge.core.checks.check import Check

OF_SERIES = (
    Check(
        "start-off-rule",
        "alters",
        "Series whose start does not match its rule",
        why="Some systems show the start as well, some do not, and COUNT counts it or not. The fix starts "
        "the series at the first occurrence of its rule, and keeps the start as an extra date.",
        of_series=True,
    ),
    Check(
        "empty-rule",
        "alters",
        "Rule without occurrences",
        why="Its parts contradict each other, or it ends before it starts. The fix removes the rule: the "
        "start and the extra dates remain.",
        of_series=True,
    ),
    Check(
        "exdate-misses",
        "alters",
        "Exception date without an occurrence",
        why="The occurrence to be excluded still happens, often because the date is in another zone. The "
        "fix excludes the nearby occurrence that was meant, and removes a date that matches none.",
        of_series=True,
    ),
    Check(
        "override-outside",
        "breaks",
        "Changed occurrence outside its series",
        why="It replaces a time at which the series has no occurrence: the original remains, or the change "
        "is lost. The fix links it to the nearby occurrence that was meant.",
        of_series=True,
    ),
    Check(
        "override-id-form",
        "alters",
        "Changed occurrence in another form than its series",
        why="Its RECURRENCE-ID is on another clock, or of another type, than the start of its series (RFC 5545 "
        "§3.8.4.4). The fix writes it in the form of the series.",
        of_series=True,
    ),
    Check(
        "override-same",
        "untidy",
        "Changed occurrence identical to its series",
        why="It equals the occurrence of its series. The fix removes it.",
        of_series=True,
    ),
    Check(
        "override-twice",
        "breaks",
        "Two changes of one occurrence",
        why="A server keeps one of them, at random. The fix keeps the one that was changed last.",
        of_series=True,
    ),
    Check(
        "series-in-pieces",
        "untidy",
        "Split series",
        why="Programs split a series when it is edited from some day on. Equal parts are joined under Mend › Series.",
    ),
)
