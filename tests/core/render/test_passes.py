"""What is shot besides the beauty: mattes, catcher, occlusion, wireframe, clay, files, and denoising over time."""

import dataclasses
import io
import itertools
import json
import math

import numpy as np
import pytest
import tifffile
from PIL import Image
from scipy.ndimage import gaussian_filter, map_coordinates
from tests.conftest import diffuse, edited, look_at, plane, project_of, scene_of, sphere

from cyclorama.core.framing import Projection
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.geometry.polygons import split_quads
from cyclorama.core.motion import moment
from cyclorama.core.picture.cryptomatte import id_as_float, matte_channels, murmur3_32, name_id
from cyclorama.core.picture.exposure import expose
from cyclorama.core.picture.exr import read_layers
from cyclorama.core.picture.files import encode_display
from cyclorama.core.picture.light_mix import light_layers, mix_lights
from cyclorama.core.render.compile.background import with_background
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.beauty import bare_floor, beauty, caught
from cyclorama.core.render.film.denoise import denoise
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.frame import expose_frame
from cyclorama.core.render.film.temporal_denoise import SETTLED, FrameHistory, Neighbours, without_colour
from cyclorama.core.render.film.tracer import Tracer, film_for
from cyclorama.core.render.passes.outputs import pass_extension, pass_files
from cyclorama.core.render.passes.rays import occlusion, wireframe
from cyclorama.core.scene import Background, Light, Material, Passes, Project
from cyclorama.core.scene.shoot import PassName

ALL: tuple[PassName, ...] = (
    "lights",
    "components",
    "albedo",
    "normal",
    "position",
    "depth",
    "motion",
    "objects",
    "materials",
    "catcher",
    "occlusion",
    "wireframe",
    "clay",
)


def studio(**shoot: object) -> tuple[Project, SceneCompiler]:
    """A ball on a sweep, lit from the side, seen by an orbiting camera."""
    ball = sphere(0.2, 64)
    ball = Mesh(ball.vertices + np.float32([0, 0.2, 0]), ball.normals, ball.uvs, ball.triangles, ball.part)
    project, assets = project_of(
        ball, Material(id="m", name="Paint", base_color=(0.6, 0.3, 0.2), specular_roughness=0.4)
    )
    lights = (
        Light(id="key", name="Key", azimuth_deg=60, elevation_deg=40, distance_m=1.2, width_m=0.4, height_m=0.4),
        Light(id="fill", name="Fill", azimuth_deg=-50, distance_m=1.5, strength_stops=-2),
    )
    values = {
        "look/lights": lights,
        "set/sweep/on": True,
        "aim": 0.2,
        "camera/distance_m": 1.6,
        "shot/frames": 48,
        "shot/shoot/width": 96,
        "shot/shoot/height": 64,
        "shot/shoot/samples": 16,
        "look/tone/ev100": 9.5,
        "shot/shoot/denoise": False,
    } | {f"shot/shoot/{name}": value for name, value in shoot.items()}
    project = edited(project, values)
    return project, SceneCompiler(assets.__getitem__)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("", 0),
        ("hello", 0x248BFA47),
        ("hello, world", 0x149BBB7F),
        ("The quick brown fox jumps over the lazy dog", 0x2E4FF723),
    ],
)
def test_murmur_hash_known_values(text: str, expected: int) -> None:
    assert murmur3_32(text.encode()) == expected


def test_mattes_cover_the_picture_and_name_their_parts(tracer: Tracer) -> None:
    project, compiler = studio(passes=Passes(wanted=("objects", "materials")))
    film = expose_frame(moment(project, 1), compiler, tracer)
    files = {f.name: f for f in pass_files(moment(project, 1), film, film.radiance, compiler, tracer)}
    channels = read_layers(files["objects"].data, "objects")
    covering = sum(channels[f"objects{k:02d}.{c}"] for k in range(3) for c in "GA")
    assert np.abs(covering - film.alpha).max() < 1e-5
    ids = channels["objects00.R"]
    ball = film.subject > 0.99
    assert (ids[ball] == id_as_float(name_id("Part"))).all()
    assert (ids[film.subject == 0] == id_as_float(name_id("Sweep"))).all()
    ranked = film.matte(0)
    _, header = matte_channels("objects", ranked, ("Sweep", "Disc", "Part"))
    manifest = json.loads(next(v for k, v in header.items() if k.endswith("manifest")))
    assert manifest["Part"] == f"{name_id('Part'):08x}"


