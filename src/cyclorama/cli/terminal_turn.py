"""`./cyc turn`: every model is brought in, shot and delivered, one after the other."""

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from rich.console import Console

from ..app import takes as take_service
from ..app.cuts import cut_of_take
from ..app.deliveries import copy_out
from ..app.turns import TurnedModel, TurnWishes, make_turn, models_in, set_ups
from ..core.commands.names import free_name
from ..core.cut.document import Cut
from ..core.errors import CycloramaError, ShootError
from ..core.render.film.tracer import Tracer
from ..core.render.warm import kernels_compiled, warm_up
from ..core.scene import put
from ..shoot.run.worker_lock import shooting_alone
from ..store import Saved, Studio, open_studio
from .bar import bar
from .terminal_delivery import delivery_of, hand_over_in_terminal
from .terminal_shoot import shoot_with_bar

FAILED, ODD = 1, 2


def turn_in_terminal(
    data: Path,
    models: list[Path],
    output: Path,
    seconds: float | None,
    size: str | None,
    quality: str,
    set_name: str | None,
    look_name: str | None,
    preset: str,
    fits_mb: float | None,
    as_json: bool,
) -> int:
    """Turn models; the exit code is that of the worst. A model that fails does not keep the others from their turn."""
    console = Console(stderr=True)
    try:
        models = [one for model in models for one in models_in(model)]
        wishes = _wishes(seconds, size, quality, set_name, look_name)
        if not data.exists():
            set_ups(wishes, ())
        delivery_of(Cut(), preset, None, fits_mb, 1)  # told now instead of after a night's shoot
        if len(models) > 1:
            output.mkdir(parents=True, exist_ok=True)
        data.mkdir(parents=True, exist_ok=True)
        studio = open_studio(data)
        set_ups(wishes, studio.stock.all())
    except (CycloramaError, OSError) as error:
        console.print(getattr(error, "sentence", f"{output} cannot be written: {error}."), style="red")
        return FAILED
    codes = []
    with Tracer() as tracer:
        if not kernels_compiled():
            console.print("Preparing the renderer, once on this machine …")
        warm_up(tracer)
        turner = _Turner(studio, data, wishes, preset, fits_mb, tracer, console)
        names: list[str] = []
        for model in models:
            names.append(free_name(names, model.stem))
            target = output / names[-1] if len(models) > 1 or output.is_dir() else output
            told: dict[str, Any] = {"model": str(model)}
            try:
                codes.append(turner.turn(model, target, told))
            except CycloramaError as error:
                console.print(f"{model}: {error.sentence}", style="red", markup=False)
                told["error"] = error.sentence
                codes.append(FAILED)
            print(json.dumps(told, ensure_ascii=False) if as_json else told.get("file", ""), flush=True)
    return FAILED if FAILED in codes else max(codes, default=0)


def _wishes(
    seconds: float | None, size: str | None, quality: str, set_name: str | None, look_name: str | None
) -> TurnWishes:
    """Raises ShootError for what cannot be wished for."""
    try:
        sides = None if size is None else tuple(int(side) for side in size.lower().replace("×", "x").split("x"))
        named = {"set_name": set_name, "look_name": look_name}
        return TurnWishes.model_validate({"seconds": seconds, "size": sides, "quality": quality} | named)
    except ValueError as error:
        what = f"‘{size}’ is no size; write 1080x1080" if not isinstance(error, ValidationError) else _which(error)
        raise ShootError(f"{what}.") from error


def _which(error: ValidationError) -> str:
    field = str(error.errors()[0]["loc"][0])
    known = {
        "quality": "draft, fine or print",
        "size": "two numbers from 16 to 8192, 1080x1080 say",
        "seconds": "a number from 0.01 to 3600",
    }
    return f"--{field} takes {known[field]}"


@dataclass(frozen=True, slots=True)
class _Turner:
    """Turns models one by one."""

    studio: Studio
    data: Path
    wishes: TurnWishes
    preset: str
    fits_mb: float | None
    tracer: Tracer
    console: Console

    def turn(self, model: Path, target: Path, told: dict[str, Any]) -> int:
        """Exit code of one model; `told` is filled for scripts. A target without an ending gets that of the file."""
        self.console.print(str(model), style="bold", markup=False)
        with bar(self.console) as tell:
            turn = make_turn(self.studio, model, self.wishes, self.tracer, tell)
        told |= {"project": turn.saved.project.id, "guessed": list(turn.guessed), "odd": list(turn.odd)}
        _tell(turn, partial(self.console.print, markup=False))
        saved = _one_frame(turn.saved) if self.preset == "still" else turn.saved
        take = take_service.call_take(self.studio, saved, start=False)
        told["take"] = take.id
        self._shoot(take.id)
        cut = cut_of_take(self.studio.takes.get(take.id))
        delivery = delivery_of(cut, self.preset, None, self.fits_mb, 1)
        name = turn.saved.project.name
        made, found = hand_over_in_terminal(self.studio, take.project_id, cut, delivery, name, self.console)
        target = target if target.suffix else target.with_suffix(made.suffix)
        copy_out(made, target)
        told["file"] = str(target)
        return 0 if all(line.fine for line in found) else ODD

    def _shoot(self, take_id: str) -> None:
        """Raises ShootError when it does not come to its end."""
        with shooting_alone(self.data) as beat:
            state = shoot_with_bar(self.studio, take_id, self.tracer, self.console, beat, None)
        if state != "done":
            raise ShootError(f"The take {take_id} is {state}. Go on with: cyclorama shoot --resume {take_id}.")


def _one_frame(saved: Saved) -> Saved:
    shot = saved.project.shot
    return replace(saved, project=put(saved.project, "shot/shoot/to_frame", shot.first_frame))


def _tell(turn: TurnedModel, say: Callable[..., None]) -> None:
    for sentence in turn.guessed:
        say(f"  {sentence}")
    say(f"  {turn.ready}")
    for sentence in turn.odd:
        say(f"  look here: {sentence}", style="yellow")
