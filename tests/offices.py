"""A second set of calendars of which it is known what is the same meeting: offices, where people meet one to one.

No weight was set on it. What is doubled here came out of programs that copy, print rules otherwise and lose exception
dates; what only looks alike are one-to-ones, interviews and sessions side by side.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from datebridge.core.matching import Alike
from tests.labelled import GROUND, ZONES, Generator, Labelled, Made

ANNA, BEN, TEAM, TRAVEL, MIRROR, OLD, WRONG = range(31, 38)
SUBJECTS = ("Budget", "Roof repair", "Annual report", "Data protection", "Canteen", "Open day", "Key handover", "Audit")
FORMS = ("meeting", "review", "walk", "workshop", "call", "lesson", "hearing", "talk")
HALLS = ("Large hall", "Corner room", "Office 12", "")
DAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")


class Offices(Generator):
    """Makes them; see `Generator` for what they are made with."""

    def meeting(self) -> Made:
        rng = self.rng
        title = f"{rng.choice(SUBJECTS)} {rng.choice(FORMS)} {rng.randrange(self.titles)}"
        people = tuple(rng.sample([f"q{k}" for k in range(60)], rng.randrange(0, 4)))
        place = rng.choice(("Office 12", "Large hall", "Corner room", ""))
        return Made(self.uid(), title, self.day(), rng.choice((20, 45, 60)), ZONES[1], place, people)

    def doubled(self, each: int) -> None:
        rng = self.rng
        for _ in range(each):
            made = self.meeting()
            self.pair(Alike.IDENTICAL, TEAM, made, OLD, made)
            made = self.meeting()
            self.pair(Alike.SAME_UID, TEAM, made, OLD, replace(made, notes="Printed", minutes=made.minutes + 5))
            made = replace(self.meeting(), place=rng.choice(HALLS))
            copied = replace(made, uid=self.uid(), title=f"Copy of {made.title}")
            self.pair(Alike.SAME_TIME, TEAM, made, rng.choice((TEAM, MIRROR)), copied)
            made = replace(self.meeting(), place=rng.choice(HALLS))
            fewer = replace(made, uid=self.uid(), people=made.people[:1])
            self.pair(Alike.SAME_TIME if fewer.people != made.people else Alike.IDENTICAL, TEAM, made, TEAM, fewer)
            made = replace(self.meeting(), place=rng.choice(HALLS))
            longer = replace(made, uid=self.uid(), minutes=made.minutes + rng.choice((5, 30, 45)))
            self.pair(Alike.OTHER_LENGTH, TEAM, made, TEAM, longer)
            made = replace(self.meeting(), place=rng.choice(HALLS))
            self.pair(Alike.SHIFTED, TRAVEL, made, WRONG, replace(made, uid=self.uid(), zone=ZONES[2]))
        for _ in range(max(10, each // 3)):
            self.series_twice()

    def series_twice(self) -> None:
        rng = self.rng
        weeks = rng.randrange(6, 20)
        made = replace(self.meeting(), place=rng.choice(HALLS), rule=f"FREQ=WEEKLY;COUNT={weeks}")
        day = DAYS[made.start.weekday()]
        last = made.start + timedelta(weeks=weeks - 1)
        until = f"{last + timedelta(hours=12):%Y%m%dT%H%M%S}Z"
        otherwise = rng.choice(
            (
                f"FREQ=WEEKLY;BYDAY={day};COUNT={weeks}",
                f"FREQ=WEEKLY;UNTIL={until};INTERVAL=1",
                f"FREQ=DAILY;INTERVAL=7;COUNT={weeks}",
            )
        )
        self.pair(Alike.SAME_TIME, TEAM, made, TEAM, replace(made, uid=self.uid(), rule=otherwise))
        made = replace(self.meeting(), place=rng.choice(HALLS), rule=f"FREQ=WEEKLY;COUNT={weeks}")
        gone = made.start + timedelta(weeks=rng.randrange(1, weeks - 1))
        left = (f"EXDATE;TZID={made.zone}:{gone:%Y%m%dT%H%M%S}",)
        self.pair(Alike.SAME_TIME, TEAM, made, TEAM, replace(made, uid=self.uid(), more=left))
        made = replace(self.meeting(), place=rng.choice(HALLS), rule=f"FREQ=DAILY;COUNT={weeks}")
        whole = self.out.put(TEAM, made)
        for k in sorted(rng.sample(range(weeks), 4)):
            single = replace(made, uid=self.uid(), rule="", start=made.start + timedelta(days=k), notes="")
            self.out.same(Alike.PARTS, whole, self.out.put(MIRROR, single))
        made = replace(self.meeting(), place=rng.choice(HALLS), rule=f"FREQ=WEEKLY;COUNT={weeks}")
        whole = self.out.put(TEAM, made)
        rest = replace(
            made, uid=self.uid(), start=made.start + timedelta(weeks=3), rule=f"FREQ=WEEKLY;COUNT={weeks - 3}"
        )
        self.out.same(Alike.CUT, whole, self.out.put(OLD, rest))

    def alike(self, each: int) -> None:
        out, rng = self.out, self.rng
        for k in range(2 * each):
            start = GROUND + timedelta(days=rng.randrange(self.days), hours=rng.choice((9, 10, 11)))
            boss = rng.choice(("anna", "ben"))
            one = Made(self.uid(), "One to one", start, 30, ZONES[1], "", (boss, f"q{k % 50}"))
            out.put(ANNA, one)  # one boss, two people, at one hour of two rooms
            out.put(rng.choice((ANNA, BEN)), replace(one, uid=self.uid(), people=(boss, f"q{(k + 7) % 50}")))
            panel = ("anna", "ben", "q1")
            one = Made(
                self.uid(), "Interview", start + timedelta(hours=4), 45, ZONES[1], "", (*panel, f"candidate-{k}")
            )
            out.put(TEAM, one)
            out.put(TEAM, replace(one, uid=self.uid(), people=(*panel, f"candidate-{k + 1}")))
            made = replace(self.meeting(), people=("anna",))
            out.put(TEAM, replace(made, place="", notes=f"Session {k}: roofs"))  # side by side
            out.put(TEAM, replace(made, place="", uid=self.uid(), notes=f"Session {k}: walls"))
            out.put(TEAM, replace(made := self.meeting(), place="Office 12"))
            out.put(TEAM, replace(made, uid=self.uid(), place="Large hall", minutes=made.minutes + 15))


def offices(each: int, seed: int = 1) -> Labelled:
    """Calendars with `each` of most kinds of what is doubled, and twice as many of each kind of what only looks it."""
    generator = Offices(seed, each)
    generator.doubled(each)
    generator.alike(each)
    return generator.out
