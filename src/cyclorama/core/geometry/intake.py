"""Intake: from uploaded files to a subject the studio can use, with a report.

Runs without any store: it returns the assets to keep as bytes by content hash.
"""

from collections.abc import Callable
from dataclasses import replace
from typing import Literal

import numpy as np

from ..errors import IntakeError
from ..picture.decode import decode_picture
from ..scene import Animation, Material, MaterialMaps, Part, Placement, Play, Subject, TextureRef
from .kept import Intake, content_hash, measures_key, rig_key, standin_key, standin_source_key
from .measure import Measures, centred, grounded, measure
from .mesh import Mesh, join
from .polygons import inside_outlines, split_quads
from .read import FileModel, FilePart, read_model
from .repair import Clean, Repairs, repair
from .report import Finding, IntakeReport, count
from .rig import Rig
from .rigging import build_rig
from .standin import build_standin

MAX_TRIANGLES = 20_000_000
Progress = Callable[[str, float], None]
"""Called with what is being done and how much of the whole is done, 0…1."""


def take_in(files: dict[str, bytes], progress: Progress = lambda what, share: None) -> Intake:
    """Read, check, repair and measure a model.

    files: bytes by name, one of them a model, the others what it refers to (or one zip of all).
    Raises IntakeError with a sentence when the model cannot be used; nothing is kept then.
    """
    progress("Reading the file", 0.0)
    name, model = read_model(files)
    _check(name, model)
    progress("Checking textures", 0.25)
    assets: dict[str, bytes] = {}
    materials = _keep_pictures(model, assets)
    progress("Checking the mesh", 0.35)
    mesh, rig, found = _repair_all(model, materials, lambda share: progress("Checking the mesh", 0.35 + 0.3 * share))
    progress("Measuring", 0.65)
    measures = _measured(mesh, rig)
    animations = _animations(model, rig)
    play = Play(animation=animations[0].id) if animations else Play()
    size = np.ptp(mesh.vertices, axis=0).astype(float)
    unit, unit_reason = guess_unit(name, model.unit_m, float(size.max()))
    up, up_reason = guess_up(name, model.up)
    progress("Making the stand-in", 0.75)
    data = mesh.to_bytes()
    moving = rig.to_bytes() if rig else b""
    asset = content_hash(data + moving)
    assets[asset] = data
    assets[measures_key(asset)] = measures.to_bytes()
    standin, source = build_standin(mesh, [materials[p.material] for p in model.parts], assets)
    assets[standin_key(asset)] = standin
    if rig:
        assets |= {rig_key(asset): moving, standin_source_key(asset): source.tobytes()}
    subject = Subject(
        asset=asset, source_name=name, parts=_parts(model, materials, mesh),
        placement=Placement(unit_m=unit, up=up), animations=animations, play=play,
    )  # fmt: skip
    room = measures.playing(subject)
    placement = grounded(room, centred(room, subject.placement, "box"), 0.0)
    subject = subject.model_copy(update={"placement": placement})
    report = IntakeReport(
        source_name=name,
        triangles=len(mesh.triangles),
        parts=len(model.parts),
        pictures=len([p for p in model.pictures if p.data]),
        size_file_units=(float(size[0]), float(size[1]), float(size[2])),
        unit_m=unit, unit_reason=unit_reason, up=up, up_reason=up_reason,
        findings=(*_findings(model, found), *(_played(a) for a in animations)),
    )  # fmt: skip
    progress("Done", 1.0)
    return Intake(subject, tuple(materials), report, measures, assets)


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


def _check(name: str, model: FileModel) -> None:
    model.parts = [p for p in model.parts if len(p.triangles)]
    total = sum(len(p.triangles) for p in model.parts)
    if total > MAX_TRIANGLES:
        raise IntakeError(
            f"‘{name}’ has {total:,} triangles; at most {MAX_TRIANGLES:,} can be used. Reduce it and export again."
        )
    for part in model.parts:
        if part.vertices.shape[1:] != (3,):
            raise IntakeError(f"‘{name}’ has vertices that are no points in space; it is damaged. Export it again.")
        if part.triangles.min() < 0 or part.triangles.max() >= len(part.vertices):
            raise IntakeError(f"‘{name}’ refers to vertices that are not there; it is damaged. Export it again.")
        used = part.vertices[np.unique(part.triangles)]
        broken = int((~np.isfinite(used).all(axis=1)).sum())
        if broken:
            raise IntakeError(
                f"‘{part.name}’ in ‘{name}’ has {count(broken, 'vertex', 'vertices')} without a position "
                f"(not a number). Repair the mesh and export it again."
            )
        if np.abs(used).max() > 1e9:
            raise IntakeError(f"‘{part.name}’ in ‘{name}’ is immensely far from its origin. Repair it first.")


