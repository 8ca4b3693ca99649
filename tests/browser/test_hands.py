"""Whoever works by keys is never lost: where the focus goes, what keys act on, what Back and another window show."""

from __future__ import annotations

import random
import re

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.hands import Keys, answer
from tests.browser.test_walk import amount, counted
from tests.depth import depth

pytestmark = pytest.mark.browser

PAGES = {
    "connect": (
        "/connect",
        "/connect/4",
        "/connect/add",
        "/connect/catalogue",
        "/connect/calendar/1",
        "/connect/conflicts",
    ),
    "look": (
        "/look",
        "/look/time",
        "/look/time?view=month",
        "/look/time?view=year",
        "/look/time?view=agenda",
        "/look/time?view=picked",
        "/look/overlaps",
        "/look/sides",
    ),
    "mend": (
        "/mend",
        "/mend/checks",
        "/mend/duplicates",
        "/mend/recipes",
        "/mend/zones",
        "/mend/series",
        "/mend/series?what=inferred",
        "/mend/reconcile",
    ),
    "cross": ("/cross", "/cross/new", "/cross/1", "/cross/1/differences", "/cross/1/decisions"),
    "share and logbook": ("/share", "/share/1", "/share/1/edit", "/share/new", "/logbook", "/logbook/10"),
}


@pytest.fixture
def browser(whole_browser: Browser) -> Browser:
    return whole_browser


#: What can be pressed, chosen or typed into, but neither with Tab nor with the arrows of a place that has them.
OUT_OF_REACH = """() => [...document.querySelectorAll('main button, main a[href], main select, main textarea, main input')]
  .filter((one) => one.tabIndex < 0 && !one.disabled && one.getClientRects().length)
  .filter((one) => !one.closest('[data-arrows], [role=toolbar], [role=grid]') && one.type !== 'file')
  .map((one) => one.ariaLabel || one.innerText)"""
#: How each question is opened by keys, from a page that has just come; `@` goes on with Tab up to what is named so.
OPENINGS = {
    "look": (
        ("/look", "?", "Keys on this page"),
        ("/look?filter=calendar:Workshop", "Control+a c", "Copy or move"),
        ("/look?filter=calendar:Workshop", "Control+a e", "Export"),
        ("/look?filter=calendar:Workshop", "Control+a m", "Change"),
        ("/look?filter=calendar:Workshop", "Control+a a", "Archive"),
    ),
    "time": (
        ("/look/time", "z", "Hours across"),
        ("/look/time", "l ArrowDown c", "Another colour"),
        ("/look/time", "@clocks: Enter", "Clocks and working hours"),
        ("/look/time", "l @sets: Enter", "Save these layers"),
    ),
    "connect": (
        ("/connect", "@Disconnect Enter", "Disconnect"),
        ("/connect", "@Disconnect Tab ArrowRight ArrowRight ArrowRight Enter", "Export"),
        ("/connect", "@New_calendar… Enter", "New calendar"),
        ("/connect/calendar/1", "@Export… Enter", "Export"),
    ),
    "mend": (
        ("/mend", "@Find_duplicates ArrowDown ArrowRight ArrowRight Enter", "Archive past events"),
        ("/mend/duplicates?group=1", "k", "Order of preference"),
        ("/mend/checks", "@Limits_of_the_checks… Enter", "Limits of the checks"),
    ),
    "cross": (("/cross/1", "o", "On the way"), ("/cross/1", "g", "Run")),
    "share": (("/share/2", "n", "Invite readers to Duty rota"), ("/share/2", "@Revoke:_Ida Enter", "Revoke")),
}


def settled(page: Page) -> None:
    page.locator("main[aria-busy=false]").wait_for()


@pytest.mark.parametrize("paths", PAGES.values(), ids=PAGES)
def test_every_page_has_the_focus_somewhere_and_its_keys_work(page: Page, paths: tuple[str, ...]) -> None:
    for path in paths:
        _has_the_focus(page, path)


def _has_the_focus(page: Page, path: str) -> None:
    page.goto(path)
    settled(page)
    expect(page.locator(":focus")).to_have_count(1)
    keys = Keys(page)
    assert keys.held()["visible"]
    assert page.evaluate(OUT_OF_REACH) == []
    if keys.held()["tag"] == "input":  # a form begins in its first line; Escape leaves the line
        keys.press("Escape")
    # Everything that can be clicked is reached by Tab, the arrows, or both.
    keys.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    keys.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.locator(":focus")).to_have_count(1)
    keys.press("3" if path != "/mend" else "4")
    page.wait_for_url("**/mend" if path != "/mend" else "**/cross")


