"""The cutting bench over the JSON interface: from two takes to checked files, with undo; bad input loses nothing."""

import io
import shutil
import zipfile
from pathlib import Path

import av
import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from tests.conftest import png_of
from tests.core.cut.test_sound import sine, wav
from tests.web.test_api import client, ended  # noqa: F401  (client is a fixture)
from tests.web.test_takes_api import shot

from cyclorama.app import machine_fonts
from cyclorama.app import takes as take_service
from cyclorama.core.cut.sound import decode_sound
from cyclorama.core.cut.sound_synthesis import RATE
from cyclorama.core.errors import ShootError
from cyclorama.core.lettering import FONTS
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.shoot.frames.files import master_path
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import Studio
from cyclorama.store.garbage import collect_garbage


class Bench:
    """Somebody at the cutting bench."""

    def __init__(self, client: TestClient, project: str):  # noqa: F811
        self.client, self.url = client, f"/api/projects/{project}"
        self.state = client.get(f"{self.url}/cut").json()

    def edit(self, **edit: object) -> dict:
        answer = self.client.post(f"{self.url}/cut", json={"version": self.state["version"], "edit": edit})
        assert answer.status_code == 200, answer.text
        self.state = answer.json()
        return self.state

    def refused(self, **edit: object) -> str:
        answer = self.client.post(f"{self.url}/cut", json={"version": self.state["version"], "edit": edit})
        assert answer.status_code == 422, answer.text
        assert self.client.get(f"{self.url}/cut").json() == self.state
        return answer.json()["error"]

    def set(self, **values: object) -> dict:
        return self.edit(do="set", values={k.replace("__", "/"): v for k, v in values.items()})

    def step(self, way: str) -> dict:
        self.state = self.client.post(f"{self.url}/cut/{way}", json={"version": self.state["version"]}).json()
        return self.state

    def frame(self, number: int, **query: object) -> np.ndarray:
        answer = self.client.get(f"{self.url}/cut/frames/{number}", params=query)
        assert answer.status_code == 200, answer.text
        return np.asarray(Image.open(io.BytesIO(answer.content)), float)

    def deliver(self, *wanted: dict) -> list[dict]:
        asked = self.client.post(f"{self.url}/deliveries", json={"deliveries": wanted})
        assert asked.status_code == 200, asked.text
        for one in asked.json():
            ended(self.client, one["job"])
        mine = {one["id"] for one in asked.json()}
        return [d for d in reversed(self.client.get(f"{self.url}/deliveries").json()) if d["id"] in mine]


@pytest.fixture
def bench(client: TestClient, data_folder: Path, tracer: Tracer) -> tuple[Bench, Studio, str]:  # noqa: F811
    """A take of a few frames, and a cut that nobody has edited."""
    studio, take = shot(client, data_folder, tracer)
    return Bench(client, studio.takes.get(take).project_id), studio, take


def test_a_cut_is_made_undone_and_never_touches_its_takes(bench: tuple[Bench, Studio, str]) -> None:
    at, studio, take = bench
    before = studio.takes.get(take)
    frames = len(before.numbers)
    assert (at.state["total"], at.state["undo"], at.state["cut"]["clips"]) == (0, None, [])
    at.edit(do="add clip", take_id=take, name="Spin")
    at.edit(do="add clip", take_id=take, name="Spin again")
    first, second = (c["id"] for c in at.state["cut"]["clips"])
    assert at.state["total"] == 2 * frames
    at.set(**{f"clips__{first}__cross": 2, f"clips__{second}__hold_after": 12})
    assert at.state["total"] == 2 * frames - 2 + 12
    assert "held 0.5 s at the end" in at.state["clips"][1]["sentence"]
    assert at.state["undo"] == "Cross-fade into the next of ‘Spin’"
    here = at.state["cut"]
    assert at.step("undo")["total"] == 2 * frames
    assert at.step("redo")["cut"] == here
    stale = at.client.post(f"{at.url}/cut", json={"version": 1, "edit": {"do": "split", "frame": 1}})
    assert stale.status_code == 409
    assert "another window" in stale.json()["error"]
    at.step("undo")
    at.edit(do="carry", clip=second, to=0)
    assert at.client.post(f"{at.url}/cut/redo", json={"version": at.state["version"]}).status_code == 422
    assert studio.takes.get(take) == before
    again = Studio(studio.folder)
    assert again.cuts.get(before.project_id).cut.clips[0].id == second  # it is there after a restart
    again.close()


