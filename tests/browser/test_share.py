"""Sharing, from both sides: made, seen, told and taken back by the administrator; looked at by readers."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import icalendar
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.hands import WEB, Keys, Mouse
from tests.browser.test_sight import AXE
from tests.browser.test_walk import counted

pytestmark = pytest.mark.browser


@pytest.fixture
def reader(browser: Browser) -> Iterator[Page]:
    """Somebody with nothing but an address."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, locale="en-GB", accept_downloads=True)
    page = context.new_page()
    page.set_default_timeout(120_000)
    wrong: list[str] = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    yield page
    context.close()
    assert not wrong, wrong


def given(page: Page, share: str, name: str = "") -> str:
    """Give a share to somebody by its own page; the address they are told."""
    page.goto("/share")
    page.get_by_role("link", name=re.compile(share)).click()
    if name:
        page.get_by_role("button", name="Invite reader…").click()
        page.get_by_role("radio", name=re.compile("one reader")).check()
        page.get_by_label("Name").fill(name)
        page.get_by_role("button", name=f"Create an address for {name}").click()
    else:
        page.get_by_role("button", name="Renew: everyone with the address").click()
    told = page.get_by_role("dialog", name=re.compile("The address for"))
    return told.get_by_label("The page", exact=True).input_value()


def test_the_expedition_is_shared_seen_told_followed_and_taken_back_by_keys(
    page: Page, reader: Page, standins: dict[str, str]
) -> None:
    page.goto("/share")
    keys = Keys(page)
    counted(page, "90 days")
    keys.press("n")
    keys.reach("Title, as readers see it")
    keys.type("Expeditions")
    keys.reach("Expeditions")
    keys.press("Tab")  # from the title to the first choice
    keys.reach("Expeditions")
    keys.press(" ")
    counted(page, "of 88 entries")
    keys.reach("Title of busy times")
    keys.press("Control+a")
    keys.type("At sea")
    keys.reach("Zone")
    keys.press("Control+a")
    keys.type("Atlantic/Reykjavik")
    keys.reach("Owner (a role")
    keys.type("harbour office")
    keys.reach("entry by entry")
    keys.press("Tab", "Enter")
    frame = page.frame_locator("iframe")
    expect(frame.get_by_role("heading", level=1, name="Expeditions")).to_be_visible()
    keys.reach("Create the share", most=120)
    keys.press("Enter")
    expect(page.get_by_text("Nobody can read it yet: it has no address.")).to_be_visible()
    addresses = []
    for name, mail in (("Ida Moe", "ida.moe@skerrow.example"), ("Owen Hale", "owen.hale@skerrow.example")):
        keys.press("n")
        expect(page.get_by_role("dialog")).to_be_visible()
        if not addresses:
            keys.reach("everyone with the address")
            keys.press("ArrowDown")
        keys.reach("Name")
        keys.type(name)
        keys.press("Tab")
        keys.type(mail)
        keys.press("Enter")
        told = page.get_by_role("dialog", name=f"The address for {name}")
        addresses.append(told.get_by_label("The feed", exact=True).input_value())
        keys.reach(f"Invite {name} by mail")
        keys.press("Enter")
        keys.reach(f"Send to {name}")
        keys.press("Enter")
        counted(page, f"{name} is invited.")
    mails = {m["recipient"]: m["body"] for m in WEB.get(standins["mail"] + "/messages.json").json()}
    assert addresses[0] in mails["ida.moe@skerrow.example"]
    assert addresses[0] not in mails["owen.hale@skerrow.example"]
    feed = icalendar.Calendar.from_ical(WEB.get(addresses[0]).content)
    assert {str(event["SUMMARY"]) for event in feed.walk("VEVENT")} == {"At sea"}
    reader.goto(addresses[1].removesuffix("feed.ics"))
    expect(reader.get_by_role("heading", level=1, name="Expeditions")).to_be_visible()
    # Followed by the application itself, it is known for what it is.
    page.goto("/connect/add")
    keys.reach("Address")
    keys.type(addresses[0])
    keys.press("Enter")
    expect(page.get_by_role("region", name="Add it")).to_be_visible()
    keys.reach("Subscribe to", most=120)
    keys.press("Enter")
    page.wait_for_url("**/connect")
    expect(page.get_by_text("a copy of your share “Expeditions”")).to_be_visible()
    page.goto("/share")
    expect(page.get_by_role("link", name=re.compile("Expeditions"))).to_be_visible()
    keys.reach("Expeditions", "ArrowDown")
    keys.press("Enter")
    expect(page.get_by_role("heading", level=1, name="Expeditions")).to_be_visible()
    keys.reach("Revoke: Ida Moe")
    keys.press("Enter")
    keys.reach("Revoke the address of Ida Moe")
    keys.press("Enter")
    counted(page, "The access of Ida Moe is revoked")
    assert [WEB.get(one).status_code for one in addresses] == [410, 200]
    keys.done("share, seen, told, followed, taken back")


