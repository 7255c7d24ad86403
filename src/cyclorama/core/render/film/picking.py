"""Looking through the camera at one place: what a click on the lens means."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...arrays import Mat4, Vec3
from ...framing import SurfacePoint
from ...geometry.filling import Hollow
from ...light.balance import Apart
from ...light.placement import Surface
from ...motion import STILL, Moment
from ...picture.exposure import expose
from ...picture.view_transform import to_display
from ...scene import Item
from ...scene.item import SET_PARTS
from ...scene.shot import DISC
from ...scene.writing import derive
from ...textures import srgb_to_linear
from ..compile.compiler import SceneCompiler
from ..compile.copies import matrix_of
from ..trace.wavefront import trace_batch
from .denoise import denoise
from .film import Film
from .light_bench import apart
from .meter import meter_subject
from .tracer import Tracer

I32 = NDArray[np.int32]
SHOWN_WIDTH, SHOWN_SAMPLES = 240, 12
"""In this size the colour of a material is looked at."""
PIECE = 1 << 15
"""So many places are looked at at once."""
WIDTH, POINT_SAMPLES, COLOUR_SAMPLES, PATCH = 640, 16, 64, 4
"""The picture is looked at in this width; a colour is the mean over PATCH pixels to each side."""


@dataclass(frozen=True, slots=True)
class PickProbe:
    """Answers what changes need to know of the picture; see `sheet.tools.Eye`."""

    compiler: SceneCompiler
    tracer: Tracer

    def meter(self, moments: list[Moment]) -> float | None:
        """EV100 for the subject over some moments, None when it is black or absent."""
        return meter_subject(moments, self.compiler, self.tracer)

    def point(self, moment: Moment, x: float, y: float) -> SurfacePoint | None:
        """The surface point at (x, y), shares of the picture from the top left; None where nothing is."""
        width, height = _size(moment)
        scene = self.compiler.compile(_pinhole(moment), width, height, keep="passes")
        samples = trace_batch(scene, _pixels(x, y, width, height, 0), 0, POINT_SAMPLES, 0)
        met = samples.items["covered"] > 0
        if not met.any():
            return None
        places = samples.first[met]
        nearest = places[np.argmin(samples.items["depth"][met])]
        item, carriage = _owner(moment, int(nearest[10]) - 1)
        back = np.linalg.inv(moment.carried(carriage, moment.around)[0])
        point = back[:3, :3] @ nearest[:3].astype(np.float64) + back[:3, 3]
        return SurfacePoint(point, item)

    def apart(self, moment: Moment, lights: tuple[str, ...]) -> Apart | None:
        """The light of some lamps that are on, and of all else, on the subject; None where it is not seen."""
        return apart(moment, lights, self.compiler, self.tracer)

    def hollow(self, item: Item) -> Hollow | None:
        """The hollow of an item as it stands; None where it has none."""
        return self.compiler.hollow(item)

    def copies(self, moment: Moment, item: Item) -> list[tuple[int, Mat4]]:
        """The copies of one of the moment's items: which prototype each is of, and its pose seen from the item's own
        place."""
        return [
            (copied.prototype, matrix_of(pose))
            for copied in self.compiler.copied(moment, item)
            for pose in copied.poses
        ]

    def owners(self, moment: Moment, width: int) -> I32:
        """Part number at each place of a picture so wide (h, w), counted from 1 (the set's, then those of the moment's
        items), 0 nothing."""
        height = max(1, round(width * moment.shoot.height / moment.shoot.width))
        scene = replace(self.compiler.compile(_pinhole(moment), width, height, keep="passes"), max_bounces=0)
        pieces = np.array_split(np.arange(width * height, dtype=np.int32), -(-width * height // PIECE))
        parts = [trace_batch(scene, pixels, 0, 1, 0).first[:, 10] for pixels in pieces]
        return np.concatenate(parts).astype(np.int32).reshape(height, width)

    def shown(self, moment: Moment, material: str) -> Vec3 | None:
        """The colour (3,) in which a material is seen in the picture, linear as a display shows it: the median over all
        that wears it; None where nothing of it is seen."""
        worn = [w.material == material for item in moment.items for w in item.variant.parts]
        numbers = np.flatnonzero(worn) + len(SET_PARTS) + 1
        owners = self.owners(moment, SHOWN_WIDTH)
        where = np.isin(owners, numbers)
        if not where.any():
            return None
        height, width = owners.shape
        film = Film(width, height)
        self.tracer.expose(film, self.compiler.compile(moment, width, height), SHOWN_SAMPLES)
        tone = moment.look.tone
        seen = to_display(expose(denoise(film, "fast", False), tone), tone.view)[where]
        return np.asarray(np.median(srgb_to_linear(np.clip(seen, 0.0, 1.0)), axis=0), np.float64)

    def surface(self, moment: Moment, x: float, y: float) -> Surface | None:
        """The surface at (x, y), shares of the picture from the top left, as it stands in the moment; None where
        nothing is."""
        width, height = _size(moment)
        scene = self.compiler.compile(_pinhole(moment), width, height, keep="passes")
        samples = trace_batch(replace(scene, max_bounces=0), _pixels(x, y, width, height, 0), 0, POINT_SAMPLES, 0)
        met = samples.items["covered"] > 0
        if not met.any():
            return None
        # the surface in most of the pixel, not a mixture across an edge
        parts = samples.first[:, 10].astype(int)
        mine = met & (parts == np.bincount(parts[met]).argmax())
        point = samples.first[mine, :3].astype(np.float64).mean(axis=0)
        normal = np.array([samples.items[f"normal_{axis}"][mine].mean() for axis in "xyz"], np.float64)
        eye = moment.around.cameras[0][:3, 3]
        normal = normal / max(float(np.linalg.norm(normal)), 1e-12)
        return Surface(point, -normal if normal @ (eye - point) < 0 else normal, eye)

    def seen(self, moment: Moment, x: float, y: float) -> Vec3 | None:
        """The colour (3,) that the picture has around (x, y), linear as a display shows it; None where nothing is."""
        light = self.colour(moment, x, y)
        if light is None:
            return None
        tone = moment.look.tone
        picture = to_display(expose(light.astype(np.float32).reshape(1, 1, 3), tone), tone.view)
        return np.asarray(srgb_to_linear(np.clip(picture[0, 0], 0.0, 1.0)), np.float64)

    def colour(self, moment: Moment, x: float, y: float) -> Vec3 | None:
        """Mean radiance (3,) in nit around (x, y); None where no surface is."""
        width, height = _size(moment)
        scene = self.compiler.compile(moment, width, height)
        samples = trace_batch(scene, _pixels(x, y, width, height, PATCH), 0, COLOUR_SAMPLES, 0).items
        if samples["covered"].mean() < 0.5:
            return None
        return np.array([samples[c].mean() for c in "rgb"], np.float64)


def _owner(moment: Moment, part: int) -> tuple[str | None, str]:
    """The item that a part belongs to, by its number, and what that moves with."""
    before = len(SET_PARTS)
    for item in moment.items:
        if before <= part < before + len(item.parts):
            return item.id, moment.carriages[item.id]
        before += len(item.parts)
    return None, DISC if moment.disc_turns and part == SET_PARTS.index("disc") else STILL


def _pinhole(moment: Moment) -> Moment:
    """The moment seen sharply while the shutter is open for no time."""
    here = replace(
        moment.around,
        frames=moment.around.frames[:1],
        cameras=moment.around.cameras[:1],
        disc_deg=moment.around.disc_deg[:1],
        item_deg={who: deg[:1] for who, deg in moment.around.item_deg.items()},
        lights_deg=moment.around.lights_deg[:1],
        environment_deg=moment.around.environment_deg[:1],
    )
    playing = {who: play.stopped for who, play in moment.playing.items()}
    camera = derive(moment.camera, f_number=None, shutter_deg=0.0)
    return replace(moment, camera=camera, shutter=here, playing=playing)


def _size(moment: Moment) -> tuple[int, int]:
    return WIDTH, max(1, round(WIDTH * moment.shoot.height / moment.shoot.width))


def _pixels(x: float, y: float, width: int, height: int, around: int) -> np.ndarray:
    column, row = min(int(x * width), width - 1), min(int(y * height), height - 1)
    columns = np.arange(max(column - around, 0), min(column + around + 1, width))
    rows = np.arange(max(row - around, 0), min(row + around + 1, height))
    return (rows[:, None] * width + columns).ravel().astype(np.int32)
