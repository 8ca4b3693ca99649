"""Each task of the README's walk, by pressing keys and nothing else, and by the mouse alone; both are counted."""

from __future__ import annotations

import re
from pathlib import Path
from urllib.parse import quote_plus

import icalendar
import pytest
from playwright.sync_api import Page, expect

from datebridge.clock import this_day
from tests.browser.hands import Keys, Mouse, answer

pytestmark = pytest.mark.browser
YEAR = this_day().year
ROTA = "Duty officer rota"


def events_in(path: Path) -> list[icalendar.Component]:
    return icalendar.Calendar.from_ical(path.read_bytes()).walk("VEVENT")


def amount(page: Page, filter: str = "") -> str:
    """How many entries match, as pages write it: the sample scenario holds other numbers each day."""
    return f"{answer(page, '/api/entries', filter=filter, limit=1)['total']:,}"


def counted(page: Page, words: str) -> None:
    expect(page.get_by_role("status").filter(has_text=words).first).to_be_visible()


def check_handed_on(path: Path, entries: str) -> None:
    events = events_in(path)
    assert f"{len(events):,}" == entries
    assert not [e for e in events if "water" in str(e["SUMMARY"])]
    zones = {str(z["TZID"]) for z in icalendar.Calendar.from_ical(path.read_bytes()).walk("VTIMEZONE")}
    assert zones == {"/tidewrack.example/20110401_1/Atlantic/Reykjavik"}
    assert b"X-TIDEWRACK-SHIFT:NIGHT\r\n" in path.read_bytes()


def rota(page: Page, keys: Keys) -> None:
    """The filter of the rota, by completion."""
    page.get_by_role("grid").wait_for()
    keys.press("/")
    keys.type("cal")
    expect(page.get_by_role("option", name="calendar:")).to_be_visible()
    keys.press("ArrowDown", "Enter")
    keys.type("du")
    expect(page.get_by_role("option", name=ROTA)).to_be_visible()
    keys.press("ArrowDown", "Enter")


def find(page: Page, text: str) -> None:
    """Type into the filter line; Enter leads into the table."""
    page.get_by_role("grid").wait_for()
    page.keyboard.press("/")
    page.keyboard.type(text)
    page.keyboard.press("Enter")
    page.wait_for_url(f"**/look?filter={quote_plus(text)}")
    expect(page.get_by_role("grid")).to_be_focused()


def all_selected(page: Page, keys: Keys, words: str) -> None:
    counted(page, words)
    keys.press("Control+a")
    expect(page.get_by_role("region", name="Selection")).to_contain_text("(all that match)")


def test_a_wrong_import_is_found_deleted_and_brought_back_by_keys(page: Page) -> None:
    page.goto("/")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    rota(page, keys)
    keys.type("water")
    keys.press("Enter")
    wrong = amount(page, f'calendar:"{ROTA}" water')
    all_selected(page, keys, f"{wrong} entries")
    keys.press("Delete")
    expect(page.get_by_role("heading", name=f"Delete {wrong} events from Duty officer rota")).to_be_visible()
    keys.press("a")
    counted(page, "Press u to undo")
    keys.press("u")
    counted(page, f"Undone: Delete {wrong} events")
    keys.done("find, delete, undo")
    # A second time it does not go on to what was done before that.
    keys.press("u")
    counted(page, "It is undone already")
    expect(page.get_by_role("link", name="Look")).to_contain_text(amount(page))


def test_what_is_over_is_archived_by_keys(page: Page, data: Path) -> None:
    page.goto("/")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    keys.press("/")
    keys.type(f"before:{YEAR}")
    keys.press("Enter")
    expect(page.get_by_role("row").nth(1)).to_contain_text("Old lab diary")
    all_selected(page, keys, "entries")
    keys.press("a")
    expect(page.get_by_role("dialog")).to_be_visible()
    keys.press("Enter")
    expect(page.get_by_text("read back and found complete")).to_be_visible()
    keys.press("a")
    counted(page, "Press u to undo")
    keys.done("archive")
    (archive,) = (data / "archives").iterdir()
    assert len(events_in(archive)) > 2000


