"""Zones, series and reconciling through the store: what the desks find in the sample files is what was put there."""

from __future__ import annotations

from collections import Counter
from datetime import date, timedelta
from typing import Any

import icalendar
import pytest

from datebridge.core.ids import CalendarId, SetId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.moments import wall_seconds_of
from datebridge.core.zones.meaning import BY_DEFINITION
from datebridge.demo import timing
from datebridge.demo.timing import COPY, HALIFAX, HOBART, HOME, PLAN, Watch
from datebridge.services.exports import export
from datebridge.services.jobs import jobs
from datebridge.services.mend import recipes, reconcile, series, zones
from datebridge.services.mend.affected import affected
from datebridge.services.running import maintenance, worker
from datebridge.store import comparisons, findings, scattered
from datebridge.store.changesets.apply import apply
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.comparisons import PairFilter
from datebridge.store.entries.ledger import EntryRow
from tests.conftest import Bench, calendar, event, prepared

TODAY = date(2026, 11, 27)
LOW, HIGH = (wall_seconds_of(TODAY + timedelta(days=n)) for n in (-365, 365))


@prepared
def watch(bench: Bench) -> None:
    """The plan and the partners' copy of it, brought in."""
    made = Watch(TODAY)
    bench.bring(made.plan(), PLAN)
    bench.bring(made.copy(), COPY)
    maintenance.queue_maintenance(bench.store)
    worker.drain(bench.store, bench.settings)


def done(bench: Bench, job_kind: str, **params: Any) -> dict[str, Any]:
    """Do a job; what it came to."""
    job = jobs.enqueue(bench.store, JobKind(job_kind), job_kind, params)
    worker.drain(bench.store, bench.settings)
    found = jobs.get(bench.store, job)
    assert found is not None
    assert found.state == "done", found.message
    return dict(found.result)


def applied(bench: Bench, set_id: int) -> SetId:
    apply(bench.store, SetId(set_id))
    maintenance.queue_maintenance(bench.store)
    worker.drain(bench.store, bench.settings)
    return SetId(set_id)


def by_number(watch: Bench) -> list[EntryRow]:
    return sorted(watch.entries(), key=lambda row: row.id)


def calendars(bench: Bench) -> tuple[CalendarId, CalendarId]:
    return bench.calendar(PLAN).id, bench.calendar(COPY).id


def checked(bench: Bench, calendar: CalendarId) -> Counter[str]:
    with bench.store.read() as connection:
        return Counter(findings.of_all(connection, calendar))


# ---- zones ------------------------------------------------------------------------------------------------


def test_every_zone_name_is_understood_as_it_was_meant(watch: Bench) -> None:
    plan, _ = calendars(watch)
    known = {}
    for one in zones.names(watch.store):
        if plan in {use.calendar for use in one.uses}:
            said = one.understood
            state = "floating" if not one.tzid else "contradicts" if said.contradicts else "fine"
            known[one.tzid] = ("unknown" if one.tzid and not said.zone else state, said.zone)
    assert {name: known[name] for name in timing.ZONE_ANSWERS} == timing.ZONE_ANSWERS
    assert set(known) - set(timing.ZONE_ANSWERS) == {HOBART, HALIFAX, HOME}
    assert [one.others for one in zones.names(watch.store) if one.tzid == "Partner time"] == [1, 1]


def test_a_ruling_is_read_by_at_once_and_later_and_taken_back(watch: Bench) -> None:
    def local() -> list[tuple[str, int | None]]:
        return [(row.zone, row.start) for row in by_number(watch) if row.tzid == "Skerrow local"]

    before = local()
    zones.decide(watch.store, "Skerrow local", HOME, None)
    worker.drain(watch.store, watch.settings)
    assert {zone for zone, _ in local()} == {HOME}
    assert checked(watch, calendars(watch)[0])["unresolved-zone"] == 4  # the four of AST
    late = Watch(TODAY + timedelta(days=7)).zones()[0].replace("slip-0", "late")
    watch.bring(f"BEGIN:VCALENDAR\n{late}\nEND:VCALENDAR", "Later")
    assert [row.zone for row in watch.entries() if row.uid.startswith("late")] == [HOME]
    [ruling] = zones.standing(watch.store)
    zones.take_back(watch.store, ruling.id)
    worker.drain(watch.store, watch.settings)
    assert local()[:6] == before
    assert [row.zone for row in watch.entries() if row.uid.startswith("late")] == [""]


