"""Takes every picture of ``docs/screenshots`` again, from untouched sample data: ``make pictures``.

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
from playwright.sync_api import Error, Page, expect, sync_playwright

from bench.application import FLAGS, application
from datebridge.demo.scenario import OFFICE
from datebridge.demo.setup import prepare
from datebridge.demo.world import PASSWORD
from datebridge.settings import Settings

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
SIZE = {"width": 1280, "height": 800}
Shot = Callable[[Page], None]


def settled(page: Page) -> None:
    """Until nothing is asked for any more; the readers' page asks for nothing."""
    page.locator("main[aria-busy=false], main#shared").wait_for()


def to(path: str) -> Shot:
    def go(page: Page) -> None:
        page.goto(path)
        settled(page)

    return go


def connect(page: Page) -> None:
    to("/connect")(page)
    expect(page.get_by_role("region", name="Lantern")).to_be_visible()


def inside(page: Page) -> None:
    connect(page)
    page.get_by_role("link", name="Review").first.click()
    page.wait_for_url(re.compile(r"/connect/\d+$"))
    expect(page.get_by_role("heading", level=1)).to_be_visible()


def proposal(page: Page) -> None:
    to('/look?filter=calendar:"Duty officer rota" water')(page)
    page.get_by_role("button", name="Select all that match").click()
    page.get_by_role("button", name=re.compile("^Delete")).click()
    page.wait_for_url("**/mend/*")
    expect(page.get_by_role("heading", level=1)).to_be_visible()


def duplicates(page: Page) -> None:
    """What the partners' office sent came by another road; it is brought in, looked through, and taken back."""
    connect(page)
    folder = Path(os.environ["DATE_BRIDGE_SHOWN"]) / "sample-files"
    page.get_by_label("Calendar files").set_input_files(folder / "partner-office.ics")
    page.get_by_role("button", name=re.compile("^Import .* “Partner office”")).click()
    expect(page.get_by_role("status").filter(has_text="Press u to undo")).to_be_visible()
    to("/mend/duplicates")(page)
    page.get_by_role("button", name="Same title and time").click()
    expect(page.get_by_role("region", name="This group")).to_be_visible()
    settled(page)
    page.keyboard.press("s")


def zones(page: Page) -> None:
    to("/mend/zones")(page)
    page.get_by_role("button", name="America/Moncton").click()
    expect(page.get_by_role("button", name="Use its definition")).to_be_visible()


def reconcile(page: Page) -> None:
    to("/mend/reconcile")(page)
    page.get_by_label("Left calendar").select_option(label="Vessel berths")
    page.get_by_label("Right calendar").select_option(label="Berths, as exported")
    page.get_by_role("button", name="Compare", exact=True).click()
    expect(page.get_by_role("status").filter(has_text="differ of")).to_be_visible()


def change(page: Page) -> None:
    to("/look?filter=person:tidewrack.example")(page)
    page.get_by_role("button", name="Select all that match").click()
    page.get_by_role("button", name=re.compile("^Change")).click()
    sheet = page.get_by_role("dialog")
    sheet.get_by_label("What", exact=True).select_option("map-address")
    sheet.get_by_label("Old address").fill("@tidewrack.example")
    sheet.get_by_label("New address").fill("@lantern.example")
    sheet.get_by_role("button", name="Add a step").click()
    sheet.get_by_label("Then", exact=True).select_option("replace")
    sheet.get_by_label("Find", exact=True).fill("Kelp")
    sheet.get_by_label("Replace with").fill("Seaweed")
    expect(sheet.get_by_text("In short: addresses")).to_contain_text("Seaweed")


def entry_by_night(page: Page) -> None:
    to("/look?filter=what:handover")(page)
    page.get_by_role("button", name="Night").click()
    page.get_by_role("grid").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("list", name="Source text")).to_be_visible()


def week(page: Page) -> None:
    to("/look/time?view=week")(page)
    page.get_by_role("button", name=re.compile("Duty handover")).first.click()
    page.get_by_role("complementary", name="Occurrence").get_by_label("all of the series").check()


def losses(page: Page) -> None:
    """What Lantern keeps, measured and laid upon everything; the largest loss, and an entry of it in two banks."""
    to("/connect/keeps")(page)
    page.get_by_role("link", name="Lantern").click()
    page.get_by_role("button", name="Measure what Lantern keeps").click()
    page.get_by_role("button", name="Foretell their losses").click(timeout=90_000)
    page.get_by_role("button", name="Properties of unknown names").click(timeout=90_000)
    expect(page.get_by_role("heading", name="drops it from")).to_be_visible()
    page.get_by_role("region", name="The loss").get_by_role("listitem").get_by_role("button").first.click()
    expect(page.get_by_role("group", name="As it will arrive")).to_contain_text("END:VEVENT")


def cross(page: Page) -> None:
    """Three lanes carried while four are rehearsed; somebody has edited entries at the target since."""
    to("/cross/1")(page)
    page.get_by_role("button", name=re.compile("^Rehearse")).click()
    expect(page.get_by_text("Rehearsed: nothing was carried")).to_be_visible(timeout=90_000)
    for name in ("Vessel berths", "Workshop", "Partner seminars"):
        page.get_by_label(f"Choose {name}").check()
    page.get_by_role("button", name="Carry 3 lanes").click()
    page.get_by_role("dialog").get_by_role("button", name="Carry 3 lanes").click()
    berths = page.get_by_role("row").filter(has_text="Vessel berths")
    expect(berths).to_contain_text("carried", timeout=120_000)
    edited_there("vessel-berths", 3)
    page.get_by_role("button", name="Verify 3 lanes").click()
    expect(berths).to_contain_text("unexplained", timeout=90_000)
    berths.locator("button[data-lane]").click()
    page.get_by_role("button", name="Close").click()
    for name in ("Vessel berths", "Workshop", "Partner seminars"):
        page.get_by_label(f"Choose {name}").uncheck()


