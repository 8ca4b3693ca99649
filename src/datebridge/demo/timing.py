"""Two files of the watch office in which time went wrong: one of every defect of zones and series, with the answer.

`ANSWERS` says what the desks have to find in them.
"""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from datebridge.core.recurrence.rules import WEEKDAYS
from datebridge.core.zones.definition import define
from datebridge.demo.writing import calendar, event, local

HOUR, DAY, WEEK = timedelta(hours=1), timedelta(days=1), timedelta(weeks=1)
HOME, HOBART, HALIFAX = "Atlantic/Reykjavik", "Australia/Hobart", "America/Halifax"
PLAN, COPY = "Watch plan", "Watch plan, partners' copy"
#: Zone names of the plan, with what is to be found of each: its state, and the zone it means or goes like.
ZONE_ANSWERS = {
    "Skerrow local": ("unknown", ""),
    "AST": ("unknown", ""),
    "(UTC+10:00) Hobart": ("fine", HOBART),
    "UTC-03:00": ("fine", "Etc/GMT+3"),
    "America/Moncton": ("contradicts", "America/Moncton"),
    "Partner time": ("fine", HOBART),
    "": ("floating", ""),
}
#: Checks of series, with how many entries of the plan each finds something in.
SERIES_ANSWERS = {
    "start-off-rule": 1,
    "empty-rule": 1,
    "exdate-misses": 1,
    "override-outside": 1,
    "override-id-form": 1,
    "override-same": 1,
    "override-twice": 1,
    "until-type": 1,
    "count-and-until": 1,
    "override-without-master": 2,
    "series-in-pieces": 2,
}
#: What is scattered in the plan, by kind.
SCATTERED_ANSWERS = {"inferred": 1, "pieces": 1, "detached": 1, "endless": 1}
#: What is off in winter only, with the zone it was taken for.
OFF_IN_WINTER = ("Plankton call, Halifax", "Etc/GMT+3")


