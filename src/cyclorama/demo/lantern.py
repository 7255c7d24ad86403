"""Harbour Lantern: painted iron, ribbed glass, a mantle that can glow. Metres."""

import numpy as np

from ..core.geometry.build import lathe
from ..core.geometry.mesh import Mesh
from .glb import GlbWriter, glass
from .pictures import engraving, handled_brass, maker_plate, noise, worn_paint
from .shapes import around, as_one, ball, bent_plate, revolve, rounded_profile, tube

PAINT = (0.17, 0.385, 0.37)
GLASS_LOW, GLASS_HIGH = 0.108, 0.252
GLASS_RADIUS = 0.066


def build_lantern(seed: int = 9) -> bytes:
    """The model as a GLB file."""
    glb = GlbWriter()
    iron_parts = {
        "Tank": [(0.0, 0.098), (0.058, 0.098), (0.074, 0.092), (0.0765, 0.084), (0.0765, 0.024), (0.080, 0.020),
                 (0.084, 0.006), (0.0835, 0.0), (0.0, 0.0)],
        "Gallery": [(0.052, 0.112), (0.078, 0.112), (0.081, 0.1095), (0.081, 0.1035), (0.076, 0.101), (0.070, 0.096),
                    (0.0, 0.096), (0.0, 0.1045), (0.050, 0.1045), (0.052, 0.112)],
        "Crown": [(0.060, 0.246), (0.060, 0.256), (0.0, 0.256), (0.0, 0.262), (0.070, 0.2625), (0.0815, 0.2585),
                  (0.0815, 0.2505), (0.079, 0.2475), (0.060, 0.246)],
        "Roof": [(0.0, 0.331), (0.029, 0.331), (0.0305, 0.3285), (0.0305, 0.305), (0.034, 0.302), (0.046, 0.2965),
                 (0.092, 0.2735), (0.0955, 0.2705), (0.0955, 0.268), (0.091, 0.2665), (0.046, 0.289), (0.0, 0.292)],
        "Chimney cap": [(0.0, 0.3585), (0.010, 0.357), (0.036, 0.3475), (0.0415, 0.3435), (0.0415, 0.3415),
                        (0.034, 0.341), (0.0, 0.347)],
    }  # fmt: skip
    for i, (name, points) in enumerate(iron_parts.items()):
        profile = rounded_profile(points, 0.0018)
        maps = worn_paint(_edge_map(profile), PAINT, seed + 10 * i)
        glb.part(name, lathe(profile, 144, 32), _painted(glb, name, maps))
    plain = _painted(glb, "Iron", worn_paint(np.full((512, 512), 0.28), PAINT, seed + 77))
    glb.part("Cage", _cage(), plain)
    glb.part(
        "Chimney posts",
        around(tube(np.array([[0, y, 0.026] for y in np.linspace(0.329, 0.346, 6)]), 0.0022, 14), 6),
        plain,
    )
    glb.part("Handle", _handle(), plain)
    brass_colour, brass_mr = handled_brass(seed)
    brass = glb.material(
        "Brass",
        metal=1.0,
        rough=1.0,
        base_map=glb.texture("brass", brass_colour),
        mr_map=glb.texture("brass surface", brass_mr),
    )
    glb.part("Burner", _burner(), brass)
    glb.part("Filler", _filler(), brass)
    glb.part("Lugs", _lugs(), brass)
    clear = glb.material("Ribbed glass", rough=0.0, extensions=glass(1.5, (0.86, 0.96, 0.91), 0.05))
    glb.part("Ribbed glass", _ribbed_glass(), clear)
    mantle = glb.material(
        "Mantle",
        (0.82, 0.79, 0.72),
        rough=0.9,
        emissive=(1.0, 0.62, 0.28),
        extensions={"KHR_materials_emissive_strength": {"emissiveStrength": 14.0}},
    )
    glb.part("Mantle", _mantle(seed), mantle)
    _plate(glb)
    return glb.to_bytes()


def _painted(glb: GlbWriter, name: str, maps: tuple[np.ndarray, np.ndarray, np.ndarray]) -> int:
    label = "Painted iron" if name == "Iron" else f"Painted iron, {name.lower()}"
    return glb.material(
        label,
        metal=1.0,
        rough=1.0,
        base_map=glb.texture(f"{name} paint", maps[0]),
        mr_map=glb.texture(f"{name} surface", maps[1]),
        normal_map=glb.texture(f"{name} relief", maps[2]),
    )


def _edge_map(profile: np.ndarray, size: int = 1024) -> np.ndarray:
    """Exposure of each height of a turned part: high where the profile bends outwards."""
    step = np.diff(profile, axis=0)
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(step, axis=1))])
    heading = np.unwrap(np.arctan2(step[:, 1], step[:, 0]))
    middle = (length[1:] + length[:-1]) / 2
    v = np.linspace(0, length[-1], size)
    turn = -np.gradient(np.interp(v, middle, heading), v) * 0.0016
    exposed = np.clip(turn, 0, 1)
    soft = np.convolve(np.pad(exposed, 8, mode="edge"), np.hanning(17) / np.hanning(17).sum(), "valid")
    return np.clip(np.repeat(soft[:, None], size, 1) + 0.05 * noise((size, size), 60, 1), 0, 1)


