"""The files of the sample scenario, made from a seed and anchored to a day. All of it is made up.

Skerrow is an island of its own invention; its clocks go by Atlantic/Reykjavik. On purpose there is one
of everything that goes wrong: a tide table that was imported into the duty rota, entries from years ago,
zones named in four ways, orphaned and endless series, a damaged file.
"""

from __future__ import annotations

import io
import random
from datetime import date, datetime, time, timedelta

from datebridge.core.text.reader import Reader
from datebridge.demo.exported import exported
from datebridge.demo.twice import partners_file
from datebridge.demo.untidy import UNTIDY
from datebridge.demo.writing import alarm, attendee, calendar, event, local, organizer

HOME = "Atlantic/Reykjavik"
PATH_HOME = "/tidewrack.example/20110401_1/Atlantic/Reykjavik"
HOBART = "Australia/Hobart"
HALIFAX = "America/Halifax"
ALIAS_HALIFAX = "Atlantic Standard Time"
OFFICERS = ("Ida Moe", "Tormod Vik", "Pála Strand", "Owen Hale", "Ruth Kittow", "Sefa Leiataua", "Jón Dal")
VESSELS = ("RV Kittiwake", "RV Long Ebb", "Launch Petrel", "Barge Dunlin")
#: The role account that owns what the station runs on.
OFFICE = "harbour-office"
LABORATORY = "lab-office"
#: Where mail went before the move; addresses there are dead once it is switched off.
OLD_DOMAIN = "tidewrack.example"
HOUR = timedelta(hours=1)
DAY = timedelta(days=1)


def _entries(content: bytes, uid: str) -> list[str]:
    """The texts of events whose UID begins so."""
    return [
        component.text
        for component in Reader(io.BytesIO(content))
        if component.name == "VEVENT" and uid in component.text
    ]


