"""Takes: called, paused, stopped and resumed."""

import secrets
from collections.abc import Sequence
from contextlib import suppress
from datetime import datetime

from ..core.commands.shoot_plan import Cell, as_called, as_planned, name_of, plan_takes
from ..core.errors import DamagedError, NotFoundError, ShootError
from ..core.picture.light_mix import LightChange, mix_lights, with_balance
from ..core.review import readiness, review
from ..core.review.phrases import frames as frames_in_words
from ..core.scene import Project, put_all
from ..core.scene.shoot import Again, Passes, PassName
from ..core.sequence.names import sequence_stem, slug
from ..shoot.finish.masters import as_shot, why_not_gradable
from ..shoot.frames.files import frames_to_shoot
from ..shoot.frames.mixing import read_lights
from ..shoot.run.watch import mark_interrupted
from ..shoot.run.worker import ensure_worker
from ..shoot.run.worker_lock import end, who_shoots
from ..store import Saved, Studio, TakeRecord
from ..store.database import Process
from ..store.takes import ENDED

MOST_STILL_PX = 8192


def call_take(
    studio: Studio, saved: Saved, forecast_s: float | None = None, start: bool = True, only: int | None = None
) -> TakeRecord:
    """Queue a take of a project and make sure somebody shoots it; who does not `start` it shoots it himself.

    only: the number of the one frame to shoot, to see how it will be. Raises ShootError when the readiness list has
    something blocking.
    """
    project = saved.project
    if only is not None:
        project = put_all(project, {"shot/shoot/from_frame": only, "shot/shoot/to_frame": only})
    what = "" if only is None else f"frame {only}"
    take = record_take(studio, project, saved.version, what, forecast_s, start)
    if only is not None:
        studio.takes.take_turns([take.id])  # somebody waits for it
    if start:
        ensure_worker(studio)
    return take


def record_take(
    studio: Studio, project: Project, version: int, what: str, forecast_s: float | None = None, queued: bool = True
) -> TakeRecord:
    """A new take of a project, called after its shot, its number and `what` it is. Raises ShootError when the
    readiness list has something blocking."""
    project = as_called(project)
    ready = readiness(review(project, studio.measures(project.subject)))
    if ready.blocking:
        raise ShootError(ready.blocking[0])
    return _record(studio, project, version, project.shot.name, what, forecast_s, queued)


def call_still(studio: Studio, source_id: str, number: int, times: int, start: bool = True) -> TakeRecord:
    """Queue a frame of a take once more from its slate, so many times as wide and high, finished as the take is.

    Raises ShootError when the take has no such frame or it would be too large.
    """
    source = studio.takes.get(source_id)
    if number not in source.numbers:
        raise ShootError(_has(source))
    s, finishing = source.project.shot.shoot, studio.screening.finish(source).finishing
    needed = {part.layer for part in finishing.parts} | ({"lights"} if finishing.relit else set())
    passes = tuple(p for p in s.passes.wanted if p in needed)
    if max(times * s.width, times * s.height) > MOST_STILL_PX:
        raise ShootError(
            f"{times}× would be {times * s.width}×{times * s.height}; up to {MOST_STILL_PX} pixels a side are shot."
        )
    project = put_all(
        source.project,
        {
            "shot/shoot/width": times * s.width,
            "shot/shoot/height": times * s.height,
            "shot/shoot/passes/wanted": passes,
            "shot/shoot/from_frame": number,
            "shot/shoot/to_frame": number,
        },
    )
    version = studio.projects.version(project.id)
    take = record_take(studio, project, version, f"still {number} at {times}×", queued=start)
    if not as_shot(source, finishing):
        studio.screening.set_finish(take, finishing, f"Grade of ‘{source.name}’", 0)
    if start:
        ensure_worker(studio)
    return take


def call_plan(
    studio: Studio,
    saved: Saved,
    cells: tuple[Cell, ...],
    not_before: datetime | None = None,
    forecasts_s: Sequence[float | None] = (),
    start: bool = True,
) -> list[TakeRecord]:
    """Queue the takes of a plan, in its order. Nothing is queued where one of them cannot be shot.

    not_before: UTC, when the first may be begun; forecasts_s: of the takes, as far as they are known. Raises
    ShootError, naming what is blocking, and ChangeError for what is gone.
    """
    for take in plan_takes(saved.project, cells, studio.measures(saved.project.subject)).takes:
        if take.blocking:
            raise ShootError(f"‘{take.name}’: {take.blocking[0]}")
    takes = []
    for i, cell in enumerate(cells):
        project, name = as_called(as_planned(saved.project, cell)), name_of(saved.project, cell)
        forecast_s = forecasts_s[i] if i < len(forecasts_s) else None
        takes.append(_record(studio, project, saved.version, name, "", forecast_s, start, not_before))
    if start:
        ensure_worker(studio)
    return takes


def call_mix(studio: Studio, source_id: str, balance: dict[str, LightChange], start: bool = True) -> TakeRecord:
    """Queue a take that mixes another's lights anew.

    Raises ShootError when its lights were not kept apart, frames are missing, or a light is not known.
    """
    source = studio.takes.get(source_id)
    s = source.project.shot.shoot
    if "lights" not in s.passes.wanted:
        raise ShootError("The lights of this take were not kept apart; shoot it with the pass ‘Every light apart’.")
    if not s.can_be_mixed:
        raise ShootError("The shadows of this take are in its alpha, which lights cannot change. Shoot it on the set.")
    _insist_on_all(source)
    mix_lights(read_lights(source, source.first)[0], balance)
    before = source.name.rsplit(" ", 1)[-1]
    return _made_of(studio, source, with_balance(source.project, balance), f"from {before}", "mix", balance, start)


