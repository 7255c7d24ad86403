"""A subject whose unit was wrong: the studio that was set up for the wrong size comes along with the right one."""

from collections.abc import Iterator

import numpy as np

from ..motion import value_of
from ..scene import Item, Project, put_all, value_at
from ..scene.channel import Channel
from ..scene.property import place_of, places
from ..scene.writing import revise
from .keys import scaled_key

_GROWS = ("set", "looks", "cameras", "paths", "shots")
_TOGETHER = ("lm", "cd")
"""Units of power that grow with the area that is lit."""


def with_studio_in_size(project: Project, subject: Item, by: float) -> Project:
    """The project with set, lights, cameras, paths, made shapes and their keys so many times as large, so that the
    picture stays; as it was where other models than the subject stand on the set: they have a size of their own."""
    if any(item.made is None for item in project.items if item.id != subject.id):
        return project
    values = dict(_grown(project, by))
    values |= {f"items/{subject.id}/placement/{name}": getattr(subject.placement, name) * by for name in ("x_m", "z_m")}
    for camera in project.cameras:
        if camera.focus_point_m is not None:
            values[f"cameras/{camera.id}/focus_point_m"] = tuple(by * x for x in camera.focus_point_m)
    for shot in project.shots:
        values[f"shots/{shot.id}/channels"] = tuple(_channel(project, channel, by) for channel in shot.channels)
    return put_all(project, values)


def _grown(project: Project, by: float) -> Iterator[tuple[str, object]]:
    made = {f"items/{item.id}/" for item in project.items if item.made is not None}
    for path in places(project):
        if not path.startswith(_GROWS) and not any(path.startswith(head) for head in made):
            continue
        factor, value = _factor(project, path, by), value_at(project, path)
        if factor != 1.0 and isinstance(value, float):
            yield path, value_of(place_of(path), np.array([value * factor]))


def _factor(project: Project, path: str, by: float) -> float:
    """Factor by which a value grows when lengths grow `by`."""
    if path.endswith("/power") and "/lights/" in path:
        return by * by if value_at(project, f"{path}_unit") in _TOGETHER else 1.0
    return by if place_of(path).unit == "m" and not path.endswith("/unit_m") else 1.0


def _channel(project: Project, channel: Channel, by: float) -> Channel:
    factor = _factor(project, channel.path, by)
    if factor == 1.0:
        return channel
    return revise(channel, keys=tuple(scaled_key(channel.path, key, factor) for key in channel.keys))
