"""Several takes planned at once."""

from pathlib import Path

from fastapi.testclient import TestClient
from tests.web.test_api import change, client, glb, intake, put  # noqa: F401

from cyclorama.core.commands.shoot_plan import Cell, as_planned
from cyclorama.store import Studio


def test_a_plan_says_what_it_comes_to_and_is_queued_in_its_order(client: TestClient, data_folder: Path) -> None:  # noqa: F811
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    version = client.get(f"/api/projects/{key}").json()["version"]
    state = change(client, key, version, {"kind": "add_look"}, put("shot/frames", 5)).json()
    one, two = (look["id"] for look in state["project"]["looks"])
    shot = state["project"]["shots"][0]["id"]
    cells = [{"shot": shot, "look": two}, {"shot": shot, "look": one}, {"shot": shot, "look": None}]
    plan = client.post(f"/api/projects/{key}/plan", json={"cells": cells}).json()
    assert [take["frames"] for take in plan["takes"]] == [5, 5, 5]
    assert plan["sentence"].startswith("3 takes, 15 frames, about ")
    assert [any("named like" in odd for odd in take["odd"]) for take in plan["takes"]] == [False, True, True]
    state = change(client, key, state["version"], put("shot/shoot/name_pattern", "{look}_{colourway}")).json()
    assert state["file_names"].endswith(".0001.png … " + state["file_names"].split(".")[0] + ".0005.png")
    told_apart = client.post(f"/api/projects/{key}/plan", json={"cells": cells[:2]}).json()["takes"]
    assert len({take["files"] for take in told_apart}) == 2
    assert told_apart[1]["odd"] == []
    timed = client.post(f"/api/projects/{key}/plan", json={"cells": cells, "forecasts_s": [60, 100, 200]}).json()
    assert timed["sentence"].endswith("about 6 min.")
    assert plan["takes"][0]["name"] != plan["takes"][2]["name"] or state["project"]["shots"][0]["look_id"] == two
    studio = Studio(data_folder)
    project = studio.projects.get(key).project
    assert as_planned(project, Cell(shot=shot, look=one)).look.id == one
    tonight = {"not_before": "2999-01-01T22:00:00+02:00", "forecasts_s": [60.0, None]}
    names = client.post(
        f"/api/projects/{key}/plan/takes", json={"version": state["version"], "cells": cells} | tonight
    ).json()
    listed = client.get(f"/api/takes?project={key}").json()
    assert [take["name"] for take in listed] == names
    assert [take["forecast"] for take in listed] == ["60 s", None, None]
    assert {(take["state"], take["not_before"]) for take in listed} == {("queued", "2999-01-01T20:00:00Z")}
    assert [studio.takes.get(take["id"]).project.look.id for take in listed][:2] == [two, one]
    assert studio.takes.next_queued() is None  # it is not time yet
    first, *others = (take["id"] for take in listed)
    assert client.post("/api/takes/turns", json={"ids": [*reversed(others), "gone", first]}).status_code == 204
    assert [take["id"] for take in client.get(f"/api/takes?project={key}").json()] == [*reversed(others), first]
    studio.takes.update(first, not_before=None)
    assert studio.takes.next_queued() == first
    for take in listed:
        client.post(f"/api/takes/{take['id']}/stop")


def test_a_plan_may_ask_for_other_cameras_and_passes(client: TestClient, data_folder: Path) -> None:  # noqa: F811
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    version = client.get(f"/api/projects/{key}").json()["version"]
    state = change(client, key, version, {"kind": "add_camera"}, put("shot/frames", 2)).json()
    project = state["project"]
    shot, own = project["shots"][0]["id"], project["shots"][0]["camera_id"]
    other = next(camera for camera in project["cameras"] if camera["id"] != own)
    cell = {"shot": shot, "camera": other["id"], "passes": ["depth", "clay"]}
    there = as_planned(Studio(data_folder).projects.get(key).project, Cell.model_validate(cell))
    assert (there.camera.id, there.shot.shoot.passes.wanted) == (other["id"], ("depth", "clay"))
    plan = client.post(f"/api/projects/{key}/plan", json={"cells": [cell, {"shot": shot, "camera": own}]}).json()
    assert [take["name"] for take in plan["takes"]] == [
        f"{project['shots'][0]['name']}, {other['name']}",
        project["shots"][0]["name"],
    ]
    assert client.post(f"/api/projects/{key}/plan", json={"cells": [cell | {"camera": "gone"}]}).status_code in (
        400,
        404,
        409,
        422,
    )
    assert client.post(f"/api/projects/{key}/plan/forecast", json={"shot": shot}).json()["seconds"] > 0


def test_impossible_takes_queue_nothing(client: TestClient) -> None:  # noqa: F811
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    version = client.get(f"/api/projects/{key}").json()["version"]
    state = change(client, key, version, put("shot/shoot/from_frame", 900)).json()
    shot = state["project"]["shots"][0]["id"]
    plan = client.post(f"/api/projects/{key}/plan", json={"cells": [{"shot": shot}]}).json()
    assert "empty" in plan["takes"][0]["blocking"][0]
    answer = client.post(
        f"/api/projects/{key}/plan/takes", json={"version": state["version"], "cells": [{"shot": shot}]}
    )
    assert answer.status_code in (400, 409, 422)
    assert "empty" in answer.text
    assert client.get(f"/api/takes?project={key}").json() == []
    gone = client.post(f"/api/projects/{key}/plan", json={"cells": [{"shot": "shot-gone"}]})
    assert gone.status_code in (400, 404, 409, 422)
    assert "not there any more" in gone.text
