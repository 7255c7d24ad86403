"""The JSON interface: states, stale edits, intake, bad input, clips."""

import base64
import csv
import io
import json
import math
import re
import threading
import time
import zipfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from fastapi.testclient import TestClient
from scipy.spatial.transform import Rotation
from tests.conftest import pixels_of, sphere
from tests.core.geometry.test_intake import BAD, glb
from tests.moving_models import bending_bar, turning

from cyclorama.app import intakes
from cyclorama.app import takes as take_service
from cyclorama.app.wall import Wall
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.review.stations import STATIONS
from cyclorama.demo.environments import harbour_dusk
from cyclorama.shoot.run.take import shoot_take
from cyclorama.web.app import create_app


@pytest.fixture
def client(data_folder: Path) -> Iterator[TestClient]:
    with TestClient(create_app(data_folder), base_url="http://127.0.0.1") as client:
        yield client


def intake(client: TestClient, url: str, files: dict[str, bytes]) -> dict:
    """Send files and follow the intake to its end."""
    return ended(client, client.post(url, files=[("files", item) for item in files.items()]).json())


def ended(client: TestClient, job: dict) -> dict:
    """Follow work in the background to its end."""
    while job["state"] in ("waiting", "running"):
        time.sleep(0.05)
        job = client.get(f"/api/jobs/{job['id']}").json()
    return job


def change(client: TestClient, key: str, version: int, *changes: dict):  # type: ignore[no-untyped-def]
    return client.post(f"/api/projects/{key}/changes", json={"base_version": version, "changes": list(changes)})


def put(path: str, value: object) -> dict:
    return {"kind": "set", "path": path, "value": value}


def numbers(packed: str) -> np.ndarray:
    """What the interface tells of all frames."""
    return np.frombuffer(base64.b64decode(packed), "<f4")


@pytest.fixture
def ball(client: TestClient) -> str:
    return intake(client, "/api/intakes", {"painted-ball.glb": glb()})["result"]["project"]


def test_a_model_becomes_a_project_that_is_fitted_and_grounded(client: TestClient, ball: str) -> None:
    state = client.get(f"/api/projects/{ball}").json()
    assert state["project"]["name"] == "Painted ball"
    assert state["margins"]["worst"] == pytest.approx(state["project"]["shots"][0]["shoot"]["margin"], abs=1e-4)
    assert abs(state["subject"]["gap_mm"]) < 1e-6
    assert [s["mark"] for s in state["stations"]] == ["ready"] * 6
    assert len(numbers(state["shot"]["cameras"])) == 240 * 12
    assert client.get(f"/api/assets/{state['items'][0]['asset']}/standin").status_code == 200
    assert client.get(f"/projects/{ball}").status_code == 200


@pytest.mark.parametrize("size_m", [0.02, 5.0])
def test_a_first_model_is_exposed_whatever_its_size(client: TestClient, size_m: float) -> None:
    """Lights of one power stand as far away as its size asks for; the exposure is metered for that."""
    model = turning(sphere(size_m / 2, 32))
    key = intake(client, "/api/intakes", {"ball.glb": model})["result"]["project"]
    before = client.get(f"/api/projects/{key}").json()
    after = change(client, key, before["version"], {"kind": "meter"}).json()
    assert after["project"]["looks"][0]["tone"]["ev100"] == pytest.approx(
        before["project"]["looks"][0]["tone"]["ev100"], abs=0.02
    )
    assert before["project"]["looks"][0]["tone"]["ev100"] != 9.0


