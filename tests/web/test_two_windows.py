"""Two windows of one document: nobody overwrites what the other has done, and nobody shoots what is not shown."""

from pathlib import Path

from fastapi.testclient import TestClient
from tests.web.test_api import change, client, put  # noqa: F401  (client is a fixture)
from tests.web.test_takes_api import shot

from cyclorama.core.render.film.tracer import Tracer


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
    assert client.get(f"/api/projects/{project}/uses").json()["sentences"][:2] == [
        "2 takes with 1 frame will be removed.",
        "Its cut of 2 clips will be removed.",
    ]
    assert client.get("/api/takes/none/uses").status_code == 404
