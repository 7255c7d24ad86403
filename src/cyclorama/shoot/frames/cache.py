"""Frames that show the same need to be shot only once: their keys are equal.

A key stands for everything that the picture of a frame is made of: its moment, with that of the frames it is denoised
with, the settings that say how it is shot, and the program that shoots it. Which frame it is does not count, so frames
of a hold are equal, and those of a take of a shot that was changed elsewhere. It begins with what stands for the light
alone: frames that only differ in grade, view or file format have the same master. Passes do not count, as the picture
is the same with and without them; whoever takes a frame over compares how they are made.
"""

import hashlib
import json
from dataclasses import fields, is_dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel

from ... import core
from ...core.geometry.skeleton import AnimationState
from ...core.light.sky import shining
from ...core.motion import Moment, Poses, moment
from ...core.render.compile.lights import gobo_names
from ...core.scene import Grade, Look, Project, ShootSettings
from ...core.scene.shoot import Passes
from ...core.scene.writing import derive
from .pipeline import frames_by_distance, reach_beside

_UNSEEN: dict[str, object] = {
    "file_format": "png",
    "bits": 8,
    "masters": True,
    "passes": Passes(),
    "from_frame": None,
    "to_frame": None,
    "every": 1,
    "name_pattern": "frame",
    "padding": 4,
    "margin": 0.0,
    "overview": False,
}
"""Settings that the light does not depend on."""
_UNSEEN_TONE = {"view": "neutral"}
LIGHT = 64
"""So many letters of a key stand for the light."""
PART = 16
"""So many for how it is finished, and as many for how everything moves."""


@cache
def program() -> bytes:
    """A digest of everything that pictures are worked out by: where it is the same, frames are."""
    digest = hashlib.sha256()
    for path in sorted(Path(core.__file__).parent.rglob("*.py")):
        digest.update(path.read_bytes())
    return digest.digest()


class FrameKeys:
    """The keys of a take's frames."""

    def __init__(self, project: Project, numbers: range):
        self._project, self._numbers = project, numbers
        self._reach = reach_beside(project)
        self._moments: dict[int, tuple[bytes, Look, str]] = {}

    def of(self, number: int) -> str:
        """The key of a frame."""
        digest = hashlib.sha256(program())
        for k, n in frames_by_distance(self._project, self._numbers, number, self._reach).items():
            digest.update(k.to_bytes(2, "big", signed=True) + self._at(n)[0])
        _, look, motion = self._at(number)
        return digest.hexdigest() + _finish_digest(look, self._project.shot.shoot, number) + motion

    def _at(self, number: int) -> tuple[bytes, Look, str]:
        """Digest of the light of a frame's moment, its look, and a digest of what moves how at it."""
        if number not in self._moments:
            here = moment(self._project, number)
            self._moments[number] = moment_digest(here), here.look, _motion_digest(here)
        return self._moments[number]


def motion_of(key: str) -> str:
    """The part of a key that stands for how everything moves: passes record that, pictures do not."""
    return key[-PART:]


def finish_of_key(key: str) -> str:
    """The part of a key that stands for how a frame is finished and written."""
    return key[LIGHT : LIGHT + PART]


def light_of(key: str) -> str:
    """Part of a cache key that stands for the light alone."""
    return key[:LIGHT]


def _finish_digest(look: Look, settings: ShootSettings, number: int) -> str:
    """Stands for how a frame is finished and written; grain is another one in every frame."""
    grainy = number if look.grade.on and look.grade.lens.grain else None
    written = (look.tone.view, settings.file_format, settings.bits, settings.masters)
    return hashlib.sha256(f"{look.grade.model_dump_json()} {written} {grainy}".encode()).hexdigest()[:PART]


def _motion_digest(here: Moment) -> str:
    """Stands for poses in the frames before and after."""
    digest = hashlib.sha256()
    _feed(digest, (here.around, here.acting))
    return digest.hexdigest()[:PART]


def moment_digest(here: Moment) -> bytes:
    """A digest of the light of a moment, whenever it is."""
    digest = hashlib.sha256()
    for field in fields(here):
        value = getattr(here, field.name)
        if field.name == "shoot":
            value = derive(value, **_UNSEEN)
        elif field.name == "look":
            value = derive(value, grade=Grade(), tone=derive(value.tone, **_UNSEEN_TONE))
        elif field.name in ("around", "acting") and not here.shoot.denoise_neighbours:
            value = _only_here(value)
        elif field.name == "since_first":
            value = gobo_names(shining(here.look), value)
        if field.name != "frame":
            _feed(digest, (field.name, value))
    return digest.digest()


def _only_here(value: Poses | dict[str, tuple[AnimationState, ...]]) -> object:
    """The first of three frames' poses and animation states."""
    if isinstance(value, dict):
        return {item: acting[0] for item, acting in value.items()}
    n, each = len(value.frames), {f.name: getattr(value, f.name) for f in fields(value) if f.name != "frames"}

    def first(part: object) -> object:
        if isinstance(part, dict):
            return {name: first(inner) for name, inner in part.items()}
        return part[:1] if isinstance(part, np.ndarray) and len(part) == n else part

    return {name: part if name == "resting" else first(part) for name, part in each.items()}


def _unsigned_zero(number: str) -> float:
    return float(number) + 0.0


def _feed(digest: Any, value: object) -> None:
    """Put a value into a digest, so that different ones are told apart."""
    if isinstance(value, BaseModel):
        value = (type(value).__name__, json.dumps(json.loads(value.model_dump_json(), parse_float=_unsigned_zero)))
    elif isinstance(value, np.ndarray):
        value = value + 0.0 if value.dtype.kind == "f" else value  # there is no zero below zero
        value = (value.dtype.str, value.shape, np.ascontiguousarray(value).tobytes())
    elif is_dataclass(value):
        timeless = (f.name for f in fields(value) if not (isinstance(value, Poses) and f.name == "frames"))
        value = (type(value).__name__, [getattr(value, name) for name in timeless])
    elif isinstance(value, dict):
        value = list(value.items())
    if isinstance(value, list | tuple):
        digest.update(b"(%d" % len(value))
        for part in value:
            _feed(digest, part)
        return
    told = value if isinstance(value, bytes) else repr(value).encode()
    digest.update(b"%s %d:" % (type(value).__name__.encode(), len(told)) + told)
