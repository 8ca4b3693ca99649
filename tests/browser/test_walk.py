"""The README's walk: remove the wrong import, put the past away, export a clean file; by keyboard and by mouse."""

from __future__ import annotations

import datetime
from pathlib import Path
from urllib.parse import quote_plus

import icalendar
import pytest
from playwright.sync_api import Page, expect

pytestmark = [pytest.mark.browser, pytest.mark.xdist_group("demo")]
YEAR = datetime.date.today().year  # noqa: DTZ011


def events_in(path: Path) -> list[icalendar.Component]:
    return icalendar.Calendar.from_ical(path.read_bytes()).walk("VEVENT")


def counted(page: Page, words: str) -> None:
    expect(page.get_by_role("status").filter(has_text=words).first).to_be_visible()


def check_handed_on(path: Path) -> None:
    events = events_in(path)
    assert len(events) > 1000
    assert not [e for e in events if "water" in str(e["SUMMARY"])]
    assert all(e["DTEND"].dt.year >= YEAR for e in events if "RRULE" not in e)
    zones = {str(z["TZID"]) for z in icalendar.Calendar.from_ical(path.read_bytes()).walk("VTIMEZONE")}
    assert zones == {"/tidewrack.example/20110401_1/Atlantic/Reykjavik"}
    assert b"X-TIDEWRACK-SHIFT:NIGHT\r\n" in path.read_bytes()


def find(page: Page, text: str) -> None:
    """Type into the filter line by keyboard and go back to the table."""
    page.get_by_role("grid").wait_for()
    page.keyboard.press("/")
    page.keyboard.type(text)
    page.keyboard.press("Enter")
    page.wait_for_url(f"**/look?filter={quote_plus(text)}")
    page.get_by_role("grid").focus()


def test_the_walk_by_keyboard_alone(page: Page, data: Path) -> None:
    page.goto("/")
    counted(page, "entries")
    # The wrong import
    find(page, 'calendar:"Duty officer rota" water')
    counted(page, "436 entries")
    page.keyboard.press("Control+a")
    expect(page.get_by_role("region", name="Selection")).to_contain_text("436 of 436 entries selected (all that match)")
    page.keyboard.press("Delete")
    expect(page.get_by_role("heading", name="Delete 436 events from Duty officer rota")).to_be_visible()
    page.keyboard.press("a")
    counted(page, "Press u to take it back")
    # One key takes it back, and the same way removes it again
    page.keyboard.press("u")
    counted(page, "Taken back: Delete 436 events")
    page.keyboard.press("u")
    counted(page, "Taken back: Import tide-tables.ics into Duty officer rota")
    # Everything before this year
    page.keyboard.press("2")
    find(page, f"before:{YEAR}")
    counted(page, "entries")
    expect(page.get_by_role("row").nth(1)).to_contain_text("Old lab diary")
    page.keyboard.press("Control+a")
    page.keyboard.press("p")
    page.get_by_role("textbox", name="Archive").fill("before this year")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Write and check the archive").press("Enter")
    expect(page.get_by_role("heading", name="Archive")).to_be_visible()
    expect(page.get_by_text("read back and found complete")).to_be_visible()
    page.keyboard.press("a")
    counted(page, "Press u to take it back")
    archived = events_in(data / "archives" / "before-this-year.ics")
    assert len(archived) > 2000
    # The clean file
    find(page, 'calendar:"Duty officer rota"')
    counted(page, "entries")
    page.keyboard.press("Control+a")
    page.keyboard.press("h")
    expect(page.get_by_role("button", name="Save")).to_be_enabled()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save").press("Enter")
    check_handed_on(Path(download.value.path()))


def test_the_walk_by_mouse_alone(page: Page) -> None:
    page.goto("/")
    page.get_by_role("link", name="Logbook").click()
    row = page.get_by_role("listitem").filter(has_text="Import tide-tables.ics into Duty officer rota")
    row.get_by_role("button", name="Open").click()
    page.get_by_role("link", name="Show what it added in the table").click()
    counted(page, "436 entries")
    page.get_by_role("button", name="Select all that match").click()
    page.get_by_role("button", name="Delete 436 entries").click()
    page.get_by_role("button", name="Delete 436 entries from “Duty officer rota”").click()
    counted(page, "Done: Delete 436 events")
    page.get_by_role("link", name="Mend").click()
    page.get_by_role("listitem").filter(has_text="over before this year").get_by_role("link", name="Show them").click()
    page.get_by_role("button", name="Select all that match").click()
    page.get_by_role("button", name="Archive").click()
    page.get_by_role("button", name="Write and check the archive").click()
    expect(page.get_by_text("read back and found complete")).to_be_visible()
    page.get_by_role("button", name="Delete").click()
    counted(page, "Done: Archive")
    page.get_by_role("link", name="Connect").click()
    page.get_by_role("listitem").filter(has_text="Duty officer rota").get_by_role("button", name="Export").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save").click()
    check_handed_on(Path(download.value.path()))