def call_clean(studio: Studio, source_id: str, start: bool = True) -> TakeRecord:
    """Queue a take that denoises another's masters; both stay, to be compared.

    Raises ShootError when it has no masters, or frames are missing.
    """
    source = studio.takes.get(source_id)
    if why_not_gradable(source) is not None:
        raise ShootError("This take was shot without masters: there is nothing to denoise.")
    _insist_on_all(source)
    project = put_all(source.project, {"shot/shoot/denoise": True})
    return _made_of(studio, source, project, f"{source.name.rsplit(' ', 1)[-1]} denoised", "denoise", {}, start)


def _insist_on_all(source: TakeRecord) -> None:
    if frames_to_shoot(source):
        raise ShootError("Not all frames of this take are there yet. Resume it first.")


def _made_of(
    studio: Studio,
    source: TakeRecord,
    project: Project,
    how: str,
    process: Process,
    balance: dict[str, LightChange],
    start: bool,
) -> TakeRecord:
    """Queue a take of all frames of another; `how` is the end of its name."""
    number, take_id = _next(studio, project)
    frames = {"shot/shoot/from_frame": source.first, "shot/shoot/to_frame": source.last}
    project = put_all(project, {"shot/shoot/passes/wanted": (), **frames})
    version = studio.projects.version(project.id)
    name = f"{project.shot.name} {number}, {how}"
    take = studio.takes.call(take_id, name, project, version, None, source.id, balance, queued=start, process=process)
    if start:
        ensure_worker(studio)
    return take


def _record(
    studio: Studio,
    project: Project,
    version: int,
    called: str,
    what: str,
    forecast_s: float | None,
    queued: bool,
    not_before: datetime | None = None,
) -> TakeRecord:
    """A new take of a project that may be shot, called so, by its number and `what` it is."""
    sequence_stem(project)
    number, take_id = _next(studio, project)
    name = f"{called} {number}{f', {what}' if what else ''}"
    return studio.takes.call(take_id, name, project, version, forecast_s, queued=queued, not_before=not_before)


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
    hung = _free_of_hung(studio)  # first, as it may hold the database
    if takes.update_if(take_id, ("queued", "paused"), wish=wish, state=state, message=""):
        return
    over = {"wish": wish, "state": state, "message": "", "worker_pid": None, "frame_now": None}
    if hung and takes.update_if(take_id, ("running", "interrupted"), **over):
        return
    if takes.update_if(take_id, ("running",), wish=wish):
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


def shoot_again(studio: Studio, take_id: str, numbers: list[int], how: Again) -> TakeRecord:
    """Have frames of a take shot again. Its other frames stay; the slate says which were shot otherwise.

    Raises ShootError when it is being shot, mixes lights, or has no such frames; a part needs frames with masters.
    """
    mark_interrupted(studio)
    take = studio.takes.get(take_id)
    wanted = sorted(set(numbers))
    if not wanted or any(n not in take.numbers for n in wanted):
        raise ShootError(_has(take))
    if take.source_id is not None and how != Again():
        raise ShootError("This take is made of another one. Shoot the frames of that one again.")
    if how.region is not None and (why := why_not_gradable(take) or _not_there(take, wanted)):
        raise ShootError(f"A part can only be put into what is there. {why}")
    if not studio.takes.begin_again(take_id, wanted, how):
        raise ShootError("This take is being shot. Pause it first.")
    ensure_worker(studio)
    return studio.takes.get(take_id)


def add_passes(studio: Studio, take_id: str, names: tuple[PassName, ...]) -> TakeRecord:
    """Have passes of a take shot that it does not have, or once more; its pictures stay. They are made as its shot
    says by now, if that is still there.

    Raises ShootError when it is being shot or is made of another one.
    """
    mark_interrupted(studio)
    take = studio.takes.get(take_id)
    if take.source_id is not None:
        raise ShootError("This take is made of another one. Add passes to that one.")
    told = take.project.shot.shoot.passes.with_more(names, _passes_now(studio, take))
    project = put_all(take.project, {"shot/shoot/passes": told})
    if not studio.takes.begin_passes(take_id, project, names):
        raise ShootError("This take is being shot. Pause it first.")
    ensure_worker(studio)
    return studio.takes.get(take_id)


def _passes_now(studio: Studio, take: TakeRecord) -> Passes:
    """Current pass settings of a take's shot."""
    there = take.project
    with suppress(NotFoundError, DamagedError):
        there = studio.projects.get(take.project_id).project
    return next((s for s in there.shots if s.id == take.project.shot.id), take.project.shot).shoot.passes


def _has(take: TakeRecord) -> str:
    """Which frames a take has, in a sentence."""
    return f"This take has frames {take.first} to {take.last}{f', one in {take.every}' if take.every > 1 else ''}."


def _not_there(take: TakeRecord, numbers: list[int]) -> str | None:
    missing = [n for n in numbers if n not in take.frames]
    return f"Not shot yet: {frames_in_words(missing)}." if missing else None


def remove_project(studio: Studio, project_id: str) -> None:
    """Put a project into the bin with its history and all its takes; raises ShootError while one is being shot."""
    if _in_hands(studio, *studio.takes.ids(project_id)):
        raise ShootError("A take of this project is being shot. Stop it first.")
    studio.binned.put("project", project_id)


def remove(studio: Studio, take_id: str) -> None:
    """Put a take into the bin; raises ShootError while it is being shot."""
    if _in_hands(studio, take_id):
        raise ShootError("This take is being shot. Stop it first.")
    studio.binned.put("take", take_id)


def _in_hands(studio: Studio, *take_ids: str) -> bool:
    """True when one of the takes is being shot by a worker that lives."""
    _free_of_hung(studio)
    mark_interrupted(studio)
    return any(studio.takes.state(t) == "running" for t in take_ids)
