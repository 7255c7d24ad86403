"""Documents of earlier versions, brought up to date when they are read."""

from typing import Any


def upgraded(data: dict[str, Any]) -> dict[str, Any]:
    """The document in the shape of the present version; documents of unknown versions are returned as they are."""
    if data.get("schema_version") == 1:
        materials = [_material_1_to_2(m) for m in data.get("materials", ())]
        environment = dict(data.get("environment", {}))
        if isinstance(colour := environment.pop("background", None), list | tuple):
            environment["background"] = {"colour": colour}
        data = {**data, "schema_version": 2, "materials": materials, "environment": environment}
    return data


def _material_1_to_2(old: dict[str, Any]) -> dict[str, Any]:
    """Version 2 has a map for every parameter; packed maps are read by channel."""
    new = dict(old)
    base, packed = new.pop("base_color_map", None), new.pop("metal_rough_map", None)
    normal, glow = new.pop("normal_map", None), new.pop("emission_map", None)
    alpha = new.pop("opacity_from_base_alpha", False)
    new["emission_luminance"] = new.pop("emission_nit", 0.0)
    maps = {"base_color": base, "normal": normal, "emission_color": glow}
    if packed:
        maps |= {
            "specular_roughness": {**packed, "channel": "g"},
            "base_metalness": {**packed, "channel": "b"},
        }
    if base and alpha:
        maps["opacity"] = {**base, "channel": "a"}
    return {**new, "maps": {name: ref for name, ref in maps.items() if ref}}