def test_what_is_private_is_seen_struck_before_it_is_shared_by_mouse(page: Page) -> None:
    page.goto("/share")
    mouse = Mouse(page)
    mouse.click(page.get_by_role("link", name="New share"))
    mouse.write(page.get_by_label("Title, as readers see it"), "Instruments")
    mouse.click(page.get_by_role("checkbox", name="Instrument bookings"))
    mouse.click(page.get_by_role("radio", name=re.compile("Titles, times and places")))
    mouse.choose(page.get_by_label("Private entries"), "shared as busy")
    counted(page, "37 private as busy")
    mouse.choose(page.get_by_label("Show", exact=True), "private as busy")
    row = page.get_by_role("listitem").filter(has_text="Busy").first
    mouse.click(row.get_by_role("button"))
    lines = page.get_by_role("region", name="Line by line")
    expect(lines.get_by_role("row").filter(has_text="CLASS:PRIVATE")).to_contain_text("left out")
    expect(lines.get_by_role("row").filter(has_text="ATTENDEE").first).to_contain_text("left out")
    mouse.write(page.get_by_label("Owner (a role, not a person)"), "lab office")
    mouse.click(page.get_by_role("button", name="Create the share “Instruments”"))
    expect(page.get_by_role("heading", level=1, name="Instruments")).to_be_visible()
    mouse.done("share with private as busy")


def test_a_title_that_holds_a_name_is_doubted(page: Page) -> None:
    page.goto("/share/2/edit")
    expect(page.get_by_role("alert")).to_contain_text("names of people")


def test_a_share_is_handed_out_to_a_web_host(page: Page, standins: dict[str, str]) -> None:
    page.goto("/share/1")
    page.get_by_role("button", name="Publish to a web host…").click()
    page.get_by_label("Address of the file").fill(standins["breakwater"] + "/web/berths.ics")
    page.get_by_label("User name").fill("member")
    page.get_by_label("Password").fill("low-tide-7")
    page.get_by_role("button", name="Publish now").click()
    expect(page.get_by_text("bytes")).to_be_visible()
    answer = WEB.get(standins["breakwater"] + "/web/berths.ics")
    assert icalendar.Calendar.from_ical(answer.content)["NAME"] == "Berths at Skerrow"


def test_readers_sent_on_arrive(page: Page) -> None:
    address = given(page, "Berths at Skerrow")
    page.get_by_role("button", name="Done").click()
    old = given(page, "Seminars with our partners", "Jón Dal")
    page.get_by_role("button", name="Done").click()
    page.get_by_role("button", name="Redirect: Jón Dal").click()
    page.get_by_label("New address; leave empty to stop redirecting").fill(address)
    page.get_by_role("button", name="Redirect readers").click()
    counted(page, "is redirected from now on")
    arrived = WEB.get(old + "feed.ics", follow_redirects=True)
    assert icalendar.Calendar.from_ical(arrived.content)["NAME"] == "Berths at Skerrow"


