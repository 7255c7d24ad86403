"""Takes: frames on disk, pause, kill, resume, damage."""

import os
import signal
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from tests.conftest import diffuse, edited, project_of, sphere
from tests.moving_models import bending_bar

from cyclorama.app import takes as take_service
from cyclorama.app.bin import delete
from cyclorama.core.commands.place_model import put_on_set
from cyclorama.core.errors import ShootError
from cyclorama.core.geometry.cache_keys import measures_key
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.measure import measure
from cyclorama.core.picture.light_mix import LightChange
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.picking import PickProbe
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Background, Project, new_project
from cyclorama.shoot.frames.files import frame_path, frames_to_shoot
from cyclorama.shoot.frames.pipeline import FrameMaker
from cyclorama.shoot.run import forecast
from cyclorama.shoot.run.take import shoot_take
from cyclorama.shoot.run.watch import mark_interrupted
from cyclorama.shoot.run.worker_lock import who_shoots
from cyclorama.store import Saved, Studio, TakeRecord

LONGEST_WAIT_S = 120


def studio_with(folder: Path, samples: int = 1, frames: int = 6, **values: object) -> tuple[Studio, Saved]:
    """A lit ball, quick to shoot."""
    studio = Studio(folder)
    project, assets = project_of(sphere(0.3, 32), diffuse(0.6))
    settings = {
        "shot/shoot/width": 48,
        "shot/shoot/height": 32,
        "shot/shoot/samples": samples,
        "shot/shoot/denoise": False,
        "shot/frames": frames,
    } | values
    project = edited(project, settings)
    project = edited(project, look__background=Background(colour=(0.2, 0.2, 0.2)))
    studio.assets.put_all(assets)
    studio.assets.put(measures_key(project.subject.asset), measure(sphere(0.3, 32)).to_bytes())  # type: ignore[union-attr]
    return studio, studio.projects.create(project)


def wait_for(check: Callable[[], bool]) -> None:
    end = time.monotonic() + LONGEST_WAIT_S
    while not check():
        assert time.monotonic() < end, "waited too long"
        time.sleep(0.05)


def contents(take: TakeRecord) -> dict[int, bytes]:
    return {n: frame_path(take, n).read_bytes() for n in take.numbers}


