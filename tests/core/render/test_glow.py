"""Glowing surfaces light others as they are seen: by their maps, through their coats, not where they are holes."""

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import diffuse, edited, exposed, item_of, look_at, plane, png_of

from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace.camera_rays import CameraRays
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Material, TextureRef, new_project

NIT, ALBEDO, HALF, HEIGHT = 500.0, 0.6, 0.6, 0.8
SIDE = 8
EYE, AT = (0.5, 0.6, 1.4), (0.15, 0.0, 0.1)


def chequer(channels: int) -> np.ndarray:
    """(8, 8) squares, the bright ones where row and column are both even or both odd."""
    squares = (np.add.outer(np.arange(SIDE), np.arange(SIDE)) % 2 == 0) * 255
    return np.repeat(np.repeat(np.repeat(squares[..., None], channels, 2), 32, 0), 32, 1)


PICTURE = png_of(chequer(3))
KEY = content_hash(PICTURE)
MAP = TextureRef(asset=KEY, name="chequer")


def lamp(**more: object) -> Material:
    return Material(id="lamp", name="Lamp", base_color=(0, 0, 0), specular_ior=1.0, emission_luminance=NIT, **more)  # type: ignore[arg-type]


def half_lit(x: np.ndarray, z: np.ndarray) -> np.ndarray:
    u, v = (x / HALF + 1) / 2 * SIDE, (z / HALF + 1) / 2 * SIDE
    return ((np.floor(u) + np.floor(v)) % 2 == 0).astype(float)


def evenly(x: np.ndarray, z: np.ndarray) -> np.ndarray:
    return np.ones_like(x)


TINT = (0.9, 0.5, 0.2)
CASES = {
    "plain": (lamp(), evenly, (1, 1, 1)),
    "chequered": (lamp(maps={"emission_color": MAP}), half_lit, (1, 1, 1)),
    "cut out": (lamp(maps={"opacity": MAP.model_copy(update={"channel": "r"})}), half_lit, (1, 1, 1)),
    "half there": (lamp(opacity=0.5), lambda x, z: 0.5 * evenly(x, z), (1, 1, 1)),
    "coated": (lamp(coat_weight=1.0, coat_color=TINT), evenly, TINT),
    "thinly coated, chequered": (
        lamp(coat_weight=0.5, coat_color=TINT, maps={"emission_color": MAP}),
        half_lit,
        tuple(0.5 + 0.5 * c for c in TINT),
    ),
}


def under_the_lamp(material: Material, floor: Material, camera: CameraRays) -> FrameScene:
    """A floor that is seen, and a square that glows and looks down on it."""
    lamp_mesh = plane(2 * HALF, HEIGHT)
    uvs = (lamp_mesh.vertices[:, [0, 2]] / HALF + 1) / 2
    down = lamp_mesh.triangles[:, ::-1]
    part = np.zeros(2, np.int32)
    lamp_mesh = Mesh(lamp_mesh.vertices, -lamp_mesh.normals, uvs.astype(np.float32), np.ascontiguousarray(down), part)
    mesh = join([plane(40.0), lamp_mesh])
    data = mesh.to_bytes()
    key = content_hash(data)
    item = item_of(key, *((m.id, m.id) for m in (floor, material)))
    project = edited(
        new_project("Lamp"),
        {
            "materials": (floor, material),
            "items": (item,),
            "subject_id": item.id,
            "look/lights": (),
            "set/sweep/on": False,
            "set/disc/on": False,
        },
    )
    compiler = SceneCompiler({key: data, KEY: PICTURE}.__getitem__)
    scene = compiler.compile(moment(project, 1), camera.width, camera.height)
    return replace(scene, camera=camera, max_bounces=0)


def expected(shape, tint: tuple[float, ...]) -> np.ndarray:  # type: ignore[no-untyped-def]
    """Radiance of the floor at AT: ∫ E cos θ cos θ′ / r² dA over the lamp by the midpoint rule."""
    n = 1600
    s = (np.arange(n) + 0.5) / n * 2 * HALF - HALF
    x, z = np.meshgrid(s, s)
    r2 = (x - AT[0]) ** 2 + HEIGHT**2 + (z - AT[2]) ** 2
    irradiance = (shape(x, z) * NIT * HEIGHT**2 / r2**2).sum() * (2 * HALF / n) ** 2
    return np.array(tint) * irradiance * ALBEDO / math.pi


@pytest.mark.parametrize("floor", ["even", "mapped"])
@pytest.mark.parametrize("name", CASES)
def test_a_lamp_lights_the_floor_as_it_is_seen(tracer: Tracer, name: str, floor: str) -> None:
    """On a floor that is shaded side by side with others, and on one that is shaded alone."""
    material, shape, tint = CASES[name]
    white = TextureRef(pattern="noise", name="noise", size_m=1.0)
    ground = diffuse(ALBEDO, maps={"coat_weight": white} if floor == "mapped" else {})
    scene = under_the_lamp(material, ground, look_at(EYE, AT, 0.001, 8))
    ours = np.array([exposed(tracer, scene, 512, seed).radiance.mean(axis=(0, 1)) for seed in range(6)])
    error = ours.std(axis=0, ddof=1) / math.sqrt(6)
    assert (np.abs(ours.mean(axis=0) - expected(shape, tint)) < 4 * error + 0.004 * ours.mean(axis=0)).all()
    assert (error < 0.02 * ours.mean(axis=0)).all()  # or it says nothing


@pytest.mark.parametrize("name", ["chequered", "cut out", "coated"])
def test_aiming_at_a_lamp_and_meeting_it_agree(tracer: Tracer, name: str) -> None:
    """With one more bounce the light comes both ways, weighted against each other."""
    material, shape, tint = CASES[name]
    scene = under_the_lamp(material, diffuse(ALBEDO), look_at(EYE, AT, 0.001, 8))
    both = replace(scene, max_bounces=1)
    ours = np.array([exposed(tracer, both, 1024, seed).radiance.mean(axis=(0, 1)) for seed in range(6)])
    error = ours.std(axis=0, ddof=1) / math.sqrt(6)
    # the floor sees nothing else that could send light back: the lamp is black
    assert (np.abs(ours.mean(axis=0) - expected(shape, tint)) < 4 * error + 0.006 * ours.mean(axis=0)).all()
