"""Looking at time: the questions a newcomer has, each within a few keys, and edits by line, drawer, drag and key."""

from __future__ import annotations

import re
from datetime import date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from playwright.sync_api import Locator, Page, expect

from datebridge.clock import this_day
from tests.browser.hands import Keys

pytestmark = pytest.mark.browser


def _show(page: Page, query: str = "") -> None:
    page.goto(f"/look/time{query}")
    expect(page.get_by_role("status").first).to_contain_text(re.compile(r"[1-9]\d* occurrence"))


def _block(page: Page, title: str) -> Locator:
    return page.locator("button[data-key]").filter(has_text=title).first


def test_which_bookings_collide_with_the_expedition_in_the_next_month(page: Page) -> None:
    _show(page)
    page.keyboard.press("x")
    page.wait_for_url("**/look/overlaps*")
    expect(page.get_by_role("listitem").first).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("expedition")
    rows = page.get_by_role("list", name="Overlaps").get_by_role("listitem")
    expect(rows.first).to_contain_text("Expeditions")
    count = int(page.get_by_role("status").first.inner_text().split()[0])
    assert count == len([row for row in rows.all() if "Expeditions" in row.inner_text()]) or count > 20
    with page.expect_download() as download:
        page.get_by_role("link", name="Export as CSV").click()
    assert len(Path(download.value.path()).read_text("utf-8-sig").splitlines()) == count + 1
    page.get_by_role("button", name=re.compile("entries in the table")).click()
    page.wait_for_url("**/look?filter=uid*")


def test_what_all_mondays_of_this_quarter_look_like(page: Page) -> None:
    _show(page)
    page.keyboard.press("p")
    page.get_by_label("Days in words").fill("Mondays of this quarter")
    page.keyboard.press("Enter")
    heads = page.get_by_role("region", name="Hours").get_by_role("button", name=re.compile(r"^Mon \d"))
    expect(heads.nth(11)).to_be_visible()
    assert heads.count() in (12, 13, 14)
    page.get_by_role("button", name=re.compile("keep these")).last.click()
    page.reload()
    page.get_by_label("Saved days").select_option("Mondays of this quarter")
    expect(heads.first).to_be_visible()


def test_when_an_hour_in_hobart_is_for_halifax_before_and_after_each_change(page: Page) -> None:
    _show(page)
    page.keyboard.press("z")
    page.get_by_label("Clock", exact=True).select_option("Hobart")
    page.get_by_label("Hour", exact=True).fill("15")
    page.keyboard.press("Enter")
    rows = page.get_by_role("dialog").get_by_role("row")
    expect(rows.nth(1)).to_contain_text("15:00 +1")  # as Hobart's offset begins, and none other's
    expect(page.get_by_role("dialog").get_by_role("table")).to_have_attribute("aria-busy", "false")
    today = this_day()
    for row in rows.all()[1:]:
        day = date.fromisoformat(row.get_by_role("cell").first.inner_text()[:10])
        hobart = datetime(day.year, day.month, day.day, 15, tzinfo=ZoneInfo("Australia/Hobart"))
        assert f"{hobart.astimezone(ZoneInfo('America/Halifax')):%H:%M}" in row.get_by_role("cell").nth(3).inner_text()
        assert day >= today
    assert rows.count() >= 5


def test_where_the_imported_calendar_does_not_match_the_accounts(page: Page) -> None:
    page.goto("/look/sides?view=month")
    page.get_by_label("Left bank").select_option(label="Vessel berths")
    page.get_by_label("Right bank").select_option(label="Berths, as exported")
    expect(page.locator("p[role=status]")).to_contain_text("only left")
    page.keyboard.press("n")
    differences = page.get_by_role("region", name="Differences")
    expect(differences.locator("[aria-current=true]")).to_contain_text("left:")
    seen = set()
    for _ in range(12):
        seen.add(differences.locator("[aria-current=true]").inner_text())
        page.keyboard.press("n")
        expect(differences.locator("[aria-current=true]")).to_be_visible()
    assert len(seen) > 3
    expect(differences.get_by_text(re.compile(r"right is \+1 h|only left")).first).to_be_visible()


def test_layers_by_key(page: Page) -> None:
    _show(page, "?view=month")
    keys = Keys(page)
    shown = page.locator("[data-layer][aria-pressed=true]")
    before = shown.count()
    keys.press("l")
    panel = page.get_by_role("complementary", name="All layers")
    keys.type("expeditions")
    expect(panel.get_by_role("status")).to_have_text("1 of 1 on")
    keys.press("ArrowDown", "Space")
    expect(shown).to_have_count(before - 1)
    expect(page.get_by_role("button", name=re.compile(r"of \d+ off: show all"))).to_be_visible()
    keys.press("b")
    expect(shown).to_have_count(before + 1)  # one was off from the start
    keys.press("o")
    expect(shown).to_have_count(1)
    keys.press("o")
    expect(shown).to_have_count(before + 1)
    keys.press("Escape")
    expect(panel).to_have_count(0)
    keys.press("l")
    keys.type("breakwater")  # an account
    keys.press("Enter")
    expect(shown).to_have_count(2)
    keys.press("Escape", "Shift+Digit2")
    expect(shown).to_have_count(3)


