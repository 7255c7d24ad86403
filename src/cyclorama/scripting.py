"""The Python interface: a studio, its projects and takes, for programs that do what an artist does in the browser.

    import cyclorama

    with cyclorama.Studio.open("studio") as studio:
        project = studio.bring_in("glass.glb")
        take = project.shoot()
        take.deliver("glass.mp4")

Everything raises `cyclorama.Error`, whose `sentence` says what to do. A progress callback gets what is done and which
share of it, 0…1.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, Self, TypeVar

from pydantic import ValidationError

from .app import takes as take_service
from .app.confined_results import Tell
from .app.cuts import cut_of_take
from .app.deliveries import copy_out, make_delivery
from .app.projects import find_project
from .app.turns import TurnWishes, make_turn
from .core.commands.perform import perform
from .core.commands.values import SetValue
from .core.delivery.presets import Delivery, PresetName
from .core.delivery.verify import Opened
from .core.errors import ChangeError, ShootError
from .core.render.compile.compiler import SceneCompiler
from .core.render.film.picking import PickProbe
from .core.render.film.tracer import Tracer
from .core.review import readiness, review
from .core.scene import Doc, Project, put_all
from .core.scene.error_sentences import explain
from .core.scene.property import value_at
from .shoot.frames.files import frame_path
from .shoot.run.take import TakeProgress, shoot_take
from .shoot.run.worker_lock import shooting_alone
from .store import Saved, Studio, open_studio

Checked = TypeVar("Checked", bound=Doc)


def _silent(what: str, share: float) -> None:
    pass


def _checked(kind: type[Checked], **values: object) -> Checked:
    """A document of a kind. Raises ChangeError with a sentence about the first value that is not allowed."""
    try:
        return kind.model_validate(values)
    except ValidationError as error:
        raise ChangeError(explain(error)) from error


class StudioHandle:
    """A data folder, open."""

    def __init__(self, studio: Studio):
        self._studio = studio
        self._tracer: Tracer | None = None

    @classmethod
    def open(cls, folder: str | Path) -> Self:
        """The studio in a folder, which is made where it is not there."""
        Path(folder).mkdir(parents=True, exist_ok=True)
        return cls(open_studio(Path(folder)))

    def close(self) -> None:
        if self._tracer is not None:
            self._tracer.close()
        self._studio.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @property
    def projects(self) -> list["ProjectHandle"]:
        """All projects, the last edited first."""
        return [ProjectHandle(self, listed.id) for listed in self._studio.projects.listed()]

    def project(self, name: str) -> "ProjectHandle":
        """A project by its name or id. Raises NotFoundError."""
        return ProjectHandle(self, find_project(self._studio, name).project.id)

    def bring_in(
        self, model: str | Path, *, set_name: str | None = None, look_name: str | None = None, progress: Tell = _silent
    ) -> "ProjectHandle":
        """A new project of a model file or folder: on the set, fitted, grounded and metered. The set may be a ready one
        or one that is kept in the stockroom, the look one that is kept."""
        wishes = TurnWishes(set_name=set_name, look_name=look_name)
        turned = make_turn(self._studio, Path(model), wishes, self._renderer(), progress)
        return ProjectHandle(self, turned.saved.project.id, turned.guessed)

    def _renderer(self) -> Tracer:
        """The renderer. Its first use on a machine compiles it."""
        if self._tracer is None:
            self._tracer = Tracer()
        return self._tracer


class ProjectHandle:
    """A project. Every change is one step that can be undone, here as in the browser."""

    def __init__(self, studio: StudioHandle, identity: str, guessed: tuple[str, ...] = ()):
        self._of, self._studio = studio, studio._studio
        self.id = identity
        self.guessed = guessed
        """guesses at the intake of its model, in sentences"""

    @property
    def name(self) -> str:
        return self.document.name

    @property
    def document(self) -> Project:
        """The project as it stands: immutable, typed."""
        return self._saved.project

    @property
    def _saved(self) -> Saved:
        return self._studio.projects.get(self.id)

    def get(self, path: str) -> Any:
        """A value of the project by its path, “look/lights/key/strength_stops” say. Raises ChangeError."""
        return value_at(self.document, path)

    def set(self, path: str, value: object) -> None:
        """Set one value, with all that follows from it. Raises ChangeError."""
        self.apply(_checked(SetValue, path=path, value=value))

    def set_all(self, values: Mapping[str, object]) -> None:
        """Set several values in one step. Raises ChangeError."""
        self._edit("Set values", lambda project: put_all(project, values))

    def apply(self, command: Doc) -> str:
        """Perform a command of `cyclorama.core.commands`; the label of the step. Raises ChangeError."""
        eye = PickProbe(SceneCompiler(self._studio.assets.get), self._of._renderer())
        label = ""

        def performed(project: Project) -> Project:
            nonlocal label
            after, label = perform(project, command, self._studio.measures_if_whole, eye)
            return after

        self._edit(lambda: label, performed)
        return label

    def _edit(self, label: str | Callable[[], str], change: Callable[[Project], Project]) -> None:
        self._studio.projects.edit(self.id, None, label, change)

    def undo(self) -> None:
        """Take the last step back. Raises ChangeError when there is none."""
        self._studio.projects.step(self.id, self._saved.version, -1)

    def check(self) -> list[str]:
        """Readiness in sentences: the coming shoot, then its oddities."""
        project = self.document
        found = readiness(review(project, self._studio.measures(project.subject)))
        return [found.sentence, *found.blocking, *found.odd]

    @property
    def takes(self) -> list["TakeHandle"]:
        """Its takes, the first one first."""
        return [TakeHandle(self._of, take_id) for take_id in sorted(self._studio.takes.ids(self.id))]

    def shoot(self, *, first: int | None = None, last: int | None = None, progress: Tell = _silent) -> "TakeHandle":
        """Shoot the open shot, or some frames of it, in this process. Raises ShootError."""
        saved = self._saved
        frames = {"shot/shoot/from_frame": first, "shot/shoot/to_frame": last}
        project = put_all(saved.project, {path: n for path, n in frames.items() if n is not None})
        called = take_service.call_take(self._studio, replace(saved, project=project), start=False)
        take = TakeHandle(self._of, called.id)
        take.resume(progress=progress)
        return take


class TakeHandle:
    """A take: its frames on disk, and the files that are made of it."""

    def __init__(self, studio: StudioHandle, identity: str):
        self._of, self._studio = studio, studio._studio
        self.id = identity

    @property
    def name(self) -> str:
        return self._studio.takes.get(self.id).name

    @property
    def state(self) -> str:
        """“done”, “stopped” …"""
        return self._studio.takes.state(self.id)

    @property
    def frames(self) -> list[Path]:
        """Files of the finished frames, in order."""
        take = self._studio.takes.get(self.id)
        return [frame_path(take, number) for number in sorted(take.frames)]

    def resume(self, *, progress: Tell = _silent) -> None:
        """Shoot the missing frames. Raises ShootError when another shoot is running or a frame cannot be shot."""

        def tell(step: TakeProgress) -> None:
            progress(f"Frame {step.frame}", (step.done + step.share) / step.total)

        with shooting_alone(self._studio.folder) as beat:
            self._studio.takes.update(self.id, wish="run")
            self._studio.takes.forgive(self.id)
            state = shoot_take(self._studio, self.id, self._of._renderer(), tell, beat.moved, None)
        if state != "done":
            message = self._studio.takes.get(self.id).message
            raise ShootError(f"The take ‘{self.name}’ is {state}. {message}".strip())

    def deliver(
        self, target: str | Path, preset: PresetName = "web", *, progress: Tell = _silent, **settings: Any
    ) -> list[Opened]:
        """Write the take as a file and open it again: the findings.

        settings: fields of `cyclorama.core.delivery.presets.Delivery`, as width=1080, height=1080, fits_mb=8. Raises
        ChangeError for a setting that is not allowed, and ShootError.
        """
        take = self._studio.takes.get(self.id)
        cut = cut_of_take(take)
        delivery = _checked(Delivery, **{"preset": preset, "width": cut.width, "height": cut.height} | settings)
        made, found = make_delivery(self._studio, take.project_id, cut, delivery, take.id, progress)
        copy_out(made, Path(target))
        return found
