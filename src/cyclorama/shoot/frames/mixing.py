"""Makes a take of another's lights: each frame is a new sum of what was kept apart, nothing is rendered."""

from functools import lru_cache
from pathlib import Path

from ...core.arrays import Mask, RGBImage
from ...core.errors import ShootError
from ...core.motion import moment
from ...core.picture.exr import read_layers
from ...core.picture.light_mix import LightChange, light_layers, mix_lights
from ...core.render.film.frame import finish_of
from ...core.render.film.tracer import Cancel, Cancelled, Tell
from ...store import FileSum, TakeRecord
from .files import pass_path, read_if_whole
from .pipeline import FramePicture


class MixMaker:
    """Mixes frames of a take whose lights were kept apart."""

    def __init__(self, source: TakeRecord, balance: dict[str, LightChange]):
        self._source, self._balance = source, balance

    def make(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> FramePicture:
        """The picture of a frame. Raises Cancelled, and ShootError when the lights of the frame are gone."""
        if cancelled():
            raise Cancelled
        layers, alpha = read_lights(self._source, number)
        finish = finish_of(moment(self._source.project, number))
        return FramePicture(mix_lights(layers, self._balance), alpha, iter(()), None, finish)


def read_lights(take: TakeRecord, number: int) -> tuple[dict[str, RGBImage], Mask | None]:
    """Every light's share of a frame (exposed), by name, and alpha where the picture is transparent.

    Raises ShootError when the file is gone.
    """
    path = pass_path(take, "lights", number)
    record = take.frames.get(number)
    if record is None or not path.exists():
        raise ShootError(f"The lights of frame {number} are not there. Let ‘Check and mend’ shoot them again.")
    return _read(path, path.stat().st_mtime_ns, record.files.get("lights"))


@lru_cache(maxsize=2)  # a slider asks for the same frame again and again
def _read(path: Path, _modified: int, known: FileSum | None) -> tuple[dict[str, RGBImage], Mask | None]:
    data = read_if_whole(path, known)
    if data is None:
        raise ShootError(f"‘{path.name}’ is damaged. Let ‘Check and mend’ shoot it again.")
    channels = read_layers(data, path.name)
    return light_layers(channels), channels.get("A")