def test_catcher_over_the_empty_set_is_the_picture(tracer: Tracer) -> None:
    """Within 2 % (here: rounding), darker than the set where the shadow lies, opaque on the subject."""
    project, compiler = studio(samples=64)
    full = expose_frame(moment(project, 1), compiler, tracer)
    empty = expose_frame(bare_floor(moment(project, 1)), compiler, tracer)
    picture, alpha = caught(full.radiance, empty.radiance, full.subject)
    over = picture + (1 - alpha[..., None]) * empty.radiance
    assert np.abs(over - full.radiance).mean() < 0.02 * full.radiance.mean()
    assert alpha[full.subject > 0.999].min() > 0.999
    assert picture.min() > -1e-3 * full.radiance.max()
    floor = full.subject == 0
    assert 0.15 < alpha[floor].max() <= 1
    assert np.median(alpha[floor]) < 0.15
    # the composite over another background, against a full render in front of it
    bright = np.full_like(empty.radiance, 3 * float(empty.radiance.mean()))
    shadowed = (1 - alpha[..., None]) * bright + picture
    assert (shadowed[floor] <= 1.02 * bright[floor] + picture[floor]).all()


@pytest.mark.parametrize("seen", [True, False])
def test_a_clear_picture_with_shadow_laid_over_the_bare_floor_is_the_picture(tracer: Tracer, seen: bool) -> None:
    """A disc that is not to be in the picture only catches the shadow; floor on which nothing stands is clear without a
    trace of noise."""
    project, compiler = studio(samples=32, background="shadow", disc_seen=seen, denoise=True)
    project = edited(project, {"set/disc/on": True, "set/disc/radius_m": 0.5})
    here = moment(project, 1)
    film = expose_frame(here, compiler, tracer)
    clean = denoise(film)
    picture, alpha = beauty(film, here, clean, compiler, tracer)
    assert alpha is not None
    disc, sweep = film.share_of(1) > 0.999, film.share_of(0) > 0.999
    assert np.median(alpha[sweep]) < 0.01
    assert alpha[sweep].max() > 0.15
    assert alpha[film.subject > 0.999].min() > 0.999
    assert (np.median(alpha[disc]) > 0.999) == seen
    bare = expose_frame(bare_floor(moment(edited(project, shot__shoot__background="set"), 1)), compiler, tracer)
    over = picture + (1 - alpha[..., None]) * denoise(bare)
    assert np.abs(over - clean)[sweep | disc].mean() < 0.02 * clean[sweep | disc].mean()
    nothing = moment(edited(project, {"subject/on": False, "set/disc/on": False, "shot/shoot/quality": "draft"}), 1)
    film = expose_frame(nothing, compiler, tracer)
    assert film.alpha.max() > 0.99
    picture, alpha = beauty(film, nothing, denoise(film), compiler, tracer)
    assert alpha is not None
    assert (picture.max(), alpha.max()) == (0, 0)


@pytest.mark.parametrize("sweep", [True, False])
def test_catcher_shows_all_that_stands_on_the_floor(tracer: Tracer, sweep: bool) -> None:
    """The disc beneath the subject is part of the cut-out; without a floor it is what the camera sees, and no more."""
    passes = Passes(wanted=("catcher",))
    project, compiler = studio(passes=passes, samples=64, file_format="exr", background="transparent")
    project = edited(project, {"set/sweep/on": sweep, "set/disc/on": True, "set/disc/radius_m": 0.3})
    here = moment(project, 1)
    film = expose_frame(here, compiler, tracer)
    (file,) = pass_files(here, film, film.radiance, compiler, tracer)
    layers = read_layers(file.data, "catcher")
    alpha, picture = layers["A"], np.dstack([layers[c] for c in "RGB"])
    disc = film.share_of(1)
    assert (disc > 0.999).sum() > 100
    assert alpha[disc > 0.999].min() > 0.999
    shown = expose(film.radiance, here.look.tone)
    standing = film.subject + disc > 0.999
    assert np.allclose(picture[standing], shown[standing], rtol=0.01, atol=1e-3)
    if sweep:
        floor = film.share_of(0) > 0.999
        assert np.median(alpha[floor]) < 0.15  # no ring: floor that is lit as ever is clear
        assert alpha[floor].max() > 0.15
    else:
        assert np.allclose(alpha, film.alpha, atol=1e-3)
        assert np.allclose(picture, shown, rtol=0.01, atol=1e-3)


