"""Parts of sentences: numbers with their units, and what something stands on."""

from fractions import Fraction

from ..scene import Item, Project
from ..scene.item import ON_CAMERA, ON_DISC
from ..words import box_size, count, frames, length, number, offset

__all__ = [
    "box_size",
    "clip_length",
    "count",
    "data_size",
    "duration",
    "frames",
    "join_words",
    "length",
    "number",
    "offset",
]


def duration(seconds: float) -> str:
    """‘40 s’, ‘12 min’, ‘1 h 50 min’."""
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    minutes = round(seconds / 60)
    if minutes < 60:
        return f"{minutes} min"
    return f"{minutes // 60} h {minutes % 60:02d} min"


def clip_length(seconds: Fraction) -> str:
    """‘10 s’, ‘8.33 s’."""
    return f"{float(seconds):.2f}".rstrip("0").rstrip(".") + " s"


def join_words(words: list[str]) -> str:
    """‘a’, ‘a and b’, ‘a, b and c’."""
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def data_size(count: int) -> str:
    """‘830 kB’, ‘12 MB’, ‘3.2 GB’."""
    for unit, size in (("GB", 10**9), ("MB", 10**6)):
        if count >= size * 0.9995:
            return f"{count / size:.3g} {unit}"
    return f"{max(1, round(count / 1000))} kB"


def stands_on(project: Project, item: Item) -> str:
    """‘the disc’, ‘the floor’, or the name of the item that an item stands on."""
    below = project.item(item.rides)
    if below is not None:
        return f"‘{below.name}’"
    if item.rides == ON_CAMERA:
        return "nothing, it is attached to the camera"
    return "the disc" if item.rides == ON_DISC and project.set.disc.on else "the floor"
