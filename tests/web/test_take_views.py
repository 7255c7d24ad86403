"""Passes as pictures, mixes, a part graded alone, matching a reference, denoising afterwards."""

import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from tests.conftest import png_of
from tests.web.test_api import client  # noqa: F401  (a fixture)
from tests.web.test_screening_api import frame, graded
from tests.web.test_takes_api import shot

from cyclorama.app import takes as take_service
from cyclorama.core.colour import LUMA
from cyclorama.core.errors import ShootError
from cyclorama.core.picture.matching import match_reference
from cyclorama.core.picture.pass_views import depth_view, motion_view
from cyclorama.core.picture.view_transform import srgb_encode
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Grade, put_all
from cyclorama.shoot.finish.checking import check_take
from cyclorama.shoot.finish.denoising import NEEDED, CleanMaker
from cyclorama.shoot.finish.masters import Masters
from cyclorama.shoot.frames.files import frames_to_shoot, pass_path
from cyclorama.shoot.frames.pass_files import channels_of, mask_of
from cyclorama.shoot.frames.pipeline import FrameMaker
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import TakeRecord

PASSES = [
    "albedo",
    "normal",
    "position",
    "depth",
    "motion",
    "objects",
    "materials",
    "occlusion",
    "wireframe",
    "clay",
    "lights",
]


@pytest.fixture
def take(client: TestClient, data_folder: Path, tracer: Tracer) -> tuple[object, str]:  # noqa: F811
    return shot(client, data_folder, tracer, shot__shoot__passes__wanted=PASSES, shot__shoot__to_frame=2)


def view(client: TestClient, take: str, name: str, **query: object) -> np.ndarray:  # noqa: F811
    answer = client.get(f"/api/takes/{take}/views/{name}/1", params=query)
    assert answer.status_code == 200, answer.text
    return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), float)


def test_every_pass_can_be_looked_at(client: TestClient, take: tuple[object, str]) -> None:  # noqa: F811
    studio, key = take
    record = studio.takes.get(key)  # type: ignore[attr-defined]
    offered = client.get(f"/api/takes/{key}").json()["passes"]
    assert set(PASSES) - {"lights"} | {"beauty × occlusion", "wireframe over clay", "lighting alone"} <= set(offered)
    pictures = {name: view(client, key, name) for name in offered}
    assert all(p.shape == (48, 64, 3) for p in pictures.values())
    assert all(np.ptp(p) > 8 for name, p in pictures.items() if name != "motion"), "a view shows nothing"
    ball = mask_of(record, "objects", client.get(f"/api/takes/{key}/finish").json()["mattes"]["objects"][-1], 1)
    assert 0.02 < ball.mean() < 0.8
    colours = pictures["objects"]
    assert np.abs(colours[ball > 0.99] - np.median(colours[ball > 0.99], axis=0)).max() < 2  # one colour a part
    assert np.abs(np.median(colours[ball > 0.99], axis=0) - np.median(colours[ball == 0], axis=0)).max() > 30
    beauty = frame(client, key).astype(float)
    assert pictures["beauty × occlusion"].mean() < beauty.mean() - 1
    assert np.abs(view(client, key, "beauty × occlusion", amount=0) - beauty).max() <= 1
    assert view(client, key, "depth", width=32).shape == (24, 32, 3)
    assert client.get(f"/api/takes/{key}/views/lights/1").status_code == 404
    path = pass_path(record, "depth", 1)
    path.write_bytes(path.read_bytes()[:100])
    assert "damaged" in client.get(f"/api/takes/{key}/views/depth/1").json()["error"]


def test_near_is_bright_and_arrows_point_where_things_go() -> None:
    depth = np.tile(np.array([1.0, 2.0, 4.0, np.inf], np.float32), (4, 1))
    grey = depth_view(depth)[0, :, 0]
    assert grey[0] > grey[1] > grey[2] > grey[3] == 0
    motion = np.zeros((64, 64, 2), np.float32)
    motion[..., 0] = 10.0
    seen = motion_view(motion, np.zeros((64, 64, 3), np.float32))[..., 0]
    assert seen[16, 16:27].min() > 0.5  # from the middle of a cell ten pixels to the right
    assert seen[16, :14].max() == 0


