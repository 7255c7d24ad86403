"""Bundles of projects, packed in the background, with their takes where those are wanted."""

from functools import partial
from pathlib import Path

import numpy as np
from pydantic import BaseModel

from ..core.motion import moment
from ..core.picture.exr import main_picture
from ..core.render.film.frame import finish_of
from ..core.review.phrases import data_size
from ..core.scene import Project
from ..core.sequence.names import frame_name
from ..shoot.frames.executors import shown_files
from ..shoot.frames.files import sum_of, thumb_path
from ..store import FileSum, Studio, TakeRecord
from ..store.assets import write_whole
from ..store.bundle import pack_bundle, takes_for
from ..store.bundled_takes import Show, TakesIn, files_of
from ..store.jobs import Job, Result
from ..store.takes import MASTER, THUMB
from .jobs import JobContext, Kind

FOLDER = "bundles"


FAULT = "The project could not be packed; the terminal that runs Cyclorama tells more."


class BundleWishes(BaseModel):
    """Takes that go into a bundle."""

    takes: TakesIn = "none"
    masters_only: bool = False
    """without their pictures and passes"""


class Packed(BundleWishes):
    """Request to pack a bundle."""

    project_id: str


class BundleTakes(BaseModel):
    """Room that the takes of a project take in a bundle."""

    takes: TakesIn
    count: int
    size: str
    masters_size: str
    """of their masters alone"""


def bundle_choices(studio: Studio, project_id: str) -> list[BundleTakes]:
    """Choices of takes for a bundle. Raises NotFoundError."""
    studio.projects.version(project_id)
    every, shown = takes_for(studio, project_id, "all"), studio.cuts.get(project_id).cut.take_ids
    used = [take for take in every if take.id in shown]
    return [_choice("none", []), _choice("used", used), _choice("all", every)]


def _choice(which: TakesIn, takes: list[TakeRecord]) -> BundleTakes:
    masters = sum(path.stat().st_size for take in takes for path in files_of(take, True).values())
    size = data_size(sum(take.disk_bytes for take in takes))
    return BundleTakes(takes=which, count=len(takes), size=size, masters_size=data_size(masters))


def shown_from_master(studio: Studio) -> Show:
    """Makes the files that show a frame of a take that came with its masters alone."""

    def show(folder: Path, project: Project, number: int) -> dict[str, FileSum]:
        name = frame_name(project, number)
        path = folder / MASTER / Path(name).with_suffix(".exr")
        picture = main_picture(path.read_bytes(), path.name).astype(np.float32)
        here, alpha = moment(project, number), picture[..., 3] if picture.shape[2] == 4 else None
        linear = np.ascontiguousarray(picture[..., :3])
        sums = {}
        for kind, data in shown_files(linear, alpha, finish_of(here), here.shoot, studio.assets.get):
            target = thumb_path(folder, number) if kind == THUMB else folder / kind / name
            target.parent.mkdir(exist_ok=True)
            write_whole(target, data)
            sums[kind] = sum_of(data)
        return sums

    return show


def bundle_path(studio: Studio, project_id: str) -> Path:
    return studio.folder / FOLDER / f"{project_id}.zip"


def bundle_kind(studio: Studio) -> Kind:
    """Job kind that packs bundles."""

    def do(job: Job, hand: JobContext) -> Result:
        asked = Packed.model_validate_json(job.spec)
        path = bundle_path(studio, asked.project_id)
        path.parent.mkdir(exist_ok=True)
        told = partial(hand.tell, "Packing")
        manifest = pack_bundle(studio, asked.project_id, path, told, asked.takes, asked.masters_only)
        return {"files": len(manifest.files), "missing": len(manifest.missing)}

    return Kind(do, FAULT)
