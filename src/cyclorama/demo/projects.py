"""The two ready projects: an orbit around the Storm Glass and a spin of the Harbour Lantern."""

import io
import zipfile
from dataclasses import dataclass

import numpy as np

from ..core.commands.copies import scattered_item
from ..core.commands.lists import with_lights_aimed
from ..core.framing import fit_subject
from ..core.geometry.cache_keys import Intake, content_hash
from ..core.geometry.intake import take_in
from ..core.geometry.measure import centre_placement, ground_placement, placed_hull
from ..core.motion import aim_point
from ..core.picture.exr import encode_exr
from ..core.scene import (
    Aim,
    Camera,
    Disc,
    Environment,
    Gobo,
    Item,
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
    put_all,
)
from ..core.scene.haze import Haze
from ..core.scene.writing import revise
from .environments import harbour_dusk, north_light_studio
from .lantern import build_lantern
from .looks import lantern_looks, storm_glass_looks
from .storm_glass import build_storm_glass


@dataclass(frozen=True, slots=True)
class DemoProject:
    """A project with the intake of its model and the files it refers to."""

    project: Project
    intake: Intake
    model_file: tuple[str, bytes]
    assets: dict[str, bytes]


def brought_in(name: str, data: bytes) -> Intake:
    """The intake of a model with its source, as the studio keeps it."""
    intake, archive = take_in({name: data}), io.BytesIO()
    with zipfile.ZipFile(archive, "w") as file:
        file.writestr(zipfile.ZipInfo(name), data)
    source = content_hash(archive.getvalue())
    intake.assets[source] = archive.getvalue()
    intake.item = revise(intake.item, source=source)
    return intake


def place(intake: Intake, stage: Stage) -> Item:
    measures = intake.measures.playing(intake.item)
    placement = centre_placement(measures, intake.item.placement, "box")
    placement = ground_placement(measures, placement, stage.stand_height_m)
    return revise(intake.item, placement=placement)


def _fitted(project: Project, intake: Intake) -> Project:
    """The project with the camera fitted to its subject, and the lights aimed at what that looks at."""
    assert project.subject is not None
    disc = project.set.disc
    around = np.radians(np.arange(0, 360, 5))
    rim = np.stack([disc.radius_m * np.sin(around), np.zeros(72), disc.radius_m * np.cos(around)], axis=1)
    hull = placed_hull(intake.measures, project.subject.placement)
    project = fit_subject(project, np.concatenate([hull, rim]))  # the disc stays whole in the picture
    x, y, z = (float(c) for c in aim_point(project.camera.aim, project))
    return put_all(project, with_lights_aimed(project.look, Aim(x_m=x, y_m=y, z_m=z)))


def storm_glass_project() -> DemoProject:
    """Storm Glass No. 4 on a pale round sweep; the camera travels, the lights stand."""
    model = ("storm-glass-no-4.glb", build_storm_glass())
    intake = brought_in(*model)
    picture = encode_exr(north_light_studio())
    stage = Stage(
        sweep=Sweep(
            form="round", width_m=7, depth_m=7, height_m=3.2, fillet_m=1.6, color=(0.60, 0.575, 0.53), roughness=0.65
        ),
        disc=Disc(radius_m=0.125, height_m=0.012, edge_m=0.003, color=(0.045, 0.044, 0.042), roughness=0.28),
    )
    lights = (
        Light(id="key", name="Key", role="key", azimuth_deg=-58, elevation_deg=40, distance_m=1.0, width_m=0.45,
                  height_m=0.8, strength_stops=-0.9, temperature_k=5200),
        Light(id="fill", name="Fill", role="fill", azimuth_deg=68, elevation_deg=30, distance_m=1.3, width_m=0.5,
                  height_m=1.2, strength_stops=-3.4, temperature_k=6200),
        Light(id="rim", name="Rim", role="rim", azimuth_deg=158, elevation_deg=28, distance_m=1.0, width_m=0.25,
                  height_m=1.0, strength_stops=-1.4, temperature_k=6800),
        Light(id="window", name="Window", shape="spot", role="accent", azimuth_deg=-8, elevation_deg=44,
              distance_m=1.05, width_m=0.03, cone_deg=40, edge=0.4, strength_stops=-2.7, temperature_k=4600,
              gobo=Gobo(pattern="window", softness=0.12, rotation_deg=-6)),
    )  # fmt: skip
    project = Project(
        id="storm-glass-no-4", name="Storm Glass No. 4", items=(place(intake, stage),), subject_id=intake.item.id,
        materials=intake.materials, set=stage,
        looks=(Look(
            id="look-1", name="North light", lights=lights, tone=Tone(ev100=8.3),
            environment=Environment(asset=content_hash(picture), source_name="north-light-studio.exr",
                                    strength_stops=-1.7),
        ),),
        cameras=(Camera(id="camera-1", name="Camera 1", focal_mm=85, elevation_deg=9, azimuth_deg=14),),
        shots=(Shot(
            id="shot-1", name="Orbit", camera_id="camera-1", look_id="look-1", frames=240,
            rows=(Row(id="camera", segments=(Segment(id="segment-1", kind="orbit"),)),),
            shoot=ShootSettings(margin=0.07, samples=96, quality="fine", denoise_neighbours=True),
        ),),
        shot_id="shot-1",
    )  # fmt: skip
    fitted = storm_glass_looks(_with_pebbles(_fitted(project, intake)), intake)
    return DemoProject(fitted, intake, model, {content_hash(picture): picture})


