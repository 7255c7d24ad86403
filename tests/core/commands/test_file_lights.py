"""Cameras and lights of the model's file in the studio."""

import numpy as np
import pytest
from tests.conftest import always, edited, sphere
from tests.core.review.test_call_sheet import Blind
from tests.glb_files import document_of, packed

from cyclorama.core.commands import perform
from cyclorama.core.commands.file_lights import TakeCamera, TakeLight
from cyclorama.core.commands.place_model import put_on_set
from cyclorama.core.commands.standing import LayDown
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.placement import placement_matrix
from cyclorama.core.light.rows import direction, light_row
from cyclorama.core.light.shapes import CENTRE, NORMAL
from cyclorama.core.motion import aim_point, moment
from cyclorama.core.scene import Project, load_project, new_project
from cyclorama.demo.glb import GlbWriter

EYE = np.array([1.2, 0.9, 2.0])
DOWN = [-np.sqrt(0.5), 0.0, 0.0, np.sqrt(0.5)]
"""Turned a quarter about x: what looks along −z looks down."""


def room() -> Project:
    """A ball with a camera that looks at the ball's middle and is turned away in a second one, and three lights."""
    writer = GlbWriter()
    writer.part("ball", sphere(0.3, 24), writer.material("clay", (0.5, 0.5, 0.5)))
    document, chunk = document_of(writer.to_bytes())
    back = EYE / np.linalg.norm(EYE)
    right = np.cross([0, 1, 0], back)
    right /= np.linalg.norm(right)
    looking = np.eye(4)
    looking[:3, :3] = np.column_stack([right, np.cross(back, right), back])
    looking[:3, 3] = EYE
    document["cameras"] = [{"type": "perspective", "perspective": {"yfov": 0.5, "znear": 0.1}}]
    document["extensions"] = {
        "KHR_lights_punctual": {
            "lights": [
                {
                    "type": "spot",
                    "intensity": 900.0,
                    "color": [1, 0.5, 0.25],
                    "spot": {"outerConeAngle": 0.4, "innerConeAngle": 0.3},
                },
                {"type": "directional", "intensity": 5000.0},
                {"type": "point", "intensity": 40.0},
            ]
        }
    }
    document.setdefault("extensionsUsed", []).append("KHR_lights_punctual")
    spot = {"KHR_lights_punctual": {"light": 0}}
    added = [
        {"name": "Eye", "camera": 0, "matrix": looking.T.ravel().tolist()},
        {"name": "Away", "camera": 0, "translation": [0, 0, -2]},
        {"name": "Beam", "matrix": looking.T.ravel().tolist(), "extensions": spot},
        {"name": "Sun", "rotation": DOWN, "extensions": {"KHR_lights_punctual": {"light": 1}}},
        {"name": "Bulb", "translation": [0, 2, 0], "extensions": {"KHR_lights_punctual": {"light": 2}}},
    ]
    first = len(document["nodes"])
    document["nodes"] += added
    document["scenes"][0]["nodes"] += list(range(first, first + len(added)))
    intake = take_in({"room.glb": packed(document, chunk)})
    assert [(c.id, c.name) for c in intake.item.cameras] == [("camera-1", "Eye"), ("camera-2", "Away")]
    return put_on_set(new_project("Room"), intake, Blind())


def test_the_camera_stands_where_it_stood_and_sees_as_much() -> None:
    """Also after the subject was lifted onto its disc: the camera belongs to the file, and moves with it."""
    project = room()
    after, label = perform(project, TakeCamera(id="camera-1"), always(None), Blind())
    assert label == "Take the file's camera"
    assert project.subject is not None
    m = placement_matrix(project.subject.placement)
    pose = moment(after, after.shot.first_frame).around.cameras[0]
    assert pose[:3, 3] == pytest.approx(m[:3, :3] @ EYE + m[:3, 3])
    assert -pose[:3, 2] == pytest.approx(-EYE / np.linalg.norm(EYE), abs=1e-9)
    # a picture 16 : 9 as high as an angle of 0.5 rad; 36 mm are its longer side
    assert 18 / after.camera.focal_mm == pytest.approx(np.tan(0.25) * 16 / 9)
    tall = edited(project, shot__shoot__width=900, shot__shoot__height=1600)
    assert 18 / perform(tall, TakeCamera(id="camera-1"), always(None), Blind())[0].camera.focal_mm == pytest.approx(
        np.tan(0.25)
    )
    assert load_project(after.model_dump_json()) == after
    with pytest.raises(ChangeError, match="‘Away’ looks away"):
        perform(project, TakeCamera(id="camera-2"), always(None), Blind())
    with pytest.raises(ChangeError, match="No such camera"):
        perform(project, TakeCamera(id="nobody"), always(None), Blind())


def test_lights_stand_where_they_stood_and_shine_as_strongly() -> None:
    project = room()
    assert project.subject is not None
    placement = project.subject.placement
    for identity in ("light-1", "light-2", "light-3", "light-3"):
        project, _ = perform(project, TakeLight(id=identity), always(None), Blind())
    beam, sun, bulb, second = project.look.lights[-4:]
    m = placement_matrix(placement)
    middle = aim_point(project.camera.aim, project)
    row = light_row(beam, middle, 0.0)
    assert row[CENTRE : CENTRE + 3] == pytest.approx(m[:3, :3] @ EYE + m[:3, 3], abs=1e-6)
    assert row[NORMAL : NORMAL + 3] == pytest.approx(-EYE / np.linalg.norm(EYE), abs=1e-6)
    assert (beam.shape, beam.power, beam.power_unit, beam.colour) == ("spot", 900, "cd", (1, 0.5, 0.25))
    assert beam.cone_deg == pytest.approx(np.degrees(0.8))
    assert beam.edge == pytest.approx(0.25)
    assert (sun.shape, sun.power, sun.power_unit, sun.elevation_deg) == ("sun", 5000, "lx", 89)
    assert (bulb.name, second.name) == ("Bulb", "Bulb 2")
    assert bulb.width_m == pytest.approx(0.05 * bulb.distance_m)
    assert load_project(project.model_dump_json()) == project
    full = edited(project, look__lights=tuple(bulb.model_copy(update={"id": f"l{i}"}) for i in range(64)))
    with pytest.raises(ChangeError, match="64 lights on the set already"):
        perform(full, TakeLight(id="light-1"), always(None), Blind())


def test_they_turn_over_with_the_subject() -> None:
    project = room()
    intake = take_in({"ball.glb": _ball()})
    laid, _ = perform(project, LayDown(on="back"), always(intake.measures), Blind())
    assert laid.subject is not None
    after, _ = perform(laid, TakeLight(id="light-3"), always(None), Blind())
    m = placement_matrix(laid.subject.placement)
    light = after.look.lights[-1]
    at = aim_point(light.aim, after) + direction(light.azimuth_deg, light.elevation_deg) * light.distance_m
    assert at == pytest.approx(m[:3, :3] @ [0, 2, 0] + m[:3, 3], abs=1e-9)


def _ball() -> bytes:
    writer = GlbWriter()
    writer.part("ball", sphere(0.3, 24), writer.material("clay", (0.5, 0.5, 0.5)))
    return writer.to_bytes()
