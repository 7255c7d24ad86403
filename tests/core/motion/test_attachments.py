"""What goes along with what: lights, things and aims, against geometry."""

import math

import numpy as np
import pytest
from tests.core.commands.test_moves_and_keys import done

from cyclorama.core.commands.keys import SetKey
from cyclorama.core.commands.lists import Remove
from cyclorama.core.commands.made_items import AddItem
from cyclorama.core.commands.values import SetValue
from cyclorama.core.errors import ChangeError
from cyclorama.core.light.rows import carry, light_row
from cyclorama.core.light.shapes import CENTRE, HALF_U, NORMAL
from cyclorama.core.motion import at_rest, moment, poses_at
from cyclorama.core.motion.paths import lean
from cyclorama.core.scene import Aim, Path, PathPoint, Project, Row, Segment, new_project, put_all

FRAMES = 48


def studio(*segments: Segment, **values: object) -> Project:
    """A box on the disc that the camera looks at."""
    project = done(new_project("Carried"), AddItem(form="box"))
    rows = (Row(id="camera", segments=segments),) if segments else ()
    return put_all(project, {"shot/frames": FRAMES, "shot/rows": rows, "subject_id": None} | values)


def row_of(project: Project, frame: int, light: int = 0) -> np.ndarray:
    here = moment(project, frame)
    lamp = here.look.lights[light]
    travelled = 0.0 if lamp.id in here.light_at else float(here.around.lights_deg[0])
    row = light_row(lamp, np.array([lamp.aim.x_m, lamp.aim.y_m, lamp.aim.z_m]), travelled)
    if lamp.id in here.light_at:
        carry(row, here.light_at[lamp.id])
    return row


@pytest.mark.parametrize(
    "segments",
    [
        (Segment(id="a", kind="orbit"),),
        (Segment(id="a", kind="push", by_m=0.7), Segment(id="b", kind="rise", by_m=0.4)),
        (Segment(id="a", kind="pan", by_deg=30, tilt_deg=10), Segment(id="b", kind="roll", by_deg=40)),
    ],
)
def test_a_light_on_the_camera_stays_where_it_is_in_the_camera_s_space(segments: tuple[Segment, ...]) -> None:
    project = put_all(studio(*segments), {"look/lights/key/rides": "camera"})
    rest = at_rest(project, project.camera)
    at_first = None
    for frame in (1, 17, 40):
        camera = moment(project, frame).around.cameras[0]
        row = row_of(project, frame)
        local = (row[CENTRE : CENTRE + 3] - camera[:3, 3]) @ camera[:3, :3]
        facing = row[NORMAL : NORMAL + 3] @ camera[:3, :3]
        still = light_row(
            project.look.lights[0], np.array([0, project.look.lights[0].aim.y_m, 0]), 0.0
        )  # as it stands at rest
        told = (still[CENTRE : CENTRE + 3] - rest[:3, 3]) @ rest[:3, :3]
        assert local == pytest.approx(told, abs=1e-5)
        at_first = facing if at_first is None else at_first
        assert facing == pytest.approx(at_first, abs=1e-5)
        assert np.linalg.norm(row[HALF_U : HALF_U + 3]) == pytest.approx(0.4, abs=1e-5)


def test_on_an_orbit_the_camera_carries_a_light_as_the_rig_does() -> None:
    orbit = studio(Segment(id="a", kind="orbit"))
    alone = put_all(orbit, {"look/lights/key/rides": "camera"})
    rig = put_all(orbit, {"look/lights_travel_with": "camera"})
    for frame in (1, 7, 30):
        assert row_of(alone, frame) == pytest.approx(row_of(rig, frame), abs=1e-5)
    stays = put_all(rig, {"look/lights/key/rides": "set"})
    assert row_of(stays, 30) == pytest.approx(row_of(orbit, 1), abs=1e-6)
    assert row_of(stays, 30, 1) != pytest.approx(row_of(orbit, 1, 1), abs=1e-3)  # the others go with the rig


