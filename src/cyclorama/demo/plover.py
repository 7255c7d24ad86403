"""Plover: a wind-up shorebird of enamel and brass that walks on the spot; its walk closes. Metres, facing +Z."""

import numpy as np
from scipy.interpolate import CubicSpline
from scipy.spatial.transform import Rotation

from ..core.geometry.glb import one_side
from ..core.geometry.mesh import Mesh
from .glb import GlbWriter
from .pictures import Map, as_bytes, handled_brass, noise
from .shapes import as_one, ball, knurl, move_mesh, tube

HIP = (0.013, 0.046, -0.002)
UPPER, LOWER = 0.022, 0.030
STRIDE, LIFT = 0.030, 0.013
"""How far a foot goes over the ground, and how high in between."""
BODY = np.array([0.0, 0.07, 0.0])
STEPS, SECONDS = 24, 1.0
SIDES = {"left": 1.0, "right": -1.0}
_ENAMEL = {"KHR_materials_clearcoat": {"clearcoatFactor": 1.0, "clearcoatRoughnessFactor": 0.06}}
_SPINE = np.array(
    [
        (0.0, 0.086, -0.066),
        (0.0, 0.079, -0.046),
        (0.0, 0.072, -0.018),
        (0.0, 0.074, 0.010),
        (0.0, 0.086, 0.030),
        (0.0, 0.101, 0.038),
        (0.0, 0.112, 0.041),
    ]
)
_GIRTH = np.array([0.004, 0.015, 0.027, 0.029, 0.0235, 0.015, 0.0135])


def build_plover(seed: int = 5) -> bytes:
    """The model as a GLB file, with the animation ‘Walk’."""
    glb = GlbWriter()
    _bones(glb)
    colour, surface = handled_brass(seed)
    brass = glb.material(
        "Brass",
        metal=1.0,
        rough=1.0,
        base_map=glb.texture("brass", colour),
        mr_map=glb.texture("brass surface", surface),
    )
    enamel = glb.material("Enamel", rough=0.45, extensions=_ENAMEL, base_map=glb.texture("plumage", _plumage(seed)))
    wing = glb.material("Enamel, wing", rough=0.45, extensions=_ENAMEL, base_map=glb.texture("wing", _wing(seed)))
    cap = glb.material("Enamel, head", rough=0.45, extensions=_ENAMEL, base_map=glb.texture("head", _head(seed)))
    black = glb.material("Black glass", (0.004, 0.004, 0.005), rough=0.04, extensions=_ENAMEL)
    glb.part("Body", _body(), enamel, "body")
    glb.part("Seam", _seam(), brass, "body")
    for name, side in SIDES.items():
        glb.part(f"Wing, {name}", _wing_shell(side), wing, "body")
        _leg(glb, name, side, brass)
    glb.part("Head", ball((0.0, 0.121, 0.046), 0.0165, 0.95), cap, "head")
    glb.part(
        "Bill",
        tube(
            np.array([(0, 0.1195, 0.058), (0, 0.119, 0.066), (0, 0.118, 0.074), (0, 0.1165, 0.0815)]),
            np.array([0.0042, 0.0034, 0.0026, 0.0007]),
            24,
        ),
        brass,
        "head",
    )
    for name, side in SIDES.items():
        glb.part(f"Eye, {name}", ball((side * 0.0132, 0.1245, 0.0535), 0.0036), black, "head")
        glb.part(f"Eye ring, {name}", _ring((side * 0.0133, 0.1243, 0.0532), side), brass, "head")
    glb.part("Key", _key(), brass, "key")
    glb.animation("Walk", np.linspace(0, SECONDS, STEPS + 1), _walk())
    return glb.to_bytes()


def _bones(glb: GlbWriter) -> None:
    glb.bone("body", tuple(BODY.tolist()))
    glb.bone("head", (0.0, 0.108, 0.040), "body")
    glb.bone("key", (0.0, 0.104, -0.022), "body")
    for name, side in SIDES.items():
        knee, foot = _bent((side * HIP[0], *HIP[1:]), (side * HIP[0], 0.0, 0.0))
        glb.bone(f"thigh {name}", (side * HIP[0], HIP[1], HIP[2]), "body")
        glb.bone(f"shank {name}", knee, f"thigh {name}")
        glb.bone(f"foot {name}", foot, f"shank {name}")


Point = tuple[float, float, float]


def _bent(hip: Point, foot: Point) -> tuple[Point, Point]:
    """Where the knee and the foot of a leg are, whose knee points back; the foot no farther than the leg reaches."""
    to = np.array(foot) - np.array(hip)
    far = min(float(np.linalg.norm(to)), (UPPER + LOWER) * 0.9999)
    along = to / np.linalg.norm(to)
    cosine = (UPPER**2 + far**2 - LOWER**2) / (2 * UPPER * far)
    back = np.array([0.0, along[2], -along[1]])
    back = back if back[2] < 0 else -back
    knee = np.array(hip) + UPPER * (cosine * along + np.sqrt(max(1 - cosine**2, 0.0)) * back)
    return tuple(knee.tolist()), tuple((np.array(hip) + along * far).tolist())


