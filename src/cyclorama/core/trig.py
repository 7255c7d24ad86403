"""Sine, cosine and their inverses by polynomials: a few nanoseconds each, accurate to 6·10⁻⁸, and vectorisable.

Kernels turn random numbers into directions and directions into places on an environment millions of times a
second; the system's functions would be a fifth of a frame. Polynomials: Abramowitz and Stegun, "Handbook of
Mathematical Functions", 4.3.97/4.3.99 (refined to full length), 4.4.46 and 4.4.49.
"""

import math

from .kernel import device


@device
def _folded(turns):
    """The angle in radians, less half turns until it is within a quarter turn of zero."""
    return (turns - 0.5 * math.floor(2.0 * turns + 0.5)) * (2.0 * math.pi)


@device
def _sign(turns):
    """−1 where an odd number of half turns was left out: sine changes sign there and so does cosine."""
    half = math.floor(2.0 * turns + 0.5)
    return 1.0 - 2.0 * (half - 2.0 * math.floor(0.5 * half))


@device
def sin_turns(turns):
    """Sine of an angle in turns (1 is a full circle)."""
    x = _folded(turns)
    x2 = x * x
    return (
        _sign(turns)
        * x
        * (
            1.0
            + x2 * (-1.0 / 6.0 + x2 * (1.0 / 120.0 + x2 * (-1.0 / 5040.0 + x2 * (1.0 / 362880.0 - x2 / 39916800.0))))
        )
    )


@device
def cos_turns(turns):
    """Cosine of an angle in turns."""
    x = _folded(turns)
    x2 = x * x
    return _sign(turns) * (
        1.0
        + x2
        * (
            -0.5
            + x2
            * (1.0 / 24.0 + x2 * (-1.0 / 720.0 + x2 * (1.0 / 40320.0 + x2 * (-1.0 / 3628800.0 + x2 / 479001600.0))))
        )
    )


@device
def sincos_turns(turns):
    """Sine and cosine of an angle in turns."""
    return sin_turns(turns), cos_turns(turns)


@device
def turns_of(y, x):
    """Angle of the point (x, y) in turns, −0.5…0.5; atan2(y, x) / 2π."""
    ax, ay = abs(x), abs(y)
    z = min(ax, ay) / max(max(ax, ay), 1e-30)
    z2 = z * z
    a = z * (1.0 + z2 * (-0.3333314528 + z2 * (0.1999355085 + z2 * (-0.1420889944 + z2 * (0.1065626393 + z2 * (
        -0.0752896400 + z2 * (0.0429096138 + z2 * (-0.0161657367 + z2 * 0.0028662257))))))))  # fmt: skip
    a *= 0.5 / math.pi
    a = 0.25 - a if ay > ax else a
    a = 0.5 - a if x < 0.0 else a
    return -a if y < 0.0 else a


@device
def half_turns_from_pole(c):
    """acos(c) / π for −1 ≤ c ≤ 1 (values beyond are taken as the ends)."""
    x = min(abs(c), 1.0)
    a = math.sqrt(1.0 - x) * (
        1.5707963050
        + x
        * (
            -0.2145988016
            + x
            * (
                0.0889789874
                + x * (-0.0501743046 + x * (0.0308918810 + x * (-0.0170881256 + x * (0.0066700901 - x * 0.0012624911))))
            )
        )
    )
    a /= math.pi
    return 1.0 - a if c < 0.0 else a
