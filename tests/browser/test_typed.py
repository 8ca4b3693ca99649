"""What is typed counts, however quickly Enter follows; what cannot be read holds the act back."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

from datebridge.clock import this_day
from tests.browser.hands import Keys
from tests.browser.test_hands import settled
from tests.browser.test_walk import counted

pytestmark = pytest.mark.browser

Fields = dict[str, Any]


def _put_away(page: Page) -> Locator:
    page.goto("/mend")
    page.get_by_role("button", name="Archive past events").click()
    return page.get_by_label("Over before").last


def _compared(page: Page) -> Locator:
    page.goto("/mend/reconcile")
    page.get_by_label("Left calendar").select_option(label="Vessel berths")
    page.get_by_label("Right calendar").select_option(index=2)
    return page.get_by_label("First day")


def _ended(page: Page) -> Locator:
    page.goto("/look?filter=repeats:yes")
    counted(page, "entries")
    page.keyboard.press("Control+a")
    page.get_by_role("button", name="Change").click()
    page.get_by_label("What", exact=True).select_option(label="End series at a day")
    return page.get_by_label("Last day")


def _standards(page: Page) -> Locator:
    page.goto("/mend/checks")
    page.get_by_role("button", name="Limits of the checks").click()
    return page.get_by_label("Over long ago: before").last


def _day(page: Page) -> Locator:
    page.goto(f"/look/time?view=day&on={this_day():%Y-%m-%d}")
    settled(page)
    page.keyboard.press("n")
    page.get_by_label("Layer of the new event").select_option(label="Vessel berths")
    page.get_by_label("New event", exact=True).fill("Keel survey, today 10:00–11:30")
    page.keyboard.press("Enter")
    page.locator("button[data-key]", has_text="Keel survey").first.click()
    return page.get_by_role("complementary", name="Occurrence").get_by_label("First day")


def _hour(page: Page) -> Locator:
    _day(page)
    return page.get_by_role("complementary", name="Occurrence").get_by_label("Start")


def _until(page: Page) -> Locator:
    _day(page)
    drawer = page.get_by_role("complementary", name="Occurrence")
    drawer.get_by_label("Repeats").select_option("WEEKLY")
    drawer.get_by_label("Ends").select_option("until")
    return drawer.get_by_label("Last day of the series")


_SOON = f"{this_day() + timedelta(days=30):%Y-%m-%d}"
#: Each form with such a field: how it opens, what is typed, the keys that act, what is asked then, and of what day.
FORMS: dict[str, tuple[Callable[[Page], Locator], str, str, str, Callable[[Fields], str]]] = {
    "put away": (_put_away, "2024-01-01", "Enter", "/api/archives/by-age", lambda body: str(body["before"])),
    "compare": (_compared, "2025-03-01", "Enter", "/api/comparisons", lambda body: str(body["first"])),
    "end series": (_ended, "2031-01-31", "Enter", "/api/bulk-changes", lambda body: str(body["steps"][0]["last"])),
    "standards": (_standards, "2020-02-02", "Enter", "/api/checks/standards", lambda body: str(body["older"])),
    "drawer, day": (_day, _SOON, "Control+Enter", "/api/edits", lambda body: str(body["fields"]["start"])),
    "drawer, hour": (_hour, "7.45", "Enter", "/api/edits", lambda body: str(body["fields"]["start"])[11:16]),
    "drawer, series": (_until, _SOON, "Enter", "/api/edits", lambda body: str(body["fields"]["rule"])),
}


@pytest.mark.parametrize("form", FORMS)
def test_what_is_typed_counts_when_enter_follows_at_once(page: Page, form: str) -> None:
    opened, text, key, path, told = FORMS[form]
    field = opened(page)
    expect(field).to_be_visible()
    settled(page)
    keys = Keys(page)
    field.focus()
    keys.press("Control+a")
    keys.type("no such thing")
    keys.press(key)
    expect(field).to_have_attribute("aria-invalid", "true")  # and nothing is done with another day
    expect(field).to_be_focused()
    keys.press("Control+a")
    keys.type(text)
    with page.expect_request(lambda one: one.url.endswith(path) and one.method != "GET") as asked:
        keys.press(key, key)
    wanted = {"drawer, hour": "07:45", "drawer, series": f"UNTIL={_SOON.replace('-', '')}"}.get(form, text)
    assert wanted in told(asked.value.post_data_json)


@pytest.mark.parametrize("form", ["drawer", "share"])
def test_what_is_half_written_is_not_thrown_away_unasked(page: Page, form: str) -> None:
    keys = Keys(page)
    asked = page.get_by_role("dialog", name="Unsaved changes")
    if form == "drawer":
        _day(page)
        field = page.get_by_role("complementary", name="Occurrence").get_by_label("Title")
    else:
        page.goto("/share/new")
        field = page.get_by_label("Title, as readers see it")
    expect(field).to_be_visible()
    settled(page)
    (field if form == "drawer" else page.get_by_role("region", name="Contents")).focus()
    keys.press("Escape")  # nothing is written yet, so nothing is asked
    expect(field).to_have_count(0)
    if form == "drawer":
        page.locator("button[data-key]", has_text="Keel survey").first.click()
    else:
        page.goto("/share/new")
    field.fill("Half a ti")
    if form == "share":
        page.get_by_role("region", name="Contents").focus()
    for leaving in ("Escape", "Escape", "3"):
        if leaving == "3":  # to another page
            page.locator("nav[aria-label='The route'] a", has_text="Mend").click()
        else:
            keys.press(leaving)
        expect(asked).to_be_visible()
        keys.press("Escape")
        expect(asked).to_have_count(0)
        expect(field).to_have_value("Half a ti")
    page.locator("nav[aria-label='The route'] a", has_text="Mend").click()
    keys.reach("Discard the changes")
    keys.press("Enter")
    page.wait_for_url("**/mend")


HELD = """const draw = window.requestAnimationFrame.bind(window);
window.requestAnimationFrame = (run) => (window.late ? window.late.push(run) : draw(run));"""


def test_a_suggestion_is_taken_and_the_line_left_within_one_frame(page: Page) -> None:
    page.add_init_script(HELD)
    page.goto("/look")
    counted(page, "entries")
    keys = Keys(page)
    keys.press("/")
    keys.type("calendar:ins")
    expect(page.get_by_role("option", name="Instrument bookings")).to_be_visible()
    page.evaluate("window.late = []")
    keys.press("ArrowDown", "Enter", "Enter")
    page.evaluate("const late = window.late; window.late = null; late.forEach((run) => run(performance.now()))")
    keys.press("Control+a")
    expect(page.get_by_role("region", name="Selection")).to_contain_text("(all that match)")
