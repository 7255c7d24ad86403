"""Materials of USD as OpenPBR parameters: UsdPreviewSurface, and OpenPBR and Standard Surface of MaterialX.

Follows the UsdPreviewSurface specification (2.6) and MaterialX 1.39's node definitions.
"""

import math
from pathlib import Path
from typing import Any

from pxr import Sdf, Usd, UsdGeom, UsdShade

from ...scene import Material, MaterialMaps, TextureRef
from ...scene.material import Channel, Wrap
from .files import FileBundle
from .model import FileModel
from .names import label
from .pictures_beside import PicturesBeside
from .values import DEFAULT_EMISSION_NIT, colour, plain_material, unit

MOST_RELIEF_M = 100.0
"""The document takes no deeper relief."""
_WRAPS: dict[str, Wrap] = {
    "repeat": "repeat",
    "mirror": "mirror",
    "clamp": "clamp",
    "black": "clamp",
    "periodic": "repeat",
}
_PREVIEW = {
    "diffuseColor": "base_color",
    "metallic": "base_metalness",
    "roughness": "specular_roughness",
    "ior": "specular_ior",
    "clearcoat": "coat_weight",
    "clearcoatRoughness": "coat_roughness",
    "opacity": "opacity",
    "emissiveColor": "emission_color",
    "normal": "normal",
    "displacement": "height",
}
_PREVIEW_DEFAULTS: dict[str, Any] = {
    "base_color": (0.18, 0.18, 0.18),
    "specular_roughness": 0.5,
    "coat_roughness": 0.01,
    "coat_ior": 1.5,
}
_STANDARD = {
    "base": "base_weight", "base_color": "base_color", "metalness": "base_metalness",
    "diffuse_roughness": "base_diffuse_roughness", "specular": "specular_weight", "specular_color": "specular_color",
    "specular_roughness": "specular_roughness", "specular_IOR": "specular_ior", "transmission": "transmission_weight",
    "transmission_color": "transmission_color", "coat": "coat_weight", "coat_color": "coat_color",
    "coat_roughness": "coat_roughness", "coat_IOR": "coat_ior", "sheen": "fuzz_weight", "sheen_color": "fuzz_color",
    "sheen_roughness": "fuzz_roughness", "subsurface": "subsurface_weight", "subsurface_color": "subsurface_color",
    "emission_color": "emission_color", "normal": "normal", "thin_walled": "thin_walled",
}  # fmt: skip
_OPENPBR = {name: name for name in Material.model_fields if name not in ("id", "name", "maps", "vertex_colours")} | {
    "geometry_opacity": "opacity",
    "geometry_thin_walled": "thin_walled",
    "geometry_normal": "normal",
    "geometry_coat_normal": "coat_normal",
}
_KINDS = ("UsdPreviewSurface", "open_pbr_surface", "standard_surface")


class UsdMaterials:
    """The materials that prims are bound to, taken into the model as they are asked for."""

    def __init__(self, folder: Path, bundle: FileBundle, root: str, model: FileModel):
        self.folder, self.model = folder, model
        self._taken: dict[str, int] = {}
        self._sets: dict[int, list[str]] = {}
        self._pictures = PicturesBeside(root, bundle, model)

    def index(self, prim: Usd.Prim) -> int:
        """The place in the model of the material that a mesh or subset is bound to."""
        bound, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        key = str(bound.GetPath()) if bound else ""
        if key not in self._taken:
            place = self._taken[key] = len(self.model.materials)
            plain = plain_material(place)
            if bound:
                entry = _Entry(bound, self)
                self.model.materials.append(entry.material(plain.id))
                self._sets[place] = entry.sets
            else:
                # the mesh's colours are its own
                self.model.materials.append(plain)
        return self._taken[key]

    def in_variant(self, prim: Usd.Prim, title: str) -> int:
        """The place of the material that a prim is bound to now that another variant of the stage is selected: one
        that is there already where it looks the same, else one that is named after the variant too."""
        bound, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        if not bound:
            return self.index(prim)
        made = _Entry(bound, self).material(plain_material(len(self.model.materials)).id)
        for place, known in enumerate(self.model.materials):
            alike = known.name in (made.name, label(f"{made.name}, {title}", "Material"))
            if alike and known.model_copy(update={"id": made.id, "name": made.name}) == made:
                return place
        if any(m.name == made.name for m in self.model.materials):
            made = made.model_copy(update={"name": label(f"{made.name}, {title}", "Material")})
        self.model.materials.append(made)
        return len(self.model.materials) - 1

    def bare(self, index: int) -> bool:
        """True when a material stands for none at all."""
        return self._taken.get("") == index

    def coordinates(self, materials: list[int]) -> tuple[str, str | None]:
        """Names of the two sets of coordinates that materials lie on."""
        names = list(dict.fromkeys(n for m in materials for n in self._sets.get(m, ())))
        first = names[0] if names else "st"
        return first, next((n for n in names if n != first), None)

    def picture(self, asset: Sdf.AssetPath) -> str | None:
        """The reference of a picture; None, and noted, when it is not among what was brought in."""

        def resolved() -> bytes | None:
            path = Path(asset.resolvedPath).resolve() if asset.resolvedPath else None
            within = path is not None and self.folder in path.parents and path.is_file()
            return path.read_bytes() if path is not None and within else None

        return self._pictures.take(asset.path, resolved)