def test_frames_are_what_the_takes_show(bench: tuple[Bench, Studio, str]) -> None:
    at, _, take = bench
    at.edit(do="add clip", take_id=take)
    clip = at.state["cut"]["clips"][0]["id"]
    shown = at.frame(0)
    answer = at.client.get(f"/api/takes/{take}/shown/1")
    whole = np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), float)
    assert np.abs(shown - whole).mean() < 5  # grain of few samples, as JPEG
    stamp = at.state["stamp"]
    at.client.post(f"/api/takes/{take}/finish", json={"finishing": {"grade": {"exposure_stops": -3}}, "revision": 0})
    now = at.client.get(f"{at.url}/cut").json()
    assert now["stamp"] != stamp  # another grade of the take is another picture of the cut
    assert at.frame(0).mean() < shown.mean() - 20
    at.set(**{f"clips__{clip}__grade": {"exposure_stops": 1}})
    assert at.frame(0).mean() > shown.mean()
    tall = at.frame(0, shape="9:16", width=36)
    assert tall.shape[:2] == (64, 36)
    for number, query in ((10**6, {}), (0, {"shape": "0:5"}), (0, {"width": 5}), (0, {"shape": "x"})):
        assert at.client.get(f"{at.url}/cut/frames/{number}", params=query).status_code in (404, 422)


def test_two_clips_a_title_and_sound_become_files_that_are_right(bench: tuple[Bench, Studio, str]) -> None:
    at, studio, take = bench
    for _ in range(2):
        at.edit(do="add clip", take_id=take, name="Spin")
    first, second = (c["id"] for c in at.state["cut"]["clips"])
    at.set(**{f"clips__{first}__cross": 2, f"clips__{first}__fade_in": 3, f"clips__{second}__hold_after": 20})
    at.edit(do="put", what={"id": "t", "text": "Harbour Lantern", "sub": "Vane & Tidewrack", "length": 20})
    sound = at.client.post(f"{at.url}/sounds", files=[("files", ("tone.wav", wav(sine(1.5, -18.0))))]).json()
    assert (sound["name"], round(sound["seconds"], 2)) == ("tone.wav", 1.5)
    total = at.state["total"]
    at.edit(
        do="put",
        what={"id": "s", "name": "Tone", "asset": sound["asset"], "seconds": 1.5, "length": total, "loop": True},
    )
    at.edit(do="put", what={"id": "m", "name": "Turn", "frame": 4})
    heard = decode_sound(at.client.get(f"{at.url}/cut/sound.wav").content, "cut")
    assert len(heard) == round(total * RATE / 24)
    small = {"width": 96, "height": 64}
    wanted = [
        {"preset": p} | small
        for p in ("web", "clear master", "gif loop", "png", "tiff", "still", "sheet", "sheet pdf", "spin", "hand-over")
    ]
    found = at.deliver(*wanted, {"preset": "web", "width": 64, "height": 96, "first": 2, "last": 9, "poster": 4})
    assert [(d["done"], d["fine"]) for d in found] == [(True, True)] * 11, found
    assert len({d["name"] for d in found}) == 11
    says = {line["what"]: line["sentence"] for line in found[0]["report"]}
    assert says["frames"] == f"{total} pictures."
    assert says["loudness"].startswith("-14.")
    folder = studio.folder / "deliveries" / studio.takes.get(take).project_id
    assert not [p for p in folder.iterdir() if p.name.startswith(".")]
    assert Image.open(folder / found[10]["name"].replace(".mp4", "_poster.jpg")).size == (64, 96)
    frames = at.client.get(f"/api/deliveries/{found[3]['id']}/file")
    with zipfile.ZipFile(io.BytesIO(frames.content)) as archive:
        assert len(archive.namelist()) == total
    assert at.client.get(f"/api/deliveries/{found[7]['id']}/file").content.startswith(b"%PDF")
    page = at.client.get(f"/api/deliveries/{found[8]['id']}/file", params={"inline": True})
    assert "http://" not in page.text.replace("http://www.w3.org", "")
    assert found[8]["snippet"].startswith("<iframe ")
    package = at.client.get(f"/api/deliveries/{found[9]['id']}/file")
    with zipfile.ZipFile(io.BytesIO(package.content)) as archive:
        names = archive.namelist()
    assert {"cut.otio", "cut.edl", "cut.html", "sound.wav", f"grades/{take}.cdl"} <= set(names)
    assert sum(n.startswith(f"frames/{take}/") for n in names) == len(studio.takes.get(take).numbers)
    for one in found:
        assert at.client.delete(f"/api/deliveries/{one['id']}").status_code == 200
    first = found[0]
    assert at.client.get(f"/api/deliveries/{first['id']}/file").status_code == 404
    assert at.client.post(f"/api/bin/delivery/{first['id']}/back").status_code == 204
    assert at.client.get(f"/api/deliveries/{first['id']}/file").status_code == 200
    at.client.delete(f"/api/deliveries/{first['id']}")
    assert at.client.delete("/api/bin").json()["bytes"] > 0
    assert not list(folder.iterdir())


