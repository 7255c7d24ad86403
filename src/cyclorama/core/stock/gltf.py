"""A material as glTF 2.0 with the KHR extensions, as far as these go: what `geometry/read/gltf_material.py` reads."""

import math
from collections.abc import Callable
from typing import Any

from ..geometry.read.values import DEFAULT_EMISSION_NIT
from ..scene import Material, TextureRef

_WRAPS = {"repeat": 10497, "mirror": 33648, "clamp": 33071}
_EPSILON = 1e-9


def gltf_of(material: Material, file_of: Callable[[str], str]) -> tuple[dict[str, Any], list[str]]:
    """A glTF document with this one material, and what of it glTF cannot say, in words.

    file_of: gives the name of the file beside it, by the key of a picture. Patterns and maps from three sides are left
    out; metalness and roughness maps go along when they are green and blue of one picture.
    """
    writer = _Writer(file_of)
    return writer.document(material), writer.lost


class _Writer:
    """One document on its way."""

    def __init__(self, file_of: Callable[[str], str]):
        self.file_of, self.lost = file_of, list[str]()
        self.images: list[dict[str, Any]] = []
        self.textures: list[dict[str, Any]] = []
        self.samplers: list[dict[str, Any]] = []
        self.extensions: dict[str, Any] = {}

    def document(self, m: Material) -> dict[str, Any]:
        entry = self._base(m) | self._glow(m)
        for write in (self._specular, self._glass, self._coat, self._fuzz, self._grain, self._film):
            write(m)
        self._tell_lost(m)
        if self.extensions:
            entry["extensions"] = self.extensions
        used = sorted(self.extensions) + (["KHR_texture_transform"] if self._moved else [])
        document: dict[str, Any] = {"asset": {"version": "2.0", "generator": "Cyclorama"}, "materials": [entry]}
        for name, values in (
            ("extensionsUsed", used),
            ("images", self.images),
            ("textures", self.textures),
            ("samplers", self.samplers),
        ):
            if values:
                document[name] = values
        return document

    _moved = False

    def _base(self, m: Material) -> dict[str, Any]:
        pbr: dict[str, Any] = {
            "baseColorFactor": [c * m.base_weight for c in m.base_color] + [m.opacity],
            "metallicFactor": m.base_metalness,
            "roughnessFactor": m.specular_roughness,
        }
        self._put(pbr, "baseColorTexture", m.maps.base_color)
        rough, metal = m.maps.specular_roughness, m.maps.base_metalness
        packed = rough or metal
        if packed is not None and all(
            ref is None or (ref.channel == channel and ref.asset == packed.asset)
            for ref, channel in ((rough, "g"), (metal, "b"))
        ):
            self._put(pbr, "metallicRoughnessTexture", packed)
        elif packed is not None:
            self.lost.append("its maps of roughness and metalness")
        entry: dict[str, Any] = {"name": m.name, "pbrMetallicRoughness": pbr}
        self._put(entry, "normalTexture", m.maps.normal, scale=m.normal_scale)
        if m.opacity < 1 or m.maps.opacity is not None:
            entry["alphaMode"] = "BLEND" if m.opacity_cutoff is None else "MASK"
            if m.opacity_cutoff is not None:
                entry["alphaCutoff"] = m.opacity_cutoff
        return entry

    def _glow(self, m: Material) -> dict[str, Any]:
        if not m.glows:
            return {}
        peak = max(m.emission_color)
        entry: dict[str, Any] = {"emissiveFactor": [c / peak for c in m.emission_color]}
        strength = m.emission_luminance / DEFAULT_EMISSION_NIT
        self.extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": strength}
        self._put(entry, "emissiveTexture", m.maps.emission_color)
        return entry

    def _specular(self, m: Material) -> None:
        if abs(m.specular_ior - 1.5) > _EPSILON:
            self.extensions["KHR_materials_ior"] = {"ior": m.specular_ior}
        if m.specular_weight < 1 or m.specular_color != (1.0, 1.0, 1.0) or m.maps.specular_weight is not None:
            values: dict[str, Any] = {
                "specularFactor": m.specular_weight,
                "specularColorFactor": list(m.specular_color),
            }
            self._put(values, "specularTexture", m.maps.specular_weight)
            self._put(values, "specularColorTexture", m.maps.specular_color)
            self.extensions["KHR_materials_specular"] = values

    def _glass(self, m: Material) -> None:
        if not m.transmission_weight:
            return
        values: dict[str, Any] = {"transmissionFactor": m.transmission_weight}
        self._put(values, "transmissionTexture", m.maps.transmission_weight)
        self.extensions["KHR_materials_transmission"] = values
        if not m.thin_walled:
            volume: dict[str, Any] = {"thicknessFactor": 1.0, "attenuationColor": list(m.transmission_color)}
            if m.transmission_depth_m:
                volume["attenuationDistance"] = m.transmission_depth_m
            self.extensions["KHR_materials_volume"] = volume

    def _coat(self, m: Material) -> None:
        if not m.coat_weight:
            return
        values: dict[str, Any] = {"clearcoatFactor": m.coat_weight, "clearcoatRoughnessFactor": m.coat_roughness}
        self._put(values, "clearcoatTexture", m.maps.coat_weight)
        self._put(values, "clearcoatRoughnessTexture", m.maps.coat_roughness)
        self._put(values, "clearcoatNormalTexture", m.maps.coat_normal, scale=m.normal_scale)
        self.extensions["KHR_materials_clearcoat"] = values

    def _fuzz(self, m: Material) -> None:
        if not m.fuzz_weight:
            return
        values: dict[str, Any] = {
            "sheenColorFactor": [c * m.fuzz_weight for c in m.fuzz_color],
            "sheenRoughnessFactor": m.fuzz_roughness,
        }
        self._put(values, "sheenColorTexture", m.maps.fuzz_color)
        self._put(values, "sheenRoughnessTexture", m.maps.fuzz_roughness)
        self.extensions["KHR_materials_sheen"] = values

    def _grain(self, m: Material) -> None:
        if m.specular_roughness_anisotropy:
            self.extensions["KHR_materials_anisotropy"] = {
                "anisotropyStrength": m.specular_roughness_anisotropy,
                "anisotropyRotation": math.radians(m.specular_rotation_deg),
            }

    def _film(self, m: Material) -> None:
        if not m.thin_film_weight:
            return
        values: dict[str, Any] = {
            "iridescenceFactor": m.thin_film_weight,
            "iridescenceIor": m.thin_film_ior,
            "iridescenceThicknessMinimum": 0.0,
            "iridescenceThicknessMaximum": m.thin_film_thickness_nm,
        }
        self._put(values, "iridescenceTexture", m.maps.thin_film_weight)
        self._put(values, "iridescenceThicknessTexture", m.maps.thin_film_thickness_nm)
        self.extensions["KHR_materials_iridescence"] = values

    def _tell_lost(self, m: Material) -> None:
        for there, words in (
            (m.subsurface_weight > 0, "subsurface"),
            (m.coat_weight > 0 and min(m.coat_color) < 1, "the coat's colour"),
            (m.transmission_weight > 0 and max(m.transmission_scatter) > 0, "its cloudiness"),
            (m.priority != 0, "its priority"),
            (m.edge_radius_m > 0, "rounded edges"),
            (m.maps.height is not None, "relief"),
            (m.strand, "hair"),
        ):
            if there:
                self.lost.append(words)

    def _put(self, into: dict[str, Any], name: str, ref: TextureRef | None, scale: float | None = None) -> None:
        """Enter a map, as it lies."""
        if ref is None:
            return
        if not ref.asset or ref.projection != "uv":
            self.lost.append(f"the map ‘{ref.name or name}’")
            return
        if ref.tiles:
            self.lost.append(f"all tiles but the first of the map ‘{ref.name or name}’")
        uri = self.file_of(ref.asset)
        if all(image["uri"] != uri for image in self.images):
            self.images.append({"uri": uri, "name": ref.name or uri})
        source = next(i for i, image in enumerate(self.images) if image["uri"] == uri)
        self.samplers.append({"wrapS": _WRAPS[ref.wrap], "wrapT": _WRAPS[ref.wrap_down or ref.wrap]})
        self.textures.append({"source": source, "sampler": len(self.samplers) - 1})
        info: dict[str, Any] = {"index": len(self.textures) - 1}
        if ref.uv_set:
            info["texCoord"] = ref.uv_set
        if scale is not None:
            info["scale"] = scale
        if (ref.scale_u, ref.scale_v, ref.offset_u, ref.offset_v, ref.rotation_deg) != (1.0, 1.0, 0.0, 0.0, 0.0):
            self._moved = True
            info["extensions"] = {
                "KHR_texture_transform": {
                    "scale": [ref.scale_u, ref.scale_v],
                    "offset": [ref.offset_u, ref.offset_v],
                    "rotation": math.radians(ref.rotation_deg),
                }
            }
        into[name] = info
