"""How many presses each everyday task takes: printed beside what is aimed at, so that a detour is seen.

What fails here is a task that can no longer be done by keys, not one that takes a press more.
"""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.browser.hands import WEB, Keys
from tests.browser.test_walk import amount, counted

pytestmark = pytest.mark.browser


def selected(page: Page, keys: Keys) -> None:
    counted(page, "entries")
    keys.press("Control+a")
    expect(page.get_by_role("region", name="Selection")).to_contain_text("(all that match)")


def heading(page: Page, says: str) -> None:
    expect(page.get_by_role("heading", level=1, name=re.compile(says))).to_be_visible()


def applied(page: Page, keys: Keys) -> None:
    keys.press("a")
    counted(page, "Press u to undo")


def a_wrong_import_and_undo(page: Page, keys: Keys) -> None:
    keys.press("/")
    keys.type("what:water")
    keys.press("Enter")
    selected(page, keys)
    keys.press("Delete")
    heading(page, "Delete")
    applied(page, keys)
    keys.press("u")
    counted(page, "Undone: Delete")


def a_calendar_to_another_account(page: Page, keys: Keys) -> None:
    keys.press("/")
    keys.type("cal")
    expect(page.get_by_role("option", name="calendar:")).to_be_visible()
    keys.press("ArrowDown", "Enter")
    keys.type("ins")
    expect(page.get_by_role("option", name="Instrument bookings")).to_be_visible()
    keys.press("ArrowDown", "Enter", "Enter")
    selected(page, keys)
    keys.press("c")
    to = page.get_by_role("dialog").get_by_role("combobox", name="To")
    expect(to.get_by_role("option", name="Lantern: a new calendar")).to_be_attached()
    keys.type("lan")
    expect(to).not_to_have_value("")
    keys.press("Enter")
    heading(page, r"Copy .*\(Lantern\)")
    applied(page, keys)


def in_the_drawer(page: Page, keys: Keys, text: str) -> None:
    """Found in the table, and shown in time with its drawer open."""
    keys.press("/")
    keys.type(text)
    keys.press("Enter")
    expect(page.get_by_role("grid")).to_be_focused()
    keys.press("i")
    expect(page.get_by_role("complementary", name="Occurrence").get_by_label("Title")).to_be_focused()


def this_and_all_after(page: Page, keys: Keys) -> None:
    in_the_drawer(page, keys, "handover")
    keys.press("Tab", "ArrowDown")
    expect(page.get_by_role("radio", name="this and following")).to_be_checked()
    keys.reach("Start")
    keys.type("9")
    keys.press("Enter")
    counted(page, "Press u to undo")


def an_entry_to_another_day(page: Page, keys: Keys) -> None:
    in_the_drawer(page, keys, "kittiwake")
    keys.reach("First day")
    keys.type("thursday")
    keys.press("Enter")
    counted(page, "Press u to undo")


def a_share_to_two_people(page: Page, keys: Keys) -> None:
    keys.press("5")
    expect(page.get_by_role("link", name="New share")).to_be_visible()
    keys.press("n")
    expect(page.get_by_label("Title, as readers see it")).to_be_focused()
    keys.type("Cruises")
    keys.reach("Find a calendar")
    keys.type("exp")
    keys.reach("Expeditions")
    keys.press(" ")
    counted(page, "of 88 entries")
    keys.press("Control+Enter")
    heading(page, "Cruises")
    for name, mail in (("Ida", "ida@x.example"), ("Owen", "owen@x.example")):
        keys.press("n")
        expect(page.get_by_role("dialog")).to_be_visible()
        if name == "Ida":  # for the first, everybody is offered
            keys.press("ArrowDown")
        keys.reach("Name")
        keys.type(name)
        keys.press("Tab")
        keys.type(mail)
        keys.press("Enter")
        expect(page.get_by_role("button", name=f"Invite {name} by mail")).to_be_enabled()
        keys.press("Enter")
        expect(page.get_by_label("Subject")).to_be_focused()
        keys.press("Enter")
        counted(page, f"{name} is invited.")


def duplicates_of_a_kind(page: Page, keys: Keys) -> None:
    keys.press("3")
    expect(page.get_by_role("link", name="Find duplicates")).to_be_visible()
    keys.press("d")
    kinds = page.get_by_role("toolbar", name="Kinds")
    expect(kinds.get_by_role("button", name="Same title and time")).to_be_visible()
    keys.reach("Same title and time", "Shift+Tab")
    keys.press("Enter")
    keys.press("b")
    heading(page, "Remove")
    applied(page, keys)


def a_winter_zone(page: Page, keys: Keys) -> None:
    keys.press("3")
    expect(page.get_by_role("link", name="Fix time zones")).to_be_visible()
    keys.press("z")
    expect(page.get_by_role("button", name="Plankton call, Halifax")).to_be_visible()
    keys.reach("Plankton call, Halifax", "ArrowDown")
    keys.press("Enter")
    expect(page.get_by_role("region", name="The zone name")).to_contain_text("are apart")
    keys.press("p")
    expect(page.get_by_role("button", name="Review the changes")).to_be_enabled()
    keys.press("Enter")
    heading(page, "^In the zone America.Halifax")
    applied(page, keys)


def a_conflict(page: Page, keys: Keys) -> None:
    keys.press("1")
    expect(page.get_by_role("link", name="Review and decide")).to_be_visible()
    keys.press("d")
    expect(page.get_by_role("listitem").filter(has_text="conflict").first).to_be_visible()
    keys.press("ArrowDown", "Enter")
    expect(page.get_by_role("group", name="Place")).to_be_visible()
    keys.press("t")
    counted(page, "Their version is used")


def conflicting(page: Page, server: str) -> None:
    """Somebody edits an entry on the server while it is changed here."""
    WEB.post(f"{server}/-/faults", json=[{"kind": "meddle", "method": "PUT"}]).raise_for_status()
    in_the_drawer(page, Keys(page), 'calendar:"Harbour office" what:"part 1"')
    page.get_by_label("Place").fill("Library")
    page.keyboard.press("Enter")
    counted(page, "Press u to undo")


TASKS: dict[str, tuple[int, Callable[[Page, Keys], None]]] = {
    "a conflict": (8, a_conflict),  # before many others are pushed to the same server
    "a wrong import, and undo": (20, a_wrong_import_and_undo),
    "a calendar to another account": (40, a_calendar_to_another_account),
    "this and following": (24, this_and_all_after),
    "an entry to another day": (24, an_entry_to_another_day),
    "one share to two people": (80, a_share_to_two_people),
    "duplicates of a kind": (15, duplicates_of_a_kind),
    "a winter zone": (8, a_winter_zone),
}


def test_how_many_presses_each_task_takes(page: Page, standins: dict[str, str]) -> None:
    for task, (aim, do) in TASKS.items():
        page.goto("/")
        counted(page, f"{amount(page)} entries")
        if do is a_conflict:
            conflicting(page, standins["lantern"])
        keys = Keys(page)
        do(page, keys)
        print(f"{task}: {keys.presses} presses, {aim} aimed at")
