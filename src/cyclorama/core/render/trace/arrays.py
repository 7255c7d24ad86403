"""The arrays kernels work on, grouped by what they are for. All bodies' geometry lies end to end."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...light.environment import EnvironmentMap
from ...material.record import RECORD
from ...material.row import COLUMNS
from ...textures import Textures
from .block import Block, make_block
from .glow_targets import Targets
from .haze import Air

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
I32 = NDArray[np.int32]
U32A = NDArray[np.uint32]
U64A = NDArray[np.uint64]
U8 = NDArray[np.uint8]


class Geometry(NamedTuple):
    """Triangles of all bodies, each in its body's own space."""

    corners: F32
    """(t, 32) what shading reads of a triangle, in one piece of 128 aligned bytes so that it costs one or two cache
    lines: three positions (m), three unit normals, three texture coordinates, material row, part"""
    material: I32
    """(t,) row of Materials"""
    part: I32
    """(t,) number of the part: 0 the sweep, 1 the disc, then the items', the subject's last"""
    edges: "Edges"
    shapes: "Shapes"
    more_uvs: F32
    """(t, 6) texture coordinates of the three corners in the second set; (0, 6) where there is none"""
    paint: F32
    """(t, 12) colour (3) and opacity of the three corners; (0, 12) where there are none"""
    curved: F32
    """(t, 3) mean curvature at the three corners, 1/m, negative in hollows; (0, 3) where no layer asks for it"""


class Shapes(NamedTuple):
    """Triangles of all bodies that bend, as they do in one frame; each in its body's own space."""

    first: int
    """number of the first of these triangles"""
    corners: F32
    """(k, d, 18) positions (m) and unit normals of the corners at even times of the shutter"""
    places: F32
    """(3, d, 9) positions in this frame, the next and the one before; (3, 0, 9) where they are not recorded"""


class Edges(NamedTuple):
    """Hard edges near triangles whose material rounds them, in the body's own space."""

    first: NDArray[np.int64]
    """(t + 1,) where a triangle's list begins"""
    near: I32
    """which edges"""
    edge: F32
    """(e, 12) start (3), end (3), normals of the two faces (3, 3)"""


class Materials(NamedTuple):
    """One row a material (columns in `material.row`), and which maps multiply which columns."""

    values: F64
    """(m, COLUMNS); row 0 is where light leaves a scattering medium"""
    ranges: I32
    """(m, 10) bindings from–to, row of the normal map and of the relief (−1: none), whether texture space is
    needed, row of the coat's normal map, whether the mesh's colours are multiplied in, layers from–to, row of the
    material that this one is a shade of (itself, where it is none)"""
    bindings: I32
    """(b, 3) column, width, row of Textures"""
    films: F32
    """(f, …, 3) interference colours"""
    layers: F32
    """(k, LAYER_COLUMNS) what lies on surfaces, in the order in which it is laid on"""


class Lights(NamedTuple):
    """Lights of one frame."""

    rows: F32
    """(n, LIGHT_COLUMNS)"""
    pick: F32
    """(n + 3,) cumulative chance of choosing each light, then glowing triangles, then the environment"""
    gobos: Textures
    mesh_share: F32
    """(g + 1,) cumulative share of the glowing triangles"""
    mesh_guide: I32
    """(g,) where the search in it begins"""
    mesh_triangle: I32
    """(g,)"""
    mesh_body: I32
    """(g,)"""
    mesh_copy: I32
    """(g,) −1: of no copy"""
    glow_at: F64
    """(3,) middle of a ball that holds all glowing triangles"""
    glow_reach: float
    """its radius"""
    mesh_total: float
    """Σ luminance · area, so that a point's density per area is its luminance / mesh_total"""
    env_scale: float
    """nit per unit of the environment's pixels; 0: off"""
    env_turn: F32
    """(3, 3) environment → studio"""
    env_travel: float
    """radians that it turns about the axis while the shutter is open; `env_turn` is in the middle of it"""
    env_seen: bool
    """camera rays that leave the set see the environment"""
    env_reflected: bool
    """so do mirrors"""
    spared: U8
    """(n, parts) 1: the light does not light the part; (0, 0) when none does"""


class Recording(NamedTuple):
    """Layers recorded on the film besides the picture."""

    groups: I32
    """(n + 2,) layer of each light, of glowing things, of the environment; empty: no layers"""
    components: int
    """first layer of the seven components, −1: not kept"""
    air: int
    """layer of light that haze scattered first, −1: not kept"""
    clamp: float
    """nit; brightest value of a sample's indirect light, 0: no limit"""
    first: bool
    """whether position, motion and ids of first hits are recorded"""
    cameras: F32
    """(3, 3, 4) studio → camera of this frame, the next and the one before"""
    bodies: F32
    """(3, b, 3, 4) body → studio of the same"""
    projection: F32
    """(3, 5) what `camera_rays.to_pixels` needs to know of the lens in the same frames"""
    subject_from: int
    """number of the subject's first part"""


