"""Subjects that bend: an animation that turns the whole mesh must give what turning the subject gives."""

import numpy as np
import pytest
from tests.conftest import edited, exposed, sphere
from tests.moving_models import Glb, about_y, turning

from cyclorama.core.geometry.cache_keys import Intake
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.passes.rays import occlusion, wireframe
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.scene import Material, MaterialMaps, Project, TextureRef, new_project

FRAME = 5
NOISE = TextureRef(pattern="noise", projection="triplanar", size_m=0.3)
SURFACES: dict[str, dict[str, object]] = {
    "plain": {},
    "rounded edges": {"edge_radius_m": 0.04},
    "grain": {"base_metalness": 1.0, "specular_roughness": 0.4, "specular_roughness_anisotropy": 0.8},
    "patterned": {"maps": MaterialMaps(base_color=NOISE, height=NOISE), "height_m": 0.02},
    "glowing": {"emission_luminance": 800.0},
    "with holes": {"maps": MaterialMaps(opacity=NOISE)},
}


def block() -> Mesh:
    """A box of 0.5 × 0.4 × 0.3 m with hard edges, a map on each side, a little off the axis."""
    sides = [
        np.roll(np.array([[1, y, z] for y in (-1, 1) for z in (-1, 1)]) * s, k, axis=1)
        for k in range(3)
        for s in (1, -1)
    ]
    corners = np.concatenate(sides)
    out = np.repeat([np.roll([s, 0, 0], k) for k in range(3) for s in (1, -1)], 4, axis=0)
    faces = []
    for f in range(6):
        for face in ([0, 1, 3], [0, 3, 2]):
            a, b, c = corners[4 * f + np.array(face)]
            faces.append(np.array(face if np.cross(b - a, c - a) @ out[4 * f] > 0 else face[::-1]) + 4 * f)
    uvs = np.tile([[0, 0], [0, 1], [1, 0], [1, 1]], (6, 1))
    return Mesh(
        (corners * [0.25, 0.2, 0.15] + [0.05, 0.2, 0]).astype(np.float32),
        out.astype(np.float32),
        uvs.astype(np.float32),
        np.array(faces, np.int32),
        np.zeros(12, np.int32),
    )


def holding(intake: Intake, materials: tuple[Material, ...]) -> Project:
    """A new project with a model on the set."""
    values = {"materials": materials, "items": (intake.item,), "subject_id": intake.item.id}
    return edited(new_project("Test"), values)


def two_ways(shutter_deg: float = 0.0, disc: bool = False, **surface: object) -> tuple[FrameScene, FrameScene]:
    """A frame of the block turned by the move, and turned by its own animation while the move holds."""
    intake = take_in({"rotor.glb": turning(block())})
    material = intake.materials[0].model_copy(update={"base_color": (0.6, 0.5, 0.4), **surface})
    project = holding(intake, (material,))
    values = {
        "shot/frames": 24,
        "set/sweep/on": False,
        "set/disc/on": disc,
        "shot/shoot/bounces": 3,
        "shot/shoot/passes/wanted": ["motion"],
        "camera/shutter_deg": shutter_deg,
        "aim": 0.2,
        "camera/distance_m": 2.5,
        "move": "spin",
        "subject/placement/centre_x_m": 0.0,
        "subject/placement/centre_z_m": 0.0,
        "subject/play/animation": None,
    }
    spun = edited(project, values)
    project = edited(spun, move="hold", subject__play__animation="animation-1")

    def compiled(p: Project) -> FrameScene:
        return SceneCompiler(intake.assets.__getitem__).compile(moment(p, 1 + FRAME), 96, 54, keep="passes")

    return compiled(spun), compiled(project)


@pytest.mark.parametrize("shutter", [0.0, 180.0])
@pytest.mark.parametrize("surface", list(SURFACES))
def test_turned_by_its_animation_it_looks_as_turned_by_the_move(tracer: Tracer, surface: str, shutter: float) -> None:
    """The same rays meet the same surfaces; while the shutter is open, arcs are a few straight pieces."""
    spun, bent = (exposed(tracer, scene, 32) for scene in two_ways(shutter, **SURFACES[surface]))
    assert spun.alpha.mean() > 0.05
    assert spun.radiance.max() > 10
    assert bent.alpha == pytest.approx(spun.alpha, abs=0.07)
    apart = np.abs(bent.radiance - spun.radiance).max(axis=2)
    assert np.quantile(apart, 0.98) < 0.02 * spun.radiance.max()
    assert bent.radiance.mean() == pytest.approx(spun.radiance.mean(), rel=5e-3)
    assert bent.albedo == pytest.approx(spun.albedo, abs=0.05)
    assert np.median(np.abs(bent.normal - spun.normal)) < 1e-3


def test_motion_places_and_passes_follow_what_bends(tracer: Tracer) -> None:
    spun, bent = two_ways()
    a, b = exposed(tracer, spun, 16), exposed(tracer, bent, 16)
    inside = a.alpha > 0.999
    assert np.abs(a.motion[inside]).max() > 3
    for name in ("motion", "motion_back", "rest", "position", "depth"):
        one, other = getattr(a, name)[inside], getattr(b, name)[inside]
        assert other == pytest.approx(one, abs=2e-3), name
    spun, bent = two_ways(disc=True)  # something that hides it from below
    for make in (lambda s: occlusion(s, 32, 0.5, 1.0), lambda s: wireframe(s, 16, 1.5)):
        (one, covered), (other, _) = make(spun), make(bent)
        assert np.abs(one - other)[covered > 0.99].mean() < 0.01
        assert one[covered > 0].std() > 0.02


def test_parts_without_animation_stay_as_they_are() -> None:
    """A subject of a turning and a standing part: only one of them is in the body that bends."""
    glb = Glb()
    rotor, _ = glb.node(mesh=glb.mesh(block()), name="Rotor"), glb.node(mesh=glb.mesh(sphere(0.2, 16)), name="Base")
    glb.animation("Turn", (rotor, "rotation", [0, 1], about_y([0, 90])))
    camera = glb.node(name="Camera")
    glb.animation("Fly", (camera, "translation", [0, 1], [[0, 0, 0], [9, 9, 9]]))
    intake = take_in({"rotor.glb": glb.to_bytes()})
    assert [a.name for a in intake.item.animations] == ["Turn"]
    project = holding(intake, intake.materials)
    scene = SceneCompiler(intake.assets.__getitem__).compile(moment(project, 7), 32, 18)
    assert scene.geometry.shapes.corners.shape[1] == 12
    assert (scene.geometry.part[scene.geometry.shapes.first :] == 2).all()
    assert scene.bodies[1].first_triangle == scene.geometry.shapes.first


def test_only_the_bending_body_is_built_anew() -> None:
    """Another frame brings another shape of what bends; the same frame, or an edit of a light, brings none."""
    intake = take_in({"rotor.glb": turning(block())})
    project = holding(intake, intake.materials)
    compiler = SceneCompiler(intake.assets.__getitem__)
    first, again = compiler.compile(moment(project, 1), 32, 18), compiler.compile(moment(project, 1), 64, 36)
    lit = edited(project, look__lights__key__strength_stops=1.0)
    brighter, later = compiler.compile(moment(lit, 1), 32, 18), compiler.compile(moment(lit, 9), 32, 18)
    assert len(first.bodies) == 2
    assert first.bodies[1] is again.bodies[1] is brighter.bodies[1]
    assert later.bodies[0] is first.bodies[0]
    assert later.bodies[1] is not first.bodies[1]
    assert later.geometry.corners is first.geometry.corners
