"""Values that go on evenly over a whole shot: clouds that drift, an environment that turns."""

from typing import Annotated, Literal

from pydantic import Field

from ..errors import ChangeError
from ..scene import Channel, Doc, Project, full_path, put, put_all
from ..scene.base import new_id
from ..scene.channel import Key
from .base import ValuePath, performs
from .keys import channel_of, known_place, value_in_frame, without_key
from .tools import Tools


class SetSpeed(Doc):
    """Let a number go on evenly over the open shot, in its unit a second; 0 lets it rest."""

    kind: Literal["speed"] = "speed"
    path: ValuePath
    per_second: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


@performs(SetSpeed)
def with_speed(project: Project, change: SetSpeed, _: Tools) -> tuple[Project, str]:
    """Key a value in two places, from its present value in the first frame on; the two keys replace all others."""
    path, shot = full_path(project, change.path), project.shot
    place = known_place(path)
    if not place.keyable or place.numbers != 1 or place.kind == "switch":
        raise ChangeError(f"{place.title} cannot go on evenly during a shot.")
    channel = channel_of(shot, path)
    if change.per_second == 0:
        return (project if channel is None else without_key(project, path, None)), f"Let {place.title} rest"
    first = float(value_in_frame(project, path, shot.first_frame))
    last = first + change.per_second * shot.frames * project.rate_den / project.rate_num
    put(project, path, last)  # raises when it is not allowed there
    keys = tuple(
        Key(id=new_id("key"), frame=frame, value=(value,), goes="linear")
        for frame, value in ((0, first), (shot.frames, last))
    )
    runs = Channel(id=channel.id if channel else new_id("channel"), path=path, keys=keys)
    others = tuple(c for c in shot.channels if c.path != path)
    label = f"{place.title}: {change.per_second:g} {place.unit}/s"
    return put_all(project, {"shot/channels": (*others, runs)}), label