STANDS, TURNS, BENDS = 0, 1, 2


class Bodies(NamedTuple):
    """Where the bodies stand while the shutter is open."""

    keys: F32
    """(b, k, 7) unit quaternion (x, y, z, w) and translation at even times of the shutter"""
    moving: U8
    """(b,) STANDS as it was built, TURNS as a rigid body, or BENDS (and maybe turns)"""
    structures: U64A
    """(b,) addresses of what rays are traced against"""
    first: I32
    """(b,) number of the body's first triangle among all"""
    copied: I32
    """(b,) row of `prototypes` at which those of the body begin"""
    prototypes: I32
    """(p, 2) numbers of a prototype's first triangle and of its first copy among all"""
    copies: F32
    """(n, 12) pose of each copy, seen from its prototype, in its body's space: three axes as long as it is large (×),
    and where the origin goes (m)"""


class Rays(NamedTuple):
    origin: F32
    """(n, 3) m"""
    direction: F32
    """(n, 3) unit"""
    time: F32
    """(n,) 0…1 while the shutter is open"""


class Hits(NamedTuple):
    """Nearest hits: distance, barycentric u v, triangle (−1: none), body, and copy in it (−1: none)."""

    t: F32
    u: F32
    v: F32
    triangle: I32
    body: I32
    copy: I32


class World(NamedTuple):
    """Bodies and lights of one frame."""

    bodies: Bodies
    geometry: Geometry
    materials: Materials
    textures: Textures
    lights: Lights
    environment: EnvironmentMap
    tables: F32
    """what the layers of a surface let through (see `material.tables`)"""
    softening: F32
    """least roughness of polished surfaces for light that was scattered widely (see `softening`)"""
    air: Air
    targets: Targets


Records = NDArray[np.void]
"""One record an item: kernels then reach all fields of an item from one address."""


def _fields(**kinds: str) -> np.dtype[np.void]:
    return np.dtype([(name, kind) for kind, names in kinds.items() for name in names.split()], align=True)


PATH = _fields(
    f4="r g b density total width spread way",
    i4="slot part",
    u4="facing seed number",
    i2="inside under third fourth depth flags",
)
"""A path in flight, a cache line: throughput (r g b); density of its last direction, 0 after a smooth bounce or from
the camera; what all sources of light gave where it was scattered, and how the surface faced (see `choosing`);
footprint: width (m) and spread (rad), and m since the last scattering; material row of the medium it is in (−1: air)
and of bodies it is in as well, which that one fills; which sample of the batch it is; how often and by which part it
was scattered; bits below."""

FROM_CAMERA = 1
"""Nothing but holes has been met since the camera."""
GUIDED = 2
"""The guide passes (albedo, normal) have been recorded."""
KIND_SHIFT, KIND_MASK = 2, 7
"""Three bits: what the first scattering was."""
NO_KIND, BY_DIFFUSE, BY_SPECULAR, BY_TRANSMISSION, BY_AIR = 0, 1, 2, 3, 4
FROM_AIR = 32
"""It was scattered in haze last, where all that shines was aimed at: it counts no light that it meets."""
AIR = "air"
"""Layer of light that was scattered in haze first."""
COMPONENTS = (
    "emission",
    "direct diffuse",
    "direct specular",
    "direct transmission",
    "indirect diffuse",
    "indirect specular",
    "indirect transmission",
)
KINDS_OF_LIGHT = *COMPONENTS, AIR
"""Layers that tell how light came, not from which source."""


SHADOW = _fields(f4="dr dg db sr sg sb", i4="slot depth group first second")
"""What arrives if nothing is in the way: diffuse, and specular or transmitted; the sample, how often the path was
scattered with this, layer of the light and of the two components (−1: not kept)."""


class Shadows(NamedTuple):
    """Rays towards lights."""

    rays: Rays
    distance: F32
    """(n,) m; 0: the light casts no shadows"""
    items: Records
    """(n,) SHADOW"""


PLACE_COLUMNS = 10
"""position (3), movement to the next frame and to the one before in pixels (2, 2), position in the body (3)"""
FIRST_COLUMNS = PLACE_COLUMNS + 2
"""the same, part and material"""


