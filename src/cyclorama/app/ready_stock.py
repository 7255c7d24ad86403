"""Pictures of ready sets and rigs, developed in the background."""

import hashlib
from functools import partial
from pathlib import Path
from typing import get_args

from pydantic import BaseModel

from ..core.commands import perform
from ..core.commands.copies import ScatterReady
from ..core.commands.filling import FillItem
from ..core.commands.haze import SetHaze
from ..core.commands.lists import with_lights_aimed
from ..core.commands.looks import ApplyRig
from ..core.commands.stock import SetUp
from ..core.geometry.measure import Measures, measure
from ..core.light.rigs import LIT_RIGS
from ..core.material.presets import LIQUIDS, with_preset
from ..core.motion import moment_of_first
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.picking import PickProbe
from ..core.render.film.swatch import TUMBLER, still_of, swatch_body, swatch_compiler, swatch_studio
from ..core.render.film.tracer import Cancel, Tracer
from ..core.scene import Aim, Gobo, Item, Light, Material, Project, put_all
from ..core.scene.haze import THICKNESSES
from ..core.scene.stocked import ReadyScatter, ReadySet
from ..core.scene.writing import revise
from ..core.stock.scatters import SCATTERS
from ..store import Studio
from ..store.assets import write_whole
from ..store.jobs import Result
from .jobs import JobContext, Kind
from .lens import Lens
from .shipped import shipped_or
from .swatches import FOLDER

MADE = 2
"""Counts with every change of what tiles show."""


SIZE, SAMPLES, CLEAR_SAMPLES = (256, 160), 24, 128
"""Light that goes through glass is found by chance alone."""


SHOWN = Material(id="m", name="Shown", base_color=(0.5, 0.05, 0.04), specular_roughness=0.3, coat_weight=0.8)
"""Worn by what stands in tiles: lacquer, in which lights draw themselves."""


FAULT = "The pictures of ready sets and rigs cannot be developed; the terminal that runs Cyclorama tells more."


READY = [("set", name) for name in get_args(ReadySet)] + [("rig", name) for name in LIT_RIGS]
_CHOSEN = {"haze": ("off", *THICKNESSES), "liquid": ("none", *LIQUIDS), "scatter": get_args(ReadyScatter)}
TILES = READY + [(kind, name) for kind, names in _CHOSEN.items() for name in names]
"""All that has a picture."""


Ready = SetUp | ApplyRig | SetHaze | FillItem | ScatterReady


class Nothing(BaseModel):
    """Request for these pictures."""


def command_of(kind: str, name: str) -> Ready:
    """Command that brings a ready set, a rig, haze, a liquid or a scatter in."""
    if kind == "scatter":
        return ScatterReady.model_validate({"kind": "scatter", "ready": name})
    if kind == "liquid":
        return FillItem.model_validate({"kind": "fill", "item": "body", "liquid": name})
    if kind == "haze":
        return SetHaze.model_validate({"kind": "set_haze", "thickness": name})
    if kind == "set":
        return SetUp.model_validate({"kind": "set_up", "ready": name})
    return ApplyRig.model_validate({"kind": "rig", "rig": name})


def tile_name(kind: str, name: str) -> str:
    """File name of the picture of a ready set or rig."""
    return hashlib.sha256(f"{MADE} {SIZE} {SAMPLES} {kind} {name}".encode()).hexdigest()[:32] + ".jpg"


def tile_path(studio: Studio, kind: str, name: str) -> Path:
    return shipped_or(studio.folder / FOLDER / tile_name(kind, name))


def ready_kind(studio: Studio, lens: Lens) -> Kind:
    """Job kind that renders pictures of ready stock: one after the other."""
    return Kind(lambda job, hand: _develop(studio, lens, hand), FAULT, at_once=1, at_leisure=True)


