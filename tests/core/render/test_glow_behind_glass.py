"""A glow behind glass is found on purpose: as bright as without that, with far less noise."""

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import diffuse, exposed, look_at, plane, scene_of, sphere

from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace.glow_targets import NO_TARGETS
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Material, TextureRef

NIT, ALBEDO, HIGH, RADIUS, INNER, OUTER = 900.0, 0.6, 0.5, 0.03, 0.1, 0.12
LAMP = Material(id="lamp", name="Lamp", base_color=(0, 0, 0), specular_ior=1.0, emission_luminance=NIT)
WHITE = TextureRef(pattern="noise", name="noise", size_m=1.0)
FLOORS = {"even": diffuse(ALBEDO), "mapped": diffuse(ALBEDO, maps={"coat_weight": WHITE})}


def glass(**more: object) -> Material:
    return Material(id="glass", name="Glass", transmission_weight=1.0, **({"specular_roughness": 0.0} | more))  # type: ignore[arg-type]


def globe(radius: float, part: int, inwards: bool = False) -> Mesh:
    ball = sphere(radius, 96)
    triangles = ball.triangles[:, ::-1] if inwards else ball.triangles
    normals = -ball.normals if inwards else ball.normals
    places = ball.vertices + np.float32([0, HIGH, 0])
    return Mesh(places, normals, ball.uvs, np.ascontiguousarray(triangles), np.full(len(triangles), part, np.int32))


def under_the_globe(clear: Material, floor: Material = FLOORS["even"], at: float = 0.0) -> FrameScene:
    """A floor that is seen so many metres beside a lamp in a globe of glass."""
    pieces = [plane(40.0), globe(RADIUS, 1), globe(OUTER, 2), globe(INNER, 2, inwards=True)]
    parts = np.concatenate([np.full(len(piece.triangles), piece.part[0], np.int32) for piece in pieces])
    mesh = replace(join(pieces), part=parts)
    camera = look_at((at + 0.8, 0.2, 0.0), (at, 0.0, 0.0), 0.002, 8)
    return scene_of(mesh, (floor, LAMP, clear), camera)


def seen(tracer: Tracer, scene: FrameScene, samples: int, pictures: int = 6) -> tuple[float, float, float]:
    """Mean radiance, the error of the mean, and the variance of a sample, of the green part."""
    ours = np.array([exposed(tracer, scene, samples, seed).radiance[..., 1] for seed in range(pictures)])
    return float(ours.mean()), float(ours.std(ddof=1) / math.sqrt(ours.size)), float(ours.var(ddof=1)) * samples


@pytest.mark.parametrize("floor", FLOORS)
@pytest.mark.parametrize("at", [0.0, 0.4])
def test_a_lamp_in_a_globe_lights_the_floor_by_its_solid_angle(tracer: Tracer, floor: str, at: float) -> None:
    """Glass of index 1 bends and reflects nothing, but every ray that is aimed at the lamp ends there."""
    scene = under_the_globe(glass(specular_ior=1.0), FLOORS[floor], at)
    assert len(scene.targets.balls) > 1
    d2 = HIGH**2 + at**2
    expected = ALBEDO * NIT * RADIUS**2 / d2 * HIGH / math.sqrt(d2)
    mean, error, _ = seen(tracer, scene, 512)
    assert error < 0.015 * expected  # or it says nothing
    assert abs(mean - expected) < 4 * error + 0.006 * expected  # the lamp's facets hide a little of the ball


@pytest.mark.parametrize(
    "clear", [glass(), glass(specular_roughness=0.3), glass(thin_walled=True)], ids=["polished", "frosted", "thin"]
)
def test_turning_to_a_glow_takes_noise_away_and_no_light(tracer: Tracer, clear: Material) -> None:
    scene = under_the_globe(clear, at=0.3)
    mean, error, variance = seen(tracer, scene, 512)
    known, chance, noise = seen(tracer, replace(scene, targets=NO_TARGETS), 4096)
    assert abs(mean - known) < 4 * math.hypot(error, chance)
    assert chance < 0.06 * known  # or it says nothing
    assert variance * 10 < noise


def test_nothing_is_turned_to_a_glow_that_no_glass_hides() -> None:
    assert len(under_the_globe(diffuse()).targets.balls) == 0


def test_targets_hold_the_glow_and_the_glass_before_it() -> None:
    targets = under_the_globe(glass()).targets
    middle = np.array([0.0, HIGH, 0.0])
    of_glow, of_glass = targets.balls[: targets.glowing], targets.balls[targets.glowing :]
    on_lamp = middle + RADIUS * np.array(
        [[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if x * x + y * y + z * z == 1]
    )
    for point in on_lamp:
        assert (np.linalg.norm(of_glow[:, :3] - point, axis=1) <= of_glow[:, 3]).any()
    assert len(of_glass) == 1
    assert np.linalg.norm(of_glass[0, :3] - middle) < 0.1 * INNER
    assert INNER * 0.95 < of_glass[0, 3] < OUTER * 1.05
    assert targets.balls[:, 4].sum() == pytest.approx(1.0, abs=1e-5)
