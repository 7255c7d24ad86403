"""Frames that show the same are shot once; those that do not are never taken for each other."""

from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from tests.conftest import diffuse, edited, project_of, sphere
from tests.shoot.test_shoot import contents, studio_with

from cyclorama.app import takes as take_service
from cyclorama.app.region_takes import call_part
from cyclorama.app.shoot_reuse import shoot_reuse
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Channel, Gobo, Key, Light, Project, put, put_all
from cyclorama.core.scene.shoot import Region
from cyclorama.shoot.frames.cache import FrameKeys, light_of
from cyclorama.shoot.frames.files import frame_path, master_path
from cyclorama.shoot.frames.pass_files import exact_picture_of
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import Saved, Studio

LAMP = Light(id="key", name="Key", gobo=Gobo(pattern="leaves", pictures_per_frame=0.5))


def lit() -> Project:
    project, _ = project_of(sphere(0.3, 8), diffuse(0.6))
    return edited(project, {"look/lights": (LAMP,), "shot/frames": 12})


SEEN: dict[str, st.SearchStrategy[object]] = {
    "look/lights/key/strength_stops": st.floats(-3, 3),
    "look/lights/key/azimuth_deg": st.floats(-170, 170),
    "look/lights/key/gobo/softness": st.floats(0, 1),
    "look/tone/offset_stops": st.floats(-2, 2),
    "look/grade/contrast": st.floats(0.5, 2),
    "look/grade/lens/grain": st.floats(0, 10),
    "materials/m/base_color": st.tuples(*[st.floats(0, 1)] * 3),
    "camera/distance_m": st.floats(0.5, 5),
    "camera/shutter_deg": st.floats(0, 360),
    "set/sweep/roughness": st.floats(0, 1),
    "shot/move/turns": st.integers(1, 4),
    "shot/shoot/samples": st.integers(1, 64),
    "shot/shoot/bounces": st.integers(0, 20),
    "shot/shoot/caustics": st.sampled_from(["full", "soft", "off"]),
    "shot/shoot/quality": st.sampled_from(["draft", "fine", "own"]),
    "shot/shoot/width": st.integers(16, 99),
    "shot/shoot/background": st.sampled_from(["set", "transparent", "shadow"]),
    "shot/shoot/denoise_neighbours": st.booleans(),
    "shot/shoot/bits": st.sampled_from([8, 16]),
    "shot/shoot/file_format": st.sampled_from(["png", "tiff", "exr"]),
}


@given(st.data())
@settings(max_examples=80, deadline=None)
def test_keys_are_equal_exactly_where_documents_show_the_same(data: st.DataObject) -> None:
    base = lit()
    paths = data.draw(st.lists(st.sampled_from(sorted(SEEN)), min_size=1, max_size=3, unique=True))
    one, two = (put_all(base, {p: data.draw(SEEN[p], label=p) for p in paths}) for _ in range(2))
    same = one == two
    assert (FrameKeys(one, one.shot.frame_numbers).of(3) == FrameKeys(two, two.shot.frame_numbers).of(3)) == same


def test_names_and_notes_change_no_frame_key() -> None:
    one = lit()
    values = {
        "name": "Other",
        "shot/name": "Turn",
        "shot/shoot/name_pattern": "x_{shot}",
        "shot/shoot/padding": 6,
        "shot/shoot/from_frame": 2,
        "shot/formats": (),
    }
    two = put_all(one, values)
    assert FrameKeys(one, range(1, 13)).of(5) == FrameKeys(two, range(1, 13)).of(5)


def test_a_gobo_that_moves_tells_frames_apart() -> None:
    still = put(lit(), "shot/rows", ())
    assert FrameKeys(still, range(1, 13)).of(3) != FrameKeys(still, range(1, 13)).of(4)
    stands = put(still, "look/lights/key/gobo/pictures_per_frame", 0.0)
    keys = FrameKeys(stands, range(1, 13))
    assert keys.of(3) == keys.of(4)


def shoot(studio: Studio, saved: Saved, tracer: Tracer) -> str:
    take = take_service.call_take(studio, saved, start=False)
    assert shoot_take(studio, take.id, tracer) == "done"
    return take.id


