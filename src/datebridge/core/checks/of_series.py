"""What only shows of a series with all of its UID at hand; found, and put right, by `core.series.health`."""

from __future__ import annotations

from datebridge.core.checks.check import Check

OF_SERIES = (
    Check(
        "start-off-rule", "alters", "A series whose start is not on its own rule",
        why="Some systems show the start as well, some do not, and COUNT counts it or not. Putting it right has the "
        "series begin at the first time its rule gives, and keeps the start as an extra date.",
        together=True,
    ),
    Check(
        "empty-rule", "alters", "A rule that never gives a time",
        why="Its parts contradict each other, or it ends before it begins. Putting it right takes the rule out: it "
        "happens at its start, and at its extra dates.",
        together=True,
    ),
    Check(
        "exdate-misses", "alters", "A left-out date at which nothing happens",
        why="What was to be left out still happens, often because the date is on another clock. Putting it right "
        "leaves out the time that was meant, where one is near, and drops a date that means none.",
        together=True,
    ),
    Check(
        "override-outside", "breaks", "A changed occurrence outside its series",
        why="It stands for a time at which the series does not happen: the original is there as well, or the change is "
        "lost. Putting it right has it stand for the occurrence that was meant, where one is near.",
        together=True,
    ),
    Check(
        "override-id-form", "alters", "A changed occurrence told in another form than its series",
        why="Its RECURRENCE-ID is on another clock, or of another type, than the start of its series (RFC 5545 "
        "§3.8.4.4). Putting it right writes the same occurrence as the series does.",
        together=True,
    ),
    Check(
        "override-same", "untidy", "A changed occurrence that changes nothing",
        why="It says what its series says of that time already. Putting it right takes it out.",
        together=True,
    ),
    Check(
        "override-twice", "breaks", "Two changes of one occurrence",
        why="A server takes one of them, and which is chance. Putting it right keeps the one that was changed last.",
        together=True,
    ),
    Check(
        "series-in-pieces", "untidy", "A series cut into pieces",
        why="Programs cut a series when it is edited from some day on. Pieces that say the same are joined at the "
        "desk for series.",
    ),
)  # fmt: skip
