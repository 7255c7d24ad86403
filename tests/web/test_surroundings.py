"""Surroundings, colours and gobos over HTTP: edited, told, mirrored; and what cannot be."""

import io

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from tests.conftest import png_of
from tests.web.test_api import ball, change, client, put  # noqa: F401

from cyclorama.core.light.studio_environments import studio_picture
from cyclorama.core.scene import Gobo


def lit_by(client: TestClient, project: str, name: str) -> dict:  # noqa: F811
    """The project lit by one of those on the shelf."""
    shelf = client.get(f"/api/projects/{project}/environments").json()
    asset = next(one["asset"] for one in shelf if one["name"] == name)
    version = client.get(f"/api/projects/{project}").json()["version"]
    return change(
        client, project, version, put("look/environment/asset", asset), put("look/environment/on", True)
    ).json()


def edited(client: TestClient, project: str, version: int, **edit: object) -> dict:  # noqa: F811
    answer = client.post(f"/api/projects/{project}/environment/edited", json={"base_version": version, "edit": edit})
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_surroundings_are_edited_one_step_each(client: TestClient, ball: str) -> None:  # noqa: F811
    state = lit_by(client, ball, "One softbox")
    asset = state["project"]["looks"][0]["environment"]["asset"]
    seen = client.get(f"/api/environments/{asset}/seen").json()
    assert (seen["width"], seen["height"]) == (1024, 512)
    assert (seen["brightest"]["x"] - 0.5) * 360 == pytest.approx(-48, abs=2)
    place = {name: seen["brightest"][name] for name in ("x", "y")}
    picked = edited(client, ball, state["version"], kind="pick", **place)
    lights = picked["project"]["looks"][0]["lights"]
    assert len(lights) == len(state["project"]["looks"][0]["lights"]) + 1
    after = picked["project"]["looks"][0]["environment"]["asset"]
    assert client.get(f"/api/environments/{after}/region", params=place).status_code == 422
    smaller = edited(client, ball, picked["version"], kind="resize", height=64)
    small = smaller["project"]["looks"][0]["environment"]["asset"]
    assert client.get(f"/api/environments/{small}/seen").json()["width"] == 128
    made = edited(
        client, ball, smaller["version"], kind="make", studio="ring", numbers={"size": 1.2, "temperature_k": 4000}
    )
    assert made["project"]["looks"][0]["environment"]["source_name"] == "Ring"
    back = client.post(f"/api/projects/{ball}/undo", json={"base_version": made["version"]}).json()
    assert back["project"]["looks"][0]["environment"]["asset"] == small
    url = f"/api/projects/{ball}/environment/edited"
    for wrong in ({"kind": "blur", "degrees": -1}, {"kind": "resize", "height": 7}, {"kind": "hold"}, {"kind": "none"}):
        assert client.post(url, json={"base_version": back["version"], "edit": wrong}).status_code == 422
    stale = client.post(url, json={"base_version": 1, "edit": {"kind": "blur", "degrees": 5}})
    assert stale.status_code == 409


def test_the_stand_in_mirrors_what_the_renderer_does(client: TestClient, ball: str) -> None:  # noqa: F811
    state = lit_by(client, ball, "Dusk")
    told = state["lens"]["surroundings"]
    pixels = np.frombuffer(client.get(told["url"]).content, np.float16).reshape(128, 256, 4)[..., :3]
    whole = studio_picture("dusk", 512).reshape(128, 4, 256, 4, 3).mean(axis=(1, 3))
    assert pixels.astype(float) == pytest.approx(whole, rel=0.01, abs=2e-3)
    sky = change(client, ball, state["version"], put("look/environment/kind", "sky")).json()["lens"]["surroundings"]
    assert len(client.get(sky["url"]).content) == 128 * 256 * 8
    assert client.get("/api/sky.half", params={"sky": "{}nonsense"}).status_code == 422
    gobo = Gobo(pattern="blinds", rotation_deg=90.0, softness=0.0)
    lying = client.get("/api/gobo.png", params={"gobo": gobo.model_dump_json(), "wide": 1, "roll_deg": 0})
    picture = np.asarray(Image.open(io.BytesIO(lying.content)), float)
    assert picture.mean(axis=0).std() > 5 * picture[8:-8].mean(axis=1).std()  # turned, the slats stand upright
    assert client.get("/api/gobo.png", params={"gobo": "{}x", "wide": 1, "roll_deg": 0}).status_code == 422