@pytest.mark.parametrize("openings", OPENINGS.values(), ids=OPENINGS)
def test_a_question_holds_the_focus_and_nothing_behind_it_acts(
    page: Page, openings: tuple[tuple[str, str, str], ...]
) -> None:
    for path, opened_by, name in openings:
        _holds_the_focus(page, path, opened_by, name)


def _holds_the_focus(page: Page, path: str, opened_by: str, name: str) -> None:
    page.goto(path)
    settled(page)
    if path.startswith("/look"):
        counted(page, "occurrence" if "time" in path else "entries")
    keys = Keys(page)
    for step in opened_by.split():
        if step.startswith("@"):
            keys.reach(step[1:].replace("_", " "), most=120)
        else:
            keys.press(step)
        if step == "Control+a":
            expect(page.get_by_role("region", name="Selection")).to_be_visible()
    dialog = page.get_by_role("dialog", name=name)
    expect(dialog).to_be_visible()
    assert keys.held()["inDialog"]
    where = page.url
    # A whole round of Tab stays inside (the browser itself may come in between).
    for _ in range(14):
        keys.press("Tab")
        assert keys.held()["inDialog"] or keys.held()["tag"] == "body"
    keys.reach("Esc", "Tab", 60)
    keys.press("1", "u", "Delete", "n", "/", ".")  # on a button, where letters are keys
    expect(dialog).to_be_visible()
    assert page.url == where
    keys.press("Escape")
    expect(dialog).to_have_count(0)
    expect(page.locator(":focus")).to_have_count(1)
    assert page.url == where


def test_a_letter_that_is_a_key_of_the_page_does_not_act_inside_a_choice(page: Page) -> None:
    page.goto("/look/sides")
    settled(page)
    keys = Keys(page)
    keys.reach("Left bank")
    keys.press("ArrowDown")
    chosen = keys.held()["value"]
    keys.press("n", "s", ".")  # the next difference, swap the sides, today
    assert keys.held()["value"] == chosen
    assert "right=" not in page.url


def test_a_drawer_takes_the_focus_and_gives_it_back(page: Page) -> None:
    page.goto("/look?filter=what:handover")
    counted(page, "1 entry")
    keys = Keys(page)
    keys.press("Enter")
    expect(page.get_by_label("Entry in full")).to_contain_text("Duty handover")
    expect(page.locator("aside :focus, aside:focus")).to_have_count(1)
    keys.press("Escape")
    expect(page.get_by_label("Entry in full")).to_have_count(0)
    assert keys.held()["name"] == "Entries" or keys.held()["tag"] == "div"
    keys.press("i")
    page.wait_for_url("**/look/time?*")
    expect(page.get_by_role("complementary", name="Occurrence").get_by_label("Title")).to_be_focused()
    keys.press("Escape")
    expect(page.get_by_role("complementary")).to_have_count(0)
    keys.press("ArrowDown", "Enter")
    expect(page.locator("aside :focus, aside:focus")).to_have_count(1)
    keys.press("F6")
    assert not keys.held()["drawer"]
    keys.press("Shift+F6")
    assert keys.held()["drawer"] == "Occurrence"


def test_what_is_glued_to_a_quotation_mark_is_said_and_a_count_leaves_room_to_type(page: Page) -> None:
    page.goto("/look")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    keys.press("/")
    keys.type('calendar:"Duty officer rota"water')
    expect(page.get_by_role("alert")).to_contain_text("“water” is glued to a quotation mark")
    keys.press("Enter")
    assert keys.held()["tag"] == "input"
    page.goto("/look")
    counted(page, f"{amount(page)} entries")
    rota, water = amount(page, 'calendar:"Duty officer rota"'), amount(page, "water")
    both = amount(page, 'calendar:"Duty officer rota" water')
    page.get_by_role("button", name=f"Duty officer rota {rota}").click()
    keys.type("water")
    keys.press("Enter")
    counted(page, f"{both} entries")
    expect(page.get_by_role("list", name="As understood")).to_contain_text(f"in the calendar Duty officer rota {rota}")
    expect(page.get_by_role("list", name="As understood")).to_contain_text(f"“water” {water}")


def test_u_takes_back_only_what_was_done_here_just_now(page: Page) -> None:
    page.goto("/look")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    keys.press("u")  # nothing was done here: what was done last is only proposed
    page.wait_for_url("**/mend/*")
    expect(page.get_by_role("heading", level=1, name=re.compile("Undo"))).to_be_visible()
    counted(page, "was not done here just now")
    keys.press("d")
    counted(page, "Nothing was changed")
    keys.press("u")
    counted(page, "The logbook lists earlier batches")
    expect(page.get_by_role("link", name="Look", exact=False).first).to_contain_text(amount(page))


