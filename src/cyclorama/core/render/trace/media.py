"""Transparent bodies that a path is in, and the boundaries between them.

Schmidt and Budge, "Simple Nested Dielectrics in Ray Traced Images", Journal of Graphics Tools 7(2), 2002: a path
remembers all bodies that it has entered and not left. Of these the one of highest priority fills the place, and
boundaries of the others are passed through as if they were not there. Of bodies of equal priority the one entered last
counts, so that a body wholly inside another needs no priority. The same material twice is one body.

`media` (4,): material rows, the one that counts first, then by priority; −1: none.
"""

from ...kernel import device
from ...material.row import COAT, COAT_IOR, IOR, PRIORITY, PROFILED, TRANSMISSION

NO_MEDIA = (-1, -1, -1, -1)


@device
def enter(values, media, row):
    """Media of a path that has entered a body; the lowest of five is forgotten."""
    a, b, c, d = media
    k = values[row, PRIORITY]
    if a < 0 or k >= values[a, PRIORITY]:
        return row, a, b, c
    if b < 0 or k >= values[b, PRIORITY]:
        return a, row, b, c
    if c < 0 or k >= values[c, PRIORITY]:
        return a, b, row, c
    if d < 0 or k >= values[d, PRIORITY]:
        return a, b, c, row
    return media


@device
def exit_from(media, row):
    """Media of a path that has left a body."""
    a, b, c, d = media
    if a == row:
        return b, c, d, -1
    if b == row:
        return a, c, d, -1
    if c == row:
        return a, b, d, -1
    if d == row:
        return a, b, c, -1
    return media


@device
def is_within(media, row):
    """True for a body that the path is in."""
    return media[0] == row or media[1] == row or media[2] == row or media[3] == row


@device
def relative_row(v, around, row):
    """A copy of the row `v` in `row`, its indices against that of what lies around it.

    Of opaque surfaces in a denser medium only the strength of reflections changes: they have no inside.
    """
    for k in range(PROFILED):
        row[k] = v[k]
    row[PROFILED] = 0.0
    ior = v[IOR] / around
    if v[TRANSMISSION] == 0.0:
        ior = max(ior, 1.0 / ior)
    row[IOR] = ior
    if v[COAT] > 0.0:
        row[COAT_IOR] = max(v[COAT_IOR] / around, around / v[COAT_IOR])
    return row