def _develop(studio: Studio, lens: Lens, hand: JobContext) -> Result:
    compiler = swatch_compiler(studio.assets.get)
    for done, (kind, name) in enumerate(TILES):
        hand.tell(name.capitalize(), done / len(TILES))
        path = tile_path(studio, kind, name)
        if path.exists():
            continue
        picture = lens.at_leisure(partial(_picture, command_of(kind, name), compiler), hand.unwanted)
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, picture)
    return {"pictures": len(TILES)}


def _picture(change: Ready, compiler: SceneCompiler, _: SceneCompiler, tracer: Tracer, cancelled: Cancel) -> bytes:
    return ready_picture(change, compiler, tracer, cancelled)


def ready_picture(change: Ready, compiler: SceneCompiler, tracer: Tracer, cancelled: Cancel = lambda: False) -> bytes:
    """Picture of a ready set, a rig, haze with something in it, a liquid in a tumbler, or a scatter, as JPEG.

    Raises Cancelled.
    """
    if isinstance(change, FillItem):
        filled = moment_of_first(tumbler_with(change, compiler, tracer))
        return still_of(filled, compiler, tracer, SIZE, CLEAR_SAMPLES, cancelled)
    project = _in_a_beam() if isinstance(change, SetHaze) else _stage()
    if isinstance(change, ScatterReady):
        on_subject = SCATTERS[change.ready].on_subject
        project = put_all(project, {"camera/distance_m": 0.26}) if on_subject else _bare_floor(project)
    if change != SetHaze(thickness="off"):  # its air is clear already
        project, _label = perform(project, change, _measures, PickProbe(compiler, tracer))
    return still_of(moment_of_first(project), compiler, tracer, SIZE, SAMPLES, cancelled)


def _stage() -> Project:
    return put_all(
        swatch_studio(),
        {
            "materials": (SHOWN,),
            "shot/shoot/width": SIZE[0],
            "shot/shoot/height": SIZE[1],
            "set/sweep/color": (0.35, 0.35, 0.36),
        },
    )


def _bare_floor(stage: Project) -> Project:
    """The floor alone, seen from near by."""
    aim = Aim(y_m=0.0)
    values = {"subject_id": None, "items": (), "camera/aim": aim, **with_lights_aimed(stage.look, aim)}
    return put_all(stage, values | {"camera/distance_m": 0.3, "camera/elevation_deg": 32.0})


def _in_a_beam() -> Project:
    """The same, lit from behind by a beam through a window."""
    stage = _stage()
    beam = Light(
        id="beam", name="Beam", shape="spot", azimuth_deg=-140, elevation_deg=40, distance_m=0.5, width_m=0.01,
        cone_deg=32, edge=0.2, strength_stops=-4.2, aim=stage.camera.aim, gobo=Gobo(pattern="window", softness=0.05),
    )  # fmt: skip
    values = {"look/lights": (beam, *stage.look.lights[:1]), "camera/elevation_deg": 8.0, "camera/distance_m": 0.6}
    return put_all(stage, values | {f"look/lights/{stage.look.lights[0].id}/strength_stops": -3.5})


def tumbler_with(change: FillItem, compiler: SceneCompiler, tracer: Tracer) -> Project:
    """A glass with a liquid in it, or empty; compiler: one that knows the glass (`swatch_compiler`)."""
    stage = _stage()
    glass = with_preset(Material(id="m", name="Glass"), "Clear glass")
    item = revise(stage.items[0], asset=TUMBLER)
    seen = {"elevation_deg": 12.0, "distance_m": 0.33, "aim/y_m": 0.032}
    values = {"items": (item,), "materials": (glass,), "set/sweep/color": (0.7, 0.7, 0.7), "look/tone/ev100": 8.9}
    project = put_all(stage, values | {f"camera/{name}": value for name, value in seen.items()})
    if change.liquid == "none":
        return project
    return perform(project, change, _measures, PickProbe(compiler, tracer))[0]


def _measures(item: Item) -> Measures | None:
    return measure(swatch_body())
