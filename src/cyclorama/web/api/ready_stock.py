"""Ready stock of the program in the stockroom: sets, rigs, environments, gobos, materials."""

import hashlib
from functools import partial
from pathlib import Path
from typing import Annotated, Any, Literal, get_args

from fastapi import APIRouter, Depends
from fastapi.responses import FileResponse
from pydantic import BaseModel

from ...app.jobs import JobContext, Kind
from ...app.lens import Lens
from ...core.commands import perform
from ...core.commands.looks import ApplyRig
from ...core.commands.stock import SetUp
from ...core.errors import NotFoundError
from ...core.geometry.measure import Measures, measure
from ...core.material.presets import PRESETS, with_preset
from ...core.motion import moment_of_first
from ...core.render.compile.compiler import SceneCompiler
from ...core.render.film.picking import PickProbe
from ...core.render.film.swatch import still_of, swatch_body, swatch_compiler, swatch_key, swatch_studio
from ...core.render.film.tracer import Cancel, Tracer
from ...core.scene import Environment, Gobo, Item, Material, Project, put_all
from ...core.scene.light import MaskKind
from ...core.scene.saved_rig import ReadyRig
from ...core.scene.stocked import ReadySet, Stocked, StockedEnvironment, StockedGobo
from ...store import Studio
from ...store.assets import write_whole
from ...store.jobs import Result
from ..context import Context, context
from .tray import FOLDER, swatch_is_there

router = APIRouter(prefix="/api/stock/ready")
Ctx = Annotated[Context, Depends(context)]
MADE = 2
"""Counts with every change of what tiles show."""
SIZE, SAMPLES = (256, 160), 24
SHOWN = Material(id="m", name="Shown", base_color=(0.5, 0.05, 0.04), specular_roughness=0.3, coat_weight=0.8)
"""Worn by what stands in tiles: lacquer, in which lights draw themselves."""
FAULT = "The pictures of ready sets and rigs cannot be developed; the terminal that runs Cyclorama tells more."
_SHOWN = [("set", name) for name in get_args(ReadySet)] + [("rig", name) for name in get_args(ReadyRig)]


class Nothing(BaseModel):
    """Request for these pictures."""


def ready_things(ctx: Context) -> list[dict[str, Any]]:
    """All that comes with the program: kind, name, words, tile and the change that brings it in."""
    found: list[dict[str, Any]] = []

    def one(kind: str, name: str, says: str, tile: str | None, change: dict[str, Any]) -> None:
        found.append({"kind": kind, "name": name.capitalize(), "says": says, "tile": tile, "change": change})

    for kind, name in _SHOWN:
        change = _change(kind, name).model_dump(mode="json", exclude_unset=True)
        one(kind, name, "ready", f"/api/stock/ready/{kind}/{name}.jpg", change)
    for made, asset in ctx.environments.assets().items():
        environment = Environment(asset=asset, source_name=made.capitalize())
        one(
            "environment",
            made,
            "ready",
            f"/api/environments/{asset}.jpg",
            _used(StockedEnvironment(environment=environment), made),
        )
    for pattern in get_args(MaskKind):
        gobo = Gobo(pattern=pattern)
        tile = f"/api/gobo.png?gobo={gobo.model_dump_json(include={'pattern'})}&wide=1&roll_deg=0"
        one("gobo", pattern, "ready", tile, _used(StockedGobo(gobo=gobo), pattern))
    for preset in PRESETS:
        key = swatch_key(with_preset(Material(id="preset", name=preset), preset))
        swatch = f"/api/swatches/{key}.jpg" if swatch_is_there(ctx.studio, key) else None
        one("material", preset, "ready", swatch, {"kind": "dress", "preset": preset})
    return found


def _change(kind: str, name: str) -> SetUp | ApplyRig:
    """Command that brings a ready set or rig in."""
    if kind == "set":
        return SetUp.model_validate({"kind": "set_up", "ready": name})
    return ApplyRig.model_validate({"kind": "rig", "rig": name})


def _used(content: Any, name: str) -> dict[str, Any]:
    kept = Stocked(id="ready", name=name.capitalize(), content=content)
    return {"kind": "use_stocked", "stocked": kept.model_dump(mode="json")}


@router.get("/{kind}/{name}.jpg", response_class=FileResponse)
def tile(ctx: Ctx, kind: Literal["set", "rig"], name: str) -> FileResponse:
    """A ready set or rig with something in it; all of them are developed in the background when one is first wanted."""
    if (kind, name) not in _SHOWN:
        raise NotFoundError("There is nothing ready of that name.")
    path = _path(ctx.studio, kind, name)
    if not path.exists():
        ctx.work.ask("ready", f"ready {MADE}", "Pictures of ready sets and rigs", Nothing())
        raise NotFoundError("That picture is not developed yet.")
    return FileResponse(path, headers={"Cache-Control": "private, max-age=86400"})


def _path(studio: Studio, kind: str, name: str) -> Path:
    key = hashlib.sha256(f"{MADE} {SIZE} {SAMPLES} {kind} {name}".encode()).hexdigest()[:32]
    return studio.folder / FOLDER / f"{key}.jpg"


def ready_kind(studio: Studio, lens: Lens) -> Kind:
    """Job kind that renders pictures of ready stock: one after the other."""
    return Kind(lambda job, hand: _develop(studio, lens, hand), FAULT, at_once=1, at_leisure=True)


def _develop(studio: Studio, lens: Lens, hand: JobContext) -> Result:
    compiler = swatch_compiler(studio.assets.get)
    for done, (kind, name) in enumerate(_SHOWN):
        hand.tell(name.capitalize(), done / len(_SHOWN))
        path = _path(studio, kind, name)
        if path.exists():
            continue
        picture = lens.at_leisure(partial(_picture, _change(kind, name), compiler), hand.unwanted)
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, picture)
    return {"pictures": len(_SHOWN)}


def _picture(
    change: SetUp | ApplyRig, compiler: SceneCompiler, _: SceneCompiler, tracer: Tracer, cancelled: Cancel
) -> bytes:  # fmt: skip
    project, _label = perform(_stage(), change, _measures, PickProbe(compiler, tracer))
    return still_of(moment_of_first(project), compiler, tracer, SIZE, SAMPLES, cancelled)


def _stage() -> Project:
    return put_all(swatch_studio(), {
        "materials": (SHOWN,), "shot/shoot/width": SIZE[0], "shot/shoot/height": SIZE[1],
        "set/sweep/color": (0.35, 0.35, 0.36),
    })  # fmt: skip


def _measures(item: Item) -> Measures | None:
    return measure(swatch_body())
