"""Clicks in the picture: what is there, how it is kept in focus, and what would make it grey."""

import numpy as np
import pytest
from tests.conftest import edited, item_of, plane, project_of, sphere

from cyclorama.core.colour_difference import difference, lab_of, parse_colour, rgb_of
from cyclorama.core.colour_temperature import white_of
from cyclorama.core.commands.light_places import PlaceLight
from cyclorama.core.commands.perform import perform
from cyclorama.core.errors import ChangeError
from cyclorama.core.geometry.mesh import join
from cyclorama.core.motion import axis_rotations, moment
from cyclorama.core.picture.exposure import expose
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.picking import PickProbe
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Environment, Light, Material, Project, Tone

GREY = Material(id="m", name="Grey", base_color=(0.4, 0.4, 0.4), specular_ior=1.0)
BALL = np.array([0.1, 0.3, 0.05])


def studio(kind: str) -> tuple[Project, SceneCompiler]:
    """A small ball off the axis above a grey square, under a warm greenish lamp."""
    ball = sphere(0.05, 64).transformed(
        np.array([[1, 0, 0, BALL[0]], [0, 1, 0, BALL[1]], [0, 0, 1, BALL[2]], [0, 0, 0, 1]])
    )
    project, assets = project_of(join([ball, plane(1.0)]), GREY)
    item = item_of(project.items[0].asset, ("P0", "m"), ("P1", "m"))
    lamp = Light(id="key", name="Key", azimuth_deg=20, elevation_deg=70, distance_m=3, temperature_k=3400, tint=-0.2)
    values = {
        "items": (item,),
        "look/lights": (lamp,),
        "move": kind,
        "shot/frames": 24,
        "aim": 0.3,
        "camera/distance_m": 2.0,
        "camera/elevation_deg": 10,
        "camera/f_number": 1.4,
        "shot/shoot/width": 640,
        "shot/shoot/height": 360,
    }
    return edited(project, values), SceneCompiler(assets.__getitem__)


def seen_at(project: Project, frame: int, point: np.ndarray) -> tuple[float, float]:
    """Where the picture shows a point of the subject."""
    pose = moment(project, frame).around
    x, y, z = np.linalg.inv(pose.cameras[0])[:3] @ axis_rotations(pose.disc_deg)[0] @ [*point, 1]
    half = 18 / project.camera.focal_mm
    return 0.5 + x / -z / half / 2, 0.5 - y / -z / (half * 360 / 640) / 2


@pytest.mark.parametrize("kind", ["orbit", "spin"])
def test_a_picked_point_stays_in_focus(tracer: Tracer, kind: str) -> None:
    """What is clicked on is found again at rest, and the lens follows it through the move."""
    project, compiler = studio(kind)
    frame = 5
    found = PickProbe(compiler, tracer).point(moment(project, frame), *seen_at(project, frame, BALL))
    assert found is not None
    point = found.point
    assert found.item == "item-1"
    assert np.linalg.norm(point - BALL) == pytest.approx(0.05, abs=2e-3)
    project = edited(project, camera__focus_point_m=tuple(point), camera__focus_item="item-1")
    for number in (1, 9, 17):
        pose = moment(project, number).around
        depth = -(np.linalg.inv(pose.cameras[0])[2] @ axis_rotations(pose.disc_deg)[0] @ [*point, 1])
        assert compiler.compile(moment(project, number), 64, 36).camera.focus == pytest.approx(depth, rel=1e-5)
    assert PickProbe(compiler, tracer).point(moment(project, frame), 0.01, 0.01) is None


def test_a_picked_grey_becomes_grey(tracer: Tracer) -> None:
    project, compiler = studio("orbit")
    colour = PickProbe(compiler, tracer).colour(moment(project, 1), *seen_at(project, 1, np.array([0.0, 0.0, 0.2])))
    assert colour is not None
    assert colour[0] > 1.3 * colour[2]
    white = white_of(colour)
    assert white == (pytest.approx(3400, rel=0.02), pytest.approx(-0.2, abs=0.03))
    tone = Tone(white_k=white[0], white_tint=white[1])
    r, g, b = expose(colour[None, None].astype(np.float32), tone)[0, 0]
    assert (r / g, b / g) == (pytest.approx(1, abs=0.01), pytest.approx(1, abs=0.01))


