"""Layered EXR: the light of a frame and all its passes in one file, with where and how the camera saw it."""

from fractions import Fraction
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from ..framing import Projection
from ..motion import Moment
from ..motion.frames import FrameRate
from ..motion.timecode import drops, timecode
from ..scene.writing import derive

COLOUR_SPACE = "lin_rec709_scene"
"""Scene-linear light with Rec.709 primaries, as the Color Interop Forum's "Color Space Encodings" (2025) names it."""
NEAR_M, FAR_M = 0.01, 1000.0
"""Depths that the projection of `worldToNDC` maps to −1 and 1."""
Channels = dict[str, NDArray[Any]]


def as_layer(name: str, channels: Channels) -> Channels:
    """Channels of a file with their layer's name before them, where they are those of its main picture."""
    return {c if "." in c else f"{name}.{c}": values for c, values in channels.items()}


def frame_header(here: Moment, rate: FrameRate, reel: str, comments: str) -> dict[str, Any]:
    """Attributes of a frame as OpenEXR's "Standard Attributes" (3.4) name them: colour space, rate, timecode and number
    of the frame; lens and place of the camera.

    reel: name of the take. Timecode holds up to 30 frames a second.
    """
    camera, focal_mm = here.camera, float(here.around.focal_mm[0])
    to_camera = np.linalg.inv(here.around.cameras[0])
    header: dict[str, Any] = {
        "colorInteropID": COLOUR_SPACE,
        "framesPerSecond": Fraction(rate.num, rate.den),
        "imageCounter": here.frame,
        "reelName": reel,
        "comments": comments,
        "cameraLabel": camera.name,
        "nominalFocalLength": focal_mm,
        "worldToCamera": _for_rows(to_camera),
        "worldToNDC": _for_rows(_projection(here, focal_mm) @ to_camera),
    }
    if round(rate.fraction) <= 30:
        header["timeCode"] = _timecode(here.frame, rate)
    if camera.f_number is not None:
        header["aperture"] = float(camera.f_number)
    if camera.shutter_deg > 0:
        header["shutterAngle"] = float(camera.shutter_deg)
        header["expTime"] = float(camera.shutter_deg / 360 / rate.fraction)
    if camera.focus_m is not None:
        header["focus"] = float(camera.focus_m)
    return header


def _for_rows(matrix: NDArray[np.float64]) -> NDArray[np.float32]:
    """A matrix (4, 4) for points that are rows, as OpenEXR has it; the library reads memory as it lies."""
    return np.ascontiguousarray(matrix.T, np.float32)


def _projection(here: Moment, focal_mm: float) -> NDArray[np.float64]:
    """Camera space to normalised device coordinates (4, 4), −1…1, of a lens without distortion."""
    s = here.shoot
    lens = Projection.of(derive(here.camera, focal_mm=focal_mm, distortion=0.0), s.width, s.height)
    across, up = lens.middle
    return np.array(
        [
            [1 / lens.half_w, 0, across / lens.half_w, 0],
            [0, 1 / lens.half_h, up / lens.half_h, 0],
            [0, 0, -(FAR_M + NEAR_M) / (FAR_M - NEAR_M), -2 * FAR_M * NEAR_M / (FAR_M - NEAR_M)],
            [0, 0, -1, 0],
        ],
        float,
    )


def _timecode(frame: int, rate: FrameRate) -> "OpenEXR.TimeCode":
    hours, minutes, seconds, last = (int(x) for x in timecode(frame, rate).replace(";", ":").split(":"))
    flags = [int(drops(rate) > 0), 0, 0, 0, 0, 0]
    return OpenEXR.TimeCode(hours, minutes, seconds, last, *flags, *[0] * 8)