def _walk() -> dict[tuple[str, str], np.ndarray]:
    """Every bone over one round: two steps, a nod with each, and a turn of the key. The last key is the first again."""
    phase = np.linspace(0, 1, STEPS + 1) % 1.0
    sway, beat = np.sin(2 * np.pi * phase), np.cos(4 * np.pi * phase)
    at = BODY + np.stack([np.zeros_like(beat), 0.0014 * beat - 0.0018, np.zeros_like(beat)], 1)
    leans = Rotation.from_euler("zx", np.stack([np.radians(3.0) * sway, np.radians(2.0) * beat], 1))
    tracks = {
        ("body", "translation"): at,
        ("body", "rotation"): leans.as_quat(),
        ("head", "rotation"): _about(0, 9.0 * np.cos(4 * np.pi * phase + 0.6)),
        ("key", "rotation"): _about(1, np.linspace(0, 360, STEPS + 1)),
    }
    for name, side in SIDES.items():
        hips = at + leans.apply(_hip(side) - BODY)
        tracks |= _leg_tracks(name, side, (phase + (0.5 if side < 0 else 0.0)) % 1.0, hips, leans)
    return tracks


def _hip(side: float) -> np.ndarray:
    return np.array(HIP) * (side, 1.0, 1.0)


def _leg_tracks(
    name: str, side: float, phase: np.ndarray, hips: np.ndarray, leans: Rotation
) -> dict[tuple[str, str], np.ndarray]:
    """A leg whose foot stays on the ground for half of the round and is lifted forward in the other; hips (n, 3) and
    how the body leans, as the studio sees them."""
    rest = np.array(_bent(tuple(_hip(side)), (side * HIP[0], 0.0, 0.0)))
    stands = phase < 0.5
    share = np.where(stands, phase * 2, phase * 2 - 1)
    z = np.where(stands, STRIDE * (0.5 - share), STRIDE * (-0.5 + (3 * share**2 - 2 * share**3)))
    y = np.where(stands, 0.0, LIFT * np.sin(np.pi * share))
    feet = np.stack([hips[:, 0], y, z], 1)
    bent = np.array([_bent(tuple(hip), tuple(foot)) for hip, foot in zip(hips, feet, strict=True)])
    thigh = _angle(bent[:, 0] - hips) - _angle(rest[0] - _hip(side))
    both = _angle(bent[:, 1] - bent[:, 0]) - _angle(rest[1] - rest[0])
    lifted = np.radians(np.where(stands, 0.0, 14.0 * np.sin(np.pi * share)))
    upright = leans.inv() * Rotation.from_rotvec(thigh[:, None] * np.eye(3)[0])  # legs hang straight, however it leans
    return {
        (f"thigh {name}", "rotation"): upright.as_quat(canonical=True),
        (f"shank {name}", "rotation"): _about(0, np.degrees(both - thigh)),
        (f"foot {name}", "rotation"): _about(0, np.degrees(lifted - both)),
    }


def _angle(v: np.ndarray) -> np.ndarray:
    """About the X axis, from straight down to the back."""
    return np.asarray(np.arctan2(-v[..., 2], -v[..., 1]))


def _about(axis: int, degrees: np.ndarray) -> np.ndarray:
    """Quaternions (n, 4), each on the same side as the one before."""
    return one_side(Rotation.from_rotvec(np.radians(degrees)[:, None] * np.eye(3)[axis]).as_quat())


def _body() -> Mesh:
    at = np.linspace(0, 1, len(_SPINE))
    t = np.linspace(0, 1, 72)
    return tube(CubicSpline(at, _SPINE)(t), np.maximum(CubicSpline(at, _GIRTH)(t), 0.002), 96)


def _seam() -> Mesh:
    """The joint between the two pressed halves, a beaded band round the breast."""
    a = np.linspace(0, 2 * np.pi, 120, endpoint=False)
    ring = np.stack([0.0292 * np.cos(a), 0.0742 + 0.0292 * np.sin(a), np.full_like(a, 0.0085)], 1)
    return tube(ring, 0.0009, 12, closed=True)


def _wing_shell(side: float) -> Mesh:
    shell = ball((0.0, 0.0, 0.0), 1.0, 1.0, 64)
    m = np.eye(4)
    m[:3, :3] = Rotation.from_euler("xz", [-14, side * 12], degrees=True).as_matrix() @ np.diag([0.0065, 0.0165, 0.034])
    m[:3, 3] = (side * 0.0235, 0.079, -0.014)
    return shell.transformed(m)


