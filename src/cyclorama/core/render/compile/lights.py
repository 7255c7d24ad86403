"""The lights of a moment as the kernels sample them."""

import math
from collections.abc import Callable
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from ...arrays import Vec3
from ...colour import LUMA
from ...cumulative import guide_to
from ...errors import CycloramaError
from ...light.environment import EnvironmentMap, environment_turn
from ...light.kinds import mask_of
from ...light.masks import LOOP, mask, moves
from ...light.rows import put_gobo, reach_of
from ...light.shapes import LIGHT_COLUMNS
from ...light.standing import row_at, while_open
from ...material.row import EMISSION
from ...motion import Moment
from ...picture_files import decode_picture
from ...scene import Gobo, Light
from ...scene.base import ReadAsset
from ...scene.light import BASE_ENVIRONMENT_NIT
from ...textures import BLACK, REPEAT, TextureShelf
from ..trace.arrays import F32, F64, I32, Geometry, Lights, Materials
from .instances import Instances
from .views import spread_points


def gobo_picture(gobo: Gobo, frames_since_first: int) -> tuple[object, Callable[[ReadAsset], NDArray[np.uint8]]]:
    """The picture of a gobo in a frame: its name, and how to get it (given a reader of assets)."""
    step = gobo.pictures_per_frame * frames_since_first
    if gobo.pictures:
        asset = gobo.pictures[math.floor(step) % len(gobo.pictures)]
        return asset, lambda read: decode_picture(read(asset), gobo.source_name or "gobo")
    kind = gobo.pattern or "window"
    turn = step % LOOP if moves(kind) else 0.0
    return (kind, round(turn, 4)), lambda read: mask(kind, turn)


def gobo_names(lights: tuple[Light, ...], frames_since_first: int) -> tuple[object, ...]:
    """Pictures of the lights' gobos in a frame."""
    return tuple(gobo_picture(mask, frames_since_first)[0] for mask in map(mask_of, lights) if mask)


def put_gobos(lights: tuple[Light, ...], rows: list[F32], step: int, read: ReadAsset, shelf: TextureShelf) -> None:
    """Enter the lights' gobos, `step` frames after the first, into their rows, and on the shelf what is not there."""
    for light, row in zip(lights, rows, strict=True):
        if gobo := mask_of(light):
            name, get = gobo_picture(gobo, step)
            wrap = REPEAT if gobo.tiles else BLACK
            put_gobo(row, gobo, shelf.row(name, partial(get, read), False, wrap))


NEAREST_GLOW = 0.114
MOST_SHINING = 1 << 21
"""Triangles that shine, each as often as it stands on the set."""
PLACES = 512
"""Points by which a glow is known elsewhere."""
SLICES = 4
MARGIN = 1.02


def ball_around(points: F64) -> tuple[float, float, float, float]:
    """Middle and radius of a ball that holds points (n, 3), with a little room."""
    middle = (points.min(axis=0) + points.max(axis=0)) / 2.0
    x, y, z = middle.tolist()
    return x, y, z, float(np.linalg.norm(points - middle, axis=1).max()) * MARGIN


