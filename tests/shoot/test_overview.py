"""Frames spread over a shot come first where that is wanted, and the take is the same in the end."""

from pathlib import Path

import pytest
from tests.shoot.test_farm import files
from tests.shoot.test_shoot import studio_with

from cyclorama.app import takes as take_service
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.quality import first_samples
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import load_project
from cyclorama.core.scene.shoot import FOR_CLIPS
from cyclorama.shoot.run import forecast
from cyclorama.shoot.run.take import TakeProgress, shoot_take
from cyclorama.store import FrameRecord, Studio, TakeRecord
from cyclorama.store.takes import TakeStore

FRAMES = 18
EARLY = [1, 9, 17]


class Watched:
    """Which frames are recorded, in which order."""

    def __init__(self, patch: pytest.MonkeyPatch):
        self.drafts: list[int] = []
        self.whole: list[int] = []
        add = TakeStore.add_frame

        def added(store: TakeStore, take_id: str, frame: FrameRecord, shot_again: bool = False) -> None:
            (self.drafts if shot_again else self.whole).append(frame.number)
            add(store, take_id, frame, shot_again)

        patch.setattr(TakeStore, "add_frame", added)


def called(folder: Path, **values: object) -> tuple[Studio, TakeRecord]:
    settings = {"shot/shoot/quality": "fine", "shot/shoot/denoise": True, "shot/shoot/passes/wanted": ["depth"]}
    studio, saved = studio_with(folder, frames=FRAMES, **settings, **values)  # type: ignore[arg-type]
    return studio, take_service.call_take(studio, saved, start=False)


@pytest.mark.parametrize("neighbours", [False, True])
def test_the_overview_comes_first_and_the_take_is_the_same(
    tmp_path: Path, tracer: Tracer, monkeypatch: pytest.MonkeyPatch, neighbours: bool
) -> None:
    values = {"shot/shoot/denoise_neighbours": neighbours}
    studio, plain = called(tmp_path / "plain", **values)
    assert shoot_take(studio, plain.id, tracer) == "done"
    watched = Watched(monkeypatch)
    other, take = called(tmp_path / "overview", **values, **{"shot/shoot/overview": True})
    paused = False

    def pause_once(progress: TakeProgress) -> None:
        nonlocal paused
        if not paused and (watched.drafts if neighbours else watched.whole) == EARLY[:2]:
            paused = True
            take_service.pause(other, take.id)

    assert shoot_take(other, take.id, tracer, pause_once) == "paused"
    seen = other.takes.get(take.id)
    assert sorted(seen.frames) == EARLY[:2]  # it can be played
    assert seen.pending == ({*EARLY[:2]} if neighbours else set())
    counts: list[int] = []
    other.takes.update(take.id, wish="run")
    assert shoot_take(other, take.id, tracer, lambda progress: counts.append(progress.done)) == "done"
    assert counts == sorted(counts)
    assert counts[-1] == FRAMES
    if neighbours:
        assert watched.drafts == EARLY  # each once
        assert watched.whole == list(plain.numbers)
    else:
        assert watched.drafts == []
        assert watched.whole == EARLY + [n for n in plain.numbers if n not in EARLY]
    whole = other.takes.get(take.id)
    assert whole.pending == set()
    assert files(whole) == files(studio.takes.get(plain.id))


def test_quality_needs_fewer_samples_in_full() -> None:
    first = first_samples("fine", calmed=True)[0]
    film = Film(8, 8)
    film.count[:] = first
    assert forecast.in_full(film, FOR_CLIPS, 9.0) == 1.0  # the first samples are everywhere
    film.count[:32] += 6  # an edge through four rows is one through twelve of 24, a third of the picture's share
    assert forecast.in_full(film, FOR_CLIPS, 9.0) == pytest.approx((first + 1) / (first + 3))


def test_drafts_are_in_the_forecast(tmp_path: Path, tracer: Tracer, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(forecast, "time_call", lambda work: (1.0, work()))
    studio, take = called(tmp_path, **{"shot/shoot/denoise_neighbours": True})
    with_overview = load_project(take.project.model_dump_json().replace('"overview":false', '"overview":true'))
    compiler = SceneCompiler(studio.assets.get)
    plain, more = (
        forecast.forecast(project, forecast.at_once(compiler, tracer))[0] for project in (take.project, with_overview)
    )
    assert more == pytest.approx(plain + 2 * len(EARLY))
