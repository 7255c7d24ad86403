"""Intake: from uploaded files to an item the studio can use, with a report.

Runs without any store: it returns the assets to keep as bytes by content hash.
"""

import hashlib
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Literal

import numpy as np

from ..errors import IntakeError
from ..scene import Animation, Item, Material, Part, Placement, Play, Variant, Worn
from ..scene.writing import revise
from .cache_keys import Intake, content_hash, measures_key, rig_key, standin_key, standin_source_key
from .check import check
from .detail import HEAVY, DetailRequest, choose, lighten, refine_cages, usual_off
from .findings import animation_finding, findings, heavy, nested_finding
from .keep_pictures import keep_pictures
from .measure import Measures, centre_placement, ground_placement, measure, part_boxes
from .mesh import Mesh
from .nesting import nested_bodies, priorities
from .read import FileModel, read_model
from .read.model import ModelPart
from .read.names import label
from .repair import Clean, Repairs, repair
from .report import Finding, IntakeReport
from .rig import Rig
from .rigging import Hung, build_rig
from .standin import build_standin

_UNITS = {1.0: "metres", 0.01: "centimetres", 0.001: "millimetres", 0.0254: "inches"}
LEAST_M, MOST_M = 1e-4, 1e3
"""What sizes of a subject the studio is made for."""
MOST_GROUPS, MOST_AROUND, MOST_VARIANTS = 12, 200, 200
FIRST_VARIANT = "colourway-1"
Progress = Callable[[str, float], None]
"""Called with what is being done and how much of the whole is done, 0…1."""


def take_in(
    files: dict[str, bytes], progress: Progress = lambda what, share: None, wanted: DetailRequest | None = None
) -> Intake:
    """Read, check, repair and measure a model.

    files: bytes by name, one of them a model, the others what it refers to (or one zip of all).
    Raises IntakeError with a sentence when the model cannot be used; nothing is kept then.
    """
    progress("Reading the file", 0.0)
    wanted = wanted or DetailRequest()
    name, model = read_model(files, wanted.exact)
    name = PurePosixPath(name).name
    del files  # the model holds all that is needed of them
    check(name, model)
    choose(name, model, wanted.detail)
    off = wanted.off or usual_off(model, wanted.detail)
    refine_cages(model, wanted.detail, off)
    progress("Checking textures", 0.3)
    assets: dict[str, bytes] = {}
    materials = keep_pictures(model, assets)
    progress("Checking the mesh", 0.4)
    mesh, rig, found = _repaired(model, materials, off if wanted.detail.lighten else None)
    progress("Measuring", 0.7)
    measures = _measured(mesh, rig)
    animations = _animations(model, rig)
    play = Play(animation=animations[0].id) if animations else Play()
    size = np.ptp(measures.hull, axis=0)
    unit, unit_reason = guess_unit(name, model.unit_m, float(size.max()))
    up, up_reason = guess_up(name, model.up)
    progress("Making the stand-in", 0.8)
    standin, source = build_standin(mesh, [materials[p.material] for p in model.parts], assets)
    placement = Placement(unit_m=unit, up=up)
    odd = findings(model, found) + _nested(model, mesh, materials, float(size.max()))
    if len(mesh.triangles) > HEAVY:
        odd.append(heavy(len(mesh.triangles)))
    report = IntakeReport(
        source_name=name,
        triangles=len(mesh.triangles),
        parts=len(model.parts),
        pictures=len({asset for m in materials for _, ref in m.maps if ref for asset in ref.assets}),
        size_file_units=(float(size[0]), float(size[1]), float(size[2])),
        unit_m=unit,
        unit_reason=unit_reason,
        up=up,
        up_reason=up_reason,
        findings=(*odd, *(animation_finding(a) for a in animations)),
    )
    data, moving = mesh.to_bytes(), rig.to_bytes() if rig else b""
    asset = _whole_key(data, moving, materials, report)
    assets |= {asset: data, measures_key(asset): measures.to_bytes(), standin_key(asset): standin}
    if rig:
        assets |= {rig_key(asset): moving, standin_source_key(asset): source.tobytes()}
    progress("Done", 1.0)
    item = Item(
        id="item-1",
        name=_title(name),
        asset=asset,
        source_name=name,
        parts=_parts(model, mesh),
        variants=_variants(model, materials),
        variant_id=FIRST_VARIANT,
        placement=placement,
        animations=animations,
        play=play,
        cameras=tuple(model.cameras[:MOST_AROUND]),
        lights=tuple(model.lights[:MOST_AROUND]),
        detail=wanted.detail,
        off=model.off,
    )
    room = measures.playing(item)
    placement = ground_placement(room, centre_placement(room, placement, "box"), 0.0)
    return Intake(revise(item, placement=placement), tuple(materials), report, measures, assets)


