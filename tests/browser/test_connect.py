"""The road to other systems, as the README walks it: an account, its calendars, a deletion and a copy that arrive."""

from __future__ import annotations

import re
from email.message import EmailMessage
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from datebridge.demo.scenario import OFFICE
from datebridge.demo.world import PASSWORD
from tests.browser.hands import WEB, Keys
from tests.browser.test_walk import counted, find
from tests.conftest import calendar, event, wait_until

pytestmark = pytest.mark.browser


def objects(standins: dict[str, str], server: str, slug: str, person: str = OFFICE) -> int:
    """How many entries a server holds in a calendar, asked of the server itself."""
    answer = WEB.request(
        "PROPFIND",
        f"{standins[server]}/dav/calendars/{person}/{slug}/",
        auth=(person, PASSWORD),
        headers={"Depth": "1"},
    )
    return answer.text.count("getetag>") // 2 if answer.status_code == 207 else -1


def test_an_account_is_added_a_calendar_switched_on_cleaned_copied_and_nobody_is_told(
    page: Page, standins: dict[str, str]
) -> None:
    page.goto("/connect")
    expect(page.get_by_role("region", name="Tidewrack")).to_contain_text("Vessel berths")
    # The director's account: its password is asked for, and its calendars stay off until they are switched on
    page.keyboard.press("/")
    page.keyboard.type(standins["tidewrack"])
    page.keyboard.press("Enter")
    expect(page.get_by_text("requires a user name and a password")).to_be_visible()
    page.get_by_label("User name").fill("director")
    page.get_by_label("Password").fill("guess")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("does not accept this user name and password")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_text("It holds 1 calendar for Ruth Kittow")).to_be_visible()
    page.get_by_role("button", name="Connect, with all 1 calendars switched off").click()
    account = page.get_by_role("region", name="Ruth Kittow")
    row = account.get_by_role("listitem").filter(has_text="Station notices")
    expect(row).to_contain_text("switched off")
    expect(row).to_contain_text("30 entries")
    row.get_by_role("button", name="Switch on").click()
    expect(row).to_contain_text("both ways with Ruth Kittow")
    # Wrong entries are deleted here, and are gone there
    page.keyboard.press("2")
    find(page, 'account:"Ruth Kittow" drill')
    counted(page, "6 entries")
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")
    page.get_by_role("button", name="Delete 6 entries from “Station notices”").press("Enter")
    counted(page, "Done: Delete 6 events")
    wait_until(lambda: objects(standins, "tidewrack", "notices", "director") == 24)
    # Several hundred are copied to the new server
    page.keyboard.press("2")
    find(page, 'calendar:"Instrument bookings" after:2025')
    counted(page, "entries")
    page.keyboard.press("Control+a")
    page.keyboard.press("c")
    page.get_by_label("To", exact=True).select_option("Lantern: a new calendar")
    page.get_by_label("Called").fill("Lab bookings")
    page.get_by_role("button", name="Review copying to a new calendar “Lab bookings” on Lantern").click()
    heading = page.get_by_role("heading", name=re.compile(r"Copy [\d,]+ entries to Lab bookings \(Lantern\)"))
    expect(heading).to_be_visible()
    number = int(re.sub(r"\D", "", heading.inner_text().partition("entries")[0]))
    assert number > 400
    expect(page.get_by_text(re.compile(r"The attendees of \d+ entries are not notified"))).to_be_visible()
    page.keyboard.press("a")
    counted(page, "Done: Copy")
    wait_until(lambda: objects(standins, "lantern", "lab-bookings") == number)
    page.goto("/connect")
    copied = page.get_by_role("region", name="Lantern").get_by_role("listitem").filter(has_text="Lab bookings")
    expect(copied).to_contain_text(f"{number:,} entries")
    assert "The drop is empty" in WEB.get(standins["mail"]).text


