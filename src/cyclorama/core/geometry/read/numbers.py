"""Numbers in text, as kernels read them: far faster than Python's own words, and they know where they stand."""

import numpy as np

from ...kernel import device, kernel

TAB, NEWLINE, RETURN, SPACE, BACKSLASH = 9, 10, 13, 32, 92
PLUS, MINUS, DOT, ZERO, NINE = 43, 45, 46, 48, 57
_POWERS = 10.0 ** np.arange(23)
"""Powers of ten that a double holds exactly."""
_LOWER = 32


@device
def is_blank(c):
    return c in (SPACE, TAB)


@device
def is_end(c):
    return c in (NEWLINE, RETURN)


@device
def skip_blanks(text, at):
    """Past blanks, and past a backslash with its line's end: the line goes on."""
    n = text.shape[0]
    while at < n:
        if is_blank(text[at]):
            at += 1
        elif text[at] == BACKSLASH and at + 1 < n and is_end(text[at + 1]):
            at += 3 if at + 2 < n and text[at + 1] == RETURN and text[at + 2] == NEWLINE else 2
        else:
            break
    return at


@device
def skip_line(text, at):
    """To the end of the line (its first byte, or the end of the text)."""
    while at < text.shape[0] and not is_end(text[at]):
        at += 1
    return at


@device
def _word(text, at, a, b, c):
    """True when three letters stand here, large or small."""
    if at + 3 > text.shape[0]:
        return False
    return (text[at] | _LOWER) == a and (text[at + 1] | _LOWER) == b and (text[at + 2] | _LOWER) == c


@device
def number_at(text, at):
    """The number that begins here and the place behind it; the same place when none does.

    Digits beyond the nineteenth are dropped; the result is right to a few units in the last place of a double.
    """
    n, start, sign = text.shape[0], at, 1.0
    if at < n and (text[at] == MINUS or text[at] == PLUS):
        sign = -1.0 if text[at] == MINUS else 1.0
        at += 1
    if _word(text, at, 110, 97, 110):
        return np.nan, at + 3
    if _word(text, at, 105, 110, 102):
        at += 3
        while at < n and 97 <= (text[at] | _LOWER) <= 122:
            at += 1
        return sign * np.inf, at
    mantissa, exponent, digits = np.uint64(0), 0, 0
    before = at
    while at < n and ZERO <= text[at] <= NINE:
        if digits < 19:
            mantissa = mantissa * np.uint64(10) + np.uint64(text[at] - ZERO)
            digits += 1 if mantissa > 0 else 0
        else:
            exponent += 1
        at += 1
    seen = at - before
    if at < n and text[at] == DOT:
        at += 1
        before = at
        while at < n and ZERO <= text[at] <= NINE:
            if digits < 19:
                mantissa = mantissa * np.uint64(10) + np.uint64(text[at] - ZERO)
                digits += 1 if mantissa > 0 else 0
                exponent -= 1
            at += 1
        seen += at - before
    if seen == 0:
        return 0.0, start
    if at < n and (text[at] | _LOWER) == 101:
        mark, at, down, power = at, at + 1, False, 0
        if at < n and (text[at] == MINUS or text[at] == PLUS):
            down = text[at] == MINUS
            at += 1
        before = at
        while at < n and ZERO <= text[at] <= NINE:
            power = min(power * 10 + text[at] - ZERO, 10000)
            at += 1
        if at == before:
            at = mark
        exponent += -power if down else power
    value = np.float64(mantissa)
    if exponent < -280:  # the power alone would be too small to be written
        value = value * 10.0 ** (exponent + 30) * 1e-30
    elif exponent > 22 or exponent < -22:
        value = value * 10.0**exponent
    elif exponent >= 0:
        value = value * _POWERS[exponent]
    else:
        value = value / _POWERS[-exponent]
    return sign * value, at


@device
def whole_at(text, at):
    """The whole number that begins here and the place behind it; the same place when none does."""
    n, start, down = text.shape[0], at, False
    if at < n and (text[at] == MINUS or text[at] == PLUS):
        down = text[at] == MINUS
        at += 1
    before, value = at, np.int64(0)
    while at < n and ZERO <= text[at] <= NINE:
        value = min(value * 10 + np.int64(text[at] - ZERO), np.int64(1) << 40)
        at += 1
    if at == before:
        return np.int64(0), start
    return -value if down else value, at


@kernel
def all_numbers(text, out):
    """Fill `out` (n,) with the numbers of a text of nothing else; returns how many there are and the place of the
    first thing that is no number (−1: none). Counts on when `out` is full."""
    at, count = 0, 0
    while True:
        while at < text.shape[0] and (is_blank(text[at]) or is_end(text[at])):
            at += 1
        if at >= text.shape[0]:
            return count, -1
        value, after = number_at(text, at)
        if after == at or (after < text.shape[0] and not (is_blank(text[after]) or is_end(text[after]))):
            return count, at
        if count < out.shape[0]:
            out[count] = value
        count += 1
        at = after