def test_what_leaves_carries_what_was_ruled(watch: Bench) -> None:
    chosen = Selection('what:"Slipway turn"')

    def defined() -> dict[str, str]:
        data = b"".join(export.write(watch.store, watch.ledger, chosen, None, "ics", ""))
        return {str(z["TZID"]): z.to_ical().decode() for z in icalendar.Calendar.from_ical(data).walk("VTIMEZONE")}

    assert "Skerrow local" not in defined()
    zones.decide(watch.store, "Skerrow local", HOBART, None)
    worker.drain(watch.store, watch.settings)
    assert "TZOFFSETTO:+1100" in defined()["Skerrow local"]


def test_a_ruling_for_one_calendar_leaves_the_other(watch: Bench) -> None:
    _, copy = calendars(watch)
    zones.decide(watch.store, "Partner time", HOME, copy)
    worker.drain(watch.store, watch.settings)
    found = {(row.calendar_id == copy, row.zone) for row in watch.entries() if row.tzid == "Partner time"}
    assert found == {(False, ""), (True, HOME)}


def test_the_definition_counts_where_that_is_ruled(watch: Bench) -> None:
    def starts() -> list[int]:
        return [row.start or 0 for row in by_number(watch) if row.tzid == "America/Moncton"]

    before = starts()
    rows, same = zones.readings(watch.store, "America/Moncton", [calendars(watch)[0]])
    assert (len(rows), same, {one.by_definition - one.by_name for one in rows}) == (3, 0, {3600})
    zones.decide(watch.store, "America/Moncton", BY_DEFINITION, None)
    worker.drain(watch.store, watch.settings)
    assert [after - was for was, after in zip(before, starts(), strict=True)] == [3600] * 3
    with pytest.raises(zones.CannotRule):
        zones.decide(watch.store, "Skerrow local", BY_DEFINITION, None)


def test_what_is_off_in_winter_only_is_found_by_itself_and_mended(watch: Bench) -> None:
    done(watch, "seasons")
    with watch.store.read() as connection:
        [off] = comparisons.off_for_part(connection)
    title, wrong = timing.OFF_IN_WINTER
    assert (off.pair.title, off.pair.misreading.split("\n")) == (title, [HALIFAX, wrong])
    assert off.pair.same > 20
    step = {"do": "clock", "zone": HALIFAX, "keep": "clock", "of": wrong, "otherwise": "leave"}
    params = {"filter": f'what:"{title}" zone:{wrong}', "excluded": [], "only": None, "steps": [step], "name": ""}
    assert recipes.read_steps(params["steps"])
    made = done(watch, "bulk", **params)
    told = affected(watch.store, SetId(made["set_id"]))
    assert told.moved > 20
    assert {row.one.moved_by for row in told.rows} == {3600}
    assert (told.gone, told.new, told.clock_change) == (0, 0, 0)
    applied(watch, made["set_id"])
    done(watch, "seasons")
    with watch.store.read() as connection:
        assert comparisons.off_for_part(connection) == []


# ---- series -----------------------------------------------------------------------------------------------


def test_what_is_wrong_with_series_is_what_was_put_there(watch: Bench) -> None:
    plan, copy = calendars(watch)
    found = checked(watch, plan)
    assert {code: found[code] for code in timing.SERIES_ANSWERS} == timing.SERIES_ANSWERS
    assert not set(checked(watch, copy)) & set(timing.SERIES_ANSWERS)


@pytest.mark.parametrize(
    "code", [code for code in timing.SERIES_ANSWERS if code not in ("override-without-master", "series-in-pieces")]
)
def test_each_is_put_right_and_taken_back(watch: Bench, code: str) -> None:
    plan, _ = calendars(watch)
    before = watch.texts()
    batch = applied(watch, done(watch, "fix", code=code)["set_id"])
    left = checked(watch, plan)
    assert left[code] == 0
    assert left + Counter({code: 1}) == checked_before(watch, plan, left, code)
    apply(watch.store, propose_undo(watch.store, batch))
    assert sorted(watch.texts()) == sorted(before)


