"""The command line: shapes, exit codes, and a worker process that does the reading."""

from __future__ import annotations

import csv
import io
import json
import sqlite3
import subprocess
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from datetime import date
from pathlib import Path

import icalendar
import pytest
from cryptography.fernet import Fernet

from datebridge.clock import this_day
from datebridge.demo.damaged import damaged_log
from datebridge.demo.timing import HOBART, SERIES_ANSWERS, Watch
from datebridge.services.accounts.secrets import seal
from datebridge.standins.faults import Fault
from tests.conftest import Bench, calendar, event
from tests.running import application
from tests.running import command as run
from tests.world import OFFICE, PASSWORD, World, berth

STAMP = "DTSTAMP:20261101T000000Z"


@pytest.fixture
def good(tmp_path: Path) -> Path:
    path = tmp_path / "good.ics"
    path.write_text(
        calendar(event("a", "Höfn", "20261124T080000Z", STAMP), event("b", "=x", "20261125", "X-ODD:1", STAMP)), "utf-8"
    )
    return path


def test_inspect_tells_what_is_inside(good: Path, tmp_path: Path) -> None:
    bad = tmp_path / "bad.ics"
    bad.write_bytes(damaged_log(date(2026, 11, 24)))
    assert run("inspect", good).returncode == 0
    done = run("inspect", good, bad, "--json")
    assert done.returncode == 1
    first, second = json.loads(done.stdout)["files"]
    assert set(first) == {
        "path",
        "bytes",
        "calendars",
        "events",
        "series",
        "overrides",
        "todos",
        "journals",
        "first",
        "last",
        "zones",
        "problems",
    }
    assert (first["events"], first["problems"], first["first"]) == (2, [], "2026-11-24")
    assert set(second["problems"][0]) == {"line", "severity", "code", "message", "uid"}
    assert {"bad-date", "no-uid", "two-masters", "crossed-end", "encoding", "truncated"} <= {
        p["code"] for p in second["problems"]
    }


def test_expand_tells_when_things_happen(tmp_path: Path) -> None:
    path = tmp_path / "calls.ics"
    path.write_text(
        calendar(
            event(
                "a",
                "Call",
                "TZID=Australia/Hobart:20270403T150000",
                "DTEND;TZID=Australia/Hobart:20270403T160000",
                "RRULE:FREQ=DAILY;COUNT=3",
            ),
            event(
                "a",
                "Late call",
                "TZID=Australia/Hobart:20270405T170000",
                "RECURRENCE-ID;TZID=Australia/Hobart:20270405T150000",
            ),
            event("b", "Regatta", "VALUE=DATE:20270404"),
            event("c", "Lamp", "20270404T120000"),
        ),
        "utf-8",
    )
    span = ("--from", "2027-04-03", "--to", "2027-04-06", "--zone", "America/Halifax")
    done = run("expand", path, *span, "--json")
    found = json.loads(done.stdout)["occurrences"]
    assert set(found[0]) == {"uid", "recurrence_id", "summary", "start", "end", "all_day"}
    assert [(one["summary"], one["start"], one["end"]) for one in found] == [
        ("Call", "2027-04-03T01:00:00-03:00", "2027-04-03T02:00:00-03:00"),
        ("Regatta", "2027-04-04", "2027-04-05"),
        ("Call", "2027-04-04T02:00:00-03:00", "2027-04-04T03:00:00-03:00"),
        ("Lamp", "2027-04-04T12:00:00", "2027-04-04T12:00:00"),
        ("Late call", "2027-04-05T04:00:00-03:00", "2027-04-05T04:00:00-03:00"),
    ]
    assert found[4]["recurrence_id"] == "2027-04-05T02:00:00-03:00"
    assert found[1]["recurrence_id"] is None
    assert "4 occurrences" in run("expand", path, "--from", "2027-04-04", "--to", "2027-04-06").stdout
    for wrong in (("--from", "2027-04-04", "--to", "2027-04-03"), (*span[:4], "--zone", "Skerrow/Nowhere")):
        assert run("expand", path, *wrong).returncode == 2


def test_brackets_in_a_file_are_text_and_not_markup(tmp_path: Path) -> None:
    path = tmp_path / "[odd].ics"
    path.write_text(calendar("BEGIN:VEVENT\nUID:a\nDTSTART;TZID=[/red]:20261124T080000\n[/bold] broken\nEND:VEVENT"))
    done = run("inspect", path)
    assert (done.returncode, done.stderr) == (1, "")
    assert "[/bold] broken" in " ".join(done.stdout.split())


