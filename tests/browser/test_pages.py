"""Each page by itself: importing a file in, the table, the facets, undo with changes; and axe on all of them."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.hands import Keys, answer
from tests.browser.test_walk import counted
from tests.conftest import calendar, event

pytestmark = pytest.mark.browser


def test_a_file_is_looked_into_taken_in_and_taken_back(page: Page, tmp_path: Path) -> None:
    path = tmp_path / "visitors.ics"
    path.write_text(calendar(*(event(f"v{k}", f"Visitor {k}") for k in range(30)), "BEGIN:VEVENT\nUID:w\nEND:VEVENT"))
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(path)
    expect(page.get_by_role("heading", name="visitors.ics")).to_be_visible()
    expect(page.get_by_text("31 events")).to_be_visible()
    expect(page.get_by_text("There is no DTSTART.")).to_be_visible()
    expect(page.get_by_text("A one-time import")).to_be_visible()
    page.get_by_label("Name").fill("Visitors' book")
    page.get_by_role("button", name="Import 31 entries into a new calendar “Visitors' book”").click()
    counted(page, "Press u to undo")
    counted(page, "31 entries")
    page.keyboard.press("u")
    counted(page, "Undone: Import visitors.ics into Visitors' book")
    page.goto("/connect")
    expect(page.get_by_role("region", name="Files to review")).to_contain_text("visitors.ics")


def test_a_file_into_an_existing_calendar_says_what_is_here_already(page: Page, data: Path) -> None:
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(data / "sample-files" / "old-lab-diary.ics")
    expect(page.get_by_role("row", name=re.compile("Old lab diary"))).to_contain_text("990")
    choice = page.get_by_role("combobox", name="Calendar")
    expect(choice).not_to_contain_text("Port calls")  # it can only be read
    # The calendar it came from is chosen, and there is nothing to do.
    expect(choice.locator("option:checked")).to_have_text("Old lab diary (snapshot · writable here)")
    expect(page.get_by_role("button", name="Nothing to import: all 990 exist already")).to_be_disabled()


def test_a_newer_version_of_a_file_names_what_it_no_longer_has(page: Page, tmp_path: Path) -> None:
    def bring(*entries: str) -> None:
        (tmp_path / "visits.ics").write_text(calendar(*entries, header="X-WR-CALNAME:Visits"))
        page.goto("/connect")
        page.get_by_label("Calendar files").set_input_files(tmp_path / "visits.ics")
        expect(page.get_by_role("heading", name="visits.ics")).to_be_visible()

    bring(event("a", "School"), event("b", "Harbour board"), event("c", "Choir"))
    page.get_by_role("button", name="Import 3 entries into a new calendar “Visits”").click()
    counted(page, "3 entries added, 0 changed, 0 gone")
    bring(
        event("a", "School"), event("b", "Harbour board, again", "20261125T080000Z", "SEQUENCE:1"), event("d", "Pilot")
    )
    expect(page.get_by_text("not in this one any more: “Choir”")).to_be_visible()
    page.get_by_text(re.compile("Remove it as well")).click()
    page.get_by_role("button", name="Add 1, change 1, remove 1 in “Visits”").click()
    counted(page, "1 entry added, 1 changed, 1 gone")


def test_many_files_are_taken_in_as_one_batch_each_into_a_fresh_calendar(page: Page, tmp_path: Path) -> None:
    paths = [tmp_path / f"boat-{k}.ics" for k in range(3)]
    for k, path in enumerate(paths):
        path.write_text(calendar(event(f"boat-{k}", f"Boat {k} sails"), header="X-WR-CALNAME:Boat"))
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(paths)
    page.get_by_role("button", name="Import several of 4 files").click()
    page.get_by_role("button", name="Review the import of 4 files, each into a calendar of its own").click()
    expect(page.get_by_role("heading", name="Import 4 files into 4 calendars")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Add 57 entries to 4 calendars")).click()
    counted(page, "Done: Import 4 files")
    page.goto("/connect")
    for name in ("Boat", "boat-1", "boat-2", "Mooring log"):
        expect(page.get_by_role("region", name="Only here")).to_contain_text(name)


def test_three_files_go_into_one_calendar_and_one_is_left_out_by_keys(page: Page, tmp_path: Path) -> None:
    paths = [tmp_path / f"boat-{k}.ics" for k in range(3)]
    for k, path in enumerate(paths):
        path.write_text(calendar(event(f"boat-{k % 2}", f"Boat {k % 2} sails")))
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(paths)
    keys = Keys(page)
    expect(page.get_by_role("button", name="Import several of 4 files")).to_be_visible()
    keys.reach("Import several of 4 files")
    keys.press("Enter")
    keys.press("Tab")  # the list of files
    keys.reach("mooring-log-damaged.ics", "ArrowDown", 5)
    keys.press("Space")
    keys.reach("Name of the new calendar")
    keys.type("Boats")
    keys.press("Enter")
    expect(page.get_by_role("heading", level=1, name="Import 3 files into Boats")).to_be_visible()
    expect(page.get_by_text("+ 2 added")).to_be_visible()


#: Another title for an entry, as if it had been typed in the drawer.
RENAME = """async (entry) => {
  const { fields } = await (await fetch(`/api/fields?entry=${entry}`)).json();
  const body = JSON.stringify({ entry, scope: 'all', fields: { ...fields, title: 'Changed since' } });
  const headers = { 'Content-Type': 'application/json' };
  return (await fetch('/api/edits', { method: 'POST', headers, body })).status;
}"""


def test_taking_back_an_import_leaves_what_changed_since_and_says_so(page: Page) -> None:
    page.goto("/logbook")
    batches = answer(page, "/api/change-sets", state="applied", limit=100)["rows"]
    number = next(one["id"] for one in batches if "Berths, as exported" in one["title"])
    changes = answer(page, f"/api/change-sets/{number}/changes", limit=20)["rows"]
    entry = next(one["after"]["id"] for one in changes if one["after"] and not one["after"]["repeats"])
    assert page.evaluate(RENAME, entry) == 200
    expect(page.get_by_role("listitem").filter(has_text="Changed since").first).to_be_visible()  # the rows have moved
    page.get_by_role("button", name=f"Undo batch {number}").click()
    page.wait_for_url(re.compile(r"/mend/\d+$"))
    held = page.get_by_role("listitem").filter(has_text="left unchanged").first
    expect(held).to_contain_text("stays as it is")
    expect(held).not_to_contain_text("gone")
    page.get_by_role("button", name=re.compile("^Take back|^Delete|^Undo")).last.click()
    page.get_by_role("status").get_by_role("button", name="Undo").click()  # by mouse, from where it is said
    counted(page, "Undone:")


def test_a_file_that_is_none_is_refused_in_words(page: Page, tmp_path: Path) -> None:
    path = tmp_path / "notes.ics"
    path.write_text("shopping list")
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(path)
    expect(page.get_by_text("There is no calendar data in this file.").first).to_be_visible()


def test_the_table_selects_by_key_and_by_mouse(page: Page) -> None:
    page.goto("/look?filter=calendar:Workshop")
    counted(page, "80 entries")
    deck = page.get_by_role("region", name="Selection")
    page.keyboard.press("Space")  # the table has the focus
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Space")
    expect(deck).to_contain_text("2 of 80")
    page.keyboard.press("Shift+End")
    expect(deck).to_contain_text("79 of 80")
    page.keyboard.press("Control+a")
    expect(deck).to_contain_text("80 of 80")
    page.keyboard.press("Home")
    page.keyboard.press("Space")
    expect(deck).to_contain_text("79 of 80")
    rows = page.get_by_role("row")
    rows.nth(2).click()
    rows.nth(6).click(modifiers=["Shift"])
    expect(deck).to_contain_text("5 of 80")
    rows.nth(4).click(modifiers=["Control"])
    expect(deck).to_contain_text("4 of 80")
    rows.nth(3).dblclick()
    drawer = page.get_by_label("Entry in full")
    expect(drawer.get_by_role("list", name="Source text")).to_contain_text("BEGIN:V")
    page.keyboard.press("Escape")
    expect(drawer).to_be_hidden()


def test_the_filter_completes_narrows_and_says_what_is_wrong(page: Page) -> None:
    page.goto("/look")
    counted(page, "entries")
    page.keyboard.press("/")
    page.keyboard.type("cal")
    expect(page.get_by_role("option", name="calendar:")).to_be_visible()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.keyboard.type("wor")
    expect(page.get_by_role("option", name="calendar:Workshop")).to_be_visible()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    counted(page, "80 entries")
    page.get_by_role("button", name="kind", exact=True).click()
    page.get_by_role("button", name="todo 60").click()
    counted(page, "60 entries")
    page.get_by_role("combobox", name="Filter the entries").fill("colour:red")
    expect(page.get_by_role("alert")).to_contain_text("There is no field “colour”")


def test_a_column_head_sorts_both_ways(page: Page) -> None:
    page.goto("/look?filter=calendar:%22Island%20holidays%22")
    head = page.get_by_role("button", name="What")
    head.click()
    expect(page.get_by_role("row").nth(1)).to_contain_text("First Herring")
    head.click()
    expect(page.get_by_role("row").nth(1)).to_contain_text("Storm Sunday")


def test_a_proposal_waits_where_it_can_be_found_and_dropped(page: Page) -> None:
    page.goto("/look?filter=calendar:Workshop")
    counted(page, "80 entries")
    page.get_by_role("grid").focus()
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")
    expect(page.get_by_role("heading", name="Delete 80 entries from Workshop")).to_be_visible()
    page.goto("/mend")
    page.get_by_role("link", name=re.compile("^Review: Delete")).click()
    expect(page.get_by_role("heading", name="Delete 80 entries from Workshop")).to_be_visible()
    page.keyboard.press("d")
    counted(page, "Nothing was changed")
    page.goto("/look?filter=calendar:Workshop")
    counted(page, "80 entries")


def test_the_keys_are_listed(page: Page) -> None:
    page.goto("/look")
    counted(page, "entries")
    page.keyboard.press("?")
    dialog = page.get_by_role("dialog", name="Keys on this page")
    expect(dialog).to_contain_text("undo the last change")
    expect(dialog).to_contain_text("select all that match")


def test_a_message_without_an_invitation_offers_an_event(page: Page, tmp_path: Path) -> None:
    path = tmp_path / "crane.eml"
    path.write_text(
        "From: Ida Moe <ida.moe@skerrow.example>\nTo: Jon Dal <jon.dal@skerrow.example>\nSubject: Crane check\n"
        "MIME-Version: 1.0\nContent-Type: text/plain\n\nShall we say tomorrow 5:00-6:00? Bring the plans.\n"
    )
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(path)
    expect(page.get_by_role("heading", name="Crane check")).to_be_visible()
    drawer = page.get_by_role("complementary", name="New event")
    expect(drawer.get_by_label("Title")).to_have_value("Crane check")
    add = drawer.get_by_role("button", name=re.compile("^Add to"))
    expect(add).to_be_disabled()  # it is at no time yet
    page.get_by_role("button", name=re.compile("05:00–06:00")).click()
    page.reload()
    expect(page.get_by_role("heading", name="Crane check")).to_be_visible()
    page.get_by_role("button", name=re.compile("05:00–06:00")).click()
    drawer.get_by_text("People, busy, privacy").click()
    drawer.get_by_role("button", name="Remove Jon Dal").click()
    add.click()
    expect(page.locator('button[data-key][title^="Crane check"]')).to_be_visible()
    counted(page, "Press u to undo")
