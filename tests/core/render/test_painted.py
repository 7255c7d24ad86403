"""What a mesh brings besides positions: colours of its vertices, a second set of coordinates, maps that go on
differently across and down."""

import dataclasses

import numpy as np
import pytest
from tests.conftest import diffuse, exposed, look_at, plane, png_of, project_of, scene_of

from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Material, MaterialMaps, TextureRef

FROM_ABOVE = look_at((0, 4, 0.0), (0, 0, 0), 0.25, 32)
"""Sees the square from −1 to 1 of the ground: a row of its picture lies along x, further down is further to +z."""
SQUARE = plane(2.0)
"""Corners in the order (−1, −1), (−1, 1), (1, 1), (1, −1) of x and z."""


def painted(colours: list[list[float]]) -> Mesh:
    return dataclasses.replace(SQUARE, colours=np.array(colours, np.float32))


def albedo_of(tracer: Tracer, mesh: Mesh, material: Material, pictures: dict[str, bytes]) -> np.ndarray:
    project, assets = project_of(mesh, material)
    scene = SceneCompiler((assets | pictures).__getitem__).compile(moment(project, 1), 32, 32)
    return exposed(tracer, dataclasses.replace(scene, camera=FROM_ABOVE), 64).albedo


def test_vertex_colours_are_mixed_over_the_triangle_and_multiplied(tracer: Tracer) -> None:
    """A ramp in red along x and in green along z, on a surface of 0.5."""
    mesh = painted([[0, 0, 1, 1], [0, 1, 1, 1], [1, 1, 1, 1], [1, 0, 1, 1]])
    seen = albedo_of(tracer, mesh, diffuse(0.5, vertex_colours=True), {})
    ramp = (np.arange(32) + 0.5) / 32
    inside = slice(2, -2)  # at the edges there is something of what lies behind
    assert seen[inside, inside, 0] == pytest.approx(np.tile(0.5 * ramp, (32, 1))[inside, inside], abs=0.02)
    assert seen[inside, inside, 1] == pytest.approx(np.tile(0.5 * ramp[:, None], (1, 32))[inside, inside], abs=0.02)
    plain = albedo_of(tracer, mesh, diffuse(0.5), {})
    assert plain[inside, inside] == pytest.approx(0.5, abs=1e-3)


@pytest.mark.parametrize("coloured", [False, True])
def test_vertex_opacity_lets_light_and_shadow_rays_through(tracer: Tracer, coloured: bool) -> None:
    """A quarter opaque everywhere: of a white surroundings' light three quarters come through unchanged, and the white
    sheet itself returns the rest."""
    mesh = painted([[1, 1, 1, 0.25]] * 4)
    scene = scene_of(mesh, diffuse(0.0, vertex_colours=coloured), FROM_ABOVE, environment=100.0)
    assert scene.has_holes == coloured
    scene = dataclasses.replace(scene, lights=scene.lights._replace(env_seen=True))
    film = exposed(tracer, scene, 400)
    assert film.radiance.mean() == pytest.approx(75.0 if coloured else 0.0, abs=1.5)


def test_a_map_lies_on_the_set_that_it_names(tracer: Tracer) -> None:
    """Black and white halves: by the first set across x, by the second across z; density is the second's own."""
    halves = png_of(np.repeat(np.repeat([[0], [255]], 16, axis=0).reshape(1, 32, 1), 3, axis=2).repeat(32, axis=0))
    across = np.array([[0, 0], [0, 1], [1, 1], [1, 0]], np.float32)
    mesh = dataclasses.replace(SQUARE, uvs=across, more_uvs=np.ascontiguousarray(across[:, ::-1]))
    key = content_hash(halves)
    for uv_set in (0, 1):
        ref = TextureRef(asset=key, name="halves", uv_set=uv_set)  # type: ignore[arg-type]
        seen = albedo_of(tracer, mesh, diffuse(1.0, maps=MaterialMaps(base_color=ref)), {key: halves})[..., 0]
        seen = seen if uv_set == 0 else seen.T
        assert seen[2:-2, 5:13].max() < 0.02
        assert seen[2:-2, 19:27].min() > 0.98


def test_maps_go_on_differently_across_and_down(tracer: Tracer) -> None:
    """A picture twice across and down: mirrored across, held at its last row below."""
    rows = np.zeros((16, 16, 3), np.uint8)
    rows[:, 8:, 0], rows[8:, :, 1] = 255, 255
    data = png_of(rows)
    uvs = np.array([[0, 0], [0, 2], [2, 2], [2, 0]], np.float32)
    mesh = dataclasses.replace(SQUARE, uvs=uvs)
    ref = TextureRef(asset=content_hash(data), name="corner", wrap="mirror", wrap_down="clamp")
    seen = albedo_of(tracer, mesh, diffuse(1.0, maps=MaterialMaps(base_color=ref)), {content_hash(data): data})
    assert [round(float(seen[4, x, 0])) for x in (3, 12, 20, 28)] == [0, 1, 1, 0]
    assert [round(float(seen[y, 4, 1])) for y in (3, 12, 20, 28)] == [0, 1, 1, 1]


def test_a_normal_map_leans_along_its_own_set(tracer: Tracer) -> None:
    """Red leans the normal along growing u: with the second set turned by a quarter it leans the other way."""
    data = png_of(np.tile([218, 128, 218], (4, 4, 1)))
    across = np.array([[0, 0], [0, 1], [1, 1], [1, 0]], np.float32)
    mesh = dataclasses.replace(SQUARE, uvs=across, more_uvs=np.ascontiguousarray(across[:, ::-1]))
    leans = []
    for uv_set in (0, 1):
        ref = TextureRef(asset=content_hash(data), name="lean", uv_set=uv_set)  # type: ignore[arg-type]
        project, assets = project_of(mesh, diffuse(1.0, maps=MaterialMaps(normal=ref)))
        scene = SceneCompiler((assets | {content_hash(data): data}).__getitem__).compile(moment(project, 1), 32, 32)
        leans.append(exposed(tracer, dataclasses.replace(scene, camera=FROM_ABOVE), 4).normal.mean(axis=(0, 1)))
    assert leans[0] == pytest.approx([0.707, 0.707, 0], abs=0.02)
    assert leans[1] == pytest.approx([0, 0.707, 0.707], abs=0.02)
