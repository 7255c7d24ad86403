"""The pages."""

from pathlib import Path
from typing import Annotated, get_args

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, HTMLResponse

from ...app.guide_pages import PICTURES, guide_pages
from ...app.schema import schema
from ...core.cut.document import Cut
from ...core.errors import NotFoundError
from ...core.geometry.arrangements import ARRANGEMENTS
from ...core.geometry.read.formats import file_endings
from ...core.kind_fields import shared_fields
from ...core.light.kinds import KINDS, fields_of
from ...core.light.studio_environments import STUDIOS
from ...core.material.presets import LIQUIDS, PRESETS
from ...core.material.variations import Vary
from ...core.motion.segments import SEGMENTS
from ...core.picture.scopes import false_colour_legend
from ...core.scene import Light, Property, Segment, place_of
from ...core.scene.copies import Copies
from ...core.scene.delivery import COMMON_FORMATS
from ...core.scene.haze import THICKNESSES
from ...core.scene.material import PatternKind
from ...core.scene.path import PathShape
from ...core.scene.property import affects_everywhere, keyable_everywhere
from ...core.scene.saved_rig import ReadyRig
from ...core.scene.stocked import STOCK_TITLES, ReadyScatter, ReadySet
from ...core.scene.surface_layer import LayerKind
from ..context import Context, context
from ..problems import templates

router = APIRouter(include_in_schema=False)
Ctx = Annotated[Context, Depends(context)]


def _place(path: str) -> Property:
    """The property of a control: of the project or, after `cut/`, of its cut."""
    return place_of(path.removeprefix("cut/"), Cut) if path.startswith("cut/") else place_of(path)


templates.env.globals["place_of"] = _place
templates.env.globals["gestures"] = lambda: next(p.html for p in guide_pages() if p.key == "pointer")
templates.env.globals["model_files"] = lambda: ",".join(file_endings())
templates.env.globals["schema"] = lambda: schema().model_dump_json()


_VARIED = {
    "specular_roughness": "roughness",
    "base_metalness": "metalness",
    "specular_ior": "IOR",
    "specular_roughness_anisotropy": "anisotropy",
    "thin_film_thickness_nm": "film thickness",
}
_SAVED_WHERE = {
    "set": "Set card, Save set.",
    "model": "Subject card, Save.",
    "look": "Light card, Looks, Save.",
    "rig": "Light card, Save.",
    "environment": "Light card, Environment, Save.",
    "gobo": "Light card, Gobo, Save.",
    "backdrop": "Set card, Background, Save.",
    "material": "Materials card, Save.",
    "palette": "Materials card, Colours, Save.",
    "move": "Camera card, Save move.",
}
STOCK_KINDS = [(kind, title, _SAVED_WHERE[kind]) for kind, title in STOCK_TITLES.items()]
"""Kinds of saved things: name, title, and the card with the button that saves one."""


_LIGHT_FIELDS = shared_fields((kind.shape, kind.sizes) for kind in KINDS.values())
_COPIES_FIELDS = shared_fields((kind.arrangement, kind.fields) for kind in ARRANGEMENTS.values())
_SEGMENT_FIELDS = shared_fields((kind.kind, kind.fields) for kind in SEGMENTS.values())


def _shapes_with(field: str) -> str:
    """Kinds of lights that have a field: `disc|ring`."""
    return "|".join(kind.shape for kind in KINDS.values() if field in fields_of(kind))


