"""The ready project of the Plover on the shore: a ride with keyed focus, a lamp that is switched on, and a still."""

from typing import Any

import numpy as np

from ..core.commands.copies import scattered_item
from ..core.commands.paths import with_path
from ..core.geometry.cache_keys import content_hash
from ..core.motion import focus_distance_m, poses_at
from ..core.picture.exr import encode_exr
from ..core.scene import (
    FOR_CLIPS,
    Aim,
    Camera,
    Channel,
    Disc,
    Environment,
    Key,
    Light,
    Look,
    Project,
    Row,
    Segment,
    ShootSettings,
    Shot,
    Stage,
    Sweep,
    Tone,
    put,
    put_all,
)
from ..core.scene.stocked import ReadyScatter
from ..core.scene.writing import revise
from .environments import north_light_studio
from .plover import build_plover
from .projects import DemoProject, brought_in, place

HEAD, BACK = np.array([0.0, 0.122, 0.05]), np.array([0.0, 0.1, -0.02])
"""What the ride is focused on in turn, m."""
AIM = Aim(x_m=0.0, y_m=0.07, z_m=0.004)
SAND = (0.50, 0.43, 0.34)
SIZE_M = 0.15


def plover_project() -> DemoProject:
    """Plover on sand with shells, in a low sun: three shots, three cameras, two looks."""
    model = ("plover.glb", build_plover())
    intake = brought_in(*model)
    picture = encode_exr(north_light_studio())
    stage = Stage(
        sweep=Sweep(form="round", width_m=3.4, depth_m=3.4, height_m=1.5, fillet_m=0.6, color=SAND, roughness=0.8),
        disc=Disc(on=False),
    )
    item = place(intake, stage)
    project = Project(
        id="plover", name="Plover", items=(item,), subject_id=item.id, materials=intake.materials, set=stage,
        looks=(_day(content_hash(picture)), _evening(content_hash(picture))),
        cameras=(
            Camera(id="camera-1", name="Riding", focal_mm=65, elevation_deg=9, distance_m=0.58, azimuth_deg=0, aim=AIM,
                   f_number=5.6, shutter_deg=180),
            Camera(id="camera-2", name="Pushing in", focal_mm=50, elevation_deg=9, distance_m=0.62, azimuth_deg=-38,
                   aim=AIM),
            Camera(id="camera-3", name="Portrait", focal_mm=85, elevation_deg=6, distance_m=0.53, azimuth_deg=-52,
                   aim=AIM, f_number=8),
        ),
        shots=(
            Shot(id="shot-1", name="Figure-eight ride", camera_id="camera-1", look_id="look-1", frames=192,
                 shoot=FOR_CLIPS),
            Shot(id="shot-2", name="Lamp on", camera_id="camera-2", look_id="look-2", frames=96,
                 rows=(Row(id="camera", segments=(
                     Segment(id="segment-1", kind="push", by_m=0.2, ease_in=0.3, ease_out=0.3, frames=72),
                     Segment(id="segment-2", kind="hold"),
                 )),), channels=_switched_on(), shoot=FOR_CLIPS),
            Shot(id="shot-3", name="Still", camera_id="camera-3", look_id="look-1", frames=1,
                 shoot=ShootSettings(width=1080, height=1350, margin=0.07, samples=192, quality="print")),
        ),
        shot_id="shot-1",
    )  # fmt: skip
    project = with_path(_on_the_shore(project), "figure eight")
    ride = Segment(id="segment-1", kind="ride", path_id=project.paths[0].id)
    project = put(project, "shot/rows", (Row(id="camera", segments=(ride,)),))
    return DemoProject(_focused(project), intake, model, {content_hash(picture): picture})


