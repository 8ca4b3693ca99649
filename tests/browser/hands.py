"""One hand on the keys, or one on the mouse: what a person can do, counted. Looking is free, nothing else is."""

from __future__ import annotations

from typing import Any
from urllib.parse import urljoin

import httpx
from playwright.sync_api import Locator, Page, expect

#: Another client on this machine: a reader, a server's other user. Made once, since making one is slow.
WEB = httpx.Client(headers={"Connection": "close"})


def answer(page: Page, path: str, **asked: object) -> Any:
    """What the API answers, on a connection of its own: a kept one may be closed just as it is asked again."""
    return WEB.get(urljoin(page.url, path), params=asked).raise_for_status().json()


#: What has the focus, as a screen reader would name it. It only looks.
_FOCUSED = """() => {
  const held = document.activeElement;
  const own = ['BUTTON', 'A'].includes(held.tagName) ? held.innerText : '';  // a place is not all that stands in it
  const label = held.getAttribute('aria-label') || (held.labels && held.labels[0]?.innerText) || own || '';
  const box = held.getBoundingClientRect();
  return {
    tag: held.tagName.toLowerCase(), name: label.replace(/\\s+/g, ' ').trim(), inDialog: !!held.closest('dialog'),
    drawer: held.closest('aside')?.getAttribute('aria-label') || '', visible: box.width > 0 && box.height > 0,
    value: held.value ?? '',
  };
}"""


class Keys:
    """Only keys: each press is one, a capital or a sign on Shift too."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.presses = 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.presses += 1

    def type(self, text: str) -> None:
        self.page.keyboard.type(text)
        self.presses += len(text)

    def held(self) -> dict[str, object]:
        """What has the focus."""
        found: dict[str, object] = self.page.evaluate(_FOCUSED)
        return found

    def reach(self, name: str, key: str = "Tab", most: int = 60) -> None:
        """Press a key until what is named has the focus."""
        seen = []
        for _ in range(most):
            seen.append(str(self.held()["name"]))
            if name in seen[-1]:
                return
            self.press(key)
        raise AssertionError(f"{name!r} was not reached by {key}: {seen}")

    def done(self, task: str) -> None:
        """Say how many presses a task took."""
        print(f"{task}: {self.presses} presses")


class Mouse:
    """Only the mouse, and letters where there is something to be typed into."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.clicks = 0

    def click(self, what: Locator) -> None:
        what.click()
        self.clicks += 1

    def choose(self, what: Locator, label: str) -> None:
        """Open a choice and take one of it: two clicks."""
        what.select_option(label=label)
        self.clicks += 2

    def write(self, what: Locator, text: str) -> None:
        """Click into a field and type; what stood in it goes."""
        what.click(click_count=3)
        self.page.keyboard.type(text)
        self.clicks += 1

    def drag(self, what: Locator, by: int, at: tuple[int, int] | None = None) -> None:
        """Take something at its head, or at a place within it, and let it go so many pixels further down."""
        expect(what).to_be_visible()
        box = what.bounding_box()
        assert box is not None
        right, down = at or (min(20, box["width"] / 2), 6)
        x, y = box["x"] + right, box["y"] + down
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, y + by, steps=5)
        self.page.mouse.up()
        self.clicks += 1

    def done(self, task: str) -> None:
        print(f"{task}: {self.clicks} clicks")
