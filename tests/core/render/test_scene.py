"""From document to picture: what is kept between edits, moving bodies, maps, emission, lens."""

import dataclasses
import math

import numpy as np
import pytest
from tests.conftest import (
    diffuse,
    edited,
    exposed,
    look_at,
    plane,
    png_of,
    project_of,
    rect,
    scene_of,
    sphere,
    with_rows,
)

from cyclorama.core.errors import NotFoundError
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.material.row import BASE, EMISSION
from cyclorama.core.motion import moment, moments_over
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.denoise import denoise, guide
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.meter import meter_subject
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Gobo, Light, Material, MaterialMaps, Project, TextureRef

KEY = Light(id="key", name="Key", role="key", azimuth_deg=30, elevation_deg=40, distance_m=2)


def bump() -> Mesh:
    """Something without any symmetry: a ball pulled out of shape, off the axis."""
    ball = sphere(0.3, 48)
    v = ball.vertices * np.float32([1.0, 1.4, 0.6]) + np.float32([0.2, 0.5, 0.1])
    n = ball.normals / np.float32([1.0, 1.4, 0.6])
    return Mesh(v, n / np.linalg.norm(n, axis=1, keepdims=True), ball.uvs, ball.triangles, ball.part)


def studio(
    mesh: Mesh | None = None, material: Material | None = None, **values: object
) -> tuple[Project, dict[str, bytes]]:
    project, assets = project_of(mesh or bump(), material or diffuse(0.6))
    return edited(edited(project, look__lights=(KEY,)), **values), assets


def shot(tracer: Tracer, project: Project, assets: dict[str, bytes], frame: int, samples: int = 64) -> Film:
    film = Film(64, 36)
    tracer.expose(film, SceneCompiler(assets.__getitem__).compile(moment(project, frame), 64, 36), samples)
    return film


def test_edits_rebuild_only_what_they_touch() -> None:
    project, assets = studio()
    compiler = SceneCompiler(assets.__getitem__)
    first = compiler.compile(moment(project, 1), 32, 18)

    def after(path: str, value: object) -> tuple[bool, bool]:
        scene = compiler.compile(moment(edited(project, {path: value}), 7), 32, 18)  # type: ignore[arg-type]
        kept = scene.bodies[0] is first.bodies[0], scene.materials is first.materials
        compiler.compile(moment(project, 1), 32, 18)
        return kept

    assert after("look/lights/key/strength_stops", 2.0) == (True, True)
    assert after("camera/azimuth_deg", 50.0) == (True, True)
    assert after("look/tone/ev100", 3.0) == (True, True)
    first = compiler.compile(moment(project, 1), 32, 18)
    assert after("materials/m/base_metalness", 1.0) == (True, False)
    first = compiler.compile(moment(project, 1), 32, 18)
    assert after("subject/placement/turn_deg", 20.0)[0] is False
    first = compiler.compile(moment(project, 1), 32, 18)
    assert after("set/sweep/on", True)[0] is False


def test_gobo_pictures_are_unpacked_once_a_frame(tracer: Tracer) -> None:
    """Edits of the light leave its gobo's picture alone; the next frame of a sequence brings the next picture."""
    project, assets = studio()
    dark, bright = (png_of(np.full((4, 4, 3), level, np.uint8)) for level in (0, 255))
    assets |= {"dark": dark, "bright": bright}
    light = KEY.model_copy(update={"gobo": Gobo(pictures=("dark", "bright"), softness=0.0, tiles=True)})
    project = edited(project, look__lights=(light,))
    read: list[str] = []

    def reading(key: str) -> bytes:
        read.append(key)
        return assets[key]

    compiler = SceneCompiler(reading)

    def unpacked(p: Project, frame: int) -> tuple[list[str], float]:
        read.clear()
        film = Film(32, 18)
        tracer.expose(film, compiler.compile(moment(p, frame), 32, 18), 4)
        return [key for key in read if key in ("dark", "bright")], float(film.radiance.sum())

    assert unpacked(project, 1) == (["dark"], 0.0)
    stronger = edited(project, look__lights__key__strength_stops=2.0)
    turned = edited(stronger, look__lights__key__gobo__rotation_deg=30.0)
    for after in (stronger, turned):
        assert unpacked(after, 1) == ([], 0.0)
    pictures, light_seen = unpacked(turned, 2)
    assert pictures == ["bright"]
    assert light_seen > 0.0
    assert unpacked(turned, 3) == ([], 0.0)  # it is still there
    tube = edited(project, look__lights__key__shape="tube")
    assert unpacked(tube, 1)[1] > 0.0  # which shines to all sides: what was dark in the beam of a panel is lit
    assert unpacked(edited(tube, look__lights__key__shape="rectangle"), 1)[1] == 0.0


