"""Time to grade a frame of 1280×720, step by step."""

from collections.abc import Callable

import numpy as np

from ..core.picture.exr import encode_exr, main_picture
from ..core.picture.files import encode_display
from ..core.picture.grade.finish import Finish, display_frame
from ..core.picture.half_float import repair_pixels, widen_halves
from ..core.scene import Grade
from ..core.scene.grade import Curves, HueRange, Hues, LensEffects, ToneCurve
from ..shoot.run.forecast import time_call

SIZE = 720, 1280
ROUNDS = 6
WANTED_S = 0.12
BENT = ToneCurve(points=((-4.0, -4.6), (0.0, 0.1), (3.0, 2.8)))
LIGHT = {"exposure_stops": 0.3, "white_k": 5000.0, "contrast": 1.1, "saturation": 1.1}
GRADES = {
    "nothing": Grade(),
    "exposure, white, contrast, saturation": Grade(**LIGHT),  # type: ignore[arg-type]
    "and curve": Grade(**LIGHT, curves=Curves(luma=BENT)),  # type: ignore[arg-type]
    "and power": Grade(**LIGHT, curves=Curves(luma=BENT), power=(1.05, 1.0, 0.95)),  # type: ignore[arg-type]
    "hues": Grade(hues=Hues(reds=HueRange(turn_deg=8.0, saturation=1.2))),
    "glare": Grade(lens=LensEffects(glare=10.0)),
    "dispersion": Grade(lens=LensEffects(dispersion=2.0)),
    "grain": Grade(lens=LensEffects(grain=4.0)),
}


def run_grading(tell: Callable[[str], None]) -> None:
    """Read a master, grade it, make a picture of it; the best of a few rounds each."""
    light = np.random.default_rng(1).lognormal(-1.5, 1.0, (*SIZE, 3)).astype(np.float32)
    data = encode_exr(light)
    read = _best(lambda: widen_halves(repair_pixels(main_picture(data, "master"))[0]))
    tell(f"read a master {1000 * read:38.0f} ms")
    for name, grade in GRADES.items():
        finish = Finish(grade, "neutral")
        took = _best(lambda finish=finish: display_frame(light, None, finish, lambda key: b""))  # type: ignore[misc]
        verdict = (
            "" if grade.lens != LensEffects() else f"   with reading {(read + took) / WANTED_S:.2f} of {WANTED_S} s"
        )
        tell(f"{name:42} {1000 * took:8.0f} ms{verdict}")
    small = light.reshape(SIZE[0] // 2, 2, SIZE[1] // 2, 2, 3).mean(axis=(1, 3))
    graded = Finish(GRADES["and curve"], "neutral")
    took = _best(lambda: encode_display(display_frame(small, None, graded, lambda key: b""), "jpeg"))
    tell(f"tried at the size of a window, as JPEG     {1000 * took:8.0f} ms   {took / 0.1:.2f} of 0.1 s")


def _best(run: Callable[[], object]) -> float:
    return min(time_call(run)[0] for _ in range(ROUNDS))