def test_lights_and_aims_go_along_with_a_thing_that_moves() -> None:
    project = studio()
    box = project.items[0].id
    project = done(
        project,
        SetKey(path=f"items/{box}/placement/x_m", frame=1, value=0.0),
        SetKey(path=f"items/{box}/placement/x_m", frame=FRAMES, value=1.0),
    )
    project = put_all(project, {"look/lights/key/rides": box, "look/lights/fill/aim": Aim(item=box)})
    first, last = (row_of(project, n)[CENTRE : CENTRE + 3] for n in (1, FRAMES))
    assert last - first == pytest.approx([1.0, 0.0, 0.0], abs=1e-5)
    first, last = (row_of(project, n, 1)[CENTRE : CENTRE + 3] for n in (1, FRAMES))
    assert last - first == pytest.approx([1.0, 0.0, 0.0], abs=1e-5)

    seen = put_all(project, {"camera/aim": Aim(item=box)})
    frames = np.array([0.0, FRAMES - 1.0])
    along = poses_at(seen, seen.shot, frames)
    assert along.cameras[1, :3, 3] - along.cameras[0, :3, 3] == pytest.approx([1.0, 0.0, 0.0], abs=1e-9)
    assert along.cameras[1, :3, :3] == pytest.approx(along.cameras[0, :3, :3])
    turns = put_all(seen, {"camera/follows": "turns"})
    after = poses_at(turns, turns.shot, frames)
    assert after.cameras[1, :3, 3] == pytest.approx(after.cameras[0, :3, 3])
    to_box = after.aims - after.cameras[:, :3, 3]
    ahead = -after.cameras[:, :3, 2]
    assert np.cross(to_box, ahead) == pytest.approx(np.zeros((2, 3)), abs=1e-9)  # it looks at it
    assert after.aims[1] - after.aims[0] == pytest.approx([1.0, 0.0, 0.0], abs=1e-9)


def test_things_ride_on_the_camera() -> None:
    project = studio(Segment(id="a", kind="arc", by_deg=120.0))
    box = project.items[0].id
    project = done(project, SetValue(path=f"items/{box}/rides", value="camera"))
    for frame in (1, 20, FRAMES):
        here = moment(project, frame)
        assert here.carriages[box] == "camera"
        at = here.carried("camera", here.around)[0]
        camera = here.around.cameras[0]
        assert np.linalg.inv(camera) @ at == pytest.approx(np.linalg.inv(at_rest(project, project.camera)), abs=1e-9)


def test_lights_come_back_to_the_rig_when_their_carrier_is_removed() -> None:
    project = studio()
    box = project.items[0].id
    project = done(project, SetValue(path="look/lights/key/rides", value=box), Remove(path=f"items/{box}"))
    assert project.look.lights[0].rides == "rig"
    with pytest.raises(ChangeError, match="not in this project"):
        done(project, SetValue(path="look/lights/key/rides", value="nowhere"))


def ring(turns: float, count: int = 24) -> Path:
    points = [2 * math.pi * turns * i / count for i in range(count)]
    return Path(
        id="p",
        name="P",
        closed=True,
        points=tuple(PathPoint(id=f"q{i}", x_m=math.sin(a), z_m=math.cos(a)) for i, a in enumerate(points)),
    )


def test_a_ride_leans_into_its_curves() -> None:
    shares = np.linspace(0, 1, 24, endpoint=False)
    assert lean(ring(1.0), shares) == pytest.approx(
        np.ones(24), abs=0.02
    )  # a circle turns alike everywhere, to the left
    assert lean(ring(-1.0), shares) == pytest.approx(-np.ones(24), abs=0.02)
    straight = Path(id="p", name="P", points=(PathPoint(id="a"), PathPoint(id="b", x_m=1.0)))
    assert lean(straight, shares) == pytest.approx(np.zeros(24), abs=1e-6)