def test_light_in_the_stand_in_equals_light_in_the_picture(client: TestClient, ball: str) -> None:  # noqa: F811
    """An illuminance told in lux arrives as that, in values of the picture."""
    state = client.get(f"/api/projects/{ball}").json()
    light = state["project"]["looks"][0]["lights"][0]["id"]
    at = f"look/lights/{light}"
    after = change(
        client,
        ball,
        state["version"],
        put(f"{at}/power_unit", "lx"),
        put(f"{at}/power", 2000.0),
        put(f"{at}/strength_stops", 1.0),
        put(f"{at}/temperature_k", 5600.0),
    ).json()
    gives = next(x["gives"] for x in after["lens"]["lights"] if x["id"] == light)
    assert gives == pytest.approx([4000.0 * after["lens"]["gain"]] * 3, rel=1e-3)


def test_colours_are_told_in_every_space(client: TestClient, ball: str) -> None:  # noqa: F811
    red = client.get("/api/colours/told", params={"colour": "#ff0000"}).json()
    assert red["linear"] == [1.0, 0.0, 0.0]
    # OKLCH of the red of sRGB, as Ottosson gives it
    assert red["oklch"] == pytest.approx([0.62796, 0.25768, 29.23], abs=0.01)
    grey = client.get("/api/colours/seen", params={"lightness": 0.5, "chroma": 0, "hue": 77}).json()
    assert np.ptp(grey["linear"]) < 1e-4
    beyond = client.get("/api/colours/seen", params={"lightness": 0.7, "chroma": 0.4, "hue": 150}).json()
    assert beyond["beyond"]
    assert beyond["oklch"][0] == pytest.approx(0.7, abs=0.005)
    assert beyond["oklch"][2] == pytest.approx(150, abs=1.5)
    assert client.get("/api/colours/told", params={"colour": "blue-ish"}).status_code == 422
    plane = np.asarray(Image.open(io.BytesIO(client.get("/api/colours/plane/29.png").content)))
    assert plane.shape[2] == 4
    assert (plane[:, 0, 3] == 255).all()  # greys can all be shown
    assert plane[2, -1, 3] == 0


def test_a_picture_gives_its_colours(client: TestClient, ball: str) -> None:  # noqa: F811
    pixels = np.zeros((40, 60, 3), np.uint8)
    pixels[:, :45], pixels[:, 45:] = (200, 40, 30), (20, 60, 160)
    sent = {"files": ("two.png", png_of(pixels), "image/png")}
    asset = client.post(f"/api/projects/{ball}/pictures", files=sent).json()[0]["asset"]
    colours = client.get(f"/api/pictures/{asset}/colours").json()
    assert [c["digits"] for c in colours] == ["#c8281e", "#143ca0"]
    assert client.get(f"/api/pictures/{asset}/colour", params={"x": 0.9, "y": 0.5}).json()["digits"] == "#143ca0"
    assert client.get(f"/api/pictures/{asset}.jpg").content[:2] == b"\xff\xd8"
    assert client.get(f"/api/pictures/{'0' * 32}.jpg").status_code == 404
    version = client.get(f"/api/projects/{ball}").json()["version"]
    kept = change(client, ball, version, {"kind": "add_colours", "colours": [c["linear"] for c in colours]}).json()
    assert [c["name"] for c in kept["project"]["palette"]] == ["Red", "Dark blue"]
    seen = client.post(f"/api/projects/{ball}/colours/seen", json={"frame": 1, "x": 0.5, "y": 0.5})
    assert seen.status_code == 200