def test_a_take_is_numbered_frames_with_checksums(data_folder: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    seen: list[tuple[int, int]] = []
    assert shoot_take(studio, take.id, tracer, lambda p: seen.append((p.done, p.total))) == "done"
    take = studio.takes.get(take.id)
    assert sorted(p.name for p in (take.folder / "beauty").iterdir()) == [
        f"test_orbit.{n:04d}.png" for n in range(1, 7)
    ]
    assert seen[-1] == (6, 6)
    with Image.open(frame_path(take, 3)) as image:
        assert image.size == (48, 32)
    assert len({f.files["beauty"] for f in take.frames.values()}) == 6


def test_missing_and_damaged_frames_are_shot_again_bit_for_bit(data_folder: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    shoot_take(studio, take.id, tracer)
    before = contents(studio.takes.get(take.id))
    frame_path(take, 2).unlink()
    frame_path(take, 5).write_bytes(before[5][:-10] + b"0123456789")
    kept = frame_path(take, 1).stat().st_mtime_ns
    assert frames_to_shoot(studio.takes.get(take.id)) == [2, 5]
    shoot_take(studio, take.id, tracer)
    assert contents(studio.takes.get(take.id)) == before
    assert frame_path(take, 1).stat().st_mtime_ns == kept


def test_pause_keeps_what_is_there(data_folder: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(data_folder, samples=32)
    take = take_service.call_take(studio, saved, start=False)

    def pause_after_two(progress) -> None:  # type: ignore[no-untyped-def]
        if progress.done == 2:
            take_service.pause(studio, take.id)

    assert shoot_take(studio, take.id, tracer, pause_after_two) == "paused"
    paused = studio.takes.get(take.id)
    assert 2 <= len(paused.frames) < 6
    studio.takes.update(take.id, wish="run")
    assert shoot_take(studio, take.id, tracer) == "done"
    with pytest.raises(ShootError, match="nothing to pause"):
        take_service.pause(studio, take.id)


def test_kill_the_worker_and_resume(data_folder: Path) -> None:
    """kill −9 in the middle: the take is interrupted, resuming shoots only what is missing, the same bits."""
    studio, saved = studio_with(data_folder, samples=256, frames=8)
    take = take_service.call_take(studio, saved)
    wait_for(lambda: len(studio.takes.get(take.id).frames) >= 2)
    pid = studio.takes.get(take.id).worker_pid
    assert pid is not None
    assert pid != os.getpid()
    os.kill(pid, signal.SIGKILL)
    wait_for(lambda: mark_interrupted(studio) or studio.takes.get(take.id).state == "interrupted")
    left = studio.takes.get(take.id)
    times = {n: frame_path(left, n).stat().st_mtime_ns for n in left.frames}
    assert len(times) < 8
    take_service.resume(studio, take.id)
    wait_for(lambda: studio.takes.get(take.id).state == "done")
    done = studio.takes.get(take.id)
    assert len(done.frames) == 8
    assert {n: frame_path(done, n).stat().st_mtime_ns for n in times} == times
    assert who_shoots(data_folder) is not None  # the worker stays a moment for the next take
    take_service.remove(studio, take.id)
    delete(studio, "take", take.id)
    assert not take.folder.exists()


def test_transparent_frames(data_folder: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(
        data_folder, frames=1, **{"shot/shoot/background": "transparent", "shot/shoot/samples": 16}
    )
    take = take_service.call_take(studio, saved, start=False)
    shoot_take(studio, take.id, tracer)
    with Image.open(frame_path(take, 1)) as image:
        alpha = np.asarray(image)[..., 3]
    assert alpha[0, 0] == 0
    assert alpha.max() == 255


def test_a_shot_with_nothing_to_shoot_is_refused(data_folder: Path) -> None:
    studio, saved = studio_with(data_folder)

    def empty_range(p: Project) -> Project:
        return edited(p, shot__shoot__from_frame=5, shot__shoot__to_frame=2)

    empty = studio.projects.edit(saved.project.id, 1, "x", empty_range)
    with pytest.raises(ShootError, match="range is empty"):
        take_service.call_take(studio, empty, start=False)


def test_a_lost_file_fails_the_take_with_a_sentence(data_folder: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(data_folder)
    take = take_service.call_take(studio, saved, start=False)
    studio.assets.path(saved.project.subject.asset).unlink()  # type: ignore[union-attr]
    assert shoot_take(studio, take.id, tracer) == "failed"
    assert "gone from the data folder" in studio.takes.get(take.id).message


def test_the_forecast_counts_every_pass(data_folder: Path, tracer: Tracer, monkeypatch: pytest.MonkeyPatch) -> None:
    """With a clock on which everything takes one second: pictures scale with paths, other passes with pixels."""

    def one_second(work: Callable[[], object]) -> tuple[float, object]:
        return 1.0, work()

    monkeypatch.setattr(forecast, "time_call", one_second)
    monkeypatch.setattr(forecast, "WRITE_S_A_PIXEL", 0.0)
    wanted = {(): 0, ("depth",): 1, ("occlusion", "lights"): 2}
    values = {"shot/shoot/width": 800, "shot/shoot/height": 400, "shot/shoot/samples": 32}
    pixels, paths = 8.0, 64.0  # 40 000 pixels and 4 samples are probed
    for passes, flat in wanted.items():
        studio, saved = studio_with(
            data_folder / str(len(passes)), **values | {"shot/shoot/passes/wanted": list(passes)}
        )
        seconds, _ = forecast.forecast(saved.project, forecast.at_once(SceneCompiler(studio.assets.get), tracer))
        assert seconds == pytest.approx(6 * (paths + flat * pixels), rel=0.02)
    studio, saved = studio_with(data_folder / "clay", **values | {"shot/shoot/passes/wanted": ["clay", "catcher"]})
    seconds, _ = forecast.forecast(saved.project, forecast.at_once(SceneCompiler(studio.assets.get), tracer))
    assert seconds == pytest.approx(6 * 3 * paths, rel=0.02)


def test_the_forecast_times_nothing_that_is_only_done_once(
    data_folder: Path, tracer: Tracer, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A cold start, on which the first picture of all takes a minute, is forecast like a warm one."""
    studio, saved = studio_with(data_folder)
    clock, cold = [0.0], [60.0]
    plain = forecast.expose_frame

    def slow_at_first(*arguments: object) -> object:
        clock[0] += cold[0] + 1.0
        cold[0] = 0.0
        return plain(*arguments)  # type: ignore[arg-type]

    monkeypatch.setattr(forecast, "expose_frame", slow_at_first)
    monkeypatch.setattr(forecast.time, "perf_counter", lambda: clock[0])
    first, _ = forecast.forecast(saved.project, forecast.at_once(SceneCompiler(studio.assets.get), tracer))
    second, _ = forecast.forecast(saved.project, forecast.at_once(SceneCompiler(studio.assets.get), tracer))
    assert first == second > 0


@pytest.mark.parametrize("whole_loop", [True, False])
def test_calm_frames_do_not_depend_on_the_order(data_folder: Path, tracer: Tracer, whole_loop: bool) -> None:
    """With neighbours a frame made alone, as after a resume, is the same to the bit as in a run from the start."""
    values = {
        "shot/shoot/denoise_neighbours": True,
        "shot/shoot/denoise": True,
        "look/lights": [{"id": "key", "name": "Key"}],
    }
    studio, saved = studio_with(data_folder, samples=2, frames=24, **values)  # small steps: surfaces are seen again
    project = saved.project if whole_loop else edited(saved.project, shot__shoot__to_frame=4)

    def maker() -> FrameMaker:
        return FrameMaker(project, project.shot.frame_numbers, SceneCompiler(studio.assets.get), tracer)

    running = maker()
    in_order = {n: running.make(n).picture for n in project.shot.frame_numbers}
    for number in (1, 3, max(project.shot.frame_numbers)):
        assert np.array_equal(maker().make(number).picture, in_order[number])
    backwards = maker()
    for number in (4, 2, 3):
        assert np.array_equal(backwards.make(number).picture, in_order[number])
    plain = edited(project, shot__shoot__denoise_neighbours=False)
    alone = FrameMaker(plain, plain.shot.frame_numbers, SceneCompiler(studio.assets.get), tracer).make(1).picture
    assert not np.array_equal(alone, in_order[1])


def test_transparent_takes_are_mixed_with_their_alpha(data_folder: Path, tracer: Tracer) -> None:
    values = {
        "look/lights": [{"id": "key", "name": "Key"}],
        "shot/shoot/background": "transparent",
        "set/sweep/on": False,
        "shot/shoot/passes/wanted": ["lights"],
    }
    studio, saved = studio_with(data_folder, samples=8, frames=2, **values)
    take = take_service.call_take(studio, saved, start=False)
    assert shoot_take(studio, take.id, tracer) == "done"
    made = take_service.call_mix(studio, take.id, {"light Key": LightChange(stops=1)}, start=False)
    assert shoot_take(studio, made.id, tracer) == "done"
    with Image.open(frame_path(take, 1)) as before, Image.open(frame_path(studio.takes.get(made.id), 1)) as after:
        assert before.mode == after.mode == "RGBA"
        old, new = np.asarray(before, float), np.asarray(after, float)
    assert np.array_equal(old[..., 3], new[..., 3])
    assert 0 < (old[..., 3] == 255).mean() < 1
    assert new[old[..., 3] == 255][:, :3].mean() > old[old[..., 3] == 255][:, :3].mean() + 2
    shadowed, again = studio_with(data_folder, frames=1, **values | {"shot/shoot/background": "shadow"})
    with pytest.raises(ShootError, match="shadows of this take are in its alpha"):
        take_service.call_mix(shadowed, take_service.call_take(shadowed, again, start=False).id, {}, start=False)
    # mixing needs every frame of the take it comes from
    frame_path(take, 2).unlink()
    with pytest.raises(ShootError, match="Resume it first"):
        take_service.call_mix(studio, take.id, {}, start=False)


def test_frames_of_a_subject_that_bends_are_the_same_whenever_they_are_shot(tracer: Tracer) -> None:
    """Nothing of a frame stays in the next: shot alone, or backwards with neighbours, it is the same to the bit."""
    glb, _ = bending_bar()
    intake = take_in({"bar.glb": glb.to_bytes()})
    project = put_on_set(new_project("Bar"), intake, PickProbe(SceneCompiler(intake.assets.__getitem__), tracer))
    values = {
        "shot/shoot/width": 48,
        "shot/shoot/height": 27,
        "shot/shoot/samples": 2,
        "shot/shoot/denoise_neighbours": True,
        "move": "hold",
        "shot/frames": 8,
        "camera/shutter_deg": 180.0,
    }
    project = edited(project, values)

    def maker() -> FrameMaker:
        return FrameMaker(project, project.shot.frame_numbers, SceneCompiler(intake.assets.__getitem__), tracer)

    running, backwards = maker(), maker()
    in_order = {n: running.make(n).picture for n in project.shot.frame_numbers}
    assert not np.allclose(in_order[1], in_order[5], atol=0.02)
    assert np.array_equal(maker().make(5).picture, in_order[5])
    for number in (8, 4, 3):
        assert np.array_equal(backwards.make(number).picture, in_order[number])
