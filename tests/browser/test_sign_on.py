"""An account is opened on the page of a sign-on host, by keys; and who says no there is told so here."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from datebridge.demo.world import PASSWORD
from tests.browser.test_sight import found_by_axe, in_theme, wrong_at_each_size


def to_the_sign_on_host(page: Page, address: str) -> None:
    page.goto("/connect")
    page.get_by_label("Address of a calendar server").focus()
    page.keyboard.type(address)
    page.keyboard.press("Enter")
    way = page.get_by_role("button", name="Go and sign in")
    expect(way).to_be_visible()


@pytest.mark.refused
def test_an_account_is_opened_through_a_sign_on_host_by_keys(page: Page, standins: dict[str, str]) -> None:
    to_the_sign_on_host(page, standins["halyard"])
    assert found_by_axe(page) == []
    page.get_by_text("If the operator has given you a client ID").click()
    assert wrong_at_each_size(page, "/connect/add") == {}
    page.set_viewport_size({"width": 1280, "height": 800})
    way = page.get_by_role("button", name="Go and sign in")
    way.focus()
    page.keyboard.press("Enter")
    page.wait_for_url(f"{standins['sign-on']}/authorize?**")
    for part in ("lab-office", "Tab", PASSWORD, "Enter"):
        if part in ("Tab", "Enter"):
            page.keyboard.press(part)
        else:
            page.keyboard.type(part)
    page.wait_for_url("**/connect")
    expect(page.get_by_text("is connected. All its calendars are switched off")).to_be_visible()
    expect(page.get_by_text(f"through {standins['sign-on']}")).to_be_visible()


@pytest.mark.refused
def test_who_says_no_there_is_told_so_here(page: Page, standins: dict[str, str]) -> None:
    to_the_sign_on_host(page, standins["halyard"])
    page.get_by_role("button", name="Go and sign in").click()
    page.get_by_role("button", name="Let nobody in").click()
    expect(page.get_by_role("alert")).to_contain_text("You did not allow it there")
    assert page.url.endswith("/connect/signed")
    for theme in ("Night", "Day"):
        in_theme(page, theme)
        assert found_by_axe(page) == []
    page.reload()
    expect(page.get_by_role("alert")).to_contain_text("Nobody was sent from here")
    page.get_by_role("link", name="Back to all accounts").click()
    expect(page.get_by_role("heading", name="Tidewrack")).to_be_visible()
