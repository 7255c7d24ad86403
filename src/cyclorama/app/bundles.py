"""Bundles of projects, packed in the background."""

from pathlib import Path

from pydantic import BaseModel

from ..store import Studio
from ..store.bundle import pack_bundle
from ..store.jobs import Job, Result
from .jobs import JobContext, Kind

FOLDER = "bundles"


FAULT = "The project could not be packed; the terminal that runs Cyclorama tells more."


class Packed(BaseModel):
    """Request to pack a bundle."""

    project_id: str


def bundle_path(studio: Studio, project_id: str) -> Path:
    return studio.folder / FOLDER / f"{project_id}.zip"


def bundle_kind(studio: Studio) -> Kind:
    """Job kind that packs bundles."""

    def do(job: Job, hand: JobContext) -> Result:
        project_id = Packed.model_validate_json(job.spec).project_id
        path = bundle_path(studio, project_id)
        path.parent.mkdir(exist_ok=True)
        manifest = pack_bundle(studio, project_id, path, lambda share: hand.tell("Packing", share))
        return {"files": len(manifest.files), "missing": len(manifest.missing)}

    return Kind(do, FAULT)