def test_a_part_is_graded_alone(client: TestClient, take: tuple[object, str]) -> None:  # noqa: F811
    studio, key = take
    record = studio.takes.get(key)  # type: ignore[attr-defined]
    name = client.get(f"/api/takes/{key}/finish").json()["mattes"]["objects"][-1]
    mask = mask_of(record, "objects", name, 1)
    before = frame(client, key).astype(int)
    parts = [{"layer": "objects", "name": name, "grade": {"exposure_stops": -3}}]
    assert graded(client, key, {}, parts=parts).status_code == 200
    after = frame(client, key).astype(int)
    assert np.array_equal(after[mask == 0], before[mask == 0])
    assert (before - after)[mask > 0.99].min() > 0
    both = graded(client, key, {"exposure_stops": 1}, parts=parts)
    assert both.status_code == 200
    lit = Masters(studio).get(record, 1).rgb  # type: ignore[arg-type]
    shared = (mask == 0) & (lit.max(axis=2) < 0.2)
    assert (frame(client, key).astype(int) - before)[shared].min() > 0
    nobody = [{"layer": "objects", "name": "Nobody", "grade": {"exposure_stops": -3}}]
    graded(client, key, {}, parts=nobody)
    assert np.array_equal(frame(client, key).astype(int), before)  # a part that the matte does not know


def test_a_take_is_defocused_by_its_depth(client: TestClient, take: tuple[object, str]) -> None:  # noqa: F811
    _, key = take
    sharp = frame(client, key).astype(int)
    at = client.get(f"/api/takes/{key}/depth/1?x=0.5&y=0.5").json()["depth_m"]
    assert at > 0
    graded(client, key, {}, defocus={"f_number": 0.7, "focus_m": at})
    near = frame(client, key).astype(int)
    ball = np.s_[23:26, 31:34]
    assert np.abs(near - sharp)[ball].max() <= 1  # what it is focused on
    graded(client, key, {}, defocus={"f_number": 0.7, "focus_m": 0.2 * at})
    far = frame(client, key).astype(int)
    rim = np.s_[8:40, 16:48]
    assert np.abs(far - sharp)[rim].mean() > 1.5 * np.abs(near - sharp)[rim].mean() > 0
    assert graded(client, key, {}, defocus={"f_number": 0.7, "focus_m": 0}).status_code == 422


def test_paint_that_is_graded_away_from_its_swatch_is_found(client: TestClient, take: tuple[object, str]) -> None:  # noqa: F811
    studio, key = take
    record = studio.takes.get(key)  # type: ignore[attr-defined]

    def paints() -> list[str]:
        found = check_take(studio, record).findings  # type: ignore[arg-type]
        return [f.sentence for f in found if f.kind == "paint"]

    graded(client, key, {"exposure_stops": -2})
    assert paints() == []
    graded(client, key, {"exposure_stops": -2, "white_k": 2500.0})
    (said,) = paints()
    assert said.startswith("‘Shell’ is grey and is shown tinted.")


