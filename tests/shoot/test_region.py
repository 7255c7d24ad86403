"""A part of frames is shot anew and put into what is there."""

from pathlib import Path

import numpy as np
import pytest
from pydantic import ValidationError
from tests.shoot.test_shoot import studio_with

from cyclorama.app import takes as take_service
from cyclorama.core.errors import ShootError
from cyclorama.core.render.film.region import CONTEXT_PX, FEATHER_PX, share_of_new, within
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene.shoot import Again, Region
from cyclorama.shoot.frames.files import file_path, frames_to_shoot, master_name, master_path
from cyclorama.shoot.frames.pass_files import exact_picture_of
from cyclorama.shoot.run.reshoot import in_words
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import Studio, TakeRecord

MIDDLE = Region(left=0.25, top=0.25, right=0.75, bottom=0.75)
SEEN = {
    "shot/shoot/width": 96,
    "shot/shoot/height": 64,
    "look/lights": [{"id": "key", "name": "Key"}],
    "aim": 0.0,
    "look/tone/ev100": 3.0,
}


@pytest.fixture(autouse=True)
def nobody_else_shoots(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(take_service, "ensure_worker", lambda studio: None)


def shot(folder: Path, tracer: Tracer, **values: object) -> tuple[Studio, TakeRecord]:
    settings = SEEN | {"shot/shoot/passes/wanted": ["depth"]} | values
    studio, saved = studio_with(folder, samples=4, frames=3, **settings)
    take = take_service.call_take(studio, saved, start=False)
    assert shoot_take(studio, take.id, tracer) == "done"
    return studio, studio.takes.get(take.id)


def light(take: TakeRecord, number: int) -> np.ndarray:
    return exact_picture_of(take, master_name(take), number).astype(np.float64)


@pytest.mark.parametrize(
    "kind",
    [
        {},
        {"shot/shoot/background": "transparent"},
        {"shot/shoot/denoise_neighbours": True},
        {"shot/shoot/file_format": "exr", "shot/shoot/bits": 32},
    ],
)
def test_a_part_is_made_finer_and_all_else_stays(tmp_path: Path, tracer: Tracer, kind: dict[str, object]) -> None:
    studio, take = shot(tmp_path / "few", tracer, **kind)
    alone = {"shot/shoot/denoise_neighbours": False, "shot/shoot/from_frame": 2, "shot/shoot/to_frame": 2}
    _, truth = shot(tmp_path / "many", tracer, **(kind | alone), **{"shot/shoot/samples": 512})
    before, depth = light(take, 2), file_path(take, "depth", 2).read_bytes()
    others = {
        p: p.read_bytes() for p in take.folder.glob("*/*") if p.is_file() and "0002" not in p.name and p.stem != "2"
    }
    take_service.shoot_again(studio, take.id, [2], Again(finer=16, region=MIDDLE))
    assert shoot_take(studio, take.id, tracer) == "done"
    take = studio.takes.get(take.id)
    after, best = light(take, 2), light(truth, 2)
    new = share_of_new(MIDDLE, 96, 64)
    assert np.array_equal(after[new == 0], before[new == 0])
    assert ((after - best)[new == 1] ** 2).mean() < ((before - best)[new == 1] ** 2).mean() / 4
    assert file_path(take, "depth", 2).read_bytes() == depth
    assert all(path.read_bytes() == data for path, data in others.items())
    assert frames_to_shoot(take) == []
    assert take.frames[2].key is None  # no other frame is made of it
    assert in_words(take) == "frame 2 with 16× the samples in a part of the picture"


def test_where_nothing_is_there_all_is_shot(tmp_path: Path, tracer: Tracer) -> None:
    studio, take = shot(tmp_path, tracer)
    before = light(take, 2)
    take_service.shoot_again(studio, take.id, [2], Again(region=MIDDLE))
    master_path(take, 2).write_bytes(b"torn")
    assert shoot_take(studio, take.id, tracer) == "done"
    assert np.array_equal(light(studio.takes.get(take.id), 2), before)


def test_regions_without_inside_or_take_are_refused(tmp_path: Path, tracer: Tracer) -> None:
    for wrong in ({"left": 0.5, "right": 0.5}, {"top": 0.9, "bottom": 0.1}, {"right": 1.5}):
        with pytest.raises(ValidationError):
            Region(**({"left": 0.0, "top": 0.0, "right": 1.0, "bottom": 1.0} | wrong))
    studio, take = shot(tmp_path / "no masters", tracer, **{"shot/shoot/masters": False})
    with pytest.raises(ShootError, match=r"only be put into what is there\. This take was shot without masters"):
        take_service.shoot_again(studio, take.id, [2], Again(region=MIDDLE))
    studio, take = shot(tmp_path / "a frame is missing", tracer)
    studio.takes.drop_frame(take.id, 3)
    with pytest.raises(ShootError, match="Not shot yet: frame 3"):
        take_service.shoot_again(studio, take.id, [2, 3], Again(region=MIDDLE))
    assert studio.takes.get(take.id).state == "done"


def test_the_edge_of_a_part_is_soft_but_for_those_of_the_picture() -> None:
    corner = Region(left=0.0, top=0.5, right=0.25, bottom=1.0)
    new = share_of_new(corner, 400, 200)
    assert (new[100 + FEATHER_PX :, : 100 - FEATHER_PX] == 1).all()
    assert (new[:100] == 0).all()
    assert (new[:, 100:] == 0).all()
    assert np.allclose(new[150, 100 - FEATHER_PX : 100], (FEATHER_PX - np.arange(FEATHER_PX) - 0.5) / FEATHER_PX)
    needed = within(corner, 400, 200).reshape(200, 400)
    assert needed[100 - CONTEXT_PX :, : 100 + CONTEXT_PX].all()
    assert needed.sum() == (100 + CONTEXT_PX) ** 2
