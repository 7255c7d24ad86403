"""Disk space that frames will need, before the first is there.

Bytes a pixel as measured on both demo projects (640×360, 16 samples, not denoised, so noisier than what is kept),
rounded up: a forecast that is too small would stop a night's shoot.
"""

from ..scene import Project
from ..scene.shoot import PassName

_PICTURE = {
    ("png", 8): 2.8,
    ("png", 16): 6.2,
    ("jpeg", 8): 1.1,
    ("tiff", 8): 2.8,
    ("tiff", 16): 6.2,
    ("exr", 16): 5.0,
    ("exr", 32): 12.5,
}
_LIGHT = 5.0
"""Of every layer of the pass that keeps lights apart."""
_DATA: dict[PassName, float] = {
    "components": 21.0,
    "objects": 3.0,
    "materials": 3.0,
    "position": 9.5,
    "depth": 3.5,
    "motion": 8.5,
}
_THUMB = 20_000


def frame_bytes(project: Project) -> int:
    """About how many bytes a frame takes with all its passes."""
    s = project.shot.shoot
    deepest = {"jpeg": 8, "exr": 32}.get(s.file_format, 16)
    bits = max(min(s.bits, deepest), 16 if s.file_format == "exr" else 8)
    picture = _PICTURE[s.file_format, bits]
    passes = {"lights": _LIGHT * (len(project.look.lights) + 2), **_DATA}
    master = _PICTURE["exr", 16] if s.masters and s.file_format != "exr" else 0.0
    a_pixel = picture + master + sum(passes.get(name, picture) for name in s.passes.wanted)
    return round(a_pixel * s.width * s.height) + _THUMB


def reserve_bytes(project: Project) -> int:
    """Room that is never filled with frames: for twenty of them or 1 GB, whichever is less; the database needs some
    in any case."""
    return max(min(20 * frame_bytes(project), 10**9), 16_000_000)
