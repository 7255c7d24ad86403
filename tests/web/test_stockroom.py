"""The stockroom over HTTP: kept, labelled, versions, taken along into another studio, hostile boxes."""

import io
import json
import time
import zipfile
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from tests.web.test_api import ball, change, client, put  # noqa: F401

from cyclorama.app import shipped
from cyclorama.app.ready_stock import TILES, tile_name
from cyclorama.core.material.presets import PRESETS, with_preset
from cyclorama.core.render.film.swatch import swatch_key
from cyclorama.core.scene import Material
from cyclorama.web.app import create_app


def kept(client: TestClient, project: str, kind: str, name: str) -> dict:  # noqa: F811
    answer = client.post(f"/api/projects/{project}/stock", json={"kind": kind, "name": name, "frame": 1})
    assert answer.status_code == 201, answer.text
    return answer.json()


def own(client: TestClient) -> list[dict]:  # noqa: F811
    return [one for one in client.get("/api/stock").json() if one["shelf"] != "ready"]


def test_things_are_labelled_and_go_back_to_their_earlier_version(client: TestClient, ball: str) -> None:  # noqa: F811
    first = kept(client, ball, "backdrop", "Plain")
    version = client.get(f"/api/projects/{ball}").json()["version"]
    change(client, ball, version, put("look/background/colour", [0.1, 0.2, 0.3]))
    second = kept(client, ball, "backdrop", "Plain")
    assert second["id"] == first["id"]
    (one,) = own(client)
    assert one["versions"] == 1
    assert one["chips"][0] == [0.1, 0.2, 0.3]
    url = f"/api/stock/stock/{first['id']}"
    assert client.patch(url, json={"tags": ["warm", "warm", "shop"], "favourite": True}).status_code == 204
    assert client.post(f"{url}/back").status_code == 204
    (one,) = own(client)
    assert one["chips"][0] == first["content"]["background"]["colour"]
    assert (one["tags"], one["favourite"], one["versions"]) == (["warm", "shop"], True, 0)
    assert client.post(f"{url}/back").status_code == 404
    kept(client, ball, "backdrop", "Other")
    assert client.patch(url, json={"name": "Other"}).status_code == 422
    assert client.patch(url, json={"name": "Sky"}).status_code == 204
    assert {o["name"] for o in own(client)} == {"Sky", "Other"}
    assert client.delete(url).status_code == 204
    assert [o["name"] for o in own(client)] == ["Other"]
    for path in ("/api/stock/nowhere/x", "/api/stock/stock/..%2f..%2fx"):
        assert client.patch(path, json={}).status_code in (404, 422)


def test_bundles_come_into_another_studio(client: TestClient, ball: str, tmp_path: Path) -> None:  # noqa: F811
    for kind, name in (("model", "Ball"), ("set", "Corner"), ("look", "Day")):
        kept(client, ball, kind, name)
    material = client.get(f"/api/projects/{ball}").json()["project"]["materials"][0]["id"]
    client.post(f"/api/projects/{ball}/stock/materials", json={"material": material, "name": "Paint"})
    assert {one["tile"] is not None for one in own(client) if one["kind"] != "material"} == {True}
    box = client.get("/api/stock.zip")
    names = set(zipfile.ZipFile(io.BytesIO(box.content)).namelist())
    assert {"stock/Ball.json", "stock/Corner.json", "stock/Day.json", "materials/Paint.json"} <= names
    assert any(name.endswith(".npz") for name in names)
    gltf = next(name for name in names if name.endswith(".gltf"))
    assert json.loads(zipfile.ZipFile(io.BytesIO(box.content)).read(gltf))["asset"]["version"] == "2.0"
    with TestClient(create_app(tmp_path / "other"), base_url="http://127.0.0.1") as other:
        came = other.post("/api/stock/unpack", files={"files": ("Stock.zip", box.content, "application/zip")})
        assert came.status_code == 200, came.text
        assert sorted(came.json()) == ["Ball", "Corner", "Day", "Paint"]
        project = other.post("/api/projects", json={"name": "New"}).json()["id"]
        ball_there = next(one for one in own(other) if one["kind"] == "model")
        after = change(other, project, 1, ball_there["change"]).json()
        assert after["project"]["subject_id"] == after["project"]["items"][0]["id"]
        standin = after["items"][0]["standin"]
        assert (
            other.get(standin).content
            == client.get(client.get(f"/api/projects/{ball}").json()["items"][0]["standin"]).content
        )


