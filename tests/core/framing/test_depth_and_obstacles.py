"""What is in focus, and what stands in the way, against closed forms."""

import math

import numpy as np
import pytest

from cyclorama.core.framing import View, best_place, depth_of_field, format_margins, obstacles_of, travel_of
from cyclorama.core.framing.depth import sharp_m, subject_blur_px
from cyclorama.core.geometry.primitives import build_made
from cyclorama.core.scene import (
    Aim,
    Camera,
    Item,
    Made,
    Part,
    Placement,
    Project,
    Row,
    Segment,
    Variant,
    Worn,
    new_project,
    put_all,
)
from cyclorama.core.scene.delivery import Format
from cyclorama.core.scene.material import Material


def boxed(identity: str, size: float, **placement: float) -> Item:
    part = Part(id=f"{identity}-part", name=identity, triangles=12)
    worn = Variant(id="v", name="V", parts=(Worn(id=part.id, material="m"),))
    made = Made(form="box", width_m=size, depth_m=size, height_m=size, edge_m=0.0)
    return Item(
        id=identity,
        name=identity,
        made=made,
        parts=(part,),
        variants=(worn,),
        variant_id="v",
        rides="set",
        placement=Placement(**placement),
    )


def studio(*others: Item, **values: object) -> tuple[Project, np.ndarray]:
    """A cube of 20 cm that the camera looks at from 2 m, straight from the front; its corners."""
    subject = boxed("subject", 0.2)
    base = {
        "materials": (Material(id="m", name="M"),),
        "items": (subject, *others),
        "subject_id": "subject",
        "shot/rows": (),
        "shot/frames": 4,
        "camera/aim": Aim(y_m=0.1),
        "camera/elevation_deg": 0.0,
        "camera/distance_m": 2.0,
        "camera/focal_mm": 50.0,
    }
    return put_all(new_project("Depth"), base | values), build_made(subject.made).vertices.astype(float)  # type: ignore[arg-type]


def test_depth_of_field_by_the_textbook() -> None:
    camera = Camera(id="c", name="C", f_number=8.0)
    circle = sharp_m(camera, 1280, 720)
    assert circle == pytest.approx(0.036 * math.hypot(1280, 720) / 1280 / 1500)
    hyperfocal = 0.05**2 / (8 * circle) + 0.05
    at = depth_of_field(camera, 50, hyperfocal, 1280, 720)
    assert at is not None
    assert (at.hyperfocal_m, at.far_m) == (pytest.approx(hyperfocal), math.inf)
    assert at.near_m == pytest.approx(hyperfocal / 2, rel=1e-2)
    near = depth_of_field(camera, 50, 1.0, 1280, 720)
    assert near is not None
    for limit in (near.near_m, near.far_m):  # what lies there is drawn as wide as just counts as sharp
        assert 0.05**2 * abs(limit - 1.0) / (8 * limit * (1.0 - 0.05)) == pytest.approx(circle, rel=1e-9)
    for sharp in (Camera(id="c", name="C"), Camera(id="c", name="C", f_number=2.0, blurs=False)):
        assert depth_of_field(sharp, 50, 1.0, 1280, 720) is None


def test_the_subject_is_sharp_while_the_plane_of_focus_goes_through_it() -> None:
    project, corners = studio()
    view = View.of(project)
    n = np.full(4, 2.0)
    focus = np.array([2.0, 1.9, 1.0, 4.0])
    blur = subject_blur_px(view, n, focus, corners)
    assert blur[:2] == pytest.approx([0, 0], abs=1e-9)
    for i, d in ((2, 1.9), (3, 2.1)):  # its nearest or farthest side
        disc = 0.05**2 * abs(d - focus[i]) / (2.0 * d * (focus[i] - 0.05))
        assert blur[i] == pytest.approx(disc / 0.036 * 1280)


def test_obstacles_hide_the_subject() -> None:
    free, corners = studio()
    assert obstacles_of(free, View.of(free), corners).hidden is None
    wall, _ = studio(boxed("wall", 0.6, z_m=1.0))
    assert obstacles_of(wall, View.of(wall), corners).hidden == pytest.approx(np.ones(4))
    beside, _ = studio(boxed("beside", 0.6, x_m=1.0))
    assert obstacles_of(beside, View.of(beside), corners).hidden == pytest.approx(np.zeros(4))
    behind, _ = studio(boxed("behind", 0.6, z_m=-1.0))
    assert obstacles_of(behind, View.of(behind), corners).hidden == pytest.approx(np.zeros(4))
    orbit = put_all(wall, {"shot/rows": (Row(id="camera", segments=(Segment(id="a"),)),)})
    hidden = obstacles_of(orbit, View.of(orbit), corners).hidden
    assert hidden is not None
    assert hidden[0] == 1.0
    assert hidden[2] == 0.0  # from the other side


def test_room_is_how_far_the_nearest_thing_is() -> None:
    project, corners = studio(**{"set/sweep/on": False})
    found = obstacles_of(project, View.of(project), corners)
    assert found.room_m == pytest.approx(np.full(4, 1.9))  # the front of the cube
    assert set(found.nearest) == {"the subject"}
    near, _ = studio(boxed("post", 0.3, x_m=0.45, z_m=1.95), **{"set/sweep/on": False})
    found = obstacles_of(near, View.of(near), corners)
    assert found.room_m == pytest.approx(np.full(4, 0.3))
    assert set(found.nearest) == {"‘post’"}
    inside, _ = studio(boxed("post", 0.3, z_m=2.0), **{"set/sweep/on": False})
    assert obstacles_of(inside, View.of(inside), corners).room_m == pytest.approx(np.full(4, -0.1))
    low, _ = studio(**{"camera/aim": Aim(y_m=0.02)})
    found = obstacles_of(low, View.of(low), corners)
    assert found.room_m == pytest.approx(np.full(4, 0.02))
    assert set(found.nearest) == {"the floor"}


def test_formats_keep_what_they_can_of_the_subject() -> None:
    tall = Format(id="9x16", wide=9, high=16)
    project, corners = studio(**{"shot/formats": (tall,), "camera/aim": Aim(x_m=0.3, y_m=0.1)})
    view = View.of(project)
    travel = travel_of(project, view, corners)
    share = 9 / 16 * 9 / 16  # of the width of a 16:9 picture
    half_w = 0.036 / 2 / 0.05
    left, right = (-0.3 - 0.1) / 1.9 / half_w, (-0.3 + 0.1) / 2.1 / half_w
    right = max(right, (-0.3 + 0.1) / 1.9 / half_w) if right < 0 else right
    told = format_margins(project, travel, view.poses.frames)["9x16"]
    edges = min((left + share) / (2 * share), (share - right) / (2 * share))
    assert told == pytest.approx(np.full(4, edges), abs=1e-6)
    assert edges < 0  # in the middle of the picture it is cut off
    across, up = best_place(project, tall, travel)
    moved = put_all(project, {"shot/formats": (tall.model_copy(update={"across": across, "up": up}),)})
    best = format_margins(moved, travel, view.poses.frames)["9x16"].min()
    for other in np.linspace(-1, 1, 41):
        tried = put_all(project, {"shot/formats": (tall.model_copy(update={"across": float(other)}),)})
        assert format_margins(tried, travel, view.poses.frames)["9x16"].min() <= best + 1e-9
