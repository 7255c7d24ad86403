"""Keys: setting, moving and taking away what a value is in a frame of the open shot."""

from collections.abc import Callable, Iterable
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, JsonValue

from ..errors import ChangeError
from ..motion import at_time, carriers_at, value_of, values_at
from ..motion.camera_rig import STAND, stand_of
from ..scene import Channel, Doc, Key, Project, Property, Shot, full_path, place_of, put, put_all, value_at
from ..scene.base import new_id
from ..scene.channel import GoesOn
from ..scene.writing import revise
from .base import Frame, ValuePath, performs
from .tools import Tools


def known_place(path: str) -> Property:
    """The property at a path. Raises ChangeError when no project has one there."""
    try:
        return place_of(path)
    except KeyError as error:
        raise ChangeError("There is no such value in a project.") from error


def channel_of(shot: Shot, path: str) -> Channel | None:
    """The channel of a value in a shot, None where it is not keyed."""
    return next((c for c in shot.channels if c.path == path), None)


def with_key(project: Project, path: str, frame: int, value: Any = None) -> Project:
    """The project with a key of a value in a frame of the open shot; without a value it is kept as it is there.

    Raises ChangeError when it cannot be keyed.
    """
    path, shot = full_path(project, path), project.shot
    place = known_place(path)
    if not place.keyable:
        raise ChangeError(f"{place.title} cannot change during a shot.")
    since = _since(shot, frame)
    if value is None:
        value = value_in_frame(project, path, frame)
    numbers = _numbers(value)
    if len(numbers) != place.numbers:
        raise ChangeError(f"{place.title} is off. Give it a value before it is keyed.")
    put(project, path, value)  # raises when it is not allowed there
    channel = channel_of(shot, path)
    keys = channel.keys if channel else ()
    there = next((k for k in keys if k.frame == since), None)
    goes: GoesOn = "hold" if place.kind == "switch" else "smooth"
    before = max((k for k in keys if k.frame < since), key=lambda k: k.frame, default=None)
    key = Key(id=new_id("key"), frame=since, value=numbers, goes=before.goes if before else goes)
    if there is not None:
        key = revise(there, value=numbers)
    kept = tuple(sorted((*(k for k in keys if k.frame != since), key), key=lambda k: k.frame))
    return _with(project, shot, path, channel, kept)


def with_value_in_frame(project: Project, path: str, frame: int, value: float) -> Project:
    """The project with a value: keyed in a frame of the open shot where it is keyed at all, else at rest."""
    path = full_path(project, path)
    return (
        put(project, path, value) if channel_of(project.shot, path) is None else with_key(project, path, frame, value)
    )


def without_key(project: Project, path: str, frame: int | None) -> Project:
    """The project without the key of a value in a frame, or without any; the last that goes leaves its value."""
    path, shot = full_path(project, path), project.shot
    channel = channel_of(shot, path)
    if channel is None:
        raise ChangeError(f"{known_place(path).title} is not keyed in this shot.")
    since = None if frame is None else _since(shot, frame)
    kept = () if since is None else tuple(k for k in channel.keys if k.frame != since)
    if len(kept) == len(channel.keys):
        raise ChangeError(f"{known_place(path).title} has no key in frame {frame}.")
    if kept:
        return _with(project, shot, path, channel, kept)
    left = channel.keys[0].value if since is not None else _found(channel, 0.0, shot)
    others = tuple(c for c in shot.channels if c.path != path)
    return put_all(project, {"shot/channels": others, path: value_of(known_place(path), np.array(left))})


def with_keys_shifted(project: Project, path: str, frames: Iterable[int], by: int) -> Project:
    """The project with some keys of a value so many frames later; those they come to lie on give way."""
    return _retimed(project, path, frames, lambda n: n + by)


def with_keys_repeated(project: Project, path: str, frames: Iterable[int], by: int) -> Project:
    """The project with some keys of a value once more, so many frames later; those they come to lie on give way."""
    return _retimed(project, path, frames, lambda n: n + by, stay=True)


