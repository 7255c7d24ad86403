"""Liquids in glasses, over HTTP: filled here, and those that a model brings."""

import numpy as np
from fastapi.testclient import TestClient
from tests.core.geometry.test_filling import tumbler
from tests.core.geometry.test_nesting import drink
from tests.web.test_api import ball, change, client, intake  # noqa: F401

from cyclorama.core.geometry.mesh import Mesh
from cyclorama.demo.glb import GlbWriter, glass


def model(*bodies: tuple[str, Mesh, float]) -> bytes:
    """A GLB of transparent bodies: name, shape, index."""
    writer = GlbWriter()
    for name, mesh, ior in bodies:
        writer.part(name, mesh, writer.material(name, rough=0.0, extensions=glass(ior, (0.9, 0.9, 0.9), 0.1)))
    return writer.to_bytes()


def brought(client: TestClient, data: bytes) -> tuple[str, dict]:  # noqa: F811
    key = intake(client, "/api/intakes", {"glass.glb": data})["result"]["project"]
    return key, client.get(f"/api/projects/{key}").json()


def top(client: TestClient, url: str) -> float:  # noqa: F811
    """Height of a liquid's mesh as the stand-in gets it."""
    data = client.get(url).content
    size = int.from_bytes(data[:4], "little")
    header = data[4 : 4 + size]
    count = int(header.split(b'"vertices":')[1].split(b",")[0].split(b"}")[0])
    return float(np.frombuffer(data, "<f4", 3 * count, 4 + size).reshape(-1, 3)[:, 1].max())


def test_a_glass_is_filled_and_the_stand_in_shows_it(client: TestClient) -> None:  # noqa: F811
    key, state = brought(client, model(("Glass", tumbler(), 1.52)))
    fill = {"kind": "fill", "item": "item-1", "liquid": "Tea"}
    filled = change(client, key, state["version"], fill).json()
    (url,) = filled["lens"]["liquids"].values()
    upright = client.get(url).content
    assert abs(top(client, url) - (0.005 + 0.6 * 0.095 + 0.001)) < 1e-4
    raised = change(
        client, key, filled["version"], {"kind": "set", "path": "items/item-1/filling/level", "value": 0.9}
    ).json()
    (higher,) = raised["lens"]["liquids"].values()
    assert abs(top(client, higher) - (0.005 + 0.9 * 0.095 + 0.001)) < 1e-4
    undone = client.post(f"/api/projects/{key}/undo", json={"base_version": raised["version"]}).json()
    assert undone["lens"]["liquids"] == filled["lens"]["liquids"]
    (materials,) = [s["sentence"] for s in undone["stations"] if s["key"] == "materials"]
    assert "1 glass and 1 liquid" in materials
    aside = {"kind": "set", "path": "items/item-1/placement/x_m", "value": 0.3}
    moved = change(client, key, undone["version"], aside).json()
    assert moved["lens"]["liquids"] == filled["lens"]["liquids"]  # nothing is fetched again
    tipped = {"kind": "set", "path": "items/item-1/placement/tip_deg", "value": 20}
    tilted = change(client, key, moved["version"], tipped).json()
    (lying,) = tilted["lens"]["liquids"].values()
    assert lying != url
    assert client.get(lying).content != upright
    assert client.get(url).content == upright  # an address stands for one shape, whatever is saved meanwhile
    assert "immutable" in client.get(url).headers["cache-control"]
    other = url.replace(url.split("/liquid/")[1].split("?")[0], "0" * 32)  # of a mesh that it no longer has
    assert client.get(other).headers["cache-control"] == "no-store"
    assert client.get(url.replace("level=0.6", "level=7")).status_code == 422
    assert client.get(url.replace("item-1", "item-9")).status_code == 404


def test_what_holds_nothing_is_told_in_a_sentence(client: TestClient, ball: str) -> None:  # noqa: F811
    state = client.get(f"/api/projects/{ball}").json()
    answer = change(client, ball, state["version"], {"kind": "fill", "item": "item-1", "liquid": "Milk"})
    assert answer.status_code == 422
    assert "no hollow" in answer.json()["error"]
    assert client.get(f"/api/projects/{ball}").json()["version"] == state["version"]


def test_priorities_are_guessed_and_a_gap_is_mended(client: TestClient) -> None:  # noqa: F811
    """A drink that stops 0.2 mm short of its glass is told of; grown, it reaches into it, and the report says so."""
    key, state = brought(client, model(("Glass", tumbler(), 1.52), ("Water", drink(-2e-4), 1.33)))
    assert {m["name"]: m["priority"] for m in state["project"]["materials"]} == {"Glass": 1, "Water": 0}
    (finding,) = [f for f in state["report"]["findings"] if f["mend"]]
    assert "‘Water’ stops just short of ‘Glass’" in finding["what"]
    wanted = {"base_version": state["version"], "item": "item-1", **finding["mend"]}
    assert client.post(f"/api/projects/{key}/grow", json=wanted | {"by": 1.0}).status_code == 422
    grown = client.post(f"/api/projects/{key}/grow", json=wanted).json()
    before, after = (s["project"]["items"][0]["parts"][1]["box"] for s in (state, grown))
    assert abs(after[3] - before[3] - finding["mend"]["by"]) < 1e-5
    assert [f["done"] for f in grown["report"]["findings"] if "stops" in f["what"]] == ["grown"]
    undone = client.post(f"/api/projects/{key}/undo", json={"base_version": grown["version"]}).json()
    assert undone["project"]["items"][0]["asset"] == state["project"]["items"][0]["asset"]