@pytest.mark.parametrize(("travel", "frame"), [("set", 1), ("camera", 7)])
def test_a_highlight_lies_where_it_was_wanted(tracer: Tracer, travel: str, frame: int) -> None:
    """A small lamp in a polished ball: the brightest place of the traced picture is the one that was pointed at."""
    project, compiler = studio("orbit")
    polished = Material(id="m", name="Polished", base_metalness=1.0, specular_roughness=0.04)
    lamp = Light(id="key", name="Key", shape="sphere", width_m=0.12, distance_m=1.5, azimuth_deg=100)
    project = edited(
        project,
        {
            "materials": (polished,),
            "look/lights": (lamp,),
            "look/lights_travel_with": travel,
            "camera/f_number": None,
            "camera/shutter_deg": 0.0,
            "camera/aim/x_m": BALL[0],
            "camera/aim/y_m": BALL[1],
            "camera/aim/z_m": BALL[2],
            "camera/distance_m": 0.6,
        },
    )
    eye = PickProbe(compiler, tracer)
    owners = eye.owners(moment(project, frame), 160)
    ball = owners == np.bincount(owners[owners > 0]).argmax()
    rows, columns = np.nonzero(ball)
    middle, reach = (columns.mean(), rows.mean()), np.ptp(columns) / 2
    for across, down in ((0.0, 0.0), (0.4, -0.3), (-0.5, -0.4)):
        x, y = (middle[0] + 0.5 + across * reach) / 160, (middle[1] + 0.5 + down * reach) / 90
        wanted = PlaceLight(light="key", frame=frame, x=x, y=y)
        placed, label = perform(project, wanted, lambda _: None, eye)
        assert label == "Highlight of Key"
        film = Film(640, 360)
        tracer.expose(film, compiler.compile(moment(placed, frame), 640, 360), 32)
        light = film.radiance[..., 1]
        down_px, across_px = np.mgrid[:360, :640]
        # the lamp is seen in the floor too
        near = (light > 0.5 * light.max()) & (np.hypot(across_px - x * 640, down_px - y * 360) < 15)
        assert near.sum() > 3
        rows, columns = np.nonzero(near)
        assert np.average(columns, weights=light[near]) + 0.5 == pytest.approx(x * 640, abs=1.0)
        assert np.average(rows, weights=light[near]) + 0.5 == pytest.approx(y * 360, abs=1.0)
    with pytest.raises(ChangeError, match="nothing at that place"):
        perform(project, PlaceLight(light="key", frame=frame, x=0.01, y=0.01), lambda _: None, eye)


def test_a_colour_is_seen_as_the_picture_shows_it(tracer: Tracer) -> None:
    """A matt colour lit evenly by a white dome and exposed so that white is white is shown as it was told."""
    project, compiler = studio("orbit")
    lab = parse_colour("#3d7a5a")
    matt = Material(id="m", name="Matt", base_color=tuple(rgb_of(lab)), specular_weight=0.0)  # type: ignore[arg-type]
    sky = np.ones((16, 32, 3), np.float32)
    dome = Environment(asset="d" * 32, seen_by_camera=True)
    lit = edited(
        project,
        {
            "materials": (matt,),
            "look/lights": (),
            "look/environment": dome,
            "set/sweep/on": False,
            "set/disc/on": False,
        },
    )
    # the plane below takes light from the ball: only the ball is kept
    ball = lit.items[0]
    parts = (ball.variants[0].parts[0], ball.variants[0].parts[1].model_copy(update={"visible": False}))
    lit = edited(lit, {f"items/{ball.id}/variants/{ball.variants[0].id}/parts": parts})
    read = compiler.read_asset
    domed = SceneCompiler(lambda key: encode_exr(sky) if key == "d" * 32 else read(key))
    ev100 = float(np.log2(1000.0 / 1.2))  # a white pixel of 1000 nit is just white
    lit = edited(lit, {"look/tone": Tone(ev100=ev100, view="srgb")})
    seen = PickProbe(domed, tracer).shown(moment(lit, 1), "m")
    assert seen is not None
    assert difference(lab_of(seen), lab) < 1.0
    darker = edited(lit, {"look/tone": Tone(ev100=ev100 + 1.0, view="srgb")})
    half = PickProbe(domed, tracer).shown(moment(darker, 1), "m")
    assert half == pytest.approx(seen / 2, rel=0.03)
    assert PickProbe(domed, tracer).shown(moment(lit, 1), "other") is None