def test_only_frames_that_changed_are_shot_again(data_folder: Path, tracer: Tracer, frames_exposed: list[int]) -> None:
    studio, saved = studio_with(data_folder, frames=6, **{"camera/focal_mm": 85.0})
    first = shoot(studio, saved, tracer)
    assert frames_exposed == [1, 2, 3, 4, 5, 6]
    frames_exposed.clear()
    keys = tuple(Key(id=f"key-{k}", frame=k, value=(v,)) for k, v in ((0, 85.0), (3, 85.0), (5, 120.0)))
    channel = Channel(id="channel-1", path=f"cameras/{saved.project.camera.id}/focal_mm", keys=keys)
    changed = put_all(saved.project, {"shot/channels": (channel,), "shot/shoot/name_pattern": "again_{shot}"})
    # what is taken over is told before it is shot
    name = studio.takes.get(first).name
    assert shoot_reuse(studio, changed).sentence == f"4 of 6 frames are taken over from ‘{name}’, 2 to shoot."
    graded = put_all(saved.project, {"look/grade/exposure_stops": -1.0})
    assert shoot_reuse(studio, graded).sentence == f"All 6 frames are taken over from ‘{name}’."
    assert shoot_reuse(studio, put_all(saved.project, {"shot/shoot/bounces": 3})).sentence == ""
    second = shoot(studio, Saved(changed, saved.version, None, None, saved.updated), tracer)
    assert frames_exposed == [5, 6]
    one, two = (studio.takes.get(take) for take in (first, second))
    assert [contents(one)[n] == contents(two)[n] for n in one.numbers] == [True] * 4 + [False] * 2
    assert two.frames[1].seconds == 0
    # each take has files of its own: what becomes of one is nothing to the other
    take_service.remove(studio, first)
    assert len(contents(studio.takes.get(second))) == 6


def test_a_hold_is_shot_once_and_damaged_frames_give_nothing(
    data_folder: Path, tracer: Tracer, frames_exposed: list[int]
) -> None:
    studio, saved = studio_with(data_folder, frames=5, **{"shot/rows": ()})
    first = shoot(studio, saved, tracer)
    assert frames_exposed == [1]
    one = studio.takes.get(first)
    assert len(set(contents(one).values())) == 1
    for n in one.numbers:
        path = frame_path(one, n)
        path.unlink()
        path.write_bytes(b"something else")
    again = studio.takes.get(shoot(studio, saved, tracer))
    assert frames_exposed == [1]  # the masters are whole: the picture is made of them
    assert len(set(contents(again).values())) == 1
    take_service.remove(studio, again.id)
    for n in one.numbers:
        master_path(one, n).write_bytes(b"something else")
    shoot(studio, saved, tracer)
    assert frames_exposed == [1, 1]


def test_a_hold_with_grain_is_traced_once(data_folder: Path, tracer: Tracer, frames_exposed: list[int]) -> None:
    studio, saved = studio_with(data_folder, frames=4, **{"shot/rows": (), "look/grade/lens/grain": 20.0})
    take = studio.takes.get(shoot(studio, saved, tracer))
    assert frames_exposed == [1]
    assert len(set(contents(take).values())) == 4
    assert len({frame.files["master"] for frame in take.frames.values()}) == 1


