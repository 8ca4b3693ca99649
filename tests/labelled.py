"""Calendars of which it is known what is the same meeting: to measure matching by, not to believe it.

Everything that is doubled stands in the ground calendars once and is doubled in one way; beside it stands what only looks
alike, and that is the larger part. The words are made up at random, so that nothing can be learnt by heart.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from itertools import combinations

from datebridge.core.index.derive import derive
from datebridge.core.matching import CONTAINING, Alike, Group, Item, item_of, joined_items

ZONES = ("Atlantic/Reykjavik", "America/Halifax", "Australia/Hobart")
PLACES = ("Berth 1", "Berth 2", "Wet lab", "Dry lab", "Seminar room", "Winch deck", "Room 3.12", "Room 3.14", "")
FIRST = (
    "Mooring",
    "Crane",
    "Plankton",
    "Sonar",
    "Réserve",
    "Kelp",
    "Sediment",
    "Turbine",
    "Ballast",
    "Harbour",
    "Ocean",
)
THEN = ("briefing", "inspection", "sampling", "calibration", "handbook", "training", "interview", "planning", "survey")
NAMES = ("Ida Moe", "Jón Dal", "Maria Vik", "Marta Vik", "Owen Hale", "Ruth Kittow", "Tormod Vik")
GROUND = datetime(2025, 1, 6)
BERTHS, LABS, ROTA, TALKS, IDA, JON, FIELD = range(1, 8)
#: Calendars that came by another road; the last follows a feed.
COPY, REWORDED, WRONG_CLOCK, MOVED_CLOCK, HOURS, EARLY, SINGLES, PIECES, CHANGES, FEED = range(11, 21)


@dataclass(slots=True)
class Made:
    """One entry in the making."""

    uid: str
    title: str
    start: datetime
    minutes: int = 60
    zone: str = ZONES[0]
    place: str = ""
    people: tuple[str, ...] = ()
    notes: str = ""
    rule: str = ""
    more: tuple[str, ...] = ()
    days: int = 0
    rid: str = ""

    def text(self, stamp: int = 0) -> str:
        if self.days:
            end = self.start + timedelta(days=self.days)
            when = [f"DTSTART;VALUE=DATE:{self.start:%Y%m%d}", f"DTEND;VALUE=DATE:{end:%Y%m%d}"]
        else:
            end = self.start + timedelta(minutes=self.minutes)
            tz = "" if self.zone == "" else f";TZID={self.zone}"
            when = [f"DTSTART{tz}:{self.start:%Y%m%dT%H%M%S}", f"DTEND{tz}:{end:%Y%m%dT%H%M%S}"]
        lines = ["BEGIN:VEVENT", f"UID:{self.uid}", f"DTSTAMP:20260101T0000{stamp % 60:02d}Z", *when]
        lines += [f"SUMMARY:{self.title}"] if self.title else []
        lines += [f"LOCATION:{self.place}"] if self.place else []
        lines += [f"DESCRIPTION:{self.notes}"] if self.notes else []
        lines += [f"RRULE:{self.rule}"] if self.rule else []
        lines += [f"RECURRENCE-ID;TZID={self.zone}:{self.rid}"] if self.rid else []
        lines += [f"ATTENDEE;PARTSTAT=ACCEPTED:mailto:{one}@skerrow.example" for one in self.people]
        return "\n".join([*lines, *self.more, "END:VEVENT"])


Truth = dict[frozenset[int], Alike]


@dataclass(slots=True)
class Labelled:
    """Entries by calendar with their texts, and which pairs of them are one meeting, in which way."""

    texts: dict[int, str] = field(default_factory=dict)
    entries: list[Item[int]] = field(default_factory=list)
    truth: Truth = field(default_factory=dict)

    def put(self, calendar: int, made: Made) -> int:
        number = len(self.texts) + 1
        self.texts[number] = made.text(number)
        self.entries.append(item_of(number, calendar, derive("VEVENT", self.texts[number]), number))
        return number

    def same(self, kind: Alike, *keys: int) -> None:
        for pair in combinations(keys, 2):
            self.truth[frozenset(pair)] = kind

    def items(self) -> list[Item[int]]:
        return joined_items(self.entries)


class Generator:
    def __init__(self, seed: int, each: int) -> None:
        self.rng, self.out = random.Random(seed), Labelled()  # noqa: S311
        self._uids = 0
        # The many are not denser than the few: they stand over more years, and there are more titles.
        self.days, self.titles = max(700, 2 * each), max(60, each // 5)

    def uid(self) -> str:
        self._uids += 1
        return f"{self.rng.getrandbits(48):012x}-{self._uids}@tidewrack.example"

    def day(self, hours: Iterable[int] = range(7, 19)) -> datetime:
        quarter = self.rng.choice((0, 0, 0, 15, 30, 45))
        return GROUND + timedelta(
            days=self.rng.randrange(self.days), hours=self.rng.choice(list(hours)), minutes=quarter
        )

    def meeting(self) -> Made:
        """A meeting like any other: some have a place, some people, some notes, some none of them."""
        rng = self.rng
        number = rng.choice(("", "", f" {rng.randrange(1, self.titles)}"))
        title = f"{rng.choice(FIRST)} {rng.choice(THEN)}{number}"
        people = tuple(rng.sample([f"p{k}" for k in range(40)], rng.randrange(2, 6))) if rng.random() < 0.4 else ()
        notes = f"Bring the {rng.choice(FIRST).lower()} papers, {rng.randrange(999)}" if rng.random() < 0.4 else ""
        return Made(
            self.uid(),
            title,
            self.day(),
            rng.choice((30, 60, 90, 120)),
            place=rng.choice(PLACES),
            people=people,
            notes=notes,
        )

    def pair(self, kind: Alike, home: int, made: Made, elsewhere: int, other: Made) -> None:
        self.out.same(kind, self.out.put(home, made), self.out.put(elsewhere, other))

    def reworded(self, title: str) -> str:
        rng = self.rng
        ways: tuple[Callable[[str], str], ...] = (
            str.upper,
            lambda t: f"FW: {t}",
            lambda t: f"Re: FWD: {t}",
            lambda t: t.replace(" ", "  ") + "!",
            lambda t: t.replace("é", "e").lower(),
            self._slip,
            lambda t: f"Cancelled: {t}",
            lambda t: f"{t} (copy)",
        )
        return rng.choice(ways)(title)

    def noted(self, notes: str) -> tuple[str, ...]:
        """Notes as they come by another road: as they are, none, added to, cut short."""
        return (notes, "", f"Forwarded. {notes}" if notes else "", notes[: len(notes) // 2].rpartition(" ")[0])

    def _slip(self, title: str) -> str:
        """Two letters of a long word the wrong way round, or one too many."""
        parts = title.split(" ")
        at = self.rng.choice([k for k, part in enumerate(parts) if len(part) >= 6 and part.isalpha()] or [0])
        word = parts[at]
        cut = self.rng.randrange(2, max(3, len(word) - 1))
        parts[at] = word[:cut] + word[cut : cut + 1] * 2 + word[cut + 1 :]
        return " ".join(parts)

    def series(self, weeks: int) -> Made:
        made = self.meeting()
        rule = f"FREQ=WEEKLY;COUNT={weeks}"
        return replace(made, title=f"{made.title} {self.rng.choice(('circle', 'forum', 'round'))}", rule=rule)

    # ---- what is the same ----------------------------------------------------------------------------

    def doubled(self, each: int) -> None:
        rng = self.rng
        for _ in range(each):
            made = self.meeting()
            self.pair(Alike.IDENTICAL, BERTHS, made, COPY, made)
            made = self.meeting()
            # Copied by hand within a calendar, under another UID.
            self.pair(Alike.IDENTICAL, LABS, made, LABS, replace(made, uid=self.uid()))
            made = self.meeting()
            changed = rng.choice(
                (
                    replace(made, title=f"{made.title} (moved)"),
                    replace(made, place="Boat house"),
                    replace(made, start=made.start + timedelta(hours=2)),
                    replace(made, notes="New papers"),
                    replace(made, people=("p41",)),
                    replace(made, minutes=made.minutes + 30),
                )
            )
            self.pair(Alike.SAME_UID, BERTHS, made, COPY, changed)
            made = replace(self.meeting(), place=rng.choice(PLACES[:6]))
            other = replace(
                made, uid=self.uid(), title=self.reworded(made.title), notes=rng.choice(self.noted(made.notes))
            )
            other = replace(other, place=rng.choice((made.place, made.place.lower(), f"{made.place}, Skerrow", "")))
            if other.place == "" and not (other.people or other.notes == made.notes != ""):
                other = replace(other, place=made.place)
            self.pair(Alike.SAME_TIME, BERTHS, made, rng.choice((BERTHS, REWORDED)), other)
            made = replace(self.meeting(), place=rng.choice(PLACES[:6]))
            longer = replace(made, uid=self.uid(), minutes=made.minutes + rng.choice((15, 30, 60)))
            self.pair(Alike.OTHER_LENGTH, BERTHS, made, rng.choice((BERTHS, REWORDED)), longer)
            made = replace(self.meeting(), place=rng.choice(PLACES[:6]))
            self.pair(Alike.SHIFTED, LABS, made, WRONG_CLOCK, replace(made, uid=self.uid(), zone=ZONES[1]))
            made = self.meeting()
            self.pair(Alike.ECHO, BERTHS, made, FEED, replace(made, uid=self.uid(), notes="", people=()))
        for _ in range(max(12, each // 2)):
            made = self.meeting()
            later = made.start + timedelta(hours=self.ahead(made.start))
            self.pair(Alike.SHIFTED, LABS, made, MOVED_CLOCK, replace(made, uid=self.uid(), start=later))
            title = f"{rng.choice(FIRST)} voyage {rng.randrange(400)}"
            first = GROUND + timedelta(days=rng.randrange(self.days))
            whole = Made(self.uid(), title, first, days=rng.randrange(1, 9), place=rng.choice(PLACES))
            hours = replace(whole, uid=self.uid(), days=0, minutes=whole.days * 1440 - rng.choice((0, 1)))
            self.pair(Alike.SHIFTED, FIELD, whole, HOURS, hours)
            feast = Made(self.uid(), f"{rng.choice(FIRST)} day {rng.randrange(9000)}", first, days=1)
            early = replace(feast, uid=self.uid(), start=first - timedelta(days=1))
            self.pair(Alike.SHIFTED, FIELD, feast, EARLY, early)
        for _ in range(max(8, each // 6)):
            self._series(rng)

    def _series(self, rng: random.Random) -> None:
        out = self.out
        weeks = rng.randrange(8, 30)
        made = self.series(weeks)
        whole = out.put(TALKS, made)
        for k in range(weeks) if rng.random() < 0.6 else sorted(rng.sample(range(weeks), weeks // 2)):
            when = made.start + timedelta(weeks=k)
            out.same(Alike.PARTS, whole, out.put(SINGLES, replace(made, uid=self.uid(), rule="", start=when)))
        made = self.series(weeks)
        whole, cut = out.put(TALKS, made), weeks // 2
        for first, count in ((0, cut), (cut, weeks - cut)):
            when = made.start + timedelta(weeks=first)
            piece = replace(made, uid=self.uid(), start=when, rule=f"FREQ=WEEKLY;COUNT={count}")
            out.same(Alike.CUT, whole, out.put(PIECES, piece))
        for _ in range(3):
            made = self.series(weeks)
            slot = made.start + timedelta(weeks=rng.randrange(1, weeks))
            whole = out.put(TALKS, made)
            moved = slot + timedelta(hours=rng.choice((-2, 1, 3)))
            if rng.random() < 0.5:  # moved in the series; the original still stands elsewhere
                out.put(TALKS, replace(made, rule="", start=moved, rid=f"{slot:%Y%m%dT%H%M%S}"))
                other, kind = replace(made, uid=self.uid(), rule="", start=slot), Alike.CHANGED
            else:  # written as an event of its own, and the series knows nothing of it
                other, kind = replace(made, uid=f"{made.uid}_{slot:%Y%m%d}", rule="", start=moved), Alike.LOOSE
            out.same(kind, whole, out.put(CHANGES, other))

    def ahead(self, when: datetime) -> int:
        """How far Reykjavik is ahead of Halifax, by the rule of its summer time."""
        first, last = (datetime(when.year, 3, 8), datetime(when.year, 11, 1))
        begin, end = (day + timedelta(days=(6 - day.weekday()) % 7) for day in (first, last))
        return 3 if begin <= when < end else 4

    # ---- what only looks alike -----------------------------------------------------------------------

    def alike(self, each: int) -> None:
        out, rng = self.out, self.rng
        for k in range(each):
            made = replace(self.meeting(), place="Berth 1")
            out.put(BERTHS, made)  # the same hour, at another place
            out.put(rng.choice((BERTHS, LABS)), replace(made, uid=self.uid(), place="Berth 2"))
            made = replace(self.meeting(), people=("p1", "p2"))
            out.put(LABS, made)  # the same hour, with other people
            out.put(rng.choice((LABS, IDA)), replace(made, uid=self.uid(), people=("p7", "p8"), notes=""))
            made = replace(
                self.meeting(), place="Wet lab", notes=f"Booked by {NAMES[k % 7]}. Clean after use", people=()
            )
            out.put(LABS, made)  # one instrument, booked by two
            out.put(LABS, replace(made, uid=self.uid(), notes=f"Booked by {NAMES[(k + 3) % 7]}. Clean after use"))
            made = self.meeting()
            out.put(TALKS, made)  # two halves of one day
            out.put(TALKS, replace(made, uid=self.uid(), start=made.start + timedelta(hours=rng.choice((3, 4)))))
            made = self.meeting()
            out.put(LABS, replace(made, title=f"{made.title} at berth 3", place=""))
            out.put(LABS, replace(made, uid=self.uid(), title=f"{made.title} at berth 4", place=""))
            made = self.meeting()
            out.put(IDA, replace(made, uid=str(k)))  # a program that counts its UIDs from 0
            out.put(JON, replace(self.meeting(), uid=str(k)))
        for day in range(min(self.days, each * 6)):
            noon = GROUND + timedelta(days=day, hours=12)
            out.put(IDA, Made(self.uid(), "Lunch", noon))
            out.put(JON, Made(self.uid(), "Lunch", noon))
            for hour, part in ((8, "day"), (20, "night")):
                for name in rng.sample(NAMES, 2):
                    when = noon.replace(hour=hour)
                    out.put(ROTA, Made(self.uid(), f"Duty: {name} ({part})", when, 720, place="Watch room"))
            out.put(BERTHS, Made(self.uid(), "Handover", noon.replace(hour=8), 15))
            out.put(LABS, Made(self.uid(), "Handover", noon.replace(hour=12), 15))
        for _ in range(max(4, each // 10)):
            made = self.series(20)
            gone = made.start + timedelta(weeks=5)
            out.put(TALKS, replace(made, more=(f"EXDATE;TZID={made.zone}:{gone:%Y%m%dT%H%M%S}",)))
            out.put(TALKS, replace(made, uid=self.uid(), rule="", start=gone + timedelta(hours=2)))


def labelled(each: int, seed: int = 1) -> Labelled:
    """Calendars with `each` of most kinds of what is doubled, and rather more of what only looks it."""
    generator = Generator(seed, each)
    generator.doubled(each)
    generator.alike(each)
    return generator.out


def pairs_of(groups: Iterable[Group[int]]) -> dict[frozenset[int], tuple[Alike, float]]:
    """What groups say, pair by pair."""
    found: dict[frozenset[int], tuple[Alike, float]] = {}
    for group in groups:
        first, *rest = group.members
        pairs = ((first, one) for one in rest) if group.kind in CONTAINING else combinations(group.members, 2)
        found.update((frozenset(pair), (group.kind, group.score)) for pair in pairs)
    return found


def measured(truth: Truth, found: dict[frozenset[int], tuple[Alike, float]]) -> dict[str, tuple[float, float]]:
    """Precision and recall of each kind, and of all; a pair counts in its kind only where it was said to be of it."""
    result = {}
    for kind in Alike:
        said = {pair for pair, (was, _) in found.items() if was is kind}
        true = {pair for pair, was in truth.items() if was is kind}
        hit = len(said & true)
        result[kind.value] = (hit / max(1, len(said)), hit / max(1, len(true)))
    hit = len(truth.keys() & found.keys())
    result["all"] = (hit / max(1, len(found)), hit / max(1, len(truth)))
    return result
