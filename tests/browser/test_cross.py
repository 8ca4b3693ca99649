"""A move from both hands: lanes chosen, led elsewhere, carried, changed at both ends, decided, verified, sent back."""

from __future__ import annotations

import csv
import re
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from datebridge.demo.scenario import OFFICE
from datebridge.demo.world import PASSWORD
from datebridge.services.crossing.reports import check
from tests.browser.hands import WEB, Keys
from tests.browser.test_sight import found_by_axe, wrong_at_each_size
from tests.browser.test_walk import counted

pytestmark = pytest.mark.browser
CROSSING = "/cross/1"


def lane(page: Page, source: str) -> Locator:
    return page.get_by_role("row").filter(has_text=source)


def rename(server: str, title: str, other: str) -> None:
    """Somebody renames an entry on a server."""
    home = f"{server}/dav/calendars/{OFFICE}/workshop/"
    listing = WEB.request("PROPFIND", home, auth=(OFFICE, PASSWORD), headers={"Depth": "1"}).text
    for path in re.findall(r"<(?:\w+:)?href>([^<]+\.ics)<", listing):
        answer = WEB.get(f"{server}{path}", auth=(OFFICE, PASSWORD))
        if f"SUMMARY:{title}" in answer.text:
            text = answer.text.replace(f"SUMMARY:{title}", f"SUMMARY:{other}")
            WEB.put(f"{server}{path}", auth=(OFFICE, PASSWORD), content=text.encode()).raise_for_status()
            return
    raise AssertionError(f"{title} is not there")


def test_two_lanes_are_carried_and_verified_by_keys(page: Page) -> None:
    keys = Keys(page)
    page.goto("/")
    expect(page.get_by_role("link", name="Cross")).to_be_visible()
    keys.press("4")
    expect(page.get_by_text("Skerrow to Lantern")).to_be_visible()
    keys.reach("Skerrow to Lantern", "ArrowDown")
    keys.press("Enter")
    counted(page, "7 lanes")
    keys.press("a")
    keys.reach("Choose Workshop")
    keys.press("Space")
    keys.reach("Choose Station notices")
    keys.press("Space")
    keys.reach("Leave out")
    keys.press("Enter")
    counted(page, "2 lanes, ")
    keys.press("r")
    expect(lane(page, "Workshop")).to_contain_text("rehearsed")
    assert wrong_at_each_size(page, "/cross/1 rehearsed") == {}
    page.set_viewport_size({"width": 1280, "height": 800})
    keys.press("g")
    expect(page.get_by_role("dialog", name="Run")).to_be_visible()
    keys.press("Enter")
    expect(lane(page, "Workshop")).to_contain_text("carried")
    keys.press("v")
    expect(lane(page, "Workshop")).to_contain_text("✓ verified")
    counted(page, "2 verified")
    keys.press("e")
    expect(page.get_by_role("heading", name="Differences")).to_be_visible()
    assert found_by_axe(page) == []
    keys.done("two calendars carried to another server, and verified")
    keys.reach("Back to Skerrow to Lantern")
    keys.press("Enter")
    expect(lane(page, "Workshop")).to_be_visible()
    keys.press("c")
    counted(page, "2 of 10 steps done")
    for at, name in enumerate(
        ("Let people in", "Mark the old calendars", "Leave a notice", "Point shares to the new place"), 3
    ):
        keys.press("n")
        expect(page.get_by_role("dialog", name=name)).to_be_visible()
        keys.press("Enter")
        counted(page, f"{at} of 10 steps done")
    expect(page.get_by_text("Station notices is read-only: ask its owner to do it.").first).to_be_visible()
    keys.press("n")
    expect(page.get_by_role("list", name="Owners")).to_contain_text("Ruth Kittow")
    assert wrong_at_each_size(page, "/cross/1/cutover") == {}
    page.set_viewport_size({"width": 1280, "height": 800})
    keys.reach("They were told in another way")
    keys.press("Enter")
    counted(page, "7 of 10 steps done")
    keys.press("n")
    keys.press("Enter")
    expect(page.get_by_text("under way", exact=False).first).to_be_visible()
    expect(page.get_by_text("Archive the old side first.")).to_be_visible()
    keys.reach("Take back: Mark the old calendars")
    keys.press("Enter")
    counted(page, "6 of 10 steps done")
    keys.done("the list of the cutover gone through, and one step taken back")