# ---- the readers' page -----------------------------------------------------------------------------------


def test_the_page_in_a_frame_of_another_site_shows_what_was_given_and_reaches_nothing_else(
    reader: Page, standins: dict[str, str], address: str
) -> None:
    reader.goto(standins["breakwater"] + "/site/seminars.html")
    inside = reader.frame_locator("iframe")
    expect(inside.get_by_role("heading", level=1, name="Seminars with our partners")).to_be_visible()
    inside.get_by_role("link", name="List", exact=True).click()
    expect(inside.locator(".listed").first).to_be_visible()
    inside.locator("a.entry").first.click()
    details = inside.locator(".details")
    expect(details.get_by_text("Place")).to_be_visible()
    expect(details.get_by_text("Guest Speaker")).to_have_count(0)
    with reader.expect_download() as taken:
        details.get_by_role("link", name="Download this entry").click()
    one = icalendar.Calendar.from_ical(Path(taken.value.path()).read_bytes())
    assert len(one.walk("VEVENT")) >= 1
    assert b"ATTENDEE" not in Path(taken.value.path()).read_bytes()
    reader.set_content(f'<iframe src="{address}/share"></iframe>')
    expect(reader.frame_locator("iframe").get_by_role("navigation")).to_have_count(0)


def test_the_page_is_walked_through_by_keys(page: Page, reader: Page) -> None:
    reader.goto(given(page, "Berths at Skerrow"))
    keys = Keys(reader)
    heading = reader.locator("#shared h2")
    first = heading.inner_text()
    keys.press("ArrowRight")
    expect(heading).not_to_have_text(first)
    keys.press("t")
    expect(heading).to_have_text(first)
    keys.press("m")
    expect(reader.locator(".month")).to_be_visible()
    keys.press("/")
    expect(reader.get_by_role("searchbox", name="Search")).to_be_focused()
    keys.type("crane")
    keys.press("Enter")
    counted(reader, "found")
    keys.press("Tab")
    keys.reach("Berth 3 crane check")
    keys.press("Enter")
    expect(reader.locator(".details h3")).to_have_text("Berth 3 crane check")
    keys.press("Escape")
    expect(reader.locator(".details")).to_have_count(0)


def test_the_page_works_without_script(browser: Browser, page: Page) -> None:
    at = given(page, "Berths at Skerrow")
    context = browser.new_context(java_script_enabled=False, locale="de-DE")
    plain = context.new_page()
    plain.goto(at)
    plain.get_by_role("link", name="Liste", exact=True).click()
    expect(plain.locator(".listed").first).to_be_visible()
    plain.get_by_role("searchbox", name="Suche").fill("crane")
    plain.get_by_role("button", name="Zeigen").click()
    expect(plain.get_by_role("status")).to_contain_text("gefunden")
    plain.locator("a.entry").first.click()
    expect(plain.locator(".details")).to_contain_text("Berth 3")
    context.close()


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_axe_finds_nothing_on_the_readers_page(browser: Browser, page: Page, scheme: str) -> None:
    at = given(page, "Berths at Skerrow")
    for width, height in ((1280, 800), (390, 800)):
        context = browser.new_context(
            viewport={"width": width, "height": height},
            color_scheme=scheme,  # type: ignore[arg-type]
            bypass_csp=True,  # axe is no part of the page, and may not be loaded into it
        )
        looked = context.new_page()
        for view in ("day", "week", "month", "list"):
            looked.goto(f"{at}?view={view}")
            looked.add_script_tag(path=AXE)
            found = looked.evaluate("axe.run(document, {resultTypes: ['violations']})")
            assert [(one["id"], one["nodes"][0]["html"][:200]) for one in found["violations"]] == [], view
            assert looked.evaluate("document.documentElement.scrollWidth <= innerWidth"), (view, width)
        looked.locator("a.entry").first.click()
        looked.locator(".details").wait_for()
        context.close()
