"""The screening room over the JSON interface: grading takes, comparing, checks, notes, frames shot again."""

import base64
import io
import zipfile
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from tests.conftest import pixels_of, png_of
from tests.web.test_api import change, client, ended, put  # noqa: F401  (client is a fixture)
from tests.web.test_takes_api import picture_of, shot

from cyclorama.app import takes as take_service
from cyclorama.core.motion import moment
from cyclorama.core.picture.exposure import expose
from cyclorama.core.picture.grade.finish import display_frame
from cyclorama.core.picture.view_transform import to_bytes
from cyclorama.core.render.compile.background import with_background
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.frame import expose_frame, finish_of
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import put_all
from cyclorama.shoot.finish.masters import Masters, finish_frame
from cyclorama.shoot.frames.files import file_path, frame_path, frames_to_shoot, master_path
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store.garbage import collect_garbage

GRADE = {
    "exposure_stops": 0.7,
    "contrast": 1.2,
    "saturation": 0.6,
    "curves": {"luma": {"points": [[-3, -4], [0, 0.2], [3, 3]]}},
}


def graded(client: TestClient, take: str, grade: dict[str, object], **more: object):  # type: ignore[no-untyped-def]  # noqa: F811
    finishing = {"grade": grade} | more
    call = {"finishing": finishing, "label": "Contrast", "revision": revision(client, take)}
    return client.post(f"/api/takes/{take}/finish", json=call)


def revision(client: TestClient, take: str) -> int:  # noqa: F811
    """Of a take's grade as it stands."""
    return int(client.get(f"/api/takes/{take}/finish").json()["revision"])


def step(client: TestClient, take: str, way: str):  # type: ignore[no-untyped-def]  # noqa: F811
    return client.post(f"/api/takes/{take}/finish/{way}", params={"revision": revision(client, take)})


def frame(client: TestClient, take: str, number: int = 1, **query: object) -> np.ndarray:  # noqa: F811
    """A frame as it is shown, with its alpha where it has any."""
    answer = client.get(f"/api/takes/{take}/shown/{number}", params=query)
    assert answer.status_code == 200
    return np.asarray(Image.open(io.BytesIO(answer.content)))


def test_a_take_is_graded_with_undo_and_its_files_stay(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer)
    record = studio.takes.get(take)
    assert set(record.frames[1].files) == {"beauty", ".thumbs", "master"}
    before = frame_path(record, 1).read_bytes()
    as_shot = frame(client, take)
    assert np.abs(as_shot.astype(int) - pixels_of(before).astype(int)).max() <= 1  # the master is half floats
    state = client.get(f"/api/takes/{take}/finish").json()
    assert (state["why_not"], state["undo"], state["redo"]) == (None, False, False)
    state = graded(client, take, GRADE).json()
    assert state["undo"]
    assert state["finishing"]["grade"]["contrast"] == 1.2
    now = frame(client, take)
    assert np.abs(now.astype(int) - as_shot.astype(int)).mean() > 4
    assert np.array_equal(frame(client, take, state=0), as_shot)
    tried = client.post(
        f"/api/takes/{take}/shown/1", json={"finishing": {"grade": {"exposure_stops": -4}}, "width": 64}
    )
    assert picture_of(tried).mean() < as_shot.mean() / 2
    assert np.array_equal(frame(client, take), now)  # trying keeps nothing
    small = client.get(f"/api/takes/{take}/thumbs/1")
    assert np.abs(picture_of(small).mean((0, 1)) - now.mean((0, 1))).max() < 4  # lists show it as it is graded
    again = client.get(f"/api/takes/{take}/thumbs/1", headers={"if-none-match": small.headers["etag"]})
    assert again.status_code == 304
    assert step(client, take, "undo").json()["redo"]
    assert np.array_equal(frame(client, take), as_shot)
    again = step(client, take, "redo").json()
    assert np.array_equal(frame(client, take), now)
    # addresses of frames name the state: another one after undo has another name
    step(client, take, "undo")
    assert graded(client, take, {"contrast": 0.5}).json()["version"] != again["version"]
    assert not client.get(f"/api/takes/{take}/finish").json()["redo"]
    assert graded(client, take, GRADE).json()["version"] == again["version"]
    assert frame_path(record, 1).read_bytes() == before
    # what is delivered is what is seen
    with zipfile.ZipFile(io.BytesIO(client.get(f"/api/takes/{take}/frames.zip").content)) as archive:
        first = pixels_of(archive.read(sorted(archive.namelist())[0]))
    assert np.array_equal(first, now)
    assert client.get(f"/api/takes/{take}/clip.mp4").status_code == 200