class _Entry:
    """One material on its way to OpenPBR's parameters."""

    def __init__(self, bound: UsdShade.Material, shelf: UsdMaterials):
        self._bound, self._shelf, self.sets = bound, shelf, list[str]()
        self._name = label(bound.GetPrim().GetName(), "Material")
        self._values: dict[str, Any] = {}
        self._maps: dict[str, TextureRef] = {}

    def material(self, identity: str) -> Material:
        shader, kind = self._surface()
        if kind == "UsdPreviewSurface":
            self._values |= _PREVIEW_DEFAULTS
            self._read(shader, _PREVIEW)
            self._finish_preview(shader)
        elif "open_pbr_surface" in kind:
            self._read(shader, _OPENPBR)
            self._finish_glow(1.0)
        elif "standard_surface" in kind:
            self._values |= {"base_weight": 0.8, "base_color": (1.0, 1.0, 1.0), "specular_roughness": 0.2}
            self._read(shader, _STANDARD)
            self._finish_glow(_number(shader, "emission", 0.0) * DEFAULT_EMISSION_NIT)
        elif kind or shader:
            self._note(f"its shader {kind[:40] or 'of its own'} is not read; it is plain.")
        values = {k: _held(k, v) for k, v in self._values.items() if k in Material.model_fields}
        return Material(id=identity, name=self._name, maps=MaterialMaps(**self._maps), **values)

    def _surface(self) -> tuple[UsdShade.Shader, str]:
        """The surface's shader and its kind: MaterialX before the preview, as it says more; one that is read if any."""
        found = [self._bound.ComputeSurfaceSource(context)[0] for context in ("mtlx", "")]
        kinds = [(shader, str(shader.GetShaderId() or "") if shader else "") for shader in found]
        return next((k for k in kinds if any(word in k[1] for word in _KINDS)), kinds[-1])

    def _note(self, what: str) -> None:
        self._shelf.model.notes.append(f"Material ‘{self._name}’: {what}")

    def _read(self, shader: UsdShade.Shader, names: dict[str, str]) -> None:
        for given, target in names.items():
            entry = shader.GetInput(given)
            if not entry:
                continue
            source = entry.GetConnectedSources()[0]
            if source:
                self._connected(source[0], target)
            elif (value := entry.Get()) is not None and target in Material.model_fields:
                self._values[target] = value

    def _connected(self, source: UsdShade.ConnectionSourceInfo, target: str) -> None:
        """A map for a parameter, or the value at the end of a connection."""
        node = UsdShade.Shader(source.source.GetPrim())
        kind = str(node.GetShaderId() or "") if node else ""
        if not kind:  # the material's own input
            entry = source.source.GetInput(source.sourceName)
            if entry and entry.Get() is not None and target in Material.model_fields:
                self._values[target] = entry.Get()
            return
        if "normalmap" in kind or "convert" in kind:
            entry = node.GetInput("in")
            inner = entry.GetConnectedSources()[0] if entry else None
            if inner:
                self._connected(inner[0], target)
            return
        if kind != "UsdUVTexture" and "image" not in kind:
            self._note(f"what drives its {target.replace('_', ' ')} ({kind[:40]}) is not read.")
            return
        ref = self._texture(node, str(source.sourceName), target)
        if ref is None or target not in MaterialMaps.model_fields:
            return
        self._maps[target] = ref
        if target == "height":
            self._displace(node, str(source.sourceName))
        if target in Material.model_fields:
            scale = node.GetInput("scale").Get() if node.GetInput("scale") else None
            one: Any = (1.0, 1.0, 1.0) if _is_colour(target) else 1.0
            self._values[target] = tuple(scale)[:3] if scale is not None and _is_colour(target) else one

    def _displace(self, node: UsdShade.Shader, output: str) -> None:
        """Relief as deep as the file says: value · scale + bias, in its unit, along the normal.

        Without a scale it would be a whole unit deep, which nobody means: it is shaded then.
        """
        entry = node.GetInput("scale")
        if not entry or entry.Get() is None:
            return
        which = max("rgba".find(output), 0)
        bias = node.GetInput("bias")
        scale, shift = float(entry.Get()[which]), float(bias.Get()[which]) if bias and bias.Get() is not None else 0.0
        unit_m = UsdGeom.GetStageMetersPerUnit(node.GetPrim().GetStage())
        if not 0 < abs(scale * unit_m) <= MOST_RELIEF_M:
            return
        self._values |= {"displaced": True, "height_m": scale * unit_m, "relief_level": unit(-shift / scale)}

    def _texture(self, node: UsdShade.Shader, output: str, target: str) -> TextureRef | None:
        entry = node.GetInput("file")
        asset = entry.GetValueProducingAttributes()[0].Get() if entry and entry.GetValueProducingAttributes() else None
        if not isinstance(asset, Sdf.AssetPath) or not asset.path:
            return None
        reference = self._shelf.picture(asset)
        if reference is None:
            return None
        moved = self._moved(node)
        across = _WRAPS.get(_text(node, "wrapS") or _text(node, "uaddressmode"), "repeat")
        down = _WRAPS.get(_text(node, "wrapT") or _text(node, "vaddressmode"), "repeat")
        channel: Channel = output if output in ("r", "g", "b", "a") else "colour"  # type: ignore[assignment]
        return TextureRef(
            asset=reference,
            name=label(asset.path.rsplit("/", 1)[-1]),
            channel=channel,
            wrap=across,
            wrap_down=None if down == across else down,
            **moved,
        )

    def _moved(self, node: UsdShade.Shader) -> dict[str, Any]:
        """Placement of a map: its set of coordinates, and UsdTransform2d's scale, rotation and translation."""
        moved: dict[str, Any] = {}
        entry = node.GetInput("st") or node.GetInput("texcoord")
        for _ in range(8):
            found = entry.GetConnectedSources()[0] if entry else None
            if not found:
                return moved
            reader = UsdShade.Shader(found[0].source.GetPrim())
            kind = str(reader.GetShaderId() or "") if reader else ""
            if kind == "UsdTransform2d":
                turn = math.radians(_number(reader, "rotation", 0.0))
                su, sv = _pair(reader, "scale", 1.0)
                tu, tv = _pair(reader, "translation", 0.0)
                # USD counts v from the bottom: see the same sum for MTL, with a rotation
                moved |= {
                    "scale_u": su,
                    "scale_v": sv,
                    "rotation_deg": math.degrees(turn),
                    "offset_u": tu - sv * math.sin(turn),
                    "offset_v": 1.0 - tv - sv * math.cos(turn),
                }
                entry = reader.GetInput("in")
                continue
            name = _text(reader, "varname") or _text(reader, "geomprop")
            if name:
                if name not in self.sets:
                    self.sets.append(name)
                if self.sets.index(name) > 1:
                    self._note("its maps use more than two sets of coordinates; the first is used for the others.")
                moved["uv_set"] = self.sets.index(name) if self.sets.index(name) < 2 else 0
            return moved
        return moved

    def _finish_preview(self, shader: UsdShade.Shader) -> None:
        if _number(shader, "useSpecularWorkflow", 0.0) == 1:
            self._note("its specular colour is left out; it is shown by its diffuse colour.")
        threshold = _number(shader, "opacityThreshold", 0.0)
        if threshold > 0:
            self._values["opacity_cutoff"] = min(threshold, 1.0)
        if "height" in self._maps and not self._values.get("displaced"):
            self._note("its displacement is shaded as a relief, 0.5 mm deep; set its relief depth.")
        if shader.GetInput("occlusion"):
            self._note("the painted occlusion is left out; real light makes its own.")
        self._finish_glow(DEFAULT_EMISSION_NIT if "emission_color" in {*self._maps, *self._values} else 0.0)

    def _finish_glow(self, nit: float) -> None:
        """Bring the emission's colour below 1, its strength into the luminance."""
        colour = [max(float(c), 0.0) for c in self._values.get("emission_color", (1, 1, 1))]
        peak = max(colour)
        if "emission_luminance" not in self._values:
            self._values["emission_luminance"] = nit * peak
        self._values["emission_color"] = tuple(c / peak for c in colour) if peak > 0 else (1.0, 1.0, 1.0)