def _leg(glb: GlbWriter, name: str, side: float, brass: int) -> None:
    hip = (side * HIP[0], HIP[1], HIP[2])
    knee, foot = _bent(hip, (side * HIP[0], 0.0, 0.0))
    glb.part(
        f"Thigh, {name}",
        as_one([_bar(hip, knee, 0.0030, 0.0021), ball(hip, 0.0040), ball(knee, 0.0030)]),
        brass,
        f"thigh {name}",
    )
    glb.part(f"Shank, {name}", _bar(knee, (foot[0], 0.0035, foot[2]), 0.0019, 0.0017), brass, f"shank {name}")
    toes = []
    for turn, length in ((-28, 0.017), (0, 0.020), (28, 0.017), (180, 0.008)):
        a = np.radians(turn)
        end = (foot[0] + length * np.sin(a), 0.0011, foot[2] + length * np.cos(a))
        toes.append(_bar((foot[0], 0.0028, foot[2]), end, 0.0018, 0.0011))
    glb.part(f"Foot, {name}", as_one([*toes, ball((foot[0], 0.0032, foot[2]), 0.0030)]), brass, f"foot {name}")


def _bar(a: Point, b: Point, thick: float, thin: float) -> Mesh:
    return tube(np.linspace(a, b, 6), np.linspace(thick, thin, 6), 20)


def _ring(at: Point, side: float) -> Mesh:
    a = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    ring = np.stack([np.zeros_like(a), 0.0037 * np.sin(a), 0.0037 * np.cos(a)], 1)
    turned = Rotation.from_euler("y", -side * 38, degrees=True).apply(ring)
    return tube(turned + at, 0.0007, 10, closed=True)


def _key() -> Mesh:
    """A butterfly key on the back, with a knurled collar."""
    stem = tube(np.array([(0, y, -0.022) for y in np.linspace(0.096, 0.120, 6)]), 0.0021, 20)
    collar = move_mesh(knurl(0.0048, 0.0, 0.004, 18, 0.0006), (0.0, 0.1005, -0.022))
    a = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    loops = [
        tube(
            np.stack([side * 0.0085 + 0.0065 * np.cos(a), 0.1245 + 0.0055 * np.sin(a), np.full_like(a, -0.022)], 1),
            0.0016,
            14,
            closed=True,
        )
        for side in SIDES.values()
    ]
    bow = tube(np.array([(x, 0.1215, -0.022) for x in np.linspace(-0.004, 0.004, 5)]), 0.0019, 16)
    return as_one([stem, collar, *loops, bow])


def _feathers(height: int, width: int, rows: int, seed: int) -> Map:
    """Edges of feathers that overlap like tiles, 0…1; rows of them from the top to the bottom."""
    y, x = np.mgrid[0:height, 0:width].astype(float)
    v, u = y / height * rows, x / width * rows * width / height
    row = np.floor(v)
    across = (u + 0.5 * (row % 2)) % 1.0 - 0.5
    edge = (v - row) - (0.95 - 2.2 * across**2)
    return np.clip(1 - np.abs(edge + 0.06 * noise((height, width), 9, seed)) / 0.13, 0, 1)


_BACK, _WHITE, _DARK = np.array([0.50, 0.40, 0.29]), np.array([0.93, 0.91, 0.86]), np.array([0.07, 0.065, 0.06])


def _plumage(seed: int) -> np.ndarray:
    """Sandy above, white below, a dark band on the breast; across: round the body from its left, down: tail to neck."""
    h, w = 1024, 1024
    v, u = np.mgrid[0:h, 0:w] / h
    wander = 0.012 * noise((h, w), 40, seed)
    above = _soft(0.25 - np.abs(u - 0.25) + wander, 0.006)
    feathers = _feathers(h, w, 26, seed)[..., None]
    back = _BACK * (1 + 0.10 * noise((h, w), 22, seed + 1)[..., None]) * (1 - 0.35 * feathers)
    rgb = _WHITE + (back - _WHITE) * above[..., None]
    band = _soft(0.045 - np.abs(v - 0.80 + 0.5 * wander), 0.006)[..., None]
    return as_bytes(rgb + (_DARK - rgb) * band)


def _wing(seed: int) -> np.ndarray:
    """Rows of feathers, darker towards the tips."""
    h, w = 512, 1024
    feathers = _feathers(h, w, 12, seed + 4)[..., None]
    x = np.linspace(0, 1, w)[None, :, None]
    base = _BACK * (1.04 - 0.35 * np.abs(np.sin(np.pi * x))) * (1 + 0.08 * noise((h, w), 18, seed + 5)[..., None])
    return as_bytes(base * (1 - 0.45 * feathers))


def _head(seed: int) -> np.ndarray:
    """A sandy cap, a dark stripe through the eye, white below."""
    h, w = 512, 1024
    v = np.linspace(0, 1, h)[:, None] + 0.01 * noise((h, w), 30, seed + 7)
    cap = _soft(0.40 - v, 0.008)[..., None]
    stripe = _soft(0.055 - np.abs(v - 0.45), 0.008)[..., None]
    rgb = _WHITE + (_BACK * 0.95 - _WHITE) * cap
    return as_bytes(rgb + (_DARK - rgb) * stripe)


def _soft(distance: Map, width: float) -> Map:
    """1 where a distance is positive, 0 where it is negative, soft in between."""
    return np.asarray(np.clip(distance / width + 0.5, 0, 1))
