"""Beats of a sound: where its energy rises, at a tempo that it keeps.

Onsets are the rise of compressed energy from one short spectrum to the next, in bands; tempo is where they repeat, with
a leaning towards two a second; beats are the path through strong onsets that keeps the tempo best (Ellis, Beat Tracking
by Dynamic Programming, Journal of New Music Research 36, 2007).
"""

from collections.abc import Iterator

import numpy as np
import scipy
from numpy.typing import NDArray

from .sound_synthesis import RATE

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
HOP = 480
"""samples between spectra: a hundred a second"""
WINDOW = 2048
BANDS = 24
AT_ONCE = 6000
"""spectra that are looked at together, a minute of them"""
SLOWEST, QUICKEST = 40.0, 220.0
"""beats a minute"""
TIGHTNESS = 100.0
LEAST = 2.0
"""seconds of sound below which no tempo can be told"""
CLEAR = 0.08
"""how much of the onsets' own likeness must come back after a beat, for there to be one"""


def beats(samples: F32) -> tuple[float, ...]:
    """Seconds of all beats in stereo samples (n, 2) at 48 kHz; none where nothing repeats."""
    if len(samples) < LEAST * RATE:
        return ()
    onsets = _onsets(samples)
    period = _period(onsets)
    if period is None:
        return ()
    return tuple(round(float(i) * HOP / RATE, 4) for i in _path(onsets, period))


def _onsets(samples: F32) -> F64:
    """Onset strength, a hundred times a second, with a mean of 0 and a deviation of 1."""
    bands = np.concatenate(list(_bands(samples)), axis=1)
    rise = np.maximum(0, np.diff(bands, axis=1, prepend=bands[:, :1])).mean(axis=0)
    deviation = float(rise.std())
    return np.asarray((rise - rise.mean()) / deviation if deviation > 1e-9 else np.zeros_like(rise), np.float64)


def _bands(samples: F32) -> Iterator[F64]:
    """Compressed energy (bands, n) of spectra every HOP, a minute at a time: those of an hour would be gigabytes."""
    count = len(samples) // HOP + 1
    window = scipy.signal.get_window("hann", WINDOW)
    window /= window.sum()
    edges = np.unique(np.geomspace(2, WINDOW // 2 + 1, BANDS + 1).astype(int))
    for first in range(0, count, AT_ONCE):
        some = min(AT_ONCE, count - first)
        begin = first * HOP - WINDOW // 2  # a spectrum is of what lies around its moment, silence beyond the ends
        mono = np.zeros((some - 1) * HOP + WINDOW)
        inside = samples[max(0, begin) : begin + len(mono)].mean(axis=1)
        mono[max(0, -begin) : max(0, -begin) + len(inside)] = inside
        frames = np.lib.stride_tricks.sliding_window_view(mono, WINDOW)[::HOP]
        power = np.abs(np.fft.rfft(frames * window, axis=1)).T ** 2
        yield np.log1p(1e4 * np.add.reduceat(power, edges[:-1], axis=0))


def _period(onsets: F64) -> int | None:
    """Spectra from beat to beat."""
    n = len(onsets)
    spectrum = np.fft.rfft(onsets, 2 * n)
    likeness = np.fft.irfft(np.abs(spectrum) ** 2)[:n]
    if likeness[0] <= 0:
        return None
    likeness /= likeness[0]
    per_minute = 60 * RATE / HOP
    low, high = int(per_minute / QUICKEST), min(n - 1, int(per_minute / SLOWEST))
    if high <= low:
        return None
    lags = np.arange(low, high + 1)
    leaning = np.exp(-0.5 * (np.log2(lags / (per_minute / 120)) / 0.9) ** 2)
    best = int(np.argmax(likeness[lags] * leaning))
    return int(lags[best]) if likeness[lags[best]] > CLEAR else None


def _path(onsets: F64, period: int) -> list[int]:
    """Places of beats: the best sum of onsets and of nearness to the period."""
    back = np.arange(-2 * period, -period // 2)
    cost = -TIGHTNESS * np.log(-back / period) ** 2
    score, before = onsets.copy(), np.full(len(onsets), -1)
    for i in range(len(onsets)):
        from_ = i + back
        inside = from_ >= 0
        if inside.any():
            reached = score[from_[inside]] + cost[inside]
            best = int(np.argmax(reached))
            if reached[best] > 0:
                score[i] += reached[best]
                before[i] = from_[inside][best]
    at = int(np.argmax(score[-2 * period :])) + max(0, len(onsets) - 2 * period)
    found = [at]
    while before[at] >= 0:
        at = int(before[at])
        found.append(at)
    return found[::-1]
