"""Mend: what came twice is found, looked at in banks and removed, by pressing keys and nothing else."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from datebridge.core.matching import Alike
from datebridge.demo.twice import TWICE
from tests.browser.hands import Keys
from tests.browser.test_walk import all_selected, amount, counted

pytestmark = pytest.mark.browser


def test_what_came_twice_is_removed_by_keys(page: Page, data: Path) -> None:
    # Bringing the file in is the walk of another test; here it has been dropped on the window.
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(data / "sample-files" / "partner-office.ics")
    page.get_by_role("button", name=re.compile("^Import .* “Partner office”")).click()
    counted(page, "Press u to undo")
    page.goto("/mend")
    page.locator("main[aria-busy=false]").wait_for()
    keys = Keys(page)
    keys.reach("Find duplicates")
    keys.press("Enter")
    kinds = page.get_by_role("toolbar", name="Kinds")
    forwarded = kinds.get_by_role("button", name="Same title and time")
    expect(forwarded).to_be_visible()
    number = int(forwarded.inner_text().split()[-1])
    assert number >= TWICE[Alike.SAME_TIME]  # some instruments were booked twice besides
    # The first group is open; what is decided is shown in banks, and the next one follows.
    decided = page.get_by_role("region", name="This group")
    expect(decided).to_contain_text("Kelp recovery")
    expect(page.get_by_role("list", name="Groups").get_by_role("listitem").nth(1)).to_contain_text("Sea ice radar")
    page.locator("main[aria-busy=false]").wait_for()
    keys.press("s")
    expect(decided).to_contain_text("Sea ice radar")
    keys.press("a")
    counted(page, "Press u to undo")
    keys.press("u")
    counted(page, "Undone: Keep one of 2 entries")
    # All of a kind as one proposal.
    keys.reach("Same title and time", "Shift+Tab")
    keys.press("Enter")
    counted(page, f"{number} groups")
    keys.press("b")
    heading = page.get_by_role("heading", level=1, name=f"Remove {number} duplicates")
    expect(heading).to_be_visible()
    keys.press("a")
    counted(page, "Press u to undo")
    keys.done("what came twice")


def test_what_breaks_is_put_right_by_keys(page: Page) -> None:
    page.goto("/connect")  # the damaged file waits there; bringing it in is the walk of another test
    page.get_by_role("link", name="Review").first.click()
    page.get_by_role("button", name=re.compile("“Mooring log”")).click()
    counted(page, "Press u to undo")
    page.goto("/mend/checks")
    page.locator("main[aria-busy=false]").wait_for()
    keys = Keys(page)
    expect(page.get_by_role("region", name="The check")).to_contain_text("Invalid attendee address")  # the worst, first
    keys.reach("Both an end and a duration", "ArrowDown")
    keys.press("Enter")
    expect(page.get_by_role("region", name="The check").get_by_role("listitem")).to_contain_text("Diver briefing")
    keys.press("p")
    expect(page.get_by_role("heading", level=1, name="Fix: both an end and a duration")).to_be_visible()
    keys.press("a")
    counted(page, "Press u to undo")
    page.goto("/mend/checks?check=end-before-start")
    checks = page.get_by_role("region", name="Checks")
    expect(checks).to_contain_text("End before the start")
    expect(checks.get_by_role("button", name="Both an end and a duration")).to_have_count(0)
    keys.press("x")
    counted(page, "is ignored")
    expect(page.get_by_role("region", name="The check")).to_contain_text("not counted")
    keys.press("x")
    counted(page, "counts again")


def test_mending_before_the_move_by_keys(page: Page, data: Path) -> None:
    """The README's walk: what breaks is cleared, the old domain mapped, the old years put away, undone, handed on."""
    page.goto("/mend/checks?severity=breaks")
    page.locator("main[aria-busy=false]").wait_for()
    keys = Keys(page)
    breaks = page.get_by_role("region", name="Checks").get_by_role("button", name=re.compile("^breaks"))
    expect(breaks).to_have_count(5)
    keys.press("p")
    expect(page.get_by_role("heading", level=1, name="Fix: invalid attendee address")).to_be_visible()
    keys.press("a")
    counted(page, "Done: Fix: invalid attendee address")
    page.wait_for_url("**/look")
    keys.press("/")
    keys.type("person:tidewrack.example")
    keys.press("Enter")
    old = amount(page, "person:tidewrack.example")
    all_selected(page, keys, f"{old} entries")
    keys.press("m")
    keys.reach("What")
    keys.type("Replace")
    keys.reach("Old address")
    keys.type("@tidewrack.example")
    keys.reach("New address")
    keys.type("@lantern.example")
    expect(page.get_by_role("status").filter(has_text="In short: addresses")).to_be_visible()
    keys.press("Enter")
    expect(
        page.get_by_role("heading", level=1, name=re.compile("^Addresses @tidewrack.example → @lantern"))
    ).to_be_visible()
    expect(page.get_by_role("listitem").first).to_contain_text("guest.speaker@lantern.example")
    keys.press("a")
    counted(page, "Done: Addresses")
    keys.press("3")
    page.wait_for_url("**/mend")
    page.locator("main[aria-busy=false]").wait_for()
    keys.reach("Find duplicates")
    keys.press("ArrowDown")  # the row below it
    keys.reach("Archive past events…", "ArrowRight", most=3)
    keys.press("Enter")
    keys.reach("Write and check the archives")
    keys.press("Enter")
    expect(page.get_by_role("heading", level=1, name=re.compile("^Archive events that ended before"))).to_be_visible()
    keys.press("a")
    counted(page, "Done: Archive")
    keys.press("u")
    counted(page, "Undone: Archive events that ended")
    keys.press("2")
    page.wait_for_url("**/look")
    page.locator("main[aria-busy=false]").wait_for()
    keys.press("/")
    keys.type('calendar:"Partner seminars"')
    keys.press("Enter")
    seminars = amount(page, 'calendar:"Partner seminars"')
    all_selected(page, keys, f"{seminars} entries")
    keys.press("e")
    expect(page.get_by_role("button", name=f"Save {seminars} entries")).to_be_enabled()
    keys.reach("File name")
    with page.expect_download() as download:
        keys.press("Enter")
    handed = Path(download.value.path()).read_bytes().replace(b"\r\n ", b"")
    assert handed.count(b"guest.speaker@lantern.example") == int(old)
    assert b"@tidewrack.example" not in handed
    assert len(list((data / "archives").iterdir())) >= 6
    keys.done("mended before the move")