def _on_the_shore(project: Project) -> Project:
    """The project with sand round the subject, and shells and pebbles on it."""
    sand = {"count": 260_000, "radius_m": 0.34, "size_spread": 0.5}
    shells = {"count": 26, "radius_m": 0.26, "clear_m": 0.012, "seed": 7, "lie": "standing"}
    pebbles = {"count": 22, "radius_m": 0.3, "spacing_m": 0.05, "clear_m": 0.02, "seed": 3, "size_spread": 1.0}
    wanted: dict[ReadyScatter, dict[str, Any]] = {"sand": sand, "shells": shells, "pebbles": pebbles}
    for ready, values in wanted.items():
        item, material = scattered_item(ready, ready.capitalize(), ready, SIZE_M, SIZE_M)
        assert item.copies is not None
        item = revise(item, copies=revise(item.copies, **values))
        if ready == "sand":
            material = revise(material, base_color=SAND)
        project = put_all(project, {"materials": (*project.materials, material), "items": (*project.items, item)})
    return project


def _day(picture: str) -> Look:
    lights = (
        Light(id="key", name="Low sun", shape="spot", role="key", azimuth_deg=-64, elevation_deg=19, distance_m=1.4,
              width_m=0.05, cone_deg=50, edge=0.4, strength_stops=-0.4, temperature_k=4300, aim=AIM),
        Light(id="fill", name="Sky", role="fill", azimuth_deg=50, elevation_deg=50, distance_m=0.9, width_m=0.7,
              height_m=0.7, strength_stops=-2.6, temperature_k=10500, aim=AIM),
        Light(id="rim", name="Rim", role="rim", azimuth_deg=160, elevation_deg=24, distance_m=0.6, width_m=0.12,
              height_m=0.5, strength_stops=-2.0, temperature_k=5200, aim=AIM),
    )  # fmt: skip
    environment = Environment(asset=picture, source_name="north-light-studio.exr", strength_stops=-1.4)
    return Look(id="look-1", name="Low sun", lights=lights, environment=environment, tone=Tone(ev100=9.0))


def _evening(picture: str) -> Look:
    lights = (
        Light(id="lamp", name="Lamp", shape="spot", role="key", azimuth_deg=-12, elevation_deg=58, distance_m=0.5,
              width_m=0.05, cone_deg=46, edge=0.5, strength_stops=-4.8, temperature_k=3200, aim=AIM),
        Light(id="moon", name="Moon", role="rim", azimuth_deg=150, elevation_deg=34, distance_m=0.9, width_m=0.3,
              height_m=0.5, strength_stops=-4.6, temperature_k=9500, aim=AIM),
    )  # fmt: skip
    environment = Environment(asset=picture, source_name="north-light-studio.exr", strength_stops=-4.6)
    return Look(id="look-2", name="Evening", lights=lights, environment=environment, tone=Tone(ev100=7.0))


def _switched_on() -> tuple[Channel, ...]:
    """The lamp is dark, is switched on in frame 31, and warms up to its strength and colour."""
    at = "looks/look-2/lights/lamp"
    return (
        Channel(
            id="channel-1",
            path=f"{at}/on",
            keys=(
                Key(id="key-1", frame=0, value=(0.0,), goes="hold"),
                Key(id="key-2", frame=30, value=(1.0,), goes="hold"),
            ),
        ),
        Channel(
            id="channel-2",
            path=f"{at}/strength_stops",
            keys=(Key(id="key-1", frame=30, value=(-7.5,)), Key(id="key-2", frame=52, value=(-4.8,))),
        ),
        Channel(
            id="channel-3",
            path=f"{at}/temperature_k",
            keys=(Key(id="key-1", frame=30, value=(2000.0,)), Key(id="key-2", frame=60, value=(3200.0,))),
        ),
    )


def _focused(project: Project) -> Project:
    """The ride, focused on the head, on the key on the back, and on the head again."""
    shot = project.shot
    frames = np.arange(0, shot.frames, 16, dtype=float)
    cameras = poses_at(project, shot, frames).cameras
    share = 0.5 - 0.5 * np.cos(2 * np.pi * frames / shot.frames)
    points = HEAD + share[:, None] * (BACK - HEAD)
    keys = tuple(
        Key(id=f"key-{i + 1}", frame=int(n), value=(round(focus_distance_m(point, camera), 4),))
        for i, (n, point, camera) in enumerate(zip(frames, points, cameras, strict=True))
    )
    values = {"camera/focus_m": keys[0].value[0]}
    channel = Channel(id="channel-1", path="cameras/camera-1/focus_m", keys=keys, outside="repeat")
    return put_all(project, {**values, "shot/channels": (channel,)})