def test_a_change_that_met_another_is_decided_field_by_field(
    page: Page, standins: dict[str, str], tmp_path: Path
) -> None:
    page.goto("/look?filter=calendar:%22Harbour%20office%22%20what:%22part%201%22")
    counted(page, "4 entries")
    page.get_by_role("row").nth(1).dblclick()
    source = page.get_by_role("list", name="Source text")
    expect(source).to_contain_text("END:VEVENT")
    lines = [re.sub(r"^\d+\s*", "", line) for line in source.get_by_role("listitem").all_inner_texts()]
    text = "\n".join(lines).replace("LOCATION:Chart room", "LOCATION:Library\nSEQUENCE:5")
    path = tmp_path / "moved.ics"
    path.write_text(calendar(text))
    WEB.post(f"{standins['lantern']}/-/faults", json=[{"kind": "meddle", "method": "PUT"}]).raise_for_status()
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(path)
    page.get_by_role("combobox", name="Calendar").select_option("Harbour office (live 15 min · writable)")
    page.get_by_role("button", name="change 1 in “Harbour office”").click()
    page.wait_for_url(re.compile("/look"))  # it is applied: leaving at once would call the request off
    page.goto("/connect")
    page.get_by_role("link", name="Review and decide").click()
    page.get_by_role("link", name="Both sides").click()
    expect(page.get_by_role("group", name="Title")).to_contain_text("edited elsewhere")
    page.get_by_role("group", name="Place").get_by_label("Library").check()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Merge field by field").click()
    counted(page, "Merged from both sides")
    page.goto("/look?filter=edited%20elsewhere")
    counted(page, "1 entry")
    expect(page.get_by_role("row").nth(1)).to_contain_text("Library")


def test_what_a_full_server_refused_is_tried_again_in_one(page: Page, standins: dict[str, str], tmp_path: Path) -> None:
    faults = f"{standins['lantern']}/-/faults"
    WEB.post(faults, json=[{"kind": "full", "method": "PUT", "count": 50}]).raise_for_status()
    path = tmp_path / "new.ics"
    path.write_text(calendar(*(event(f"pump-{n}", f"Pump {n}", f"2027020{n}T080000Z") for n in (1, 2, 3))))
    page.goto("/connect")
    page.get_by_label("Calendar files").set_input_files(path)
    page.get_by_role("combobox", name="Calendar").select_option("Harbour office (live 15 min · writable)")
    page.get_by_role("button", name="Import 3 entries into").click()
    page.wait_for_url(re.compile("/look"))
    page.goto("/connect/conflicts")
    refused = page.get_by_role("region", name="Refused, by calendar and reason")
    expect(refused).to_contain_text("has no space left (507)")
    WEB.post(faults, json=[]).raise_for_status()
    before = objects(standins, "lantern", "office")
    refused.get_by_role("button", name="Try 3 changes again").click()
    counted(page, "3 changes are tried again.")
    expect(page.get_by_text("None. Every change has been pushed")).to_be_visible()
    wait_until(lambda: objects(standins, "lantern", "office") == before + 3)


def test_a_feed_is_looked_at_before_it_is_subscribed_to_and_its_address_is_hidden(page: Page) -> None:
    page.goto("/connect/catalogue")
    page.get_by_role("button", name="Ferries").click()
    page.get_by_role("button", name="Review").click()
    expect(page.get_by_role("heading", name="The coming three months")).to_be_visible()
    expect(page.get_by_text("Ferry Skerrow Maid").first).to_be_visible()
    assert "ferry" not in page.url
    page.get_by_role("button", name="Subscribe to Ferry times").click()
    row = page.get_by_role("region", name="Feeds").get_by_role("listitem").filter(has_text="Ferry times")
    expect(row).to_contain_text("live 12 h · read only")
    expect(row).to_contain_text("from Breakwater only")
    row.get_by_role("link", name="Ferry times", exact=True).click()
    expect(page.get_by_text("hidden: it may work like a password")).to_be_visible()
    page.get_by_role("button", name="Show the address").click()
    expect(page.get_by_text("/feeds/ferry.ics")).to_be_visible()
    page.get_by_role("button", name="Switch off").click()
    page.get_by_role("radio", name=re.compile("Nothing")).check()
    page.get_by_role("button", name="Switch off Ferry times, keep nothing").click()
    counted(page, "Nothing was deleted where it lives")
    expect(row).to_have_count(0)


