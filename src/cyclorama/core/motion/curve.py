"""Curves of keyed values: a value at any time, through the keys of a channel.

Between two keys a value stands, goes straight, or follows a cubic Bézier curve in time and value. Smooth ones take the
tangents of Fritsch and Butland ("A method for constructing local monotone piecewise cubic interpolants", SIAM J. Sci.
Stat. Comput. 5, 1984): between keys a value never goes beyond them, and what stands still at a key does not overshoot.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..scene import Channel, Key, Shot

F64 = NDArray[np.float64]
ROUNDS = 60
"""Halvings after which the place on a curve is exact to the last bit of its parameter."""


def values_at(channel: Channel, frames: F64, length: int) -> F64:
    """Values (n, k) of a channel at frames (n,) counted from the first of a shot that has `length` of them."""
    curve = _curve(channel, length)
    return curve.at(_within(channel, frames, length))


def handles_of(channel: Channel, length: int) -> F64:
    """Where the handles of each stretch between two keys lie (m, 2, 2): frame and value of that after the first key,
    and of that before the second; of the first of its numbers. On the straight line where it goes straight or
    stands."""
    curve, found = _curve(channel, length), []
    for i in range(len(channel.keys) - 1):
        (t0, t1), (v0, v1) = curve.times[i : i + 2], curve.values[i : i + 2, 0]
        span, goes = t1 - t0, curve.goes[i]
        leaves = arrives = (1 / 3, (v1 - v0) / 3)
        if goes == "smooth":
            leaves, arrives = ((1 / 3, float(s) * span / 3) for s in curve.slopes[i : i + 2, 0])
        elif goes == "custom":
            leaves, arrives = curve.leaves[i], (curve.arrives[i][0], -curve.arrives[i][1])
        found.append([[t0 + leaves[0] * span, v0 + leaves[1]], [t1 - arrives[0] * span, v1 - arrives[1]]])
    return np.array(found).reshape(-1, 2, 2)


def channels_under(shot: Shot, path: str) -> dict[str, Channel]:
    """The channels of values below a path, by the rest of theirs."""
    return {c.path.removeprefix(path): c for c in shot.channels if c.path.startswith(path)}


def number_over(shot: Shot, path: str, rest: float, frames: F64) -> F64:
    """A number (n,) at frames (n,) counted from the first: by its channel, or as it is at rest."""
    channel = next((c for c in shot.channels if c.path == path), None)
    return np.full(len(frames), rest) if channel is None else values_at(channel, frames, shot.frames)[:, 0]


class _Curve:
    """Keys one after the other, with what lies between them; k numbers at once."""

    def __init__(self, keys: tuple[Key, ...], around: int | None):
        """around: frames after which the first key comes again; None: the curve ends with its last key."""
        first = () if around is None else (keys[0].frame + around,)
        self.times = np.array([key.frame for key in keys] + list(first), float)
        values = [key.value for key in keys] + ([keys[0].value] if around is not None else [])
        self.values = np.array(values, float)
        self.goes = [key.goes for key in keys]
        self.slopes = _slopes(self.times, self.values, around is not None)
        self.leaves = np.array([key.leaves for key in keys], float)
        self.arrives = np.array([key.arrives for key in keys], float)

    def at(self, frames: F64) -> F64:
        """Values (n, k) at frames (n,) between the first and the last time."""
        if len(self.times) == 1:
            return np.repeat(self.values, len(frames), axis=0)
        which = np.clip(np.searchsorted(self.times, frames, side="right") - 1, 0, len(self.times) - 2)
        out = np.empty((len(frames), self.values.shape[1]))
        for i in np.unique(which):
            here = which == i
            out[here] = self._between(int(i), frames[here])
        return out

    def _between(self, i: int, frames: F64) -> F64:
        """Values (m, k) at frames (m,) from key i to the next."""
        (t0, t1), (v0, v1) = self.times[i : i + 2], self.values[i : i + 2]
        u = ((frames - t0) / (t1 - t0))[:, None]
        goes = self.goes[i]
        if goes == "hold":
            return np.where(u >= 1.0, v1, v0)
        if (v0 == v1).all() and goes != "custom":
            return np.repeat(v0[None], len(frames), axis=0)  # to the last bit, whatever lies between
        if goes == "linear":
            return v0 + (v1 - v0) * u
        if goes == "smooth":
            third = (t1 - t0) / 3.0
            return _bezier(v0, v0 + self.slopes[i] * third, v1 - self.slopes[i + 1] * third, v1, u)
        (out_share, out_by), (in_share, in_by) = self.leaves[i], self.arrives[i]
        s = _parameter(u[:, 0], out_share, 1.0 - in_share)[:, None]
        return _bezier(v0, v0 + out_by, v1 + in_by, v1, s)


@lru_cache(maxsize=512)
def _curve(channel: Channel, length: int) -> _Curve:
    return _Curve(channel.keys, length if channel.outside == "repeat" and _span(channel) < length else None)


def _span(channel: Channel) -> int:
    return channel.keys[-1].frame - channel.keys[0].frame


def _within(channel: Channel, frames: F64, length: int) -> F64:
    """Frames (n,) brought to where the curve is."""
    first, last = channel.keys[0].frame, channel.keys[-1].frame
    span = last - first
    if channel.outside == "repeat":
        return first + np.mod(frames - first, length if span < length else span)
    if channel.outside == "ping-pong" and span:
        there_and_back = np.mod(frames - first, 2 * span)
        return first + np.minimum(there_and_back, 2 * span - there_and_back)
    return np.clip(frames, first, last)


def _slopes(times: F64, values: F64, round_: bool) -> F64:
    """Slopes (m, k) at keys: the harmonic mean of those on both sides, weighted by their lengths; 0 where they differ
    in sign. At the ends those of the curve beside them, or what lies on the other side where it goes round."""
    if len(times) < 2:
        return np.zeros_like(values)
    h = np.diff(times)[:, None]
    d = np.diff(values, axis=0) / h
    inner = _between_slopes(h[:-1], h[1:], d[:-1], d[1:])
    if round_:
        end = _between_slopes(h[-1:], h[:1], d[-1:], d[:1])
        return np.concatenate([end, inner, end])
    return np.concatenate([np.zeros_like(d[:1]), inner, np.zeros_like(d[:1])])


def _between_slopes(h0: F64, h1: F64, d0: F64, d1: F64) -> F64:
    w0, w1 = 2 * h1 + h0, h1 + 2 * h0
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = (w0 + w1) / (w0 / d0 + w1 / d1)
    return np.where(d0 * d1 > 0, mean, 0.0)


def _bezier(a: F64, b: F64, c: F64, d: F64, s: F64) -> F64:
    r = 1.0 - s
    return np.asarray(a * r**3 + 3 * b * r * r * s + 3 * c * r * s * s + d * s**3)


def _parameter(u: F64, x1: float, x2: float) -> F64:
    """Where on a Bézier curve whose times go through 0, x1, x2, 1 (within 0…1, so they only grow) time is u (m,)."""
    low, high = np.zeros_like(u), np.ones_like(u)
    for _ in range(ROUNDS):
        s = 0.5 * (low + high)
        r = 1.0 - s
        before = 3 * x1 * r * r * s + 3 * x2 * r * s * s + s**3 < u
        low, high = np.where(before, s, low), np.where(before, high, s)
    return np.asarray(np.where(u >= 1.0, 1.0, high))