def _cage() -> Mesh:
    radius = 0.0775
    y = np.linspace(0.109, 0.2525, 40)
    upright = tube(np.stack([np.zeros_like(y), y, np.full_like(y, radius)], 1), 0.0029, 18)
    a = np.linspace(0, 2 * np.pi, 145)[:-1]
    rings = [
        tube(np.stack([radius * np.sin(a), np.full_like(a, h), radius * np.cos(a)], 1), 0.0022, 14, closed=True)
        for h in (0.144, 0.180, 0.216)
    ]
    return as_one([around(upright, 6, 30), *rings])


def _handle() -> Mesh:
    t = np.linspace(-0.12, np.pi + 0.12, 90)
    bail = np.stack([0.101 * np.cos(t), 0.262 + 0.148 * np.sin(t) * 1.02, np.zeros_like(t)], 1)
    grip = tube(
        np.stack(
            [0.101 * np.cos(g := np.linspace(1.22, 1.92, 40)), 0.262 + 0.148 * np.sin(g) * 1.02, np.zeros_like(g)], 1
        ),
        0.0062 + 0.0012 * np.sin(np.linspace(0, np.pi, 40)),
        28,
    )
    return as_one([tube(bail, 0.0030, 18), grip])


def _lugs() -> Mesh:
    def lug(x: float) -> Mesh:
        path = np.array([[x * k, 0.2555, 0.0] for k in np.linspace(0.78, 1.06, 10)])
        return as_one([tube(path, 0.0055, 24), ball((x * 1.06, 0.2555, 0), 0.0068)])

    return as_one([lug(0.1), lug(-0.1)])


def _burner() -> Mesh:
    cup = revolve(
        [
            (0.0, 0.1345),
            (0.012, 0.1345),
            (0.0135, 0.1330),
            (0.0135, 0.1245),
            (0.022, 0.1225),
            (0.0245, 0.1195),
            (0.0245, 0.1150),
            (0.0320, 0.1115),
            (0.0330, 0.1085),
            (0.0330, 0.1040),
            (0.0, 0.1040),
        ],
        0.0008,
    )
    pillar = tube(np.array([[0, y, 0] for y in np.linspace(0.132, 0.2015, 20)]), 0.0015, 14)
    claw = tube(np.array([[0.0, 0.2015 - 0.012 * k * k, 0.0135 * k] for k in np.linspace(0, 1, 14)]), 0.0011, 10)
    return as_one([cup, pillar, around(claw, 4, 20)])


def _filler() -> Mesh:
    cap = revolve(
        [(0.0, 0.0085), (0.0115, 0.0085), (0.0130, 0.0070), (0.0130, 0.0015), (0.0105, 0.0), (0.0, 0.0)], 0.0007, 64
    )
    m = np.array([[1, 0, 0, 0.052], [0, 1, 0, 0.0945], [0, 0, 1, 0.026], [0, 0, 0, 1]], float)
    return cap.transformed(m)


def _ribbed_glass() -> Mesh:
    """Wall of 3.5 mm with prismatic rings outside, smooth inside; open above and below, rims rounded."""
    y = np.linspace(GLASS_HIGH - 0.006, GLASS_LOW + 0.006, 270)
    ribs = np.abs(np.sin((y - GLASS_LOW) / (GLASS_HIGH - GLASS_LOW) * np.pi * 15)) ** 0.85
    barrel = 0.0035 * np.cos((y - 0.18) / 0.145 * np.pi) ** 2
    outer = np.stack([GLASS_RADIUS + 0.0026 * ribs + barrel, y], 1)
    inner = np.stack([GLASS_RADIUS - 0.0035 + barrel[::-1], y[::-1]], 1)
    rim_low = np.array([[GLASS_RADIUS, GLASS_LOW], [GLASS_RADIUS - 0.0035, GLASS_LOW]])
    rim_high = np.array([[GLASS_RADIUS - 0.0035, GLASS_HIGH], [GLASS_RADIUS, GLASS_HIGH], outer[0]])
    return lathe(np.vstack([outer, rim_low, inner, rim_high]), 144, 40)


def _mantle(seed: int) -> Mesh:
    profile = np.array(
        [
            [0.0015, 0.2005],
            [0.0060, 0.1990],
            [0.0100, 0.1930],
            [0.0125, 0.1830],
            [0.0135, 0.1700],
            [0.0128, 0.1560],
            [0.0120, 0.1440],
            [0.0118, 0.1340],
        ]
    )
    return lathe(rounded_profile([tuple(p) for p in profile], 0.02, 10), 64, 60)


def _plate(glb: GlbWriter) -> None:
    lines = [("HARBOUR LANTERN", 102), ("VANE & TIDEWRACK", 86), ("TIDEWRACK QUAY", 66)]
    colour, mr, normal = engraving(maker_plate(lines), (0.93, 0.85, 0.62), (0.035, 0.025, 0.02), metal=True)
    material = glb.material(
        "Maker's plate",
        metal=1.0,
        rough=1.0,
        base_map=glb.texture("plate", colour),
        mr_map=glb.texture("plate surface", mr),
        normal_map=glb.texture("plate engraving", normal),
    )
    glb.part("Maker's plate", bent_plate((0.0769, 0.036), (0.0769, 0.072), 27.0, 0.0009), material)
