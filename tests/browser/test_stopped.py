"""An application that is stopped says so on every page, and the page goes on by itself when it is back."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Browser, expect

from tests.running import application

pytestmark = pytest.mark.browser


def test_a_filter_typed_while_nothing_answers_is_asked_for_when_it_is_back(browser: Browser, data: Path) -> None:
    with application(data) as address:
        page = browser.new_page(base_url=address)
        page.goto("/look")
        expect(page.get_by_role("row").nth(1)).to_be_visible()
        counted = page.get_by_role("status").filter(has_text="entries")
        expect(counted).to_have_text("6,663 entries")
    said = page.get_by_text("Date Bridge does not answer.")
    expect(said).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("calendar:Workshop")
    page.keyboard.press("Enter")
    expect(counted).to_have_count(0)  # no rows and no count that are not true any more
    with application(data, port=urlsplit(address).port or 0):
        expect(said).to_have_count(0)
        expect(counted).to_have_text("80 entries")
        expect(page.get_by_role("row").nth(1)).to_be_visible()
    page.close()
