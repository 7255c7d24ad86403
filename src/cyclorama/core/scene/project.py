"""The project document: one subject, one set, some lights, a camera that moves, and how to shoot it."""

from typing import Annotated, Any

from pydantic import Field, ValidationError, model_validator
from pydantic_core import from_json

from ..errors import ChangeError
from .base import Doc, Id, Name, affecting, fixed, new_id
from .camera import Camera
from .light import Environment, Light
from .look import Look
from .material import Material
from .move import Move
from .shoot import ShootSettings
from .stage import Stage
from .subject import Subject
from .upgrade import upgraded
from .words import explain

SCHEMA_VERSION = 2


class Project(Doc):
    """Everything that is needed to shoot, without the files it refers to."""

    schema_version: Annotated[int, fixed()] = SCHEMA_VERSION
    id: Id
    name: Name
    subject: Subject | None = None
    materials: tuple[Material, ...] = ()
    set: Stage = Stage()
    lights: Annotated[tuple[Light, ...], Field(max_length=64)] = ()
    environment: Environment = Environment()
    cameras: Annotated[tuple[Camera, ...], Field(min_length=1)]
    camera_id: Annotated[Id, affecting("camera")]
    move: Move
    look: Look = Look()
    shoot: ShootSettings = ShootSettings()

    @property
    def camera(self) -> Camera:
        """The camera that will be shot through."""
        return next(c for c in self.cameras if c.id == self.camera_id)

    @property
    def lit_lights(self) -> tuple[Light, ...]:
        """The lights that shine: those on solo if any is, otherwise those that are on."""
        solo = tuple(light for light in self.lights if light.solo)
        return solo or tuple(light for light in self.lights if light.on)

    @property
    def environment_lit(self) -> bool:
        """Whether the environment shines: it is on, has a picture, and no light is on solo."""
        env = self.environment
        return bool(env.on and (env.asset or env.kind == "sky") and not any(x.solo for x in self.lights))

    @property
    def frame_numbers(self) -> range:
        """The frames that will be shot."""
        first, last = self.move.first_frame, self.move.first_frame + self.move.frames - 1
        wanted_from, wanted_to = self.shoot.from_frame, self.shoot.to_frame
        low = first if wanted_from is None else max(first, wanted_from)
        high = last if wanted_to is None else min(last, wanted_to)
        return range(low, high + 1)

    @model_validator(mode="after")
    def _is_sound(self) -> "Project":
        return self.sound()

    def sound(self) -> "Project":
        """The project itself; raises ValueError with a sentence when something in it refers to what is not there, or
        two things have one id."""
        if all(c.id != self.camera_id for c in self.cameras):
            raise ValueError(f"There is no camera ‘{self.camera_id}’ in this project.")
        known = {m.id for m in self.materials}
        for part in self.subject.parts if self.subject else ():
            if part.material not in known:
                raise ValueError(f"Part ‘{part.name}’ refers to a material that is not in this project.")
        if self.subject and self.subject.play.animation and self.subject.playing is None:
            raise ValueError("The subject has no such animation.")
        for what, items in (("material", self.materials), ("light", self.lights), ("camera", self.cameras)):
            if len({item.id for item in items}) != len(items):
                raise ValueError(f"Two {what}s have the same id.")
        if self.schema_version != SCHEMA_VERSION:
            raise ValueError(
                f"It was saved as version {self.schema_version}; this program reads up to version {SCHEMA_VERSION}. "
                "Update Cyclorama to open it."
            )
        return self


def load_project(data: str | bytes | dict[str, Any]) -> Project:
    """Read a project document.

    Raises ChangeError with a sentence about the first thing that is wrong.
    """
    try:
        document = data if isinstance(data, dict) else from_json(data)
        return Project.model_validate(upgraded(document) if isinstance(document, dict) else document)
    except ValidationError as error:
        raise ChangeError(explain(error)) from error
    except ValueError as error:
        raise ChangeError(f"This is not a project document: {error}.") from error


def new_project(name: str) -> Project:
    """An empty studio: a round sweep, a disc, three soft lights, an orbit of ten seconds."""
    camera = Camera(id=new_id("camera"), name="Camera 1")
    lights = (
        Light(id="key", name="Key", role="key", azimuth_deg=-45, elevation_deg=40),
        Light(id="fill", name="Fill", role="fill", azimuth_deg=60, elevation_deg=20, strength_stops=-1.5,
                  width_m=1.2, height_m=1.2),
        Light(id="rim", name="Rim", role="rim", azimuth_deg=165, elevation_deg=45, strength_stops=-0.5,
                  width_m=0.4, height_m=1.0),
    )  # fmt: skip
    return Project(
        id=new_id("project"),
        name=name,
        lights=lights,
        cameras=(camera,),
        camera_id=camera.id,
        move=Move(id=new_id("move"), name="Orbit"),
    )