SAMPLE = _fields(
    f4="r g b albedo_r albedo_g albedo_b normal_x normal_y normal_z depth covered subject clamped veil hazed",
    u4="spare",
)
"""Result of one sample: radiance (nit), guides, distance of the first hit (m, 0: nothing), whether anything and
whether the subject was met, what clamping took away (nit), the share of light that haze keeps from the camera, and the
same where nothing was met. A full cache line."""


class Samples(NamedTuple):
    """Results of a batch."""

    items: Records
    """(n,) SAMPLE"""
    layers: F32
    """(n, 3·layers) radiance apart by light and by component"""
    first: F32
    """(n, FIRST_COLUMNS) or empty"""


class PathState(NamedTuple):
    """Paths in flight at one bounce, and where those that go on and the rays towards lights are written down."""

    rays: Rays
    paths: Records
    """(n,) PATH"""
    hits: Hits
    rays_out: Rays
    paths_out: Records
    shadows: Shadows


class Scratch(NamedTuple):
    """Scratch for one ray and one surface point at a time."""

    ray: F32
    """(32,) a ray and its hit as the library of ray queries wants them, on a full cache line"""
    words: U32A
    """the same memory as whole numbers"""

    record: F64
    row: F64
    glow: F64
    """the row of what is aimed at, by its maps"""
    matrix: F64
    """(3, 4) body → studio"""
    triangle: F32
    """(1, 32) a triangle as it has bent"""
    carry: F64
    """(3, 3) directions on it, from as it was bound to as it has bent"""
    gives: F64
    """what each source of light gives to a place"""


class Workspace(NamedTuple):
    """Scratch for a batch of paths in flight."""

    rays: Rays
    next_rays: Rays
    paths: Records
    next_paths: Records
    hits: Hits
    shadows: Shadows
    blocked: I32
    """(n,) whether something is in a shadow ray's way: ≥ 0 yes, −1 not as far as is known"""
    left: F32
    """(n,) how far (m) a shadow ray still has to go"""
    number: I32
    """(n,) which shadow ray each of those still under way is"""
    scratch: Scratch
    block: Block
    lists: I32
    """(3, n) which paths are shaded side by side, which one by one, which leave the set"""


def allocate_aligned(count: int, to: int) -> F32:
    """Memory for `count` numbers that begins at a multiple of `to` bytes; holds anything."""
    block = np.empty(count + to // 4, np.float32)
    start = -block.ctypes.data % to // 4
    return block[start : start + count]


def make_rays(n: int) -> Rays:
    return Rays(np.empty((n, 3), np.float32), np.empty((n, 3), np.float32), np.empty(n, np.float32))


def make_hits(n: int) -> Hits:
    t, u, v = np.empty((3, n), np.float32)
    return Hits(t, u, v, np.full(n, -1, np.int32), np.zeros(n, np.int32), np.full(n, -1, np.int32))


def make_paths(n: int) -> Records:
    return np.empty(n, PATH)


def make_shadows(n: int) -> Shadows:
    return Shadows(make_rays(n), np.empty(n, np.float32), np.empty(n, SHADOW))


def make_samples(n: int, layers: int, first: bool) -> Samples:
    return Samples(
        np.zeros(n, SAMPLE),
        np.zeros((n, 3 * layers), np.float32),
        np.zeros((n if first else 0, FIRST_COLUMNS), np.float32),
    )


def make_scratch(sources: int = 2) -> Scratch:
    ray = allocate_aligned(32, 64)
    ray.fill(0.0)
    return Scratch(
        ray,
        ray.view(np.uint32),
        np.zeros(RECORD),
        np.zeros(COLUMNS),
        np.zeros(COLUMNS),
        np.zeros((3, 4)),
        np.zeros((1, 32), np.float32),
        np.zeros((3, 3)),
        np.zeros(sources),
    )


def make_work(n: int, sources: int, hazy: bool = False) -> Workspace:
    """For n paths; each casts up to two shadow rays, which go on through holes in the place of rays.

    In haze a path from the camera may become two, and each casts one more.
    """
    m = 2 * n
    if hazy:
        n, m = 2 * n, 6 * n
    return Workspace(
        make_rays(m),
        make_rays(m),
        make_paths(n),
        make_paths(n),
        make_hits(m),
        make_shadows(m),
        np.empty(m, np.int32),
        np.empty(m, np.float32),
        np.empty(m, np.int32),
        make_scratch(sources),
        make_block(sources),
        np.empty((3, n), np.int32),
    )


NO_SHAPES = Shapes(0, np.zeros((1, 0, 18), np.float32), np.zeros((3, 0, 9), np.float32))
NO_EDGES = Edges(np.zeros(1, np.int64), np.zeros(0, np.int32), np.zeros((0, 12), np.float32))