def test_one_scale_from_years_to_hours_by_keys(page: Page) -> None:
    _show(page)
    keys = Keys(page)
    view = page.get_by_label("View", exact=True)
    for key, shown in (("-", "month"), ("-", "year"), ("-", "year"), ("+", "month"), ("+", "week"), ("+", "day")):
        keys.press(key)
        expect(view).to_have_value(shown)
    keys.press("+", "+")  # nearer than a day are the finer divisions of its hours
    expect(page.get_by_label("Division of hours")).to_have_value("10")
    keys.press("-", "-", "-")
    expect(view).to_have_value("week")
    for key, shown in (("r", "work"), ("r", "week"), ("o", "agenda"), ("o", "week")):
        keys.press(key)
        expect(view).to_have_value(shown)
    keys.press("j")
    expect(page.get_by_label("Go to a day")).to_be_focused()
    keys.type("3 jun 2027")
    keys.press("Enter")
    title = page.locator("strong").first
    expect(title).to_contain_text("31 May 2027 – 6 Jun 2027 · W22")
    keys.press("PageDown")
    expect(title).to_contain_text("7–13 Jun 2027")
    keys.press(".")
    expect(title).not_to_contain_text("2027")


def test_an_event_by_a_typed_line_edited_moved_and_taken_back(page: Page) -> None:
    _show(page)
    page.keyboard.press("n")
    page.get_by_label("Layer of the new event").select_option(label="Vessel berths")
    page.get_by_label("New event", exact=True).fill("Keel survey, fri 9:00–10:30")
    page.keyboard.press("Enter")
    block = _block(page, "Keel survey")
    expect(block).to_be_visible()
    block.focus()
    page.keyboard.press("Alt+ArrowDown")
    expect(_block(page, "Keel survey")).to_have_attribute("title", re.compile("09:30–11:00"))
    _block(page, "Keel survey").click()
    drawer = page.get_by_role("complementary", name="Occurrence")
    expect(drawer.get_by_label("On the other clocks")).to_contain_text("Hobart")
    drawer.get_by_label("Title").fill("Keel survey, dry")
    drawer.get_by_label("Repeats").select_option("WEEKLY")
    expect(drawer.get_by_text("every Friday")).to_be_visible()
    drawer.get_by_text("add an alarm").click()
    drawer.get_by_role("button", name="Save it").click()
    expect(_block(page, "Keel survey, dry")).to_be_visible()
    page.keyboard.press("ArrowRight")
    _block(page, "Keel survey, dry").click()
    drawer.get_by_label("all of the series").check()
    drawer.get_by_role("button", name="Delete all of the series").click()
    expect(_block(page, "Keel survey")).to_have_count(0)
    page.keyboard.press("u")
    expect(_block(page, "Keel survey, dry")).to_be_visible()


def test_drawing_and_dragging(page: Page) -> None:
    page.goto(f"/look/time?view=day&on={this_day() + timedelta(days=400):%Y-%m-%d}")
    column = page.locator("[data-day]").first
    expect(column).to_be_visible()
    area = page.get_by_role("region", name="Hours").bounding_box()
    assert area is not None
    x, y = area["x"] + 700, area["y"] + 200
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 60, steps=4)
    page.mouse.up()
    drawer = page.get_by_role("complementary", name="New event")
    drawer.get_by_label("Title").fill("Drawn here")
    drawer.get_by_label("Layer").select_option(label="Vessel berths")
    drawer.get_by_role("button", name=re.compile("^Add to")).click()
    block = _block(page, "Drawn here")
    expect(block).to_be_visible()
    before = block.get_attribute("title")
    box = block.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 30, box["y"] + 12)
    page.mouse.down()
    page.mouse.move(box["x"] + 30, box["y"] + 12 + 84, steps=5)
    page.mouse.up()
    expect(page.get_by_text("Press u to undo")).to_contain_text("Move")
    expect(_block(page, "Drawn here")).not_to_have_attribute("title", before or "")


def test_a_row_of_the_table_opens_at_its_time_and_the_table_lists_occurrences(page: Page) -> None:
    page.goto("/look?filter=what:handover")
    expect(page.get_by_role("row").nth(1)).to_contain_text("Duty handover")
    page.get_by_role("grid").focus()
    page.keyboard.press("i")
    page.wait_for_url("**/look/time?*")
    expect(page.get_by_role("complementary", name="Occurrence").get_by_label("Title")).to_have_value("Duty handover")
    page.goto("/look?filter=what:handover")
    page.get_by_role("link", name="List occurrences").click()
    rows = page.get_by_role("list", name="Occurrences").get_by_role("listitem")
    expect(rows.first).to_contain_text("Duty handover")
    assert 3 <= rows.count() <= 6
