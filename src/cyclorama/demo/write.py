"""Write the demo data into a folder, once."""

from collections.abc import Callable
from pathlib import Path

from ..store import Studio
from .projects import lantern_project, storm_glass_project


def write_demo(folder: Path, tell: Callable[[str], None]) -> None:
    """Models as files in `models/`, and both projects, unless they are there already."""
    studio = Studio(folder)
    known = set(studio.projects.ids())
    for identity, name, build in (
        ("harbour-lantern", "Harbour Lantern", lantern_project),
        ("storm-glass-no-4", "Storm Glass No. 4", storm_glass_project),
    ):
        if identity in known:
            continue
        tell(f"Building {name} (first time only)")
        demo = build()
        studio.keep_intake(demo.intake)
        studio.assets.put_all(demo.assets)
        (folder / "models").mkdir(exist_ok=True)
        (folder / "models" / demo.model_file[0]).write_bytes(demo.model_file[1])
        studio.projects.create(demo.project, "Demo project")