class Watch:
    """Makes both files around a day."""

    def __init__(self, today: date) -> None:
        self.today = today
        self.monday = today - timedelta(days=today.weekday()) - 26 * WEEK

    def at(self, weeks: int, hour: int, minute: int = 0, days: int = 0) -> datetime:
        """An hour on the Monday half a year ago, so many weeks and days later."""
        return datetime.combine(self.monday + weeks * WEEK + days * DAY, time(hour, minute))

    # ---- zones ----------------------------------------------------------------------------------

    def zones(self) -> list[str]:
        """Unknown names, names that say another thing than their definition, times in none, days become hours."""
        texts = [
            event(f"slip-{n}", "Slipway turn", self.at(24 + n, 7, days=n * n % 5), HOUR, "Skerrow local")
            for n in range(6)
        ]
        texts += [event(f"ast-{n}", "Tug briefing", self.at(25 + n, 10), HOUR, "AST") for n in range(4)]
        texts += [
            event(f"cold-{n}", "Cold store check", self.at(25 + n, 9), HOUR, "(UTC+10:00) Hobart") for n in range(3)
        ]
        texts += [event(f"fix-{n}", "Ballast report", self.at(25 + n, 11), HOUR, "UTC-03:00") for n in range(2)]
        texts += [event(f"mon-{n}", "Fishery desk", self.at(25 + n, 14), HOUR, "America/Moncton") for n in range(3)]
        texts += [
            event(f"partner-{n}", "Partner hand-over", self.at(24 + n, 16), HOUR, "Partner time") for n in range(4)
        ]
        texts += [event(f"float-{n}", "Radio silence", self.at(25 + n, 12, 30), HOUR / 2) for n in range(3)]
        # Whole days of Hobart, written as the hours of that day in UTC.
        for n in range(3):
            day = self.at(20 + n, 0, days=2).replace(tzinfo=ZoneInfo(HOBART)).astimezone(UTC)
            texts.append(event(f"days-{n}", "Hobart open day", day.replace(tzinfo=None), DAY, utc=True))
        return texts

    # ---- series ---------------------------------------------------------------------------------

    def series(self) -> list[str]:
        """Series, one of every thing that can be wrong with them."""

        def series(uid: str, title: str, hour: int, *extra: str, weeks: int = 0, days: int = 0) -> str:
            return event(uid, title, self.at(weeks, hour, days=days), HOUR, HOBART, extra=extra)

        def change(uid: str, title: str, slot: datetime, to: datetime, *extra: str, zone: str = HOBART) -> str:
            text = event(uid, title, to, HOUR, HOBART, extra=extra)
            return text.replace("\nSUMMARY", f"\nRECURRENCE-ID;TZID={zone}:{local(slot)}\nSUMMARY")

        until = self.at(30, 9)
        slipped = self.at(4, 9)
        texts = [
            series("until", "Sonar listening", 9, f"RRULE:FREQ=WEEKLY;UNTIL={until:%Y%m%d}"),
            series("both-ends", "Buoy roster", 10, f"RRULE:FREQ=WEEKLY;COUNT=40;UNTIL={until:%Y%m%dT000000Z}"),
            series("off-rule", "Pump drill", 11, "RRULE:FREQ=WEEKLY;BYDAY=WE;COUNT=30"),
            series("empty", "Leap day dinner", 12, "RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"),
            # Left out in UTC, but as the hour of Hobart: a misread zone.
            series("left-out", "Kelp count", 9, "RRULE:FREQ=WEEKLY;COUNT=40", f"EXDATE:{local(slipped)}Z"),
            series("outside", "Ice report", 13, "RRULE:FREQ=WEEKLY;COUNT=40"),
            change("outside", "Ice report", self.at(28, 14), self.at(28, 15)),
            series("told", "Net inspection", 8, "RRULE:FREQ=WEEKLY;COUNT=40"),
            change("told", "Net inspection", self.at(27, 8), self.at(27, 10)).replace(
                f"RECURRENCE-ID;TZID={HOBART}:{local(self.at(27, 8))}",
                f"RECURRENCE-ID;VALUE=DATE:{self.at(27, 8):%Y%m%d}",
            ),
            series("same", "Oil boom check", 15, "RRULE:FREQ=WEEKLY;COUNT=40"),
            change("same", "Oil boom check", self.at(27, 15), self.at(27, 15)),
            series("twice", "Whale line", 16, "RRULE:FREQ=WEEKLY;COUNT=40"),
            change("twice", "Whale line", self.at(27, 16), self.at(27, 17)),
            change("twice", "Whale line", self.at(27, 16), self.at(27, 18), "SEQUENCE:2"),
            # An orphan whose series is there under another UID, and one that has none.
            series("signal-new", "Signal practice", 7, "RRULE:FREQ=WEEKLY;COUNT=40"),
            change("signal-old", "Signal practice", self.at(29, 7), self.at(29, 8)),
            change("gone", "Lamp trimming", self.at(29, 6), self.at(29, 7)),
            # Cut when its place was asked for, and put back.
            series("crane-1", "Crane rota", 6, "RRULE:FREQ=WEEKLY;COUNT=20"),
            series("crane-2", "Crane rota", 6, "RRULE:FREQ=WEEKLY;COUNT=20", weeks=20),
        ]
        old = self.monday - 4 * 52 * WEEK
        texts.append(
            event(
                "dredging",
                "Dredging project, weekly",
                datetime.combine(old, time(9)),
                HOUR,
                HOBART,
                extra=["RRULE:FREQ=WEEKLY", "LAST-MODIFIED:20220103T080000Z"],
            )
        )
        # A seminar that arrived as single entries: one week is a holiday, one was moved by an hour and a half.
        for n in range(20):
            if n != 7:
                start = self.at(16 + n, 15, 30) + (timedelta(minutes=90) if n == 11 else timedelta())
                texts.append(event(f"seminar-{n:02d}", "Kelp seminar", start, HOUR, HOBART))
        return texts

    # ---- both -----------------------------------------------------------------------------------

    def shared(self) -> list[str]:
        """What is in both files; in the copy some of it is otherwise (`copy`)."""
        weekly = [f"RRULE:FREQ=WEEKLY;BYDAY={WEEKDAYS[self.monday.weekday()]};COUNT=80"]
        texts = [
            event("plankton", "Plankton call, Halifax", self.at(0, 14), HOUR, HALIFAX, extra=weekly),
            event("ledger", "Ledger hour", self.at(0, 9, days=1), HOUR, HOME, extra=["RRULE:FREQ=WEEKLY;COUNT=80"]),
        ]
        texts += [event(f"harbour-{n}", "Harbour day", (self.at(25 + n, 0, days=5)).date(), DAY) for n in range(3)]
        texts += [
            event(f"round-{n}", f"Round {n + 1}", self.at(24 + n // 4, 8 + n % 4, days=3), HOUR, HOME)
            for n in range(16)
        ]
        return texts

    def plan(self) -> bytes:
        """The plan of the watch office."""
        contradicting = define("America/Moncton", "America/New_York", *self._years())
        texts = [*self.zones(), *self.series(), *self.shared()]
        made = calendar(
            PLAN, [contradicting, *texts], {"Partner time": HOBART}, self._years(), [f"X-WR-TIMEZONE:{HOME}"]
        )
        return made

    def copy(self) -> bytes:
        """What the partners have of it: one series read on a clock that knows no summer, and a few things otherwise."""
        texts = []
        for text in self.shared():
            if "UID:plankton@" in text:
                text = text.replace(f"TZID={HALIFAX}", "TZID=Etc/GMT+3")
            if "UID:harbour-" in text:  # whole days that slipped
                day = datetime.strptime(text.partition("DTSTART;VALUE=DATE:")[2][:8], "%Y%m%d")  # noqa: DTZ007
                for moment, other in ((day, day - DAY), (day + DAY, day)):
                    text = text.replace(f"DATE:{moment:%Y%m%d}", f"DATE:{other:%Y%m%d}", 1)
            if "UID:round-3@" in text:
                continue
            if "UID:round-5@" in text:
                text = text.replace("SUMMARY:Round 6", "SUMMARY:Round six")
            if "UID:round-8@" in text:
                text = text.replace("UID:round-8@", "UID:partner-round-8@")
            texts.append(text)
        texts += [
            event(f"copy-{n}", "Partner hand-over", self.at(24 + n, 16, days=1), HOUR, "Partner time") for n in range(2)
        ]
        texts.append(event("supper", "Watch supper", self.at(27, 18), 2 * HOUR, HOME))
        return calendar(COPY, texts, {"Partner time": HALIFAX}, self._years())

    def _years(self) -> tuple[int, int]:
        return self.today.year - 1, self.today.year + 1
