"""`./cyc shoot`: shooting in a terminal, with a progress bar and the time left."""

import re
import signal
import threading
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn

from ..app import takes as take_service
from ..core.commands.values import SetValue, apply_set
from ..core.errors import CycloramaError, NotFoundError, ShootError
from ..core.render.film.tracer import Tracer
from ..core.review import readiness, review
from ..core.review.phrases import duration
from ..core.scene import Project, put, put_all
from ..core.sequence.names import slug
from ..shoot.run.take import TakeProgress, shoot_take
from ..shoot.run.watch import mark_interrupted
from ..shoot.run.worker import cluster
from ..shoot.run.worker_lock import BUSY, Beat, shooting_alone, who_shoots
from ..store import Studio, open_studio

if TYPE_CHECKING:
    from ..shoot.farm.farm import Farm
from ..app.projects import find_project


def shoot_in_terminal(
    data: Path, name: str, shot: str | None, frames: str | None, samples: int | None, resume: str | None
) -> int:
    """Shoot a project, or go on with a take; returns the exit code. Ctrl+C stops after the current batch."""
    console = Console(stderr=True)
    try:
        if not (data / "studio.sqlite").exists():
            raise NotFoundError(f"There is no studio in {data}. Give its folder with --data.")
        studio = open_studio(data)
        if who_shoots(data) is not None:
            raise ShootError(BUSY)
        mark_interrupted(studio)
        take_id = resume or _call(studio, console, name, shot, frames, samples)
        studio.takes.update(take_id, wish="run")
        studio.takes.forgive(take_id)
        with shooting_alone(data) as beat, cluster(studio) as farm, Tracer() as tracer:
            state = shoot_with_bar(studio, take_id, tracer, console, beat, farm)
    except CycloramaError as error:
        console.print(error.sentence, style="red")
        return 1
    take = studio.takes.get(take_id)
    console.print(f"{take.name}: {state}, {len(take.frames)} of {len(take.numbers)} frames in {take.folder / 'beauty'}")
    if state not in ("done", "failed"):
        console.print(f"Go on with:  ./cyc shoot {name!r} --resume {take_id} --data {data}")
    if take.message:
        console.print(take.message, style="red")
    return 0 if state == "done" else 1


def _call(
    studio: Studio, console: Console, name: str, shot: str | None, frames: str | None, samples: int | None
) -> str:
    saved = find_project(studio, name)
    project = _with_range(_with_shot(saved.project, shot), frames)
    if samples is not None:
        project = put_all(project, {"shot/shoot/samples": samples, "shot/shoot/quality": "own"})
    ready = readiness(review(project, studio.measures(project.subject)))
    console.print(ready.sentence)
    for sentence in ready.odd:
        console.print(f"  look here: {sentence}", style="yellow")
    return take_service.call_take(studio, replace(saved, project=project), start=False).id


def _with_shot(project: Project, name: str | None) -> Project:
    """The project with the shot of a name open; the one that is open when none is told."""
    if name is None:
        return project
    found = next((shot for shot in project.shots if slug(shot.name) == slug(name)), None)
    if found is None:
        known = ", ".join(f"‘{shot.name}’" for shot in project.shots)
        raise ShootError(f"There is no shot ‘{name}’ in ‘{project.name}’. Known: {known}.")
    return put(project, "shot_id", found.id)


def _with_range(project: Project, frames: str | None) -> Project:
    if frames is None:
        return project
    match = re.fullmatch(r"(\d+)(?:-(\d+))?", frames.strip())
    if match is None:
        raise ShootError(f"‘{frames}’ is not a frame range. Write 1-48, or 7 for one frame.")
    first, last = int(match[1]), int(match[2] or match[1])
    project = apply_set(project, SetValue(path="shot/shoot/from_frame", value=first))
    return apply_set(project, SetValue(path="shot/shoot/to_frame", value=last))


def shoot_with_bar(
    studio: Studio, take_id: str, tracer: Tracer, console: Console, beat: Beat, farm: "Farm | None"
) -> str:
    """Shoot a take with a bar in the terminal; its state then. Ctrl+C stops it."""
    columns = (TextColumn("frame {task.fields[frame]}"), BarColumn(None), TextColumn("{task.fields[left]}"))
    with Progress(*columns, console=console) as bar:
        task = bar.add_task("", total=1.0, frame="–", left="")

        def tell(p: TakeProgress) -> None:
            left = "" if p.left_s is None else f"{p.done} of {p.total}, {duration(p.left_s)} left"
            bar.update(task, completed=(p.done + p.share) / p.total, frame=p.frame, left=left)

        def stop(*_: object) -> None:
            # the signal may land inside a database call of this thread; ask from another one
            threading.Thread(target=studio.takes.update, args=(take_id,), kwargs={"wish": "stop"}).start()

        before = signal.signal(signal.SIGINT, stop)
        try:
            return shoot_take(studio, take_id, tracer, tell, beat.moved, farm)
        finally:
            signal.signal(signal.SIGINT, before)
