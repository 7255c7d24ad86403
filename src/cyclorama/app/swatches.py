"""Swatches of materials, developed in the background; each is kept under what it shows."""

from functools import partial
from pathlib import Path

from pydantic import BaseModel

from ..core.errors import NotFoundError
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.swatch import swatch_compiler, swatch_of
from ..core.render.film.tracer import Cancel, Tracer
from ..core.scene import Look, Material
from ..store import Studio
from ..store.assets import write_whole
from ..store.jobs import Job, Result
from .jobs import JobContext, Kind
from .lens import Lens
from .shipped import shipped_or

FOLDER = "swatches"


FAULT = "Swatches cannot be developed; the terminal that runs Cyclorama tells more."


class SwatchRequest(BaseModel):
    """Request for swatches."""

    materials: dict[str, Material]
    """by the keys of their swatches"""
    look: Look | None = None
    """in whose light; None: in neutral light"""


def swatch_path(studio: Studio, key: str) -> Path:
    return shipped_or(studio.folder / FOLDER / f"{key}.jpg")


def swatch_is_there(studio: Studio, key: str) -> bool:
    """True when a swatch is developed."""
    return swatch_path(studio, key).exists()


def swatch_kind(studio: Studio, lens: Lens) -> Kind:
    """Job kind that renders swatches: one set at a time."""
    return Kind(lambda job, hand: _develop(studio, lens, job, hand), FAULT, at_once=1, at_leisure=True)


def _develop(studio: Studio, lens: Lens, job: Job, hand: JobContext) -> Result:
    spec = SwatchRequest.model_validate_json(job.spec)
    wanted = spec.materials
    compiler, broken = swatch_compiler(studio.assets.get), list[str]()
    for done, (key, material) in enumerate(wanted.items()):
        hand.tell(material.name, done / len(wanted))
        path = swatch_path(studio, key)
        if path.exists():
            continue
        try:
            picture = lens.at_leisure(partial(_swatch, material, compiler, spec.look), hand.unwanted)
        except NotFoundError as error:  # a map is gone: the others have swatches all the same
            broken.append(f"‘{material.name}’: {error.sentence}")
            continue
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, picture)
    if broken:
        raise NotFoundError(" ".join(broken))
    return {"swatches": len(wanted)}


def _swatch(
    material: Material, compiler: SceneCompiler, look: Look | None, _: SceneCompiler, tracer: Tracer, cancelled: Cancel
) -> bytes:
    return swatch_of(material, compiler, tracer, look, cancelled)
