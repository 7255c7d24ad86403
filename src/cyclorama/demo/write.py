"""Write the demo data into a folder, once."""

from collections.abc import Callable
from pathlib import Path

from ..store import open_studio


def write_demo(folder: Path, tell: Callable[[str], None]) -> None:
    """Models as files in `models/`, and all projects, unless they are there already."""
    studio = open_studio(folder)
    wanted = {"plover": "Plover", "harbour-lantern": "Harbour Lantern", "storm-glass-no-4": "Storm Glass No. 4"}
    missing = [key for key in wanted if key not in studio.projects.ids()]
    if not missing:
        return
    # the builders are only loaded when there is something to build
    from .projects import lantern_project, storm_glass_project
    from .shore import plover_project

    build = {"plover": plover_project, "harbour-lantern": lantern_project, "storm-glass-no-4": storm_glass_project}
    for key in missing:
        tell(f"Building {wanted[key]} (first time only)")
        demo = build[key]()
        studio.keep_intake(demo.intake)
        studio.assets.put_all(demo.assets)
        (folder / "models").mkdir(exist_ok=True)
        (folder / "models" / demo.model_file[0]).write_bytes(demo.model_file[1])
        studio.projects.create(demo.project, "Demo project")