def test_spinning_the_subject_is_orbiting_the_camera(tracer: Tracer) -> None:
    """With a light that travels with the camera and no set, both moves show the same picture."""
    orbit = shot(tracer, *studio(move="orbit", shot__frames=12, look__lights_travel_with="camera"), frame=5)
    spin = shot(tracer, *studio(move="spin", shot__frames=12, turns=-1), frame=5)
    still = shot(tracer, *studio(move="hold", shot__frames=12), frame=5)
    # sampled directions turn with the surface's own frame, so single samples differ and means agree
    assert np.abs(orbit.radiance - spin.radiance).mean() < 0.01 * orbit.radiance.mean()
    assert np.abs(orbit.radiance - still.radiance).mean() > 0.2 * orbit.radiance.mean()
    assert np.abs(orbit.alpha - spin.alpha).mean() < 1e-3


def test_spinning_disc_and_set_stay_apart(tracer: Tracer) -> None:
    """With a set the subject is a body of its own; frame 1 of a spin is what an orbit shows in frame 1."""
    more = {"set__sweep__on": True, "set__disc__on": True, "shot__frames": 8}
    orbit = shot(tracer, *studio(move="orbit", **more), frame=1)
    spin = shot(tracer, *studio(move="spin", **more), frame=1)
    assert np.isclose(orbit.radiance, spin.radiance, rtol=1e-3, atol=1e-3).mean() > 0.97
    assert 0 < spin.subject.sum() < spin.alpha.sum()


def test_turning_the_environment_is_turning_everything_else(tracer: Tracer) -> None:
    rng = np.random.default_rng(4)
    picture = rng.random((16, 32, 3)).astype(np.float32) ** 4
    picture[:, 5:12] += 3.0
    data = encode_exr(picture)
    key = content_hash(data)

    def lit(rotation: float, start: float, turn: float) -> np.ndarray:
        project, assets = studio(
            camera__azimuth_deg=start, subject__placement__turn_deg=turn, look__environment__rotation_deg=rotation
        )
        project = edited(project, look__environment__asset=key, look__lights=())
        return shot(tracer, project, assets | {key: data}, 1, 256).radiance

    base, turned, only = lit(0, 0, 0), lit(40, 40, 40), lit(40, 0, 0)
    assert np.abs(base - turned).mean() < 0.02 * base.mean()
    assert np.abs(base - only).mean() > 0.2 * base.mean()


def mapped_plane() -> Mesh:
    """2 m square that looks up; the picture's top edge lies at −z, its left edge at −x."""
    v = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]], np.float32)
    uv = np.array([[0, 0], [0, 1], [1, 1], [1, 0]], np.float32)
    n = np.tile(np.float32([0, 1, 0]), (4, 1))
    return Mesh(v, n, uv, np.array([[0, 1, 2], [0, 2, 3]], np.int32), np.zeros(2, np.int32))


def seen(tracer: Tracer, material: Material, assets: dict[str, bytes], pixels: int = 16) -> Film:
    """The mapped plane from straight above, −z at the top of the picture, under an even sky of 1 nit."""
    project, own = project_of(mapped_plane(), material)
    scene = SceneCompiler((own | assets).__getitem__).compile(moment(project, 1), pixels, pixels)
    bare = scene_of(
        mapped_plane(), diffuse(), look_at((0, 10, 0), (0, 0, 0), 0.1, pixels), environment=1.0, max_bounces=1
    )
    return exposed(tracer, dataclasses.replace(bare, materials=scene.materials, textures=scene.textures), 128)


def test_maps_lie_the_right_way_round_and_are_decoded(tracer: Tracer) -> None:
    pixels = np.zeros((2, 2, 3), np.uint8)
    pixels[0, 0], pixels[0, 1], pixels[1, 0] = (188, 0, 0), (0, 188, 0), (0, 0, 188)  # 188 is 0.5029 linear
    data = png_of(pixels)
    material = diffuse(1.0, maps=MaterialMaps(base_color=TextureRef(asset=content_hash(data), wrap="clamp")))
    film = seen(tracer, material, {content_hash(data): data})
    places = {"top left": (1, 1), "top right": (1, 14), "bottom left": (14, 1), "bottom right": (14, 14)}
    corners = {name: film.radiance[place] for name, place in places.items()}
    assert corners["top left"] == pytest.approx([0.5029, 0, 0], abs=0.02)
    assert corners["top right"] == pytest.approx([0, 0.5029, 0], abs=0.02)
    assert corners["bottom left"] == pytest.approx([0, 0, 0.5029], abs=0.02)
    assert corners["bottom right"] == pytest.approx([0, 0, 0], abs=0.02)


