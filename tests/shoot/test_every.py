"""Takes of which only every so manieth frame is shot."""

from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from tests.shoot.test_shoot import contents, studio_with

from cyclorama.app import takes as take_service
from cyclorama.app.clips import ClipState as Mp4
from cyclorama.app.take_answers import shoot_log
from cyclorama.core.cut.document import Clip, Cut
from cyclorama.core.errors import ShootError
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.review import readiness, review
from cyclorama.core.scene import put_all
from cyclorama.core.scene.shoot import Again
from cyclorama.shoot.finish.masters import Masters
from cyclorama.shoot.finish.take_frames import TakeReel, film_of
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import Studio, TakeRecord


def shot(folder: Path, tracer: Tracer, frames: int = 6, **values: object) -> tuple[Studio, TakeRecord]:
    studio, saved = studio_with(folder, samples=2, frames=frames, **values)
    take = take_service.call_take(studio, saved, start=False)
    assert shoot_take(studio, take.id, tracer) == "done"
    return studio, studio.takes.get(take.id)


def test_one_frame_stands_for_those_after_it(tmp_path: Path, tracer: Tracer) -> None:
    _, whole = shot(tmp_path / "all", tracer)
    studio, take = shot(tmp_path / "some", tracer, **{"shot/shoot/every": 2})
    assert [*take.numbers] == [1, 3, 5]
    assert contents(take) == {n: data for n, data in contents(whole).items() if n % 2}
    assert film_of(take) == film_of(whole)  # lasts as long, goes round as well
    clip = Clip(id="a", take_id=take.id, length=6)
    reel = TakeReel(studio, Cut(clips=(clip,)), Masters(studio, 8), complete=True)
    assert list(reel.faults()) == []
    shown = [reel.picture(clip, k, None) for k in range(6)]
    assert [np.array_equal(a, b) for a, b in pairwise(shown)] == [True, False, True, False, True]
    mp4 = Mp4.of(studio, take, 1)
    assert len(mp4.numbers) / mp4.rate == Fraction(6) / film_of(whole).rate
    for wrong in (2, 7):
        with pytest.raises(ShootError, match="frames 1 to 5, one in 2"):
            take_service.shoot_again(studio, take.id, [wrong], Again())
        with pytest.raises(ShootError, match=f"has no frame {wrong}"):
            Masters(studio, 8).get(take, wrong)
    (line,) = shoot_log(studio).takes
    assert (line.total, line.finished, line.last, line.slate.every if line.slate else 0) == (3, 3, 5, 2)
    assert [f.number for f in line.strip if f.finished] == [1, 3, 5]


@pytest.mark.parametrize("alone", [{"shot/shoot/every": 2}, {"shot/shoot/from_frame": 3, "shot/shoot/to_frame": 3}])
def test_frames_that_have_none_beside_them_are_cleaned_by_themselves(
    tmp_path: Path, tracer: Tracer, alone: dict[str, object]
) -> None:
    """Neighbours are not counted on that are not there: the picture would be left with their share of the noise."""
    fine = {"shot/shoot/quality": "draft", "shot/shoot/denoise": True} | alone
    _, by_itself = shot(tmp_path / "a", tracer, **fine, **{"shot/shoot/denoise_neighbours": False})
    _, beside = shot(tmp_path / "b", tracer, **fine, **{"shot/shoot/denoise_neighbours": True})
    assert contents(beside) == contents(by_itself)


def test_a_test_frame_is_as_good_as_one_by_itself(tmp_path: Path) -> None:
    studio, saved = studio_with(tmp_path, **{"shot/shoot/denoise_neighbours": True, "shot/shoot/every": 4})
    take = take_service.call_take(studio, saved, start=False, only=3)
    assert [*take.numbers] == [3]
    assert not take.project.shot.shoot.denoise_neighbours
    assert studio.projects.get(saved.project.id).project.shot.shoot.denoise_neighbours


def test_the_plan_says_what_will_be_shot(tmp_path: Path) -> None:
    studio, saved = studio_with(tmp_path, frames=7, **{"shot/shoot/every": 3})
    ready = readiness(review(saved.project, studio.measures(saved.project.subject)))
    assert "3 frames, one in 3, of" in ready.sentence
    assert any("7 frames cannot be shared out by 3" in odd for odd in ready.odd)
    even = put_all(saved.project, {"shot/frames": 6})
    assert not any("loop" in odd or "shared" in odd for odd in readiness(review(even, None)).odd)