def test_a_take_that_only_differs_in_its_grade_is_made_of_the_masters(data_folder: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(data_folder, **{"shot/shoot/passes/wanted": ("depth",)})
    first = take_service.call_take(studio, saved, start=False)
    assert shoot_take(studio, first.id, tracer) == "done"
    darker = studio.projects.edit(
        saved.project.id, saved.version, "Grade", lambda p: put(p, "look/grade/exposure_stops", -2.0)
    )
    second = take_service.call_take(studio, darker, start=False)
    assert shoot_take(studio, second.id, tracer) == "done"
    one, two = studio.takes.get(first.id), studio.takes.get(second.id)
    assert all(frame.seconds == 0.0 for frame in two.frames.values())
    for n in two.numbers:
        assert two.frames[n].files["master"] == one.frames[n].files["master"]
        assert two.frames[n].files["depth"] == one.frames[n].files["depth"]
        assert two.frames[n].files["beauty"] != one.frames[n].files["beauty"]
    # bit for bit what shooting it would have given, but for the half floats of the master
    studio.binned.put("take", first.id)
    third = take_service.call_take(studio, put_saved(studio, darker, "shot/shoot/bounces", 11), start=False)
    assert shoot_take(studio, third.id, tracer) == "done"
    assert all(frame.seconds > 0 for frame in studio.takes.get(third.id).frames.values())
    a, b = (np.asarray(Image.open(frame_path(studio.takes.get(t.id), 1)), int) for t in (second, third))
    assert np.abs(a - b).max() <= 1


def put_saved(studio: Studio, saved: Saved, path: str, value: object) -> Saved:
    return studio.projects.edit(saved.project.id, saved.version, "Edit", lambda p: put(p, path, value))


def test_grain_is_another_one_in_every_frame() -> None:
    still = put(lit(), "shot/move/turns", 0)
    keys = FrameKeys(put(still, "look/lights", ()), still.shot.frame_numbers)
    assert keys.of(2) == keys.of(5)
    grainy = put_all(still, {"look/lights": (), "look/grade/lens/grain": 5.0})
    keys = FrameKeys(grainy, grainy.shot.frame_numbers)
    assert keys.of(2) != keys.of(5)
    assert light_of(keys.of(2)) == light_of(keys.of(5))


def test_only_what_is_not_there_is_made(data_folder: Path, tracer: Tracer, frames_exposed: list[int]) -> None:
    """Another view, another kind of file, passes more or fewer: the light is shot once, and so is each pass."""
    studio, saved = studio_with(data_folder, frames=2, **{"shot/shoot/passes/wanted": ("depth",)})
    plain = studio.takes.get(shoot(studio, saved, tracer))
    assert frames_exposed == [1, 2]
    frames_exposed.clear()
    changes = {
        "view": {"look/tone/view": "aces"},
        "file": {"shot/shoot/file_format": "tiff", "shot/shoot/bits": 16},
        "fewer": {"shot/shoot/passes/wanted": ()},
        "more": {"shot/shoot/passes/wanted": ("depth", "occlusion")},
        "name": {"shot/shoot/name_pattern": "other_{shot}"},
    }
    takes = {}
    for name, values in changes.items():
        changed = put_all(saved.project, values)
        take = shoot(studio, Saved(changed, saved.version, None, None, saved.updated), tracer)
        takes[name] = studio.takes.get(take)
    assert frames_exposed == []
    masters = {take.frames[1].files["master"] for take in (plain, *takes.values())}
    assert len(masters) == 1
    assert contents(takes["name"]) == contents(takes["fewer"]) == contents(takes["more"]) == contents(plain)
    assert contents(takes["view"]) != contents(plain)
    assert {*takes["more"].frames[2].files} == {"beauty", ".thumbs", "master", "depth", "occlusion"}
    assert "depth" not in takes["fewer"].frames[1].files
    # shot at once, elsewhere: the same bits
    other, again = studio_with(data_folder.with_name("other"), frames=2, **changes["more"])
    whole = other.takes.get(shoot(other, again, tracer))
    for name in ("beauty", "depth", "occlusion"):
        assert whole.frames[2].files[name] == takes["more"].frames[2].files[name]
    assert frames_exposed == [1, 2]


def test_motion_vectors_of_another_movement_are_not_taken_over(
    data_folder: Path, tracer: Tracer, frames_exposed: list[int]
) -> None:
    """A frame that shows the same while everything moves otherwise: the picture is the same, the pass is not."""
    passes = {"shot/shoot/passes/wanted": ("motion",), "camera/shutter_deg": 0.0}
    studio, saved = studio_with(data_folder, frames=4, **passes)
    first = studio.takes.get(shoot(studio, saved, tracer))
    twice = put_all(saved.project, {"shot/move/turns": 2})
    second = studio.takes.get(shoot(studio, Saved(twice, saved.version, None, None, saved.updated), tracer))
    assert first.frames[1].files["beauty"] == second.frames[1].files["beauty"]
    assert first.frames[1].files["motion"] != second.frames[1].files["motion"]


def test_a_part_is_put_into_what_was_shot_not_into_what_was_made_of_it(data_folder: Path, tracer: Tracer) -> None:
    studio, saved = studio_with(data_folder, frames=1)
    shot = shoot(studio, saved, tracer)
    cleaned = take_service.call_clean(studio, shot, start=False)
    assert shoot_take(studio, cleaned.id, tracer) == "done"
    corner = Region(left=0, top=0, right=0.25, bottom=0.25)
    part = call_part(studio, saved, 1, corner, start=False)
    kept = exact_picture_of(studio.takes.get(part.id), "master", 1)
    assert np.array_equal(kept, exact_picture_of(studio.takes.get(shot), "master", 1))