def test_a_lane_is_changed_at_both_ends_decided_reported_and_sent_back_by_the_mouse(
    page: Page, standins: dict[str, str], tmp_path: Path
) -> None:
    page.goto(CROSSING)
    with page.expect_download() as saved:
        page.get_by_role("link", name="Lanes as a sheet").click()
    rows = list(csv.DictReader(Path(saved.value.path()).read_text("utf-8-sig").splitlines()))
    sheet = tmp_path / "lanes.csv"
    lines = [",".join(rows[0]), *(",".join(row.values()) for row in rows if row["source calendar"] == "Workshop")]
    sheet.write_text("\n".join([*lines, "Tidewrack,Attic,,,,,,,,"]), "utf-8")
    page.get_by_label("A sheet of lanes").set_input_files(sheet)
    expect(page.get_by_role("alert")).to_contain_text("There is no calendar “Attic” on Tidewrack")
    sheet.write_text("\n".join(lines), "utf-8")
    page.get_by_label("A sheet of lanes").set_input_files(sheet)
    counted(page, "1 lane, ")
    page.get_by_role("button", name=re.compile("^Run")).click()
    page.get_by_role("button", name="Carry 1 lane").click()
    expect(lane(page, "Workshop")).to_contain_text("carried")
    title = str(
        page.evaluate("fetch('/api/entries?limit=1&filter=calendar:Workshop').then((r) => r.json())")["rows"][0]["what"]
    )
    rename(standins["lantern"], title, "Renamed there")
    rename(standins["tidewrack"], title, "Renamed here")
    page.get_by_role("button", name=re.compile("^Run again")).click()
    page.get_by_role("button", name="Carry 1 lane").click()
    page.get_by_role("link", name="1 decision waits").click()
    expect(page.get_by_text("Changed at both ends since: SUMMARY.").first).to_be_visible()
    expect(page.get_by_role("group", name="At the target")).to_contain_text("Renamed there")
    assert found_by_axe(page) == []
    page.get_by_role("button", name=re.compile("^Take the source")).click()
    counted(page, "Nothing waits")
    page.get_by_role("link", name="Back to the crossing").click()
    expect(lane(page, "Workshop")).to_contain_text("carried")
    rename(standins["lantern"], "Renamed here", "Renamed again")
    page.get_by_role("button", name=re.compile("^Verify")).click()
    expect(lane(page, "Workshop")).to_contain_text("1 unexplained")
    page.get_by_role("link", name="Differences found").click()
    page.get_by_role("region", name="The difference").get_by_role("listitem").get_by_role("button").first.click()
    mirrored = page.get_by_role("link", name="On the mirrored days").get_attribute("href") or ""
    assert re.fullmatch(r"/look/sides\?left=\d+&right=\d+&on=\d{4}-\d\d-\d\d", mirrored)
    page.get_by_role("button", name="Rule this one to be right").click()
    counted(page, "Every difference is explained")
    page.get_by_role("link", name="Back to Skerrow to Lantern").click()
    expect(lane(page, "Workshop")).to_contain_text("✓ verified")
    with page.expect_download() as report:
        page.get_by_role("link", name="Signed report").click()
    checked = check(Path(report.value.path()).read_bytes())
    assert (checked.lanes, checked.unexplained) == (1, 0)
    page.get_by_label("Choose Workshop").check()
    page.get_by_role("button", name="Send back…").click()
    page.get_by_role("button", name="Take back 1 lane").click()
    expect(lane(page, "Workshop")).to_contain_text("sent back")
