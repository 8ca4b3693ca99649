"""Takes every picture of ``docs/screenshots`` anew, from untouched sample data: ``make pictures``.

It does not replace looking at them. One view alone: ``python -m bench.pictures time-week``.
"""

from __future__ import annotations

import os
import re
import shutil
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import httpx
from playwright.sync_api import Page, expect, sync_playwright

from bench.application import FLAGS, application
from datebridge.demo.setup import prepare
from datebridge.settings import Settings

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
SIZE = {"width": 1280, "height": 800}
Shot = Callable[[Page], None]


def settled(page: Page) -> None:
    """Until nothing is asked for any more."""
    page.locator("main[aria-busy=false]").wait_for()


def to(path: str) -> Shot:
    def go(page: Page) -> None:
        page.goto(path)
        settled(page)

    return go


def connect(page: Page) -> None:
    to("/connect")(page)
    expect(page.get_by_role("region", name="Lantern")).to_be_visible()


def calendar(page: Page) -> None:
    connect(page)
    page.get_by_role("link", name="Port calls, Breakwater", exact=True).first.click()
    settled(page)


def add(page: Page) -> None:
    to("/connect/catalogue")(page)
    page.get_by_role("button", name="Ferries").click()
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("heading", name="The coming three months")).to_be_visible()


def inside(page: Page) -> None:
    connect(page)
    page.get_by_role("link", name=re.compile("mooring-log-damaged")).first.click()
    expect(page.get_by_role("heading", level=1)).to_be_visible()


def proposal(page: Page) -> None:
    to('/look?filter=calendar:"Duty officer rota" water')(page)
    page.get_by_role("button", name="Select all that match").click()
    page.get_by_role("button", name=re.compile("^Delete")).click()
    page.wait_for_url("**/mend/*")
    expect(page.get_by_role("heading", level=1)).to_be_visible()


def transfer(page: Page) -> None:
    to('/look?filter=calendar:"Instrument bookings"')(page)
    page.get_by_role("button", name="Select all that match").click()
    page.get_by_role("grid").focus()
    page.keyboard.press("c")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.get_by_role("dialog").get_by_role("combobox").first.select_option(label="a new calendar on Lantern")


def entry_by_night(page: Page) -> None:
    to("/look?filter=what:handover")(page)
    page.get_by_role("button", name="Night").click()
    page.get_by_role("grid").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("list", name="Source text")).to_be_visible()


def week(page: Page) -> None:
    to("/look/time?view=week")(page)
    page.get_by_role("button", name=re.compile("^Duty handover")).first.click()
    page.get_by_role("complementary", name="Occurrence").get_by_label("all of the series").check()


def day(page: Page) -> None:
    to("/look/time?view=day")(page)
    page.keyboard.press("v")  # and so it stays


def picked(page: Page) -> None:
    to("/look/time")(page)
    page.keyboard.press("p")
    page.get_by_label("Days in words").fill("Mondays of this quarter")
    page.keyboard.press("Enter")


def overlaps(page: Page) -> None:
    to("/look/overlaps")(page)
    page.get_by_role("listitem").first.wait_for()


def sides(page: Page) -> None:
    to("/look/sides")(page)
    page.get_by_label("Left bank").select_option(label="Vessel berths")
    page.get_by_label("Right bank").select_option(label="Berths, as exported")
    expect(page.locator("p[role=status]")).to_contain_text("only left")
    page.keyboard.press("e")


def conflict(page: Page) -> None:
    """Somebody edits on the server while the same entry is changed here."""
    to('/look?filter=calendar:"Harbour office" what:"part 1"')(page)
    page.get_by_role("row").nth(1).dblclick()
    source = page.get_by_role("list", name="Source text")
    expect(source).to_contain_text("END:VEVENT")
    lines = [re.sub(r"^\d+\s*", "", line) for line in source.get_by_role("listitem").all_inner_texts()]
    text = "\n".join(lines).replace("LOCATION:Chart room", "LOCATION:Library\nSEQUENCE:5")
    httpx.post("http://127.0.0.1:8142/-/faults", json=[{"kind": "meddle", "method": "PUT"}]).raise_for_status()
    page.goto("/connect")
    file = {
        "name": "moved.ics",
        "mimeType": "text/calendar",
        "buffer": f"BEGIN:VCALENDAR\n{text}\nEND:VCALENDAR\n".encode(),
    }
    page.get_by_label("Calendar files").set_input_files([file])  # type: ignore[list-item]
    page.get_by_role("combobox", name="Calendar").select_option(label="Harbour office (live 15 min · writable)")
    page.get_by_role("button", name="change 1 in “Harbour office”").click()
    page.wait_for_url(re.compile("/look"))
    page.goto("/connect")
    page.get_by_role("link", name="Look at them and decide").click()
    page.get_by_role("link", name="Both sides").click()
    expect(page.get_by_role("group", name="Place")).to_be_visible()


#: In this order; the last two change something.
SHOTS: dict[str, Shot] = {
    "look": to("/look"),
    "connect": connect,
    "calendar": calendar,
    "add": add,
    "inside": inside,
    "copy": transfer,
    "mend": to("/mend"),
    "logbook": to("/logbook"),
    "entry-night": entry_by_night,
    "time-week": week,
    "time-month": to("/look/time?view=month"),
    "time-list": to("/look/time?view=agenda"),
    "time-year": to("/look/time?view=year"),
    "time-picked": picked,
    "time-day": day,
    "overlaps": overlaps,
    "sides": sides,
    "proposal": proposal,
    "conflict": conflict,
}


def main(wanted: list[str]) -> None:
    chromium = os.environ.get("CHROMIUM") or shutil.which("chromium")
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        prepare(Settings(data_dir=Path(folder)))
        with application(Path(folder), "demo") as address:
            browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
            for name in wanted or SHOTS:
                page = browser.new_context(viewport=SIZE, base_url=address).new_page()  # type: ignore[arg-type]
                SHOTS[name](page)
                settled(page)
                page.evaluate("document.fonts.ready")
                page.screenshot(path=FOLDER / f"{name}.png", animations="disabled", caret="hide")
                print(name)
                page.close()
            browser.close()
    for path in () if wanted else FOLDER.glob("*.png"):
        if path.stem not in SHOTS:
            path.unlink()


if __name__ == "__main__":
    main(sys.argv[1:])
