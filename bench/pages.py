"""Measurements that need the application running: pages under load, the first screen."""

from __future__ import annotations

import os
import shutil
import statistics
import time
from pathlib import Path

import httpx
from playwright.sync_api import sync_playwright

from bench.application import FLAGS, application
from datebridge.store.changesets import review as looking
from datebridge.store.database import Store


def review(store: Store, set_id: int) -> None:
    """What the preview of a proposal asks for."""
    with store.read() as connection:
        looking.breakdown(connection, set_id)
        looking.warnings(connection, set_id)
        looking.changes_page(connection, set_id, 0, 100)


def while_importing(data: Path, path: Path) -> tuple[float, int]:
    """The median time of a ledger page while a file is read and imported, and how many pages were asked for."""
    times: list[float] = []
    with (
        application(data) as address,
        httpx.Client(base_url=address, timeout=600, headers={"X-Date-Bridge": "bench"}) as client,
    ):
        with path.open("rb") as file:
            job = client.post("/api/imports", files=[("files", (path.name, file))]).json()["job_id"]
        words = ("", "crane", "has:alarm", "before:2024", "on:2026-11-24")
        while client.get(f"/api/jobs/{job}").json()["state"] in ("queued", "running"):
            start = time.perf_counter()
            query = {"filter": f"{words[len(times) % len(words)]} -uid:{len(times)}"}  # none is remembered
            client.get("/api/entries", params=query).raise_for_status()
            times.append(time.perf_counter() - start)
    return statistics.median(times), len(times)


def first_screen(data: Path) -> tuple[float, list[str]]:
    """Seconds until the table shows its first row, in a browser that is running; and the scripts it needed."""
    chromium = os.environ.get("CHROMIUM") or shutil.which("chromium")
    times: list[float] = []
    scripts: set[str] = set()
    with application(data) as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        for _ in range(4):
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            asked: set[str] = set()
            page.on("request", lambda request, own=asked: own.add(request.url.removeprefix(address)))
            start = time.perf_counter()
            page.goto(address + "/look", wait_until="commit")
            page.wait_for_selector("[role=row] [role=gridcell] button")
            times.append(time.perf_counter() - start)
            scripts |= {url for url in asked if url.endswith(".js")}  # later come those of the other pages
            page.locator("main[aria-busy=false]").wait_for()
            page.close()
        browser.close()
    return statistics.median(times[1:]), sorted(scripts)
