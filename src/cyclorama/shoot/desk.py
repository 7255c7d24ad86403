"""The shooting desk: calling, pausing, stopping and resuming takes."""

import secrets
import shutil

from ..core.errors import ShootError
from ..core.picture.mix import LightChange, mixed, with_balance
from ..core.scene import Project, put_all
from ..core.sequence.names import sequence_stem, slug
from ..core.sheet import readiness, review
from ..store import Saved, Studio, TakeRecord
from ..store.takes import ENDED
from .frames import frames_to_shoot
from .mixing import read_lights
from .presence import end, who_shoots
from .watch import mark_interrupted
from .worker import ensure_worker


def call_take(studio: Studio, saved: Saved, forecast_s: float | None = None, start: bool = True) -> TakeRecord:
    """Queue a take of a project and make sure somebody shoots it; who does not `start` it shoots it himself.

    Raises ShootError when the readiness list has something blocking.
    """
    project = saved.project
    ready = readiness(review(project, studio.measures(project.subject)))
    if ready.blocking:
        raise ShootError(ready.blocking[0])
    sequence_stem(project)
    number, take_id = _next(studio, project)
    take = studio.takes.call(take_id, f"{project.shot.name} {number}", project, saved.version, forecast_s, queued=start)
    if start:
        ensure_worker(studio)
    return take


def call_mix(studio: Studio, source_id: str, balance: dict[str, LightChange], start: bool = True) -> TakeRecord:
    """Queue a take that mixes another's lights anew.

    Raises ShootError when its lights were not kept apart, frames are missing, or a light is not known.
    """
    source = studio.takes.get(source_id)
    if "lights" not in source.project.shot.shoot.passes.wanted:
        raise ShootError("The lights of this take were not kept apart; shoot it with the pass ‘Every light apart’.")
    if frames_to_shoot(source):
        raise ShootError("Not all frames of this take are there yet. Resume it first.")
    mixed(read_lights(source, source.first)[0], balance)
    project = with_balance(source.project, balance)
    number, take_id = _next(studio, project)
    name = f"{project.shot.name} {number}, from {source.name.rsplit(' ', 1)[-1]}"
    version = studio.projects.get(project.id).version
    frames = {"shot/shoot/from_frame": source.first, "shot/shoot/to_frame": source.last}
    project = put_all(project, {"shot/shoot/passes/wanted": (), **frames})
    take = studio.takes.call(take_id, name, project, version, None, source.id, balance, queued=start)
    if start:
        ensure_worker(studio)
    return take


def _next(studio: Studio, project: Project) -> tuple[int, str]:
    """Number and id of a project's next take."""
    number = studio.takes.next_number(project.id)
    stem = f"{slug(project.name)[:40]}-{slug(project.shot.name)[:20]}"
    return number, f"{stem}-{number:03d}-{secrets.token_hex(2)}"


def pause(studio: Studio, take_id: str) -> None:
    _ask(studio, take_id, "pause", "paused")


def stop(studio: Studio, take_id: str) -> None:
    _ask(studio, take_id, "stop", "stopped")


def _ask(studio: Studio, take_id: str, wish: str, state: str) -> None:
    takes = studio.takes
    if takes.update_if(take_id, ("queued", "paused"), wish=wish, state=state, message=""):
        return
    if takes.update_if(take_id, ("running",), wish=wish):
        if _free_of_hung(studio):
            takes.update_if(take_id, ("running",), state=state, message="", worker_pid=None, frame_now=None)
        return
    raise ShootError(f"This take is {takes.state(take_id)}; there is nothing to {wish}.")


def _free_of_hung(studio: Studio) -> bool:
    """End a worker that gives no sign of life; whether there was one."""
    there = who_shoots(studio.folder)
    if there is None or not there.hangs:
        return False
    if not end(studio.folder):
        raise ShootError(f"The worker (process {there.pid}) does not answer and cannot be ended. End it by hand.")
    return True


def resume(studio: Studio, take_id: str) -> None:
    """Shoot what is missing or damaged of a take; one that is queued or being shot already goes on."""
    _free_of_hung(studio)
    mark_interrupted(studio)
    takes = studio.takes
    if takes.state(take_id) in ENDED:  # before it is queued: whoever takes it up then tries everything
        takes.forgive(take_id)
    if not takes.update_if(take_id, ENDED, state="queued", wish="run", message=""):
        takes.update(take_id, wish="run")
    ensure_worker(studio)


def remove_project(studio: Studio, project_id: str) -> None:
    """Remove a project with its history and all its takes; raises ShootError while one is being shot."""
    takes = studio.takes.ids(project_id)
    if _in_hands(studio, *takes):
        raise ShootError("A take of this project is being shot. Stop it first.")
    for take_id in takes:
        remove(studio, take_id)
    studio.projects.remove(project_id)


def remove(studio: Studio, take_id: str) -> None:
    """Remove a take with its files; raises ShootError while it is being shot."""
    folder = studio.takes.folder(take_id)
    if _in_hands(studio, take_id):
        raise ShootError("This take is being shot. Stop it first.")
    studio.takes.remove(take_id)
    shutil.rmtree(folder, ignore_errors=True)


def _in_hands(studio: Studio, *take_ids: str) -> bool:
    """Whether one of the takes is being shot by a worker that lives."""
    _free_of_hung(studio)
    mark_interrupted(studio)
    return any(studio.takes.state(t) == "running" for t in take_ids)
