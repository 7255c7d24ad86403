"""How much room frames will need on disk, before the first is there.

Bytes a pixel as they were measured on frames of the demo studio at their noisiest (16 samples, not denoised),
rounded up: a forecast that is too small would stop a night's shoot.
"""

from ..render.outputs import pass_extension
from ..scene import Project
from ..scene.shoot import PassName

_PICTURE = {("png", 8): 3.5, ("png", 16): 7.0, ("jpeg", 8): 1.5, ("tiff", 8): 3.5, ("tiff", 16): 7.0,
            ("exr", 16): 7.0, ("exr", 32): 13.0}  # fmt: skip
_LIGHTS_A_LAYER, _COMPONENTS, _MATTES = 7.0, 42.0, 28.0
_DATA: dict[PassName, float] = {
    "lights": 6 * _LIGHTS_A_LAYER, "components": _COMPONENTS, "objects": _MATTES, "materials": _MATTES,
    "position": 13.0, "depth": 4.5, "motion": 9.0,
}  # fmt: skip
_THUMB = 20_000


def frame_bytes(project: Project) -> int:
    """About how many bytes a frame takes with all its passes."""
    s = project.shoot
    bits = 8 if s.file_format == "jpeg" else s.bits
    picture = _PICTURE.get((s.file_format, bits), 7.0)
    a_pixel = picture
    for name in s.passes.wanted:
        if name == "lights":
            a_pixel += _LIGHTS_A_LAYER * (len(project.lights) + 2)
        else:
            exr = pass_extension(project, name) == "exr"
            a_pixel += _DATA.get(name, 7.0) if exr else picture
    return round(a_pixel * s.width * s.height) + _THUMB


def reserve_bytes(project: Project) -> int:
    """Room that is never filled with frames: for twenty of them or 1 GB, whichever is less; the database needs some
    in any case."""
    return max(min(20 * frame_bytes(project), 10**9), 16_000_000)