def zipped(**files: bytes) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as box:
        for name, data in files.items():
            box.writestr(name.replace("__", "/").replace("_json", ".json"), data)
    return buffer.getvalue()


@pytest.mark.parametrize(
    ("data", "sentence"),
    [
        (b"", "no zip"),
        (b"PK\x03\x04 nothing", "no zip"),
        (zipped(readme=b"x"), "Nothing in that zip"),
        (zipped(stock__a_json=b"{}"), "damaged"),
        (zipped(materials__a_json=b"\xff\xfe"), "damaged"),
        (zipped(rigs__a_json=b'{"id": "../../x", "name": "n", "size_m": 1, "lights": []}'), "damaged"),
    ],
)
def test_boxes_that_cannot_be_used_say_so_and_leave_nothing(client: TestClient, data: bytes, sentence: str) -> None:  # noqa: F811
    answer = client.post("/api/stock/unpack", files={"files": ("a.zip", data, "application/zip")})
    assert answer.status_code == 422
    assert sentence in answer.json()["error"]
    assert own(client) == []


def test_a_file_that_is_not_what_its_name_says_is_refused(client: TestClient, ball: str) -> None:  # noqa: F811
    client.post("/api/projects/" + ball + "/colours/seen", json={"frame": 1, "x": 0.5, "y": 0.5})
    material = client.get(f"/api/projects/{ball}").json()["project"]["materials"][0]
    maps = {"base_color": {"asset": "0" * 32, "name": "gone"}}
    document = {"id": "m-1", "name": "M", "material": {**material, "maps": maps}}
    alone = zipped(materials__m_json=json.dumps(document).encode())
    answer = client.post("/api/stock/unpack", files={"files": ("a.zip", alone, "application/zip")})
    assert "refers to a file that is not in the zip" in answer.json()["error"]
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as box:
        box.writestr("materials/m.json", json.dumps(document))
        box.writestr(f"files/{'0' * 32}.png", b"\x89PNG nothing")
    answer = client.post("/api/stock/unpack", files={"files": ("a.zip", buffer.getvalue(), "application/zip")})
    assert "damaged" in answer.json()["error"]
    assert own(client) == []


def test_surroundings_without_their_picture_and_a_model_without_its_mesh_are_refused(client: TestClient) -> None:  # noqa: F811
    environment = {"kind": "environment", "environment": {"asset": "0" * 32}}
    item = {
        "id": "i",
        "name": "I",
        "asset": "1" * 32,
        "parts": [],
        "variants": [{"id": "v", "name": "V", "parts": []}],
        "variant_id": "v",
    }
    for content in (environment, {"kind": "model", "item": item, "materials": []}):
        document = {"id": "t", "name": "T", "content": content}
        alone = zipped(stock__t_json=json.dumps(document).encode())
        answer = client.post("/api/stock/unpack", files={"files": ("a.zip", alone, "application/zip")})
        assert "not in the zip" in answer.json()["error"]
        assert own(client) == []


def test_nothing_that_is_ready_is_grey_at_first(client: TestClient) -> None:  # noqa: F811
    ready = [one for one in client.get("/api/stock").json() if one["shelf"] == "ready"]
    assert {one["kind"] for one in ready} == {"set", "rig", "environment", "gobo", "material"}
    for one in ready:
        answer = client.get(one["tile"])
        assert answer.content[:4] == b"\x89PNG" if one["kind"] == "gobo" else answer.content[:2] == b"\xff\xd8", one
    assert client.get("/api/stock/ready/haze/thick.jpg").content[:2] == b"\xff\xd8"
    names = {tile_name(kind, name) for kind, name in TILES} | {
        f"{swatch_key(with_preset(Material(id='m', name=name), name))}.jpg" for name in PRESETS
    }
    assert {path.name for path in shipped.SHIPPED.glob("*.jpg")} == names  # and nothing that nobody needs ships


def test_tiles_of_ready_things_are_developed_where_they_do_not_ship(
    client: TestClient,  # noqa: F811
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(shipped, "SHIPPED", tmp_path / "none")
    assert client.get("/api/stock/ready/set/nothing.jpg").status_code == 404
    assert "not developed yet" in client.get("/api/stock/ready/set/shoe on paper.jpg").json()["error"]
    while (answer := client.get("/api/stock/ready/set/shoe on paper.jpg")).status_code == 404:
        time.sleep(0.2)
    assert answer.content[:2] == b"\xff\xd8"
