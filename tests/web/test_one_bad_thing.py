"""One bad thing never takes the rest: poison is not saved, damage is shown with its name, a full disk is told."""

import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient
from tests.conftest import always, edited, fill, png_of
from tests.core.geometry.test_intake import glb
from tests.shoot.test_shoot import studio_with, wait_for
from tests.web.test_api import change, intake, put

from cyclorama.app import takes as take_service
from cyclorama.core.commands.camera import MeterSubject
from cyclorama.core.commands.lists import Copy
from cyclorama.core.commands.perform import perform
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.cache_keys import measures_key, standin_key
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.picture.light_mix import LightChange, with_balance
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import SCHEMA_VERSION, Light, load_project, new_project
from cyclorama.demo.environments import harbour_dusk
from cyclorama.shoot.run.take import shoot_take
from cyclorama.web.app import create_app


def opened(folder: Path) -> TestClient:
    return TestClient(create_app(folder), base_url="http://127.0.0.1")


@pytest.fixture
def client(data_folder: Path) -> Iterator[TestClient]:
    with opened(data_folder) as client:
        yield client


class OddEye:
    """Meters an exposure that no camera has."""

    def __init__(self, ev100: float):
        self._ev100 = ev100

    def meter(self, project: object) -> float:
        return self._ev100


def test_changes_that_lead_out_of_range_stay_in_it() -> None:
    project = new_project("Edge")
    for azimuth in (3600.0, 3571.0, -3600.0, 179.0):
        lit = edited(project, look__lights=(Light(id="a", name="A", azimuth_deg=azimuth),))
        copied = load_project(perform(lit, Copy(path="look/lights/a"), always(None), OddEye(0))[0].model_dump_json())  # type: ignore[arg-type]
        assert (copied.look.lights[1].azimuth_deg - azimuth) % 360 == pytest.approx(30)
    for ev100, kept in ((-40.0, -10.0), (9.126, 9.13), (61.0, 24.0)):
        metered, _ = perform(project, MeterSubject(), always(None), OddEye(ev100))  # type: ignore[arg-type]
        assert load_project(metered.model_dump_json()).look.tone.ev100 == kept


def test_a_rebalance_beyond_the_range_is_the_same_light() -> None:
    project = new_project("Edge")
    key = project.look.lights[0]
    bright = with_balance(project, {f"light {key.name}": LightChange(stops=17)}).look.lights[0]
    assert load_project(edited(project, look__lights=(bright,)).model_dump_json())
    assert bright.power * 2**bright.strength_stops == pytest.approx(key.power * 2 ** (key.strength_stops + 17))
    dark = with_balance(project, {"light environment": LightChange(stops=-20)})
    load_project(dark.model_dump_json())


POISON = [
    put("subject/placement/unit_m", 1e-8),
    put("subject/placement/unit_m", 1e-6),
    put("subject/placement/unit_m", 1e4),
    {"kind": "remove", "path": "look/lights"},
    {"kind": "remove", "path": "shots/x"},
    {"kind": "remove", "path": "subject/parts/part-1"},
    {"kind": "copy", "path": "materials/material-1"},
    {"kind": "move_to", "path": "look/lights/key", "to": 900},
    {"kind": "travel", "move": "hover"},
    put("subject/rides", "item-1"),
    put("subject/variant_id", "none"),
    put("shot/rows", [{"id": "nobody", "segments": [{"id": "s", "kind": "spin"}]}]),
    put("subject", {"asset": "0" * 32, "source_name": "x", "parts": []}),
    put("subject/parts", []),
    put("subject/placement/centre_x_m", 1e6),
    put("subject/placement/lift_m", 1e300),
    put("look/environment/asset", "f" * 32),
    put("look/lights", [{"id": "a", "name": "A", "azimuth_deg": 3600}]),
    put("cameras", []),
    put("materials", []),
    put("schema_version", 9),
]


def test_nothing_is_saved_that_cannot_be_opened_again(client: TestClient) -> None:
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    copied = {"kind": "copy", "path": "look/lights/a"}
    for poison in POISON:
        for also in ([], [{"kind": "fit"}], [{"kind": "centre"}, {"kind": "stand"}], [copied]):
            before = client.get(f"/api/projects/{key}").json()["version"]
            answer = change(client, key, before, poison, *also)
            assert answer.status_code in (200, 422), poison
            after = client.get(f"/api/projects/{key}")
            assert after.status_code == 200, poison
            if after.json()["version"] > before:  # the next begins with a sound subject again
                client.post(f"/api/projects/{key}/undo", json={"base_version": before + 1})
    assert client.get("/").status_code == 200


