"""Several items on the set: each where it is placed, carried by what it rides on; going to and fro costs nothing."""

import numpy as np
import pytest
from tests.conftest import diffuse, edited, exposed, item_of, sphere

from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler, part_ids
from cyclorama.core.render.compile.kept import SceneCache, bytes_of
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.picking import PickProbe
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import (
    Light,
    Made,
    Material,
    MaterialMaps,
    Project,
    Row,
    Segment,
    TextureRef,
    Variant,
    Wears,
    Worn,
    new_project,
)

KEY = Light(id="key", name="Key", azimuth_deg=30, elevation_deg=50, distance_m=2.5)


def lopsided(size: float = 0.2) -> Mesh:
    """Two balls, so that every turn shows."""
    small = sphere(size / 2, 24).transformed(np.array([[1, 0, 0, size], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]]))
    both = join([sphere(size, 32), small])
    lifted = both.vertices + np.float32([0, size, 0])
    return Mesh(lifted, both.normals, both.uvs, both.triangles, np.zeros_like(both.part))


MESH = lopsided()
ASSET = content_hash(MESH.to_bytes())
ASSETS = {ASSET: MESH.to_bytes()}
PAINT, OTHER = diffuse(0.6), Material(id="n", name="Other", base_color=(0.1, 0.2, 0.7), specular_ior=1.0)


def studio(**values: object) -> Project:
    """Two lopsided things side by side, one on the disc, the other on the floor; the second is the subject."""
    one = item_of(ASSET, ("One", "m"), id="one", name="One", rides="disc")
    two = item_of(ASSET, ("Two", "m"), id="two", name="Two", rides="set")
    project = edited(
        new_project("Test"),
        {
            "materials": (PAINT, OTHER),
            "items": (one, two),
            "subject_id": "two",
            "look/lights": (KEY,),
            "items/one/placement/x_m": -0.4,
            "items/two/placement/x_m": 0.4,
            "aim": 0.2,
            "camera/distance_m": 3.0,
            "set/disc/on": False,
            "shot/frames": 12,
        },
    )
    return edited(project, values)


def picture(tracer: Tracer, project: Project, frame: int = 1, samples: int = 32) -> Film:
    scene = SceneCompiler(ASSETS.__getitem__).compile(moment(project, frame), 96, 54)
    return exposed(tracer, scene, samples)


def alike(a: Film, b: Film) -> bool:
    return bool(np.abs(a.radiance - b.radiance).mean() < 0.01 * b.radiance.mean())


def turns(item: str, by: float) -> Row:
    return Row(id=item, segments=(Segment(id="s", kind="spin", turns=by),))


def test_items_stand_where_one_mesh_of_both_would(tracer: Tracer) -> None:
    project = studio()
    left, right = (np.array([[1, 0, 0, x], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]]) for x in (-0.4, 0.4))
    both = join([MESH.transformed(left), MESH.transformed(right)])
    data = Mesh(both.vertices, both.normals, both.uvs, both.triangles, np.zeros_like(both.part)).to_bytes()
    whole = item_of(content_hash(data), ("All", "m"))
    single = edited(project, {"items": (whole,), "subject_id": whole.id})
    scene = SceneCompiler({content_hash(data): data}.__getitem__).compile(moment(single, 1), 96, 54)
    one = exposed(tracer, scene, 32)
    two = picture(tracer, project)
    assert np.array_equal(one.alpha, two.alpha)
    assert alike(one, two)
    # the subject is the one on the right alone
    assert two.subject[:, :46].max() == 0
    assert two.subject[:, 50:].max() == 1


def test_each_turns_at_its_own_speed_and_about_its_own_axis(tracer: Tracer) -> None:
    """After 3 of 12 frames one has turned by 90°, the other by −180°: as if placed so."""
    moving = studio(**{"shot/rows": (turns("one", 1.0), turns("two", -2.0))})
    scene = SceneCompiler(ASSETS.__getitem__).compile(moment(moving, 4), 96, 54)
    assert len(scene.bodies) == 3  # the sweep, and each of them
    placed = studio(**{"items/one/placement/turn_deg": 90.0, "items/two/placement/turn_deg": 180.0})
    assert alike(exposed(tracer, scene, 64), picture(tracer, placed, samples=64))
    assert not alike(exposed(tracer, scene, 64), picture(tracer, studio(), samples=64))


