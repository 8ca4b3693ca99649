"""Crossings over the interface: what cannot be is refused in words, and everything a page asks for is answered."""

from __future__ import annotations

from datebridge.api.app import create_app
from datebridge.core.ids import CalendarId
from tests.conftest import browser
from tests.world import World, berth


def test_a_crossing_is_planned_changed_run_and_verified(world: World) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    source, account = CalendarId(world.remote(world.connect("tidewrack")).calendar_id or 0), world.connect("lantern")
    target = world.remote(account).calendar_id
    with browser(create_app(world.settings, work=False)) as web:
        plan = {"name": "Over", "sources": [source], "account_id": account}
        number = web.post("/api/crossings", json=plan).json()["id"]
        at = f"/api/crossings/{number}"

        def refused(path: str, body: object, method: str = "POST") -> tuple[int, str]:
            said = web.request(method, path, json=body)
            return said.status_code, said.json()["code"]

        assert refused("/api/crossings", plan) == (409, "name-taken")
        assert refused("/api/crossings", {**plan, "name": "Again", "sources": [target]}) == (422, "no-plan")
        assert refused("/api/crossings/99/run", {}) == (404, "no-crossing")
        lane = web.get(at).json()["lanes"][0]
        assert (lane["target_id"], lane["why"], lane["state"]) == (target, "same name", "")
        changes = f"{at}/lanes"
        for body, code in (
            ({"target": source}, "no-plan"),
            ({"filter": 'where:"'}, "filter"),
            ({"options": {"since": "soon"}}, "no-plan"),
            ({"options": {"steps": [{"do": "dance"}]}}, "no-recipe"),
            ({"target_name": "  "}, "no-plan"),
        ):
            assert refused(changes, {"lanes": [lane["id"]], **body}, "PATCH") == (422, code), body
        assert web.patch(changes, json={"lanes": [lane["id"]], "options": {"since": "2026-01-01"}}).status_code == 204
        web.patch(at, json={"options": {"steps": [{"do": "categories", "mode": "add", "values": ["Moved"]}]}})
        assert web.get(at).json()["steps"] == ["category added: Moved"]
        sheet = web.get(f"{at}/sheet").text
        assert "Tidewrack,Berths,,Lantern,Berths,yes,2026-01-01" in sheet
        [wrong] = web.post(f"{at}/sheet", json={"text": sheet + "Tidewrack,Attic\n"}).json()
        assert (wrong["row"], wrong["column"]) == (3, "source calendar")
        assert web.post(f"{at}/sheet", json={"text": sheet}).json() == []
        for deed in ("rehearse", "run", "verify"):
            web.post(f"{at}/{deed}", json={})
            assert world.work().state == "done"
        [lane] = web.get(at).json()["lanes"]
        assert (lane["arrived"], lane["unexplained"], lane["explained"]) == (2, 0, 2)
        [kind] = web.get(f"{at}/differences").json()
        assert (kind["cause"], kind["reason"], kind["number"]) == ("plan", "category added: Moved", 2)
        wanted = {name: kind[name] for name in ("verdict", "fields", "cause", "reason")}
        rows = web.get(f"{at}/differences/entries", params=wanted).json()
        assert rows["total"] == len(rows["rows"]) == 2
        both = web.get(
            f"{at}/both", params={"source": rows["rows"][0]["source_id"], "there": rows["rows"][0]["there_id"]}
        )
        assert "CATEGORIES:Moved" in set(both.json()["right"]) - set(both.json()["left"])
        assert (
            sum(there for _, there in web.get(f"{at}/months", params={"lane": lane["id"]}).json()["months"].values())
            == 2
        )
        assert web.get(f"{at}/decisions").json() == []
        assert web.get(f"{at}/report", params={"form": "json"}).json()["lanes"][0]["counts"]["there"] == 2
        assert web.post(f"{at}/lanes/remove", json={"lanes": [lane["id"]]}).status_code == 204
        assert web.delete(at).status_code == 204
        assert web.get("/api/crossings").json() == []
        assert len(world.there("lantern", "berths")) == 2
