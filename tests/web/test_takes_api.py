"""Passes, re-balanced lights, pictures and clips over the JSON interface."""

import hashlib
import io
import json
import os
import time
import zipfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from tests.conftest import pixels_of, png_of
from tests.core.geometry.test_intake import glb
from tests.web.test_api import change, client, ended, intake, put  # noqa: F401  (client is a fixture)

from cyclorama.app import clips
from cyclorama.app import takes as take_service
from cyclorama.app.bundles import shown_from_master
from cyclorama.core.errors import IntakeError
from cyclorama.core.picture.light_mix import LightChange, light_layers, mix_lights
from cyclorama.core.picture.linear import read_linear
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.shoot.frames.files import frame_path, frames_to_shoot, master_path, pass_path
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import Studio
from cyclorama.store.bundle import examine_bundle, open_bundle, pack_bundle
from cyclorama.web.app import create_app

SMALL = {
    "shot/shoot/width": 64,
    "shot/shoot/height": 48,
    "shot/shoot/samples": 8,
    "shot/shoot/denoise": False,
    "shot/shoot/to_frame": 3,
}


def shot(client: TestClient, folder: Path, tracer: Tracer, **values: object) -> tuple[Studio, str]:  # noqa: F811
    """A short take of a ball, shot in this process."""
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    version = client.get(f"/api/projects/{key}").json()["version"]
    settings = SMALL | {k.replace("__", "/"): v for k, v in values.items()}
    assert change(client, key, version, *(put(p, v) for p, v in settings.items())).status_code == 200
    studio = Studio(folder)
    take = take_service.call_take(studio, studio.projects.get(key), start=False)
    assert shoot_take(studio, take.id, tracer) == "done"
    return studio, take.id


def picture_of(response) -> np.ndarray:  # type: ignore[no-untyped-def]
    assert response.status_code == 200
    return pixels_of(response.content)


def test_lights_are_rebalanced_from_the_take(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__shoot__passes__wanted=["lights", "clay", "depth"])
    state = client.get(f"/api/takes/{take}").json()
    assert state["passes"] == ["clay", "depth"]
    assert state["lights"] == ["light Key", "light Fill", "light Rim", "light glow", "light environment"]
    beauty = picture_of(client.get(f"/api/takes/{take}/frames/1"))

    def mixed_frame(lights: dict[str, object], number: int = 1):  # type: ignore[no-untyped-def]
        return client.post(f"/api/takes/{take}/shown/{number}", json={"finishing": {"lights": lights}})

    as_shot = picture_of(mixed_frame({"light Key": {"colour": (1.0, 1.0, 0.9999)}}))
    assert np.abs(beauty - as_shot).mean() < 3  # JPEG, and half a step of rounding
    brighter = picture_of(mixed_frame({"light Key": {"stops": 1}}))
    dark = picture_of(mixed_frame({n: {"stops": -20} for n in state["lights"]}))
    assert brighter.mean() > as_shot.mean() + 2
    assert dark.mean() < 3
    red = picture_of(mixed_frame({n: {"colour": (1, 0, 0)} for n in state["lights"][:3]}))
    assert red[..., 0].mean() > red[..., 1].mean() + 5
    assert mixed_frame({"light Moon": {"stops": 1}}).status_code == 422
    assert mixed_frame({"light Key": {"stops": "much"}}).status_code == 422
    assert mixed_frame({"light Key": {"stops": 1}}, 9).status_code == 422
    clay = picture_of(client.get(f"/api/takes/{take}/passes/clay/1"))
    assert np.abs(clay - beauty).mean() > 2
    assert client.get(f"/api/takes/{take}/passes/wireframe/1").status_code == 404
    # a frame without one of its passes is shot again
    record = studio.takes.get(take)
    assert frames_to_shoot(record) == []
    pass_path(record, "depth", 2).unlink()
    assert frames_to_shoot(record) == [2]


