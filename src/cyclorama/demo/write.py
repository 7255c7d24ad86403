"""Write the demo data into a folder, once."""

import shutil
from collections.abc import Callable
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.cut.document import Clip, Cut, Marker, Sound, Title
from ..core.cut.timeline import length_of
from ..core.picture.finishing import Finishing
from ..core.scene import Grade, Project, put_all
from ..core.scene.grade import LensEffects
from ..core.scene.writing import revise
from ..store import Studio, TakeRecord, open_studio
from ..store.database import now

if TYPE_CHECKING:  # the builders are only loaded when there is something to build
    from .projects import DemoProject

NAMES = {"plover": "Plover", "harbour-lantern": "Harbour Lantern", "storm-glass-no-4": "Storm Glass No. 4"}
"""Demo projects in the order in which they are built."""
POSTERS = Path(__file__).parent / "posters"
"""Their pictures for the reel wall, by id; made by tools/shipped_pictures.py."""
SCREENED = ("harbour-lantern", "storm-glass-no-4")
REST = timedelta(minutes=2)
"""Whoever has just started looks around first, and the renderer is being prepared."""
SMALL = {
    "shot/frames": 48,
    "shot/shoot/width": 480,
    "shot/shoot/height": 270,
    "shot/shoot/quality": "draft",
    "shot/shoot/passes/wanted": ("objects",),
}
INK = (0.0144, 0.013, 0.0109)
"""letters on light paper"""
WARM = Grade(exposure_stops=0.15, contrast=1.08, white_k=6100.0, lens=LensEffects(glare=8.0, vignette=-0.4))


def missing_projects(studio: Studio) -> list[str]:
    """Ids of demo projects that are neither there nor in the bin."""
    there = studio.projects.ids(binned=True)
    return [key for key in NAMES if key not in there]


def write_demo(folder: Path, tell: Callable[[str], None], before_next: Callable[[], None] = lambda: None) -> None:
    """Models as files in `models/`, posters, and all projects, unless they are there already. What is to happen before
    every project but the first is given by who calls."""
    studio = open_studio(folder)
    for k, key in enumerate(missing_projects(studio)):
        if k:
            before_next()
        tell(f"Building {NAMES[key]} (first time only)")
        demo = build_project(key)
        if (shipped := POSTERS / f"{key}.jpg").exists():
            (folder / "posters").mkdir(exist_ok=True)
            shutil.copyfile(shipped, folder / "posters" / f"{key}.1.jpg")
        studio.keep_intake(demo.intake)
        studio.assets.put_all(demo.assets)
        (folder / "models").mkdir(exist_ok=True)
        (folder / "models" / demo.model_file[0]).write_bytes(demo.model_file[1])
        studio.projects.create(demo.project, "Demo project")
        if key in SCREENED:
            takes = queue_takes(studio, demo.project, now() + REST)
            cut = demo_cut(demo.project, takes)
            studio.cuts.edit(key, 0, partial(_given, cut))


def build_project(key: str) -> "DemoProject":
    """A demo project with its files, by its id."""
    from .projects import lantern_project, storm_glass_project
    from .shore import plover_project

    build = {"plover": plover_project, "harbour-lantern": lantern_project, "storm-glass-no-4": storm_glass_project}
    return build[key]()


def queue_takes(studio: Studio, project: Project, not_before: datetime) -> list[TakeRecord]:
    """Two small takes to screen, in two looks, the second graded; shot in the background when there is time."""
    takes = []
    for look in project.looks[:2]:
        number = studio.takes.next_number(project.id)
        small = put_all(project, SMALL | {"shot/look_id": look.id})
        name = f"{project.shot.name} {number}"
        take = studio.takes.call(f"{project.id}-demo-{number:03d}", name, small, 1, None, not_before=not_before)
        if look is not project.looks[0]:
            finishing = revise(Finishing.as_shot(small), grade=WARM)
            studio.screening.set_finish(take, finishing, "Warm, with glare", 0)
        takes.append(take)
    return takes


def _given(cut: Cut, before: Cut) -> tuple[Cut, str]:
    return cut, "Demo cut"


def demo_cut(project: Project, takes: list[TakeRecord]) -> Cut:
    """Thirteen seconds of them: turning slowly in one look, crossing into the other, held at the end; titled, with
    sound."""
    rate, s = project.rate_num / project.rate_den, takes[0].project.shot.shoot

    def frames(seconds: float) -> int:
        return round(seconds * rate)

    clips = [
        Clip(id=f"clip-{k + 1}", name=take.name, take_id=take.id, length=frames(6), speed=0.5)
        for k, take in enumerate(takes)
    ]
    first, last = clips[0], clips[-1]
    first = revise(first, fade_in=frames(0.75), cross=frames(1))
    last = revise(last, hold_after=frames(2), fade_out=frames(0.75))
    clips = [first, *clips[1:-1], last]
    total = sum(map(length_of, clips)) - frames(1)
    name = Title(
        id="title-1",
        text=project.name,
        sub="Vane & Tidewrack",
        start=frames(1),
        length=frames(4),
        size=6.0,
        align="left",
        across=6.0,
        down=82.0,
        colour=INK,
        fade_in=frames(0.5),
        fade_out=frames(0.5),
        slide="right",
    )
    made = Title(
        id="title-2",
        text="Instruments for weather",
        clip_id=last.id,
        start=frames(4),
        length=frames(4),
        size=5.0,
        weight=500,
        down=90.0,
        fade_in=frames(0.75),
        fade_out=frames(0.75),
    )
    sea = Sound(
        id="sound-1",
        name="Sea far away",
        made="sea",
        seconds=18.0,
        length=total,
        loop=True,
        gain_db=-4.0,
        fade_in=frames(1),
        fade_out=frames(1.5),
        duck_db=4.0,
    )
    bell = Sound(
        id="sound-2", name="Glass chime", made="glass", seconds=4.0, start=frames(5.5), track=2, length=frames(4)
    )
    return Cut(
        rate_num=project.rate_num,
        rate_den=project.rate_den,
        width=s.width // 2 * 2,
        height=s.height // 2 * 2,
        clips=tuple(clips),
        titles=(name, made),
        sounds=(sea, bell),
        markers=(Marker(id="marker-1", name="Other light", frame=frames(5)),),
    )
