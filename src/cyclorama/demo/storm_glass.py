"""Storm Glass No. 4: a sealed glass column with liquid and crystals, brass fittings, walnut base. Metres."""

import numpy as np

from ..core.geometry.build import arc, grid_mesh, lathe
from ..core.geometry.mesh import Mesh
from .glb import GlbWriter, glass
from .pictures import engraving, handled_brass, maker_plate, scale_strip, turned_wood
from .shapes import around, as_one, ball, bent_plate, knurl, move_mesh, reversed_faces, revolve, rounded_profile, tube

COLUMN_RADIUS = 0.027
COLUMN_LOW, COLUMN_HIGH = 0.062, 0.262
LIQUID_TOP = 0.238
ROD_CIRCLE = 0.043


def build_storm_glass(seed: int = 4) -> bytes:
    """The model as a GLB file."""
    glb = GlbWriter()
    brass_colour, brass_mr = handled_brass(seed)
    brass_map, brass_mr_map = glb.texture("brass", brass_colour), glb.texture("brass surface", brass_mr)
    brass = glb.material("Brass", metal=1.0, rough=1.0, base_map=brass_map, mr_map=brass_mr_map)
    polished = glb.material("Polished brass", (0.89, 0.74, 0.38), metal=1.0, rough=0.13)
    profile = rounded_profile(
        [
            (0.0, 0.048),
            (0.050, 0.048),
            (0.053, 0.044),
            (0.054, 0.038),
            (0.0625, 0.033),
            (0.068, 0.024),
            (0.071, 0.016),
            (0.074, 0.014),
            (0.0755, 0.005),
            (0.0745, 0.0),
            (0.0, 0.0),
        ],
        0.0022,
    )
    wood_colour, wood_mr = turned_wood(profile)
    walnut = glb.material(
        "Walnut",
        rough=1.0,
        base_map=glb.texture("walnut", wood_colour),
        mr_map=glb.texture("walnut surface", wood_mr),
        extensions={"KHR_materials_clearcoat": {"clearcoatFactor": 0.85, "clearcoatRoughnessFactor": 0.14}},
    )
    clear = glb.material("Glass and liquid", rough=0.0, extensions=glass(1.45, (0.80, 0.93, 0.94), 0.16))
    crystal = glb.material("Crystals", (0.93, 0.955, 0.97), rough=0.22)
    cork = glb.material("Seal", (0.02, 0.018, 0.016), rough=0.45)

    glb.part("Base", lathe(profile, 160, 30), walnut)
    glb.part("Foot ring", _foot_ring(), brass)
    glb.part("Column", _column(), clear)
    glb.part("Crystals", _crystals(seed), crystal)
    glb.part("Lower cup", _lower_cup(), brass)
    glb.part("Lower knurl", move_mesh(knurl(0.0345, 0.0485, 0.0555, 90, 0.0008), (0, 0, 0)), polished)
    glb.part("Upper cap", _upper_cap(), brass)
    glb.part("Upper knurl", knurl(0.0335, 0.2655, 0.2725, 90, 0.0008), polished)
    glb.part("Rods", around(_rod(), 3, 60), polished)
    glb.part("Finial", _finial(), polished)
    glb.part("Seals", _seals(), cork)
    _plates(glb)
    return glb.to_bytes()


def _foot_ring() -> Mesh:
    return revolve([(0.0752, 0.0115), (0.0774, 0.0105), (0.0774, 0.0055), (0.0752, 0.0045)], 0.0006)


