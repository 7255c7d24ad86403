"""Projects as the terminal names them."""

from ..core.errors import NotFoundError
from ..core.sequence.names import slug
from ..store import Saved, Studio


def find_project(studio: Studio, name: str) -> Saved:
    """A project by id, name or the name's plain form."""
    for key in studio.projects.ids():
        saved = studio.projects.get(key)
        if name in (key, saved.project.name) or slug(name) == slug(saved.project.name):
            return saved
    known = ", ".join(f"‘{studio.projects.get(k).project.name}’" for k in studio.projects.ids()) or "none"
    raise NotFoundError(f"There is no project ‘{name}’ here. Known: {known}.")
