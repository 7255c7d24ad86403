"""Makes a take of another's masters, denoised: nothing is rendered."""

from ..core.motion import moment
from ..core.render.film.denoise import denoise_picture
from ..core.render.film.frame import finish_of
from ..core.render.film.tracer import Cancel, Cancelled, Tell
from ..store import TakeRecord
from .finished import Masters
from .maker import FramePicture
from .pass_files import guide_of


class CleanMaker:
    """Denoises frames of a take, guided by its passes of albedo and normals where it has them."""

    def __init__(self, source: TakeRecord):
        self._source, self._masters = source, Masters(0)

    def make(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> FramePicture:
        """The picture of a frame. Raises Cancelled, and ShootError when the master of the frame is gone."""
        if cancelled():
            raise Cancelled
        light, alpha = self._masters.get(self._source, number).floats
        guides = (guide_of(self._source, name, number) for name in ("albedo", "normal"))
        clean = denoise_picture(light, *guides)
        finish = finish_of(moment(self._source.project, number))
        return FramePicture(clean, alpha, iter(()), None, finish)