def test_items_on_the_disc_go_round_and_others_stand(tracer: Tracer) -> None:
    """Half a turn of the disc brings the one from the left to the right and turns it round."""
    spun = edited(studio(**{"items/two/on": False}), move="spin")
    there = studio(**{"items/two/on": False, "items/one/placement/x_m": 0.4, "items/one/placement/turn_deg": 180.0})
    assert alike(picture(tracer, spun, 7, 64), picture(tracer, there, 1, 64))
    apart = picture(tracer, edited(studio(**{"items/one/on": False}), move="spin"), 7)
    assert np.array_equal(apart.alpha, picture(tracer, studio(**{"items/one/on": False})).alpha)


def test_a_fast_item_blurs_while_another_stands_sharp(tracer: Tracer) -> None:
    """The shutter is open for half of a frame; one item makes half a turn meanwhile."""
    fast = studio(**{"shot/rows": (turns("one", 12.0),), "camera/shutter_deg": 180.0, "set/sweep/on": False})
    still = edited(studio(**{"camera/shutter_deg": 180.0, "set/sweep/on": False}), move="hold")
    a, b = picture(tracer, fast, 1, 256), picture(tracer, still, 1, 256)
    apart = np.abs(a.alpha - b.alpha)
    assert apart[:, :48].mean() > 20 * apart[:, 48:].mean()
    # its small ball (radius 0.1, 0.2 from the axis) passes from the back to the front: it covers a place x to the right
    # of the axis while 0.2 cos θ + 0.1 > x, with θ from −90° to 90°
    row = b.alpha[27, :48]
    ends = np.flatnonzero(row > 0.5)[[0, -1]] + [-0.5, 0.5]
    x = np.interp(np.arange(48), ends, [-0.2, 0.3])
    beyond = (x > 0.22) & (x < 0.29)
    expected = np.arccos(np.clip((x[beyond] - 0.1) / 0.2, 0, 1)) / (np.pi / 2)
    assert beyond.sum() >= 4
    assert a.alpha[27, :48][beyond] == pytest.approx(expected, abs=0.1)


def test_a_click_finds_the_item_and_the_place_on_it_at_rest(tracer: Tracer) -> None:
    moving = studio(
        **{
            "shot/rows": (turns("one", 1.0),),
            "shot/shoot/width": 640,
            "shot/shoot/height": 360,
            "camera/elevation_deg": 0.0,
        }
    )
    eye = PickProbe(SceneCompiler(ASSETS.__getitem__), tracer)
    seen = eye.point(moment(moving, 4), 0.5 - 0.4 / 3.0 / (18 / 70) / 2, 0.5)
    assert seen is not None
    assert seen.item == "one"
    # what faces the camera, turned back by 90° about the ball's own axis
    x, _, z = 0.2 * np.array([0.4, 0.0, 3.0]) / np.hypot(0.4, 3.0)
    assert seen.point == pytest.approx([-0.4 - z, 0.2, x], abs=0.01)
    assert eye.point(moment(moving, 4), 0.5, 0.98).item is None  # type: ignore[union-attr]


def test_made_shapes_are_lit_like_any(tracer: Tracer) -> None:
    """A card in front of the camera fills the middle of the picture and shows its own material."""
    card = item_of("", ("Face", "n"), id="card", name="Card", made=Made(form="card", width_m=3.0, height_m=3.0))
    project = edited(studio(), {"items": (card,), "subject_id": "card", "camera/elevation_deg": 0.0})
    film = picture(tracer, project)
    assert film.subject[20:34, 40:56].min() == 1
    assert film.albedo[27, 48] == pytest.approx(OTHER.base_color, abs=0.01)
    assert part_ids(moment(project, 1)) == ("sweep", "disc", "face")