def _nested(model: FileModel, mesh: Mesh, materials: list[Material], size: float) -> list[Finding]:
    """Set the priorities of materials whose transparent bodies lie in one another. Returns a finding for each pair."""
    worn = [p.material for p in model.parts]
    clear = np.array([materials[m].transmission_weight > 0 and not materials[m].thin_walled for m in worn], bool)
    found = [n for n in nested_bodies(mesh, clear) if worn[n.outer] != worn[n.inner]]
    levels = priorities(found, len(worn))
    for part, level in enumerate(levels.tolist()):
        if level > materials[worn[part]].priority:
            materials[worn[part]] = revise(materials[worn[part]], priority=level)
    names = [label(p.name, f"Part {p.number}") for p in model.parts]
    return [nested_finding(n, names, f"part-{model.parts[n.inner].number}", size) for n in found]


def _title(name: str) -> str:
    """First name of an item: its file's name as words."""
    words = label(re.sub(r"[-_ ]+", " ", PurePosixPath(name).stem), "Model")
    return words[0].upper() + words[1:]


def _whole_key(data: bytes, moving: bytes, materials: list[Material], report: IntakeReport) -> str:
    """The name of everything that came in: report and stand-in are kept under it, and they tell of pictures too."""
    looks = "\n".join([report.model_dump_json(), *(m.model_dump_json() for m in materials)]).encode()
    return content_hash(b"".join([hashlib.sha256(x).digest() for x in (data, moving, looks)]))


def _measured(mesh: Mesh, rig: Rig | None) -> Measures:
    rooms = [rig.room(i) for i in range(len(rig.skeleton.animations))] if rig else []
    sizes = np.array([len(r) for r in rooms], np.int64)
    return replace(measure(mesh), rooms=np.concatenate([np.zeros((0, 3)), *rooms]), room_sizes=sizes)


def _animations(model: FileModel, rig: Rig | None) -> tuple[Animation, ...]:
    if rig is None:
        return ()
    lengths = [rig.skeleton.length_s(i) for i in range(len(model.animation_names))]
    return tuple(
        Animation(id=f"animation-{i}", name=name, seconds=seconds)
        for i, (name, seconds) in enumerate(zip(model.animation_names, lengths, strict=True), 1)
    )


def _repaired(
    model: FileModel, materials: list[Material], lighten_by: float | None
) -> tuple[Mesh, Rig | None, Repairs]:
    """All parts as one mesh, how it moves (None: it has no animations), and what was repaired."""
    clear = np.array([materials[p.material].transmission_weight > 0 for p in model.parts])
    clean, found = repair(model.parts, clear)
    if not len(clean.mesh.triangles):
        raise IntakeError("All faces of the model are without an area: nothing that could be seen.")
    if lighten_by:
        clean = lighten(model, clean, lighten_by)
    rig = _rig(model, clean)
    model.parts = [model.parts[i] for i in clean.kept]
    return clean.mesh, rig, found


