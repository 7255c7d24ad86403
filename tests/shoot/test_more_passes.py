"""Passes are shot into a take whose pictures are there."""

from pathlib import Path

import pytest
from tests.shoot.test_shoot import studio_with

from cyclorama.app import takes as take_service
from cyclorama.core.errors import ShootError
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import put_all
from cyclorama.core.scene.shoot import Again, Region
from cyclorama.shoot.frames.files import file_path, frames_to_shoot, lacking
from cyclorama.shoot.run.take import TakeProgress, shoot_take
from cyclorama.store import ListedTake, Studio, TakeRecord

LIT = {"look/lights": [{"id": "key", "name": "Key"}], "shot/shoot/width": 48, "shot/shoot/height": 32}
KINDS = [
    {},
    {"shot/shoot/quality": "draft", "shot/shoot/denoise": True, "shot/shoot/denoise_neighbours": True},
    {"shot/shoot/file_format": "exr", "shot/shoot/background": "transparent"},
]


@pytest.fixture(autouse=True)
def nobody_else_shoots(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(take_service, "ensure_worker", lambda studio: None)


def shot(folder: Path, tracer: Tracer, **values: object) -> tuple[Studio, TakeRecord]:
    studio, saved = studio_with(folder, samples=2, frames=3, **(LIT | values))
    take = take_service.call_take(studio, saved, start=False)
    assert shoot_take(studio, take.id, tracer) == "done"
    return studio, studio.takes.get(take.id)


def listed(studio: Studio) -> ListedTake:
    (line,) = studio.take_list.all()
    return line


def files_of(take: TakeRecord) -> dict[str, bytes]:
    return {f"{p.parent.name}/{p.name}": p.read_bytes() for p in sorted(take.folder.glob("*/*")) if p.is_file()}


def shot_more(studio: Studio, take: TakeRecord, tracer: Tracer) -> dict[int, float | None]:
    """The pace that is told while passes are shot, by how many frames are waiting."""
    paces: dict[int, float | None] = {}

    def tell(progress: TakeProgress) -> None:
        paces.setdefault(listed(studio).waiting, listed(studio).pace_s)

    assert shoot_take(studio, take.id, tracer, tell) == "done"
    return paces


@pytest.mark.parametrize("kind", KINDS)
def test_passes_are_what_they_had_been_and_pictures_stay(
    tmp_path: Path, tracer: Tracer, kind: dict[str, object]
) -> None:
    names = ("occlusion", "clay", "depth", "lights")
    studio, take = shot(tmp_path / "later", tracer, **kind, **{"shot/shoot/passes/wanted": ["normal"]})
    _, whole = shot(tmp_path / "at once", tracer, **kind, **{"shot/shoot/passes/wanted": ["normal", *names]})
    before = {path: path.stat().st_mtime_ns for path in take.folder.glob("*/*") if path.is_file()}
    for some in (("occlusion", "clay"), ("depth", "lights")):
        take_service.add_passes(studio, take.id, some)
        assert {*(lacking(studio.takes.get(take.id), 2) or ())} == {*some}
        assert (listed(studio).finished, listed(studio).waiting) == (3, 3)
        assert listed(studio).pace_s is None
        paces = shot_more(studio, take, tracer)
        assert (listed(studio).finished, listed(studio).waiting) == (3, 0)
        # how long passes take is known once there are some: not from how long the frames took
        assert 0 < (paces[1] or 0) < 60
    later = studio.takes.get(take.id)
    assert files_of(later) == files_of(whole)
    assert {path: path.stat().st_mtime_ns for path in before} == before
    assert frames_to_shoot(later) == []
    assert later.frames[2].files.keys() == whole.frames[2].files.keys()
    assert later.frames[2].bytes == whole.frames[2].bytes
    assert later.frames[2].seconds > take.frames[2].seconds


def test_only_a_pass_that_is_spoilt_is_made_again(tmp_path: Path, tracer: Tracer) -> None:
    studio, take = shot(tmp_path, tracer, **{"shot/shoot/passes/wanted": ["occlusion", "depth"]})
    before = files_of(take)
    file_path(take, "depth", 2).write_bytes(b"torn")
    picture = file_path(take, "beauty", 2).stat().st_mtime_ns
    assert shoot_take(studio, take.id, tracer) == "done"
    assert files_of(studio.takes.get(take.id)) == before
    assert file_path(take, "beauty", 2).stat().st_mtime_ns == picture
    # what the picture itself is made of is another matter
    file_path(take, "master", 2).write_bytes(b"torn")
    assert lacking(studio.takes.get(take.id), 2) is None
    assert shoot_take(studio, take.id, tracer) == "done"
    assert files_of(studio.takes.get(take.id)) == before


def test_a_pass_is_shot_anew_as_the_shot_says_by_now(tmp_path: Path, tracer: Tracer) -> None:
    studio, take = shot(
        tmp_path, tracer, **{"shot/shoot/passes/wanted": ["wireframe", "occlusion"], "shot/shoot/passes/wire_px": 0.2}
    )
    saved = studio.projects.get(take.project_id)
    thicker = {"shot/shoot/passes/wire_px": 1.0, "shot/shoot/passes/occlusion_reach_m": 9.0}
    studio.projects.edit(saved.project.id, saved.version, "Lines", lambda p: put_all(p, thicker))
    before = files_of(take)
    take_service.add_passes(studio, take.id, ("wireframe",))
    assert shoot_take(studio, take.id, tracer) == "done"
    after = studio.takes.get(take.id)
    changed = {name for name, data in files_of(after).items() if data != before[name]}
    assert changed == {f"wireframe/test_orbit.{n:04d}.png" for n in (1, 2, 3)}
    assert (after.project.shot.shoot.passes.wire_px, after.project.shot.shoot.passes.occlusion_reach_m) == (1.0, 0.1)
    assert after.frames[2].key is None  # that stood for the lines as they were


def test_frames_of_it_are_still_taken_over_by_takes_without_that_pass(tmp_path: Path, tracer: Tracer) -> None:
    studio, take = shot(tmp_path, tracer)
    take_service.add_passes(studio, take.id, ("occlusion",))
    shoot_take(studio, take.id, tracer)
    other = take_service.call_take(studio, studio.projects.get(take.project_id), start=False)
    assert shoot_take(studio, other.id, tracer) == "done"
    other = studio.takes.get(other.id)
    assert [other.frames[n].seconds for n in other.numbers] == [0.0, 0.0, 0.0]
    assert "occlusion" not in other.frames[2].files
    assert not (other.folder / "occlusion").exists()


def test_a_part_that_is_shot_again_and_a_pass_do_not_hinder_each_other(tmp_path: Path, tracer: Tracer) -> None:
    studio, take = shot(tmp_path, tracer)
    before = file_path(take, "beauty", 2).read_bytes()
    left = Region(left=0.0, top=0.0, right=0.5, bottom=1.0)
    take_service.shoot_again(studio, take.id, [2], Again(finer=8, region=left))
    studio.takes.update(take.id, state="stopped")
    take_service.add_passes(studio, take.id, ("occlusion",))
    assert shoot_take(studio, take.id, tracer) == "done"
    after = studio.takes.get(take.id)
    assert frames_to_shoot(after) == []
    assert file_path(after, "beauty", 2).read_bytes() != before
    assert all("occlusion" in after.frames[n].files for n in after.numbers)


def test_derived_and_running_takes_get_no_passes(tmp_path: Path, tracer: Tracer) -> None:
    studio, take = shot(tmp_path, tracer)
    clean = take_service.call_clean(studio, take.id, start=False)
    with pytest.raises(ShootError, match="Add passes to that one"):
        take_service.add_passes(studio, clean.id, ("occlusion",))
    studio.takes.update(take.id, state="queued")
    with pytest.raises(ShootError, match="being shot"):
        take_service.add_passes(studio, take.id, ("occlusion",))
    assert studio.takes.get(take.id).project.shot.shoot.passes.wanted == ()