def test_a_clean_file_is_exported_by_keys(page: Page) -> None:
    page.goto("/")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    rota(page, keys)
    keys.type("-water")
    keys.press("Enter")
    right = amount(page, f'calendar:"{ROTA}" -water')
    all_selected(page, keys, f"{right} entries")
    keys.press("e")
    expect(page.get_by_role("button", name=f"Save {right} entries")).to_be_enabled()
    keys.reach("File name")
    with page.expect_download() as download:
        keys.press("Enter")
    keys.done("export")
    check_handed_on(Path(download.value.path()), right)


def test_bookings_are_copied_to_the_new_server_by_keys(page: Page) -> None:
    page.goto("/")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    keys.press("/")
    keys.type("what:flume")
    keys.press("Enter")
    all_selected(page, keys, "entries")
    keys.press("c")
    expect(page.get_by_role("dialog")).to_be_visible()
    keys.type("lan")  # in a choice, letters choose
    expect(page.get_by_role("dialog").get_by_role("combobox", name="To")).not_to_have_value("")
    keys.press("Enter")
    expect(page.get_by_role("heading", level=1, name=re.compile(r"Copy .*\(Lantern\)"))).to_be_visible()
    keys.press("a")
    counted(page, "Press u to undo")
    keys.done("copy")


def test_a_feed_is_subscribed_to_by_keys(page: Page) -> None:
    page.goto("/")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    keys.press("1")
    expect(page.get_by_role("link", name="Catalogue of open feeds")).to_be_visible()
    keys.reach("Catalogue")
    keys.press("Enter")
    expect(page.get_by_role("button", name="Ferries")).to_be_visible()
    keys.reach("Ferries")
    keys.press("Enter")
    keys.reach("Preview: ")
    keys.press("Enter")
    expect(page.get_by_role("heading", name="The coming three months")).to_be_visible()
    keys.reach("Subscribe")
    keys.press("Enter")
    counted(page, "is subscribed to")
    keys.done("subscribe")


def test_a_weekly_series_is_made_and_one_of_it_moved_by_keys(page: Page) -> None:
    page.goto("/look/time?view=day")
    expect(page.get_by_role("region", name="Hours")).to_be_visible()
    keys = Keys(page)
    keys.press("n")
    keys.type("Keel watch, every second tue until june 3:00")
    expect(page.get_by_text("every second Tuesday")).to_be_visible()
    keys.press("Enter")
    block = page.locator("button[data-key]").filter(has_text="Keel watch").first
    expect(block).to_be_focused()
    keys.done("a series of every second week")
    moving = Keys(page)
    moving.press("Alt+ArrowDown")
    expect(page.get_by_role("dialog")).to_be_visible()
    moving.press("Enter")
    expect(block).to_have_attribute("title", re.compile("03:30"))
    moving.done("move one occurrence")


def test_the_mondays_of_a_quarter_are_picked_by_keys(page: Page) -> None:
    page.goto("/look/time")
    expect(page.get_by_role("region", name="Hours")).to_be_visible()
    keys = Keys(page)
    keys.press("p")
    expect(page.get_by_label("Days in words")).to_be_focused()
    keys.type("Mondays of this quarter")
    keys.press("Enter")
    heads = page.get_by_role("region", name="Hours").get_by_role("button", name=re.compile(r"^Mon \d"))
    expect(heads.nth(11)).to_be_visible()
    keys.done("picked days")
    # The letters went to the field alone: nothing was switched off, nothing was opened.
    assert keys.held()["name"] == "Hours"
    expect(page.get_by_role("button", name="1 of 15 off: show all")).to_be_visible()