def test_the_lens_shows_what_the_take_is_delivered_as(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__shoot__to_frame=2, shot__shoot__denoise_neighbours=False)
    graded(client, take, GRADE, view="aces")
    record = studio.takes.get(take)
    finishing = studio.screening.finish(record).finishing
    delivered = to_bytes(finish_frame(record, 1, finishing, Masters(studio), studio.assets.get))
    assert client.post(f"/api/takes/{take}/finish-to-look").status_code == 200
    project = studio.projects.get(record.project_id).project
    assert project.look.grade.contrast == 1.2
    assert project.look.tone.view == "aces"
    here = moment(put_all(project, {"shot/shoot/to_frame": 2}), 1)
    compiler = SceneCompiler(studio.assets.get)
    film = expose_frame(here, compiler, tracer)
    light = expose(with_background(film.radiance, film.alpha, compiler.background(here, 64, 48)), here.look.tone)
    seen = to_bytes(display_frame(light, None, finish_of(here), compiler.read_asset))
    assert np.abs(seen.astype(int) - delivered.astype(int)).max() <= 1
    again = client.post(f"/api/takes/{take}/finish-of/look?revision={revision(client, take)}").json()
    assert again["finishing"]["grade"] == studio.screening.finish(record).finishing.grade.model_dump(mode="json")


def test_keyed_grades_count_until_told(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__shoot__to_frame=2)
    key = studio.takes.get(take).project_id
    version = client.get(f"/api/projects/{key}").json()["version"]
    changes = [{"kind": "key", "path": "look/grade/exposure_stops", "frame": n} for n in (1, 2)]
    assert change(client, key, version, *changes, put("look/grade/exposure_stops", 3.0)).status_code == 200
    document = studio.projects.get(key).project
    channel = document.shot.channels[0]
    keys = tuple(k.model_copy(update={"value": (v,)}) for k, v in zip(channel.keys, (0.0, 3.0), strict=True))
    studio.projects.edit(
        key,
        version + 1,
        "Keys",
        lambda p: put_all(p, {f"shots/{p.shot.id}/channels": (channel.model_copy(update={"keys": keys}),)}),
    )
    second = take_service.call_take(studio, studio.projects.get(key), start=False)
    assert shoot_take(studio, second.id, tracer) == "done"
    dark, bright = (frame(client, second.id, n).mean() for n in (1, 2))
    assert bright > dark + 40
    state = client.get(f"/api/takes/{second.id}/finish").json()["finishing"]
    graded(client, second.id, state["grade"] | {"exposure_stops": -1.0})
    assert abs(frame(client, second.id, 2).mean() - frame(client, second.id, 1).mean()) < 8


def test_takes_without_masters_stay_as_they_are(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__shoot__masters=False)
    record = studio.takes.get(take)
    assert "master" not in record.frames[1].files
    assert "without masters" in client.get(f"/api/takes/{take}/finish").json()["why_not"]
    assert np.array_equal(frame(client, take), pixels_of(frame_path(record, 1).read_bytes()))
    assert graded(client, take, GRADE).status_code == 422
    assert graded(client, take, {}).status_code == 200
    assert client.get(f"/api/takes/{take}/loupe/1?x=0.5&y=0.5").status_code == 422
    told = client.get(f"/api/projects/{record.project_id}/readiness").json()
    assert any("No masters" in sentence for sentence in told["odd"])