@pytest.mark.parametrize(
    ("value", "expected"),
    [((128, 128, 255), (0, 1, 0)), ((218, 128, 218), (0.7071, 0.7071, 0)), ((128, 218, 218), (0, 0.7071, -0.7071))],
    ids=["flat", "towards +u", "towards the top of the picture"],
)
def test_normal_maps_follow_gltf(tracer: Tracer, value: tuple[int, int, int], expected: tuple[float, ...]) -> None:
    """Red bends towards growing u (here +x), green towards the top of the picture (here −z)."""
    data = png_of(np.full((4, 4, 3), value, np.uint8))
    bent = diffuse(maps=MaterialMaps(normal=TextureRef(asset=content_hash(data))))
    film = seen(tracer, bent, {content_hash(data): data})
    assert film.normal[8, 8] == pytest.approx(expected, abs=0.01)


def test_cut_outs_are_holes_for_camera_and_alpha(tracer: Tracer) -> None:
    pixels = np.full((64, 64, 4), 255, np.uint8)
    pixels[:, :32, 3] = 0
    data = png_of(pixels)
    ref = TextureRef(asset=content_hash(data), wrap="clamp")
    alpha = ref.model_copy(update={"channel": "a"})
    material = diffuse(maps=MaterialMaps(base_color=ref, opacity=alpha), opacity_cutoff=0.5)
    film = seen(tracer, material, {content_hash(data): data})
    assert film.alpha[8, 3] == 0
    assert film.alpha[8, 12] == 1


def test_a_glowing_ball_shows_its_luminance_and_lights_the_floor(tracer: Tracer) -> None:
    glowing = diffuse(0.0, emission_luminance=700.0, emission_color=(1.0, 0.5, 0.25))
    film = exposed(tracer, scene_of(sphere(0.5), glowing, look_at((0, 0, 3), (0, 0, 0), 0.1, 8)), 4)
    assert film.radiance[4, 4] == pytest.approx([700, 350, 175], rel=1e-4)
    # a ball of radius r, its middle h above the floor: E = π L (r / h)²
    ball = sphere(0.2, 64)
    both = Mesh(
        np.concatenate([ball.vertices + np.float32([0, 1, 0]), plane().vertices]),
        np.concatenate([ball.normals, plane().normals]),
        np.concatenate([ball.uvs, plane().uvs]),
        np.concatenate([ball.triangles, plane().triangles + len(ball.vertices)]),
        np.zeros(len(ball.triangles) + 2, np.int32),
    )
    scene = scene_of(both, diffuse(0.5), look_at((0, 0.5, 0.001), (0, 0, 0), 0.01, 8), max_bounces=1)
    rows = np.vstack([scene.materials.values, scene.materials.values[-1:]])
    rows[-1, BASE : BASE + 3], rows[-1, EMISSION : EMISSION + 3] = 0.0, 700.0
    scene = with_rows(scene, rows, slice(0, len(ball.triangles)))
    expected = 0.5 / math.pi * math.pi * 700 * 0.2**2
    assert float(exposed(tracer, scene, 4096).radiance.mean()) == pytest.approx(expected, rel=0.02)


def test_circle_of_confusion(tracer: Tracer) -> None:
    """A far point of light behind the focus spreads to a disc of diameter A·(d − f) / d · (1 / f) in tangents."""
    focus, far, radius = 2.0, 6.0, 0.05
    camera = look_at((0, 0, 0), (0, 0, -1), 0.1, 128)._replace(lens_radius=radius, focus=focus)
    spark = sphere(0.005, 24)
    spark = Mesh(spark.vertices + np.float32([0, 0, -far]), spark.normals, spark.uvs, spark.triangles, spark.part)
    film = exposed(tracer, scene_of(spark, diffuse(0.0, emission_luminance=1e5), camera), 2048)
    lit = film.alpha > 0
    tangent = 2 * radius * (1 / focus - 1 / far)
    diameter_px = tangent / 0.1 * 128 / 2
    assert math.sqrt(lit.sum() * 4 / math.pi) == pytest.approx(diameter_px, rel=0.08)