def checked_before(bench: Bench, plan: CalendarId, left: Counter[str], code: str) -> Counter[str]:
    """What there was: putting one thing right brings nothing else."""
    return Counter(
        {
            **{name: n for name, n in timing.SERIES_ANSWERS.items() if name in left or name == code},
            **{name: n for name, n in left.items() if name not in timing.SERIES_ANSWERS},
        }
    )


def test_what_is_scattered_is_found_and_put_together(watch: Bench) -> None:
    done(watch, "scattered")
    with watch.store.read() as connection:
        found = scattered.page(connection, None, 0, None)[1]
    assert Counter(one.kind for one in found) == timing.SCATTERED_ANSWERS
    assert watch.titles().count("Kelp seminar") == 19
    ids = [one.id for one in found if one.kind != "endless"]
    made = done(watch, "combine", ids=ids, kind="inferred", least=0)
    told = affected(watch.store, SetId(made["set_id"]))
    # The original of the occurrence that has its change again stood beside it.
    assert (told.moved, told.gone, told.new) == (0, 1, 0)
    batch = applied(watch, made["set_id"])
    kelp = [row for row in watch.entries() if row.summary == "Kelp seminar"]
    assert sorted((row.recurrence_id != "", row.repeats) for row in kelp) == [
        (False, "every Monday, 20 times"),
        (True, ""),
    ]
    assert watch.titles().count("Crane rota") == 1
    left = checked(watch, calendars(watch)[0])
    assert (left["series-in-pieces"], left["override-without-master"]) == (0, 1)
    apply(watch.store, propose_undo(watch.store, batch))
    assert watch.titles().count("Kelp seminar") == 19


def test_a_forgotten_series_is_ended_and_what_happened_stays(watch: Bench) -> None:
    done(watch, "scattered")
    made = done(watch, "combine", ids=[], kind="endless", least=0)
    told = affected(watch.store, SetId(made["set_id"]))
    assert (told.moved, told.new, told.gone > 100, told.same > 200) == (0, 0, True, True)
    applied(watch, made["set_id"])
    (ended,) = (row for row in watch.entries() if row.summary.startswith("Dredging"))
    assert "until" in ended.repeats


def test_one_entry_is_put_right_alone(watch: Bench) -> None:
    with watch.store.read() as connection:
        (found,) = findings.entries_with(connection, "exdate-misses")
    made = done(watch, "fix", code="exdate-misses", entry=found)
    assert affected(watch.store, SetId(made["set_id"])).gone == 1
    with pytest.raises(AssertionError, match="fixed automatically"):
        done(watch, "fix", code="exdate-misses", entry=0)


def test_days_that_became_hours_are_days_again(watch: Bench) -> None:
    step = {"do": "days-again", "zone": HOBART, "of": "UTC"}
    params = {"filter": 'what:"Hobart open day"', "excluded": [], "only": None, "steps": [step], "name": ""}
    applied(watch, done(watch, "bulk", **params)["set_id"])
    days = [row for row in watch.entries("allday:yes") if row.summary == "Hobart open day"]
    assert [(row.end_wall or 0) - (row.start_wall or 0) for row in days] == [86_400] * 3


@pytest.mark.parametrize(
    ("how", "day", "entries"), [("split", "2026-12-01", 2), ("end", "2026-12-01", 1), ("explode", "", 40)]
)
def test_a_series_is_given_another_shape(watch: Bench, how: series.Shape, day: str, entries: int) -> None:
    master = next(row.id for row in watch.entries("repeats:yes") if row.summary == "Signal practice")
    set_id = series.shape(watch.store, master, how, day)
    told = affected(watch.store, set_id)
    assert (told.moved, told.new, told.gone > 0) == (0, 0, how == "end")
    applied(watch, set_id)
    own = [row for row in watch.entries("override:no") if row.summary == "Signal practice"]
    assert len(own) == entries


def test_a_shape_that_cannot_be_is_refused(watch: Bench) -> None:
    endless = next(row.id for row in watch.entries() if row.summary.startswith("Dredging"))
    for how, day, why in (
        ("explode", "", "without end"),
        ("end", "2019-01-01", "starts after"),
        ("split", "soon", "not a date"),
    ):
        with pytest.raises(series.CannotShape, match=why):
            series.shape(watch.store, endless, how, day)  # type: ignore[arg-type]


