"""What can be seen: axe finds nothing on any page in either theme, and nothing runs past the edge at any size."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, ViewportSize, expect

from tests.browser.test_walk import counted
from tests.depth import LONGER

pytestmark = pytest.mark.browser
AXE = Path(__file__).parents[2] / "frontend/node_modules/axe-core/axe.min.js"
#: As usual; 200 % of it; a large one.
SIZES: tuple[ViewportSize, ...] = (
    {"width": 1280, "height": 800},
    {"width": 640, "height": 400},
    {"width": 1600, "height": 1000},
)
PAGES = {
    "connect": (
        "/connect",
        "/connect/3",
        "/connect/4",
        "/connect/add",
        "/connect/catalogue",
        "/connect/calendar/1",
        "/connect/conflicts",
        "/connect/keeps",
        "/connect/keeps/1",
        "/connect/sheet",
    ),
    "look": ("/look", "/look?filter=nothingatall"),
    "time": (
        *(f"/look/time?view={view}" for view in ("day", "week", "work", "month", "year", "agenda", "picked")),
        "/look/time?view=picked&days=2026-11-23,2026-11-30",
    ),
    "overlaps and sides": ("/look/overlaps", "/look/sides", "/look/sides?left=3&right=4&view=month"),
    "mend": ("/mend", "/mend/checks", "/mend/checks?check=calendars", "/mend/duplicates", "/mend/recipes"),
    "zones and series": (
        "/mend/zones",
        "/mend/zones?name=off",
        "/mend/series",
        "/mend/series?what=inferred",
        "/mend/series?what=exdate-misses",
        "/mend/reconcile",
    ),
    "cross": ("/cross", "/cross/new", "/cross/1", "/cross/1?lane=1", "/cross/1/differences", "/cross/1/decisions"),
    "share and logbook": ("/share", "/share/2", "/share/new", "/share/2/edit", "/logbook", "/logbook/10"),
}


def found_by_axe(page: Page, rules: str = "") -> list[object]:
    """What axe finds on a page; with all rules, or with one."""
    page.locator("main[aria-busy=false]").wait_for()
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text("utf-8"))
    only = {"runOnly": {"type": "rule", "values": [rules]}} if rules else {}
    found = page.evaluate("(how) => axe.run(document, how)", {"resultTypes": ["violations"], **only})
    return [(one["id"], [node["target"] for node in one["nodes"]][:3]) for one in found["violations"]]


def opened(page: Page, path: str) -> None:
    """The page, with what opens beside it where something does."""
    page.set_viewport_size(SIZES[0])
    page.goto(path)
    page.locator("main[aria-busy=false]").wait_for()
    if path == "/look":
        page.keyboard.press("Space")
        page.keyboard.press("Enter")
        expect(page.get_by_role("list", name="Source text")).to_be_visible()
    if path.endswith("view=week"):
        page.locator("button[data-key]").first.click()
        page.get_by_text(re.compile("People, busy, privacy")).click()


def wrong_at_each_size(page: Page, path: str) -> dict[str, object]:
    wrong: dict[str, object] = {}
    for size in SIZES:
        page.set_viewport_size(size)
        said = found_by_axe(page) if LONGER or size == SIZES[0] else []
        wide = page.evaluate("document.documentElement.scrollWidth")
        if wide > size["width"]:
            said.append(f"{wide} wide")
        if said:
            wrong[f"{path} {size['width']}"] = said
    return wrong


def in_theme(page: Page, name: str) -> None:
    page.set_viewport_size(SIZES[0])
    page.get_by_role("button", name=name, exact=True).click()


@pytest.mark.parametrize("paths", PAGES.values(), ids=PAGES)
def test_axe_finds_nothing_by_day_or_by_night_and_nothing_runs_past_the_edge(
    page: Page, paths: tuple[str, ...]
) -> None:
    wrong = {}
    for path in paths:
        opened(page, path)
        wrong |= wrong_at_each_size(page, path)
        in_theme(page, "Night")
        if said := found_by_axe(page, "" if LONGER else "color-contrast"):
            wrong[f"{path} by night"] = said
        in_theme(page, "Day")
    assert not wrong, wrong


@pytest.mark.parametrize("theme", ["Day", "Night"])
def test_axe_finds_nothing_on_a_proposal(page: Page, theme: str) -> None:
    page.goto("/look")
    if theme == "Night":
        page.get_by_role("button", name="Night", exact=True).click()
    counted(page, "entries")
    page.get_by_role("grid").focus()
    page.keyboard.press("Space")
    expect(page.get_by_role("region", name="Selection")).to_be_visible()
    page.keyboard.press("Delete")
    page.wait_for_url("**/mend/*")
    assert wrong_at_each_size(page, "/mend/…") == {}