def test_a_rebalanced_take_is_what_rendering_would_give(
    client: TestClient,  # noqa: F811
    data_folder: Path,
    tracer: Tracer,
) -> None:
    studio, source = shot(
        client,
        data_folder,
        tracer,
        shot__shoot__passes__wanted=["lights"],
        shot__shoot__file_format="exr",
        shot__shoot__bits=32,
        shot__shoot__samples=32,
    )
    balance = {"light Key": {"stops": -1.5, "colour": [1, 0.5, 0.25]}, "light environment": {"stops": 2}}
    made = take_service.call_mix(studio, source, {k: LightChange(**v) for k, v in balance.items()}, start=False)
    assert shoot_take(studio, made.id, tracer) == "done"
    state = client.get(f"/api/takes/{made.id}").json()
    assert (state["source_id"], state["done"], state["lights"]) == (source, [1, 2, 3], [])
    rendered = studio.takes.call("rendered", "Rendered", made.project, 1, None)
    assert shoot_take(studio, rendered.id, tracer) == "done"
    for number in (1, 3):
        mixed_one, true_one = (
            read_linear(frame_path(studio.takes.get(t), number).read_bytes(), "frame") for t in (made.id, "rendered")
        )
        # other samples are taken where lights are of other strength: alike in the mean, in each colour
        assert mixed_one.mean(axis=(0, 1)) == pytest.approx(true_one.mean(axis=(0, 1)), rel=0.03)
    # a frame that is lost is mixed again, without anything being rendered
    frame_path(made, 2).unlink()
    assert shoot_take(studio, made.id, tracer) == "done"
    assert frames_to_shoot(studio.takes.get(made.id)) == []
    for wrong in ({"light Moon": {"stops": 1}}, {"light Key": {"stops": 99}}):
        assert client.post(f"/api/takes/{source}/rebalance", json=wrong).status_code == 422
    assert "not kept apart" in client.post(f"/api/takes/{made.id}/rebalance", json={}).json()["error"]


def test_a_part_that_cannot_be_shot_is_refused_in_words(
    client: TestClient,  # noqa: F811
    data_folder: Path,
    tracer: Tracer,
) -> None:
    studio, take = shot(client, data_folder, tracer)
    url = f"/api/takes/{take}/again"
    whole = {"left": 0.1, "top": 0.1, "right": 0.9, "bottom": 0.9}
    before = {p: p.read_bytes() for p in studio.takes.folder(take).rglob("*") if p.is_file()}
    for wrong, says in (
        ({"right": 0.1}, "too small"),
        ({"bottom": 7}, "at most 1"),
        ({"left": "here"}, "number"),
        ({"depth": 1}, "nothing called ‘depth’"),
    ):
        answer = client.post(url, json={"frames": [1], "how": {"region": whole | wrong}})
        assert answer.status_code == 422, wrong
        assert says in answer.json()["error"], answer.json()
    answer = client.post(url, json={"frames": [9], "how": {"region": whole}})
    assert (answer.status_code, answer.json()["error"]) == (422, "This take has frames 1 to 3.")
    assert {p: p.read_bytes() for p in studio.takes.folder(take).rglob("*") if p.is_file()} == before
    assert client.get(f"/api/takes/{take}").json()["waiting"] == 0


