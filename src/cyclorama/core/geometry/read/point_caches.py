"""Point caches beside an OBJ: where every vertex of it is at some times. MDD and PC2.

MDD: big-endian int32 frames and points, float32 times in seconds, then float32 x y z of all points of each frame.
PC2: “POINTCACHE2” and a zero byte, little-endian int32 version (1) and points, float32 first frame and frames between
samples, int32 samples, then float32 x y z of all points of each sample.
"""

import struct
from pathlib import PurePosixPath
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...words import count
from ..skeleton import LINEAR, SHAPES, Skeleton, Track
from .files import FileBundle
from .model import Binding, FileModel

F32 = NDArray[np.float32]
ENDINGS = (".mdd", ".pc2")
MOST_PLACES = 8_000_000
"""Of vertices at times; of longer caches every so many samples are taken."""
MOST_SAMPLES = 600
FRAMES_A_SECOND = 24.0
"""PC2 counts in frames and does not say how many there are in a second."""


class PointCache(NamedTuple):
    """Places of vertices at some times."""

    name: str
    times_s: NDArray[np.float64]
    """(k,)"""
    places: F32
    """(k, v, 3) file units"""
    thinned: int
    """every so many of its samples"""


def hang_on_caches(
    name: str, model: FileModel, vertices: NDArray[np.float64], rows: list[NDArray[np.int64]], bundle: FileBundle
) -> None:
    """Let an OBJ move as the point caches beside it say, one animation each.

    vertices: all of the file (v, 3); rows: for each part, which of them its own are.
    Raises IntakeError for caches that are damaged, or of a model with other vertices.
    """
    files = {n: data for n, data in bundle.all().items() if n.lower().endswith(ENDINGS)}
    caches = [_read(n, data, len(vertices), name) for n, data in files.items()]
    if not caches:
        return
    many = sum(len(c.times_s) for c in caches)
    for part, own in zip(model.parts, rows, strict=True):
        still = part.vertices.astype(np.float32)
        shapes = [place[own] - still for c in caches for place in c.places]
        part.binding = Binding(
            still,
            np.zeros((len(own), 1), np.int32),
            np.ones((len(own), 1), np.float32),
            [(i, move, None) for i, move in enumerate(shapes)],
        )
    first, animations = 0, []
    for cache in caches:
        k = len(cache.times_s)
        animations.append((Track(SHAPES, first, LINEAR, cache.times_s, np.eye(k)),))
        first += k
        if cache.thinned > 1:
            model.notes.append(f"‘{cache.name}’ is long: every {cache.thinned}th of its samples is taken.")
    one = np.ones((1, 3))
    model.skeleton = Skeleton(
        np.array([-1], np.int32),
        np.eye(4)[None],
        0.0 * one,
        np.array([[0.0, 0.0, 0.0, 1.0]]),
        one,
        np.zeros(1, np.int32),
        np.eye(4)[None],
        np.zeros(many),
        tuple(animations),
    )
    model.animation_names = [PurePosixPath(c.name).stem for c in caches]
    if any(c.name.lower().endswith(".pc2") for c in caches):
        model.notes.append(f"PC2 counts in frames; they are played at {FRAMES_A_SECOND:g} a second.")


def _read(name: str, data: bytes, vertices: int, model: str) -> PointCache:
    samples, points, times, first = (_pc2 if name.lower().endswith(".pc2") else _mdd)(name, data)
    if points != vertices:
        raise IntakeError(
            f"‘{name}’ moves {count(points, 'vertex', 'vertices')}, but ‘{model}’ has {vertices:,}. Export both from "
            "the same model, with its vertices in the same order."
        )
    order = "<f4" if name.lower().endswith(".pc2") else ">f4"
    step = max(1, -(-samples // min(MOST_SAMPLES, max(2, MOST_PLACES // points))))
    if len(data) < first + samples * points * 12:
        raise IntakeError(f"‘{name}’ ends too early: {count(samples, 'sample')} are told of. Export it again.")
    whole = np.frombuffer(data, order, samples * points * 3, first).reshape(samples, points, 3)
    places = whole[::step].astype(np.float32)
    if not np.isfinite(places).all():
        raise IntakeError(f"‘{name}’ holds places that are no numbers. Export it again.")
    times = times[::step]
    if not np.isfinite(times).all() or (np.diff(times) <= 0).any():
        raise IntakeError(f"‘{name}’ does not go forward in time. Export it again.")
    return PointCache(name, times - times[0], places, step)


def _mdd(name: str, data: bytes) -> tuple[int, int, NDArray[np.float64], int]:
    """Samples, points, times in seconds, and where the places begin."""
    samples, points = struct.unpack_from(">2i", data) if len(data) >= 8 else (0, 0)
    first = 8 + 4 * samples
    if samples < 1 or points < 1 or len(data) < first:
        raise IntakeError(f"‘{name}’ is damaged or not a point cache of the kind MDD. Export it again.")
    return samples, points, np.frombuffer(data, ">f4", samples, 8).astype(np.float64), first


def _pc2(name: str, data: bytes) -> tuple[int, int, NDArray[np.float64], int]:
    """Samples, points, times in seconds, and where the places begin."""
    if len(data) < 32 or data[:12] != b"POINTCACHE2\0":
        raise IntakeError(f"‘{name}’ is damaged or not a point cache of the kind PC2. Export it again.")
    _, points, start, between, samples = struct.unpack_from("<2i2fi", data, 12)
    if samples < 1 or points < 1:
        raise IntakeError(f"‘{name}’ holds no samples. Export it again.")
    times = (start + between * np.arange(samples if samples < 1 << 24 else 0)) / FRAMES_A_SECOND
    return samples, points, np.asarray(times, np.float64), 32