def test_saving_refuses_what_validation_would(data_folder: Path) -> None:
    """Whatever edits a document past its checks."""
    studio, saved = studio_with(data_folder)
    look = saved.project.look
    tone = look.tone.model_copy(update={"ev100": float("inf")})
    bad = (look.model_copy(update={"tone": tone}),)
    key = saved.project.id
    with pytest.raises(ChangeError):
        studio.projects.edit(key, saved.version, "x", lambda p: p.model_copy(update={"looks": bad}))
    with pytest.raises(ChangeError):
        studio.projects.create(new_project("y").model_copy(update={"looks": bad}))
    assert studio.projects.get(key).version == saved.version
    assert studio.projects.ids() == [key]


def damage(folder: Path, statement: str, *values: object) -> None:
    with sqlite3.connect(folder / "studio.sqlite") as connection:
        connection.execute(statement, values)
    connection.close()


DOCUMENTS: dict[str, Callable[[str], str]] = {
    "cut": lambda d: d[: len(d) // 2],
    "empty": lambda d: "",
    "of a newer version": lambda d: d.replace(f'"schema_version":{SCHEMA_VERSION}', '"schema_version":99'),
    "infinite": lambda d: d.replace('"ev100":9.0', '"ev100":Infinity'),
    "out of range": lambda d: d.replace('"frames":6', '"frames":-6'),
    "deep": lambda d: "[" * 50_000,
    "a list": lambda d: "[]",
}


def test_damaged_projects_are_shown_and_the_rest_works(data_folder: Path) -> None:
    studio, saved = studio_with(data_folder)
    other = studio.projects.create(new_project("Untouched")).project.id
    damaged: dict[str, tuple[str, str]] = {}
    for name, how in DOCUMENTS.items():
        project = saved.project.model_copy(update={"id": f"project-{len(damaged)}", "name": "Before"})
        whole = studio.projects.create(project).project.model_dump_json()
        studio.projects.edit(project.id, 1, "Rename", lambda p, name=name: p.model_copy(update={"name": name}))
        damaged[name] = project.id, how(whole)
        assert damaged[name][1] != whole
        statement = "UPDATE history SET document = ?, patch = 0 WHERE project_id = ? AND seq = 2"
        damage(data_folder, statement, damaged[name][1], project.id)
    with opened(data_folder) as client:
        wall = client.get("/").text
        assert "Untouched" in wall
        assert wall.count("data-damaged") == len(DOCUMENTS)
        assert client.get(f"/api/projects/{other}").status_code == 200
        for name, (key, document) in damaged.items():
            assert name in wall
            answer = client.get(f"/api/projects/{key}")
            assert answer.status_code == 410
            assert f"‘{name}’" in answer.json()["error"]
            assert client.get(f"/projects/{key}", headers={"accept": "text/html"}).status_code == 410
            assert client.get(f"/api/projects/{key}/document").text == document
            assert client.post(f"/api/projects/{key}/recover").status_code == 200
            assert client.get(f"/api/projects/{key}").json()["project"]["name"] == "Before"
            damage(data_folder, "UPDATE history SET document = ?, patch = 0 WHERE project_id = ?", document, key)
            assert client.post(f"/api/projects/{key}/recover").status_code == 410
            assert client.delete(f"/api/projects/{key}").status_code == 200
        assert "data-damaged" not in client.get("/").text


def test_a_damaged_take_is_shown_and_the_rest_works(data_folder: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(data_folder, frames=1)
    broken, sound = (take_service.call_take(studio, saved, start=False) for _ in range(2))
    assert shoot_take(studio, sound.id, tracer) == "done"
    damage(data_folder, "UPDATE take SET document = '{}', slate = '{' WHERE id = ?", broken.id)
    with opened(data_folder) as client:
        states = {t["name"]: t for t in client.get("/api/takes").json()}
        assert (states["Orbit 1"]["state"], states["Orbit 2"]["state"]) == ("damaged", "done")
        assert broken.id in states["Orbit 1"]["message"]
        assert client.get("/").status_code == client.get("/shoots").status_code == 200
        assert client.get(f"/api/takes/{broken.id}").status_code == 410
        assert client.get(f"/takes/{broken.id}", headers={"accept": "text/html"}).status_code == 410
        damage(data_folder, "UPDATE frame SET files = 'nonsense' WHERE take_id = ?", sound.id)
        assert client.get(f"/api/takes/{sound.id}").status_code == 410
        for take in (broken, sound):
            assert client.delete(f"/api/takes/{take.id}").status_code == 200
        assert client.get("/api/takes").json() == []


def test_damaged_files_of_a_model_leave_the_studio_usable(client: TestClient) -> None:
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    studio = client.app.state.context.studio  # type: ignore[attr-defined]
    asset = client.get(f"/api/projects/{key}").json()["project"]["items"][0]["asset"]
    files = [studio.assets.path(k) for k in (measures_key(asset), standin_key(asset), f"{asset}.report", asset)]
    for content in (None, b"", b"PK\x03\x04 damaged", b"x" * 1000):
        for path in files:
            path.write_bytes(content or b"")
            if content is None:
                path.unlink()
        state = client.get(f"/api/projects/{key}").json()
        assert "Bring the model in again" in state["trouble"]
        assert "bring it in again" in state["stations"][0]["sentence"]
        assert "Bring the model in again" in client.get("/").text
        for url in ("sketch", "poster", "readiness"):
            assert client.get(f"/api/projects/{key}/{url}").status_code < 500
        assert client.post(f"/api/projects/{key}/takes", json={"version": state["version"]}).status_code == 410
        assert change(client, key, state["version"], put("name", "Still mine")).status_code == 200
    # the same shape in another colour: its files have the names of the damaged ones
    again = intake(client, f"/api/projects/{key}/subject", {"cube.glb": glb(base=(0.1, 0.2, 0.3))})
    assert again["state"] == "done"
    assert client.get(f"/api/projects/{key}").json()["trouble"] is None


def test_a_full_disk_is_told_everywhere_and_everything_goes_on(small_disk: Path, tracer: Tracer) -> None:
    """Edits, pictures, models, environments, clips, the log: a sentence each, and nothing is half done."""
    studio, saved = studio_with(small_disk, frames=2)
    take = take_service.call_take(studio, saved, start=False)
    assert shoot_take(studio, take.id, tracer) == "done"
    key = saved.project.id
    sky = encode_exr(harbour_dusk(64))
    with opened(small_disk) as client:
        wait_for(lambda: (small_disk / "backups").exists() and any((small_disk / "backups").glob("*.sqlite")))
        ballast = fill(small_disk, 0)

        def edit(name: str, version: int = 1):  # type: ignore[no-untyped-def]
            return change(client, key, version, put("name", name))

        def send(url: str, name: str, data: bytes):  # type: ignore[no-untyped-def]
            return client.post(f"/api/projects/{key}/{url}", files=[("files", (name, data))])

        before = client.get(f"/api/projects/{key}").json()
        lit = send("environment?base_version=1", "a.exr", sky)
        full = [
            lit,
            edit("Full " * 10),
            send("pictures", "a.png", noise()),
            send("subject", "ball.glb", glb()),
            client.get(f"/api/takes/{take.id}/clip.mp4"),
            client.post(f"/api/projects/{key}/takes", json={"version": 1}),
        ]
        for answer in full:
            assert answer.status_code == 507, answer.text
            assert "The disk is full" in answer.json()["error"]
        assert client.get(f"/api/projects/{key}").json() == before
        for url in ("/", "/shoots", f"/projects/{key}", "/api/takes", f"/api/takes/{take.id}/frames.zip"):
            assert client.get(url).status_code == 200
        assert [p for p in small_disk.rglob("*.part") if p.stat().st_size] == []
        ballast.unlink()
        assert edit("Room").json()["project"]["name"] == "Room"
        assert send("pictures", "a.png", noise()).status_code == 200
        assert intake(client, f"/api/projects/{key}/subject", {"ball.glb": glb()})["state"] == "done"
        assert client.get(f"/api/takes/{take.id}/clip.mp4").content[4:8] == b"ftyp"


def noise() -> bytes:
    return png_of(np.random.default_rng(0).integers(0, 255, (200, 200, 3)))