def test_several_steps_are_kept_as_a_recipe_and_used_again_by_mouse(page: Page) -> None:
    page.goto("/look?filter=calendar:Workshop")
    counted(page, "80 entries")
    page.get_by_role("button", name="Select all that match").click()
    page.get_by_role("button", name="Change 80").click()
    sheet = page.get_by_role("dialog")
    sheet.get_by_label("What", exact=True).select_option("categories")
    sheet.get_by_role("textbox", name="Categories").fill("Yard")
    sheet.get_by_role("textbox", name="Categories").press("Tab")
    sheet.get_by_role("button", name="Add a step").click()
    sheet.get_by_label("Then", exact=True).select_option("status")
    sheet.get_by_label("Status", exact=True).select_option("COMPLETED")
    sheet.get_by_label("Save as a recipe named").fill("Yard done")
    sheet.get_by_role("button", name="Save", exact=True).click()
    counted(page, "Saved as “Yard done”")
    sheet.get_by_role("button", name="Review the changes").click()
    expect(page.get_by_role("heading", level=1, name=re.compile("80 entries in Workshop"))).to_be_visible()
    expect(page.get_by_text("20 × status completed: A journal entry cannot be completed.")).to_be_visible()
    page.get_by_role("button", name=re.compile("^1 field|^2 fields")).first.click()
    expect(page.get_by_role("dialog", name="Every field")).to_contain_text("Yard")
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("^Discard the proposal")).click()
    page.goto("/mend/recipes")
    expect(page.get_by_role("listitem").filter(has_text="Yard done")).to_contain_text("category added: Yard")
    with page.expect_download() as download:
        page.get_by_role("link", name="Save as a file: Yard done").click()
    page.get_by_role("button", name="Delete Yard done").click()
    counted(page, "Deleted")
    page.locator("input[type=file]").first.set_input_files(download.value.path())
    counted(page, "Saved: “Yard done”")


def test_a_table_goes_out_is_edited_and_comes_back(page: Page, tmp_path: Path) -> None:
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    page.goto("/look?filter=calendar:Workshop")
    keys = Keys(page)
    all_selected(page, keys, "80 entries")
    keys.press("Control+c")
    counted(page, "On the clipboard: 80 entries")
    copied = page.evaluate("navigator.clipboard.readText()").split("\n")
    assert len(copied) == 82
    assert copied[0].startswith("calendar\tuid\t")
    keys.press("e")
    page.get_by_label("Spreadsheet (.csv)").check()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save 80 entries").click()
    table = Path(download.value.path()).read_text("utf-8-sig")
    edited = tmp_path / "workshop.csv"
    edited.write_text(table.replace("Service winch 1", "Overhaul winch 1", 3), "utf-8-sig")
    page.goto("/mend")
    page.locator("main[aria-busy=false]").wait_for()
    page.locator("input[accept*=csv]").set_input_files(edited)
    expect(page.get_by_role("heading", level=1, name="From workshop.csv: 3 entries in Workshop")).to_be_visible()
    expect(page.get_by_text("80 rows; 77 unchanged.")).to_be_visible()


def test_two_that_are_not_the_same_are_remembered_as_two(page: Page) -> None:
    page.goto("/mend/duplicates")
    many = page.get_by_role("status").filter(has_text=re.compile(r"^\d+ groups$"))
    expect(many).to_be_visible()
    page.get_by_role("region", name="This group").wait_for()
    before = int(many.inner_text().split()[0])
    keys = Keys(page)
    keys.press("n")
    counted(page, "Remembered as different")
    expect(many).to_have_text(f"{before - 1} groups")


def test_while_a_proposal_is_made_no_group_of_it_is_decided(page: Page) -> None:
    page.goto("/mend/duplicates")
    expect(page.get_by_role("list", name="Groups").get_by_role("listitem").first).to_be_visible()
    page.locator("main[aria-busy=false]").wait_for()
    asked: list[str] = []
    page.on("request", lambda one: asked.append(one.url) if one.method == "POST" else None)
    keys = Keys(page)
    keys.press("b", "a", "n", "a")
    page.wait_for_url(re.compile(r"/mend/\d+$"))
    made = [one.rpartition("/duplicates/")[2] for one in asked if "/duplicates/" in one]
    assert made == ["look", "proposals"] or made == ["proposals"]
