"""What comes with the program, as the stockroom shows it: sets, rigs, environments, gobos, materials."""

import hashlib
from pathlib import Path
from typing import Annotated, Any, Literal, get_args

from fastapi import APIRouter, Depends
from fastapi.responses import FileResponse
from pydantic import TypeAdapter, ValidationError

from ..core.errors import NotFoundError
from ..core.geometry.measure import Measures, measure
from ..core.material.presets import PRESETS, with_preset
from ..core.motion import moment_of_first
from ..core.render.film.eye import Eye
from ..core.render.film.swatch import still_of, swatch_body, swatch_compiler, swatch_key, swatch_studio
from ..core.scene import Environment, Gobo, Item, Material, Project, put_all
from ..core.scene.light import MaskKind
from ..core.scene.look_changes import ApplyRig, ReadyRig
from ..core.scene.stocked import ReadySet, SetUp, Stocked, StockedEnvironment, StockedGobo
from ..core.sheet import perform
from ..store.assets import write_whole
from .context import Context, context
from .tray import FOLDER, swatch_is_there

router = APIRouter(prefix="/api/stock/ready")
Ctx = Annotated[Context, Depends(context)]
MADE = 1
"""Counts with every change of what tiles show."""
SIZE, SAMPLES = (256, 160), 24
SHOWN = Material(id="m", name="Shown", base_color=(0.5, 0.05, 0.04), specular_roughness=0.3, coat_weight=0.8)
"""Worn by what stands in tiles: lacquer, in which lights draw themselves."""
_READY: TypeAdapter[SetUp | ApplyRig] = TypeAdapter(SetUp | ApplyRig)


def ready_things(ctx: Context) -> list[dict[str, Any]]:
    """All that comes with the program: kind, name, words, tile and the change that brings it in."""
    found: list[dict[str, Any]] = []

    def one(kind: str, name: str, says: str, tile: str | None, change: dict[str, Any]) -> None:
        found.append({"kind": kind, "name": name.capitalize(), "says": says, "tile": tile, "change": change})

    for ready in get_args(ReadySet):
        one("set", ready, "ready", f"/api/stock/ready/set/{ready}.jpg", {"kind": "set_up", "ready": ready})
    for rig in get_args(ReadyRig):
        one("rig", rig, "ready", f"/api/stock/ready/rig/{rig}.jpg", {"kind": "rig", "rig": rig})
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


def _used(content: Any, name: str) -> dict[str, Any]:
    kept = Stocked(id="ready", name=name.capitalize(), content=content)
    return {"kind": "use_stocked", "stocked": kept.model_dump(mode="json")}


@router.get("/{kind}/{name}.jpg", response_class=FileResponse)
def tile(ctx: Ctx, kind: Literal["set", "rig"], name: str) -> FileResponse:
    """A ready set or rig with something in it; developed when it is first wanted."""
    told = {"kind": "set_up", "ready": name} if kind == "set" else {"kind": "rig", "rig": name}
    try:
        change = _READY.validate_python(told)
    except ValidationError as error:
        raise NotFoundError("There is nothing ready of that name.") from error
    path = _path(ctx, f"{kind} {name}")
    if not path.exists():
        with ctx.lens.borrowed(wait=False) as (_, tracer):
            compiler = swatch_compiler(ctx.studio.assets.get)
            project, _ = perform(_stage(), change, _measures, Eye(compiler, tracer))
            picture = still_of(moment_of_first(project), compiler, tracer, SIZE, SAMPLES)
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, picture)
    return FileResponse(path, headers={"Cache-Control": "private, max-age=86400"})


def _path(ctx: Context, what: str) -> Path:
    key = hashlib.sha256(f"{MADE} {SIZE} {SAMPLES} {what}".encode()).hexdigest()[:32]
    return ctx.studio.folder / FOLDER / f"{key}.jpg"


def _stage() -> Project:
    return put_all(swatch_studio(), {
        "materials": (SHOWN,), "shot/shoot/width": SIZE[0], "shot/shoot/height": SIZE[1],
        "set/sweep/color": (0.35, 0.35, 0.36),
    })  # fmt: skip


def _measures(item: Item) -> Measures | None:
    return measure(swatch_body())