def test_parts_need_their_matte(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    """And defocus its depth."""
    _, key = shot(client, data_folder, tracer, shot__shoot__to_frame=1)
    answer = graded(client, key, {}, parts=[{"layer": "materials", "name": "Brass", "grade": {}}])
    assert answer.status_code == 422
    assert "no mattes" in answer.json()["error"]
    assert "no depth" in graded(client, key, {}, defocus={}).json()["error"]
    assert client.get(f"/api/takes/{key}/depth/1?x=0.5&y=0.5").status_code == 422


def test_a_picture_is_matched_to_itself_made_otherwise() -> None:
    rng = np.random.default_rng(1)
    light = rng.uniform(0.05, 0.35, (60, 80, 3)).astype(np.float32)
    shown = srgb_encode(light)
    for stops, colour in ((1.0, (1.0, 1.0, 1.0)), (-0.7, (1.15, 1.0, 0.8)), (0.4, (0.9, 1.0, 1.2))):
        other = srgb_encode(light * np.float32(2.0**stops) * np.float32(colour))
        grade, sentence = match_reference(Grade(), shown, other)
        from cyclorama.core.picture.grade.finish import light_steps

        brought = light.copy()
        for step in light_steps(grade, lambda key: b""):
            brought = step(brought)
        wanted = light * np.float32(2.0**stops) * np.float32(colour)
        assert float(np.median(brought @ LUMA) / np.median(wanted @ LUMA)) == pytest.approx(1.0, abs=0.03)
        means = [x.reshape(-1, 3).mean(axis=0) for x in (brought, wanted)]
        np.testing.assert_allclose(means[0] / means[0][1], means[1] / means[1][1], atol=0.03)
        assert sentence.startswith(f"Exposure {stops:+.1f}"[:12])
    with pytest.raises(ShootError, match="too dark"):
        match_reference(Grade(), shown, np.zeros((10, 10, 3), np.float32))


def test_a_take_is_matched_to_a_picture(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    _, key = shot(client, data_folder, tracer, shot__shoot__to_frame=1)
    darker = (frame(client, key).astype(float) * 0.6).astype(np.uint8)
    answer = client.post(f"/api/takes/{key}/match/1?revision=0", files={"files": ("ref.png", png_of(darker))}).json()
    assert answer["sentence"].startswith("Exposure −" if "−" in answer["sentence"] else "Exposure -")
    assert answer["finish"]["undo"]
    assert abs(np.median(frame(client, key)) - np.median(darker)) < 12
    assert client.post(f"/api/takes/{key}/match/1?revision=0", files={"files": ("x.png", b"none")}).status_code == 422


def test_noise_is_taken_out_afterwards(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    wanted = {
        "shot__shoot__passes__wanted": ["albedo", "normal"],
        "shot__shoot__samples": 4,
        "shot__shoot__denoise_neighbours": False,
    }
    studio, key = shot(client, data_folder, tracer, shot__shoot__to_frame=2, **wanted)
    made = take_service.call_clean(studio, key, start=False)
    assert made.process == "denoise"
    assert shoot_take(studio, made.id, tracer) == "done"
    source, clean = studio.takes.get(key), studio.takes.get(made.id)
    noisy, quiet = (Masters(studio).get(t, 1).rgb.astype(float) for t in (source, clean))

    def roughness(light: np.ndarray) -> float:
        luma = np.log(np.maximum(light @ LUMA, 1e-3))
        return float(np.abs(luma - (np.roll(luma, 1, 0) + np.roll(luma, -1, 0)) / 2)[1:-1].mean())

    assert roughness(quiet) < 0.5 * roughness(noisy)
    assert quiet.mean() == pytest.approx(noisy.mean(), rel=0.05)
    assert frames_to_shoot(source) == []
    assert client.get(f"/api/takes/{key}/against/{made.id}/1/figures").json()["mean"] > 0
    without = shot(client, data_folder, tracer, shot__shoot__masters=False)[1]
    assert client.post(f"/api/takes/{without}/denoise").status_code == 422


def test_frames_beside_one_take_out_more_noise(client: TestClient, data_folder: Path, tracer: Tracer) -> None:  # noqa: F811
    """With passes that tell parts and motion, flicker between frames goes down; what moves leaves nothing behind."""
    wanted = {
        "shot__shoot__passes__wanted": sorted(NEEDED),
        "shot__shoot__samples": 4,
        "shot__shoot__to_frame": 5,
        "shot__shoot__denoise_neighbours": False,
    }
    studio, key = shot(client, data_folder, tracer, **wanted)
    take = studio.takes.get(key)
    moves = np.abs(vector(take, 2)).max()
    assert moves > 0.3  # px: there is something to follow
    project = put_all(take.project, {"shot/shoot/samples": 512, "shot/shoot/passes/wanted": ()})
    maker = FrameMaker(project, take.numbers, SceneCompiler(studio.assets.get), tracer)
    truth = {n: maker.make(n).picture for n in (2, 3)}

    def cleaned(passes: list[str]) -> dict[int, np.ndarray]:
        told = replace(take, project=put_all(take.project, {"shot/shoot/passes/wanted": tuple(passes)}))
        cleaner = CleanMaker(told, Masters(studio))  # type: ignore[arg-type]
        return {n: cleaner.make(n).picture for n in (2, 3)}

    def jumps(light: dict[int, np.ndarray]) -> float:
        """How much the error changes from frame to frame: what is seen as flicker."""
        error = {n: np.log(np.maximum(light[n], 1e-3) / np.maximum(truth[n], 1e-3)) for n in light}
        return float(np.abs(error[3] - error[2]).mean())

    def off(light: dict[int, np.ndarray]) -> float:
        return float(np.mean([np.abs(light[n] - truth[n]).mean() for n in light]))

    alone, together = cleaned(["albedo", "normal"]), cleaned(sorted(NEEDED))
    assert jumps(together) < 0.8 * jumps(alone)
    assert off(together) < 1.02 * off(alone)


def vector(take: TakeRecord, number: int) -> np.ndarray:
    """Motion of a frame to the next, px."""
    channels = channels_of(take, "motion", number)
    return np.dstack([channels["motion.X"], channels["motion.Y"]])