def test_occlusion_beside_a_wall(tracer: Tracer) -> None:
    """At the foot of an endless wall half the cosine-weighted sky is hidden within reach; far away nothing is."""
    floor = plane(200.0)
    wall = Mesh(
        np.array([[0, 0, -100], [0, 0, 100], [0, 100, 100], [0, 100, -100]], np.float32),
        np.tile(np.float32([1, 0, 0]), (4, 1)),
        np.zeros((4, 2), np.float32),
        np.array([[0, 2, 1], [0, 3, 2]], np.int32),
        np.zeros(2, np.int32),
    )
    both = join([floor, wall])
    both = Mesh(both.vertices, both.normals, both.uvs, both.triangles, np.zeros_like(both.part))
    near = scene_of(both, diffuse(), look_at((0.005, 1, 0.0), (0.005, 0, 0), 0.001, 8))
    openness, covered = occlusion(near, 512, 100.0, 0.0)
    assert covered.min() == 1
    assert openness.mean() == pytest.approx(0.5, abs=0.02)
    short, _ = occlusion(near, 256, 0.001, 1.0)
    assert short.mean() == pytest.approx(1.0, abs=0.01)
    soft, _ = occlusion(near, 256, 100.0, 1.0)
    hard, _ = occlusion(near, 256, 100.0, 4.0)
    assert openness.mean() < soft.mean() < hard.mean() < 1


def test_wireframe_draws_polygons_with_the_asked_width(tracer: Tracer) -> None:
    """A quad split in two shows four edges and no diagonal; lines are as wide as asked."""
    square = plane(1.0)
    square = dataclasses.replace(square, inner=split_quads(square.vertices, square.triangles))
    scene = scene_of(square, diffuse(), look_at((0, 2, 0.0), (0, 0, 0), 0.3, 96))
    lines, covered = wireframe(scene, 64, 2.0)
    side = 0.5 / 2 / 0.3 * 48
    middle = lines[40:56, 40:56]
    assert middle.max() == 0  # the diagonal would pass through here
    row = lines[48]
    assert row.sum() == pytest.approx(2.0, rel=0.12)  # half of each of two lines lies on the square
    assert covered.sum() == pytest.approx((2 * side) ** 2, rel=0.02)
    divided, _ = wireframe(scene, 64, 2.0, level=2)
    # two outer edges half seen, three lines between them whole
    assert divided[44].sum() == pytest.approx(2.0 + 3 * 2.0, rel=0.1)
    assert divided[:, 44].sum() == pytest.approx(2.0 + 3 * 2.0, rel=0.1)


def test_every_pass_has_its_file(tracer: Tracer) -> None:
    project, compiler = studio(passes=Passes(wanted=ALL), bits=16)
    film = expose_frame(moment(project, 3), compiler, tracer)
    files = {f.name: f for f in pass_files(moment(project, 3), film, film.radiance, compiler, tracer)}
    assert set(files) == set(ALL)
    for name, file in files.items():
        assert file.extension == pass_extension(project.shot.shoot, name)
        if file.extension == "png":
            with Image.open(io.BytesIO(file.data)) as image:
                assert image.size == (96, 64)
    depth = read_layers(files["depth"].data, "depth")["depth.Z"]
    assert depth[32, 48] == pytest.approx(1.6 - 0.2, abs=0.02)
    position = read_layers(files["position"].data, "position")
    at = np.array([position[f"position.{c}"][32, 48] for c in "XYZ"])
    assert np.linalg.norm(at - [0, 0.2, 0]) == pytest.approx(0.2, abs=0.01)
    lights = read_layers(files["lights"].data, "lights")
    key, fill = (sum(lights[f"light {n}.{c}"].mean() for c in "RGB") for n in ("Key", "Fill"))
    assert key > 2 * fill > 0


def test_motion_vectors_say_where_a_place_goes(tracer: Tracer) -> None:
    """The place under a pixel, moved by its vector, is the same place of the part in the next frame."""
    for kind in ("orbit", "spin"):
        project, compiler = studio(passes=Passes(wanted=("motion",)))
        project = edited(project, move=kind)
        here, there = (expose_frame(moment(project, n), compiler, tracer) for n in (5, 6))
        ys, xs = np.nonzero(here.matte(0)[:, :, 0, 0] == 3)
        inside = (abs(xs - 48) < 8) & (abs(ys - 32) < 8)
        xs, ys = xs[inside], ys[inside]
        moved = here.motion[ys, xs]
        assert np.abs(moved[:, 0]).max() > 0.3
        tx, ty = np.rint(xs + moved[:, 0]).astype(int), np.rint(ys + moved[:, 1]).astype(int)
        apart = np.linalg.norm(there.rest[ty, tx] - here.rest[ys, xs], axis=1)
        pixel = 1.4 * 2 * 36 / 70 / 2 / 96
        assert np.median(apart) < 0.8 * pixel
        back = there.motion_back[ty, tx] + moved
        assert np.median(np.abs(back)) < 0.1


