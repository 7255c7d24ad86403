"""Even surfaces are shaded many at a time; one at a time, the same light must come of it."""

import dataclasses
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from tests.conftest import edited, exposed, project_of, sphere

from cyclorama.core.kernel import from_python
from cyclorama.core.light.shapes import LIGHT_COLUMNS
from cyclorama.core.material import batched
from cyclorama.core.material.row import COLUMNS, EVEN
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace import batched_steps, escaped_rays, light_sampling
from cyclorama.core.render.trace.block import make_block
from cyclorama.core.render.trace.direct import find_near
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Environment, Gobo, Light, Material, Project

LIGHTS = (
    {"shape": "rectangle"},
    {"shape": "rectangle", "grid_deg": 25.0},
    {"shape": "disc", "casts_shadows": False},
    {"shape": "disc", "seen_in_reflections": False},
    {"shape": "sphere", "width_m": 0.3},
    {"shape": "tube", "excluded_parts": ("part",)},
    {"shape": "spot", "gobo": Gobo(pattern="window", softness=0.4)},
    {"shape": "sun", "power_unit": "lx", "power": 2000.0},
)
PAINT = Material(
    id="m", name="Paint", base_color=(0.7, 0.4, 0.2), specular_color=(0.9, 1.0, 0.8), specular_roughness=0.2
)


def studio(lights: tuple[dict[str, object], ...], material: Material = PAINT) -> tuple[Project, SceneCompiler]:
    """A painted ball on the sweep."""
    project, assets = project_of(sphere(0.3, 24), material)
    placed = tuple(
        Light.model_validate({"id": f"l{k}", "name": f"L{k}", "azimuth_deg": 47.0 * k, "distance_m": 1.6} | values)
        for k, values in enumerate(lights)
    )
    wanted = ("lights", "components", "position", "motion", "objects")
    values = {
        "look/lights": placed,
        "shot/shoot/passes/wanted": wanted,
        "set/sweep/on": True,
        "look/environment": Environment(kind="sky", seen_by_camera=True),
    }
    return edited(project, values), SceneCompiler(assets.__getitem__)


def one_by_one(scene: FrameScene) -> FrameScene:
    values = scene.materials.values.copy()
    assert (values[:, EVEN] > 0).any()
    values[:, EVEN] = 0.0
    return dataclasses.replace(scene, materials=scene.materials._replace(values=values))


def same(a: Film, b: Film) -> None:
    """Within single precision; where rounding decides whether something is hit, one sample in very many may differ."""
    for name in ("sums", "apart", "places", "ids"):
        x, y = getattr(a, name), getattr(b, name)
        scale = np.abs(y).max() + 1e-9
        assert x.shape == y.shape
        assert (np.abs(x - y) > 1e-4 * np.abs(y) + 1e-5 * scale).mean() < 1e-3, name
    assert a.radiance.mean() == pytest.approx(b.radiance.mean(), rel=1e-4)


@pytest.mark.parametrize("lights", [LIGHTS, LIGHTS[:1], ()], ids=["all kinds", "one", "environment only"])
def test_many_at_a_time_are_as_one_at_a_time(tracer: Tracer, lights: tuple[dict[str, object], ...]) -> None:
    project, compiler = studio(lights)
    scene = compiler.compile(moment(project, 1), 72, 40, keep="passes")
    film = exposed(tracer, scene, 16)
    assert film.apart.shape[1] > 0
    assert film.radiance.mean() > 0
    same(film, exposed(tracer, one_by_one(scene), 16))


def test_only_surfaces_that_have_nothing_else_are_even() -> None:
    def is_even(**changes: object) -> bool:
        project, compiler = studio((), PAINT.model_copy(update=changes))
        return bool(compiler.compile(moment(project, 1), 8, 8).materials.values[-1, EVEN])

    assert is_even()
    assert is_even(specular_ior=1.0)
    for other in (
        {"base_metalness": 0.5},
        {"specular_roughness": 0.0},
        {"coat_weight": 0.1},
        {"opacity": 0.5},
        {"emission_luminance": 1.0},
        {"edge_radius_m": 0.001},
        {"transmission_weight": 0.2},
    ):
        assert not is_even(**other), other


ALL_OF_BLOCK = make_block()
STEPS: list[tuple[Callable[..., Any], tuple[Any, ...]]] = [
    (batched.prepare_wide, (np.zeros((1, COLUMNS)), 0, ALL_OF_BLOCK.numbers)),
    (batched.choose_directions, (ALL_OF_BLOCK.numbers,)),
    (batched.evaluate_wide, (np.zeros((1, COLUMNS)), 0, ALL_OF_BLOCK.numbers)),
    (batched_steps.draw_numbers, (3, ALL_OF_BLOCK.words, ALL_OF_BLOCK.numbers)),
    (batched_steps.meet_surface, (ALL_OF_BLOCK.numbers, ALL_OF_BLOCK.corners, ALL_OF_BLOCK.out)),
    (batched_steps.face_viewer, (ALL_OF_BLOCK.numbers,)),
    (batched_steps.bounce, (12, ALL_OF_BLOCK.numbers, ALL_OF_BLOCK.out)),
    (
        light_sampling.face_lights,
        (np.eye(3, dtype=np.float32), ALL_OF_BLOCK.numbers, ALL_OF_BLOCK.words, ALL_OF_BLOCK.spots),
    ),
    (
        light_sampling.lights_give,
        (
            np.zeros((2, LIGHT_COLUMNS), np.float32),
            np.linspace(0, 1, 5, dtype=np.float32),
            ALL_OF_BLOCK.numbers,
            ALL_OF_BLOCK.gives,
        ),
    ),
    (batched_steps.aim_at_panels, (ALL_OF_BLOCK.numbers, ALL_OF_BLOCK.panels, ALL_OF_BLOCK.light)),
    (batched_steps.turn_to_light, (ALL_OF_BLOCK.numbers, ALL_OF_BLOCK.out)),
    (batched_steps.weigh_light, (12, ALL_OF_BLOCK.numbers, ALL_OF_BLOCK.light, ALL_OF_BLOCK.out)),
    (find_near, (np.zeros((2, LIGHT_COLUMNS), np.float32), ALL_OF_BLOCK.numbers, ALL_OF_BLOCK.spots)),
    (escaped_rays.find_places, (np.eye(3, dtype=np.float32), ALL_OF_BLOCK.numbers)),
]


@pytest.mark.parametrize(("step", "arguments"), STEPS, ids=[step.__name__ for step, _ in STEPS])
def test_steps_are_worked_out_side_by_side(step: Callable[..., Any], arguments: tuple[Any, ...]) -> None:
    """LLVM's loop vectoriser has taken every step: nothing of it is against the rules of `core.batched`."""
    compiled: Any = from_python(step)
    compiled(*arguments)
    (text,) = compiled.inspect_llvm().values()
    assert "vector.body" in text
