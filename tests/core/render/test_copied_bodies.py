"""Copies are traced as if each were a body of its own."""

import math

import numpy as np
import pytest
from tests.conftest import always, edited, exposed, png_of, project_of
from tests.core.render.test_glow import chequer

from cyclorama.core.commands import perform
from cyclorama.core.commands.copies import FreezeCopies
from cyclorama.core.commands.made_items import measure_made_item, with_made
from cyclorama.core.commands.moves import AddSegment
from cyclorama.core.errors import CycloramaError
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.geometry.primitives import build_made
from cyclorama.core.motion import moment
from cyclorama.core.render.compile import lights
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.picking import PickProbe
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.passes.rays import occlusion, wireframe
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Light, Made, Material, Placement, Project, TextureRef
from cyclorama.core.scene.copies import Copies

PICTURE = png_of(chequer(3))
MAP = TextureRef(asset=content_hash(PICTURE), name="chequer")
MATERIALS = {
    "even": Material(id="m", name="M", base_color=(0.6, 0.4, 0.2), specular_roughness=0.4),
    "chequered": Material(id="m", name="M", specular_roughness=0.4, maps={"base_color": MAP}),  # type: ignore[arg-type]
    "half there": Material(id="m", name="M", opacity=0.5),
    "glass": Material(id="m", name="M", transmission_weight=1.0, specular_roughness=0.0),
    "glowing": Material(id="m", name="M", emission_luminance=200.0),
}
SCATTERED = Copies(
    arrangement="scatter",
    count=40,
    spacing_m=0.05,
    radius_m=0.3,
    size_spread=0.8,
    turn_spread=1.0,
    lie="tumbled",
    seed=4,
)
FRAME = 7


def block() -> Mesh:
    return build_made(Made(form="box", width_m=0.09, depth_m=0.05, height_m=0.03, edge_m=0.004))


def studio(material: Material, copies: Copies, rides: str = "set") -> tuple[Project, dict[str, bytes]]:
    """A block with copies on the floor or on the disc, before the camera, lit by a panel."""
    project, assets = project_of(block(), material)
    panel = Light(id="key", name="Key", width_m=0.5, height_m=0.5, azimuth_deg=40, elevation_deg=50, distance_m=1.0)
    item = f"items/{project.items[0].id}"
    values = {
        f"{item}/copies": copies,
        f"{item}/rides": rides,
        f"{item}/placement": Placement(x_m=0.05, z_m=0.02, lift_m=0.02 if rides == "disc" else 0.0),
        "look/lights": (panel,),
        "set/sweep/on": True,
        "set/disc/on": rides == "disc",
        "set/disc/radius_m": 0.4,
        "camera/distance_m": 1.1,
        "camera/elevation_deg": 35.0,
        "camera/focal_mm": 60.0,
    }
    return edited(project, values), assets | {MAP.asset: PICTURE}


def compiled(project: Project, assets: dict[str, bytes], keep: str = "picture") -> FrameScene:
    return SceneCompiler(assets.__getitem__).compile(moment(project, FRAME), 72, 48, keep)  # type: ignore[arg-type]


def frozen(project: Project, assets: dict[str, bytes], tracer: Tracer) -> Project:
    """Each copy as an item."""
    eye = PickProbe(SceneCompiler(assets.__getitem__), tracer)
    return perform(project, FreezeCopies(item=project.items[0].id), always(None), eye)[0]


def spinning(project: Project, assets: dict[str, bytes], tracer: Tracer) -> Project:
    """The disc turns, and the shutter is always open."""
    eye = PickProbe(SceneCompiler(assets.__getitem__), tracer)
    project, _ = perform(project, AddSegment(move="spin", traveller="disc"), always(None), eye)
    return edited(project, camera__shutter_deg=360.0, shot__frames=24)


def agree(one: np.ndarray, other: np.ndarray) -> None:
    """Pictures of the same paths, but for a few that rounding led elsewhere."""
    scale = float(np.abs(other).mean())
    assert scale > 0
    off = np.abs(one - other).reshape(-1) / scale
    assert np.mean(off > 1e-2) < 0.03
    assert np.mean(one) == pytest.approx(np.mean(other), rel=5e-3)


@pytest.mark.parametrize("rides", ["set", "disc"])
@pytest.mark.parametrize("material", list(MATERIALS))
def test_copies_look_like_items(material: str, rides: str, tracer: Tracer) -> None:
    """On the disc, all of them turn while the shutter is open."""
    project, assets = studio(MATERIALS[material], SCATTERED, rides)
    if rides == "disc":
        project = spinning(project, assets, tracer)
    items = frozen(project, assets, tracer)
    assert len(items.items) > 20
    one, other = compiled(project, assets), compiled(items, assets)
    assert len(one.where.copies) == len(items.items)
    assert len(one.bodies) == len(other.bodies)
    of_one = len(block().triangles)
    assert len(other.geometry.corners) - len(one.geometry.corners) == (len(items.items) - 1) * of_one
    if material != "glowing":
        agree(exposed(tracer, one, 16).radiance, exposed(tracer, other, 16).radiance)
        return
    # shining triangles are drawn in another order, so that the noise is another
    ours, theirs = (exposed(tracer, scene, 256).radiance for scene in (one, other))
    coarse, expected = (picture.reshape(4, 12, 6, 12, 3).mean(axis=(1, 3)) for picture in (ours, theirs))
    np.testing.assert_allclose(coarse, expected, rtol=0.08, atol=0.02 * expected.mean())
    assert ours.mean() == pytest.approx(theirs.mean(), rel=0.005)


