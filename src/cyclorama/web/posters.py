"""Pictures of projects for the reel wall: drawn at once, developed in the background.

A page never waits for a poster: it is told that there is none yet and why, shows the drawing and asks again. So a page
that is left takes nothing along, and one project's poster is developed once however many pages ask.
"""

import logging
import threading
from pathlib import Path

from ..core.errors import BusyError, CycloramaError, DamagedError, SpaceError
from ..core.geometry.kept import standin_key
from ..core.geometry.made import build_made
from ..core.geometry.standin_file import pack_meshes
from ..core.motion import moment_of_first
from ..core.picture.sketch import sketch
from ..core.scene import Item
from ..store import Saved, Studio
from ..store.assets import write_whole
from .lens import Lens

FOLDER = "posters"
DEVELOPING = "Developing"
FAULT = "This picture cannot be developed; the terminal that runs Cyclorama tells more."
_log = logging.getLogger(__name__)


class Posters:
    """Develops the posters that were asked for, the last one first."""

    def __init__(self, studio: Studio, lens: Lens):
        self._studio, self._lens = studio, lens
        self._wanted: list[Saved] = []
        self._troubles: dict[str, str] = {}
        """why there is no poster, by file name"""
        self._wake = threading.Condition()
        self._closing = False
        threading.Thread(target=self._run, name="posters", daemon=True).start()

    def close(self) -> None:
        with self._wake:
            self._closing = True
            self._wake.notify_all()

    def get(self, project_id: str) -> bytes | str:
        """The poster of a project as it stands, or a sentence why there is none yet; then it is on its way."""
        saved = self._studio.projects.get(project_id)
        path = self._path(saved)
        if path.exists():
            return path.read_bytes()
        if path.name in self._troubles:
            return self._troubles[path.name]
        with self._wake:
            self._wanted = [s for s in self._wanted if s.project.id != project_id] + [saved]
            self._wake.notify_all()
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
            return pack_meshes([(build_made(item.made), 0)])
        return self._studio.assets.get(standin_key(item.asset))

    def _path(self, saved: Saved) -> Path:
        return self._studio.folder / FOLDER / f"{saved.project.id}.{saved.version}.jpg"

    def _run(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._closing or self._wanted)
                if self._closing:
                    return
                saved = self._wanted.pop()
            while not self._lens.ready.wait(0.5):
                if self._closing:
                    return
            self._develop(saved)

    def _develop(self, saved: Saved) -> None:
        path = self._path(saved)
        if path.exists():
            return
        try:
            data = self._lens.poster(saved.project)
            path.parent.mkdir(exist_ok=True)
            write_whole(path, data)
            for old in path.parent.glob(f"{saved.project.id}.*.jpg"):
                if old != path:
                    old.unlink(missing_ok=True)
        except (BusyError, SpaceError):
            return  # that passes: whoever asks again gets it
        except CycloramaError as error:
            self._troubles[path.name] = error.sentence
        except Exception:
            _log.exception("The poster of %s cannot be developed", saved.project.id)
            self._troubles[path.name] = FAULT