def _column() -> Mesh:
    outside = np.vstack(
        [
            arc(0, COLUMN_HIGH - COLUMN_RADIUS * 0.55, COLUMN_RADIUS, 90, 0, 24) * [1, 1],
            [[COLUMN_RADIUS, COLUMN_LOW + 0.004]],
            arc(COLUMN_RADIUS - 0.004, COLUMN_LOW + 0.004, 0.004, 0, -90, 8),
            [[0.0, COLUMN_LOW]],
        ]
    )
    dome = outside[:25]
    dome[:, 1] = COLUMN_HIGH - COLUMN_RADIUS * 0.55 + (dome[:, 1] - (COLUMN_HIGH - COLUMN_RADIUS * 0.55)) * 0.55
    inner = COLUMN_RADIUS - 0.0022
    # the air above the liquid: domed above, a meniscus that climbs the wall below
    top = COLUMN_HIGH - 0.0028
    bubble = arc(0, 0, inner, 90, 0, 20) * [1, 0.5] + [0, top - inner * 0.5]
    r = np.linspace(inner, 0, 24)
    meniscus = np.stack([r, LIQUID_TOP + 0.0024 * np.exp((r - inner) / 0.0022)], axis=1)
    cavity = np.vstack([bubble, meniscus])
    cavity[[0, -1], 0] = 0.0
    outside[0, 0] = 0.0
    return as_one([lathe(outside, 160, 40), reversed_faces(lathe(cavity, 128, 40))])


def _needle(start: np.ndarray, direction: np.ndarray, length: float, width: float) -> Mesh:
    """A six-sided crystal blade, pointed at its end."""
    t = np.array([0.0, 0.06, 0.75, 1.0])
    side = np.cross(direction, [0.3, 0.2, 0.9])
    side /= np.linalg.norm(side)
    other = np.cross(direction, side)
    a = np.linspace(0, 2 * np.pi, 7)
    rows = []
    for s, w in zip(t, (0.55, 1.0, 0.8, 0.02), strict=True):
        ring = np.cos(a)[:, None] * side * width * w + np.sin(a)[:, None] * other * width * w * 0.35
        rows.append(start + direction * length * s + ring)
    points = np.array(rows)[:, ::-1]
    return grid_mesh(points, np.zeros((*points.shape[:2], 2)), 15)


def _crystals(seed: int) -> Mesh:
    """Ferns that grow from the bottom of the liquid, thinner towards the top, and a few stars that float."""
    rng = np.random.default_rng(seed)
    pieces: list[Mesh] = []
    room = COLUMN_RADIUS - 0.006

    def fern(start: np.ndarray, direction: np.ndarray, length: float, depth: int) -> None:
        pieces.append(_needle(start, direction, length, 0.00028 + length * 0.014))
        if depth == 0:
            return
        side = np.cross(direction, rng.standard_normal(3))
        side /= np.linalg.norm(side)
        count = int(5 + length * 170)
        for i in range(count):
            along = 0.12 + 0.8 * i / count
            spread = direction * np.cos(1.05) + side * np.sin(1.05) * (1 if i % 2 else -1)
            child = length * (0.46 - 0.38 * along) * rng.uniform(0.75, 1.15)
            root = start + direction * length * along
            tip = root + spread * child
            if np.hypot(tip[0], tip[2]) < room:
                fern(root, spread / np.linalg.norm(spread), child, depth - 1)

    for i in range(34):
        radius, angle = room * np.sqrt(rng.uniform(0, 0.85)), rng.uniform(0, 2 * np.pi)
        start = np.array([radius * np.sin(angle), COLUMN_LOW + 0.0025, radius * np.cos(angle)])
        lean = rng.normal(0, 0.13, 2) - start[[0, 2]] * 5
        direction = np.array([lean[0], 1.0, lean[1]])
        direction /= np.linalg.norm(direction)
        tall = rng.uniform(0.028, 0.062) if i < 26 else rng.uniform(0.07, 0.105)
        fern(start, direction, tall, 2)
    for _ in range(16):
        angle, radius = rng.uniform(0, 2 * np.pi), room * np.sqrt(rng.uniform(0, 0.7))
        centre = np.array([radius * np.sin(angle), rng.uniform(0.15, 0.225), radius * np.cos(angle)])
        axis = rng.standard_normal(3)
        u = np.cross(axis, [0, 1, 0.2])
        u /= np.linalg.norm(u)
        v = np.cross(axis / np.linalg.norm(axis), u)
        for k in range(6):
            d = np.cos(k * np.pi / 3) * u + np.sin(k * np.pi / 3) * v
            pieces.append(_needle(centre, d, rng.uniform(0.0018, 0.0042), 0.00022))
    return as_one(pieces)