REACH = 3


def unrest(project: Project, films: list[Film], pictures: list[np.ndarray]) -> float:
    """Mean relative variance of the luminance of the same place of a surface from one frame to the next.

    Places are followed by the position pass and the cameras' own matrices, not by what the filter follows them by.
    """
    found = []
    lens = Projection.of_project(project)
    w, h = project.shot.shoot.width, project.shot.shoot.height
    for i, (here, there) in enumerate(itertools.pairwise(films)):
        camera = moment(project, project.shot.first_frame + REACH + SETTLED + i + 1).around.cameras[0]
        p = (here.position - camera[:3, 3]) @ camera[:3, :3]
        x, y = lens.places(p[..., 0] / -p[..., 2], p[..., 1] / -p[..., 2])
        rows, columns = (1 - y / lens.half_h) / 2 * h - 0.5, (x / lens.half_w + 1) / 2 * w - 0.5
        inside = (rows > 0) & (rows < h - 1) & (columns > 0) & (columns < w - 1)

        def at(values: np.ndarray, rows: np.ndarray = rows, columns: np.ndarray = columns) -> np.ndarray:
            return map_coordinates(values, [rows, columns], order=1, mode="nearest")

        seen = np.stack([at(there.position[..., c]) for c in range(3)], axis=-1)
        same = inside & (np.linalg.norm(seen - here.position, axis=-1) < 0.02) & (here.alpha > 0.99)
        a, b = pictures[i].mean(axis=2), at(pictures[i + 1].mean(axis=2))
        found.append((0.5 * (a - b) ** 2 / np.maximum(a * b, 1e-12))[same])
    return float(np.mean(np.concatenate(found)))


def test_neighbours_calm_the_clip_without_losing_detail(tracer: Tracer) -> None:
    """Flicker at least three times lower than frame by frame at 8 samples; not farther from the truth."""
    wanted = Passes(wanted=("position",))
    project, compiler = studio(samples=8, denoise_neighbours=True, width=128, height=80, passes=wanted)
    reach = REACH
    numbers = range(1, 2 * (reach + SETTLED) + 4)
    films = {n: expose_frame(moment(project, n), compiler, tracer) for n in numbers}
    pixel = 2 * math.tan(math.atan(18 / 70)) / 128
    neighbours = Neighbours(128, 80, pixel, reach)
    inner = numbers[reach + SETTLED : -reach - SETTLED]
    single, calm = [denoise(films[n]) for n in inner], []
    for number in inner:
        around = set(range(number - reach - SETTLED, number + reach + SETTLED + 1))
        near = {k: number + k for k in range(-SETTLED, SETTLED + 1)}
        for n in around:
            neighbours.know(n, FrameHistory.of(films[n], reach), around)
        cleaned = {}
        for n in near.values():
            own = neighbours.blended(films[n], {k: n + k for k in range(-reach, reach + 1)})
            cleaned[n] = without_colour(films[n], denoise(films[n], radiance=own))
        calm.append(neighbours.settled(films[number], near, cleaned))
    neighbours.close()
    best = edited(project, shot__shoot__samples=256)
    best_films = [expose_frame(moment(best, n), compiler, tracer) for n in inner]
    truths = [denoise(film) for film in best_films]
    seen = [films[n] for n in inner]
    # highlights that really move, and looking between pixels, are in all of them alike
    noisy, calmed, true = (unrest(project, seen, pictures) for pictures in (single, calm, truths))
    assert noisy - true > 3 * (calmed - true)
    assert calmed > true / 2  # what really moves still does
    truth = best_films[1].radiance
    error = [float(np.abs(x[1] - truth).mean()) for x in (single, calm)]
    assert error[1] < 1.05 * error[0]
    # no grain is left where the picture is even
    even = films[inner[1]].subject < 0.01
    grain = [float(np.abs(x[1] - gaussian_filter(x[1], (1, 1, 0)))[even].mean()) for x in (single, calm)]
    assert grain[1] < 1.3 * grain[0]