def edited_there(slug: str, most: int) -> None:
    """Somebody gives some entries of a calendar at Lantern another place."""
    with httpx.Client(base_url="http://127.0.0.1:8142", auth=(OFFICE, PASSWORD)) as web:
        listing = web.request("PROPFIND", f"/dav/calendars/{OFFICE}/{slug}/", headers={"Depth": "1"}).text
        for path in re.findall(r"<(?:\w+:)?href>([^<]+\.ics)<", listing)[:most]:
            text = re.sub(r"LOCATION:.*", "LOCATION:North quay\r", web.get(path).text)
            web.put(path, content=text.encode()).raise_for_status()


def differences(page: Page) -> None:
    to("/cross/1/differences")(page)
    page.get_by_role("region", name="The difference").get_by_role("listitem").get_by_role("button").first.click()
    expect(page.get_by_role("group", name="At the target")).to_contain_text("END:VEVENT")


def cutover(page: Page) -> None:
    """A calendar that was carried and verified, some steps further on."""
    asked = {"name": "Expeditions first", "sources": [], "account_id": 2}
    calendars = page.request.get("/api/calendars").json()
    asked["sources"] = [
        one["id"] for one in calendars if one["name"] == "Expeditions" and one["account"] == "Tidewrack"
    ]
    headers = {"X-Date-Bridge": "pictures"}
    number = page.request.post("/api/crossings", data=asked, headers=headers).json()["id"]
    to(f"/cross/{number}")(page)
    for press, then in (("Run", "carried"), ("Verify", "verified")):
        page.get_by_role("button", name=re.compile(f"^{press}")).click()
        if press == "Run":
            page.get_by_role("button", name="Carry 1 lane").click()
        expect(page.get_by_role("row").filter(has_text="Expeditions")).to_contain_text(then, timeout=90_000)
    page.get_by_role("link", name="Cutover list").click()
    for name in ("Let people in", "Mark the old calendars", "Leave a notice in each"):
        page.get_by_role("button", name=name).click()
        page.get_by_role("dialog").get_by_role("button", name=name).click()
        expect(page.get_by_role("dialog")).to_be_hidden()
    expect(page.get_by_role("status").filter(has_text="5 of 10 steps done")).to_be_visible(timeout=30_000)


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
    page.get_by_role("link", name="Review and decide").click()
    page.get_by_role("link", name="Both sides").click()
    expect(page.get_by_role("group", name="Place")).to_be_visible()


def seen(page: Page) -> None:
    """Titles and places of bookings, private ones as busy, one of them line by line."""
    page.goto("/share/new")
    page.get_by_label("Title, as readers see it").fill("Instruments, for the partners")
    page.get_by_role("checkbox", name="Instrument bookings").check()
    page.get_by_role("radio", name=re.compile("Titles, times and places")).check()
    page.get_by_label("Private entries").select_option("busy")
    page.get_by_text("37 private as busy").first.wait_for()
    page.get_by_label("Show", exact=True).select_option("busy")
    page.get_by_role("listitem").filter(has_text="Busy").first.get_by_role("button").click()
    page.get_by_role("region", name="Line by line").wait_for()


def reader(page: Page) -> None:
    """The berths as everybody sees them who has the address."""
    told = page.request.post("/api/readers/1/renew", headers={"X-Date-Bridge": "pictures"}).json()
    page.goto(told["address"])
    page.locator("a.block, a.entry").first.click()
    page.locator(".details").wait_for()


#: In this order; some change something, so they come last.
SHOTS: dict[str, Shot] = {
    "look": to("/look"),
    "connect": connect,
    "inside": inside,
    "checks": to("/mend/checks?check=unresolved-zone"),
    "zones": zones,
    "reconcile": reconcile,
    "change": change,
    "logbook": to("/logbook"),
    "entry-night": entry_by_night,
    "time-week": week,
    "losses": losses,
    "cross": cross,
    "differences": differences,
    "cutover": cutover,
    "proposal": proposal,
    "conflict": conflict,
    "duplicates": duplicates,
    "share-seen": seen,
    "reader": reader,
}


def main(wanted: list[str]) -> int:
    """Take the views that were named, or all; returns how many could not be had."""
    missed = 0
    chromium = os.environ.get("CHROMIUM") or shutil.which("chromium")
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        prepare(Settings(data_dir=Path(folder)))
        os.environ["DATE_BRIDGE_SHOWN"] = folder
        expect.set_options(timeout=20_000)
        with application(Path(folder), "demo") as address:
            browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
            for name in wanted or SHOTS:
                page = browser.new_context(viewport=SIZE, base_url=address).new_page()  # type: ignore[arg-type]
                page.set_default_timeout(20_000)
                try:
                    SHOTS[name](page)
                    settled(page)
                    page.evaluate("document.fonts.ready")
                    page.screenshot(path=FOLDER / f"{name}.png", animations="disabled", caret="hide")
                    print(name)
                except (Error, AssertionError) as error:  # the others are taken all the same
                    print(f"{name}: {error}", file=sys.stderr)
                    missed += 1
                page.close()
            browser.close()
    for path in () if wanted else FOLDER.glob("*.png"):
        if path.stem not in SHOTS:
            path.unlink()
    return missed


if __name__ == "__main__":
    sys.exit(1 if main(sys.argv[1:]) else 0)