def with_keys_stretched(project: Project, path: str, frames: Iterable[int], about: int, factor: float) -> Project:
    """The project with some keys of a value so many times as far from a frame; of those that come to lie on one another
    the later stays."""
    middle = _since(project.shot, about)
    return _retimed(project, path, frames, lambda n: round(middle + (n - middle) * factor))


def with_keys_scaled(project: Project, path: str, frames: Iterable[int], about: float, factor: float) -> Project:
    """The project with some keys whose values, and those of their handles, are so many times as far from a value."""
    path, shot = full_path(project, path), project.shot
    channel, chosen = _chosen(shot, path, frames)
    keys = (scaled_key(path, k, factor, about) if k.frame in chosen else k for k in channel.keys)
    return _with(project, shot, path, channel, tuple(keys))


def scaled_key(path: str, key: Key, factor: float, about: float = 0.0) -> Key:
    """A key of a path's value that is, with its handles, so many times as far from a value; within the path's range."""
    found = value_of(known_place(path), about + (np.array(key.value) - about) * factor)
    (out, out_by), (into, into_by) = key.leaves, key.arrives
    handles = {"leaves": (out, out_by * factor), "arrives": (into, into_by * factor)}
    return revise(key, value=_numbers(found), **handles)


def _retimed(
    project: Project, path: str, frames: Iterable[int], to: Callable[[int], int], stay: bool = False
) -> Project:
    """Some keys in other frames, counted from the first; with `stay` where they were as well."""
    path, shot = full_path(project, path), project.shot
    channel, chosen = _chosen(shot, path, frames)
    if min(to(n) for n in chosen) < 0:
        raise ChangeError("A key cannot lie before the first frame of its shot.")
    new = {k.frame: k for k in channel.keys if stay or k.frame not in chosen}
    for k in channel.keys:
        if k.frame in chosen:
            more = {"id": new_id("key")} if stay else {}
            new[to(k.frame)] = revise(k, frame=to(k.frame), **more)
    return _with(project, shot, path, channel, tuple(new[n] for n in sorted(new)))


def _chosen(shot: Shot, path: str, frames: Iterable[int]) -> tuple[Channel, set[int]]:
    """The channel of a value, and which of its keys are meant, counted from the first frame. Raises ChangeError."""
    channel = channel_of(shot, path)
    if channel is None:
        raise ChangeError(f"{known_place(path).title} is not keyed in this shot.")
    chosen = {_since(shot, frame) for frame in frames}
    if not chosen <= {k.frame for k in channel.keys}:
        raise ChangeError(f"{known_place(path).title} has no key there.")
    return channel, chosen


def is_in_use(shot: Shot, path: str) -> bool:
    """True when a value counts in a shot: those of cameras and looks do in shots through that camera, in that look."""
    kind, identity = (*path.split("/"), "")[:2]
    return identity == {"cameras": shot.camera_id, "looks": shot.look_id}.get(kind, identity)


def value_in_frame(project: Project, path: str, frame: int) -> Any:
    """The value of a property in a frame of the open shot: by its channel, by the camera's row, or at rest."""
    path, shot = full_path(project, path), project.shot
    since = float(_since(shot, frame))
    channel = channel_of(shot, path)
    if channel is not None:
        return value_of(known_place(path), np.array(_found(channel, since, shot)))
    head, _, name = path.rpartition("/")
    if head == f"cameras/{shot.camera_id}" and name in STAND:
        return float(np.ravel(stand_of(project, shot, carriers_at(project, shot, np.array([since]))).values[name])[0])
    return value_at(at_time(project, shot, since), path)


def _found(channel: Channel, since: float, shot: Shot) -> tuple[float, ...]:
    return tuple(float(x) for x in values_at(channel, np.array([since]), shot.frames)[0])


def _with(project: Project, shot: Shot, path: str, was: Channel | None, keys: tuple[Key, ...]) -> Project:
    new = revise(was, keys=keys) if was else Channel(id=new_id("channel"), path=path, keys=keys)
    channels = tuple(new if c.path == path else c for c in shot.channels) if was else (*shot.channels, new)
    return put(project, "shot/channels", channels)


