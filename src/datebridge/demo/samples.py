"""What of the sample scenario is a file, and what lives on the servers before the move."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from datebridge.demo.damaged import damaged_log
from datebridge.demo.scenario import OFFICE, Scenario
from datebridge.demo.timing import COPY, PLAN, Watch


@dataclass(frozen=True, slots=True)
class SampleFile:
    """A file of the scenario, and the calendar it goes into when the demo starts.

    "": it waits for a decision; None: it has only been sent, and nobody has brought it in.
    """

    name: str
    content: bytes
    calendar: str | None


@dataclass(frozen=True, slots=True)
class SampleCalendar:
    """A calendar on the old or the new server."""

    server: str
    owner: str
    slug: str
    name: str
    colour: str
    content: bytes
    on: bool = True
    shared_with: str = ""


def sample_files(today: date, seed: int = 1926) -> list[SampleFile]:
    """What Skerrow's administrator imported as files, in that order; the tide table into the wrong calendar."""
    make, watch = Scenario(today, seed), Watch(today)
    return [
        SampleFile("old-lab-diary.ics", make.lab_diary(), "Old lab diary"),
        SampleFile("berths-export.ics", make.export(), "Berths, as exported"),
        SampleFile("tide-tables.ics", make.tides(), "Duty officer rota"),
        SampleFile("watch-plan.ics", watch.plan(), PLAN),
        SampleFile("watch-plan-partners.ics", watch.copy(), COPY),
        SampleFile("mooring-log-damaged.ics", damaged_log(today), ""),
        SampleFile("partner-office.ics", make.partners(), None),
    ]


def sample_calendars(today: date, seed: int = 1926) -> list[SampleCalendar]:
    """What lives on the servers before the move."""
    make = Scenario(today, seed)
    old, new = "tidewrack", "lantern"
    return [
        SampleCalendar(old, OFFICE, "rota", "Duty officer rota", "#8a6212", make.rota()),
        SampleCalendar(old, OFFICE, "berths", "Vessel berths", "#1f5f8b", make.berths()),
        SampleCalendar(old, OFFICE, "instruments", "Instrument bookings", "#5b4a8a", make.instruments()),
        SampleCalendar(old, OFFICE, "seminars", "Partner seminars", "#0b7a75", make.seminars()),
        SampleCalendar(old, OFFICE, "expeditions", "Expeditions", "#a3262c", make.expeditions()),
        SampleCalendar(old, OFFICE, "workshop", "Workshop", "#5d6770", make.workshop()),
        SampleCalendar(old, OFFICE, "mess-room", "Mess room", "#b26a00", make.mess_room(), on=False),
        SampleCalendar(old, "director", "notices", "Station notices", "#16684a", make.notices(), shared_with=OFFICE),
        SampleCalendar(new, OFFICE, "office", "Harbour office", "#1f5f8b", make.office()),
    ]