def test_what_cannot_be_done_is_said_with_exit_code_2(tmp_path: Path, good: Path) -> None:
    for arguments in (
        ["inspect", tmp_path / "missing.ics"],
        ["convert", good, tmp_path / "out.doc"],
        ["convert", good, tmp_path / "out.csv", "--zone", "Moon/Base"],
        ["reindex", "--data", tmp_path / "nowhere"],
    ):
        done = run(*arguments)
        assert done.returncode == 2, arguments
        assert done.stderr.strip()
        assert "Traceback" not in done.stderr


def test_check_tells_what_is_wrong_and_what_can_be_put_right(good: Path, tmp_path: Path) -> None:
    assert run("check", good).returncode == 0
    bad = tmp_path / "bad.ics"
    moved = event(
        "s",
        "Moved",
        "20261201T090000Z",
        "RECURRENCE-ID:20261201T080000Z",
        "DTEND:20261201T100000Z",
        "DURATION:PT1H",
        STAMP,
    )
    bad.write_text(calendar(event("s", "S", "20261124T080000Z", "RRULE:FREQ=WEEKLY;COUNT=3", STAMP), moved), "utf-8")
    done = run("check", bad, "--json")
    assert done.returncode == 1
    (found,) = json.loads(done.stdout)["findings"]
    assert (found["check"], found["uid"], found["recurrence_id"]) == ("duration-and-end", "s", "20261201T080000Z")
    assert (found["severity"], found["fixable"], found["file"]) == ("alters", True, str(bad))
    assert "1 finding" in run("check", bad).stdout


def test_duplicates_are_told_within_and_across_files(good: Path, tmp_path: Path) -> None:
    other = tmp_path / "other.ics"
    other.write_text(calendar(event("a", "Höfn", "20261124T080000Z", STAMP), event("c", "Bauja", "20261126")), "utf-8")
    assert run("duplicates", good).returncode == 0
    done = run("duplicates", good, other, "--json")
    assert done.returncode == 1
    (group,) = json.loads(done.stdout)["groups"]
    assert set(group) == {"kind", "score", "reasons", "members"}
    assert group["members"] == [{"file": str(path), "uid": "a", "recurrence_id": ""} for path in (good, other)]
    assert "1 group" in run("duplicates", good, other).stdout


def test_zones_series_and_compare_tell_of_files_what_the_desks_do(tmp_path: Path) -> None:
    plan, copy = tmp_path / "plan.ics", tmp_path / "copy.ics"
    made = Watch(date(2026, 11, 27))
    plan.write_bytes(made.plan())
    copy.write_bytes(made.copy())
    done = run("zones", plan, "--json")
    assert done.returncode == 1
    zones = {one["tzid"]: one for one in json.loads(done.stdout)["zones"]}
    assert zones["America/Moncton"]["contradicts"] == "says Moncton, behaves like New York"
    assert (zones["(UTC+10:00) Hobart"]["zone"], zones["(UTC+10:00) Hobart"]["method"]) == (HOBART, "display")
    assert [one["zones"] for one in zones["AST"]["candidates"]] == [["America/Halifax"], ["America/Puerto_Rico"]]
    assert (zones["AST"]["events"], zones["Skerrow local"]["confidence"] < 0.5) == (4, True)
    done = run("series", plan, "--json")
    assert done.returncode == 1
    told = json.loads(done.stdout)
    found = Counter(finding["check"] for one in told["series"] for finding in one["findings"])
    assert found == SERIES_ANSWERS
    (seminar,) = told["inferred"]
    assert (len(seminar["uids"]), seminar["rule"]) == (19, "FREQ=WEEKLY;BYDAY=MO;COUNT=20")
    assert "Kelp seminar" in run("series", plan).stdout
    done = run("compare", plan, copy, "--from", "2026-06-01", "--to", "2027-06-01", "--json")
    assert done.returncode == 1
    told = json.loads(done.stdout)
    changed = [one for one in told["differences"] if one["uid"].startswith("plankton")]
    assert {(one["verdict"], one["moved_by"]) for one in changed} == {("changed", -3600)}
    assert changed[0]["recurrence_id"] == changed[0]["left"]["start"]
    assert told["summary"]["same"] > 20
    assert {one["fields"][0] for one in told["differences"] if one["fields"]} == {"title"}
    assert run("compare", plan, plan).returncode == 0
    assert "818 missing, 3 extra" in run("compare", plan, copy).stdout