def test_backdrops_lie_behind_without_fringes(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    over = {"shot__shoot__background": "transparent", "set__sweep__on": False, "shot__shoot__to_frame": 1}
    studio, take = shot(client, data_folder, tracer, **over)
    assert frame(client, take).shape[2] == 4
    behind = {"kind": "colour", "colour": [0.1, 0.3, 0.5]}
    graded(client, take, {}, behind=behind)
    laid = frame(client, take)
    # the same shot opaque, with that background behind it
    key = studio.takes.get(take).project_id
    version = client.get(f"/api/projects/{key}").json()["version"]
    opaque = [
        put("shot/shoot/background", "set"),
        put("look/background/kind", "colour"),
        put("look/background/colour", behind["colour"]),
    ]
    assert change(client, key, version, *opaque).status_code == 200
    second = take_service.call_take(studio, studio.projects.get(key), start=False)
    assert shoot_take(studio, second.id, tracer) == "done"
    assert np.abs(laid.astype(int) - frame(client, second.id).astype(int)).max() <= 1
    # another take behind it, as that one is graded
    graded(client, second.id, {"exposure_stops": 0.5})
    version = client.get(f"/api/takes/{take}/finish").json()["version"]
    assert graded(client, take, {}, behind={"take": second.id}).status_code == 200
    both, other = frame(client, take), frame(client, second.id)
    assert np.abs(both.astype(int)[0] - other[0]).max() <= 1  # nothing is before it there
    assert np.abs(both.astype(int)[24, 32] - laid[24, 32]).max() <= 1  # the ball hides it
    before = client.get(f"/api/takes/{take}/finish").json()["version"]
    assert before != version
    graded(client, second.id, {"exposure_stops": 1.5})
    assert client.get(f"/api/takes/{take}/finish").json()["version"] != before  # its picture is another now
    assert "itself" in graded(client, take, {}, behind={"take": take}).text
    assert client.delete(f"/api/takes/{second.id}").status_code == 200
    gone = client.get(f"/api/takes/{take}/shown/1")
    assert gone.status_code == 422
    assert "Choose another backdrop" in gone.text
    picture = client.post(
        f"/api/projects/{key}/pictures", files={"files": ("sky.png", png_of(np.full((20, 30, 3), 200, np.uint8)))}
    )
    asset = picture.json()[0]["asset"]
    graded(client, take, {}, behind={"kind": "picture", "picture": asset})
    corner = frame(client, take)[0, 0]
    assert np.abs(corner.astype(int) - 200).max() < 12  # the view is neutral, not identical
    collect_garbage(studio, rest_s=-10)
    assert studio.assets.has(asset)  # only the take's grade refers to it
    assert client.post(f"/api/projects/{key}/pictures", files={"files": ("sky.png", b"no picture")}).status_code == 422


def test_tables_and_decisions_come_in_and_go_out(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    _, take = shot(client, data_folder, tracer, shot__shoot__to_frame=1)
    inverted = "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n"
    kept = client.post("/api/tables", files={"files": ("negative.cube", inverted)}).json()
    assert kept["says"] == "2 steps of each channel"
    before = frame(client, take).astype(int)
    graded(client, take, {"table": {"asset": kept["asset"], "source_name": kept["name"]}})
    assert np.abs(frame(client, take).astype(int) - (255 - before)).max() <= 2
    assert graded(client, take, {"table": {"asset": "0" * 32}}).status_code == 422
    assert "is no .cube" in client.post("/api/tables", files={"files": ("x.cube", "hello")}).json()["error"]
    graded(client, take, {"slope": [1.2, 1, 0.9], "offset": [0.01, 0, 0], "power": [1, 1.1, 1], "saturation": 0.8})
    written = client.get(f"/api/takes/{take}/grade.cdl")
    assert written.headers["content-disposition"].endswith(".cdl")
    graded(client, take, {})
    back = client.post(
        f"/api/takes/{take}/decisions?revision={revision(client, take)}", files={"files": ("a.cdl", written.content)}
    ).json()["finishing"]["grade"]
    assert (back["slope"], back["offset"], back["power"], back["saturation"]) == (
        [1.2, 1, 0.9],
        [0.01, 0, 0],
        [1, 1.1, 1],
        0.8,
    )
    url = f"/api/takes/{take}/decisions?revision={revision(client, take)}"
    one, two = written.content.replace(b"1.2", b"1.2 7"), written.content.replace(b"0.8", b"99")
    for bad in (b"<cdl/>", b"<a", b"<!DOCTYPE a [<!ENTITY b 'c'>]><a/>", one, two):
        assert client.post(url, files={"files": ("a.cdl", bad)}).status_code == 422


def test_scopes_loupe_overlays_and_differences(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    _, take = shot(client, data_folder, tracer, shot__shoot__to_frame=2)
    body = {"finishing": {"grade": {"exposure_stops": 10}}, "width": 64}
    found = client.post(f"/api/takes/{take}/scopes/1", json=body).json()
    assert sum(found["histogram"][3]) == 64 * 48
    assert min(found["burnt"]) > 0.5
    for name in ("waveform", "parade", "vectorscope"):
        with Image.open(io.BytesIO(base64.b64decode(found[name]))) as image:
            assert image.size[1] == 256
    here = client.get(f"/api/takes/{take}/loupe/1?x=0.5&y=0.5").json()
    pixel = frame(client, take)[24, 32]
    assert here["shown"] == pixel.tolist()
    luminance = float(np.dot(here["linear"], [0.2126, 0.7152, 0.0722]))
    assert here["stops"] == pytest.approx(np.log2(luminance / 0.18), abs=1e-6)
    for overlay in ("false colour", "clipping", "peaking"):
        assert not np.array_equal(frame(client, take, overlay=overlay), frame(client, take))
    graded(client, take, {"exposure_stops": 1})
    figures = client.get(f"/api/takes/{take}/against/state-0/1/figures").json()
    assert figures["mean"] > 0.05
    assert figures["ssim"] < 1
    assert client.get(f"/api/takes/{take}/against/{take}/1/figures").json()["sentence"] == "The same picture."
    earlier = frame(client, take)
    graded(client, take, {"exposure_stops": 2})
    assert [x["number"] for x in client.get(f"/api/takes/{take}/finishes").json()] == [1]
    assert np.array_equal(frame(client, take, state=1), earlier)
    same = client.get(f"/api/takes/{take}/against/state-1/1/figures").json()["mean"]
    assert 0 < same < client.get(f"/api/takes/{take}/against/state-0/1/figures").json()["mean"]
    assert client.get(f"/api/takes/{take}/against/state-7/1/figures").status_code == 404
    less = picture_of(client.get(f"/api/takes/{take}/against/state-0/1?gain=2"))
    assert less.mean() < 120  # as it was shot it is darker: below the grey of no difference
    line = client.get("/api/grade/curve?points=0,1").json()["line"]
    assert line[0] == [-8, -7]
    assert client.get("/api/grade/curve?points=0,1 1,0").status_code == 422


def test_a_planted_bad_frame_is_found_and_shot_again(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__frames=6, shot__shoot__to_frame=6)
    record = studio.takes.get(take)
    good = {n: frame_path(record, n).read_bytes() for n in record.numbers}

    def checked() -> dict[str, list[int]]:
        job = ended(client, client.post(f"/api/takes/{take}/checks").json())
        assert job["state"] == "done"
        state = client.get(f"/api/takes/{take}/checks").json()
        assert state["current"]
        return {f["kind"]: f["frames"] for f in state["checked"]["findings"] if f["grave"]}

    assert client.get(f"/api/takes/{take}/checks").json()["checked"] is None
    assert "damaged" not in checked()
    master = master_path(record, 4)
    master.write_bytes(master.read_bytes()[:-30])
    frame_path(record, 5).unlink()
    assert checked()["damaged"] == [4, 5]
    assert "damaged" in client.get(f"/api/takes/{take}/shown/4").json()["error"]
    # the desk only queues it here: somebody else would shoot it
    assert studio.takes.begin_again(take, [4, 5], record.again.get(4) or take_service.Again())
    waiting = studio.takes.get(take)
    assert waiting.pending == {4, 5}
    assert frames_to_shoot(waiting) == [4, 5]
    assert shoot_take(studio, take, tracer) == "done"
    after = studio.takes.get(take)
    assert after.pending == frozenset()
    assert {n: frame_path(after, n).read_bytes() for n in after.numbers} == good
    assert "damaged" not in checked()
    # finer: only that frame changes, and the slate says so
    assert studio.takes.begin_again(take, [2], take_service.Again(finer=4))
    assert np.array_equal(
        pixels_of(frame_path(after, 2).read_bytes()), pixels_of(good[2])
    )  # stays until the new one is
    assert shoot_take(studio, take, tracer) == "done"
    finer = studio.takes.get(take)
    changed = {n for n in finer.numbers if frame_path(finer, n).read_bytes() != good[n]}
    assert changed == {2}
    assert client.get(f"/api/takes/{take}").json()["otherwise"] == "frame 2 with 4× the samples"
    assert frames_to_shoot(finer) == []
    assert client.post(f"/api/takes/{take}/again", json={"frames": [99]}).status_code == 422


def test_notes_are_pinned_changed_and_removed(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    _, take = shot(client, data_folder, tracer, shot__shoot__to_frame=2)
    mark = [[[0.1, 0.2], [0.3, 0.4]]]
    note = client.post(f"/api/takes/{take}/notes", json={"frame": 2, "text": "too bright", "mark": mark}).json()
    assert client.get(f"/api/takes/{take}/notes").json() == [note]
    assert note["mark"] == mark
    done = client.patch(
        f"/api/takes/{take}/notes/{note['id']}", json={"done": True, "revision": note["revision"]}
    ).json()
    assert done == note | {"done": True, "revision": 1}
    for bad in ({"frame": 1, "text": ""}, {"frame": -1, "text": "x"}, {"frame": 1, "text": "x", "mark": [[[2, 0]]]}):
        assert client.post(f"/api/takes/{take}/notes", json=bad).status_code == 422
    assert client.delete(f"/api/takes/{take}/notes/{note['id']}").status_code == 200
    assert client.delete(f"/api/takes/{take}/notes/{note['id']}").status_code == 404
    assert client.get(f"/api/takes/{take}/notes").json() == []


def test_removed_and_foreign_files_are_told_of(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__shoot__to_frame=2)
    record = studio.takes.get(take)
    (record.folder / "master" / "thumbs.db").write_bytes(b"x")
    assert client.get(f"/api/takes/{take}/shown/1").status_code == 200
    master_path(record, 1).unlink()
    assert "missing" in client.get(f"/api/takes/{take}/shown/1").json()["error"]
    assert frames_to_shoot(record) == [1]
    file_path(record, "master", 2).write_bytes(b"")
    assert "damaged" in client.get(f"/api/takes/{take}/shown/2").json()["error"]
    assert client.get(f"/api/takes/{take}/shown/7").status_code == 422