def _with_pebbles(project: Project) -> Project:
    """The project with slate pebbles on the floor round the disc."""
    item, slate = scattered_item("pebbles", "Pebbles", "pebbles", 0.3, 0.36)
    assert item.copies is not None
    copies = revise(
        item.copies, count=70, spacing_m=0.03, radius_m=0.36, clear_m=0.008, size_spread=0.9, denser="middle", seed=5
    )
    slate = revise(slate, name="Slate", base_color=(0.075, 0.078, 0.085), specular_roughness=0.38)
    pebbles = revise(item, copies=copies)
    return put_all(project, {"materials": (*project.materials, slate), "items": (*project.items, pebbles)})


def lantern_project() -> DemoProject:
    """Harbour Lantern at dusk with its mantle lit; subject and disc travel, the camera stands."""
    model = ("harbour-lantern.glb", build_lantern())
    intake = brought_in(*model)
    picture = encode_exr(harbour_dusk())
    stage = Stage(
        sweep=Sweep(
            form="straight", width_m=9, depth_m=6, height_m=4, fillet_m=1.5, color=(0.03, 0.031, 0.034), roughness=0.14
        ),
        disc=Disc(radius_m=0.17, height_m=0.016, edge_m=0.004, color=(0.07, 0.05, 0.038), roughness=0.3),
        haze=Haze(on=True, path_m=26.0, forward=0.5, reach_m=3.0),
    )
    lights = (
        Light(id="key", name="Key", role="key", azimuth_deg=-42, elevation_deg=38, distance_m=1.3, width_m=0.5,
                  height_m=0.7, strength_stops=-3.0, temperature_k=5600),
        Light(id="left", name="Left strip", role="rim", azimuth_deg=-118, elevation_deg=24, distance_m=1.0,
                  width_m=0.1, height_m=0.9, strength_stops=-1.8, temperature_k=7200),
        Light(id="rim", name="Right strip", role="rim", azimuth_deg=124, elevation_deg=24, distance_m=1.0,
                  width_m=0.1, height_m=0.9, strength_stops=-2.3, temperature_k=8200),
    )  # fmt: skip
    project = Project(
        id="harbour-lantern", name="Harbour Lantern", items=(place(intake, stage),), subject_id=intake.item.id,
        materials=intake.materials, set=stage,
        looks=(Look(
            id="look-1", name="Harbour dusk", lights=lights, tone=Tone(ev100=6.9),
            environment=Environment(asset=content_hash(picture), source_name="harbour-dusk.exr", strength_stops=-3.0),
        ),),
        cameras=(Camera(id="camera-1", name="Camera 1", focal_mm=85, elevation_deg=8),),
        shots=(Shot(
            id="shot-1", name="Spin", camera_id="camera-1", look_id="look-1", frames=144,
            rows=(Row(id="disc", segments=(Segment(id="segment-1", kind="spin"),)),),
            shoot=ShootSettings(margin=0.07, samples=96, quality="fine", denoise_neighbours=True),
        ),),
        shot_id="shot-1",
    )  # fmt: skip
    fitted = lantern_looks(_fitted(project, intake), intake)
    return DemoProject(fitted, intake, model, {content_hash(picture): picture})
