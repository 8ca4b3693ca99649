"""What a target keeps, from both hands: measured, laid upon all entries, a loss said in the notes."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from datebridge.core.keeping import entries_in
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.demo.world import PASSWORD
from datebridge.standins.losses import OF_HALYARD
from tests.browser.hands import Keys
from tests.browser.test_sight import found_by_axe, in_theme, wrong_at_each_size
from tests.browser.test_walk import counted

pytestmark = pytest.mark.browser


def test_lantern_is_measured_and_a_loss_said_in_the_notes_by_keys(page: Page) -> None:
    keys = Keys(page)
    page.goto("/connect")
    expect(page.get_by_role("heading", name="Lantern")).to_be_visible()
    keys.press("k")
    expect(page.get_by_role("heading", name="What is kept")).to_be_visible()
    keys.reach("Lantern")
    keys.press("Enter")
    expect(page.get_by_text("Nobody is invited")).to_be_visible()
    keys.press("m")
    counted(page, "19 refused, 1 not tried of 172 features")
    expect(page.get_by_role("group", name="Colour: dropped")).to_be_visible()
    assert found_by_axe(page) == []
    keys.press("f")
    expect(page.get_by_role("heading", name="Losses at Lantern")).to_be_visible()
    keys.reach("Properties of unknown names", "ArrowDown")
    keys.press("Enter")
    expect(page.get_by_role("heading", name="drops it from 2,6")).to_be_visible()
    keys.reach("Say it in the notes")
    assert wrong_at_each_size(page, "/connect/forecasts/1") == {}
    page.set_viewport_size({"width": 1280, "height": 800})
    keys.press("Enter")
    expect(page.get_by_role("dialog", name="Change")).to_be_visible()
    keys.reach("Review the changes")
    keys.press("Enter")
    page.wait_for_url("**/mend/*")
    expect(page.get_by_text(re.compile("Watch: |Tidewrack ")).first).to_be_visible()
    keys.done("Lantern is measured, and what it drops is said in the notes")


def test_a_system_that_takes_files_is_measured_by_the_mouse_and_laid_beside_another(page: Page, tmp_path: Path) -> None:
    page.goto("/connect/keeps")
    with page.expect_download() as saved:
        page.get_by_role("link", name="the probe as a file").click()
    probe = Path(saved.value.path()).read_bytes()
    export = tmp_path / "export.ics"
    kept = [OF_HALYARD.of_entry(text) for text in entries_in(probe)]
    export.write_bytes(b"".join(write_calendar(new_header("Export"), [], kept)))
    page.get_by_label("Name of the system").fill("Paper almanac")
    page.get_by_label("The export").set_input_files(export)
    expect(page.get_by_role("heading", name="What Paper almanac keeps")).to_be_visible()
    counted(page, "2 not tried of 172 features")
    expect(page.get_by_text("gives entries other UIDs")).to_be_visible()
    page.get_by_label("Verdict").select_option("all features")
    expect(page.get_by_role("group", name="Number of categories: rewritten")).to_be_visible()
    page.get_by_role("textbox", name="Feature").fill("attachment")
    expect(page.get_by_role("group", name="Number of categories: rewritten")).to_be_hidden()
    in_theme(page, "Night")
    assert found_by_axe(page) == []
    page.goto("/connect/keeps")
    expect(page.get_by_role("link", name="Paper almanac")).to_be_visible()
    assert wrong_at_each_size(page, "/connect/keeps") == {}


@pytest.mark.refused
def test_accounts_are_added_by_a_sheet(page: Page, standins: dict[str, str], tmp_path: Path) -> None:
    sheet = tmp_path / "accounts.csv"
    rows = ["name;address;user;password", f"Director;{standins['halyard']};director;{PASSWORD}", ";;nobody;"]
    rows.append(f"Wrong;{standins['halyard']};lab-office;another")
    sheet.write_text("\n".join(rows))
    page.goto("/connect")
    page.get_by_role("link", name="By a sheet").click()
    page.get_by_label("The sheet").set_input_files(sheet)
    expect(page.get_by_text("row 3")).to_be_visible()
    counted(page, "0 of 2 accounts added, 1 row not readable")
    page.get_by_role("button", name="Add 2 accounts").click()
    counted(page, "1 of 2 accounts added")
    expect(page.get_by_role("button", name="Try 1 account again")).to_be_visible()
    assert wrong_at_each_size(page, "/connect/sheet") == {}
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto("/connect")
    expect(page.get_by_role("heading", name="Director")).to_be_visible()