def _rig(model: FileModel, clean: Clean) -> Rig | None:
    if model.skeleton is None or not model.skeleton.animations:
        return None
    sizes = np.array([len(p.vertices) for p in model.parts])
    first, ends = np.cumsum(sizes) - sizes, np.searchsorted(clean.vertex_part, np.arange(len(sizes)), side="right")
    number = np.full(len(sizes), -1)
    number[clean.kept] = np.arange(len(clean.kept))
    hung = []
    for i, part in enumerate(model.parts):
        begin, end = (ends[i - 1] if i else 0), ends[i]
        if part.binding is not None:
            triangles = clean.mesh.triangles[clean.mesh.part == number[i]] - np.int32(begin)
            source = clean.source[begin:end] - first[i]
            hung.append(Hung(part.binding, source, clean.mesh.normals[begin:end], triangles))
    return build_rig(model.skeleton, hung)


def _parts(model: FileModel, mesh: Mesh) -> tuple[Part, ...]:
    triangles = np.bincount(mesh.part, minlength=len(model.parts))
    boxes = part_boxes(mesh, len(model.parts))
    return tuple(
        Part(
            id=f"part-{part.number}",
            name=label(part.name, f"Part {part.number}"),
            number=part.number,
            triangles=int(triangles[i]),
            box=boxes[i],
            group=tuple(label(g, "Group") for g in part.group[-MOST_GROUPS:]),
        )
        for i, part in enumerate(model.parts)
    )


def _variants(model: FileModel, materials: list[Material]) -> tuple[Variant, ...]:
    """The colourway that the file shows first, and its other ones."""

    def dressed(identity: str, name: str, which: int | None) -> Variant:
        return Variant(
            id=identity,
            name=name,
            parts=tuple(
                Worn(id=f"part-{p.number}", material=materials[_worn(p, which, len(materials))].id, visible=p.visible)
                for p in model.parts
            ),
        )

    told = [i for i in range(len(model.variants)) if any(i in p.variants for p in model.parts)]
    told = told[: MOST_VARIANTS - 1]
    others = [dressed(f"colourway-{n}", label(model.variants[i], f"Colourway {n}"), i) for n, i in enumerate(told, 2)]
    return (dressed(FIRST_VARIANT, "As it came", None), *others)


def _worn(part: ModelPart, which: int | None, count: int) -> int:
    """Number of the material that a part has in one of the file's variants."""
    other = part.material if which is None else part.variants.get(which, part.material)
    return other if 0 <= other < count else part.material


def guess_unit(name: str, stated_m: float | None, largest: float) -> tuple[float, str]:
    """Metres per file unit, and why."""
    kind = name.rsplit(".", 1)[-1].upper()
    if stated_m is not None:
        unit, why = stated_m, f"the file is in {_UNITS.get(stated_m, f'units of {stated_m:g} m')}"
    elif largest <= 6:
        unit, why = 1.0, f"{kind} has no unit; at this size it is most likely metres"
    elif kind != "STL" and largest <= 300:
        unit, why = 0.01, f"{kind} has no unit; at this size it is most likely centimetres"
    else:
        unit, why = 0.001, f"{kind} has no unit; at this size it is most likely millimetres"
    if LEAST_M * 0.99 <= largest * unit <= MOST_M * 1.01:  # single precision may be a little off
        return unit, why
    while largest * unit > MOST_M:
        unit /= 1000
    while largest * unit < LEAST_M:
        unit *= 1000
    return unit, "chosen so that the subject is between 0.1 mm and 1 km; set it to what is right"


def guess_up(name: str, stated: str | None) -> tuple[Literal["y", "z"], str]:
    """Which axis points up in the file, and why."""
    kind = name.rsplit(".", 1)[-1].upper()
    if kind.startswith("USD") and stated in ("y", "z"):
        return ("y" if stated == "y" else "z"), f"the file says that {stated.upper()} is up"
    if stated == "y":
        return "y", "the format has Y up"
    if stated == "z":
        return "z", f"{kind} files mostly have Z up"
    return "y", f"{kind} does not say; Y up is most common"
