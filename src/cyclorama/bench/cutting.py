"""Time to deliver a cut of ten seconds at 1280×720: graded masters, a cross-fade, a title, sound."""

import tempfile
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from ..core.cut.compose import Compositor
from ..core.cut.document import Clip, Cut, Sound, Title
from ..core.cut.sound import Mix
from ..core.cut.timeline import Footage
from ..core.delivery.containers import encode
from ..core.delivery.presets import Delivery
from ..core.delivery.program_source import ProgramSource, in_order
from ..core.delivery.verify import verify_delivery
from ..core.host.processes import peak_memory
from ..core.picture.exr import encode_exr, main_picture
from ..core.picture.grade.finish import Finish, display_frame
from ..core.picture.half_float import repair_pixels, widen_halves
from ..core.scene import Grade
from ..core.scene.grade import Curves
from ..core.scene.writing import derive
from ..shoot.frames.files import sum_of
from ..shoot.run.forecast import time_call
from .grading import BENT, LIGHT

F32 = NDArray[np.float32]
SIZE = 720, 1280
RATE = Fraction(24)
DISTINCT = 24
"""masters that there are; they are read again each time"""
WANTED_S = 25.0
FRAMES = 240
GRADE = Finish(Grade(**LIGHT, curves=Curves(luma=BENT)), "neutral")  # type: ignore[arg-type]


class SampleMasters:
    """Masters in a folder, read and graded as those of takes are."""

    def __init__(self, folder: Path):
        self._folder = folder
        rng = np.random.default_rng(2)
        soft = gaussian_filter(rng.lognormal(-1.5, 1.5, (*SIZE, 3)).astype(np.float32), (24, 24, 0))
        for n in range(DISTINCT):
            grain = rng.normal(1.0, 0.01, (*SIZE, 3)).astype(np.float32)
            (folder / f"{n}.exr").write_bytes(encode_exr(np.roll(soft, 16 * n, axis=1) * grain))

    def read(self, number: int) -> F32:
        data = (self._folder / f"{number % DISTINCT}.exr").read_bytes()
        sum_of(data)  # as files of takes are compared with what was recorded
        return widen_halves(repair_pixels(main_picture(data, "master"))[0])

    def picture(self, clip: Clip, number: int, width: int | None) -> F32:
        return display_frame(self.read(number), None, GRADE, lambda key: b"")

    def size(self, clip: Clip) -> tuple[int, int]:
        return SIZE[1], SIZE[0]

    def framing(self, clip: Clip, number: int, shape: str) -> tuple[float, float]:
        return 0.0, 0.0


def run_cutting(tell: Callable[[str], None]) -> None:
    """Deliver as a web clip, then only the parts of it, each in order and with as many threads."""
    clip = Clip(id="a", take_id="take", length=132, cross=24, fade_in=18)
    title = Title(id="t", text="Storm Glass No. 4", sub="Vane & Tidewrack", length=FRAMES, size=9.0, down=80.0)
    sound = Sound(id="s", made="sea", seconds=18.0, length=FRAMES, loop=True)
    cut = Cut(clips=(clip, derive(clip, id="b")), titles=(title,), sounds=(sound,))
    films = {"take": Footage(DISTINCT, RATE, closes=True)}
    with tempfile.TemporaryDirectory() as name:
        masters = SampleMasters(Path(name))
        maker = Compositor(cut, films, masters, lambda key: b"", SIZE[1], SIZE[0])
        mix = Mix(cut, lambda key: b"")
        programme = ProgramSource(maker.frame, FRAMES, RATE, mix.blocks)
        delivery, target = Delivery(), Path(name) / "cut.mp4"
        maker.frame(30)  # compiling is not counted
        before = _memory()
        whole = time_call(lambda: encode(programme, delivery, target, lambda what, share: None))[0]
        grown = _memory() - before
        graded = time_call(lambda: _all(masters.picture, clip))[0]
        composed = time_call(lambda: [None for _ in in_order(maker.frame, range(FRAMES))])[0]
        look = time_call(lambda: verify_delivery(target, programme, delivery, -14.0))[0]
        twice = ProgramSource(maker.frame, FRAMES, RATE)
        _, more = (
            time_call(lambda: encode(twice, derive(delivery, rounds=2), target, lambda w, s: None))[0],
            _memory(),
        )
    tell(f"10 s of 1280×720 delivered {whole:14.1f} s   {whole / WANTED_S:.2f} of {WANTED_S:.0f} s")
    tell(f"  masters read and graded  {graded:14.1f} s   {graded / whole:.2f} of it")
    tell(f"  composed of them         {composed - graded:14.1f} s   {(composed - graded) / whole:.2f} of it")
    tell(f"  encoder and sound beside {whole - composed:14.1f} s   {(whole - composed) / whole:.2f} of it")
    tell(f"opened again and compared  {look:14.1f} s")
    tell(f"memory: {grown / 1e6:.0f} MB more for it, {(more - before) / 1e6:.0f} MB for twice as long")


def _all(picture: Callable[[Clip, int, int | None], F32], clip: Clip) -> None:
    for _ in in_order(lambda i: picture(clip, i, None), range(FRAMES)):
        pass


def _memory() -> int:
    """The most memory that was held so far, bytes."""
    return peak_memory()