def test_a_large_model_is_metered_on_its_standin(
    client: TestClient, ball: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """To the exposure that the model itself gives; the studio does not load it for that."""
    (plain,) = client.get(f"/api/projects/{ball}").json()["project"]["looks"]
    read: list[str] = []
    compiler = client.app.state.context.lens._compiler  # type: ignore[attr-defined]
    get = compiler.read_asset
    monkeypatch.setattr(compiler, "read_asset", lambda key: read.append(key) or get(key))
    monkeypatch.setattr(intakes, "LARGE", 100)
    key = intake(client, "/api/intakes", {"other-ball.glb": glb(sphere(0.1, 96))})["result"]["project"]
    project = client.get(f"/api/projects/{key}").json()["project"]
    assert f"{project['items'][0]['asset']}.standin" in read
    assert project["items"][0]["asset"] not in read
    assert project["looks"][0]["tone"]["ev100"] == pytest.approx(plain["tone"]["ev100"], abs=0.05)


def test_an_animation_is_played_and_posed(client: TestClient) -> None:
    glb, _ = bending_bar()
    key = intake(client, "/api/intakes", {"bar.glb": glb.to_bytes()})["result"]["project"]
    state = client.get(f"/api/projects/{key}").json()
    assert "10 times" in state["subject"]["animation_sentence"]
    acting = state["shot"]["acting"]["item-1"]
    assert len(acting) == 240
    assert acting[0] == acting[24] == "0:0.00000:1.0000"
    asset = state["items"][0]["asset"]
    header = client.get(f"/api/assets/{asset}/standin").content
    count = json.loads(header[4 : 4 + int.from_bytes(header[:4], "little")])["vertices"]

    def heights(at: float) -> np.ndarray:
        data = client.get(f"/api/assets/{asset}/pose?acting=0:{at}:1").content
        assert len(data) == count * 16
        return np.frombuffer(data, "<f4", count * 3).reshape(-1, 3)[:, 1]

    assert heights(0.0).max() == pytest.approx(2.0)
    assert heights(1.0).max() < 1.2
    assert client.get(f"/api/assets/{asset}/pose?acting=1:0:1").status_code == 404
    assert client.get(f"/api/assets/{asset}/pose?acting=0:nan:1").status_code == 422
    looped = change(client, key, state["version"], put("subject/play/repeat", "loop"), put("subject/play/speed", 0.73))
    assert looped.json()["stations"][0]["mark"] == "look"
    assert "7.3 times" in looped.json()["stations"][0]["hints"][0]
    for path, value in (("subject/play/animation", "animation-9"), ("subject/animations/animation-1/seconds", 9)):
        assert "error" in change(client, key, looped.json()["version"], put(path, value)).json()
    rest = change(client, key, looped.json()["version"], put("subject/play/animation", None)).json()
    assert rest["subject"]["size_m"][0] == pytest.approx(0.2, abs=1e-6)


def test_edit_undo_redo_and_stale(client: TestClient, ball: str) -> None:
    version = client.get(f"/api/projects/{ball}").json()["version"]
    state = change(client, ball, version, put("shot/frames", 48), put("name", "Other")).json()
    assert (state["shot"]["frames"], state["project"]["name"], state["undo"]) == (48, "Other", "Set frames")
    stale = change(client, ball, version, put("name", "Lost"))
    assert stale.status_code == 409
    assert (stale.json()["current"], stale.json()["changed"]) == (state["version"], "Set frames")
    undone = client.post(f"/api/projects/{ball}/undo", json={"base_version": state["version"]}).json()
    assert (undone["shot"]["frames"], undone["redo"]) == (240, "Set frames")
    bad = change(client, ball, undone["version"], put("name", "Half"), put("shot/frames", 0))
    assert bad.status_code == 422
    assert client.get(f"/api/projects/{ball}").json()["project"]["name"] != "Half"


@pytest.mark.parametrize("case", ["empty", "text renamed", "truncated", "nan", "outside", "bomb", "no faces"])
def test_bad_models_leave_the_project_as_it_was(client: TestClient, ball: str, case: str) -> None:
    before = client.get(f"/api/projects/{ball}").json()
    job = intake(client, f"/api/projects/{ball}/subject", BAD[case][0])
    assert job["message"].endswith(".")
    assert client.get(f"/api/projects/{ball}").json() == before


def test_environment(client: TestClient, ball: str) -> None:
    version = client.get(f"/api/projects/{ball}").json()["version"]
    url = f"/api/projects/{ball}/environment?base_version={version}"
    for name, data in (("a.exr", b""), ("a.exr", b"nonsense"), ("square.exr", encode_exr(harbour_dusk(32)[:, :32]))):
        answer = client.post(url, files={"file": (name, data)})
        assert answer.status_code == 422
        assert name in answer.json()["error"]
    state = client.post(url, files={"file": ("dusk.exr", encode_exr(harbour_dusk(32)))}).json()
    assert state["project"]["looks"][0]["environment"]["source_name"] == "dusk.exr"
    assert "environment" in state["stations"][3]["sentence"]


def test_missing_things_are_404(client: TestClient) -> None:
    for url in ("/api/projects/nobody", "/api/takes/nobody", "/api/assets/../x/standin", "/api/jobs/x"):
        answer = client.get(url)
        assert answer.status_code == 404
    page = client.get("/projects/nobody", headers={"accept": "text/html"})
    assert page.status_code == 404
    assert "no such project" in page.text
    assert client.post("/api/projects/nobody/changes", json={"nonsense": 1}).status_code == 422


def test_take_to_clip_and_zip(client: TestClient, ball: str, tracer: Tracer) -> None:
    version = client.get(f"/api/projects/{ball}").json()["version"]
    small = [
        put("shot/shoot/width", 64),
        put("shot/shoot/height", 48),
        put("shot/shoot/samples", 1),
        put("shot/frames", 6),
        put("rate_num", 12),
    ]
    change(client, ball, version, *small)
    studio = client.app.state.context.studio  # type: ignore[attr-defined]
    take = take_service.call_take(studio, studio.projects.get(ball), start=False)
    assert client.get(f"/api/takes/{take.id}/clip.mp4").status_code == 422  # nothing there yet
    shoot_take(studio, take.id, tracer)
    with av.open(io.BytesIO(client.get(f"/api/takes/{take.id}/clip.mp4").content)) as container:
        video = container.streams.video[0]
        assert (video.frames, video.average_rate, video.width, video.height) == (6, Fraction(12), 64, 48)
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/takes/{take.id}/frames.zip").content))
    assert archive.testzip() is None
    assert [n.rsplit(".", 2)[1] for n in archive.namelist()] == [f"{i:04d}" for i in range(1, 7)]
    assert "closes" in client.get(f"/api/takes/{take.id}/seam").json()["sentence"]
    assert client.get(f"/api/takes/{take.id}/frames/7").status_code == 404
    assert client.get("/shoots").status_code == client.get(f"/takes/{take.id}").status_code == 200


def test_forecast_poster_and_meter(client: TestClient, ball: str) -> None:
    state = client.get(f"/api/projects/{ball}").json()
    forecast = client.get(f"/api/projects/{ball}/forecast").json()
    assert forecast["seconds"] > forecast["plus_minus"] > 0
    drawn = client.get(f"/api/projects/{ball}/sketch").content
    assert len(np.unique(pixels_of(drawn).reshape(-1, 3), axis=0)) > 20
    end = time.monotonic() + 60
    while (answer := client.get(f"/api/projects/{ball}/poster")).status_code == 202 and time.monotonic() < end:
        assert answer.json()["sentence"]
    assert answer.content[:3] == b"\xff\xd8\xff"
    brighter = [
        put(f"look/lights/{x['id']}/strength_stops", x["strength_stops"] + 2)
        for x in state["project"]["looks"][0]["lights"]
    ]
    metered = change(client, ball, state["version"], *brighter, {"kind": "meter"}).json()
    assert metered["project"]["looks"][0]["tone"]["ev100"] == pytest.approx(
        state["project"]["looks"][0]["tone"]["ev100"] + 2, abs=0.02
    )


def test_the_lens_tells_the_exposure_in_force(client: TestClient, ball: str) -> None:
    state = client.get(f"/api/projects/{ball}").json()
    tone = state["project"]["looks"][0]["tone"]
    assert state["lens"]["ev100"] == tone["ev100"] - tone["offset_stops"]
    by_camera = [
        put(f"camera/{name}", value)
        for name, value in (("exposure_by", "camera"), ("f_number", 4), ("shutter_deg", 180), ("iso", 400))
    ]
    state = change(client, ball, state["version"], *by_camera).json()
    assert state["lens"]["ev100"] == pytest.approx(math.log2(16 * 48 * 100 / 400))


def test_removing_a_project_takes_its_takes_along(client: TestClient, ball: str) -> None:
    studio = client.app.state.context.studio  # type: ignore[attr-defined]
    take = take_service.call_take(studio, studio.projects.get(ball), start=False)
    assert take.folder.exists()
    assert client.delete(f"/api/projects/{ball}").json() == {"removed": True}
    assert client.get(f"/api/projects/{ball}").status_code == 404
    assert client.get("/api/takes").json() == []
    assert client.delete(f"/api/projects/{ball}").status_code == 404
    (line,) = client.get("/api/bin").json()
    assert (line["kind"], line["id"], line["says"]) == ("project", ball, "Project with 1 take")
    assert client.delete(f"/api/bin/project/{ball}").json() == {"removed": True}
    assert not take.folder.exists()
    assert client.delete(f"/api/bin/project/{ball}").status_code == 404


def test_an_intake_that_is_cancelled_while_it_is_metered_changes_nothing(
    client: TestClient, ball: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = client.get(f"/api/projects/{ball}").json()
    context = client.app.state.context  # type: ignore[attr-defined]
    put_on_set = intakes.put_on_set

    def cancelled_meanwhile(*arguments: object) -> object:
        for job_id in list(context.work._hands):
            context.work.cancel(job_id)
        return put_on_set(*arguments)  # type: ignore[arg-type]

    monkeypatch.setattr(intakes, "put_on_set", cancelled_meanwhile)
    for url in (f"/api/projects/{ball}/subject", "/api/intakes"):
        assert intake(client, url, {"other.glb": glb()})["message"] == "Cancelled."
    assert client.get(f"/api/projects/{ball}").json()["version"] == before["version"]
    assert client.get("/").text.count("data-remove") == 1


def test_a_fault_while_a_model_is_put_on_the_set_is_said(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    def faulty(*arguments: object) -> None:
        raise RuntimeError("broken on purpose")

    monkeypatch.setattr(intakes, "put_on_set", faulty)
    monkeypatch.setattr(threading, "excepthook", lambda args: None)
    assert "could not be put on the set" in intake(client, "/api/intakes", {"other.glb": glb()})["message"]


def test_poses_of_every_frame_as_a_file(client: TestClient, ball: str) -> None:
    """Read back by another's quaternions: the camera looks at its aim from its distance."""
    version = client.get(f"/api/projects/{ball}").json()["version"]
    state = change(client, ball, version, put("shot/frames", 8), put("shot/move/turns", 1)).json()
    camera = state["project"]["cameras"][0]
    lines = list(csv.DictReader(io.StringIO(client.get(f"/api/projects/{ball}/poses.csv").text)))
    assert [int(line["frame"]) for line in lines] == list(range(1, 9))
    assert float(lines[6]["seconds"]) == pytest.approx(6 / 24)
    aim = np.array(state["lens"]["aim"])
    for line in lines:
        at = np.array([float(line[c]) for c in ("x_m", "y_m", "z_m")])
        forward = Rotation.from_quat([float(line[c]) for c in ("qx", "qy", "qz", "qw")]).apply([0, 0, -1])
        assert at + forward * camera["distance_m"] == pytest.approx(aim, abs=1e-6)
        assert float(line["focal_mm"]) == camera["focal_mm"]
    as_json = client.get(f"/api/projects/{ball}/poses.json").json()
    assert (as_json["rate"], len(as_json["frames"])) == ([24, 1], 8)
    assert as_json["frames"][6][as_json["columns"].index("x_m")] == pytest.approx(float(lines[6]["x_m"]))


def test_moves_are_kept_for_other_projects_and_go_out_and_in(client: TestClient, ball: str) -> None:
    version = client.get(f"/api/projects/{ball}").json()["version"]
    state = change(client, ball, version, put("shot/frames", 12), {"kind": "apply_move", "move": "hero push"}).json()
    kept = client.post(f"/api/projects/{ball}/moves", json={"name": "My push"}).json()
    other = client.post("/api/projects", json={"name": "Other"}).json()["id"]
    (found,) = client.get("/api/moves").json()
    assert found == kept
    used = change(client, other, 1, {"kind": "use_move", "move": found}).json()
    kinds = [s["kind"] for s in used["project"]["shots"][0]["rows"][0]["segments"]]
    assert kinds == ["push", "hold"]
    assert [p["name"] for p in client.get("/api/moves/previews").json()][-1] == "My push"
    glb_file = client.get(f"/api/projects/{ball}/camera.glb").content
    url = f"/api/projects/{other}/camera-move?base_version={used['version']}"
    taken = client.post(url, files={"files": ("push.glb", glb_file)})
    assert taken.status_code == 200
    shot = taken.json()["project"]["shots"][0]
    assert (shot["frames"], shot["rows"]) == (12, [])
    assert any(c["path"].endswith("/distance_m") or "/aim/" in c["path"] for c in shot["channels"])
    broken = client.post(
        f"/api/projects/{other}/camera-move?base_version={taken.json()['version']}",
        files={"files": ("push.glb", b"not a file at all")},
    )
    assert broken.status_code == 422
    assert "not a GLB" in broken.json()["error"]
    assert client.get(f"/api/projects/{other}").json()["version"] == taken.json()["version"]
    assert client.delete(f"/api/moves/{kept['id']}").status_code == 200
    assert client.get("/api/moves").json() == []
    assert client.delete(f"/api/moves/{kept['id']}").status_code == 404
    hold = change(client, ball, state["version"], put("shot/rows", [])).json()
    assert (
        "no move to keep"
        in client.post(f"/api/projects/{hold['project']['id']}/moves", json={"name": "x"}).json()["error"]
    )


def test_a_project_is_taken_along_and_opened_elsewhere(client: TestClient) -> None:
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    assert client.get(f"/api/projects/{key}/bundle").status_code == 404
    job = ended(client, client.post(f"/api/projects/{key}/bundle").json())
    assert job["state"] == "done"
    answer = client.get(f"/api/projects/{key}/bundle")
    assert answer.headers["content-type"] == "application/zip"
    assert client.get(f"/api/projects/{key}/bundle").status_code == 404  # it was sent, and takes no room any more
    opened = intake(client, "/api/intakes", {"ball.zip": answer.content})
    assert opened["state"] == "done"
    assert "beside it" in opened["result"]["says"]
    there, here = (client.get(f"/api/projects/{k}").json()["project"] for k in (opened["result"]["project"], key))
    assert there["items"] == here["items"]
    refused = intake(client, f"/api/projects/{key}/subject", {"ball.zip": answer.content})
    assert refused["state"] == "failed"
    assert "reel wall" in refused["message"]
    spoilt = bytearray(answer.content)
    spoilt[len(spoilt) // 2] ^= 255
    damaged = intake(client, "/api/intakes", {"ball.zip": bytes(spoilt)})
    assert damaged["state"] == "failed"
    assert "damaged" in damaged["message"]


def test_the_schema_tells_what_pages_and_scripts_need(client: TestClient, ball: str) -> None:
    """Kinds with their fields, places with range and choices; every field that a kind names is one of the document."""
    schema = client.get("/api/schema").json()
    places = {place["path"]: place for place in schema["fields"]}
    ring = next(kind for kind in schema["lights"] if kind["shape"] == "ring")
    assert {"width_m", "opening", "gobo", "grid_deg", "distance_m"} == set(ring["fields"])
    for kind in schema["lights"]:
        assert all(f"looks/*/lights/*/{field}" in places for field in kind["fields"]), kind
    for kind in schema["segments"]:
        assert all(f"shots/*/rows/*/segments/*/{field}" in places for field in kind["fields"]), kind
    strength = places["looks/*/lights/*/strength_stops"]
    assert (strength["unit"], strength["least"], strength["most"], strength["affects"]) == ("stops", -12, 12, "gain")
    assert strength["keyable"]
    assert places["shots/*/shoot/file_format"]["choices"]["exr"] == "EXR"
    page = client.get(f"/projects/{ball}").text
    told = json.loads(re.search(r'<script type="application/json" id="schema">(.*?)</script>', page, re.S)[1])  # type: ignore[index]
    assert told == {name: schema[name] for name in told}


def test_a_light_is_mirrored_about_the_camera(client: TestClient, ball: str) -> None:
    """Seen from the camera, as far to the other side; twice is where it was, also where the rig goes along."""
    state = client.get(f"/api/projects/{ball}").json()
    changes = [{"kind": "set", "path": "look/lights_travel_with", "value": "camera"}]
    mirror = {"kind": "mirror_light", "light": state["project"]["looks"][0]["lights"][0]["id"], "frame": 40}
    before = state["project"]["looks"][0]["lights"][0]["azimuth_deg"]
    body = {"base_version": state["version"], "changes": [*changes, mirror]}
    once = client.post(f"/api/projects/{ball}/changes", json=body).json()
    camera = once["project"]["cameras"][0]["azimuth_deg"]
    after = once["project"]["looks"][0]["lights"][0]["azimuth_deg"]
    assert (after - camera + 180) % 360 - 180 == pytest.approx(-((before - camera + 180) % 360 - 180), abs=0.02)
    twice = client.post(
        f"/api/projects/{ball}/changes", json={"base_version": once["version"], "changes": [mirror]}
    ).json()
    assert twice["project"]["looks"][0]["lights"][0]["azimuth_deg"] == pytest.approx(before, abs=0.02)


def test_the_guide_has_a_section_for_every_station(client: TestClient) -> None:
    page = client.get("/guide")
    assert page.status_code == 200
    pages = re.findall(r'<section id="([a-z-]+)"', page.text)
    assert {*STATIONS, "screening", "cut", "stock"} <= set(pages)
    answers = re.findall(r"<h3>(.+?)</h3>", page.text)
    assert len(answers) > 50
    assert all(answer.startswith("To ") for answer in answers)
    pictures = re.findall(r'src="(/guide/pictures/[^"]+)"', page.text)
    assert len(pictures) >= 6
    for picture in pictures:
        assert client.get(picture).headers["content-type"] == "image/webp"
    assert client.get("/guide/pictures/..%2Fbegin.md").status_code == 404
    assert "](" not in page.text  # no link that leads nowhere here


def test_the_wall_works_a_project_out_once_a_state(
    client: TestClient, ball: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    worked: list[str] = []
    plain = Wall._summary
    monkeypatch.setattr(Wall, "_summary", lambda self, key: worked.append(key) or plain(self, key))
    pages = [client.get("/").text for _ in range(3)]
    assert pages[0] == pages[1] == pages[2]
    assert f'data-project="{ball}"' in pages[0]
    assert "ball.glb" in pages[0]
    assert worked.count(ball) == 1
    assert client.post(f"/api/projects/{ball}/name", json={"name": "Marble"}).json()["name"] == "Marble"
    assert "Marble" in client.get("/").text
    assert worked.count(ball) == 2
    # the next start shows what was kept, and works it out behind that
    again = Wall(client.app.state.context.studio)  # type: ignore[attr-defined]
    kept = {card.id: card.summary for card in again.cards()}
    assert kept == {card.id: card.summary for card in client.app.state.context.wall.cards()}  # type: ignore[attr-defined]
    assert worked.count(ball) == 2
    again._verify_some()
    again.cards()
    again._verify_some()
    assert worked.count(ball) == 3
    twin = client.post(f"/api/projects/{ball}/duplicate").json()["id"]
    assert "Marble 2" in client.get("/").text
    assert worked.count(ball) == 3
    one, two = (client.get(f"/api/projects/{key}").json()["project"] for key in (ball, twin))
    assert one | {"id": "", "name": ""} == two | {"id": "", "name": ""}