def _lower_cup() -> Mesh:
    return revolve([
        (0.0272, 0.078), (0.0288, 0.0785), (0.0300, 0.0770), (0.0300, 0.0600), (0.0335, 0.0575), (0.0335, 0.0555),
        (0.047, 0.0535), (0.0485, 0.0510), (0.0485, 0.0478), (0.0, 0.0478), (0.0, 0.0600), (0.0272, 0.0602),
        (0.0272, 0.078),
    ], 0.0007, 160)  # fmt: skip


def _upper_cap() -> Mesh:
    return revolve([
        (0.0, 0.2815), (0.0120, 0.2812), (0.0210, 0.2790), (0.0300, 0.2745), (0.047, 0.2725), (0.0485, 0.2705),
        (0.0485, 0.2680), (0.0470, 0.2660), (0.0335, 0.2650), (0.0305, 0.2630), (0.0298, 0.2475), (0.0286, 0.2462),
        (0.0273, 0.2470), (0.0273, 0.2640), (0.0, 0.2640),
    ], 0.0007, 160)  # fmt: skip


def _rod() -> Mesh:
    y = np.linspace(0.0515, 0.268, 60)
    shaft = tube(np.stack([np.zeros_like(y), y, np.full_like(y, ROD_CIRCLE)], 1), 0.00235, 24)
    collars = [
        move_mesh(
            revolve([(0.0, h + 0.003), (0.0042, h + 0.003), (0.0046, h + 0.0015), (0.0042, h), (0.0, h)], 0.0005, 40),
            (0, 0, ROD_CIRCLE),
        )
        for h in (0.0535, 0.0655, 0.2535, 0.2625)
    ]
    knob = [ball((0, 0.2758, ROD_CIRCLE), 0.0043), ball((0, 0.2715, ROD_CIRCLE), 0.0032)]
    return as_one([shaft, *collars, *knob])


def _finial() -> Mesh:
    return revolve([
        (0.0, 0.3235), (0.0016, 0.3225), (0.0022, 0.3170), (0.0052, 0.3115), (0.0066, 0.3050), (0.0052, 0.2990),
        (0.0030, 0.2960), (0.0030, 0.2925), (0.0085, 0.2895), (0.0095, 0.2870), (0.0085, 0.2845), (0.0120, 0.2820),
        (0.0120, 0.2795), (0.0, 0.2790),
    ], 0.0012, 96)  # fmt: skip


def _seals() -> Mesh:
    def ring(y: float) -> Mesh:
        a = np.linspace(0, 2 * np.pi, 97)[:-1]
        path = np.stack([0.0279 * np.sin(a), np.full_like(a, y), 0.0279 * np.cos(a)], 1)
        return tube(path, 0.0011, 12, closed=True)

    return as_one([ring(0.0788), ring(0.2458)])


def _plates(glb: GlbWriter) -> None:
    """A name plate let into the base, and the scale beside the column."""
    lines = [("STORM GLASS", 132), ("No. 4", 104), ("VANE & TIDEWRACK", 84)]
    colour, mr, normal = engraving(maker_plate(lines), (0.93, 0.85, 0.62), (0.035, 0.025, 0.02), metal=True)
    plate = glb.material(
        "Name plate",
        metal=1.0,
        rough=1.0,
        base_map=glb.texture("plate", colour),
        mr_map=glb.texture("plate surface", mr),
        normal_map=glb.texture("plate engraving", normal),
    )
    glb.part("Name plate", bent_plate((0.0722, 0.0166), (0.0640, 0.0324), 26.0, 0.0009), plate)
    colour, mr, normal = engraving(scale_strip(), (0.90, 0.875, 0.80), (0.06, 0.05, 0.045), metal=False)
    enamel = glb.material(
        "Scale",
        rough=1.0,
        base_map=glb.texture("scale", colour),
        mr_map=glb.texture("scale surface", mr),
        normal_map=glb.texture("scale engraving", normal),
    )
    glb.part("Scale", move_mesh(bent_plate((0.0345, 0.086), (0.0345, 0.236), 17.0, 0.0008), (0, 0, 0), 42), enamel)
