"""A look: a complete named copy of lights, environment, background, exposure, tone and grade."""

from typing import Annotated

from pydantic import Field, model_validator

from .base import Choices, Doc, Id, Name, affecting
from .grade import Grade
from .light import Background, Environment, Light, Travel
from .tone import Tone

MOST_LIGHTS = 64


class Look(Doc):
    """Everything that lights a shot and how its picture is shown; trying another never changes this one."""

    AFFECTS = "light"

    id: Id
    name: Name
    lights: Annotated[tuple[Light, ...], Field(max_length=MOST_LIGHTS)] = ()
    lights_travel_with: Annotated[
        Travel,
        affecting("motion", title="Rig attached to"),
        Choices({"set": "set", "camera": "camera", "subject": "disc"}),
    ] = "set"
    """On the camera no side is ever dark; on the set, reflections glide over the subject."""
    environment: Environment = Environment()
    background: Background = Background()
    tone: Tone = Tone()
    grade: Grade = Grade()

    @property
    def lit_lights(self) -> tuple[Light, ...]:
        """The lights that shine: those on solo if any is, otherwise those that are on."""
        solo = tuple(light for light in self.lights if light.solo)
        return solo or tuple(light for light in self.lights if light.on)

    @property
    def environment_lit(self) -> bool:
        """True when the environment shines: it is on, has a picture, and no light is on solo."""
        env = self.environment
        return bool(env.on and (env.asset or env.kind == "sky") and not any(x.solo for x in self.lights))

    @model_validator(mode="after")
    def _is_sound(self) -> "Look":
        return self.sound()

    def sound(self) -> "Look":
        """The look itself; raises ValueError with a sentence when two lights have one id."""
        if len({light.id for light in self.lights}) != len(self.lights):
            raise ValueError("Two lights have the same id.")
        return self