_CARD_LISTS = {
    "rates": [
        ("23.976", 24000, 1001),
        ("24", 24, 1),
        ("25", 25, 1),
        ("29.97", 30000, 1001),
        ("30", 30, 1),
        ("48", 48, 1),
        ("50", 50, 1),
        ("59.94", 60000, 1001),
        ("60", 60, 1),
    ],
    "sensors": [
        ("full frame, 36 mm", "36"),
        ("Super 35, 24.89 mm", "24.89"),
        ("APS-C, 23.6 mm", "23.6"),
        ("Four Thirds, 17.3 mm", "17.3"),
        ("one inch, 13.2 mm", "13.2"),
        ("medium format, 43.8 mm", "43.8"),
        ("medium format, 53.4 mm", "53.4"),
        ("65 mm film, 52.5 mm", "52.5"),
    ],
    "path_shapes": get_args(PathShape),
    "rigs": get_args(ReadyRig),
    "studios": STUDIOS,
    "ready_sets": get_args(ReadySet),
    "liquids": ["none", *LIQUIDS],
    "scatters": get_args(ReadyScatter),
    "arrangements": [(kind.arrangement, kind.title, kind.says) for kind in ARRANGEMENTS.values()],
    "copies_fields": [(f, ks, Copies.model_fields[f.name].default) for f, ks in _COPIES_FIELDS],
    "hazes": [("off", "Clear air"), *((name, haze.says) for name, haze in THICKNESSES.items())],
    "stock_kinds": STOCK_KINDS,
    "segment_kinds": [(kind.kind, kind.title) for kind in SEGMENTS.values() if kind.kind != "spin"],
    "segment_fields": [(f, ks, Segment.model_fields[f.name].default) for f, ks in _SEGMENT_FIELDS],
    "formats": COMMON_FORMATS,
    "presets": list(PRESETS),
    "maps": schema().maps,
    "varied": [(what, _VARIED.get(what, what.replace("_", " ")).capitalize()) for what in get_args(Vary)],
    "finishes": [
        ("white paper", (0.8, 0.79, 0.77), 0.9),
        ("grey paper", (0.35, 0.35, 0.35), 0.9),
        ("warm paper", (0.74, 0.66, 0.55), 0.9),
        ("dark gloss", (0.012, 0.012, 0.014), 0.08),
        ("white gloss", (0.8, 0.8, 0.8), 0.1),
        ("black felt", (0.006, 0.006, 0.006), 1.0),
        ("concrete", (0.32, 0.31, 0.3), 0.65),
    ],
    "layer_kinds": get_args(LayerKind),
    "patterns": list(get_args(PatternKind)),
    "light_kinds": [(kind.shape, kind.title) for kind in KINDS.values()],
    "light_fields": [(f, shapes, Light.model_fields[f.name].default) for f, shapes in _LIGHT_FIELDS],
    "shapes_with": {name: _shapes_with(name) for name in ("distance_m", "grid_deg", "gobo")},
    "shapes_without_beam": "|".join(kind.shape for kind in KINDS.values() if not kind.beam),
}
"""What the cards offer to choose from."""


@router.get("/")
def wall(request: Request, ctx: Ctx) -> HTMLResponse:
    """The reel wall."""
    return templates.TemplateResponse(request, "wall.html", {"cards": ctx.wall.cards(), "building": ctx.building()})


@router.get("/projects/{project_id}")
def studio_floor(request: Request, ctx: Ctx, project_id: str) -> HTMLResponse:
    """The studio floor."""
    project = ctx.studio.projects.get(project_id).project
    return templates.TemplateResponse(
        request,
        "studio.html",
        {"project": project, "affects": affects_everywhere(), "keyable": keyable_everywhere(), **_CARD_LISTS},
    )


@router.get("/projects/{project_id}/cut")
def cutting_bench(request: Request, ctx: Ctx, project_id: str) -> HTMLResponse:
    """The cutting bench."""
    project = ctx.studio.projects.get(project_id).project
    shown = {"project": project, "rates": _CARD_LISTS["rates"], "gallery": ctx.own_gallery is not None}
    return templates.TemplateResponse(request, "cut.html", shown)


@router.get("/shoots")
def shoots(request: Request) -> HTMLResponse:
    """The shoot log."""
    return templates.TemplateResponse(request, "shoots.html", {})


@router.get("/stock")
def stockroom(request: Request) -> HTMLResponse:
    """The stockroom."""
    return templates.TemplateResponse(request, "stock.html", {"kinds": STOCK_KINDS})


@router.get("/bin")
def bin_page(request: Request) -> HTMLResponse:
    """The bin."""
    return templates.TemplateResponse(request, "bin.html", {})


@router.get("/access")
def access(request: Request) -> HTMLResponse:
    """Tokens of programs."""
    return templates.TemplateResponse(request, "access.html", {})


@router.get("/guide")
def guide(request: Request) -> HTMLResponse:
    """The guide."""
    return templates.TemplateResponse(request, "guide.html", {"pages": guide_pages()})


@router.get("/guide/pictures/{name}")
def guide_picture(name: str) -> FileResponse:
    """A picture of the guide."""
    path = PICTURES / Path(name).name
    if not path.is_file():
        raise NotFoundError("The guide has no such picture.")
    return FileResponse(path, media_type="image/webp")


@router.get("/takes/{take_id}")
def screening(request: Request, ctx: Ctx, take_id: str) -> HTMLResponse:
    """The screening room."""
    take = ctx.studio.takes.get(take_id)
    return templates.TemplateResponse(
        request, "screening.html", {"take": take, "project": take.project, "false_colours": false_colour_legend()}
    )