def test_the_walk_by_mouse_alone(page: Page) -> None:
    page.goto("/")
    mouse = Mouse(page)
    mouse.click(page.get_by_role("link", name="Logbook"))
    row = page.get_by_role("listitem").filter(has_text="Import tide-tables.ics into Duty officer rota")
    mouse.click(row.get_by_role("link", name="Open"))
    mouse.click(page.get_by_role("link", name="Show the added entries in the table"))
    wrong = amount(page, f'calendar:"{ROTA}" water')
    counted(page, f"{wrong} entries")
    mouse.click(page.get_by_role("button", name="Select all that match"))
    mouse.click(page.get_by_role("button", name=f"Delete {wrong} entries"))
    mouse.click(page.get_by_role("button", name=f"Delete {wrong} entries from “Duty officer rota”"))
    counted(page, f"Done: Delete {wrong} events")
    mouse.done("find and delete")
    mouse = Mouse(page)
    mouse.click(page.get_by_role("link", name="Mend"))
    over = page.get_by_role("listitem").filter(has_text="Events that ended before a day")
    mouse.click(over.get_by_role("link", name="Show them"))
    mouse.click(page.get_by_role("button", name="Select all that match"))
    mouse.click(page.get_by_role("button", name="Archive"))
    mouse.click(page.get_by_role("button", name="Write and check the archive"))
    expect(page.get_by_text("read back and found complete")).to_be_visible()
    mouse.click(page.get_by_role("button", name="Delete"))
    counted(page, "Done: Archive")
    mouse.done("archive")
    mouse = Mouse(page)
    mouse.click(page.get_by_role("link", name="Connect"))
    listed = page.get_by_role("listitem").filter(has_text="Duty officer rota")
    mouse.click(listed.get_by_role("button", name="Export"))
    with page.expect_download() as download:
        mouse.click(page.get_by_role("button", name="Save"))
    check_handed_on(Path(download.value.path()), amount(page, f'calendar:"{ROTA}"'))
    mouse.done("export")


def test_time_by_mouse_alone(page: Page) -> None:
    page.goto("/look/time?view=picked")
    mouse = Mouse(page)
    mouse.click(page.get_by_role("button", name="Mondays of this quarter"))
    heads = page.get_by_role("region", name="Hours").get_by_role("button", name=re.compile(r"^Mon \d"))
    expect(heads.nth(11)).to_be_visible()
    mouse.done("picked days")
    mouse = Mouse(page)
    mouse.choose(page.get_by_label("View", exact=True), "a day")
    hours = page.get_by_role("region", name="Hours")
    expect(hours.get_by_role("button", name=re.compile("^[A-Z][a-z]{2} [0-9]"))).to_have_count(1)
    mouse.drag(hours, 40, at=(200, 60))
    mouse.write(page.get_by_label("Title"), "Keel watch")
    mouse.choose(page.get_by_label("Repeats"), "every week")
    mouse.write(page.get_by_label("Interval"), "2")
    expect(page.get_by_text("every second")).to_be_visible()
    mouse.click(page.get_by_role("button", name=re.compile("^Add to")))
    block = page.locator("button[data-key]").filter(has_text="Keel watch").first
    began = block.get_attribute("title")
    mouse.done("a series of every second week")
    mouse = Mouse(page)
    mouse.drag(block, 40)
    mouse.click(page.get_by_role("dialog").get_by_role("button", name="This one"))
    expect(block).not_to_have_attribute("title", str(began))
    mouse.done("move one occurrence")
    mouse = Mouse(page)
    page.goto("/look?filter=what:handover")
    mouse.click(page.get_by_role("row").nth(1))
    mouse.click(page.get_by_role("button", name="Copy or move 1…"))
    mouse.choose(page.get_by_label("To", exact=True), "Lantern: a new calendar")
    mouse.click(page.get_by_role("button", name=re.compile("Review copying")))
    expect(page.get_by_role("heading", level=1, name=re.compile(r"Copy .*\(Lantern\)"))).to_be_visible()
    mouse.done("copy")


def test_a_feed_is_subscribed_to_by_mouse_alone(page: Page) -> None:
    page.goto("/")
    mouse = Mouse(page)
    mouse.click(page.get_by_role("link", name="Connect"))
    mouse.click(page.get_by_role("link", name="Catalogue of open feeds"))
    mouse.click(page.get_by_role("button", name="Ferries"))
    mouse.click(page.get_by_role("button", name=re.compile("^Preview")).first)
    mouse.click(page.get_by_role("button", name="Subscribe"))
    counted(page, "is subscribed to")
    mouse.done("subscribe")