def _keep_pictures(model: FileModel, assets: dict[str, bytes]) -> list[Material]:
    """Materials whose references point to kept pictures; references to missing ones are dropped."""
    for part in model.parts:
        if not 0 <= part.material < len(model.materials):
            part.material = len(model.materials)
    if any(p.material == len(model.materials) for p in model.parts):
        identity = f"material-{len(model.materials) + 1}"
        model.materials.append(Material(id=identity, name="Plain", base_color=(0.6, 0.6, 0.6)))
    keys: dict[str, str] = {}
    for i, picture in enumerate(model.pictures):
        if picture.data:
            decode_picture(picture.data, picture.name)
            key = content_hash(picture.data)
            assets[key] = picture.data
            keys[f"picture:{i}"] = key

    def kept(ref: TextureRef | None) -> TextureRef | None:
        if ref is None or ref.asset not in keys:
            return None
        return ref.model_copy(update={"asset": keys[ref.asset]})

    return [
        m.model_copy(update={"maps": MaterialMaps(**{name: kept(ref) for name, ref in m.maps if ref})})
        for m in model.materials
    ]


def _repair_all(
    model: FileModel, materials: list[Material], progress: Callable[[float], None]
) -> tuple[Mesh, Rig | None, Repairs]:  # fmt: skip
    """All parts as one mesh, how it moves (None: it has no animations), and what was repaired."""
    found, meshes, cleaned = Repairs(), [], []
    kept: list[FilePart] = []
    for i, part in enumerate(model.parts):
        clean, repairs = repair(part, materials[part.material].transmission_weight > 0)
        found += repairs
        if len(clean.triangles):
            kept.append(part)
            cleaned.append(clean)
            numbers = np.zeros(len(clean.triangles), np.int32)
            inner = (
                split_quads(clean.vertices, clean.triangles)
                if model.outlines is None
                else inside_outlines(clean.vertices, clean.triangles, model.outlines)
            )
            meshes.append(Mesh(clean.vertices, clean.normals, clean.uvs, clean.triangles, numbers, inner))
        progress((i + 1) / len(model.parts))
    if not meshes:
        raise IntakeError("All faces of the model are without an area: nothing that could be seen.")
    model.parts = kept
    return join(meshes), _rig(model, cleaned), found


def _rig(model: FileModel, cleaned: list[Clean]) -> Rig | None:
    if model.skeleton is None or not model.skeleton.animations:
        return None
    bindings = [p.binding for p in model.parts if p.binding is not None]
    return build_rig(model.skeleton, list(zip(bindings, cleaned, strict=True)))


def _parts(model: FileModel, materials: list[Material], mesh: Mesh) -> tuple[Part, ...]:
    triangles = np.bincount(mesh.part, minlength=len(model.parts))
    return tuple(
        Part(id=f"part-{i + 1}", name=part.name or f"Part {i + 1}", material=materials[part.material].id,
             triangles=int(triangles[i]))
        for i, part in enumerate(model.parts)
    )  # fmt: skip


def guess_unit(name: str, stated_m: float | None, largest: float) -> tuple[float, str]:
    """Metres per file unit, and why."""
    if stated_m is not None and largest * stated_m < 60:
        return stated_m, "the format is in metres"
    kind = name.rsplit(".", 1)[-1].upper()
    if stated_m is None and largest <= 6:
        return 1.0, f"{kind} has no unit; at this size it is most likely metres"
    if stated_m is None and kind != "STL" and largest <= 300:
        return 0.01, f"{kind} has no unit; at this size it is most likely centimetres"
    why = "the format is in metres, but at this size" if stated_m else f"{kind} has no unit; at this size"
    return 0.001, f"{why} it is most likely millimetres"


def guess_up(name: str, stated: str | None) -> tuple[Literal["y", "z"], str]:
    """Which axis points up in the file, and why."""
    if stated == "y":
        return "y", "the format has Y up"
    if stated == "z":
        return "z", "STL files mostly have Z up"
    return "y", f"{name.rsplit('.', 1)[-1].upper()} does not say; Y up is most common"


def _played(animation: Animation) -> Finding:
    return Finding(mark="ready", what=f"Animation ‘{animation.name}’, {animation.seconds:.3g} s")


def _findings(model: FileModel, r: Repairs) -> list[Finding]:
    found = []

    def add(n: int, what: str, done: str) -> None:
        if n:
            found.append(Finding(mark="look", what=what, done=done))

    add(r.degenerate, f"{count(r.degenerate, 'face')} without an area", "removed")
    add(r.duplicate, f"{count(r.duplicate, 'face')} there twice", "the copies are removed")
    add(r.open_edges, count(r.open_edges, "open edge"), "left as they are; glass needs closed parts")
    add(r.without_normals, f"{count(r.without_normals, 'face')} without normals", "smoothed up to a crease of 35°")
    add(r.broken_uvs, f"{count(r.broken_uvs, 'vertex', 'vertices')} with broken texture coordinates", "set to 0, 0")
    add(r.flipped_normals, f"{count(r.flipped_normals, 'face')} with normals on the wrong side", "turned round")
    add(r.inside_out, f"{count(r.inside_out, 'part')} inside out", "turned round")
    for label in model.missing:
        add(1, f"Texture ‘{label}’ is missing", "shown without it; bring it in together with the model")
    found += [Finding(mark="look", what=note) for note in dict.fromkeys(model.notes)]
    if not found:
        found.append(Finding(mark="ready", what="Nothing odd: closed, with normals, nothing missing."))
    return found
