"""The tray of materials, kept rigs, and what the picture shows where it is touched."""

import base64

import numpy as np
from fastapi.testclient import TestClient
from tests.web.test_api import ball, change, client, ended, put  # noqa: F401


def test_swatches_are_developed_once_and_come_back_with_what_they_show(client: TestClient, ball: str) -> None:  # noqa: F811
    url = f"/api/projects/{ball}/tray"
    (own,) = client.get(url).json()["own"]
    assert own["parts"] == 1
    version = client.get(f"/api/projects/{ball}").json()["version"]
    assert ended(client, client.post(url).json())["state"] == "done"
    tray = client.get(url).json()
    assert all(one["there"] for one in tray["own"] + tray["presets"])
    assert client.post(url).json() is None
    picture = client.get(f"/api/swatches/{own['key']}.jpg")
    assert picture.content[:2] == b"\xff\xd8"
    assert client.get("/api/swatches/..%2f..%2fstudio.jpg").status_code in (404, 422)
    material = client.get(f"/api/projects/{ball}").json()["project"]["materials"][0]["id"]
    after = change(client, ball, version, put(f"materials/{material}/specular_roughness", 0.77)).json()
    assert client.get(url).json()["own"][0]["there"] is False
    client.post(f"/api/projects/{ball}/undo", json={"base_version": after["version"]})
    assert client.get(url).json()["own"][0]["there"] is True


def test_the_picture_says_what_it_shows(client: TestClient, ball: str) -> None:  # noqa: F811
    told = client.get(f"/api/projects/{ball}/touch?frame=1").json()
    shown = np.frombuffer(base64.b64decode(told["numbers"]), "<u2").reshape(told["height"], told["width"])
    middle = told["things"][shown[told["height"] // 2, told["width"] // 2] - 1]
    assert (middle["kind"], middle["item"]) == ("part", "item-1")
    corner = told["things"][shown[0, 0] - 1]
    assert corner["name"] == "Sweep"


def test_a_light_is_tried_before_it_is_placed_and_rigs_are_kept(client: TestClient, ball: str) -> None:  # noqa: F811
    state = client.get(f"/api/projects/{ball}").json()
    light = state["project"]["looks"][0]["lights"][0]
    wanted = {"kind": "place_light", "light": light["id"], "frame": 1, "x": 0.5, "y": 0.45}
    tried = client.post(f"/api/projects/{ball}/placed", json=wanted).json()
    assert client.get(f"/api/projects/{ball}").json()["version"] == state["version"]
    placed = change(client, ball, state["version"], wanted).json()
    after = placed["project"]["looks"][0]["lights"][0]
    assert {c["path"].rpartition("/")[2]: c["value"] for c in tried["changes"]} == {
        name: after[name] for name in ("azimuth_deg", "elevation_deg")
    }
    assert client.post(f"/api/projects/{ball}/placed", json=wanted | {"light": "none"}).status_code == 422
    kept = client.post(f"/api/projects/{ball}/rigs", json={"name": "Mine"}).json()
    assert [rig["name"] for rig in client.get("/api/rigs").json()] == ["Mine"]
    other = client.post("/api/projects", json={"name": "Other"}).json()["id"]
    used = change(client, other, 1, {"kind": "use_rig", "rig": kept}).json()
    assert [x["name"] for x in used["project"]["looks"][0]["lights"]] == [x["name"] for x in kept["lights"]]
    assert client.delete(f"/api/rigs/{kept['id']}").status_code == 204
    assert client.delete(f"/api/rigs/{kept['id']}").status_code == 404


def test_a_material_is_kept_and_worn_in_another_project(client: TestClient, ball: str) -> None:  # noqa: F811
    project = client.get(f"/api/projects/{ball}").json()["project"]
    material = project["materials"][0]
    kept = client.post(
        f"/api/projects/{ball}/stock/materials", json={"material": material["id"], "name": "Mine"}
    ).json()
    assert client.post(f"/api/projects/{ball}/stock/materials", json={"material": "x", "name": "Y"}).status_code == 404
    stocked, *ready = client.get("/api/stock").json()
    assert {one["shelf"] for one in ready} == {"ready"}
    assert (stocked["kind"], stocked["name"], stocked["says"]) == ("material", "Mine", "in one project")
    other = client.post("/api/projects", json={"name": "Other"}).json()["id"]
    box = change(client, other, 1, {"kind": "add_item", "form": "box"}).json()
    item = box["project"]["items"][0]
    parts = [{"item": item["id"], "part": item["parts"][0]["id"]}]
    (lying,) = client.get(f"/api/projects/{other}/tray").json()["kept"]
    worn = change(client, other, box["version"], {"kind": "dress", "kept": lying["document"], "parts": parts}).json()
    new = worn["project"]["materials"][-1]
    assert new["name"] == "Mine"
    assert {**new, "id": "", "name": ""} == {**material, "id": "", "name": ""}
    assert client.get("/api/stock").json()[0]["says"] == "in 2 projects"
    assert client.get("/stock").status_code == 200
    assert client.delete(f"/api/stock/materials/{kept['id']}").status_code == 204
    assert all(one["shelf"] == "ready" for one in client.get("/api/stock").json())


def test_swatches_are_seen_in_the_light_of_the_shot(client: TestClient, ball: str) -> None:  # noqa: F811
    url = f"/api/projects/{ball}/tray"
    neutral = client.get(url).json()["own"][0]["key"]
    (here,) = client.get(f"{url}?here=true").json()["own"]
    assert here["key"] != neutral
    assert not here["there"]
    assert ended(client, client.post(f"{url}?here=true").json())["state"] == "done"
    assert client.get(f"{url}?here=true").json()["own"][0]["there"]
    state = client.get(f"/api/projects/{ball}").json()
    light = state["project"]["looks"][0]["lights"][0]["id"]
    change(client, ball, state["version"], put(f"look/lights/{light}/temperature_k", 2700.0))
    assert client.get(f"{url}?here=true").json()["own"][0]["key"] != here["key"]
    assert client.get(url).json()["own"][0]["key"] == neutral


def test_variations_go_along_one_number_and_stay_in_range(client: TestClient, ball: str) -> None:  # noqa: F811
    material = client.get(f"/api/projects/{ball}").json()["project"]["materials"][0]
    asked = {"material": material["id"], "across": "specular_roughness", "down": "hue"}
    rows = client.post(f"/api/projects/{ball}/tray/varied", json=asked).json()
    assert [len(row) for row in rows] == [5, 5, 5]
    across = [one["values"]["specular_roughness"] for one in rows[0]]
    assert across == sorted(across)
    assert 0 <= across[0] < across[-1] <= 1
    assert len({tuple(row[0]["values"]["base_color"]) for row in rows}) == (
        3 if np.ptp(material["base_color"]) > 0.01 else 1
    )
    assert len({one["key"] for row in rows for one in row}) >= 5
    assert (
        client.post(f"/api/projects/{ball}/tray/varied", json={"material": "gone", "across": "hue"}).status_code == 404
    )