def test_convert_goes_to_each_format_and_back(good: Path, tmp_path: Path) -> None:
    jcal, again, sheet = (tmp_path / name for name in ("out.json", "again.ics", "out.csv"))
    assert run("convert", good, jcal).returncode == 0
    assert json.loads(jcal.read_text())[0] == "vcalendar"
    assert run("convert", jcal, again).returncode == 0
    assert [str(e["SUMMARY"]) for e in icalendar.Calendar.from_ical(again.read_bytes()).walk("VEVENT")] == [
        "Höfn",
        "=x",
    ]
    assert run("convert", good, sheet).returncode == 0
    assert [r["title"] for r in csv.DictReader(io.StringIO(sheet.read_text("utf-8-sig")))] == ["Höfn", "'=x"]


def test_convert_to_the_same_format_keeps_every_entry_and_adds_zone_definitions(tmp_path: Path) -> None:
    source, target = tmp_path / "in.ics", tmp_path / "out.ics"
    source.write_text(calendar(event("a", "x", "TZID=Australia/Hobart:20261124T080000", "X-ODD;P=1:kept", STAMP)))
    assert run("convert", source, target).returncode == 1  # the missing definition is a problem
    text = target.read_text()
    assert "TZID:Australia/Hobart" in text
    assert "X-ODD;P=1:kept" in text
    assert run("inspect", target).returncode == 0


