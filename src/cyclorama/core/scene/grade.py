"""Grade of a finished picture: operators on linear light between the master and the screen.

Everything is applied in the order in which it stands here (`picture/grade`), and what stands at its default does
nothing at all, down to the last bit.
"""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from .base import AssetRef, Choices, Doc, affecting, quantity

DARKEST, BRIGHTEST = -8.0, 6.0
"""Stops about middle grey between which curves have their points."""
HUES = {"reds": 29.2, "yellows": 109.8, "greens": 142.5, "cyans": 194.8, "blues": 264.1, "magentas": 328.4}
"""Ranges of hue by their centres: those of a display's primaries and what two of them mix to, degrees of OKLCH."""
MOST_POINTS = 16
MOST_STOPS = 10.0
Stops = Annotated[float, Field(ge=DARKEST, le=BRIGHTEST)]
CurvePoint = tuple[Stops, Stops]
Slope = Annotated[float, Field(ge=0, le=16)]
Offset = Annotated[float, Field(ge=-1, le=1)]
Power = Annotated[float, Field(ge=0.05, le=8)]


def _rising(points: tuple[CurvePoint, ...]) -> tuple[CurvePoint, ...]:
    if any(b[0] - a[0] < 1e-3 or b[1] < a[1] for a, b in pairwise(points)):
        raise ValueError("Points of a curve go from left to right and never down.")
    return points


class HueRange(Doc):
    """Changes of the colours of one range of hue."""

    AFFECTS = "picture"

    turn_deg: Annotated[float, quantity("Hue", "°", ge=-60, le=60)] = 0.0
    """Turns hues of this range round the colour wheel."""
    saturation: Annotated[float, quantity("Saturation", "×", ge=0, le=4)] = 1.0
    """Strength of colours of this range."""
    stops: Annotated[float, quantity("Brightness", "stops", ge=-4, le=4)] = 0.0
    """Brightens or darkens colours of this range."""


class Hues(Doc):
    """Changes of colours by their hue: ranges that blend into each other."""

    AFFECTS = "picture"

    reds: HueRange = HueRange()
    yellows: HueRange = HueRange()
    greens: HueRange = HueRange()
    cyans: HueRange = HueRange()
    blues: HueRange = HueRange()
    magentas: HueRange = HueRange()


class ToneCurve(Doc):
    """A curve through points, both numbers in stops about middle grey: what comes in, what goes out.

    Monotone between its points; beyond the first and the last everything is lifted as they are.
    """

    AFFECTS = "picture"

    points: Annotated[
        tuple[CurvePoint, ...], AfterValidator(_rising), Field(title="Points", max_length=MOST_POINTS)
    ] = ()


class Curves(Doc):
    """Curves of luminance and of each channel."""

    AFFECTS = "picture"

    luma: ToneCurve = ToneCurve()
    red: ToneCurve = ToneCurve()
    green: ToneCurve = ToneCurve()
    blue: ToneCurve = ToneCurve()


class Table(Doc):
    """A look-up table from a .cube file."""

    AFFECTS = "picture"

    asset: AssetRef | None = None
    source_name: Annotated[str, Field(title="File", max_length=200)] = ""
    amount: Annotated[float, quantity("Amount", "", ge=0, le=1)] = 1.0
    """How much of the look-up table (LUT) is mixed in."""
    on: Annotated[
        Literal["shown", "log"],
        Field(title="Made for"),
        Choices({"shown": "the shown picture", "log": "light in stops"}),
    ] = "shown"
    """What the look-up table (LUT) was made for: the shown picture, or light in stops before the view."""


class LensEffects(Doc):
    """Effects of lens, sensor and film."""

    AFFECTS = "picture"

    distortion: Annotated[float, quantity("Distortion", "%", ge=-30, le=30)] = 0.0
    """Moves the corners outwards (pincushion) or inwards (barrel)."""
    dispersion: Annotated[float, quantity("Dispersion", "‰", ge=0, le=20)] = 0.0
    """How much farther from the middle red lies than blue (chromatic aberration)."""
    glare: Annotated[float, quantity("Glare", "%", ge=0, le=100)] = 0.0
    """Share of light that the lens scatters around bright places (bloom, glow); none is lost."""
    glare_size: Annotated[float, quantity("Glare size", "% of height", ge=0.1, le=50)] = 4.0
    """Half of the scattered light lies within this share of the picture: small for a halo, large for a veil."""
    glare_above: Annotated[float, quantity("Glare above", "× white", ge=0, le=100)] = 0.0
    """Only light brighter than this scatters, in multiples of white."""
    streaks: Annotated[float, quantity("Streaks", "", ge=0, le=1)] = 0.0
    """Share of the scattered light that lies in rays from the blades of the aperture (starbursts)."""
    vignette: Annotated[float, quantity("Vignette", "stops", ge=-4, le=4)] = 0.0
    """Darkens (−) or brightens (+) the corners."""
    sharpen: Annotated[float, quantity("Sharpen", "%", ge=0, le=300)] = 0.0
    """Strengthens edges. A little brings back what scaling softened."""
    sharpen_px: Annotated[float, quantity("Radius", "px", ge=0.3, le=20)] = 1.0
    """How far from an edge sharpening reaches, in pixels."""
    grain: Annotated[float, quantity("Grain", "%", ge=0, le=100)] = 0.0
    """Film grain: deviation at middle grey, in per cent of a stop."""
    grain_px: Annotated[float, quantity("Grain size", "px", ge=0.5, le=12)] = 1.5
    """Size of a grain, in pixels."""
    grain_colour: Annotated[float, quantity("Coloured", "", ge=0, le=1)] = 0.3
    """How far the grain of the three colours differs: 0 is grey grain."""


class Grade(Doc):
    """Grade of a look, or of a take."""

    AFFECTS = "picture"

    on: Annotated[bool, affecting("picture", title="Grade")] = True
    exposure_stops: Annotated[float, quantity("Exposure", "stops", ge=-MOST_STOPS, le=MOST_STOPS)] = 0.0
    """Brightens or darkens the clip, in stops."""
    white_k: Annotated[float, quantity("White", "K", ge=1700, le=20000)] = 5600.0
    """Light of this temperature is shown white: lower is bluer, higher is warmer."""
    white_tint: Annotated[float, quantity("Tint", "", ge=-1, le=1)] = 0.0
    """Shifts the white towards green (−) or magenta (+), against a cast."""
    contrast: Annotated[float, quantity("Contrast", "×", ge=0.1, le=4)] = 1.0
    """Multiplies stops about middle grey: above 1 is punchier, below 1 flatter."""
    slope: Annotated[tuple[Slope, Slope, Slope], Field(title="Slope")] = (1.0, 1.0, 1.0)
    offset: Annotated[tuple[Offset, Offset, Offset], Field(title="Offset")] = (0.0, 0.0, 0.0)
    power: Annotated[tuple[Power, Power, Power], Field(title="Power")] = (1.0, 1.0, 1.0)
    saturation: Annotated[float, quantity("Saturation", "×", ge=0, le=4)] = 1.0
    """Strength of all colours: 0 is black and white."""
    hues: Hues = Hues()
    curves: Curves = Curves()
    black: Annotated[float, quantity("Black point", "", ge=-0.1, le=0.45)] = 0.0
    white: Annotated[float, quantity("White point", "", ge=0.5, le=64)] = 1.0
    """Linear values that become 0 and 1."""
    table: Table = Table()
    lens: LensEffects = LensEffects()
