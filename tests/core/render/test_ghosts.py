"""Neighbouring frames leave no ghosts: what turns, shines or lets light through is where it is, and only there."""

import dataclasses

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation
from tests.conftest import edited, item_of, project_of, sphere

from cyclorama.core.geometry.build import lathe
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.picture.view_transform import to_display
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Light, Material, Project
from cyclorama.shoot.frames.pipeline import FrameMaker

UP = np.float32([0, 0.2, 0])
DARK = Material(id="dark", name="Dark", base_color=(0.03, 0.03, 0.04), specular_roughness=0.15)
PALE = Material(id="pale", name="Pale", base_color=(0.8, 0.75, 0.6), specular_roughness=0.15)
BRASS = Material(id="pale", name="Brass", base_color=(0.9, 0.7, 0.4), base_metalness=1.0, specular_roughness=0.25)
GLASS = Material(id="pale", name="Glass", transmission_weight=1.0, specular_roughness=0.0)


def chequered_ball() -> Mesh:
    """A ball in fields of two paints."""
    ball = sphere(0.18, 96)
    middle = ball.vertices[ball.triangles].mean(axis=1)
    around = np.arctan2(middle[:, 2], middle[:, 0]) // (np.pi / 8)
    up = np.arcsin(np.clip(middle[:, 1] / 0.18, -1, 1)) // (np.pi / 8)
    return dataclasses.replace(ball, part=((around + up) % 2).astype(np.int32))


def wire_cage() -> Mesh:
    """Thin rings through both poles, so that most of what is seen is what lies behind."""
    turn = np.linspace(0, 2 * np.pi, 13)
    ring = lathe(np.stack([0.18 + 0.006 * np.cos(turn), 0.006 * np.sin(turn)], axis=1), 96, 60)
    rings = []
    for angle in np.linspace(0, 180, 6, endpoint=False):
        r = Rotation.from_euler("xy", [90, angle], degrees=True)
        rings.append(
            dataclasses.replace(
                ring,
                vertices=r.apply(ring.vertices).astype(np.float32),
                normals=r.apply(ring.normals).astype(np.float32),
            )
        )
    return dataclasses.replace(joined := join(rings), part=np.zeros(len(joined.triangles), np.int32))


def ribbed_glass() -> Mesh:
    """A ball of glass with ribs from pole to pole."""
    ball = sphere(0.18, 144)
    x, z = ball.vertices[:, 0], ball.vertices[:, 2]
    around, apart = np.arctan2(z, x), 0.04
    wide = 1 + apart * np.cos(12 * around)
    slope = -12 * apart * np.sin(12 * around) / wide
    n = ball.normals
    normals = np.stack([n[:, 0] + slope * n[:, 2], n[:, 1], n[:, 2] - slope * n[:, 0]], axis=1)
    vertices = np.stack([x * wide, ball.vertices[:, 1], z * wide], axis=1)
    unit = normals / np.linalg.norm(normals, axis=1, keepdims=True)
    return dataclasses.replace(ball, vertices=vertices.astype(np.float32), normals=unit.astype(np.float32))


def turning(mesh: Mesh, *materials: Material) -> tuple[Project, SceneCompiler]:
    """Something on a turning disc, before a sweep, in hard and soft light."""
    mesh = dataclasses.replace(mesh, vertices=mesh.vertices + UP)
    project, _ = project_of(mesh, materials[0])
    data = mesh.to_bytes()
    item = item_of(content_hash(data), *((m.name, m.id) for m in materials))
    lights = (
        Light(id="key", name="Key", azimuth_deg=60, elevation_deg=40, distance_m=1.2, width_m=0.3, height_m=0.3),
        Light(id="fill", name="Fill", azimuth_deg=-50, distance_m=1.5, strength_stops=-1),
    )
    project = edited(project, {
        "materials": materials, "items": (item,), "subject_id": item.id, "look/lights": lights, "set/sweep/on": True,
        "aim": 0.2, "camera/distance_m": 1.3, "shot/frames": 72, "move": "spin", "look/tone/ev100": 9.5,
        "shot/shoot/width": 84, "shot/shoot/height": 62, "shot/shoot/denoise": True, "shot/shoot/caustics": "soft",
    })  # fmt: skip
    return project, SceneCompiler({content_hash(data): data}.__getitem__)


@pytest.mark.parametrize("what", ["chequered ball", "wire cage", "ribbed glass"])
def test_no_ghost_of_another_frame_is_in_a_frame(tracer: Tracer, what: str) -> None:
    """The error of a frame with neighbours has no part of what other frames show and this one does not."""
    mesh, materials = {
        "chequered ball": (chequered_ball(), (PALE, DARK)),
        "wire cage": (wire_cage(), (BRASS,)),
        "ribbed glass": (ribbed_glass(), (GLASS,)),
    }[what]
    project, compiler = turning(mesh, *materials)
    number = 20

    def shown(n: int, samples: int, neighbours: bool) -> NDArray[np.float64]:
        asked = edited(project, shot__shoot__samples=samples, shot__shoot__denoise_neighbours=neighbours)
        picture = FrameMaker(asked, asked.shot.frame_numbers, compiler, tracer).make(n).picture
        return np.asarray(to_display(picture, "neutral"), np.float64).mean(axis=2)

    calm, alone = shown(number, 12, True), shown(number, 12, False)
    truth = shown(number, 192, False)
    for k in (-1, 2):
        apart = shown(number + k, 192, False) - truth
        moves = np.abs(apart) > 0.03
        assert moves.sum() > 100

        def part(
            picture: NDArray[np.float64], apart: NDArray[np.float64] = apart, moves: NDArray[np.bool_] = moves
        ) -> float:
            """How much of the other frame is in a picture, by least squares."""
            return float((picture - truth)[moves] @ apart[moves] / (apart[moves] @ apart[moves]))

        assert abs(part(calm) - part(alone)) < 0.1  # a frame that is cleaned alone is blurred a little, too
        assert part(0.8 * calm + 0.2 * (truth + apart)) - part(alone) > 0.1  # a fifth of it would be found
    assert np.abs(calm - truth).mean() < 1.1 * np.abs(alone - truth).mean()
