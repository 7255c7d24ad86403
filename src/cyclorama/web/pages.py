"""The pages."""

from pathlib import Path
from typing import Annotated, Any, get_args

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, Response
from fastapi.templating import Jinja2Templates

from ..core.material.presets import PRESETS
from ..core.scene import MaterialMaps, Project, range_of
from ..core.scene.light import Shape
from ..core.scene.material import PatternKind
from ..core.sheet.review import review
from ..core.sheet.stations import move_sentence
from ..store import TakeRecord
from .context import Context, context

router = APIRouter(include_in_schema=False)
Ctx = Annotated[Context, Depends(context)]
templates = Jinja2Templates(Path(__file__).parent / "templates")
templates.env.globals["range_of"] = range_of


_CARD_LISTS = {
    "presets": list(PRESETS),
    "map_slots": list(MaterialMaps.model_fields),
    "patterns": list(get_args(PatternKind)),
    "shapes": list(get_args(Shape)),
    "shape_options": [(shape, shape.capitalize()) for shape in get_args(Shape)],
}
"""What the cards offer to choose from."""


@router.get("/")
def wall(request: Request, ctx: Ctx) -> HTMLResponse:
    """The reel wall."""
    cards = [_wall_card(ctx, project_id) for project_id in ctx.studio.projects.ids()]
    return templates.TemplateResponse(request, "wall.html", {"cards": cards})


def _wall_card(ctx: Context, project_id: str) -> dict[str, Any]:
    saved = ctx.studio.projects.get(project_id)
    takes = [t for t in ctx.studio.takes.all(project_id) if t.frames]
    best: TakeRecord | None = next((t for t in takes if t.state == "done"), takes[0] if takes else None)
    project: Project = saved.project
    return {
        "project": project,
        "sentence": move_sentence(review(project, ctx.studio.measures(project))),
        "take": best,
        "frames": sorted(best.frames) if best else [],
        "takes": len(takes),
        "updated": saved.updated,
    }


@router.get("/projects/{project_id}")
def studio_floor(request: Request, ctx: Ctx, project_id: str) -> HTMLResponse:
    """The studio floor."""
    project = ctx.studio.projects.get(project_id).project
    return templates.TemplateResponse(request, "studio.html", {"project": project, **_CARD_LISTS})


@router.get("/shoots")
def shoots(request: Request) -> HTMLResponse:
    """The shoot log."""
    return templates.TemplateResponse(request, "shoots.html", {})


@router.get("/takes/{take_id}")
def screening(request: Request, ctx: Ctx, take_id: str) -> HTMLResponse:
    """The screening room."""
    take = ctx.studio.takes.get(take_id)
    return templates.TemplateResponse(request, "screening.html", {"take": take, "project": take.project})


def problem_page(request: Request, sentence: str, status: int) -> Response:
    """A page that says what is wrong and leads back."""
    return templates.TemplateResponse(request, "problem.html", {"sentence": sentence}, status_code=status)
