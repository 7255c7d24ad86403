"""What is laid onto surfaces: projections, adjusted maps, patterns, edges and decals, against closed forms."""

import math

import numpy as np
import pytest
from tests.conftest import diffuse, plane, png_of, project_of, sphere

from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.edges import curvature
from cyclorama.core.geometry.frames import item_frame
from cyclorama.core.geometry.primitives import build_made
from cyclorama.core.kernel import kernel
from cyclorama.core.material.layers import layer_pattern
from cyclorama.core.motion import moment
from cyclorama.core.picture.adjust import adjust_colours
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace.parameters import TextureSet
from cyclorama.core.render.trace.surface import sharpness
from cyclorama.core.scene import Made, Material, MaterialMaps, Placement, Project, TextureRef, put_all
from cyclorama.core.scene.surface_layer import Decal, SurfaceLayer
from cyclorama.core.textures import map_value

SIZE = 256
_X = (np.arange(SIZE) + 0.5) / SIZE
RAMPS = np.dstack([*np.meshgrid(_X * 255, _X * 255), np.zeros((SIZE, SIZE)), np.full((SIZE, SIZE), 255)]).astype(
    np.uint8
)
"""Red grows to the right, green downwards."""


@kernel
def _value(textures, index, at, p, n):  # type: ignore[no-untyped-def]
    return map_value(textures, index, at, p, n, 0.0)


def _looked_up(ref: TextureRef, p: tuple[float, ...], n: tuple[float, ...] = (0.0, 0.0, 1.0)) -> tuple[float, float]:
    textures = TextureSet(lambda _: png_of(RAMPS))
    index = textures.index_of(ref, False, frame=item_frame(Placement()))
    r, g, _ = _value(textures.shelf.arrays(), index, (0.0,) * 11, p, n)
    return r, g


def _ref(projection: str, **more: float) -> TextureRef:
    return TextureRef(asset="a" * 32, projection=projection, **more)  # type: ignore[arg-type]


def test_a_plane_a_cylinder_and_a_ball_are_unrolled_as_they_are() -> None:
    near = pytest.approx
    assert _looked_up(_ref("planar", size_m=2.0), (0.5, 0.25, 9.0)) == near((0.75, 0.375), abs=0.01)
    # turned a quarter about the upright axis it looks along x, and what was to the right lies to the back
    assert _looked_up(_ref("planar", size_m=2.0, turn_deg=90.0), (9.0, 0.25, -0.5)) == near((0.75, 0.375), abs=0.01)
    assert _looked_up(_ref("planar", size_m=2.0, tip_deg=90.0), (0.5, 9.0, -0.25)) == near((0.75, 0.375), abs=0.01)
    assert _looked_up(_ref("planar", size_m=1.0, at_x_m=3.0, at_y_m=1.0), (3.2, 1.0, 0.0)) == near((0.7, 0.5), abs=0.01)
    for turn in (30.0, 200.0, 340.0):
        a = math.radians(turn)
        p = (0.3 * math.sin(a), 0.1, 0.3 * math.cos(a))
        across = (turn / 360 + 0.5) % 1.0
        assert _looked_up(_ref("cylinder", size_m=0.8), p) == near((across, 0.375), abs=0.01)
        up = math.radians(20.0)
        q = (2 * math.sin(a) * math.cos(up), 2 * math.sin(up), 2 * math.cos(a) * math.cos(up))
        assert _looked_up(_ref("sphere"), q) == near((across, 70 / 180), abs=0.01)
    box = _ref("box", size_m=2.0)
    assert _looked_up(box, (0.5, 0.25, 1.0), (0.1, 0.0, 0.9)) == near((0.75, 0.375), abs=0.01)
    assert _looked_up(box, (1.0, 0.25, -0.5), (0.9, 0.0, 0.1)) == near((0.75, 0.375), abs=0.01)
    assert _looked_up(box, (-0.5, 0.25, -1.0), (0.0, 0.1, -0.9)) == near((0.75, 0.375), abs=0.01)


def test_a_ball_has_no_pole_where_all_columns_meet() -> None:
    """Round the top, values change no more than the place does; unrolled alone they would take every value there."""
    ref = _ref("sphere", scale_u=1.0)
    for y in (1.0, -1.0):
        around = [_looked_up(ref, (0.02 * math.sin(a), y, 0.02 * math.cos(a))) for a in np.linspace(0, 6.28, 24)]
        assert np.ptp(around, axis=0).max() < 0.03