def test_a_message_dropped_anywhere_is_shown_first(page: Page) -> None:
    page.goto("/logbook")
    mail = (
        "From: ida.moe@skerrow.example\nSubject: Kelp walk\nMIME-Version: 1.0\n"
        "Content-Type: text/calendar; charset=utf-8; method=REQUEST\n\n"
        + calendar(event("kelp@skerrow.example", "Kelp walk"), header="METHOD:REQUEST")
    )
    page.get_by_role("list", name="Batches").wait_for()
    page.evaluate(
        """(text) => {
            const data = new DataTransfer();
            data.items.add(new File([text], 'kelp.eml', { type: 'message/rfc822' }));
            const target = document.querySelector('main');
            for (const type of ['dragover', 'drop'])
                target.dispatchEvent(new DragEvent(type, { dataTransfer: data, bubbles: true, cancelable: true }));
        }""",
        mail,
    )
    expect(page.get_by_role("heading", name="Kelp walk.ics")).to_be_visible()
    expect(page.get_by_text("None of these entries exists here yet")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Import 1 entry into a new calendar")).click()
    counted(page, "1 entry")


def test_a_password_goes_elsewhere_only_after_a_yes(page: Page, standins: dict[str, str]) -> None:
    fault = [{"kind": "away", "count": 99, "to": standins["lantern"]}]
    WEB.post(f"{standins['tidewrack']}/-/faults", json=fault).raise_for_status()
    try:
        page.goto("/connect/add")
        page.get_by_label("Address").fill(standins["tidewrack"])
        page.get_by_label("User name").fill("director")
        page.get_by_label("Password").fill(PASSWORD)
        page.keyboard.press("Enter")
        question = page.get_by_role("alert")
        expect(question).to_contain_text(f"This leads from {standins['tidewrack']} to {standins['lantern']}")
        question.get_by_role("button", name=f"Send them to {standins['lantern']} too").click()
        expect(page.get_by_text("This is a calendar server.")).to_be_visible()
    finally:
        WEB.post(f"{standins['tidewrack']}/-/faults", json=[]).raise_for_status()


def test_a_habit_of_a_server_is_switched_on_by_hand_and_seen_below_its_account(
    page: Page, standins: dict[str, str]
) -> None:
    page.goto(f"{standins['tidewrack']}/-/")
    page.get_by_role("button", name="omits").click()
    expect(page.get_by_role("button", name="omits · on")).to_be_visible()
    with page.expect_response(lambda answer: answer.request.method == "POST"):
        page.get_by_role("button", name="stir").click()
    page.goto("/connect")
    account = page.get_by_role("region", name="Tidewrack")
    account.get_by_role("button", name="Refresh now").click()
    counted(page, "3 changed")
    account.get_by_text(re.compile("Habits of this server")).click()
    expect(
        account.get_by_text("It did not hand out some entries among others: they were asked for alone.")
    ).to_be_visible()
    expect(account.get_by_text("could not be")).to_have_count(0)


def test_an_invitation_in_a_message_is_answered_by_keys(page: Page, standins: dict[str, str]) -> None:
    people = (
        "ORGANIZER;CN=Ida Moe:mailto:ida.moe@skerrow.example",
        "ATTENDEE;CN=Jón Dal;PARTSTAT=ACCEPTED:mailto:jon.dal@skerrow.example",
        "ATTENDEE;CN=Owen Hale;RSVP=TRUE:mailto:owen.hale@skerrow.example",
    )
    message = EmailMessage()
    message["Subject"], message["From"] = "Invitation: Crane inspection", "ida.moe@skerrow.example"
    message.set_content("Will you come?")
    entry = event("crane@skerrow.example", "Crane inspection", "20261210T140000Z", *people)
    message.add_alternative(calendar(entry, header="METHOD:REQUEST"), subtype="calendar", params={"method": "REQUEST"})
    page.goto("/connect")
    brought = {"name": "invitation.eml", "mimeType": "message/rfc822", "buffer": bytes(message)}
    page.get_by_label("Calendar files").set_input_files([brought])  # type: ignore[list-item]
    asked = page.get_by_role("list", name="Invitations")
    expect(asked).to_contain_text("An invitation from Ida Moe <ida.moe@skerrow.example> to “Crane inspection”")
    expect(asked).to_contain_text("2 attendees, 1 replied")
    keys = Keys(page)
    keys.press("r")
    keys.reach("Accept")
    keys.press("ArrowRight", "ArrowRight")
    expect(page.get_by_role("combobox", name="As")).to_have_value("owen.hale@skerrow.example")
    keys.reach("Comment to the organiser")
    keys.type("At sea until Friday")
    shown = page.get_by_role("region", name="The message")
    expect(shown).to_contain_text("Subject Declined: Crane inspection")
    expect(shown).to_contain_text("At sea until Friday")
    keys.press("Enter", "Enter")  # pressed twice, it is sent once
    counted(page, "Crane inspection: declined. The reply is sent to Ida Moe.")
    (sent,) = WEB.get(standins["mail"] + "/messages.json").json()
    assert sent["recipient"] == "ida.moe@skerrow.example"
    assert sent["body"].split() == "Owen Hale declines: Crane inspection At sea until Friday".split()
    keys.press("r")
    keys.reach("Save the reply as a file")
    with page.expect_download() as download:
        keys.press("Enter")
    assert b"PARTSTAT=ACCEPTED" in Path(download.value.path()).read_bytes()