def test_passes_see_copies_as_one_item(tracer: Tracer) -> None:
    project, assets = studio(MATERIALS["even"], SCATTERED, "disc")
    project = spinning(project, assets, tracer)
    items = frozen(project, assets, tracer)
    one, other = compiled(project, assets, "passes"), compiled(items, assets, "passes")
    first, second = exposed(tracer, one, 8), exposed(tracer, other, 8)
    for name in ("position", "motion", "normal", "depth"):
        agree(getattr(first, name), getattr(second, name))
    subject = one.recording.subject_from
    assert set(np.unique(first.part)) == {0, 1, 2, subject + 1} - ({0} if first.coverage.min() == 1 else set())
    np.testing.assert_allclose(
        first.share_of(subject), sum(second.share_of(k) for k in range(2, 2 + len(items.items))), atol=0.02
    )
    for ours, theirs in ((occlusion(one, 4, 0.2, 1.0), occlusion(other, 4, 0.2, 1.0)),
                         (wireframe(one, 4, 1.5), wireframe(other, 4, 1.5))):  # fmt: skip
        for a, b in zip(ours, theirs, strict=True):
            agree(a, b)


def test_tints_differ_and_belong_to_one_material(tracer: Tracer) -> None:
    copies = SCATTERED.model_copy(update={"tint_spread": 1.0, "hue_spread": 1.0})
    project, assets = studio(MATERIALS["even"], copies)
    scene = compiled(project, assets, "passes")
    film = exposed(tracer, scene, 8)
    assert len(np.unique(np.round(scene.materials.values[4:, 1:4], 6), axis=0)) == 6
    assert set(np.unique(scene.materials.ranges[4:, 9])) == {3}
    colours = film.albedo[film.part == 3]
    assert np.ptp(colours, axis=0).min() > 0.3
    most = film.matte(1)[..., 0, 0]
    assert set(np.unique(most[film.part == 3])) <= {2, 4}  # sweep where it covers more, else the one material


def test_a_million_copies_take_the_room_of_their_poses(tracer: Tracer) -> None:
    copies = Copies(arrangement="scatter", count=1_000_000, spacing_m=0.0, radius_m=0.8, turn_spread=1.0)
    project, assets = studio(MATERIALS["even"], copies)
    project = edited(project, {f"items/{project.items[0].id}/placement/scale": 0.01})
    scene = compiled(project, assets)
    assert scene.where.copies.shape == (1_000_000, 12)
    assert len(scene.geometry.corners) < 50_000
    assert float(exposed(tracer, scene, 1).radiance.mean()) > 0


def test_too_many_glowing_copies_are_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lights, "MOST_SHINING", 1000)
    project, assets = studio(MATERIALS["glowing"], SCATTERED)
    with pytest.raises(CycloramaError, match="Too many copies shine"):
        compiled(project, assets)


def test_glowing_copies_give_light_by_their_size(tracer: Tracer) -> None:
    """Two panels in a row, one half as large: irradiance below them follows from area, cosines and distance."""
    project, assets = studio(MATERIALS["glowing"], Copies(count=2, spacing_m=0.4))
    scene = compiled(project, assets)
    one, two = (np.linalg.norm(p[:3]) for p in scene.where.copies[:, :3])
    assert (one, two) == pytest.approx((1.0, 1.0))
    area = 2 * (0.09 * 0.05 + 0.09 * 0.03 + 0.05 * 0.03)
    assert scene.lights.mesh_total == pytest.approx(2 * 200.0 * area, rel=0.06)
    assert math.isclose(scene.lights.mesh_share[-1], 1.0, rel_tol=1e-5)
    half = scene.lights.mesh_copy
    assert set(half.tolist()) == {0, 1}


def test_copies_lie_on_the_part_that_is_chosen() -> None:
    """Of a body of two parts, one above the other, grains lie on the upper one alone."""
    low, high = block(), block()
    both = Mesh(
        np.concatenate([low.vertices * [3, 1, 3], high.vertices + np.array([0, 0.2, 0])]).astype(np.float32),
        np.concatenate([low.normals, high.normals]),
        np.concatenate([low.uvs, high.uvs]),
        np.concatenate([low.triangles, high.triangles + len(low.vertices)]).astype(np.int32),
        np.repeat([0, 1], [len(low.triangles), len(high.triangles)]).astype(np.int32),
    )
    project, assets = project_of(both, MATERIALS["even"], MATERIALS["even"])
    carrier = project.items[0]
    project = with_made(project, "box", lambda item: measure_made_item(item.made) if item.made else None)
    grain = project.items[-1]
    small = Made(form="box", width_m=0.004, depth_m=0.004, height_m=0.004, edge_m=0.0)
    heights = {}
    for part in (None, carrier.parts[1].id):
        copies = Copies(arrangement="scatter", count=60, spacing_m=0.002, radius_m=0.3, part=part)
        values = {"made": small, "rides": carrier.id, "placement": Placement(), "copies": copies}
        there = edited(project, {f"items/{grain.id}/{name}": value for name, value in values.items()})
        scene = SceneCompiler(assets.__getitem__).compile(moment(there, FRAME), 16, 16)
        heights[part] = scene.where.copies.reshape(-1, 4, 3)[:, 3, 1]
    assert heights[None].min() < 0.1 < heights[None].max()
    assert heights[carrier.parts[1].id].min() > 0.2