def _since(shot: Shot, frame: int) -> int:
    if frame < shot.first_frame:
        raise ChangeError(f"The shot begins with frame {shot.first_frame}; a key cannot lie before it.")
    return frame - shot.first_frame


def _numbers(value: Any) -> tuple[float, ...]:
    if value is None:
        return ()
    if isinstance(value, list | tuple):
        return tuple(float(x) for x in value if isinstance(x, int | float))
    return (float(value),) if isinstance(value, bool | int | float) else ()


def value_title(path: str) -> str:
    """A value's title inside a label."""
    title = known_place(path).title
    return title[0].lower() + title[1:]


class SetKey(Doc):
    """Key a value in a frame of the open shot, as it is there unless another is told."""

    kind: Literal["key"] = "key"
    path: ValuePath
    frame: Frame
    value: JsonValue = None


@performs(SetKey)
def _key(project: Project, change: SetKey, _: Tools) -> tuple[Project, str]:
    after = with_key(project, change.path, change.frame, change.value)
    return after, f"Key {value_title(change.path)} in frame {change.frame}"


class RemoveKey(Doc):
    """Take the key of a value in a frame away, or all of them."""

    kind: Literal["unkey"] = "unkey"
    path: ValuePath
    frame: Frame | None = None


@performs(RemoveKey)
def _unkey(project: Project, change: RemoveKey, _: Tools) -> tuple[Project, str]:
    which = "all keys" if change.frame is None else f"the key in frame {change.frame}"
    return without_key(project, change.path, change.frame), f"Take away {which} of {value_title(change.path)}"


class _SomeKeys(Doc):
    """Some keys of a value, by their frames."""

    path: ValuePath
    frames: Annotated[tuple[Frame, ...], Field(min_length=1, max_length=2000)]


class ShiftKeys(_SomeKeys):
    """Let keys of a value be so many frames later, or earlier."""

    kind: Literal["shift_keys"] = "shift_keys"
    by: Annotated[int, Field(ge=-200_000, le=200_000)]


@performs(ShiftKeys)
def _shift_keys(project: Project, change: ShiftKeys, _: Tools) -> tuple[Project, str]:
    return with_keys_shifted(project, change.path, change.frames, change.by), f"Move keys of {value_title(change.path)}"


class CopyKeys(_SomeKeys):
    """Keys of a value once more, so many frames later or earlier."""

    kind: Literal["copy_keys"] = "copy_keys"
    by: Annotated[int, Field(ge=-200_000, le=200_000)]


@performs(CopyKeys)
def _copy_keys(project: Project, change: CopyKeys, _: Tools) -> tuple[Project, str]:
    return with_keys_repeated(
        project, change.path, change.frames, change.by
    ), f"Copy keys of {value_title(change.path)}"


class StretchKeys(_SomeKeys):
    """Let keys of a value be farther from a frame, or nearer to it, by a factor."""

    kind: Literal["stretch_keys"] = "stretch_keys"
    about: Frame
    factor: Annotated[float, Field(ge=0.001, le=1000)]


@performs(StretchKeys)
def _stretch_keys(project: Project, change: StretchKeys, _: Tools) -> tuple[Project, str]:
    after = with_keys_stretched(project, change.path, change.frames, change.about, change.factor)
    return after, f"Stretch keys of {value_title(change.path)}"


class ScaleKeys(_SomeKeys):
    """Let the values of keys be so many times as far from a value."""

    kind: Literal["scale_keys"] = "scale_keys"
    about: Annotated[float, Field(ge=-1e12, le=1e12)] = 0.0
    factor: Annotated[float, Field(ge=-1000, le=1000)]


@performs(ScaleKeys)
def _scale_keys(project: Project, change: ScaleKeys, _: Tools) -> tuple[Project, str]:
    after = with_keys_scaled(project, change.path, change.frames, change.about, change.factor)
    return after, f"Scale keys of {value_title(change.path)}"