def test_two_shots_looks_and_colourways_flipped_twenty_times_compile_nothing_anew() -> None:
    project = studio(**{"look/environment/kind": "sky"})
    night = Variant(id="night", name="Night", parts=(Worn(id="two", material="n"),))
    look = project.look.model_copy(
        update={"id": "look-2", "name": "Dusk", "lights": (KEY.model_copy(update={"azimuth_deg": -80.0}),)}
    )
    dusk = look.model_copy(
        update={
            "environment": look.environment.model_copy(
                update={"sky": look.environment.sky.model_copy(update={"sun_elevation_deg": 5.0})}
            )
        }
    )
    shot = project.shot.model_copy(
        update={
            "id": "shot-2",
            "name": "Spin",
            "look_id": "look-2",
            "wears": (Wears(id="two", variant="night"),),
            "rows": (Row(id="disc", segments=(Segment(id="s", kind="spin"),)),),
        }
    )
    project = edited(
        project,
        {
            "items/two/variants": (*project.items[1].variants, night),
            "looks": (project.look, dusk),
            "shots": (project.shot, shot),
        },
    )
    compiler = SceneCompiler(ASSETS.__getitem__)

    def flip() -> None:
        for number in (1, 2):
            for which in project.shots:
                compiler.compile(moment(project, number, which), 32, 18)

    flip()
    made = compiler.made
    assert (made["instances"], made["environment"], made["surfaces"]) == (2, 2, 1)
    for _ in range(20):
        flip()
    assert compiler.made == made


def test_the_picture_of_a_map_is_unpacked_once_however_its_map_lies() -> None:
    project = studio()
    compiler = SceneCompiler(ASSETS.__getitem__)
    seen = set()
    for turn in (0.0, 15.0, 30.0):
        maps = MaterialMaps(base_color=TextureRef(pattern="weave", rotation_deg=turn))
        scene = compiler.compile(moment(edited(project, {"materials/n/maps": maps}), 1), 32, 18)
        seen.add(scene.textures.transform.tobytes())
    assert len(seen) == compiler.made["surfaces"] == 3
    assert compiler.made["picture"] == 1


def test_kept_pictures_keep_within_their_limit() -> None:
    """The latest of each kind stays however large; of all others those used last."""
    kept = SceneCache(1000)
    for key in (1, 2, 3):
        kept.get("picture", key, lambda: np.zeros(100, np.float32))
    kept.get("sky", 1, lambda: np.zeros(1000, np.float32))
    kept.get("picture", 3, lambda: pytest.fail("it was used last"))
    kept.get("picture", 1, lambda: np.zeros(100, np.float32))
    kept.get("sky", 1, lambda: pytest.fail("the only one of its kind"))
    assert kept.made == {"picture": 4, "sky": 1}
    assert bytes_of(({"a": [np.zeros(3)]}, b"xy", Film(2, 2))) == 24 + 2 + bytes_of(Film(2, 2))


def test_items_on_the_camera_keep_their_place_in_the_picture(tracer: Tracer) -> None:
    orbit = {"shot/rows": (Row(id="camera", segments=(Segment(id="s", kind="orbit"),)),)}
    project = studio(**orbit, **{"items/two/rides": "camera"})
    first, later = (picture(tracer, project, frame) for frame in (1, 5))
    assert first.subject.max() > 0.9
    assert np.abs(first.subject - later.subject).mean() < 0.002
    stands = studio(**orbit)
    assert np.abs(picture(tracer, stands, 1).subject - picture(tracer, stands, 5).subject).mean() > 0.02


def test_a_light_on_the_camera_lights_what_it_sees_from_the_same_side(tracer: Tracer) -> None:
    """An even ball in the middle looks the same from all round, lit by a lamp that goes along."""
    ball = sphere(0.3, 96)
    mesh = Mesh(ball.vertices + np.float32([0, 0.3, 0]), ball.normals, ball.uvs, ball.triangles, ball.part)
    data = mesh.to_bytes()
    alone = item_of(content_hash(data), ("Ball", "m"), id="ball", name="Ball", rides="set")
    rows = (Row(id="camera", segments=(Segment(id="s", kind="orbit"),)),)
    project = studio(**{"items": (alone,), "subject_id": "ball", "shot/rows": rows, "set/sweep/on": False})
    compiler = SceneCompiler({content_hash(data): data}.__getitem__)

    def light(shown: Project, frame: int) -> np.ndarray:
        return exposed(tracer, compiler.compile(moment(shown, frame), 96, 54), 64).radiance

    along = edited(project, {"look/lights/key/rides": "camera"})
    first, later = light(along, 1), light(along, 5)
    assert np.abs(first - later).mean() < 0.03 * first.mean()
    assert np.abs(light(project, 1) - light(project, 5)).mean() > 0.3 * first.mean()