def test_clean_lights_add_up_to_the_clean_picture(tracer: Tracer) -> None:
    """Every light's share is free of noise as the picture is, and re-balancing still starts from the picture."""
    project, compiler = studio(passes=Passes(wanted=("lights",)), denoise=True, samples=8)
    film = expose_frame(moment(project, 1), compiler, tracer)
    clean = denoise(film)
    (file,) = pass_files(moment(project, 1), film, clean, compiler, tracer)
    layers = light_layers(read_layers(file.data, "lights"))
    wanted, alpha = beauty(film, moment(project, 1), clean, compiler, tracer)
    assert alpha is None
    assert mix_lights(layers, {}) == pytest.approx(expose(wanted, project.look.tone), rel=1e-3, abs=1e-4)  # halves
    many = edited(project, shot__shoot__samples=512)
    truth = expose(expose_frame(moment(many, 1), compiler, tracer).layer("light Key"), project.look.tone)
    noisy = expose(film.layer("light Key"), project.look.tone)
    assert np.abs(layers["light Key"] - truth).mean() < 0.5 * np.abs(noisy - truth).mean()


def test_backgrounds(tracer: Tracer) -> None:
    """Behind the subject only, at the look's brightness, gradients the right way up, pictures cut to the frame."""
    project, compiler = studio()
    project = edited(project, set__sweep__on=False)
    buffer = io.BytesIO()
    Image.fromarray(np.uint8([[[255, 0, 0], [0, 0, 255]]])).resize((64, 64), Image.Resampling.NEAREST).save(
        buffer, "PNG"
    )

    def behind(**values: object) -> np.ndarray:
        p = edited(project, look__background=Background(**values))  # type: ignore[arg-type]
        return SceneCompiler(lambda key: buffer.getvalue()).background(moment(p, 1), 96, 64) * 2.0**-9.5 / 1.2

    assert behind(kind="colour", colour=(0.1, 0.2, 0.3))[5, 5] == pytest.approx([0.1, 0.2, 0.3], rel=1e-4)
    up = behind(kind="vertical", colour=(0, 0, 0), second=(1, 1, 1))
    assert up[0, 0, 0] > 0.98 > 0.02 > up[-1, 0, 0]
    round_one = behind(kind="radial", colour=(0, 0, 0), second=(1, 1, 1))
    assert round_one[32, 48, 0] > 0.98 > 0.05 > round_one[0, 0, 0]
    picture = behind(kind="picture", picture="x")
    assert picture[32, 10] == pytest.approx([1, 0, 0], abs=0.02)
    assert picture[32, 85] == pytest.approx([0, 0, 1], abs=0.02)
    film = expose_frame(moment(project, 1), compiler, tracer)
    shown = with_background(film.radiance, film.alpha, np.full((64, 96, 3), 7.0, np.float32))
    assert (shown[film.alpha == 0] == 7).all()
    assert np.array_equal(shown[film.alpha == 1], film.radiance[film.alpha == 1])
    clear = edited(project, shot__shoot__background="transparent")
    _, alpha = beauty(film, moment(clear, 1), film.radiance, compiler, tracer)
    assert alpha is not None
    assert 0 < alpha.mean() < 1


@pytest.mark.parametrize("file_format", ["png", "tiff"])
@pytest.mark.parametrize("channels", [1, 3, 4])
def test_sixteen_bits_survive(file_format: str, channels: int) -> None:
    values = np.random.default_rng(1).random((9, 7, channels)).astype(np.float32)
    data = encode_display(values[..., 0] if channels == 1 else values, file_format, 16)
    wanted = (values * 65535 + 0.5).astype(np.uint16).reshape(9, 7, channels)
    if file_format == "tiff":
        read = tifffile.imread(io.BytesIO(data))
        assert np.array_equal(read.reshape(9, 7, channels), wanted)
        return
    with Image.open(io.BytesIO(data)) as image:  # Pillow reads eight bits of colours, all sixteen of grey
        read = np.asarray(image)
    assert np.array_equal(
        read.reshape(9, 7, channels) if channels > 1 else read[..., None], wanted if channels == 1 else wanted >> 8
    )


def test_an_empty_film_records_nothing(tracer: Tracer) -> None:
    project, compiler = studio()
    scene = compiler.compile(moment(project, 1), 32, 24)
    film = film_for(scene)
    assert film.layers == ()
    assert film.places.shape[0] == 0
    tracer.expose(film, scene, 2)
    assert film.samples == 2
