"""Documents of earlier versions, brought up to date when they are read."""

import re
from typing import Any

Json = dict[str, Any]

SCHEMA_VERSION = 4
"""Version of project documents as this program writes them."""


def is_newer(data: Json) -> bool:
    """True when a later version of the program wrote the document."""
    version = data.get("schema_version")
    return isinstance(version, int) and version > SCHEMA_VERSION


def upgrade_document(data: Json) -> Json:
    """The document in the shape of the present version; documents of unknown versions are returned as they are."""
    if data.get("schema_version") == 1:
        data = _from_1_to_2(data)
    if data.get("schema_version") == 2:
        data = _from_2_to_3(data)
    if data.get("schema_version") == 3:
        data = _from_3_to_4(data)
    return data


def _from_1_to_2(data: Json) -> Json:
    materials = [_material_1_to_2(m) for m in data.get("materials", ())]
    environment = dict(data.get("environment", {}))
    if isinstance(colour := environment.pop("background", None), list | tuple):
        environment["background"] = {"colour": colour}
    return {**data, "schema_version": 2, "materials": materials, "environment": environment}


def _material_1_to_2(old: Json) -> Json:
    """Version 2 has a map for every parameter; packed maps are read by channel."""
    new = dict(old)
    base, packed = new.pop("base_color_map", None), new.pop("metal_rough_map", None)
    normal, glow = new.pop("normal_map", None), new.pop("emission_map", None)
    alpha = new.pop("opacity_from_base_alpha", False)
    new["emission_luminance"] = new.pop("emission_nit", 0.0)
    maps = {"base_color": base, "normal": normal, "emission_color": glow}
    if packed:
        maps |= {"specular_roughness": {**packed, "channel": "g"}, "base_metalness": {**packed, "channel": "b"}}
    if base and alpha:
        maps["opacity"] = {**base, "channel": "a"}
    return {**new, "maps": {name: ref for name, ref in maps.items() if ref}}


def _from_2_to_3(old: Json) -> Json:
    """Version 3 has items, looks and shots where there were a subject, loose lights, a move and how it was shot."""
    move, cameras = dict(old["move"]), [dict(c) for c in old["cameras"]]
    subject = old.get("subject")
    look, shot, item = _free("look", cameras), _free("shot", cameras), _free("item", cameras)
    chosen = next((c for c in cameras if c.get("id") == old["camera_id"]), cameras[0])
    aim = {"x_m": 0.0, "y_m": chosen.get("target_height_m", 0.5), "z_m": 0.0}
    environment = dict(old.get("environment", {}))
    background = environment.pop("background", {})
    shoot = dict(old.get("shoot", {}))
    pattern = shoot.get("name_pattern", "{project}_{move}")
    shoot["name_pattern"] = pattern.replace("{move}", "{shot}")
    return {
        "schema_version": 3,
        **{name: old[name] for name in ("id", "name", "set", "materials") if name in old},
        "rate_num": move.get("rate_num", 24),
        "rate_den": move.get("rate_den", 1),
        "items": [_item(subject, item)] if subject else [],
        "subject_id": item if subject else None,
        "cameras": [_camera(c, move, item if subject else None) for c in cameras],
        "looks": [{
            "id": look, "name": "Look 1", "lights": [{**light, "aim": aim} for light in old.get("lights", ())],
            "lights_travel_with": move.get("lights_travel_with", "set"), "environment": environment,
            "background": background, "tone": old.get("look", {}),
        }],
        "shots": [{
            "id": shot, "name": move.get("name", "Orbit"), "camera_id": old["camera_id"], "look_id": look,
            "frames": move.get("frames", 240), "first_frame": move.get("first_frame", 1), "rows": _rows(move),
            "shoot": shoot,
        }],
        "shot_id": shot,
    }  # fmt: skip


def _from_3_to_4(old: Json) -> Json:
    """Version 4 has three backgrounds, where pictures were transparent or not."""
    return {**old, "schema_version": 4, "shots": [_shot_3_to_4(shot) for shot in old["shots"]]}


def _shot_3_to_4(old: Json) -> Json:
    shoot = dict(old.get("shoot", {}))
    if shoot.pop("transparent", False):
        shoot["background"] = "transparent"
    return {**old, "shoot": shoot}


def _free(stem: str, cameras: list[Json]) -> str:
    """An id that no camera has: they are all that was named before besides lights, parts and materials."""
    taken = {c.get("id") for c in cameras}
    return next(i for i in (f"{stem}-{n}" for n in range(1, len(taken) + 2)) if i not in taken)


def _camera(old: Json, move: Json, item: str | None) -> Json:
    new = dict(old)
    new["azimuth_deg"] = move.get("start_azimuth_deg", 0.0)
    new["aim"] = {"x_m": 0.0, "y_m": new.pop("target_height_m", 0.5), "z_m": 0.0}
    if new.get("focus_point_m") is not None:
        new["focus_item"] = item
    return new


def _rows(move: Json) -> list[Json]:
    kind = move.get("kind", "orbit")
    turns = -1.0 if move.get("direction") == "clockwise" else 1.0
    segment = {"id": "segment-1", "kind": kind, "turns": turns}
    return [{"id": "disc" if kind == "spin" else "camera", "segments": [segment]}]


def _item(old: Json, identity: str) -> Json:
    new = dict(old)
    worn = [{"id": p["id"], "material": p["material"], "visible": p.get("visible", True)} for p in old["parts"]]
    new["parts"] = [{k: v for k, v in p.items() if k not in ("material", "visible")} for p in old["parts"]]
    variants = [{"id": "colourway-1", "name": "As it came", "parts": worn}]
    for number, variant in enumerate(new.pop("variants", ()), 2):
        other = dict(variant["materials"])
        parts = [{**w, "material": other.get(w["id"], w["material"])} for w in worn]
        variants.append({"id": f"colourway-{number}", "name": variant["name"], "parts": parts})
    words = re.sub(r"[-_ ]+", " ", str(old.get("source_name", "")).rsplit(".", 1)[0]).strip()[:80] or "Subject"
    return {
        **new,
        "id": identity,
        "name": words[0].upper() + words[1:],
        "variants": variants,
        "variant_id": "colourway-1",
    }