def test_decals_go_along_with_their_item() -> None:
    placed = Placement(x_m=0.4, z_m=-0.2, lift_m=0.3, turn_deg=70.0)
    frame = np.array(item_frame(placed)).reshape(3, 4)
    turned = np.radians(70.0)
    own = np.array([0.1, 0.2, 0.3])
    at = [
        0.4 + own[0] * np.cos(turned) + own[2] * np.sin(turned),
        0.3 + own[1],
        -0.2 - own[0] * np.sin(turned) + own[2] * np.cos(turned),
    ]
    assert frame[:, :3] @ at + frame[:, 3] == pytest.approx(own)


def test_a_map_is_adjusted_as_told_and_kept_as_it_is() -> None:
    rng = np.random.default_rng(1)
    pixels = rng.integers(0, 256, (20, 30, 4)).astype(np.uint8)
    assert (adjust_colours(pixels, 0.0, 1.0, 0.0, 1.0) == pixels).all()
    there_and_back = adjust_colours(adjust_colours(pixels // 2 + 60, 40.0, 1.0, 0.0, 1.0), -40.0, 1.0, 0.0, 1.0)
    assert np.abs(there_and_back[..., :3].astype(int) - (pixels // 2 + 60)[..., :3]).mean() < 2.5
    grey = adjust_colours(pixels, 0.0, 0.0, 0.0, 1.0)
    assert np.ptp(grey[..., :3].astype(int), axis=2).max() <= 1
    assert (grey[..., 3] == pixels[..., 3]).all()
    middle = np.full((2, 2, 4), 118, np.uint8)  # linear 0.18
    assert int(adjust_colours(middle, 0.0, 1.0, 0.0, 2.5)[0, 0, 0]) == pytest.approx(118, abs=1)
    assert int(adjust_colours(middle, 0.0, 1.0, 1.0, 1.0)[0, 0, 0]) == pytest.approx(161, abs=1)  # 0.36


@pytest.mark.parametrize("kind", ["scratches", "fingerprints", "dust", "edge wear", "smudges"])
def test_a_pattern_covers_the_share_it_is_told_and_has_no_seam(kind: str) -> None:
    grey = layer_pattern(kind)[..., 0] / 255.0  # type: ignore[arg-type]
    for amount in (0.1, 0.5):
        assert (grey > 1 - amount).mean() == pytest.approx(amount, abs=0.01)
    across = np.abs(grey[:, 0] - grey[:, -1]).mean()
    assert across < 1.6 * np.abs(np.diff(grey, axis=1)).mean()


@kernel
def _sharp(edges, triangle, p, flat):  # type: ignore[no-untyped-def]
    return sharpness(edges, triangle, p, flat, 0.0)


def test_edges_stand_out_and_hollows_do_not() -> None:
    ball = sphere(0.25, 128)
    inside = np.linalg.norm(ball.vertices[:, [0, 2]], axis=1) > 0.05  # the poles are fans of slivers
    assert curvature(ball.vertices, ball.triangles)[inside] == pytest.approx(4.0, rel=0.03)
    hollow = curvature(ball.vertices, ball.triangles[:, ::-1])
    assert hollow[inside] == pytest.approx(-4.0, rel=0.03)
    worn = Material(
        id="Diffuse", name="Worn", layers=(SurfaceLayer(id="w", kind="edge wear", where="edges", reach_m=0.02),)
    )
    box = build_made(Made(form="box", width_m=1.0, depth_m=1.0, height_m=1.0, edge_m=0.0))
    project, assets = project_of(box, worn.model_copy(update={"id": "m"}))
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, 1), 8, 8)
    t = scene.geometry.corners
    for away in (0.01, 0.03):
        p = np.array([0.5 - away, 1.0, 0.1])
        found = [
            _sharp(scene.geometry.edges, i, tuple(p), (0.0, 1.0, 0.0))
            for i in range(len(t))
            if abs(t[i, [1, 4, 7]] - 1.0).max() < 1e-5
        ]
        assert max(found) == pytest.approx(1 / away, rel=0.01)


def _picture(tracer: Tracer, project: Project, assets: dict[str, bytes]) -> np.ndarray:
    """Albedo (64, 64, 3) of the scene."""
    film = Film(64, 64)
    tracer.expose(film, SceneCompiler(assets.__getitem__).compile(moment(project, 1), 64, 64), 8)
    return np.asarray(film.albedo)


def test_a_decal_lies_where_it_is_put_in_its_size_and_no_deeper(tracer: Tracer) -> None:
    """Half of it is red, half is clear; seen from above on a plane."""
    pixels = np.zeros((32, 64, 4), np.uint8)
    pixels[:, :32] = 255, 0, 0, 255
    picture = png_of(pixels)
    project, assets = project_of(plane(2.0), diffuse(0.5))
    key = content_hash(picture)
    decal = Decal(
        id="d", name="D", asset=key, at_x_m=0.2, azimuth_deg=0.0, elevation_deg=90.0, width_m=0.8, depth_m=0.1
    )
    project = put_all(
        project,
        {
            "items/item-1/decals": (decal,),
            "camera/aim/y_m": 0.0,
            "camera/elevation_deg": 89.0,
            "camera/azimuth_deg": 0.0,
            "camera/distance_m": 4.0,
            "camera/focal_mm": 72.0,
            "shot/shoot/width": 64,
            "shot/shoot/height": 64,
        },
    )
    seen = _picture(tracer, project, assets | {key: picture})
    red = seen[..., 0] - seen[..., 1] > 0.3
    half = 4.0 * 18.0 / 72.0  # so much of the plane is seen to each side, m
    rows, columns = np.nonzero(red)
    x, z = (columns + 0.5) / 32 * half - half, (rows + 0.5) / 32 * half - half
    assert (x.min(), x.max()) == pytest.approx((-0.2, 0.2), abs=0.06)
    assert (z.min(), z.max()) == pytest.approx((-0.2, 0.2), abs=0.06)
    away = put_all(project, {"items/item-1/decals/d/at_y_m": 0.2})
    assert np.ptp(_picture(tracer, away, assets | {key: picture}), axis=2).max() < 0.05
    turned = put_all(project, {"items/item-1/placement/turn_deg": 180.0, "items/item-1/placement/x_m": 0.1})
    rows, columns = np.nonzero((s := _picture(tracer, turned, assets | {key: picture}))[..., 0] - s[..., 1] > 0.3)
    assert ((columns + 0.5) / 32 * half - half).mean() == pytest.approx(0.1, abs=0.05)


def test_a_layer_takes_its_share_of_colour_and_a_project_without_one_is_as_it_was(tracer: Tracer) -> None:
    layer = SurfaceLayer(id="l", kind="dust", amount=1.0, colour=(0.9, 0.1, 0.1), colour_share=0.5, strength=0.8)
    project, assets = project_of(plane(2.0), diffuse(0.5))
    project = put_all(project, {"camera/elevation_deg": 80.0, "camera/aim/y_m": 0.0})
    plain = _picture(tracer, project, assets)
    laid = put_all(project, {f"materials/{project.materials[0].id}/layers": (layer,)})
    covered = _picture(tracer, laid, assets)[32, 32]
    assert covered == pytest.approx([0.5 + 0.4 * 0.4, 0.5 - 0.4 * 0.4, 0.5 - 0.4 * 0.4], abs=0.02)
    off = put_all(laid, {f"materials/{project.materials[0].id}/layers/l/on": False})
    assert (_picture(tracer, off, assets) == plain).all()
    lying = MaterialMaps(base_color=TextureRef(pattern="noise", projection="triplanar", size_m=0.3))
    mapped = put_all(project, {f"materials/{project.materials[0].id}/maps": lying})
    moved = put_all(mapped, {"items/item-1/placement/x_m": 0.13, "camera/aim/x_m": 0.13})
    assert _picture(tracer, moved, assets) == pytest.approx(_picture(tracer, mapped, assets), abs=0.02)


def test_a_picture_on_the_sweep_is_bent_from_the_wall_over_the_floor(tracer: Tracer) -> None:
    """A square one, red above and blue below, 4 m wide on a wall of 1.5 m: red ends on the floor, 0.5 m before it."""
    pixels = np.full((64, 64, 4), 255, np.uint8)
    pixels[:32, :, 1:3], pixels[32:, :, :2] = 0, 0
    picture = png_of(pixels)
    key = content_hash(picture)
    project, assets = project_of(sphere(0.01, 16), diffuse(0.5))
    project = put_all(project, {
        "set/sweep/on": True, "set/sweep/form": "straight", "set/sweep/width_m": 4.0, "set/sweep/depth_m": 4.0,
        "set/sweep/height_m": 1.5, "set/sweep/fillet_m": 0.0, "set/sweep/picture": key,
        "set/sweep/color": (1.0, 1.0, 1.0), "camera/aim/y_m": 0.0, "camera/aim/z_m": -1.5, "camera/elevation_deg": 89.0,
        "camera/azimuth_deg": 0.0, "camera/distance_m": 4.0, "camera/focal_mm": 144.0, "shot/shoot/width": 64,
        "shot/shoot/height": 64,
    })  # fmt: skip
    seen = _picture(tracer, project, assets | {key: picture})
    rows = np.nonzero((seen[:, 32, 0] > seen[:, 32, 2])[:-1] & (seen[:, 32, 0] < seen[:, 32, 2])[1:])[0]
    z = (rows[0] + 1) / 32 * (4.0 * 18.0 / 144.0) - 4.0 * 18.0 / 144.0 - 1.5
    assert z == pytest.approx(-1.5, abs=0.05)