class Scenario:
    """Makes every calendar of the scenario, as the text of a file."""

    def __init__(self, today: date, seed: int) -> None:
        self.today = today
        self.random = random.Random(seed)
        self.years = (today.year - 9, today.year + 1)

    def _at(self, days: int, hour: int, minute: int = 0) -> datetime:
        return datetime.combine(self.today + timedelta(days=days), time(hour, minute))

    def rota(self) -> bytes:
        """Two shifts a day, two years back and half a year on; a weekly handover; zones with a vendor's path."""
        texts = []
        for day in range(-640, 180):
            for shift, hour in (("day", 8), ("night", 20)):
                officer = OFFICERS[(day * 2 + (shift == "night")) % len(OFFICERS)]
                extra = ["CATEGORIES:DUTY", "TRANSP:TRANSPARENT", f"X-TIDEWRACK-SHIFT:{shift.upper()}"]
                extra += alarm(60) if shift == "night" else []
                start = self._at(day, hour)
                texts.append(
                    event(
                        f"duty-{start:%Y%m%d}-{shift}",
                        f"Duty: {officer} ({shift})",
                        start,
                        12 * HOUR,
                        PATH_HOME,
                        extra=extra,
                    )
                )
        monday = -self.today.weekday() - 7 * 80
        handover = ["RRULE:FREQ=WEEKLY;BYDAY=MO", organizer("Harbour Office"), *(attendee(o) for o in OFFICERS)]
        texts.append(
            event("duty-handover", "Duty handover", self._at(monday, 8, 30), HOUR / 2, PATH_HOME, extra=handover)
        )
        return calendar("Duty officer rota", texts, {PATH_HOME: HOME}, self.years, ["X-TIDEWRACK-COLOUR-INDEX:4"])

    def tides(self) -> bytes:
        """Four tides a day for fifteen weeks: the file that went into the wrong calendar."""
        texts = []
        moment, height = self._at(-20, 2, 11), 3.4
        for number in range(436):
            high = number % 2 == 0
            height = round((3.1 if high else 0.7) + self.random.uniform(-0.4, 0.4), 1)
            texts.append(
                event(
                    f"tide-{number:04d}",
                    f"{'High' if high else 'Low'} water {height} m",
                    moment,
                    timedelta(),
                    utc=True,
                    extra=["LOCATION:Skerrow Sound", "CATEGORIES:TIDE", "TRANSP:TRANSPARENT"],
                )
            )
            moment += timedelta(hours=6, minutes=12 + self.random.randrange(3))
        return calendar("Tide tables, Skerrow Sound", texts, {}, self.years, ["REFRESH-INTERVAL;VALUE=DURATION:P1D"])

    def berths(self) -> bytes:
        texts = []
        for number in range(900):
            day = self.random.randrange(-1400, 240)
            vessel = self.random.choice(VESSELS)
            length = timedelta(hours=self.random.choice((4, 6, 10, 26, 50, 74)))
            extra = [
                f"LOCATION:Berth {self.random.randrange(1, 5)}",
                "CATEGORIES:BERTH",
                f"X-TIDEWRACK-TONNAGE:{number % 90}",
            ]
            extra += ["STATUS:TENTATIVE"] if number % 9 == 0 else ["STATUS:CONFIRMED"]
            extra += (
                ["ATTACH;FMTTYPE=application/pdf:https://papers.tidewrack.example/berth.pdf"]
                if number % 12 == 0
                else []
            )
            texts.append(
                event(
                    f"berth-{number:04d}",
                    f"{vessel} alongside",
                    self._at(day, 6 + number % 12),
                    length,
                    PATH_HOME,
                    extra=extra,
                )
            )
        crane = ["RRULE:FREQ=MONTHLY;BYDAY=1TU", "LOCATION:Berth 3"]
        texts.append(
            event("berth-crane", "Berth 3 crane check", self._at(-700, 14), 1.5 * HOUR, PATH_HOME, extra=crane)
        )
        return calendar("Vessel berths", texts, {PATH_HOME: HOME}, self.years)

    def export(self) -> bytes:
        """The berths once more, out of the old server into a file and not quite the same any more."""
        berths = Scenario(self.today, 1926).berths()
        return exported(berths, "Berths, as exported", self.today)

    def instruments(self) -> bytes:
        """Bookings by people from Halifax, whose program names zones by the CLDR alias, and from home."""
        things = ("CTD rosette", "Mass spectrometer", "Flume tank", "Sonar bench", "Cold room 2", "Drone kit")
        texts = []
        for number in range(1450):
            day = self.random.randrange(-1100, 150)
            zone = ALIAS_HALIFAX if number % 5 == 0 else HOME
            who = self.random.choice(OFFICERS)
            extra = [
                "LOCATION:Wet lab",
                f"DESCRIPTION:Booked by {who}.\\nClean after use\\; log the hours.",
                "CATEGORIES:LAB",
            ]
            if number % 3 == 0:
                extra += [
                    organizer("Lab Office"),
                    attendee(who),
                    attendee(self.random.choice(OFFICERS), "NEEDS-ACTION"),
                ]
            extra += ["CLASS:PRIVATE"] if number % 40 == 0 else []
            extra += alarm(15) if number % 4 == 0 else []
            texts.append(
                event(
                    f"lab-{number:04d}",
                    self.random.choice(things),
                    self._at(day, 7 + number % 10),
                    HOUR * (1 + number % 4),
                    zone,
                    extra=extra,
                )
            )
        safety = ["RRULE:FREQ=DAILY;INTERVAL=14", "CATEGORIES:LAB,SAFETY"]
        texts.append(event("lab-safety", "Eyewash test", self._at(-900, 9), HOUR / 4, HOME, extra=safety))
        return calendar("Instrument bookings", texts, {ALIAS_HALIFAX: HALIFAX}, self.years)

    def seminars(self) -> bytes:
        texts = []
        partners = (("Hobart", HOBART, 15), ("Reykjavík", HOME, 13), ("Halifax", HALIFAX, 10))
        topics = (
            "Kelp recovery",
            "Sea ice radar",
            "Krill counts",
            "Tidal mixing",
            "Plankton nets",
            "Harbour acoustics",
        )
        for number in range(210):
            place, zone, hour = partners[number % 3]
            day = -900 + number * 5
            people = [
                organizer("Seminar Office"),
                attendee("Ruth Kittow"),
                attendee("Guest Speaker", "TENTATIVE", OLD_DOMAIN),
            ]
            extra = [
                f"LOCATION:Seminar room\\, {place}",
                "CATEGORIES:SEMINAR",
                *people,
                "URL:https://talks.skerrow.example/",
            ]
            texts.append(
                event(
                    f"seminar-{number:03d}",
                    f"{topics[number % 6]} ({place})",
                    self._at(day, hour),
                    HOUR,
                    zone,
                    extra=extra,
                )
            )
        first = self._first_call()
        gone, moved = first + 21 * DAY, first + 42 * DAY
        rule = [
            "RRULE:FREQ=WEEKLY;INTERVAL=3;BYDAY=" + ("MO", "TU", "WE", "TH", "FR", "SA", "SU")[first.weekday()],
            f"EXDATE;TZID={HOBART}:{local(gone)}",
            organizer("Seminar Office"),
            attendee("Sefa Leiataua"),
        ]
        texts.append(event("seminar-hobart", "Station leaders' call", first, HOUR, HOBART, extra=rule))
        texts.append(
            event(
                "seminar-hobart",
                "Station leaders' call (later)",
                moved + 2 * HOUR,
                HOUR,
                HOBART,
                extra=[f"RECURRENCE-ID;TZID={HOBART}:{local(moved)}"],
            )
        )
        texts.append(
            event(
                "seminar-lost",
                "Alumni lecture (moved)",
                self._at(12, 17),
                HOUR,
                HALIFAX,
                extra=[f"RECURRENCE-ID;TZID={HALIFAX}:{local(self._at(11, 17))}"],
            )
        )
        zones = {HOBART: HOBART, HALIFAX: HALIFAX, HOME: HOME}
        return calendar("Partner seminars", texts, zones, self.years, ["COLOR:teal"])

    def partners(self) -> bytes:
        """What the partners' office has of all this."""
        make = Scenario(self.today, 1926)
        seminars, voyages = (
            _entries(content, kind)
            for content, kind in (
                (make.seminars(), "UID:seminar-0"),
                (make.expeditions(), "UID:expedition-"),
            )
        )
        return partners_file(seminars, voyages, self._first_call(), self._at(-900, 9), self.today)

    def _first_call(self) -> datetime:
        return self._at(-(self.today.weekday() - 1) % 7 - 364, 15)

    def expeditions(self) -> bytes:
        texts = []
        names = ("North Bank survey", "Seal Rocks census", "Deep mooring turn-round", "Ice edge transect")
        for number in range(44):
            start = self.today + timedelta(days=-1500 + number * 40)
            extra = ["CATEGORIES:EXPEDITION", "LOCATION:At sea", f"DESCRIPTION:Party of {6 + number % 9}."]
            extra += ["CLASS:CONFIDENTIAL"] if number % 7 == 0 else []
            texts.append(
                event(
                    f"expedition-{number:02d}", names[number % 4], start, timedelta(days=9 + number % 17), extra=extra
                )
            )
            briefing = datetime.combine(start - DAY, time(16))
            texts.append(
                event(
                    f"briefing-{number:02d}",
                    f"Briefing: {names[number % 4]}",
                    briefing,
                    HOUR,
                    "Skerrow station time",
                    extra=["LOCATION:Mess room"],
                )
            )
        return calendar("Expeditions", texts, {}, self.years)

    def port_calls(self) -> bytes:
        ships = ("MV Auk Trader", "MV Brine Lass", "MV Cold Harbour", "Ferry Skerrow Maid")
        texts = [
            event(
                f"call-{number:04d}",
                f"{ships[number % 4]} calls",
                self._at(-500 + number, 5 + number % 14),
                3 * HOUR,
                utc=True,
                extra=["LOCATION:Breakwater quay", "CATEGORIES:PORT", f"SEQUENCE:{number % 3}"],
            )
            for number in range(640)
        ]
        return calendar("Port calls, Breakwater", texts, {}, self.years, ["X-PUBLISHED-TTL:PT6H"])

    def holidays(self) -> bytes:
        days = (
            ("Lamp Day", 1, 6),
            ("First Herring", 3, 14),
            ("Founders' Day", 5, 2),
            ("Longest Light", 6, 21),
            ("Regatta", 8, 9),
            ("Storm Sunday", 10, 18),
            ("Lantern Night", 12, 13),
        )
        texts = [
            event(
                f"holiday-{month:02d}{day:02d}",
                name,
                date(self.today.year - 6, month, day),
                DAY,
                extra=["RRULE:FREQ=YEARLY", "CATEGORIES:HOLIDAY", "TRANSP:TRANSPARENT"],
            )
            for name, month, day in days
        ]
        return calendar("Island holidays", texts, {}, self.years)

    def ferry(self) -> bytes:
        texts = [
            event(
                f"ferry-{number:03d}",
                "Ferry Skerrow Maid",
                self._at(number - 10, 7 + 9 * (number % 2)),
                1.5 * HOUR,
                HOME,
                extra=["LOCATION:Skerrow – Breakwater", "CATEGORIES:FERRY"],
            )
            for number in range(60)
        ]
        return calendar("Ferry times", texts, {HOME: HOME}, self.years, ["REFRESH-INTERVAL;VALUE=DURATION:PT12H"])

    def neighbours(self, country: str, days: tuple[tuple[str, int, int], ...]) -> bytes:
        """Holidays of a country that is as made up as Skerrow."""
        slug = country.lower()
        texts = [
            event(
                f"{slug}-{month:02d}{day:02d}",
                name,
                date(self.today.year - 3, month, day),
                DAY,
                extra=["RRULE:FREQ=YEARLY", "CATEGORIES:HOLIDAY", "TRANSP:TRANSPARENT"],
            )
            for name, month, day in days
        ]
        return calendar(f"Holidays of {country}", texts, {}, self.years, ["REFRESH-INTERVAL;VALUE=DURATION:P7D"])

    def mess_room(self) -> bytes:
        dishes = ("Fish pie", "Kelp soup", "Mutton stew", "Pancakes", "Herring", "Leftovers")
        texts = [
            event(f"mess-{number:03d}", f"{dishes[number % 6]} at noon", self._at(number - 60, 12), HOUR, PATH_HOME)
            for number in range(120)
        ]
        return calendar("Mess room", texts, {PATH_HOME: HOME}, self.years)

    def notices(self) -> bytes:
        titles = ("Generator test", "Drinking water off", "Fire drill", "Store room closed", "Visitors on the pier")
        texts = [
            event(
                f"notice-{number:02d}",
                titles[number % 5],
                self._at(number * 4 - 40, 10),
                2 * HOUR,
                HOME,
                extra=["CATEGORIES:NOTICE"],
            )
            for number in range(30)
        ]
        return calendar("Station notices", texts, {HOME: HOME}, self.years)

    def office(self) -> bytes:
        texts = [
            event(
                f"office-{number:02d}",
                f"Lantern training, part {number + 1}",
                self._at(number * 3 - 6, 13),
                HOUR,
                HOME,
                extra=["LOCATION:Chart room"],
            )
            for number in range(12)
        ]
        return calendar("Harbour office", texts, {HOME: HOME}, self.years)

    def lab_diary(self) -> bytes:
        """What nobody needs any more: entries of years ago, in floating time, some of them twice."""
        jobs = ("Titration run", "Filter change", "Salinity round", "Buoy battery", "Sample freezer", "Glassware order")
        texts = []
        for number in range(980):
            day = -3200 + number * 2
            extra = ["CATEGORIES:DIARY" if number % 150 else "CATEGORIES:Diary ", *UNTIDY.get(number, ())]
            title = jobs[number % 6].replace("Buoy", "BÃ³ya") if number in (399, 405) else jobs[number % 6]
            text = event(f"diary-{number:04d}", title, self._at(day, 8 + number % 8), HOUR, extra=extra)
            texts.append(text)
            if number % 98 == 0:
                texts.append(text.replace(f"diary-{number:04d}", f"diary-copy-{number:04d}"))
        return calendar("Old lab diary", texts, {}, self.years)

    def workshop(self) -> bytes:
        texts = []
        for number in range(60):
            extra = ["STATUS:COMPLETED" if number % 2 else "STATUS:NEEDS-ACTION", f"PRIORITY:{1 + number % 9}"]
            day = -200 + number * 5
            texts.append(
                event(
                    f"todo-{number:02d}",
                    f"Service winch {1 + number % 4}",
                    self._at(day, 10),
                    2 * HOUR,
                    HOME,
                    extra=extra,
                    component="VTODO",
                )
            )
        for number in range(20):
            stamp = local(self._at(-number * 9, 18))
            texts.append(
                f"BEGIN:VJOURNAL\nUID:log-{number:02d}@skerrow.example\nDTSTAMP:{stamp}Z\nDTSTART:{stamp}Z\n"
                f"SUMMARY:Workshop log {number}\nDESCRIPTION:Quiet day\\, two bearings replaced.\nEND:VJOURNAL"
            )
        return calendar("Workshop", texts, {HOME: HOME}, self.years)
