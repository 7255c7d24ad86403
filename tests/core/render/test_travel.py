"""Lights and surroundings that travel with the camera travel while the shutter is open, too.

A camera that goes round with all its lights sees what a camera that stands sees of a subject that turns the other way.
"""

import numpy as np
import pytest
from tests.conftest import diffuse, edited, exposed, project_of, sphere

from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.motion import moment
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Background, Environment, Gobo, Light, Material, Project

METAL = Material(id="m", name="Metal", base_metalness=1, base_color=(0.9, 0.8, 0.6), specular_roughness=0.12)
SAMPLES = 256
SKY = np.repeat(np.random.default_rng(2).random((16, 32, 3)).astype(np.float32) ** 6, 1, 0)
SKY_FILE = encode_exr(SKY, bits=32)
KEY = content_hash(SKY_FILE)


def off_centre() -> Mesh:
    """A large ball and one that stands before it and throws its shadow on it."""
    large, small = sphere(0.4, 64), sphere(0.15, 48)
    moved = Mesh(small.vertices + np.float32([0.45, 0.25, 0.3]), small.normals, small.uvs, small.triangles, small.part)
    mesh = join([large, moved])
    return Mesh(mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles, np.zeros_like(mesh.part))


def light(shape: str, **more: object) -> Light:
    name = f"lamp-{shape}"
    return Light(
        id=name,
        name=name,
        shape=shape,
        azimuth_deg=50,
        elevation_deg=25,
        distance_m=2.0,  # type: ignore[arg-type]
        width_m=0.3,
        height_m=0.3,
        seen_by_camera=True,
        **more,
    )


SHINING: dict[str, tuple[tuple[Light, ...], Environment]] = {
    "panel": ((light("rectangle"),), Environment()),
    "spot with a gobo": ((light("spot", gobo=Gobo(pattern="blinds"), cone_deg=50),), Environment()),
    "ball and tube": ((light("sphere"), light("tube", roll_deg=70)), Environment()),
    "sun": ((light("sun", power=2e4, power_unit="lx"),), Environment()),
    "environment": ((), Environment(asset=KEY, travels_with="camera", seen_by_camera=True)),
    "environment behind": ((), Environment(asset=KEY, travels_with="camera")),
    "sky with its sun": ((), Environment(kind="sky", travels_with="camera")),
}


def shown(project: Project, assets: dict[str, bytes], tracer: Tracer, values: dict[str, object]) -> np.ndarray:
    project = edited(project, values)
    compiler = SceneCompiler((assets | {KEY: SKY_FILE}).__getitem__)
    film = exposed(tracer, compiler.compile(moment(project, 1), 64, 48), SAMPLES)
    return film.radiance + (1 - film.alpha[..., None]) * compiler.background(moment(project, 1), 64, 48)


@pytest.mark.parametrize(
    ("name", "material"),
    [*((name, METAL) for name in SHINING), *((name, diffuse(0.7)) for name in SHINING if "environment" not in name)],
)
def test_travelling_with_the_lights_is_turning_the_subject(tracer: Tracer, name: str, material: Material) -> None:
    lights, environment = SHINING[name]
    project, assets = project_of(off_centre(), material)
    behind = {"look/background": Background(kind="environment")} if name == "environment behind" else {}
    project = edited(project, {"look/lights": lights, "look/environment": environment} | behind)
    shutter = {
        "camera/shutter_deg": 180.0,
        "camera/distance_m": 2.5,
        "aim": 0.05,
        "camera/focal_mm": 50.0,
        "shot/frames": 9,
        "shot/first_frame": 1,
    }
    round_it = shutter | {"move": "orbit", "look/lights_travel_with": "camera", "turns": -1}
    turning = shutter | {"move": "spin", "look/lights_travel_with": "set", "turns": 1}
    ours = shown(project, assets, tracer, round_it)
    same = shown(project, assets, tracer, turning)
    still = shown(project, assets, tracer, turning | {"camera/shutter_deg": 0.0})
    blur = np.abs(still - same).mean()
    assert blur > 0.004 * same.mean()  # or it says nothing
    assert np.abs(ours - same).mean() < 0.1 * blur