def test_back_forward_and_reload_show_the_same(page: Page) -> None:
    page.goto("/look")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    keys.press("/")
    keys.type("what:handover")
    keys.press("Enter")
    counted(page, "1 entry")
    keys.press("Space", "i")
    page.wait_for_url("**/look/time?*")
    title = page.get_by_role("complementary", name="Occurrence").get_by_label("Title")
    expect(title).to_have_value("Duty handover")
    page.go_back()
    counted(page, "1 entry")
    expect(page.get_by_role("region", name="Selection")).to_contain_text("1 of 1")
    page.go_forward()
    expect(title).to_have_value("Duty handover")
    page.reload()
    expect(title).to_have_value("Duty handover")
    page.go_back()
    counted(page, "1 entry")
    page.reload()
    expect(page.get_by_role("region", name="Selection")).to_contain_text("1 of 1")


def test_what_one_window_does_another_shows_and_what_is_half_typed_stays(page: Page) -> None:
    page.goto("/look/time?view=day")
    expect(page.get_by_role("region", name="Hours")).to_be_visible()
    other = page.context.new_page()
    other.goto("/look?filter=what:buoy")
    settled(other)
    here = Keys(page)
    here.press("n")
    here.type("Half typed, tue 9:0")
    there = Keys(other)
    there.press("/")
    there.type(" calendar:Expeditions")
    other.goto("/look/time?view=day")
    expect(other.get_by_role("region", name="Hours")).to_be_visible()
    there.press("n")
    there.type("Buoy inspection, today 5:00")
    expect(other.get_by_text("05:00–06:00")).to_be_visible()
    there.press("Enter")
    expect(other.locator("button[data-key]").filter(has_text="Buoy inspection")).to_be_visible()
    expect(page.locator("button[data-key]").filter(has_text="Buoy inspection")).to_be_visible(timeout=10_000)
    assert here.held()["value"] == "Half typed, tue 9:0"


#: Whatever somebody's hand may fall upon.
WALKED = (
    *"abcdefhijklmnopqrstvxz.+-?/ud1234",
    *["Tab", "Enter", "Escape", " ", "ArrowDown", "ArrowUp", "ArrowLeft", "ArrowRight"] * 3,
    "PageDown",
    "Home",
    "Delete",
    "Control+a",
    "F6",
    "Shift+Tab",
    "Shift+ArrowDown",
    "Alt+ArrowDown",
    "Shift+Digit1",
)


@pytest.mark.refused
def test_keys_at_random_do_no_harm(page: Page, address: str) -> None:
    """No page error, no 5xx (the page's fixture looks for both), and nothing changed that the logbook does not have."""
    rng = random.Random(11)  # noqa: S311
    page.goto("/look")
    counted(page, f"{amount(page)} entries")
    keys = Keys(page)
    before = answer(page, "/api/route")["look"]
    known = max(batch["id"] for batch in answer(page, "/api/change-sets", limit=500)["rows"])
    for count in range(depth(400, 10_000)):
        keys.press(rng.choice(WALKED))
        if count % 100 == 99:
            settled(page)
            assert page.url.startswith(address)
    settled(page)
    entries = answer(page, "/api/route")["look"]
    batches = answer(page, "/api/change-sets", limit=500)["rows"]
    grown = sum(b["creates"] - b["deletes"] for b in batches if b["id"] > known)
    assert entries == before + grown


@pytest.mark.parametrize(
    ("path", "label"), [("/logbook", "Batches"), ("/look/overlaps", "Overlaps"), ("/mend/10", "Changes in two banks")]
)
def test_lists_go_row_by_row_and_within_a_row(page: Page, path: str, label: str) -> None:
    page.goto(path)
    settled(page)
    keys = Keys(page)
    rows = page.get_by_role("list", name=label).get_by_role("listitem")
    row = "(document.activeElement.closest('[data-index]') ?? {dataset: {}}).dataset.index ?? ''"
    if path == "/mend/10":
        keys.reach("Changes in two banks")
    keys.press("ArrowDown")
    at = [page.evaluate(row)]
    for key in ("ArrowDown", "ArrowDown", "ArrowUp"):
        keys.press(key)
        at.append(page.evaluate(row))
    assert at == ["0", "1", "2", "1"]
    for _ in range(rows.nth(1).locator("a[href], button").count()):
        keys.press("ArrowRight")
        assert page.evaluate(row) == "1"  # never on to another row
    keys.press("End")
    expect(rows.last).to_be_focused()
    last = page.evaluate(row)
    keys.press("ArrowDown")
    assert page.evaluate(row) == last
    keys.press("Home")
    expect(page.locator("[data-index='0'] [role=listitem]")).to_be_focused()
    keys.press("Tab")
    assert page.evaluate(row) == ""  # beyond the list
