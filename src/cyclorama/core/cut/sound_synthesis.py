"""Sounds made by the program: room tones that go round without a seam, chimes that ring out, a pulse to cut to."""

import math
from collections.abc import Callable
from fractions import Fraction
from functools import cache

import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
RATE = 48_000
"""samples a second of everything that is heard"""
_LEVEL = 0.1


def _noise(seconds: float, seed: int, tilt: float, low_hz: float, high_hz: float) -> F32:
    """Noise (n, 2) whose power falls by `tilt` with frequency, between two corners; its end meets its beginning."""
    n = round(seconds * RATE)
    rng = np.random.default_rng(seed)
    hertz = np.fft.rfftfreq(n, 1 / RATE)
    shape = np.where(hertz > 0, np.maximum(hertz, 1.0) ** (-tilt / 2), 0.0)
    shape *= 1 / np.sqrt(1 + (low_hz / np.maximum(hertz, 1e-3)) ** 4) / np.sqrt(1 + (hertz / high_hz) ** 4)
    phases = rng.uniform(0, 2 * np.pi, (2, len(hertz)))
    shared = rng.uniform(0, 2 * np.pi, len(hertz))
    sides = [np.fft.irfft(shape * (np.exp(1j * p) + 1.2 * np.exp(1j * shared)), n) for p in phases]
    both = np.stack(sides, 1)
    return (both * (_LEVEL / np.sqrt(np.mean(both**2)))).astype(np.float32)


def _room() -> F32:
    return _noise(8.0, 4, 1.6, 40, 1800)


def _sea() -> F32:
    """Waves: noise that swells three times while it goes round once."""
    air = _noise(18.0, 11, 1.1, 90, 4200)
    t = np.arange(len(air)) / len(air)
    swell = 0.35 + 0.65 * (0.5 - 0.5 * np.cos(2 * np.pi * 3 * t)) ** 2
    return np.asarray(air * swell[:, None], np.float32)


def _struck(partials: list[tuple[float, float, float]], seconds: float, width: float) -> F32:
    """A struck body: partials of frequency in Hz, level, and seconds after which they are a thousandth."""
    t = np.arange(round(seconds * RATE)) / RATE
    sides = []
    for side in (-1, 1):
        heard = sum(
            level * np.exp(-6.9 * t / decay) * np.sin(2 * np.pi * hz * (1 + side * width) * t)
            for hz, level, decay in partials
        )
        sides.append(heard * (1 - np.exp(-t / 0.002)))
    both = np.stack(sides, 1)
    return np.asarray(0.5 * both / np.abs(both).max(), np.float32)


def _glass() -> F32:
    return _struck([(1318.5, 1.0, 3.2), (3559.9, 0.5, 1.6), (6856.0, 0.22, 0.8), (11073.0, 0.08, 0.4)], 4.0, 0.0006)


def _bell() -> F32:
    ratios = [
        (0.5, 0.6, 6.0),
        (1.0, 1.0, 5.0),
        (1.183, 0.5, 3.6),
        (1.506, 0.4, 3.0),
        (2.0, 0.5, 2.4),
        (2.514, 0.25, 1.6),
    ]
    return _struck([(392.0 * ratio, level, decay) for ratio, level, decay in ratios], 6.0, 0.0004)


PULSE_PER_MINUTE = 96


def _pulse() -> F32:
    """Four soft beats, 96 a minute, that go round."""
    n = round(4 * 60 / PULSE_PER_MINUTE * RATE)
    heard = np.zeros((n, 2), np.float32)
    for beat in range(4):
        seconds = 0.5
        t = np.arange(round(seconds * RATE)) / RATE
        hz = 55 + 60 * np.exp(-t / 0.03)
        low = np.exp(-t / 0.12) * np.sin(2 * np.pi * np.cumsum(hz) / RATE)
        rng = np.random.default_rng(beat % 2)
        brushed = 0.18 * rng.standard_normal(len(t)) * np.exp(-t / 0.02)
        both = (0.5 if beat % 2 else 0.7) * low + brushed
        at = beat * n // 4
        heard[at : at + len(t)] += both[: n - at, None].astype(np.float32)
    return np.asarray(0.6 * heard / np.abs(heard).max(), np.float32)


MADE: dict[str, tuple[str, Callable[[], F32]]] = {
    "room": ("Quiet room, goes round", _room),
    "sea": ("Sea far away, goes round", _sea),
    "glass": ("Glass chime", _glass),
    "bell": ("Brass bell", _bell),
    "pulse": ("Slow pulse, 96 a minute", _pulse),
}
"""What each is called and how it is made: (n, 2) samples −1…1."""


@cache
def synthesize_sound(name: str) -> F32:
    """A made sound, (n, 2) samples; made once, not to be written to. Raises KeyError."""
    samples = MADE[name][1]()
    samples.flags.writeable = False
    return samples


def sample_of(frame: int, rate: Fraction) -> int:
    """The sample that a frame begins with: computed for each, so that picture and sound never drift apart."""
    return math.floor(frame * RATE / rate + Fraction(1, 2))


GOES_ROUND = frozenset({"room", "sea", "pulse"})
