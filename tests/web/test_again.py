"""A subject made again from its kept source, through the interface."""

import zipfile
from io import BytesIO

import pytest
from fastapi.testclient import TestClient
from tests.conftest import sphere
from tests.moving_models import turning
from tests.web.test_api import change, client, ended, intake, put  # noqa: F401  (client is a fixture)

from cyclorama.store.assets import AssetStore

PLATE = b"v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n"


def again(client: TestClient, key: str, **detail: object) -> dict:  # noqa: F811
    answer = client.post(f"/api/projects/{key}/subject/again", json={"detail": detail}).json()
    return ended(client, answer) if "id" in answer else {"message": answer["error"]}


def test_a_heavy_ball_is_lightened_and_comes_back(client: TestClient) -> None:  # noqa: F811
    """The source is an archive of what was brought in; making it again is one step, and undo brings the other back."""
    files = {"ball.glb": turning(sphere(0.1, 200)), "beside.txt": b"kept too"}
    key = intake(client, "/api/intakes", files)["result"]["project"]
    before = client.get(f"/api/projects/{key}").json()
    subject = before["project"]["items"][0]
    assets: AssetStore = client.app.state.context.studio.assets  # type: ignore[attr-defined]
    with zipfile.ZipFile(BytesIO(assets.get(subject["source"]))) as archive:
        assert {n: archive.read(n) for n in archive.namelist()} == files
    change(client, key, before["version"], put("materials/material-1/base_color", [0.9, 0.1, 0.1]))
    result = again(client, key, lighten=True, error_px=0.5)["result"]
    after = client.get(f"/api/projects/{key}").json()
    triangles = sum(p["triangles"] for p in after["project"]["items"][0]["parts"])
    assert result["triangles"] == triangles < sum(p["triangles"] for p in subject["parts"]) / 4
    assert after["project"]["materials"][0]["base_color"] == [0.9, 0.1, 0.1]
    assert after["subject"]["detail"].startswith("Off its source by up to 0.5 px")
    assert abs(after["subject"]["gap_mm"]) < 1e-6
    assert after["undo"] == "Make ball.glb again"
    undone = client.post(f"/api/projects/{key}/undo", json={"base_version": after["version"]}).json()
    assert undone["project"]["items"][0]["asset"] == subject["asset"]
    assert undone["subject"]["detail"] == "As in its source."


def test_subjects_without_a_source_say_why(client: TestClient) -> None:  # noqa: F811
    empty = client.post("/api/projects", json={"name": "Empty"}).json()["id"]
    assert "Bring a model in first" in again(client, empty)["message"]
    key = intake(client, "/api/intakes", {"plate.obj": PLATE})["result"]["project"]
    state = client.get(f"/api/projects/{key}").json()
    assert "Keep at least one part" in again(client, key, left_out=[1])["message"]
    assert client.get(f"/api/projects/{key}").json() == state
    assert client.post(f"/api/projects/{key}/subject/again", json={"detail": {"error_px": 0}}).status_code == 422
    for path in ("subject/source", "subject/detail/lighten", "subject/off", "subject/cameras", "subject/lights"):
        assert "cannot be edited" in change(client, key, state["version"], put(path, "x")).json()["error"]
    assets: AssetStore = client.app.state.context.studio.assets  # type: ignore[attr-defined]
    assets.path(state["project"]["items"][0]["source"]).unlink()
    assert "is gone. Bring the model in again." in again(client, key)["message"]


@pytest.mark.parametrize("smooth", ["all", "none"])
def test_a_plate_is_smoothed_when_asked(client: TestClient, smooth: str) -> None:  # noqa: F811
    """Its border becomes a closed cubic B-spline, which a square's corners make 44/48 wide: (0 + 23 + 23 + 0)/48 less
    (1 + 0 + 0 + 1)/48."""
    key = intake(client, "/api/intakes", {"plate.obj": PLATE})["result"]["project"]
    result = again(client, key, smooth=smooth)["result"]
    size = client.get(f"/api/projects/{key}").json()["subject"]["size_m"][0]
    assert (result["triangles"] > 500) == (smooth == "all")
    assert size == pytest.approx(1.0 if smooth == "none" else 44 / 48, abs=1e-3)
