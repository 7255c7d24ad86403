"""Pictures of projects for the reel wall: drawn at once, developed in the background.

A page never waits for a poster: it is told that there is none yet and why, shows the drawing and asks again. So a page
that is left takes nothing along, and one project's poster is developed once however many pages ask.
"""

from pathlib import Path

from pydantic import BaseModel

from ..core.errors import CycloramaError, DamagedError
from ..core.geometry.cache_keys import standin_key
from ..core.geometry.primitives import build_made
from ..core.geometry.standin_file import in_parts, pack_meshes
from ..core.motion import moment_of_first
from ..core.picture.sketch import sketch
from ..core.scene import Item
from ..store import Saved, Studio
from ..store.assets import write_whole
from ..store.jobs import Job, Result
from .jobs import JobContext, JobRunner, Kind, Unwanted
from .lens import Lens

FOLDER = "posters"
DEVELOPING = "Developing"
FAULT = "This picture cannot be developed; the terminal that runs Cyclorama tells more."


class PosterJob(BaseModel):
    """Request for a poster."""

    project_id: str
    version: int


class Posters:
    """Posters that are there, and asking for those that are not."""

    def __init__(self, studio: Studio, lens: Lens, work: JobRunner):
        self._studio, self._lens, self._work = studio, lens, work

    def get(self, project_id: str) -> bytes | str:
        """The poster of a project as it stands, or a sentence why there is none yet; then it is on its way."""
        saved = self._studio.projects.get(project_id)
        path = _path(self._studio, saved)
        if path.exists():
            return path.read_bytes()
        before = self._studio.jobs.find("poster", path.stem)
        if before is not None and before.state == "failed":
            return before.message
        name = saved.project.name
        self._work.ask("poster", path.stem, name, PosterJob(project_id=project_id, version=saved.version))
        return DEVELOPING if self._lens.ready.is_set() else self._lens.preparing

    def sketch(self, project_id: str) -> bytes:
        """A drawing of the first frame from the stand-in, as PNG: there at once."""
        project = self._studio.projects.get(project_id).project
        try:
            return sketch(moment_of_first(project), {x.id: self._standin(x) for x in project.items})
        except (CycloramaError, ValueError, KeyError) as error:
            raise DamagedError(f"‘{project.name}’ cannot be drawn: its model is gone or damaged.") from error

    def _standin(self, item: Item) -> bytes:
        if item.made is not None:
            return pack_meshes(in_parts(build_made(item.made, self._studio.assets.get)))
        return self._studio.assets.get(standin_key(item.asset))


def poster_kind(studio: Studio, lens: Lens) -> Kind:
    """Job kind that renders posters: one at a time, the latest request first."""
    return Kind(lambda job, hand: _develop(studio, lens, job, hand), FAULT, at_once=1, at_leisure=True)


def _develop(studio: Studio, lens: Lens, job: Job, hand: JobContext) -> Result:
    spec = PosterJob.model_validate_json(job.spec)
    saved = studio.projects.get(spec.project_id)
    if saved.version != spec.version:
        raise Unwanted  # whoever looks at the wall asks for it as it stands now
    path = _path(studio, saved)
    path.parent.mkdir(exist_ok=True)
    write_whole(path, lens.poster(saved.project, hand.unwanted))
    for old in path.parent.glob(f"{spec.project_id}.*.jpg"):
        if old != path:
            old.unlink(missing_ok=True)
    return {}


def _path(studio: Studio, saved: Saved) -> Path:
    return studio.folder / FOLDER / f"{saved.project.id}.{saved.version}.jpg"