def test_clean_writes_files_as_a_recipe_makes_them(good: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "later.recipe.json"
    steps = [{"do": "shift", "minutes": 60}, {"do": "categories", "mode": "add", "values": ["Moved"]}]
    recipe.write_text(json.dumps({"format": "date-bridge recipe 1", "name": "Later", "steps": steps}))
    before = good.read_bytes()
    done = run("clean", recipe, good, "--out", tmp_path / "out", "--json")
    assert done.returncode == 1, done.stderr
    (file,) = json.loads(done.stdout)["files"]
    why = "1 h later: It is all-day; hours and minutes do not apply."
    assert file == {
        "path": str(good),
        "out": str(tmp_path / "out" / "good.ics"),
        "changed": 2,
        "deleted": 0,
        "kept": 0,
        "not_changed": [{"uid": "b", "why": why}],
    }
    assert good.read_bytes() == before
    cleaned = (tmp_path / "out" / "good.ics").read_text("utf-8")
    assert "DTSTART:20261124T090000Z" in cleaned
    assert "X-ODD:1" in cleaned
    assert cleaned.count("CATEGORIES:Moved") == 2
    assert run("clean", recipe, good).returncode == 1
    assert (tmp_path / "good.clean.ics").is_file()
    recipe.write_text("{}")
    refused = run("clean", recipe, good)
    assert (refused.returncode, "later.recipe.json: it does not say that it is a recipe" in refused.stderr) == (2, True)


# ---- accounts ---------------------------------------------------------------------------------------


@pytest.fixture
def reached(world: World, tmp_path: Path) -> Callable[..., subprocess.CompletedProcess[str]]:
    """The command line with the stand-ins in its reach and a data folder of its own."""
    settings = {
        "DATE_BRIDGE_ALLOWED_ORIGINS": json.dumps(list(world.hosts.addresses.values())),
        "DATE_BRIDGE_PASSWORD": PASSWORD,
        "DATE_BRIDGE_PATIENCE": "0",
    }

    def call(*arguments: str, answer: str = "") -> subprocess.CompletedProcess[str]:
        return run(*arguments, "--data", tmp_path / "cli", settings=settings, answer=answer)

    return call


def test_accounts_are_added_switched_on_pulled_copied_and_pushed_without_a_browser(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    world.put("tidewrack", "berths", *map(berth, range(20)))
    for name in ("tidewrack", "lantern"):
        added = reached(
            "accounts", "add", world.hosts.address(name), "--user", OFFICE, "--name", name.title(), "--json"
        )
        assert json.loads(added.stdout)["calendars"] == ["Berths"]
    assert "not" not in reached("accounts").stdout
    assert "20" in reached("accounts", "on", "Berths").stdout
    world.put("tidewrack", "berths", berth(99))
    pulled = json.loads(reached("pull", "--json").stdout)["results"]
    assert sorted(r["outcome"] for r in pulled) == ["1 added", "nothing changed"]
    proposed = reached("copy", "account:Tidewrack", "--to", "Moved in", "--account", "lantern")
    assert "Copy 21 entries to Moved in (Lantern)" in proposed.stdout
    assert "--apply" in proposed.stdout
    done = reached("copy", "account:Tidewrack", "--to", "Moved in", "--account", "lantern", "--apply", "--json")
    assert json.loads(done.stdout)["creates"] == 21
    assert len(world.there("lantern", "moved-in")) == 21
    assert reached("push").returncode == 0
    listed = json.loads(reached("accounts", "--json").stdout)["calendars"]
    assert [(c["account"], c["calendar"], c["on"]) for c in listed] == [
        ("Tidewrack", "Berths", True),
        ("Lantern", "Berths", True),
        ("Lantern", "Moved in", True),
    ]


def test_what_cannot_be_reached_ends_with_two_and_what_was_refused_with_one(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    wrong = reached("accounts", "add", world.hosts.address("lantern"), "--user", "nobody")
    assert (wrong.returncode, "does not accept" in wrong.stderr) == (2, True)
    assert reached("accounts", "add", "http://192.168.7.7/feed.ics").returncode == 2
    assert reached("pull").returncode == 2
    world.put("tidewrack", "berths", berth(1))
    for name in ("tidewrack", "lantern"):
        reached("accounts", "add", world.hosts.address(name), "--user", OFFICE, "--name", name.title())
    reached("accounts", "on", "Berths")
    world.hosts.switches["lantern"].arm(Fault("full", method="PUT"))
    assert reached("copy", "launch", "--to", "Fresh", "--account", "Lantern", "--apply").returncode == 1
    pushed = reached("push", "--json")
    assert (pushed.returncode, json.loads(pushed.stdout)["refused"]) == (1, 1)
    again = reached("push", "--again", "--json")
    assert (again.returncode, "refused" in json.loads(again.stdout)) == (0, False)
    listed = json.loads(reached("accounts", "--json").stdout)["calendars"]
    assert {(one["account"], one["calendar"], one["entries"]) for one in listed} >= {("Lantern", "Fresh", 1)}
    world.hosts.switches["tidewrack"].arm(Fault("unavailable", count=9))
    assert reached("pull").returncode == 1
    assert reached("copy", "launch", "--to", "X", "--account", "Nowhere").returncode == 2


def test_a_calendar_that_was_left_off_is_found_and_asked_about(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.put("lantern", "berths", berth(2))
    for name in ("tidewrack", "lantern"):
        reached("accounts", "add", world.hosts.address(name), "--user", OFFICE, "--name", name.title())
    nothing = reached("push")
    assert (nothing.returncode, nothing.stdout) == (0, "No pending changes.\n")
    reached("accounts", "on", "Berths")
    reached("accounts", "off", "Berths", "--keep", "nothing")  # the first of that name: Tidewrack's
    asked = ("copy", "account:Lantern", "--to", "berths", "--account", "Tidewrack", "--apply")
    unsure = reached(*asked)
    assert (unsure.returncode, unsure.stdout.strip()) == (2, "")
    assert "“berths” is on Tidewrack, and switched off" in unsure.stderr
    assert "Nothing was copied" in unsure.stderr
    done = reached(*asked, answer="y\n")
    assert done.returncode == 0, done.stderr
    assert len(world.there("tidewrack", "berths")) == 2
    assert len(json.loads(reached("accounts", "--json").stdout)["calendars"]) == 2


def test_what_cannot_be_read_yet_is_added_whole_and_said(
    world: World, reached: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    world.put("lantern", "berths", berth(1))
    world.hosts.switches["lantern"].arm(Fault("unavailable", method="REPORT", count=9))
    added = reached("accounts", "add", world.hosts.address("lantern"), "--user", OFFICE, "--name", "Lantern")
    assert (added.returncode, added.stdout) == (1, "Added, with Berths.\n")
    assert "Their contents could not be read yet: 127.0.0.1 is not available at present (503)." in added.stderr
    assert "Traceback" not in added.stderr
    world.hosts.switches["lantern"].clear()
    assert "fetched 1" in reached("accounts", "on", "Berths").stdout


def fill(data: Path) -> Path:
    """A store with an account in it; returns its database."""
    bench = Bench(data)
    bench.bring(calendar(event("a")))
    with bench.store.write() as connection:
        sealed = seal(bench.settings, "https://feeds.example/a.ics")
        connection.exec_driver_sql(
            "INSERT INTO account (kind, name, host, user, address_sealed, password_sealed, principal, home, addresses,"
            " schedules, created_at, trouble, gone) VALUES ('feed', 'x', 'https://feeds.example', '', ?, x'', '', '',"
            " '[]', 0, 0, '', 0)",
            (sealed,),
        )
    bench.store.close()
    return bench.settings.database


def spoil(data: Path, how: str) -> None:
    database = fill(data)
    octets = database.read_bytes()
    if how == "empty":
        database.write_bytes(b"")
    elif how == "rubbish":
        database.write_bytes(b"rubbish" * 1000)
    elif how == "cut":
        database.write_bytes(octets[: len(octets) // 2])
    elif how == "header":
        database.write_bytes(octets[:200] + b"\xff" * 4000 + octets[4200:])
    elif how == "newer":
        with closing(sqlite3.connect(database)) as connection:
            connection.execute("UPDATE alembic_version SET version_num = '9999'")
            connection.commit()
    elif how == "key":
        (data / "secret.key").unlink()
    else:
        (data / "secret.key").write_bytes(Fernet.generate_key())


@pytest.mark.parametrize(
    ("how", "words"),
    [
        ("rubbish", "not a database"),
        ("cut", "damaged"),
        ("header", "damaged"),
        ("empty", "is empty"),
        ("newer", "newer version"),
        ("key", "--new-key"),
        ("another key", "--new-key"),
    ],
)
def test_what_cannot_be_opened_is_said_in_a_sentence_and_not_touched(tmp_path: Path, how: str, words: str) -> None:
    spoil(tmp_path / "data", how)
    before = {path.name: path.read_bytes() for path in (tmp_path / "data").iterdir() if path.is_file()}
    said = run("serve", "--data", str(tmp_path / "data"), "--port", "0")
    assert (said.returncode, said.stdout) == (2, "")
    assert words in said.stderr
    assert len(said.stderr.strip().splitlines()) == 1
    after = {path.name: path.read_bytes() for path in (tmp_path / "data").iterdir() if path.is_file()}
    assert {name: after[name] for name in before} == before


def test_data_is_backed_up_put_back_and_rescued(world: World, tmp_path: Path) -> None:
    world.bring(calendar(event("a", "High water")), "Tides")
    data, copy = ("--data", world.settings.data_dir), tmp_path / "copy.sqlite"
    assert run("backup", copy, *data).returncode == 0
    assert "exists already" in run("backup", copy, *data).stderr
    world.bring(calendar(event("b", "Low water")), "Tides")
    world.store.close()
    database = world.settings.database
    database.write_bytes(database.read_bytes()[:20_000])
    assert "date-bridge restore" in run("reindex", *data).stderr
    rescued = run("rescue", tmp_path / "rest", *data, "--json")
    assert "unreadable" in rescued.stdout or "damaged" in rescued.stderr
    assert "What was there before is" in run("restore", copy, *data).stdout
    assert run("rescue", tmp_path / "whole", *data).returncode == 0
    (file,) = (tmp_path / "whole").iterdir()
    assert file.read_text().count("SUMMARY:High water") == 1


def test_nobody_from_elsewhere_is_let_in_without_a_word(tmp_path: Path) -> None:
    said = run("serve", "--data", str(tmp_path / "data"), "--host", "0.0.0.0")
    assert (said.returncode, "--access-key" in said.stderr, (tmp_path / "data").exists()) == (2, True, False)


def test_the_command_line_has_its_jobs_done_by_the_program_that_is_running(world: World, tmp_path: Path) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.connect("tidewrack")
    world.put("tidewrack", "berths", berth(2))
    data = world.settings.data_dir
    reached = {"DATE_BRIDGE_ALLOWED_ORIGINS": json.dumps(list(world.hosts.addresses.values()))}
    with application(data, "serve", reached):
        second = run("serve", "--data", str(data), "--port", "0")
        assert (second.returncode, "already running" in second.stderr) == (2, True)
        assert "1 added" in run("pull", "--data", str(data)).stdout
    assert len(world.titles()) == 2


# ---- shares ----------------------------------------------------------------------------------------------

NOW = f"{this_day():%Y%m%d}T090000Z"
SHARED = calendar(
    event(
        "a",
        "Berth 2",
        NOW,
        "LOCATION:Quay",
        "DESCRIPTION:Ring +354 555 0101",
        "X-PILOT:Owen",
        "ATTENDEE;CN=Ida Moe:mailto:ida.moe@skerrow.example",
    ),
    event("b", "Dentist", NOW, "CLASS:PRIVATE"),
    event("c", "Offer", NOW, "CLASS:CONFIDENTIAL"),
)


@pytest.mark.parametrize(
    ("detail", "passes"),
    [
        ("everything", {"Berth 2", "Quay", "Ring", "Ida"}),
        ("without-people", {"Berth 2", "Quay", "Ring"}),
        ("titles", {"Berth 2", "Quay"}),
        ("busy", set()),
    ],
)
def test_share_render_gives_what_the_detail_says_in_every_form(tmp_path: Path, detail: str, passes: set[str]) -> None:
    source, out = tmp_path / "berths.ics", tmp_path / "out"
    source.write_text(SHARED)
    for form in ("feed", "jcal", "page", "busy", "file"):
        done = run(
            "share",
            "render",
            source,
            "--detail",
            detail,
            "--private",
            "busy",
            "--form",
            form,
            "--confidential",
            "leave-out",
            "--out",
            out,
            "--json",
        )
        said = json.loads(done.stdout)
        busy = 0 if detail == "busy" else 1
        assert (done.returncode, said["entries"], said["given"], said["left_out"]) == (0, 3, 2, 1), done.stderr
        assert (said["as_busy"], said["out"]) == (busy, str(out))
        text = out.read_text().replace("\n ", "")
        words = {word for word in ("Berth 2", "Quay", "Ring", "Ida", "Owen", "Dentist", "Offer") if word in text}
        # A page that stands alone is a list, and busy times say nothing but when.
        expected = set() if form == "busy" else passes & {"Berth 2", "Quay"} if form == "page" else passes
        assert words == expected, (form, text)


def test_share_render_says_what_titles_seem_to_hold_and_writes_where_nobody_says_where(tmp_path: Path) -> None:
    source = tmp_path / "berths.ics"
    source.write_text(calendar(event("a", "Ring +354 555 0101")))
    done = run("share", "render", source, "--detail", "titles")
    assert done.stdout.startswith("BEGIN:VCALENDAR")
    assert "1 of 1 entry" in done.stderr
    assert "telephone numbers" in done.stderr
    assert run("share", "render", tmp_path / "missing.ics").returncode == 2


def test_a_share_is_made_listed_and_taken_back(tmp_path: Path) -> None:
    bench = Bench(tmp_path)
    bench.bring(SHARED, "Berths")
    bench.store.close()
    asked = ("--data", tmp_path, "--json")
    made = run(
        "share",
        "make",
        "Berths",
        "--owner",
        "harbour office",
        "--calendar",
        "berths",
        "--to",
        "Ida Moe",
        "--to",
        "Owen Hale",
        "--detail",
        "titles",
        *asked,
    )
    told = json.loads(made.stdout)
    assert [one["reader"] for one in told["readers"]] == ["Ida Moe", "Owen Hale"]
    assert len({one["address"] for one in told["readers"]}) == 2
    assert json.loads(run("share", "revoke", str(told["id"]), "--reader", "Ida Moe", *asked).stdout)["taken_back"]
    (share,) = json.loads(run("share", "list", *asked).stdout)["shares"]
    assert share["gives"] == "titles, times and places; private left out"
    assert [(r["name"], r["taken_back"]) for r in share["readers"]] == [("Ida Moe", True), ("Owen Hale", False)]
    assert run("share", "revoke", str(told["id"]), *asked).returncode == 0
    assert json.loads(run("share", "list", *asked).stdout)["shares"] == []
    assert run("share", "make", "X", "--owner", "o", "--calendar", "nowhere", *asked).returncode == 2
