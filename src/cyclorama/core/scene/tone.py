"""Tone: exposure, white balance and view transform from linear light to a picture."""

from typing import Annotated, Literal

from .base import Choices, Doc, quantity

ViewName = Literal["neutral", "aces", "srgb"]


class Tone(Doc):
    """Exposure and view. EV100 is metered or typed; the offset opens (+) or closes (−) from there."""

    AFFECTS = "picture"

    ev100: Annotated[float, quantity("Exposure", "EV100", ge=-10, le=24)] = 9.0
    """Exposure in EV100: one less is twice as bright. Meter finds it."""
    offset_stops: Annotated[float, quantity("Exposure offset", "stops", ge=-10, le=10)] = 0.0
    """Deliberately brighter (+) or darker (−) than metered."""
    white_k: Annotated[float, quantity("White balance", "K", ge=1700, le=20000)] = 5600.0
    """Light of this temperature is shown white."""
    white_tint: Annotated[float, quantity("White tint", "", ge=-1, le=1)] = 0.0
    """Shifts the white towards green (−) or magenta (+)."""
    view: Annotated[ViewName, Choices({"neutral": "Neutral", "aces": "ACES", "srgb": "sRGB"})] = "neutral"
    """How light becomes what a display shows (view transform): neutral keeps colours, ACES looks like film,
    sRGB clips."""
