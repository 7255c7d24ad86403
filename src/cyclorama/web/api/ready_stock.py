"""Ready stock of the program in the stockroom: sets, rigs, environments, gobos, materials."""

from typing import Annotated, Any, Literal, get_args

from fastapi import APIRouter, Depends
from fastapi.responses import FileResponse

from ...app.ready_stock import MADE, READY, TILES, Nothing, command_of, tile_path
from ...app.swatches import swatch_is_there
from ...core.errors import NotFoundError
from ...core.material.presets import PRESETS, with_preset
from ...core.render.film.swatch import swatch_key
from ...core.scene import Environment, Gobo, Material
from ...core.scene.light import MaskKind
from ...core.scene.stocked import Stocked, StockedEnvironment, StockedGobo
from ..context import Context, context

router = APIRouter(prefix="/api/stock/ready")
Ctx = Annotated[Context, Depends(context)]


def ready_things(ctx: Context) -> list[dict[str, Any]]:
    """All that comes with the program: kind, name, words, tile and the change that brings it in."""
    found: list[dict[str, Any]] = []

    def one(kind: str, name: str, says: str, tile: str | None, change: dict[str, Any]) -> None:
        found.append({"kind": kind, "name": name.capitalize(), "says": says, "tile": tile, "change": change})

    for kind, name in READY:
        change = command_of(kind, name).model_dump(mode="json", exclude_unset=True)
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


def _used(content: Any, name: str) -> dict[str, Any]:
    kept = Stocked(id="ready", name=name.capitalize(), content=content)
    return {"kind": "use_stocked", "stocked": kept.model_dump(mode="json")}


@router.get("/{kind}/{name}.jpg", response_class=FileResponse)
def tile(ctx: Ctx, kind: Literal["set", "rig", "haze", "liquid", "scatter"], name: str) -> FileResponse:
    """A ready set, a rig, haze, a liquid or a scatter; all are developed in the background when one is first wanted."""
    if (kind, name) not in TILES:
        raise NotFoundError("There is nothing ready of that name.")
    path = tile_path(ctx.studio, kind, name)
    if not path.exists():
        ctx.work.ask("ready", f"ready {MADE}", "Pictures of ready sets and rigs", Nothing())
        raise NotFoundError("That picture is not developed yet.")
    return FileResponse(path, headers={"Cache-Control": "private, max-age=86400"})
