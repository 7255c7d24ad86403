"""Materials that look right from the start.

Metals: reflectance at normal incidence from the measured complex index of refraction (Johnson and Christy, "Optical
Constants of the Noble Metals", 1972, and "… of Transition Metals", 1974) over the Rec.709 primaries.
Indices of dielectrics are handbook values at 589 nm.
"""

import math
from typing import Any, Literal

from ..errors import ChangeError
from ..scene import Material, MaterialMaps, TextureRef

Colour = tuple[float, float, float]


def _metal(colour: Colour, rough: float, edge: Colour = (1.0, 1.0, 1.0), **more: Any) -> dict[str, Any]:
    return {"base_color": colour, "base_metalness": 1.0, "specular_roughness": rough, "specular_color": edge, **more}


def _glass(rough: float = 0.0, **more: Any) -> dict[str, Any]:
    return {"transmission_weight": 1.0, "specular_roughness": rough, "specular_ior": 1.52, **more}


def _pattern(kind: str, size_m: float, **more: Any) -> TextureRef:
    return TextureRef(pattern=kind, name=kind, projection="triplanar", size_m=size_m, **more)  # type: ignore[arg-type]


GOLD, COPPER, SILVER = (1.0, 0.773, 0.307), (0.932, 0.623, 0.522), (0.959, 0.949, 0.922)
BRASS, STEEL = (0.887, 0.789, 0.434), (0.590, 0.573, 0.552)
ALUMINIUM, IRON = (0.912, 0.914, 0.920), (0.531, 0.512, 0.496)

Liquid = Literal["Water", "Oil", "Tea", "Milk", "Perfume", "Syrup"]


def _liquid(ior: float, colour: Colour, depth_m: float, **more: Any) -> dict[str, Any]:
    """A liquid yields to all that lies in it and round it."""
    return {"transmission_weight": 1.0, "specular_roughness": 0.0, "specular_ior": ior, "transmission_color": colour,
            "transmission_depth_m": depth_m, "priority": -10, **more}  # fmt: skip


def _cloudy(ior: float, scatters: Colour, absorbs: Colour, depth_m: float) -> dict[str, Any]:
    """A liquid that scatters and absorbs so much, 1/m. The colour is not rounded: absorption is the small difference of
    two large numbers."""
    colour = tuple(math.exp(-(s + a) * depth_m) for s, a in zip(scatters, absorbs, strict=True))
    scatter = tuple(s * depth_m for s in scatters)
    return _liquid(ior, colour, depth_m, transmission_scatter=scatter)  # type: ignore[arg-type]


LIQUIDS: dict[str, dict[str, Any]] = {
    # absorption 0.265, 0.056 and 0.010 /m at 611, 549 and 464 nm: Pope and Fry, "Absorption spectrum (380–700 nm) of
    # pure water", Applied Optics 36(33), 1997, table 3
    "Water": _liquid(1.333, (0.767, 0.946, 0.99), 1.0),
    "Oil": _liquid(1.47, (0.9, 0.78, 0.2), 0.03),
    # browned sugars absorb by exp(−λ / 80 nm), as beer does (deLange, "Colour", in Brewing Materials and Processes,
    # 2016); syrup lets 60 % of 560 nm through 10 mm, the middle of amber (USDA, Grades of Maple Syrup, 2015); its index
    # is that of 67 % sugar (ICUMSA SPS-3); how strong tea is drawn is chosen by eye
    "Tea": _liquid(1.334, (0.8, 0.5, 0.14), 0.04),
    "Syrup": _liquid(1.458, (0.763, 0.557, 0.184), 0.01),
    # reduced scattering 2.55, 3.21 and 3.77 /mm, absorption 0.0011, 0.0024 and 0.014 /mm of whole milk: Jensen et al.,
    # "A Practical Model for Subsurface Light Transport", SIGGRAPH 2001, figure 5. All colours scatter as often as they
    # do in the mean, and lose as much each time: what is thrown back stays, and paths that all colours share have no
    # noise of colour
    "Milk": _cloudy(1.345, (3180.0,) * 3, (3180 * 1.1 / 2550, 3180 * 2.4 / 3210, 3180 * 14 / 3770), 0.00025),
    # ethanol with a fifth of water; its tint is chosen by eye
    "Perfume": _liquid(1.363, (0.96, 0.86, 0.62), 0.03),
}
"""Materials of liquids. Milk scatters light; all others only absorb it."""

