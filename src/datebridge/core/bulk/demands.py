"""What a step has to say so that it can be done at all."""

from __future__ import annotations

import re
from collections.abc import Sequence

from datebridge.core.bulk.people import check_address
from datebridge.core.bulk.steps import (
    BeginSeries,
    Categories,
    Delete,
    DropPeople,
    EndSeries,
    FetchLinks,
    Fix,
    LinkAttachments,
    MapAddress,
    Property,
    Replace,
    Shift,
    Step,
    Timed,
)
from datebridge.core.bulk.subject import CannotChange, Subject, SubjectMember
from datebridge.core.bulk.timing import day_of, timed
from datebridge.core.bulk.wording import check_property, replacing
from datebridge.core.checks import CHECKS, is_fixable

_ADDRESS = re.compile(r"https?://[^\s\x00-\x20\x7f\"<>]{1,1000}")
_PROBE = "BEGIN:VEVENT\nUID:probe\nDTSTART;VALUE=DATE:20260101\nSUMMARY:Probe\nEND:VEVENT"


def demand(steps: Sequence[Step]) -> None:  # noqa: C901 (one case a step)
    """Refuse steps that could not be done to any entry.

    Raises:
    CannotChange: if a step could not be done to any entry; the message says which and why.
    """
    if not steps:
        raise CannotChange("Choose a change.")
    for step in steps:
        match step:
            case Replace():
                replacing(step.find, step.by, step.pattern, step.cases)
            case MapAddress():
                check_address(step)
            case Property():
                check_property(step)
            case Categories() if step.mode != "set" and not any(value.strip() for value in step.values):
                raise CannotChange("Enter a category.")
            case DropPeople() if not any("@" in one for one in step.who):
                raise CannotChange("Enter addresses, or domains that start with @.")
            case Fix():
                if not is_fixable(step.check):
                    raise CannotChange(f"There is no check “{step.check[:40]}” that puts something right.")
            case Delete():
                if not step.check and not step.before:
                    raise CannotChange(
                        "Choose what to delete: the findings of a check, or events that ended before a day."
                    )
                if step.check and step.check not in CHECKS:
                    raise CannotChange(f"There is no check “{step.check[:40]}”.")
                if step.before:
                    day_of(step.before)
            case LinkAttachments() if not _ADDRESS.fullmatch(step.under):
                raise CannotChange("Enter the web address under which the files will lie, such as https://…")
            case LinkAttachments() | FetchLinks() if step.most < 0:
                raise CannotChange("Enter a size in kB, 0 or more.")
            case EndSeries():
                day_of(step.last)
            case BeginSeries():
                day_of(step.first)
            case Timed():
                timed(Subject([SubjectMember(0, _PROBE)]), step)
            case Shift() if not step.days and not step.minutes:
                raise CannotChange("Enter a duration.")
