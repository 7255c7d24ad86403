"""The shooting desk: calling, pausing, stopping and resuming takes."""

import secrets
import shutil

from ..core.errors import ShootError
from ..core.picture.mix import LightChange, mixed, with_balance
from ..core.scene import Project
from ..core.sequence.names import sequence_stem, slug
from ..core.sheet import readiness, review
from ..store import Saved, Studio, TakeRecord
from .frames import frames_to_shoot
from .mixing import read_lights
from .worker import ensure_worker, mark_interrupted


def call_take(studio: Studio, saved: Saved, forecast_s: float | None = None, start: bool = True) -> TakeRecord:
    """Queue a take of a project and make sure somebody shoots it.

    Raises ShootError when the readiness list has something blocking.
    """
    project = saved.project
    ready = readiness(review(project, studio.measures(project)))
    if ready.blocking:
        raise ShootError(ready.blocking[0])
    sequence_stem(project)
    number, take_id = _next(studio, project)
    take = studio.takes.call(take_id, f"{project.move.name} {number}", project, saved.version, forecast_s)
    if start:
        ensure_worker(studio)
    return take


def call_mix(studio: Studio, source_id: str, balance: dict[str, LightChange], start: bool = True) -> TakeRecord:
    """Queue a take that mixes another's lights anew.

    Raises ShootError when its lights were not kept apart, frames are missing, or a light is not known.
    """
    source = studio.takes.get(source_id)
    if "lights" not in source.project.shoot.passes.wanted:
        raise ShootError("The lights of this take were not kept apart; shoot it with the pass ‘Every light apart’.")
    if frames_to_shoot(source):
        raise ShootError("Not all frames of this take are there yet. Resume it first.")
    mixed(read_lights(source, source.first)[0], balance)
    project = with_balance(source.project, balance)
    s = project.shoot
    s = s.model_copy(update={"passes": s.passes.model_copy(update={"wanted": ()}), "from_frame": source.first,
                             "to_frame": source.last})  # fmt: skip
    number, take_id = _next(studio, project)
    name = f"{project.move.name} {number}, from {source.name.rsplit(' ', 1)[-1]}"
    version = studio.projects.get(project.id).version
    take = studio.takes.call(take_id, name, project.model_copy(update={"shoot": s}), version, None, source.id, balance)
    if start:
        ensure_worker(studio)
    return take


def _next(studio: Studio, project: Project) -> tuple[int, str]:
    """Number and id of a project's next take."""
    number = 1 + sum(t.project_id == project.id for t in studio.takes.all())
    stem = f"{slug(project.name)[:40]}-{slug(project.move.name)[:20]}"
    return number, f"{stem}-{number:03d}-{secrets.token_hex(2)}"


def pause(studio: Studio, take_id: str) -> None:
    _ask(studio, take_id, "pause", "paused")


def stop(studio: Studio, take_id: str) -> None:
    _ask(studio, take_id, "stop", "stopped")


def _ask(studio: Studio, take_id: str, wish: str, state: str) -> None:
    take = studio.takes.get(take_id)
    if take.state == "queued":
        studio.takes.update(take_id, wish=wish, state=state)
    elif take.state in ("running", "paused"):
        studio.takes.update(take_id, wish=wish)
        if take.state == "paused":
            studio.takes.update(take_id, state=state)
    else:
        raise ShootError(f"This take is {take.state}; there is nothing to {wish}.")


def resume(studio: Studio, take_id: str) -> None:
    """Shoot what is missing or damaged of a take that is not running."""
    mark_interrupted(studio)
    take = studio.takes.get(take_id)
    if take.state in ("queued", "running"):
        raise ShootError("This take is being shot already.")
    studio.takes.update(take_id, state="queued", wish="run", message="")
    ensure_worker(studio)


def remove_project(studio: Studio, project_id: str) -> None:
    """Remove a project with its history and all its takes; raises ShootError while one is being shot."""
    studio.projects.get(project_id)
    takes = studio.takes.all(project_id)
    mark_interrupted(studio)
    if any(studio.takes.get(t.id).state == "running" for t in takes):
        raise ShootError("A take of this project is being shot. Stop it first.")
    for take in takes:
        remove(studio, take.id)
    studio.projects.remove(project_id)


def remove(studio: Studio, take_id: str) -> None:
    """Remove a take with its files; raises ShootError while it is being shot."""
    mark_interrupted(studio)
    take = studio.takes.get(take_id)
    if take.state == "running":
        raise ShootError("This take is being shot. Stop it first.")
    studio.takes.remove(take_id)
    shutil.rmtree(take.folder, ignore_errors=True)