def test_clamping_is_reported(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    _, take = shot(
        client, data_folder, tracer, shot__shoot__clamp_indirect=1.0, **{"look/lights/key/strength_stops": 12}
    )
    assert 0 < client.get(f"/api/takes/{take}").json()["clamped"] < 1
    _, free = shot(client, data_folder, tracer)
    assert client.get(f"/api/takes/{free}").json()["clamped"] is None


def test_mixing_adds_up() -> None:
    rng = np.random.default_rng(3)
    channels = {f"light {n}.{c}": rng.random((4, 5)).astype(np.float32) for n in ("A", "B") for c in "RGB"}
    layers = light_layers(channels)
    assert list(layers) == ["light A", "light B"]
    assert mix_lights(layers, {}) == pytest.approx(layers["light A"] + layers["light B"])
    assert mix_lights(layers, {"light A": LightChange(stops=2.0, colour=(1, 1, 0))}) == pytest.approx(
        layers["light A"] * np.float32([4, 4, 0]) + layers["light B"]
    )


def test_neighbours_expose_each_frame_once(
    client: TestClient,  # noqa: F811
    data_folder: Path,
    tracer: Tracer,
    frames_exposed: list[int],
) -> None:
    studio, take = shot(client, data_folder, tracer, shot__shoot__denoise_neighbours=True, shot__shoot__to_frame=6)
    assert sorted(frames_exposed) == [1, 2, 3, 4, 5, 6]
    assert all(frame_path(studio.takes.get(take), n).exists() for n in range(1, 7))


def test_clips_are_encoded_with_progress(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    _, take = shot(client, data_folder, tracer)
    job = made_clip(client, take)
    assert (job["state"], job["share"]) == ("done", 1.0)
    assert job["result"]["name"].endswith(".mp4")
    assert client.get(f"/api/takes/{take}/clip.mp4").content[4:8] == b"ftyp"


def test_many_ask_for_one_clip(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    """Pages and the desk at once: the clip is encoded once, and everybody gets the whole of it."""
    studio, take = shot(client, data_folder, tracer)
    encoded: list[Path] = []
    plain = clips.encode_mp4

    def slowly(frames: object, rate: object, target: Path, *more: object, **named: object) -> None:
        encoded.append(target)
        time.sleep(0.3)
        plain(frames, rate, target, *more, **named)  # type: ignore[arg-type]

    with pytest.MonkeyPatch.context() as patch, ThreadPoolExecutor(6) as pool:
        patch.setattr(clips, "encode_mp4", slowly)
        client.post(f"/api/takes/{take}/clip")
        answers = list(pool.map(lambda _: client.get(f"/api/takes/{take}/clip.mp4"), range(6)))
    assert len(encoded) == 1
    for answer in answers:
        with av.open(io.BytesIO(answer.content)) as container:
            assert len(list(container.decode(video=0))) == 3
    # a frame that is shot anew makes the clip an old one, however old its file claims to be
    whole = studio.takes.get(take)
    number = whole.frames[2]
    data = frame_path(whole, 1).read_bytes()
    frame_path(whole, 2).write_bytes(data)
    os.utime(frame_path(whole, 2), (0, 0))
    studio.takes.add_frame(take, replace(number, files={**number.files, "beauty": whole.frames[1].files["beauty"]}))
    before = answers[0].content
    assert client.get(f"/api/takes/{take}/clip.mp4").content != before
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/takes/{take}/frames.zip").content))
    assert archive.testzip() is None


def test_deliveries_are_compared_first(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    """A missing or damaged frame is a sentence, not half a file or a clip that is for ever being encoded."""
    studio, take = shot(
        client, data_folder, tracer, shot__shoot__passes__wanted=["lights"], shot__shoot__name_pattern="Küste 帆"
    )
    whole = studio.takes.get(take)
    named = client.get(f"/api/takes/{take}/frames.zip")
    assert "filename*=UTF-8''K%C3%BCste" in named.headers["content-disposition"]
    assert int(named.headers["content-length"]) == len(named.content)
    data = frame_path(whole, 2).read_bytes()
    lights = pass_path(whole, "lights", 2)
    lights.write_bytes(lights.read_bytes()[:-40] + bytes(40))
    relit = {"finishing": {"lights": {"light Key": {"stops": 1}}}}
    assert "damaged" in client.post(f"/api/takes/{take}/shown/2", json=relit).json()["error"]
    for state, damage in (("damaged", data[:-20] + bytes(20)), ("missing", None)):
        if damage is None:
            frame_path(whole, 2).unlink()
        else:
            frame_path(whole, 2).write_bytes(damage)
        for url in ("clip.mp4", "frames.zip", "seam"):
            answer = client.get(f"/api/takes/{take}/{url}")
            assert answer.status_code == 422
            assert f"Frame 2 is {state}" in answer.json()["error"]
        assert f"Frame 2 is {state}" in made_clip(client, take)["message"]
    frame_path(whole, 2).write_bytes(data)
    assert made_clip(client, take)["state"] == "done"
    assert list(whole.folder.rglob("*.part")) == []


def made_clip(client: TestClient, take: str) -> dict:  # noqa: F811
    """Ask for a clip and wait until it is there, or is not to be had."""
    return ended(client, client.post(f"/api/takes/{take}/clip").json())


def test_pictures_are_kept_or_refused(client: TestClient) -> None:  # noqa: F811
    key = client.post("/api/projects", json={"name": "Maps"}).json()["id"]
    teal = png_of(np.tile([0, 128, 128], (8, 8, 1)))
    kept = client.post(f"/api/projects/{key}/pictures", files=[("files", ("teal.png", teal))]).json()
    assert kept[0]["name"] == "teal.png"
    version = client.get(f"/api/projects/{key}").json()["version"]
    background = {"kind": "picture", "picture": kept[0]["asset"], "source_name": "teal.png"}
    state = change(client, key, version, put("look/background", background)).json()
    assert state["project"]["looks"][0]["background"]["picture"] == kept[0]["asset"]
    both = [("files", ("a.png", teal)), ("files", ("b.png", b"\x89PNG broken"))]
    refused = client.post(f"/api/projects/{key}/pictures", files=both)
    assert refused.status_code == 422
    assert "b.png" in refused.json()["error"]


def test_lights_and_presets_are_changes(client: TestClient) -> None:  # noqa: F811
    key = intake(client, "/api/intakes", {"ball.glb": glb()})["result"]["project"]
    state = client.get(f"/api/projects/{key}").json()
    material = state["project"]["materials"][0]["id"]
    state = change(client, key, state["version"], {"kind": "add_light", "shape": "sun"}).json()
    sun = state["project"]["looks"][0]["lights"][-1]
    assert (sun["shape"], sun["name"], sun["power_unit"]) == ("sun", "Sun", "lx")
    state = change(client, key, state["version"], {"kind": "preset", "material": material, "preset": "Velvet"}).json()
    assert state["project"]["materials"][0]["fuzz_weight"] == 1
    assert state["undo"] == "Start from velvet"
    wrongs = (
        {"kind": "preset", "material": material, "preset": "Kryptonite"},
        {"kind": "preset", "material": "nobody", "preset": "Velvet"},
        {"kind": "remove", "path": "look/lights/moon"},
    )
    for wrong in wrongs:
        assert change(client, key, state["version"], wrong).status_code == 422
    state = change(client, key, state["version"], {"kind": "remove", "path": f"look/lights/{sun['id']}"}).json()
    assert len(state["project"]["looks"][0]["lights"]) == 3


@pytest.mark.parametrize("masters_only", [False, True])
def test_takes_come_along_in_a_bundle(
    client: TestClient,  # noqa: F811
    data_folder: Path,
    tracer: Tracer,
    tmp_path: Path,
    masters_only: bool,
) -> None:
    """Whole, or as masters, of which the same pictures are made."""
    studio, take = shot(client, data_folder, tracer, shot__shoot__passes__wanted=["normal"])
    project = studio.takes.get(take).project_id
    none, used, every = client.get(f"/api/projects/{project}/bundle/takes").json()
    assert (none["count"], used["count"], every["count"]) == (0, 0, 1)
    job = client.post(f"/api/projects/{project}/bundle", json={"takes": "all", "masters_only": masters_only}).json()
    ended(client, job)
    data = client.get(f"/api/projects/{project}/bundle").content
    with TestClient(create_app(tmp_path / "other"), base_url="http://127.0.0.1") as other:
        came = intake(other, "/api/intakes", {"ball.zip": data})
        assert came["result"]["says"] == "One take came along."
        there = Studio(tmp_path / "other")
        old, new = studio.takes.get(take), there.takes.get(take)
        assert new.state == "done"
        for number in old.numbers:
            pictures = (np.asarray(Image.open(frame_path(x, number)), float) for x in (old, new))
            assert np.abs(np.subtract(*pictures)).max() <= masters_only  # of halves: a value of 255 may be the next one
            assert master_path(new, number).read_bytes() == master_path(old, number).read_bytes()
            assert pass_path(new, "normal", number).exists() != masters_only
        assert frames_to_shoot(new) == ([*old.numbers] if masters_only else [])  # passes alone, where they are wanted
        assert other.get(f"/api/takes/{take}/shown/2").status_code == 200
        there.close()


def test_a_damaged_take_in_a_bundle_does_not_keep_the_project_out(
    client: TestClient,  # noqa: F811
    data_folder: Path,
    tracer: Tracer,
    tmp_path: Path,
) -> None:
    studio, take = shot(client, data_folder, tracer)
    packed = tmp_path / "ball.zip"
    pack_bundle(studio, studio.takes.get(take).project_id, packed, takes_in="all")
    with zipfile.ZipFile(packed) as box:
        files = {name: box.read(name) for name in box.namelist()}
    slate = files[f"takes/{take}/slate.json"] = files[f"takes/{take}/slate.json"].replace(b"schema_version", b"schema")
    manifest = json.loads(files["manifest.json"])
    entry = {"sha256": hashlib.sha256(slate).hexdigest(), "bytes": len(slate)}
    manifest["take_files"][f"takes/{take}/slate.json"] = entry
    for outside in (f"takes/{take}/../../../outside", f"takes/{take}/beauty/../../x", f"takes/{take}/notes.txt"):
        hostile = json.dumps(manifest | {"take_files": manifest["take_files"] | {outside: entry}}).encode()
        with zipfile.ZipFile(packed, "w") as box:
            for name, data in (files | {"manifest.json": hostile, outside: slate}).items():
                box.writestr(name, data)
        with pytest.raises(IntakeError, match="is damaged"):
            examine_bundle(packed, tmp_path / "unpacked")
    with zipfile.ZipFile(packed, "w") as box:
        for name, data in (files | {"manifest.json": json.dumps(manifest).encode()}).items():
            box.writestr(name, data)
    there = Studio(tmp_path / "there")
    opened = open_bundle(there, packed, shown_from_master(there))
    assert "cannot be used" in opened.says[0]
    assert there.projects.get(opened.id).project.name
    assert there.takes.ids() == []
    assert not list((tmp_path / "there" / "takes").glob("*"))
    there.close()