def _is_colour(field: str) -> bool:
    return field.endswith("_color")


def _held(field: str, value: Any) -> Any:
    """A value within what the document allows."""
    if isinstance(value, bool):
        return value
    if _is_colour(field) or field.endswith("radius_scale"):
        return colour(tuple(value)[:3])
    if field == "thin_walled":
        return bool(value)
    least = [m.ge for m in Material.model_fields[field].metadata if hasattr(m, "ge")]
    most = [m.le for m in Material.model_fields[field].metadata if hasattr(m, "le")]
    return min(max([float(value), *least]), *most) if most else float(value)


def _number(shader: UsdShade.Shader, name: str, default: float) -> float:
    entry = shader.GetInput(name)
    value = entry.Get() if entry else None
    return float(value) if isinstance(value, int | float) else default


def _pair(shader: UsdShade.Shader, name: str, default: float) -> tuple[float, float]:
    entry = shader.GetInput(name)
    value = entry.Get() if entry else None
    return (float(value[0]), float(value[1])) if value is not None else (default, default)


def _text(shader: UsdShade.Shader, name: str) -> str:
    """A token or string, followed through the material's own inputs."""
    entry = shader.GetInput(name)
    found = entry.GetValueProducingAttributes() if entry else ()
    value = found[0].Get() if found else None
    return str(value) if value is not None else ""