class Glow:
    """Triangles that shine: which, and their share of all that they give."""

    def __init__(self, geometry: Geometry, materials: Materials, instances: Instances):
        """Of a frame's geometry; what bends is taken as it is in the middle of the shutter.

        Raises CycloramaError when copies shine with too many triangles.
        """
        luminance = materials.values[:, EMISSION : EMISSION + 3] @ LUMA
        shining = np.flatnonzero(luminance[geometry.material] > 0).astype(np.int32)
        if int(np.maximum(instances.copies_of[shining, 1], 1).sum()) > MOST_SHINING:
            raise CycloramaError(
                "Too many copies shine. Use fewer of them, or let a part of them shine that has fewer triangles."
            )
        shining, self.bodies, self.copies = instances.shown(shining)
        c = geometry.corners[shining, :9].astype(np.float64)
        first, bent = geometry.shapes.first, geometry.shapes.corners
        if bent.shape[1]:
            bends = (shining >= first) & (shining < first + bent.shape[1])
            c[bends] = bent[len(bent) // 2][shining[bends] - first, :9]
        self.corners = c.reshape(-1, 3, 3)
        copied = self.copies >= 0
        if copied.any():
            poses = instances.poses[self.copies[copied]].astype(np.float64).reshape(-1, 4, 3)
            self.corners[copied] = self.corners[copied] @ poses[:, :3] + poses[:, 3:]
        c = self.corners.reshape(-1, 9)
        area = np.linalg.norm(np.cross(c[:, 3:6] - c[:, 0:3], c[:, 6:9] - c[:, 0:3]), axis=1) / 2
        power = area * luminance[geometry.material[shining]]
        self.triangles = shining
        self.total = float(power.sum())
        self.share = np.concatenate([[0.0], np.cumsum(power) / max(self.total, 1e-30)]).astype(np.float32)
        self.guide = guide_to(self.share, np.int32)
        middle = c.reshape(-1, 3, 3).mean(axis=1)
        self.middle = power @ middle / self.total if self.total > 0 else np.zeros(3)
        away = np.linalg.norm(c.reshape(-1, 3) - self.middle, axis=1)
        self.radius = float(away.max(initial=0.0)) * 1.0001

    @cached_property
    def places(self) -> tuple[I32, F64]:
        """Points spread by what they give: their bodies (PLACES,), and where they are in these (PLACES, 3)."""
        chosen, weights = spread_points(np.diff(self.share), PLACES)
        return self.bodies[chosen], (self.corners[chosen] * weights).sum(axis=1)

    @cached_property
    def slices(self) -> tuple[I32, F64, F64, F64]:
        """Slices of each body's glow across its length: bodies (k,), middles (k, 3) and radii (k,) of balls around them
        in the body's space, shares of the power (k,)."""
        found, power = [], np.diff(self.share)
        for body in np.unique(self.bodies):
            of = self.bodies == body
            corners, own = self.corners[of], power[of]
            middle = corners.mean(axis=1)
            spread = (middle - own @ middle / own.sum()) * np.sqrt(own)[:, None]
            along = middle @ np.linalg.eigh(spread.T @ spread)[1][:, -1]
            slice_of = np.searchsorted(np.linspace(along.min(), along.max(), SLICES + 1)[1:-1], along)
            for k in np.unique(slice_of):
                ball = ball_around(corners[slice_of == k].reshape(-1, 3))
                found.append((body, *ball, own[slice_of == k].sum()))
        table = np.array(found, np.float64)
        return table[:, 0].astype(np.int32), table[:, 1:4], table[:, 4], table[:, 5]

    def reach(self, aim: Vec3, camera_m: float) -> float:
        """About how much it gives at `aim`; as if never nearer than a part of the camera's distance, it may be right
        there."""
        return self.total / 4 / max(float(np.sum((self.middle - aim) ** 2)), (NEAREST_GLOW * camera_m) ** 2)


def lights_of(
    moment: Moment,
    lights: tuple[Light, ...],
    environment: EnvironmentMap,
    glow: Glow,
    read: ReadAsset,
    parts: tuple[str, ...],
    shelf: TextureShelf,
) -> Lights:
    """Everything that shines in one frame. `parts`: ids of all parts, the set's first; `shelf`: of gobos."""
    rows = [row_at(light, moment) for light in lights]
    put_gobos(lights, rows, moment.since_first, read, shelf)
    aim, env = moment.aim, moment.look.environment
    env_deg = env.rotation_deg + float(moment.around.environment_deg[0])
    camera_m = float(np.linalg.norm(moment.around.cameras[0, :3, 3] - aim))
    unit = 1.0 if env.kind == "sky" else BASE_ENVIRONMENT_NIT
    scale = unit * 2.0**env.strength_stops if moment.look.environment_lit else 0.0
    power = [reach_of(row, aim) for row in rows] + [
        glow.reach(aim, camera_m),
        environment.mean_luminance * scale * math.pi,
    ]
    share = np.array(power) / max(sum(power), 1e-30)
    share = np.where(share > 0, share + 0.05, 0.0)
    pick = np.concatenate([[0.0], np.cumsum(share / max(share.sum(), 1e-30))])
    spared = np.zeros((0, 0), np.uint8)
    if any(light.excluded_parts for light in lights):
        spared = np.array([[part in light.excluded_parts for part in parts] for light in lights], np.uint8)
    return Lights(
        rows=np.array(rows, np.float32).reshape(-1, LIGHT_COLUMNS),
        pick=pick.astype(np.float32),
        gobos=shelf.arrays(),
        mesh_share=glow.share,
        mesh_guide=glow.guide,
        mesh_triangle=glow.triangles,
        mesh_body=glow.bodies,
        mesh_copy=glow.copies,
        mesh_total=glow.total,
        glow_at=glow.middle,
        glow_reach=glow.radius,
        env_scale=scale,
        env_turn=environment_turn(math.radians(env_deg), math.radians(env.tilt_deg)),
        env_travel=math.radians(while_open(moment.shutter.environment_deg)),
        env_seen=env.seen_by_camera and scale > 0,
        env_reflected=env.seen_in_reflections,
        spared=spared,
    )
