"""A part of a frame as the project is now, put into the newest picture of that frame."""

from pathlib import Path

import numpy as np
import pytest
from tests.shoot.test_region import MIDDLE, light, shot

from cyclorama.app import region_takes as region_take
from cyclorama.app import takes as take_service
from cyclorama.app.region_takes import call_part
from cyclorama.core.errors import ShootError
from cyclorama.core.render.film.region import share_of_new
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import put_all
from cyclorama.shoot.frames.files import frame_path
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import Studio, TakeRecord


@pytest.fixture(autouse=True)
def nobody_else_shoots(monkeypatch: pytest.MonkeyPatch) -> None:
    for module in (take_service, region_take):
        monkeypatch.setattr(module, "ensure_worker", lambda studio: None)


def changed(studio: Studio, take: TakeRecord, **values: object) -> None:
    saved = studio.projects.get(take.project_id)
    studio.projects.edit(take.project_id, saved.version, "Change", lambda p: put_all(p, values))


@pytest.mark.parametrize("kind", [{}, {"shot/shoot/background": "transparent"}, {"shot/shoot/file_format": "exr"}])
def test_the_part_shows_the_change_and_all_else_what_was(
    tmp_path: Path, tracer: Tracer, kind: dict[str, object]
) -> None:
    studio, take = shot(tmp_path, tracer, **kind)
    before = {n: frame_path(take, n).read_bytes() for n in take.numbers}
    changed(studio, take, **{"look/tone/ev100": 2.0, "shot/shoot/file_format": "exr", "shot/shoot/bits": 32})
    made = call_part(studio, studio.projects.get(take.project_id), 2, MIDDLE)
    assert (made.name, [*made.numbers], made.waiting) == (f"{take.project.shot.name} 2, frame 2, a part", [2], {2})
    assert shoot_take(studio, made.id, tracer) == "done"
    made = studio.takes.get(made.id)
    whole = take_service.call_take(studio, studio.projects.get(take.project_id), start=False, only=2)
    assert shoot_take(studio, whole.id, tracer) == "done"
    new = share_of_new(MIDDLE, 96, 64)
    now, then, there = light(made, 2), light(take, 2), light(studio.takes.get(whole.id), 2)
    assert np.array_equal(now[new == 0], then[new == 0])
    assert np.allclose(now[new == 1], there[new == 1])  # a stop brighter, as a frame of its own would be
    assert now[new == 1][:, :3].mean() == pytest.approx(2 * then[new == 1][:, :3].mean(), rel=0.1)
    assert {n: frame_path(take, n).read_bytes() for n in take.numbers} == before


def test_awaited_work_comes_before_queued_work(tmp_path: Path, tracer: Tracer) -> None:
    studio, take = shot(tmp_path, tracer)
    saved = studio.projects.get(take.project_id)
    long = take_service.call_take(studio, saved)
    tried = take_service.call_take(studio, saved, only=2)
    assert studio.takes.next_queued() == tried.id
    part = call_part(studio, saved, 2, MIDDLE)
    assert studio.takes.next_queued() == part.id
    for one in (part, tried):
        studio.takes.update(one.id, state="stopped")
    assert studio.takes.next_queued() == long.id


def test_the_newest_picture_of_that_frame_and_size_is_taken(tmp_path: Path, tracer: Tracer) -> None:
    studio, take = shot(tmp_path, tracer)
    changed(studio, take, **{"look/tone/ev100": 4.0})
    newer = take_service.call_take(studio, studio.projects.get(take.project_id), start=False, only=2)
    assert shoot_take(studio, newer.id, tracer) == "done"
    made = call_part(studio, studio.projects.get(take.project_id), 2, MIDDLE)
    assert np.array_equal(light(made, 2), light(studio.takes.get(newer.id), 2))
    third = call_part(studio, studio.projects.get(take.project_id), 3, MIDDLE)
    assert np.array_equal(light(third, 3), light(take, 3))
    changed(studio, take, **{"shot/shoot/width": 48})
    count = len(studio.takes.ids())
    with pytest.raises(ShootError, match="shows frame 2 in 48×64: there is nothing to put a part into"):
        call_part(studio, studio.projects.get(take.project_id), 2, MIDDLE)
    assert len(studio.takes.ids()) == count
