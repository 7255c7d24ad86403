"""glTF materials as OpenPBR Surface parameters."""

from collections.abc import Iterable
from typing import Any

from ...scene import Material, TextureRef
from ...scene.material import Wrap

_APPROXIMATED = {
    "KHR_materials_clearcoat": "clear coat",
    "KHR_materials_sheen": "sheen",
    "KHR_materials_anisotropy": "anisotropy",
    "KHR_materials_iridescence": "iridescence",
    "KHR_materials_specular": "specular tint",
    "KHR_materials_dispersion": "dispersion",
    "KHR_materials_unlit": "unlit shading",
}
DEFAULT_EMISSION_NIT = 1000.0
"""Luminance of an emissive factor of 1 in files: such a surface shows white at the studio's usual exposure."""


def read_materials(document: dict[str, Any]) -> tuple[list[Material], list[str]]:
    """Materials in file order, and sentences about what is approximated."""
    notes: list[str] = []
    materials = []
    for i, entry in enumerate(document.get("materials", [])):
        name = str(entry.get("name") or f"Material {i + 1}")[:80]
        extensions = entry.get("extensions", {})
        left = [words for key, words in _APPROXIMATED.items() if key in extensions]
        if left:
            notes.append(f"Material ‘{name}’: {', '.join(left)} not shown yet.")
        if entry.get("occlusionTexture"):
            notes.append(f"Material ‘{name}’: the painted occlusion is left out; real light makes its own.")
        materials.append(_read_material(document, entry, f"material-{i + 1}", name, notes))
    return materials, notes


def _read_material(
    document: dict[str, Any], entry: dict[str, Any], identity: str, name: str, notes: list[str]
) -> Material:
    pbr, extensions = entry.get("pbrMetallicRoughness", {}), entry.get("extensions", {})
    base = [_unit(x) for x in pbr.get("baseColorFactor", (1, 1, 1, 1))]
    volume = extensions.get("KHR_materials_volume", {})
    transmission = extensions.get("KHR_materials_transmission", {})
    emissive = [max(0.0, float(x)) for x in entry.get("emissiveFactor", (0, 0, 0))]
    strength = float(extensions.get("KHR_materials_emissive_strength", {}).get("emissiveStrength", 1.0))
    peak = max(emissive)
    mode = entry.get("alphaMode", "OPAQUE")

    def texture(info: dict[str, Any] | None) -> TextureRef | None:
        return _texture(document, info, name, notes)

    if transmission.get("transmissionTexture"):
        notes.append(f"Material ‘{name}’: the transmission map is not used yet, only its factor.")
    depth = volume.get("attenuationDistance", 0.0)
    return Material(
        id=identity,
        name=name,
        base_color=(base[0], base[1], base[2]),
        base_metalness=_unit(pbr.get("metallicFactor", 1.0)),
        specular_roughness=_unit(pbr.get("roughnessFactor", 1.0)),
        specular_ior=min(max(float(extensions.get("KHR_materials_ior", {}).get("ior", 1.5)), 1.0), 3.0),
        transmission_weight=_unit(transmission.get("transmissionFactor", 0.0)),
        transmission_color=_colour(volume.get("attenuationColor", (1, 1, 1))) if depth else (base[0], base[1], base[2]),
        transmission_depth_m=min(float(depth), 100.0),
        emission_nit=min(peak * strength * DEFAULT_EMISSION_NIT, 1e7),
        emission_color=_colour(x / peak for x in emissive) if peak else (1.0, 1.0, 1.0),
        opacity=base[3] if mode != "OPAQUE" else 1.0,
        opacity_cutoff=_unit(entry.get("alphaCutoff", 0.5)) if mode == "MASK" else None,
        opacity_from_base_alpha=mode != "OPAQUE" and "baseColorTexture" in pbr,
        normal_scale=min(max(float(entry.get("normalTexture", {}).get("scale", 1.0)), 0.0), 10.0),
        base_color_map=texture(pbr.get("baseColorTexture")),
        metal_rough_map=texture(pbr.get("metallicRoughnessTexture")),
        normal_map=texture(entry.get("normalTexture")),
        emission_map=texture(entry.get("emissiveTexture")),
    )


def _texture(
    document: dict[str, Any], info: dict[str, Any] | None, material: str, notes: list[str]
) -> TextureRef | None:
    if info is None:
        return None
    if info.get("texCoord", 0) != 0:
        notes.append(f"Material ‘{material}’: a map uses a second set of coordinates; the first is used.")
    if "KHR_texture_transform" in info.get("extensions", {}):
        notes.append(f"Material ‘{material}’: a map is shifted or scaled in the file; that is not applied yet.")
    texture = document["textures"][info["index"]]
    if "source" not in texture:
        notes.append(f"Material ‘{material}’: a map in a format that cannot be read is left out.")
        return None
    sampler = document.get("samplers", [{}])[texture["sampler"]] if "sampler" in texture else {}
    wraps: dict[int, Wrap] = {33071: "clamp", 33648: "mirror", 10497: "repeat"}
    source = int(texture["source"])
    label = str(document["images"][source].get("name") or "")[:80]
    return TextureRef(asset=f"picture:{source}", name=label, wrap=wraps.get(sampler.get("wrapS", 10497), "repeat"))


def _colour(values: Iterable[Any]) -> tuple[float, float, float]:
    r, g, b = (_unit(x) for x in values)
    return r, g, b


def _unit(value: Any) -> float:
    return min(max(float(value), 0.0), 1.0)