def test_denoise_comes_nearer_to_the_truth(tracer: Tracer) -> None:
    scene = scene_of(
        bump(),
        diffuse(0.7),
        look_at((0, 0.6, 3), (0.2, 0.5, 0), 0.25, 96),
        rect((0, 2, 1), 1.5, 1.5, 800),
        environment=20.0,
    )
    noisy, truth = exposed(tracer, scene, 8), exposed(tracer, scene, 2048, 9).radiance
    before = np.abs(noisy.radiance - truth).mean()
    after = np.abs(denoise(noisy) - truth).mean()
    assert after < 0.5 * before
    clean = denoise(noisy)
    assert clean.shape == truth.shape
    assert clean.mean() == pytest.approx(noisy.radiance.mean(), rel=0.02)
    for edge in (clean[-1] - truth[-1], clean[0] - truth[0], clean[:, -1] - truth[:, -1]):
        assert np.abs(edge).mean() < 1.5 * np.abs(clean - truth).mean() + 0.01 * truth.mean()  # no weaker at the border


def test_metering_reads_the_light_not_the_paint(tracer: Tracer) -> None:
    """In the same light two balls get the same exposure, though one gives twice as much back."""
    found = []
    for albedo in (0.2, 0.4):
        project, assets = studio(mesh=sphere(0.4, 48), material=diffuse(albedo))
        found.append(meter_subject(moments_over(project, 4), SceneCompiler(assets.__getitem__), tracer))
    assert found[0] is not None
    assert found[1] == pytest.approx(found[0], abs=0.2)


def test_metering_follows_the_light(tracer: Tracer) -> None:
    project, assets = studio(mesh=sphere(0.4, 48), material=diffuse(0.5))
    ev = meter_subject(moments_over(project, 4), SceneCompiler(assets.__getitem__), tracer)
    brighter = edited(project, look__lights__key__strength_stops=2.0)
    more = meter_subject(moments_over(brighter, 4), SceneCompiler(assets.__getitem__), tracer)
    assert ev is not None
    assert more == pytest.approx(ev + 2, abs=0.01)
    dark = edited(project, look__lights__key__on=False)
    assert meter_subject(moments_over(dark, 4), SceneCompiler(assets.__getitem__), tracer) is None


def test_a_missing_file_is_told() -> None:
    project, _ = studio()

    def gone(key: str) -> bytes:
        raise NotFoundError(f"gone: {key}")

    with pytest.raises(NotFoundError):
        SceneCompiler(gone).compile(moment(project, 1), 16, 16)


def test_guides_keep_their_signs_and_lose_their_noise() -> None:
    """Normals of a roof: left half to one side, right half to the other, with the noise of edges and few samples."""
    rng = np.random.default_rng(3)
    truth = np.zeros((64, 96, 3), np.float32)
    truth[:, :48], truth[:, 48:] = (-0.8, 0.6, 0.0), (0.0, -0.6, 0.8)
    noisy = truth + rng.normal(0, 0.05, truth.shape).astype(np.float32)
    found = guide("normal", noisy)
    assert np.abs(found - truth)[:, 4:44].mean() < 0.25 * np.abs(noisy - truth).mean()
    assert found[32, 20] == pytest.approx(truth[32, 20], abs=0.02)
    assert found[32, 70] == pytest.approx(truth[32, 70], abs=0.02)
    flat = np.clip(0.5 + rng.normal(0, 0.05, truth.shape), 0, 1).astype(np.float32)
    assert guide("albedo", flat).std() < 0.2 * flat.std()


@pytest.mark.parametrize("place", [(40, 60), (63, 30), (0, 70), (32, 0), (20, 95), (62, 50)])
def test_a_single_bright_pixel_is_noise_at_the_border_too(place: tuple[int, int]) -> None:
    """A firefly goes, wherever it is; its light is not spread into a spot that can be seen."""
    film = Film(96, 64)
    film.count[:] = 1
    picture = 1 + 0.1 * np.random.default_rng(0).normal(size=(64, 96, 3))
    picture[place] = 60.0
    film.sums[:, :3], film.sums[:, 3:6], film.sums[:, 7] = picture.reshape(-1, 3), 0.5, 1.0
    assert denoise(film).max() < 1.35
