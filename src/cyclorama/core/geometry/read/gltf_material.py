"""glTF materials as OpenPBR Surface parameters.

The mapping of the KHR material extensions follows their specifications; where OpenPBR has no equal, the nearest is
taken and a note says so.
"""

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...picture_files import decode_picture
from ...scene import Material, MaterialMaps, TextureRef
from ...scene.material import Channel, Wrap
from .gltf_extensions import KTX2, picture_name
from .model import FileModel
from .names import label
from .spec_gloss import converted_pictures
from .values import DEFAULT_EMISSION_NIT, colour, unit

_WRAPS: dict[int, Wrap] = {33071: "clamp", 33648: "mirror", 10497: "repeat"}


def read_materials(document: dict[str, Any], model: FileModel) -> tuple[list[Material], list[str]]:
    """Materials in file order, and sentences about what is approximated; pictures that have to be made anew for them
    are added to the model's."""
    notes: list[str] = []
    materials = []
    for i, entry in enumerate(document.get("materials", [])):
        name = label(entry.get("name"), f"Material {i + 1}")
        materials.append(_Reader(document, entry, name, notes, model).material(f"material-{i + 1}"))
    return materials, notes


class _Reader:
    """One material entry and what is noted about it."""

    def __init__(self, document: dict[str, Any], entry: dict[str, Any], name: str, notes: list[str], model: FileModel):
        self.document, self.entry, self.name, self.notes, self.model = document, entry, name, notes, model
        self.pbr: dict[str, Any] = entry.get("pbrMetallicRoughness", {})
        self.values: dict[str, Any] = {}
        self.maps: dict[str, TextureRef | None] = {}

    def note(self, what: str) -> None:
        self.notes.append(f"Material ‘{self.name}’: {what}")

    def extension(self, name: str) -> dict[str, Any] | None:
        found = self.entry.get("extensions", {}).get(f"KHR_materials_{name}")
        return found if isinstance(found, dict) else None

    def material(self, identity: str) -> Material:
        self._base()
        self._opacity()
        if self.extension("pbrSpecularGlossiness") is not None:
            self._specular_glossiness()
        for read in (
            self._glass,
            self._diffuse_through,
            self._specular,
            self._coat,
            self._fuzz,
            self._grain,
            self._film,
            self._glow,
        ):
            read()
        if self.extension("dispersion"):
            self.note("dispersion is left out; all colours are refracted alike.")
        if self.extension("unlit") is not None:
            self._unlit()
        maps = MaterialMaps(**{k: v for k, v in self.maps.items() if v})
        return Material(id=identity, name=self.name, maps=maps, **self.values)

    def _base(self) -> None:
        base = [unit(x) for x in self.pbr.get("baseColorFactor", (1, 1, 1, 1))]
        self.base, self.alpha = (base[0], base[1], base[2]), base[3]
        packed = self.pbr.get("metallicRoughnessTexture")
        self.values |= {
            "base_color": self.base,
            "base_metalness": unit(self.pbr.get("metallicFactor", 1.0)),
            "specular_roughness": unit(self.pbr.get("roughnessFactor", 1.0)),
            "specular_ior": self._ior(),
            "normal_scale": min(max(float(self.entry.get("normalTexture", {}).get("scale", 1.0)), 0.0), 10.0),
        }
        self.maps |= {
            "base_color": self.texture(self.pbr.get("baseColorTexture")),
            "specular_roughness": self.texture(packed, "g"),
            "base_metalness": self.texture(packed, "b"),
            "normal": self.texture(self.entry.get("normalTexture")),
        }
        if self.entry.get("occlusionTexture"):
            self.note("the painted occlusion is left out; real light makes its own.")

    def _ior(self) -> float:
        stated = float((self.extension("ior") or {}).get("ior", 1.5))
        if not 1.0 <= stated <= 3.0:
            self.note(f"its index of refraction {stated:g} is outside 1 to 3; held to that range.")
        return min(max(stated, 1.0), 3.0)

    def _opacity(self) -> None:
        mode = self.entry.get("alphaMode", "OPAQUE")
        if mode == "OPAQUE":
            return
        self.values["opacity"] = self.alpha
        self.maps["opacity"] = self.texture(self.pbr.get("baseColorTexture"), "a")
        if mode == "MASK":
            self.values["opacity_cutoff"] = unit(self.entry.get("alphaCutoff", 0.5))

    def _glass(self) -> None:
        glass = self.extension("transmission")
        if not glass:
            return
        volume = self.extension("volume") or {}
        depth = float(volume.get("attenuationDistance", 0.0) or 0.0)
        self.values |= {
            "transmission_weight": unit(glass.get("transmissionFactor", 0.0)),
            "transmission_color": colour(volume.get("attenuationColor", (1, 1, 1))) if depth else self.base,
            "transmission_depth_m": min(depth, 10_000.0),
            "thin_walled": not float(volume.get("thicknessFactor", 0.0) or 0.0) and not depth,
        }
        self.maps["transmission_weight"] = self.texture(glass.get("transmissionTexture"), "r")
        if volume.get("thicknessTexture"):
            self.note("the thickness map is not needed; light travels the true way through the glass.")

    def _diffuse_through(self) -> None:
        """Light that comes through a sheet scattered: OpenPBR's thin-walled subsurface (its section "Thin-walled")."""
        found = self.extension("diffuse_transmission")
        if not found:
            return
        self.values |= {
            "subsurface_weight": unit(found.get("diffuseTransmissionFactor", 0.0)),
            "subsurface_color": colour(found.get("diffuseTransmissionColorFactor", (1, 1, 1))),
            "thin_walled": True,
        }
        self.maps["subsurface_weight"] = self.texture(found.get("diffuseTransmissionTexture"), "a")
        self.maps["subsurface_color"] = self.texture(found.get("diffuseTransmissionColorTexture"))
        self.note("light comes through it as through a thin sheet, half of what scatters to each side.")

    def _specular_glossiness(self) -> None:
        """KHR_materials_pbrSpecularGlossiness as base colour, metalness and roughness."""
        found = self.extension("pbrSpecularGlossiness") or {}
        diffuse, specular = found.get("diffuseTexture"), found.get("specularGlossinessTexture")
        factor = [unit(x) for x in found.get("diffuseFactor", (1, 1, 1, 1))]
        converted = converted_pictures(
            self._pixels(diffuse),
            self._pixels(specular),
            factor,
            colour(found.get("specularFactor", (1, 1, 1))),
            unit(found.get("glossinessFactor", 1.0)),
        )
        self.base, self.alpha = (1.0, 1.0, 1.0), 1.0
        info = diffuse or specular
        if info is None:
            self.base, self.alpha = colour(converted.base[0, 0, :3]), factor[3]
            self.values |= {
                "base_metalness": float(converted.metalness[0, 0]),
                "specular_roughness": float(converted.rough[0, 0]),
            }
        else:
            base, packed = converted.as_pictures()
            places = [
                self._made_picture(f"{self.name} {what}", data, info)
                for what, data in (("base colour", base), ("metal and roughness", packed))
            ]
            self.maps |= {
                "base_color": places[0],
                "specular_roughness": places[1].model_copy(update={"channel": "g"}),
                "base_metalness": places[1].model_copy(update={"channel": "b"}),
            }
            self.values |= {"base_metalness": 1.0, "specular_roughness": 1.0}
            if self.entry.get("alphaMode", "OPAQUE") != "OPAQUE":
                self.maps["opacity"] = places[0].model_copy(update={"channel": "a"})
        self.values["base_color"] = self.base
        if "opacity" in self.values:
            self.values["opacity"] = self.alpha
        self.note("specular and glossiness are converted to metalness and roughness.")

    def _pixels(self, info: dict[str, Any] | None) -> NDArray[np.uint8] | None:
        """The picture of a texture; None where there is none, or it cannot be read (the map says so then)."""
        ref = self.texture(info)
        if ref is None:
            return None
        picture = self.model.pictures[int(ref.asset.removeprefix("picture:"))]
        try:
            return decode_picture(picture.data, picture.name)
        except IntakeError as error:
            self.note(f"{error.sentence}")
            return None

    def _made_picture(self, name: str, data: bytes, info: dict[str, Any]) -> TextureRef:
        """A picture made from others, lying as one of them did."""
        ref = self.texture(info) or TextureRef()
        return ref.model_copy(update={"asset": self.model.keep_picture(name[:80], data), "name": name[:80]})

    def _specular(self) -> None:
        found = self.extension("specular")
        if not found:
            return
        given = [float(x) for x in found.get("specularColorFactor", (1, 1, 1))]
        if max(given) > 1:
            self.note("its specular colour is brighter than white; held to white.")
        self.values |= {"specular_weight": unit(found.get("specularFactor", 1.0)), "specular_color": colour(given)}
        self.maps["specular_weight"] = self.texture(found.get("specularTexture"), "a")
        self.maps["specular_color"] = self.texture(found.get("specularColorTexture"))

    def _coat(self) -> None:
        found = self.extension("clearcoat")
        if not found:
            return
        self.values |= {
            "coat_weight": unit(found.get("clearcoatFactor", 0.0)),
            "coat_roughness": unit(found.get("clearcoatRoughnessFactor", 0.0)),
            "coat_ior": 1.5,
            "coat_darkening": 0.0,
        }
        self.maps["coat_weight"] = self.texture(found.get("clearcoatTexture"), "r")
        self.maps["coat_roughness"] = self.texture(found.get("clearcoatRoughnessTexture"), "g")
        bent = found.get("clearcoatNormalTexture")
        self.maps["coat_normal"] = self.texture(bent)
        if bent and float(bent.get("scale", 1.0)) != float(self.entry.get("normalTexture", bent).get("scale", 1.0)):
            self.note("its coat has a normal strength of its own; both normal maps share one here.")
        if bent and not self.entry.get("normalTexture"):
            self.values["normal_scale"] = min(max(float(bent.get("scale", 1.0)), 0.0), 10.0)

    def _fuzz(self) -> None:
        found = self.extension("sheen")
        if not found:
            return
        given = [max(0.0, float(x)) for x in found.get("sheenColorFactor", (0, 0, 0))]
        peak = max(given)
        if peak <= 0:
            return
        self.values |= {
            "fuzz_weight": min(peak, 1.0),
            "fuzz_color": colour(x / peak for x in given),
            "fuzz_roughness": unit(found.get("sheenRoughnessFactor", 0.0)),
        }
        self.maps["fuzz_color"] = self.texture(found.get("sheenColorTexture"))
        self.maps["fuzz_roughness"] = self.texture(found.get("sheenRoughnessTexture"), "a")

    def _grain(self) -> None:
        found = self.extension("anisotropy")
        if not found:
            return
        self.values |= {
            "specular_roughness_anisotropy": unit(found.get("anisotropyStrength", 0.0)),
            "specular_rotation_deg": math.degrees(float(found.get("anisotropyRotation", 0.0))) % 360.0,
        }
        self.note("anisotropy is shown by OpenPBR's measure of it, which is a little narrower across the grain.")
        if found.get("anisotropyTexture"):
            self.maps["specular_roughness_anisotropy"] = self.texture(found["anisotropyTexture"], "b")
            self.note("the direction in its anisotropy map is left out; the grain runs one way.")

    def _film(self) -> None:
        found = self.extension("iridescence")
        if not found:
            return
        self.values |= {
            "thin_film_weight": unit(found.get("iridescenceFactor", 0.0)),
            "thin_film_ior": min(max(float(found.get("iridescenceIor", 1.3)), 1.0), 3.0),
            "thin_film_thickness_nm": min(max(float(found.get("iridescenceThicknessMaximum", 400.0)), 0.0), 2000.0),
        }
        self.maps["thin_film_weight"] = self.texture(found.get("iridescenceTexture"), "r")
        thickness = self.texture(found.get("iridescenceThicknessTexture"), "g")
        self.maps["thin_film_thickness_nm"] = thickness
        if thickness and float(found.get("iridescenceThicknessMinimum", 100.0)) > 0:
            self.note("its film thins out to nothing where the thickness map is black.")

    def _glow(self) -> None:
        emissive = [max(0.0, float(x)) for x in self.entry.get("emissiveFactor", (0, 0, 0))]
        peak = max(emissive)
        strength = float((self.extension("emissive_strength") or {}).get("emissiveStrength", 1.0))
        self.values["emission_luminance"] = min(peak * strength * DEFAULT_EMISSION_NIT, 1e7)
        if peak:
            self.values["emission_color"] = colour(x / peak for x in emissive)
        self.maps["emission_color"] = self.texture(self.entry.get("emissiveTexture"))

    def _unlit(self) -> None:
        self.values |= {
            "base_weight": 0.0,
            "specular_weight": 0.0,
            "emission_luminance": DEFAULT_EMISSION_NIT,
            "emission_color": self.base,
        }
        self.maps = {"emission_color": self.maps.get("base_color"), "opacity": self.maps.get("opacity")}
        self.note("it is unlit in the file; here it glows with its colour.")

    def texture(self, info: dict[str, Any] | None, channel: Channel = "colour") -> TextureRef | None:
        if info is None:
            return None
        moved = info.get("extensions", {}).get("KHR_texture_transform", {})
        uv_set = int(moved.get("texCoord", info.get("texCoord", 0)))
        if uv_set not in (0, 1):
            self.note(f"a map uses set {uv_set + 1} of the texture coordinates; only two come in, the first is used.")
            uv_set = 0
        texture = self.document["textures"][info["index"]]
        source = self._source(texture)
        if source is None:
            return None
        samplers = self.document.get("samplers", [{}])
        sampler = samplers[texture["sampler"]] if "sampler" in texture else {}
        across, down = (_WRAPS.get(sampler.get(key, 10497), "repeat") for key in ("wrapS", "wrapT"))
        title = label(self.document["images"][source].get("name"))
        scale, offset = moved.get("scale", (1, 1)), moved.get("offset", (0, 0))
        return TextureRef(
            asset=f"picture:{source}",
            name=title,
            wrap=across,
            wrap_down=None if down == across else down,
            uv_set=1 if uv_set == 1 else 0,
            channel=channel,
            scale_u=float(scale[0]),
            scale_v=float(scale[1]),
            offset_u=float(offset[0]),
            offset_v=float(offset[1]),
            rotation_deg=math.degrees(float(moved.get("rotation", 0.0))),
        )

    def _source(self, texture: dict[str, Any]) -> int | None:
        """Which picture a texture shows: WebP before its fallback, the fallback before what cannot be read."""
        extensions = texture.get("extensions", {})
        if "EXT_texture_webp" in extensions:
            return int(extensions["EXT_texture_webp"]["source"])
        if "source" in texture:
            return int(texture["source"])
        if KTX2 in extensions:
            name = picture_name(self.document["images"][extensions[KTX2]["source"]])
            self.note(f"‘{name}’ is a KTX2 picture, which cannot be read; export it as PNG, JPEG or WebP.")
        else:
            self.note("a map in a format that cannot be read is left out.")
        return None
