"""The README's walk, read from its own text and done key by key.

Of each step, what stands in ``<kbd>`` is pressed, what stands in backticks is typed, and what is bold is waited for.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.browser
README = Path(__file__).parents[2] / "README.md"
_STEP = re.compile(r"^(\d+)\. \*\*(.+?)\*\*(.+?)(?=^\d+\. |^!)", re.MULTILINE | re.DOTALL)
_PART = re.compile(r"<kbd>(.+?)</kbd>|`(.+?)`|\*\*(.+?)\*\*", re.DOTALL)
_NAMES = {"↓": "ArrowDown", "Space": " ", "Esc": "Escape", "Ctrl+A": "Control+a", "Ctrl+Enter": "Control+Enter"}


def steps() -> Iterator[tuple[str, list[tuple[str, str, str]]]]:
    text = README.read_text(encoding="utf-8")
    for number, title, rest in _STEP.findall(text.partition("\n## A walk")[2]):
        yield f"{number}. {title}", _PART.findall(rest.partition("Keys:")[2])


def rest(page: Page) -> None:
    """As somebody waits who looks: until the page has nothing more to fetch."""
    page.wait_for_function("() => new Promise((over) => requestAnimationFrame(() => setTimeout(() => over(true))))")
    page.locator("main[aria-busy=false]").wait_for()


def test_the_walk_of_the_readme_works_key_by_key(page: Page) -> None:
    found = list(steps())
    assert len(found) == 10
    page.goto("/")
    for step, parts in found:
        print(step)
        assert parts, step
        for key, typed, shown in parts:
            rest(page)
            if key:
                page.keyboard.press(_NAMES.get(key, key))
            elif typed:
                page.keyboard.type(typed)
            else:
                words = re.compile(re.escape(" ".join(shown.split())))
                expect(page.get_by_text(words).or_(page.get_by_role("region", name=words)).first).to_be_visible()


def test_every_picture_is_linked_and_every_link_leads_somewhere() -> None:
    text = README.read_text(encoding="utf-8")
    linked = set(re.findall(r"\]\((docs/[^)#]+|[A-Z]+(?:\.md)?)\)", text))
    assert not [one for one in linked if not (README.parent / one).exists()]
    pictures = {f"docs/screenshots/{path.name}" for path in (README.parent / "docs/screenshots").iterdir()}
    assert pictures <= linked