PRESETS: dict[str, dict[str, Any]] = {
    "Polished gold": _metal(GOLD, 0.08, (1.0, 0.98, 0.9)),
    "Polished copper": _metal(COPPER, 0.1, (1.0, 0.96, 0.92)),
    "Polished brass": _metal(BRASS, 0.12, (1.0, 0.98, 0.9)),
    "Polished steel": _metal(STEEL, 0.12),
    "Polished silver": _metal(SILVER, 0.07),
    "Brushed aluminium": _metal(ALUMINIUM, 0.34, specular_roughness_anisotropy=0.75,
                                maps={"specular_roughness": _pattern("brushed", 0.04)}),
    "Brushed brass": _metal(BRASS, 0.36, (1.0, 0.98, 0.9), specular_roughness_anisotropy=0.7,
                            maps={"specular_roughness": _pattern("brushed", 0.04)}),
    "Cast iron": _metal(IRON, 0.62, maps={"height": _pattern("noise", 0.02)}, height_m=0.0004),
    "Anodised blue": _metal((0.12, 0.22, 0.62), 0.32, coat_weight=0.6, coat_roughness=0.25),
    "Clear glass": _glass(),
    "Frosted glass": _glass(0.42),
    "Tinted glass": _glass(transmission_color=(0.24, 0.55, 0.42), transmission_depth_m=0.02),
    "Thin glass": _glass(thin_walled=True),
    "Soap film": _glass(thin_walled=True, specular_ior=1.33, thin_film_weight=1.0, thin_film_thickness_nm=420.0,
                        thin_film_ior=1.33),
    **LIQUIDS,
    "Glossy plastic": {"base_color": (0.62, 0.06, 0.05), "specular_roughness": 0.12, "specular_ior": 1.49},
    "Matte plastic": {"base_color": (0.08, 0.22, 0.3), "specular_roughness": 0.52, "specular_ior": 1.49},
    "Rubber": {"base_color": (0.028, 0.028, 0.03), "specular_roughness": 0.68, "specular_ior": 1.52,
               "base_diffuse_roughness": 0.4},
    "Ceramic": {"base_color": (0.82, 0.8, 0.75), "specular_roughness": 0.3, "coat_weight": 1.0,
                "coat_roughness": 0.03, "coat_ior": 1.6, "coat_darkening": 0.4},
    "Porcelain": {"base_color": (0.86, 0.85, 0.82), "specular_roughness": 0.08, "subsurface_weight": 0.6,
                  "subsurface_color": (0.88, 0.86, 0.82), "subsurface_radius_m": 0.0015,
                  "subsurface_radius_scale": (1.0, 0.85, 0.7)},
    "Flake paint": _metal((0.16, 0.3, 0.42), 0.38, coat_weight=1.0, coat_roughness=0.02, coat_ior=1.55,
                          coat_color=(0.72, 0.88, 0.96), maps={"normal": _pattern("flakes", 0.02)}, normal_scale=0.8),
    "Car paint": {"base_color": (0.42, 0.02, 0.015), "specular_roughness": 0.35, "coat_weight": 1.0,
                  "coat_roughness": 0.01, "coat_ior": 1.55, "coat_color": (0.95, 0.75, 0.7)},
    "Raw wood": {"base_color": (0.46, 0.29, 0.16), "specular_roughness": 0.62, "base_diffuse_roughness": 0.3,
                 "maps": {"base_color": _pattern("grain", 0.12), "height": _pattern("grain", 0.12)},
                 "height_m": 0.0003},
    "Lacquered wood": {"base_color": (0.34, 0.17, 0.08), "specular_roughness": 0.5, "coat_weight": 1.0,
                       "coat_roughness": 0.06, "coat_color": (0.98, 0.88, 0.72),
                       "maps": {"base_color": _pattern("grain", 0.12)}},
    "Linen": {"base_color": (0.62, 0.57, 0.48), "specular_roughness": 0.8, "base_diffuse_roughness": 0.6,
              "fuzz_weight": 0.35, "fuzz_roughness": 0.5, "fuzz_color": (0.9, 0.88, 0.84),
              "maps": {"height": _pattern("weave", 0.016)}, "height_m": 0.0005},
    "Velvet": {"base_color": (0.12, 0.015, 0.04), "specular_weight": 0.2, "specular_roughness": 0.9,
               "fuzz_weight": 1.0, "fuzz_color": (0.85, 0.35, 0.45), "fuzz_roughness": 0.35},
    "Skin": {"base_color": (0.7, 0.46, 0.36), "specular_roughness": 0.42, "specular_ior": 1.4,
             "subsurface_weight": 1.0, "subsurface_color": (0.78, 0.5, 0.4), "subsurface_radius_m": 0.006,
             "subsurface_radius_scale": (1.0, 0.36, 0.2), "maps": {"height": _pattern("noise", 0.01)},
             "height_m": 0.00008},
    "Wax": {"specular_roughness": 0.38, "specular_ior": 1.44, "subsurface_weight": 1.0,
            "subsurface_color": (0.88, 0.76, 0.5), "subsurface_radius_m": 0.012,
            "subsurface_radius_scale": (1.0, 0.7, 0.35)},
    "Paper": {"base_color": (0.8, 0.78, 0.73), "specular_roughness": 0.85, "specular_weight": 0.5,
              "base_diffuse_roughness": 0.5, "thin_walled": True, "subsurface_weight": 0.4,
              "subsurface_color": (0.8, 0.76, 0.68)},
    "Pearl": {"base_color": (0.83, 0.8, 0.76), "specular_roughness": 0.22, "thin_film_weight": 0.7,
              "thin_film_thickness_nm": 480.0, "thin_film_ior": 1.66, "subsurface_weight": 0.4,
              "subsurface_color": (0.86, 0.83, 0.78), "subsurface_radius_m": 0.002},
    "Glowing": {"base_color": (0.1, 0.1, 0.1), "emission_luminance": 2500.0, "emission_color": (1.0, 0.72, 0.42)},
}  # fmt: skip


def with_preset(material: Material, preset: str) -> Material:
    """The material with everything but its id and name taken from a preset; its own pictures go.

    Raises ChangeError when there is no such preset.
    """
    if preset not in PRESETS:
        raise ChangeError(f"There is no material called ‘{preset}’ to start from.")
    values = dict(PRESETS[preset])
    maps = MaterialMaps(**values.pop("maps", {}))
    return Material(id=material.id, name=material.name, maps=maps, **values)