def test_obstacles_to_removal_are_said_and_nothing_is_lost(bench: tuple[Bench, Studio, str]) -> None:
    at, studio, take = bench

    def refused(**wanted: object) -> str:
        answer = at.client.post(f"{at.url}/deliveries", json={"deliveries": [{"preset": "web", **wanted}]})
        assert answer.status_code == 422
        return answer.json()["error"]

    assert "empty" in refused()
    at.edit(do="add clip", take_id=take, name="Spin")
    assert "Width" in refused(width=33) or "width" in refused(width=33)
    record = studio.takes.get(take)
    last = record.numbers[-1]
    kept = master_path(record, last).read_bytes()
    master_path(record, last).write_bytes(kept[: len(kept) // 2])
    (broken,) = at.deliver({"preset": "web", "width": 96, "height": 64})
    assert not broken["done"]
    assert f"{last}" in broken["job"]["message"]
    master_path(record, last).write_bytes(kept)
    ended(at.client, at.client.post(f"/api/deliveries/{broken['id']}/again").json()["job"])
    assert at.client.get(f"{at.url}/deliveries").json()[0]["fine"]
    (none,) = at.deliver({"preset": "web", "width": 96, "height": 64, "fits_mb": 0.0003})
    assert "Even at its coarsest" in none["job"]["message"]
    studio.binned.put("take", take)
    shutil.rmtree(record.folder, ignore_errors=True)
    now = at.client.get(f"{at.url}/cut").json()
    assert now["clips"][0]["gone"]
    assert "removed" in now["faults"][0]
    assert at.frame(0).max() < 8  # its place is kept, in the colour of the ground
    assert "removed" in refused()


def test_bad_input_gets_a_sentence_and_leaves_the_cut(bench: tuple[Bench, Studio, str]) -> None:
    at, _, take = bench
    at.edit(do="add clip", take_id=take)
    clip = at.state["cut"]["clips"][0]["id"]
    for edit in (
        {"do": "add clip", "take_id": "none"},
        {"do": "split", "frame": 0},
        {"do": "split", "frame": 99_999},
        {"do": "join", "clip": clip},
        {"do": "trim", "clip": "zz", "edge": "end", "by": 1},
        {"do": "what"},
        {"do": "set", "values": {f"clips/{clip}/speed": 0}},
        {"do": "set", "values": {f"clips/{clip}/id": "x" * 99}},
        {"do": "set", "values": {"titles/none/text": "x"}},
        {"do": "set", "values": {f"clips/{clip}/length": 1e12}},
        {"do": "put", "what": {"id": "t", "text": "x" * 9999}},
        {"do": "take out", "path": "clips"},
        {"do": "take out", "path": "width"},
        {"do": "carry", "clip": clip, "to": -1},
        {"do": "set", "values": {}},
        {"do": "set", "values": {"clips": [{"id": "a"}, {"id": "a"}]}},
        {"do": "set", "values": {f"clips/{clip}": 5}},
    ):
        assert len(at.refused(**edit)) > 10
    for kind, data in (
        ("sounds", b"no sound"),
        ("sounds", png_of(np.zeros((4, 4, 3)))),
        ("fonts", b"no font"),
        ("sounds", b""),
    ):
        answer = at.client.post(f"{at.url}/{kind}", files=[("files", ("bad", data))])
        assert answer.status_code == 422, answer.text
        assert answer.json()["error"].startswith(("‘bad’", "That file"))
    at.edit(do="put", what={"id": "t", "text": "風", "length": 4})
    assert "No font here has letters" in at.state["title_says"]["t"]
    font = at.client.post(
        f"{at.url}/fonts", files=[("files", ("hebrew.ttf", (FONTS / "noto-sans-hebrew.ttf").read_bytes()))]
    )
    at.set(titles__t__font="file", titles__t__font_file=font.json()["asset"], titles__t__text="אור")
    assert at.state["title_says"] == {}
    assert at.frame(2).shape[2] == 3


def test_files_of_a_cut_are_kept_and_dead_pieces_tidied(bench: tuple[Bench, Studio, str]) -> None:
    at, studio, _ = bench
    picture = at.client.post(
        f"{at.url}/pictures", files=[("files", ("card.png", png_of(np.full((9, 16, 3), 200))))]
    ).json()[0]
    at.edit(do="add clip", picture=picture["asset"], name="Card")
    at.step("undo")  # undo still needs it
    left = studio.folder / "deliveries" / "some-project" / ".0a1b.spool"
    left.parent.mkdir(parents=True)
    left.write_bytes(b"half")
    collect_garbage(studio, rest_s=-10)
    assert studio.assets.has(picture["asset"])
    assert not left.exists()
    at.step("redo")
    assert at.frame(0).mean() == pytest.approx(200, abs=2)


def test_beats_of_made_sounds_are_places_to_snap_to(bench: tuple[Bench, Studio, str]) -> None:
    at, _, _ = bench
    at.edit(do="add clip", name="Card")
    pulse = next(s for s in at.client.get("/api/made-sounds").json() if s["made"] == "pulse")
    at.edit(
        do="put",
        what={
            "id": "s",
            "made": "pulse",
            "seconds": pulse["seconds"],
            "beats_s": pulse["beats_s"],
            "length": 72,
            "loop": True,
        },
    )
    found = at.state["beats"]
    assert len(found) >= 3
    assert all(0 <= b <= 72 for b in found)
    assert set(np.diff(found)) <= {14, 15, 16}  # 96 a minute at 24/s
    peaks = at.client.get("/api/sounds/pulse/peaks").json()
    assert len(peaks["peaks"]) == pytest.approx(pulse["seconds"] * peaks["per_s"], abs=1)
    assert at.client.get("/api/sounds/..%2f..%2fstudio/peaks").status_code in (404, 422)


def test_titles_are_found_in_the_picture_and_laid_out_by_shape(bench: tuple[Bench, Studio, str]) -> None:
    at, _, take = bench
    at.edit(do="add clip", take_id=take)
    plain = at.frame(0, exact=True)
    title = {"id": "t", "text": "Glass", "length": 3, "size": 20, "across": 30, "down": 40, "fade_in": 0, "fade_out": 0}
    at.edit(do="put", what=title)

    def box(shape: str = "") -> dict:
        answer = at.client.get(f"{at.url}/cut/titles/t/box", params={"frame": 0, "shape": shape})
        assert answer.status_code == 200, answer.text
        return answer.json()

    def changed(shape: str = "") -> tuple[float, float]:
        """Middle of what the title changes, % of the picture."""
        written = at.frame(0, width=640, shape=shape, exact=True)
        at.step("undo")
        without = at.frame(0, width=640, shape=shape, exact=True)
        at.step("redo")
        rows, columns = np.nonzero(np.abs(written - without).max(axis=2) > 8)
        h, w = written.shape[:2]
        return 50 * (columns.min() + columns.max() + 1) / w, 50 * (rows.min() + rows.max() + 1) / h

    found = box()
    assert (found["left"] + found["width"] / 2, found["top"] + found["height"] / 2) == pytest.approx(changed(), abs=2)
    layout = {"id": "1:1", "size": 10, "across": 50, "down": 80}
    at.set(titles__t__layouts=[layout])
    square = box("1:1")
    assert square["left"] + square["width"] / 2 == pytest.approx(50, abs=1)
    assert box() == found
    assert at.client.get(f"{at.url}/cut/titles/gone/box", params={"frame": 0}).status_code == 404
    for shape in ("1:7166", "9:1", "0:4"):
        answer = at.client.get(f"{at.url}/cut/frames/0", params={"shape": shape, "width": 320})
        assert (answer.status_code, "picture" in answer.json()["error"]) == (404, True), shape
    assert plain.shape == (48, 64, 3)


def test_a_clip_is_graded_by_itself_and_its_size_foretold(bench: tuple[Bench, Studio, str]) -> None:
    at, _, take = bench
    clip = at.edit(do="add clip", take_id=take)["cut"]["clips"][0]["id"]
    before = at.frame(0, exact=True)
    grade = at.client.get(f"/api/takes/{take}/finish").json()["finishing"]["grade"]
    at.set(**{f"clips/{clip}/grade": grade})
    assert np.array_equal(at.frame(0, exact=True), before)  # begins as the take's
    at.set(**{f"clips/{clip}/grade/exposure_stops": -2.0})
    assert at.frame(0, exact=True).mean() < 0.7 * before.mean()
    assert at.refused(do="set", values={f"clips/{clip}/grade/exposure_stops": "much"})
    wanted = {"preset": "png", "width": 64, "height": 48}
    told = at.client.post(f"{at.url}/deliveries/forecast", json=wanted).json()
    (done,) = at.deliver(wanted)
    assert done["done"]
    real = sum(f.stat().st_size for f in Path(at.client.app.state.context.studio.folder).rglob(f"{done['name']}/*"))  # type: ignore[attr-defined]
    assert told["bytes"] == pytest.approx(real, rel=0.1)


def test_sheets_show_passes_parts_and_colourways(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__shoot__passes__wanted=["depth", "objects"])
    at = Bench(client, studio.takes.get(take).project_id)
    at.edit(do="add clip", take_id=take)

    def sheet(of: str) -> list[dict]:
        return at.deliver({"preset": "sheet", "width": 64, "height": 48, "sheet_of": of, "poster": 1})

    assert sheet("passes")[0]["report"][0]["sentence"] == "3 pictures on a sheet."  # with the picture itself
    parts = sheet("parts")[0]
    assert parts["done"]
    assert "3 pictures" in parts["report"][0]["sentence"]  # sweep, disc and ball
    (lonely,) = sheet("colourways")
    assert not lonely["done"]
    assert "Only one colourway" in lonely["job"]["message"]


def test_a_still_is_shot_larger_from_the_slate(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer)
    told = client.get(f"/api/takes/{take}/finish").json()
    state = told["finishing"]
    state["grade"]["exposure_stops"] = -1.0
    assert (
        client.post(
            f"/api/takes/{take}/finish", json={"finishing": state, "label": "Darker", "revision": told["revision"]}
        ).status_code
        == 200
    )
    still = take_service.call_still(studio, take, 2, 2, start=False)
    assert shoot_take(studio, still.id, tracer) == "done"
    assert list(studio.takes.get(still.id).numbers) == [2]
    large = np.asarray(Image.open(io.BytesIO(client.get(f"/api/takes/{still.id}/shown/2").content)), float)
    small = np.asarray(Image.open(io.BytesIO(client.get(f"/api/takes/{take}/shown/2").content)), float)
    assert large.shape == (96, 128, 3)
    halved = large.reshape(48, 2, 64, 2, 3).mean(axis=(1, 3))
    assert np.abs(halved - small).mean() < 7  # the same picture, as dark
    for number, times, says in ((9, 4, "has frames 1 to 3"), (2, 400, "up to 8192 pixels")):
        with pytest.raises(ShootError, match=says):
            take_service.call_still(studio, take, number, times, start=False)


def test_a_backdrop_is_laid_behind_a_clear_take(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    studio, take = shot(client, data_folder, tracer, shot__shoot__background="transparent", set__sweep__on=False)
    at = Bench(client, studio.takes.get(take).project_id)
    line = at.edit(do="add clip", take_id=take)["clips"][0]
    assert line["clear"]
    above = (2, 2)  # nothing is seen there
    assert at.frame(0, exact=True)[above] == pytest.approx([0, 0, 0], abs=1)  # the cut's own colour
    at.set(**{f"clips/{line['id']}/behind": {"kind": "colour", "colour": [0.0, 0.5, 0.0]}})
    shown = 255 * (1.055 * 0.5 ** (1 / 2.4) - 0.055)  # IEC 61966-2-1
    green = at.frame(0, exact=True)
    assert green[above][1] == pytest.approx(shown, abs=12)  # through the view of the take
    assert green[above][0] < 30
    at.step("undo")
    middle = (24, 32)  # the ball hides it
    assert at.frame(0, exact=True)[middle] == pytest.approx(green[middle], abs=1)


def test_a_shadow_in_alpha_is_delivered_with_the_loop(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    """Decoded by another library than it was written with: clear floor, shadow that is half clear, a solid subject."""
    over = {"set__sweep__on": True, "shot__shoot__samples": 32, "shot__shoot__denoise": True}
    studio, take = shot(client, data_folder, tracer, shot__shoot__background="shadow", **over)
    at = Bench(client, studio.takes.get(take).project_id)
    assert at.edit(do="add clip", take_id=take)["clips"][0]["clear"]
    assert at.frame(0, clear=True).shape[2] == 4
    sized = {"width": 64, "height": 48, "quality": 100}
    webp, still = at.deliver({"preset": "webp loop", **sized}, {"preset": "still", **sized})
    folder = studio.folder / "deliveries" / studio.takes.get(take).project_id
    for one in (webp, still):
        assert one["fine"], one
        with Image.open(folder / one["name"]) as image:
            alpha = np.asarray(image.convert("RGBA"), float)[..., 3] / 255
        assert (alpha == 0).mean() > 0.25
        assert alpha[24, 32] > 0.99
        assert ((alpha > 0.05) & (alpha < 0.95)).mean() > 0.01


def test_a_delivery_in_its_own_rate_lasts_as_long(bench: tuple[Bench, Studio, str]) -> None:
    at, studio, take = bench
    clip = at.edit(do="add clip", take_id=take)["cut"]["clips"][0]["id"]
    at.set(**{f"clips__{clip}__hold_after": 21})
    total = at.state["total"]
    assert total == 24
    sized = {"width": 64, "height": 48}
    film, frames = at.deliver({"preset": "web", "rate": [12, 1], **sized}, {"preset": "png", "rate": [8, 1], **sized})
    folder = studio.folder / "deliveries" / studio.takes.get(take).project_id
    with av.open(str(folder / film["name"])) as file:
        pictures = file.streams.video[0]
        assert (pictures.average_rate, pictures.frames) == (12, 12)
        assert float(pictures.duration * pictures.time_base) == pytest.approx(1.0)
    assert film["fine"]
    assert len(list((folder / frames["name"]).iterdir())) == 8


def test_own_destinations_are_for_all_projects(bench: tuple[Bench, Studio, str]) -> None:
    at, studio, _ = bench
    how = {"preset": "gif loop", "width": 600, "height": 314, "rate": [12, 1], "fits_mb": 2, "first": 3, "poster": 4}
    kept = at.client.post("/api/destinations", json={"name": "Shop mail", "how": how}).json()
    assert kept["says"] == "600×314, GIF, 12/s, under 2 MB"
    assert (kept["how"]["first"], kept["how"]["poster"]) == (None, None)
    last = at.client.get("/api/presets").json()["destinations"][-1]
    assert last == kept | {"own": True}
    assert at.client.post("/api/destinations", json={"name": "Master for an editor", "how": how}).status_code == 422
    assert at.client.delete(f"/api/destinations/{kept['id']}").status_code == 200
    assert not studio.destinations.all()
    (line,) = at.client.get("/api/bin").json()
    assert (line["kind"], line["says"]) == ("destinations", "Destination")
    at.client.post(f"/api/bin/destinations/{kept['id']}/back")
    assert [one.name for one in studio.destinations.all()] == ["Shop mail"]
    assert all(one["shelf"] != "destinations" for one in at.client.get("/api/stock").json())


def test_installed_fonts_go_along_with_the_project(
    bench: tuple[Bench, Studio, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    at, studio, take = bench
    at.edit(do="add clip", take_id=take)
    shutil.copy(FONTS / "noto-sans-hebrew.ttf", tmp_path / "Letters.TTF")
    (tmp_path / "broken.otf").write_bytes(b"OTTO broken")
    monkeypatch.setattr(machine_fonts, "font_folders", lambda: [tmp_path, tmp_path / "nothing"])
    (font,) = at.client.get("/api/fonts").json()
    assert font["name"].startswith("Noto Sans Hebrew")
    kept = at.client.post(f"{at.url}/fonts/{font['id']}").json()
    assert kept["name"] == font["name"]
    (tmp_path / "Letters.TTF").unlink()
    title = {"id": "t", "text": "שלום", "font": "file", "font_file": kept["asset"], "font_name": kept["name"]}
    assert at.edit(do="put", what=title | {"length": 3})["title_says"] == {}
    assert at.client.post(f"{at.url}/fonts/{font['id']}").status_code == 404
    assert studio.assets.has(kept["asset"])


def test_a_gif_that_had_to_become_smaller_is_named_by_its_size(bench: tuple[Bench, Studio, str]) -> None:
    at, studio, take = bench
    at.edit(do="add clip", take_id=take)
    folder = studio.folder / "deliveries" / studio.takes.get(take).project_id
    wanted = {"preset": "gif loop", "width": 320, "height": 240}
    (whole,) = at.deliver(wanted)
    assert whole["name"].endswith("_320x240.gif")
    fits_mb = 0.3 * (folder / whole["name"]).stat().st_size / 1e6
    (small,) = at.deliver(wanted | {"fits_mb": fits_mb})
    with Image.open(folder / small["name"]) as image:
        size = image.size
    assert size != (320, 240)
    assert f"_{size[0]}x{size[1]}" in small["name"]
    told = f"{size[0]}×{size[1]} pixels: made smaller than 320×240"
    assert any(told in line["sentence"] for line in small["report"])


def test_titles_are_checked_for_each_size_before_and_after(bench: tuple[Bench, Studio, str]) -> None:
    at, _, take = bench
    at.edit(do="add clip", take_id=take)
    at.edit(do="put", what={"id": "title-1", "text": "Instruments for weather", "size": 20, "length": 3})
    asked = {"sizes": [[320, 240], [96, 160]]}
    found = at.client.post(f"{at.url}/deliveries/faults", json=asked).json()
    cut_off = "‘Instruments for weather’ is cut off at the left and right in 96×160."
    enlarged = f"‘{at.state['cut']['clips'][0]['name']}’ is enlarged"
    assert found[1]["sentences"][0] == cut_off
    assert found[1]["sentences"][1:] == [f"{enlarged} 3.3 times in 96×160."]
    assert found[0]["sentences"][-1] == f"{enlarged} 5 times in 320×240."
    (tall,) = at.deliver({"preset": "web", "width": 96, "height": 160})
    assert not tall["fine"]
    assert [x["sentence"] for x in tall["report"] if not x["fine"]] == [cut_off]
    assert found[1]["sentences"][1] in [x["sentence"] for x in tall["report"] if x["fine"]]
    assert tall["name"].endswith("_96x160_h264.mp4")
