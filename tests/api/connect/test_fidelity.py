"""What is kept, over the interface: measured, compared with the last time, saved, laid upon entries, and mended."""

from __future__ import annotations

import csv
import io

from fastapi.testclient import TestClient

from datebridge.api.app import create_app
from datebridge.standins.losses import Losses
from tests.conftest import browser, calendar, event
from tests.world import World


def test_what_an_account_keeps_is_measured_saved_and_laid_upon_entries(world: World) -> None:
    account = world.connect("tidewrack")
    world.bring(calendar(event("tide", "Tide", "20261201T080000Z", "CONTACT:Ida"), event("ebb")), "Diary")
    with browser(create_app(world.settings, work=False)) as client:
        measured_and_foretold(world, account, client)


def measured_and_foretold(world: World, account: int, client: TestClient) -> None:
    at = f"/api/accounts/{account}"
    assert client.get(f"{at}/fidelity").json() is None
    refused = client.post("/api/forecasts", json={"account_id": account, "chosen": {"filter": ""}})
    assert (refused.status_code, refused.json()["code"]) == (404, "not-measured")
    for losses in (Losses(), Losses(drops=("CONTACT",))):
        world.server("tidewrack").losses = losses
        client.post(f"{at}/measure", json={})
        assert world.work().state == "done"
    matrix = client.get(f"{at}/fidelity").json()
    contact = next(one for one in matrix["features"] if one["feature"] == "contact")
    assert (contact["verdict"], contact["before"]) == ("dropped", "kept")
    assert matrix["does"] == ["refuses entries of more than 1,048,576 bytes", "leaves out contacts"]
    assert [one["name"] for one in client.get("/api/matrices").json()] == ["Tidewrack"]
    saved = f"/api/matrices/{matrix['id']}/file"
    assert client.get(saved, params={"form": "json"}).json()["account"] == "Tidewrack"
    table = list(csv.reader(io.StringIO(client.get(saved, params={"form": "csv"}).text)))
    assert len(table) == len(matrix["features"]) + 1
    page = client.get(saved, params={"form": "html"}).text
    assert "What Tidewrack keeps" in page
    assert "<script" not in page
    client.post("/api/forecasts", json={"account_id": account, "chosen": {"filter": "calendar:Diary"}})
    number = world.work().result["forecast"]
    forecast = client.get(f"/api/forecasts/{number}").json()
    [loss] = forecast["losses"]
    assert (forecast["entries"], forecast["whole"], loss["entries"], loss["words"]) == (2, 1, 1, "Contact")
    which = {"feature": "contact", "verdict": "dropped"}
    [entry] = client.get(f"/api/forecasts/{number}/entries", params=which).json()["rows"]
    banks = client.get(f"/api/forecasts/{number}/entries/{entry['id']}").json()
    assert set(banks["left"]) - set(banks["right"]) == {"CONTACT:Ida"}
    chosen = client.get(f"/api/forecasts/{number}/selection", params=which).json()
    steps = loss["remedies"][0]["steps"]
    client.post("/api/bulk-changes", json={"selection": chosen, "steps": steps})
    proposed = world.work().result["set_id"]
    [change] = client.get(f"/api/change-sets/{proposed}/changes").json()["rows"]
    assert ["Contact: Ida"] in [field["right"] for field in change["fields"]]
    assert client.get("/api/forecasts/9999").status_code == 404
    assert client.get("/api/matrices/9999").status_code == 404
