"""Two windows of one document: nobody overwrites what the other has done, and nobody shoots what is not shown."""

from pathlib import Path

from fastapi.testclient import TestClient
from tests.web.test_api import change, client, put  # noqa: F401  (client is a fixture)
from tests.web.test_takes_api import shot

from cyclorama.core.render.film.tracer import Tracer

OWN = {"origin": "http://127.0.0.1", "sec-fetch-site": "same-origin"}


def test_grades_and_notes_keep_their_revision(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    _, key = shot(client, data_folder, tracer, shot__shoot__to_frame=1)
    take = f"/api/takes/{key}"

    def grade(stops: float, revision: int):  # type: ignore[no-untyped-def]
        finishing = {"grade": {"exposure_stops": stops}}
        return client.post(f"{take}/finish", json={"finishing": finishing, "revision": revision})

    first = grade(1.0, 0).json()
    cdl = client.get(f"{take}/grade.cdl").content
    late = [
        grade(2.0, 0),
        client.post(f"{take}/finish/undo?revision=0"),
        client.post(f"{take}/finish-of/look?revision=0"),
        client.post(f"{take}/decisions?revision=0", files={"files": ("a.cdl", cdl)}),
    ]
    for answer in late:
        assert answer.status_code == 409
        assert answer.json()["current"] == 1
        assert "changed in another window" in answer.json()["error"]
    assert client.get(f"{take}/finish").json()["finishing"]["grade"]["exposure_stops"] == 1.0
    assert client.post(f"{take}/finish/undo?revision={first['revision']}").json()["revision"] == 2
    assert grade(3.0, 1).status_code == 409  # the same state as in the beginning, but not the same revision
    note = client.post(f"{take}/notes", json={"frame": 1, "text": "too dark"}).json()
    url = f"{take}/notes/{note['id']}"
    assert client.patch(url, json={"text": "far too dark", "revision": 0}).json()["revision"] == 1
    assert client.patch(url, json={"text": "fine", "revision": 0}).status_code == 409
    assert client.get(f"{take}/notes").json()[0]["text"] == "far too dark"


def test_a_window_shoots_what_it_shows_or_nothing(client: TestClient) -> None:  # noqa: F811
    key = client.post("/api/projects", json={"name": "Pot"}).json()["id"]
    project = f"/api/projects/{key}"
    change(client, key, 1, put("shot/shoot/width", 64))
    cells = [{"shot": client.get(project).json()["project"]["shot_id"]}]
    for url, body in (("takes", {}), ("takes", {"only": 1}), ("plan/takes", {"cells": cells})):
        answer = client.post(f"{project}/{url}", json={"version": 1} | body)
        assert answer.status_code == 409
        assert "nothing was shot" in answer.json()["error"]
    assert client.get("/api/takes").json() == []


def test_removing_asks_with_what_is_used(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__shoot__passes__wanted=["lights"], shot__shoot__to_frame=1)
    project = studio.takes.get(take).project_id
    assert client.get(f"/api/takes/{take}/uses").json() == {"sentences": []}
    for name in ("A", "B"):
        edit = {"do": "add clip", "take_id": take, "name": name}
        version = client.get(f"/api/projects/{project}/cut").json()["version"]
        answer = client.post(f"/api/projects/{project}/cut", json={"version": version, "edit": edit})
        assert answer.status_code == 200, answer.text
    mixed = client.post(f"/api/takes/{take}/rebalance", json={"light Key": {"stops": 1}}).json()["name"]
    assert client.get(f"/api/takes/{take}/uses").json()["sentences"] == [
        "The cut of ‘Ball’ shows it in 2 clips.",
        f"The take ‘{mixed}’ is made of it and could not be resumed.",
    ]
    assert client.get(f"/api/projects/{project}/uses").json()["sentences"] == []  # its own takes and cut go along
    assert client.get("/api/takes/none/uses").status_code == 404


def test_changes_of_one_window_never_conflict_with_each_other(client: TestClient) -> None:  # noqa: F811
    key = client.post("/api/projects", json={"name": "Pot"}).json()["id"]
    url = f"/api/projects/{key}/changes"

    def named(name: str, window: str, base: int = 1):  # type: ignore[no-untyped-def]
        body = {"base_version": base, "changes": [put("name", name)]}
        return client.post(url, json=body, headers={"x-window": window} if window else {})

    assert named("B", "one").json()["version"] == 2
    assert named("C", "one").json()["version"] == 3
    assert named("D", "other").status_code == 409
    assert named("D", "").status_code == 409
    assert named("D", "other", 3).json()["version"] == 4
    assert named("E", "one").status_code == 409  # since the version it knows, somebody else changed it too
    assert client.get(f"/api/projects/{key}").json()["project"]["name"] == "D"


def test_a_window_hears_what_others_change(client: TestClient) -> None:  # noqa: F811
    key = client.post("/api/projects", json={"name": "Pot"}).json()["id"]

    def change_in(window: str, base: int) -> None:
        body = {"base_version": base, "changes": [put("name", f"By {window}")]}
        client.post(f"/api/projects/{key}/changes", json=body, headers={"x-window": window}).raise_for_status()

    with client.websocket_connect(f"ws://127.0.0.1/live/projects/{key}/changes?window=one", headers=OWN) as heard:
        change_in("one", 1)
        change_in("other", 2)
        assert heard.receive_json() == {"version": 3}
        client.post(f"/api/projects/{key}/undo", json={"base_version": 3}, headers={"x-window": "other"})
        assert heard.receive_json() == {"version": 4}
    with client.websocket_connect(f"ws://127.0.0.1/live/projects/{key}/cut/changes?window=one", headers=OWN) as heard:
        edit = {"do": "put", "what": {"id": "marker-1", "name": "Here", "frame": 1}}
        client.post(f"/api/projects/{key}/cut", json={"version": 0, "edit": edit}).raise_for_status()
        assert heard.receive_json() == {"version": 1}
