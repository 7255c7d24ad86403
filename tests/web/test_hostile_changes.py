"""Changes nobody would make: any place of a document set to anything. A sentence, or a project that still works."""

import json
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from tests.web.test_api import ball, client  # noqa: F401  (fixtures)

from cyclorama.core.scene import load_project

ANYTHING = [
    None, True, -1, 0, 1, 0.5, 1e308, -1e308, 1e-320, 2**70, "", "x", "../..", "\u0000", "9" * 5000, "nan",
    [], {}, [1, 2, 3], [None], {"id": "x"}, [[[]]],
]  # fmt: skip


def places(value: Any, path: str = "") -> Iterator[str]:
    """Paths of everything in a document; what is in a list goes by its id where it has one."""
    if path:
        yield path
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, item in items:
        name = item["id"] if isinstance(value, list) and isinstance(item, dict) and "id" in item else key
        yield from places(item, f"{path}/{name}" if path else str(name))


def send(client: TestClient, key: str, path: str, value: Any, version: int):  # type: ignore[no-untyped-def]  # noqa: F811
    body = json.dumps({"base_version": version, "changes": [{"kind": "set", "path": path, "value": value}]})
    headers = {"content-type": "application/json"}
    return client.post(f"/api/projects/{key}/changes", content=body, headers=headers)


@pytest.mark.parametrize("seed", range(8))
def test_any_place_set_to_anything(client: TestClient, ball: str, seed: int) -> None:  # noqa: F811
    rng = np.random.default_rng(seed)
    state = client.get(f"/api/projects/{ball}").json()
    paths = list(places(state["project"]))
    refused = 0
    for _ in range(12):
        path, value = paths[rng.integers(len(paths))], ANYTHING[rng.integers(len(ANYTHING))]
        answer = send(client, ball, path, value, state["version"])
        now = client.get(f"/api/projects/{ball}").json()
        if answer.status_code == 200:
            assert now["version"] > state["version"]
            assert load_project(now["project"]).model_dump(mode="json") == now["project"]
            undone = client.post(f"/api/projects/{ball}/undo", json={"base_version": now["version"]}).json()
            assert undone["project"] == state["project"]
            now = client.post(f"/api/projects/{ball}/redo", json={"base_version": undone["version"]}).json()
            state = now
            continue
        refused += 1
        assert answer.status_code == 422
        assert answer.json()["error"].endswith(".")
        assert now == state, path
    assert refused


def test_anything_in_place_of_changes(client: TestClient, ball: str) -> None:  # noqa: F811
    before = client.get(f"/api/projects/{ball}").json()
    url = f"/api/projects/{ball}/changes"
    bodies = [json.dumps(value) for value in ANYTHING] + ["", "{", "\x00"]
    for text in bodies:
        answer = client.post(url, content=text, headers={"content-type": "application/json"})
        assert answer.status_code == 422, text
        assert answer.json()["error"].endswith(".")
    deep = '{"base_version":1,"changes":' + "[" * 3000 + "]" * 3000 + "}"
    answer = client.post(url, content=deep, headers={"content-type": "application/json"})
    assert answer.status_code in (400, 422)
    assert answer.json()["error"].endswith(".")
    assert client.get(f"/api/projects/{ball}").json() == before


@pytest.mark.parametrize("url", ["/nonsense", "/projects", "/static/nothing.js", "/projects/%00/x"])
def test_an_address_where_nothing_is(client: TestClient, url: str) -> None:  # noqa: F811
    """A page that leads back for who came by a link, a sentence for programs."""
    page = client.get(url, headers={"accept": "text/html"})
    assert page.status_code == 404
    assert "There is nothing at this address." in page.text
    assert 'href="/"' in page.text
    assert client.get(url).json() == {"error": "There is nothing at this address."}