# ---- reconciled -------------------------------------------------------------------------------------------


def compared(bench: Bench) -> int:
    plan, copy = calendars(bench)
    return int(done(bench, "compare", left=plan, right=copy, low=LOW, high=HIGH)["comparison"])


def test_two_calendars_are_made_the_same(watch: Bench) -> None:
    number = compared(watch)
    with watch.store.read() as connection:
        told = comparisons.tallies(connection, number)
        _, fields = comparisons.page(connection, number, PairFilter("fields"), 0, 10)
    assert {"missing", "extra", "season", "fields", "uid"} <= set(told.verdicts)
    assert [(one.title, one.fields) for one in fields] == [("Round 6", "title")]
    plan, copy = calendars(watch)
    before = watch.texts()
    batches = []
    for verdict, to in (
        ("season", "right"),
        ("fields", "right"),
        ("uid", "right"),
        ("moved", "right"),
        ("extra", "left"),
        ("missing", "right"),
    ):
        number = compared(watch)
        made = done(watch, "adjust", comparison=number, to=to, asked=[verdict, "", ""], pairs=[])
        batches.append(applied(watch, made["set_id"]))
    number = compared(watch)
    with watch.store.read() as connection:
        assert comparisons.page(connection, number, PairFilter(), 0, 10)[1] == []
    for batch in reversed(batches):
        apply(watch.store, propose_undo(watch.store, batch))
    assert sorted(watch.texts()) == sorted(before)
    assert plan != copy


def test_a_pair_is_shown_occurrence_by_occurrence(watch: Bench) -> None:
    number = compared(watch)
    with watch.store.read() as connection:
        _, [season] = comparisons.page(connection, number, PairFilter("season"), 0, 10)
    told = reconcile.occurrences_of(watch.store, season.id)
    assert told is not None
    assert (len(told.differences), told.same) == (season.changed, season.same)
    assert told.zones == (HALIFAX, "Etc/GMT+3")


def test_definitions_go_along_where_entries_go(watch: Bench) -> None:
    _, copy = calendars(watch)
    number = compared(watch)
    made = done(watch, "adjust", comparison=number, to="right", asked=["missing", "", ""], pairs=[])
    applied(watch, made["set_id"])
    assert {"America/Moncton", "Partner time"} <= watch.defined(copy).keys()


def test_one_uid_that_stands_twice_is_made_one_and_what_is_only_cut_differently_is_left(bench: Bench) -> None:
    daily = ("DTSTART:20261201T080000Z", "DURATION:PT1H")
    whole = event("whole", "Watch", daily[0][8:], daily[1], "RRULE:FREQ=DAILY;COUNT=4")
    pieces = [
        event(f"piece-{k}", "Watch", f"202612{k:02}T080000Z", daily[1], "RRULE:FREQ=DAILY;COUNT=2") for k in (1, 3)
    ]
    once = event("once", "Launch", "20261203T120000Z", daily[1])
    bench.bring(calendar(whole, once), "Plan")
    bench.bring(calendar(*pieces, once.replace("Launch", "Lunch"), once.replace("Launch", "Late")), "Copy")
    plan, copy = (bench.calendar(name).id for name in ("Plan", "Copy"))
    asked = {"left": plan, "right": copy, "low": LOW, "high": HIGH}
    number = int(done(bench, "compare", **asked)["comparison"])
    with bench.store.read() as connection:
        assert comparisons.tallies(connection, number).verdicts["recut"] == 1
    made = done(bench, "adjust", comparison=number, to="right", asked=["", "", ""], pairs=[])
    assert "1 pair is only cut differently" in bench.set(made["set_id"]).reason
    applied(bench, made["set_id"])
    assert sorted(row.uid for row in bench.entries("calendar:Copy")) == ["once", "piece-1", "piece-3"]
    number = int(done(bench, "compare", **asked)["comparison"])
    with bench.store.read() as connection:
        assert set(comparisons.tallies(connection, number).verdicts) == {"recut"}
