"""Mend, time set right: the README's walk by keys, and two calendars reconciled by mouse."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from datebridge.demo.timing import HALIFAX, HOME
from tests.browser.hands import Keys, Mouse
from tests.browser.test_walk import counted

pytestmark = pytest.mark.browser


def opened(page: Page, path: str) -> Keys:
    page.goto(path)
    page.locator("main[aria-busy=false]").wait_for()
    return Keys(page)


def heading(page: Page, said: str) -> None:
    expect(page.get_by_role("heading", level=1, name=re.compile(said))).to_be_visible()


def test_time_is_set_right_by_keys(page: Page) -> None:
    """The hour that is off in winter, two names nobody knows, a seminar in pieces, orphans."""
    keys = opened(page, "/mend/zones")
    names = page.get_by_role("region", name="Zone names")
    pane = page.get_by_role("region", name="The zone name")
    # Found by itself: it agrees for most of the year.
    expect(names.get_by_role("button", name="Plankton call, Halifax")).to_be_visible()
    keys.reach("Plankton call, Halifax", "ArrowDown")
    keys.press("Enter")
    expect(pane).to_contain_text(f"{HALIFAX} and Etc/GMT+3 are apart")
    keys.press("p")
    keys.reach("Review the changes")
    keys.press("Enter")
    heading(page, "^In the zone America.Halifax")
    keys.press("t")
    times = page.get_by_role("dialog", name="Times before and after")
    expect(times).to_contain_text("times at another moment")
    expect(times.get_by_role("listitem").first).to_contain_text("+1 h")
    keys.press("Escape")
    keys.press("a")
    counted(page, "Done: In the zone")
    # Two names nobody knows: one by what its calendar says, one between two.
    keys = opened(page, "/mend/zones")
    keys.reach("Skerrow local", "ArrowDown")
    keys.press("Enter")
    expect(pane.get_by_role("button", name=f"Use {HOME}")).to_be_visible()
    keys.press("d")
    counted(page, "“Skerrow local” is read by the ruling")
    keys = opened(page, "/mend/zones")
    keys.reach("AST", "ArrowDown")
    keys.press("Enter")
    expect(pane.get_by_role("button", name=f"Use {HALIFAX}")).to_be_visible()
    keys.press("d")
    counted(page, "“AST” is read by the ruling")
    expect(names).to_contain_text(f"“Skerrow local” means {HOME}")
    # A seminar that came as single entries, and an orphan whose series is there.
    keys = opened(page, "/mend/series")
    expect(page.get_by_role("button", name="Scattered singles")).to_be_visible()
    keys.reach("Scattered singles", "ArrowDown")
    keys.press("Enter")
    keys.reach("Calendar")
    keys.type("Watch plan")
    seminar = page.get_by_role("listitem").filter(has_text="Kelp seminar")
    expect(seminar).to_be_visible()
    keys.press("Tab", "ArrowDown")  # the first of the list
    keys.reach("Combine: Kelp seminar", "ArrowRight", most=4)
    keys.press("Enter")
    heading(page, "Combine “Kelp seminar” into one series")
    expect(page.get_by_text("All occurrences stay the same.")).to_be_visible()
    keys.press("a")
    counted(page, "Done: Combine “Kelp seminar”")
    keys = opened(page, "/mend/series?what=detached")
    expect(page.get_by_role("listitem").first).to_contain_text("Signal practice")
    keys.press("p")
    heading(page, "Attach a changed occurrence to “Signal practice”")
    keys.press("a")
    counted(page, "Done: Attach a changed occurrence")
    keys.done("time set right, its last part")


def test_two_calendars_are_reconciled_by_mouse(page: Page) -> None:
    """The export against the account it came from, until no difference is left."""
    page.goto("/mend/reconcile")
    hand = Mouse(page)
    hand.choose(page.get_by_label("Left calendar"), "Vessel berths")
    hand.choose(page.get_by_label("Right calendar"), "Berths, as exported")
    hand.click(page.get_by_role("button", name="Compare", exact=True))
    status = page.get_by_role("status").filter(has_text="differ of")
    expect(status).to_be_visible()
    kinds = page.get_by_role("region", name="Differences by group")
    hand.click(kinds.get_by_role("button", name="Moved"))
    expect(page.get_by_role("listitem").first).to_contain_text("+1 h")
    hand.click(page.get_by_role("button", name=re.compile("^Times: ")).first)
    pair = page.get_by_role("dialog", name="A pair, time by time")
    expect(pair.get_by_role("listitem")).to_contain_text("+1 h")
    hand.click(pair.get_by_role("button", name="Close"))
    hand.click(page.get_by_role("button", name="Make Berths, as exported match Vessel berths…"))
    heading(page, "^Make .* events in Berths, as exported as in Vessel berths")
    hand.click(page.get_by_role("button", name=re.compile("^Change ")))
    counted(page, "Done: Make")
    page.goto("/mend/reconcile")
    hand.click(page.get_by_role("button", name="Compare again"))
    expect(kinds.get_by_role("button", name="Moved")).to_have_count(0)
    hand.click(page.get_by_role("button", name="Make Berths, as exported match Vessel berths…"))
    heading(page, "^Make .* in Berths, as exported as in Vessel berths")
    hand.click(page.get_by_role("button", name=re.compile(r"^(Change|Apply|Add|Delete|Make)")).last)
    counted(page, "Done: Make")
    page.goto("/mend/reconcile")
    hand.click(page.get_by_role("button", name="Compare again"))
    expect(page.get_by_role("status").filter(has_text="no difference is left")).to_be_visible()
    hand.done("reconciled")


def test_series_are_laid_against_each_other_and_given_another_shape(page: Page) -> None:
    keys = opened(page, "/mend/series?filter=what:rota%20calendar:%22Watch%20plan%22")
    rows = page.get_by_role("region", name="Series", exact=True).get_by_role("listitem")
    expect(rows.first).to_contain_text("Crane rota")
    first = page.get_by_role("img", name=re.compile("^The series in"))
    expect(first).to_be_visible()
    keys.press("c")
    rows.nth(1).get_by_role("button").click()
    keys.press("c")
    dialog = page.get_by_role("dialog", name="Two series against each other")
    expect(dialog).to_contain_text("are not")
    keys.press("Escape")
    page.get_by_role("button", name="Convert to single events…").click()
    heading(page, "^Convert to single events: “Crane rota”")
    keys.press("t")
    expect(page.get_by_role("dialog", name="Times before and after")).to_contain_text("No time changes.")
    keys.press("Escape")
