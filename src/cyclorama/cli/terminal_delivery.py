"""`./cyc cut` and `./cyc deliver`: handing over in a terminal, with a progress bar and what was found in the file."""

import re
from pathlib import Path
from typing import get_args

from rich.console import Console

from ..app.cuts import cut_of_take
from ..app.deliveries import make_delivery
from ..app.projects import find_project
from ..core.cut.document import Cut
from ..core.delivery.presets import PRESETS, Delivery, PresetName
from ..core.delivery.verify import Opened
from ..core.errors import CycloramaError, NotFoundError, ShootError
from ..store import Studio, open_studio
from .bar import bar


def deliver_in_terminal(
    data: Path,
    project: str | None,
    take_id: str | None,
    preset: str,
    size: str | None,
    fits_mb: float | None,
    rounds: int,
) -> int:
    """Hand over the cut of a project, or a take alone; returns the exit code."""
    console = Console(stderr=True)
    try:
        if not (data / "studio.sqlite").exists():
            raise NotFoundError(f"There is no studio in {data}. Give its folder with --data.")
        studio = open_studio(data)
        project_id, cut = _cut_of(studio, project, take_id)
        delivery = delivery_of(cut, preset, size, fits_mb, rounds)
        stem = studio.projects.get(project_id).project.name if take_id is None else take_id
        made, found = hand_over_in_terminal(studio, project_id, cut, delivery, stem, console)
    except CycloramaError as error:
        console.print(error.sentence, style="red")
        return 1
    print(made)
    return 0 if all(line.fine for line in found) else 2


def hand_over_in_terminal(
    studio: Studio, project_id: str, cut: Cut, delivery: Delivery, name: str, console: Console
) -> tuple[Path, list[Opened]]:
    """Make a delivery with a progress bar and print its findings: its file and the findings. Raises CycloramaError."""
    with bar(console) as tell:
        made, found = make_delivery(studio, project_id, cut, delivery, name, tell)
    for line in found:
        console.print(f"  {line.sentence}", style=None if line.fine else "yellow")
    return made, found


def _cut_of(studio: Studio, project: str | None, take_id: str | None) -> tuple[str, Cut]:
    if take_id is not None:
        take = studio.takes.get(take_id)
        return take.project_id, cut_of_take(take)
    saved = find_project(studio, project or "")
    return saved.project.id, studio.cuts.get(saved.project.id).cut


def delivery_of(cut: Cut, preset: str, size: str | None, fits_mb: float | None, rounds: int) -> Delivery:
    """Delivery of a cut by a preset's name, with or without dashes. Raises ShootError."""
    known = {name.replace(" ", "-"): name for name in get_args(PresetName)}
    if preset not in known and preset not in PRESETS:
        raise ShootError(f"There is no preset ‘{preset}’. Known: {', '.join(known)}.")
    width, height = cut.width, cut.height
    if size is not None:
        match = re.fullmatch(r"(\d{2,4})[x×](\d{2,4})", size.strip())
        if match is None or int(match[1]) % 2 or int(match[2]) % 2 or not min(int(match[1]), int(match[2])) >= 16:
            raise ShootError(f"‘{size}’ is no size. Write two even numbers from 16 to 8192, 1920x1080 say.")
        width, height = int(match[1]), int(match[2])
    if fits_mb is not None and fits_mb <= 0:
        raise ShootError("What it must fit in is more than 0 MB.")
    if not 1 <= rounds <= 100:
        raise ShootError("Rounds are from 1 to 100.")
    name = known.get(preset, preset)
    return Delivery(preset=name, width=width, height=height, fits_mb=fits_mb, rounds=rounds)
